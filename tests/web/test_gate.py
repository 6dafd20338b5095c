"""Nothing gets in: requests that are turned away, and bodies that are refused in plain words."""

import asyncio
import json
import zipfile
from pathlib import Path

import pytest
from django.conf import settings
from django.test import Client

from nephos.web.gate import Gate
from web.shop import body_of, send

pytestmark = pytest.mark.django_db(transaction=True)


def through(method: str, path: str, headers: dict[str, str], pieces: list[bytes]) -> tuple[int, int]:
    """Status and how many pieces of the body were taken in."""
    taken, sent = [], []

    async def app(scope, receive, send) -> None:
        while True:
            message = await receive()
            if not message.get("more_body"):
                break
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    waiting = list(pieces)

    async def receive() -> dict:
        taken.append(1)
        return {"type": "http.request", "body": waiting.pop(0) if waiting else b"", "more_body": bool(waiting)}

    async def send(message: dict) -> None:
        sent.append(message)

    scope = {
        "type": "http",
        "method": method,
        "path": path,
        "headers": [(k.encode(), v.encode()) for k, v in headers.items()],
    }
    asyncio.run(Gate(app)(scope, receive, send))
    if sent[0]["status"] != 200:
        named = {name.decode(): value.decode() for name, value in sent[0]["headers"]}
        assert "default-src 'self'" in named["content-security-policy"], "as every answer has"
        assert named["x-content-type-options"] == "nosniff" and named["referrer-policy"] == "no-referrer"
        assert json.loads(sent[1]["body"])["request"] == named["x-request-id"]
    return sent[0]["status"], len(taken)


OWN = {"host": "localhost:8460", "cookie": "csrftoken=abc", "x-csrftoken": "abc"}


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        (OWN | {"host": "evil.example"}, 400),
        ({"host": "localhost"}, 403),
        (OWN | {"origin": "http://evil.example"}, 403),
        (OWN | {"content-length": str(10**12)}, 413),
        (OWN | {"content-length": "x"}, 400),
        (OWN | {"host": "[::1]"}, 400),
        (OWN | {"content-length": "5", "transfer-encoding": "chunked"}, 400),
        (OWN | {"content-type": "multipart/form-data"}, 415),
    ],
)
def test_what_must_not_pass_is_turned_away_before_its_body(headers: dict, status: int) -> None:
    assert through("POST", "/api/meshes", headers, [b"x" * 1000] * 50) == (status, 0)


def test_a_body_in_pieces_is_broken_off_at_its_limit(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings, "MESH_LIMIT", 10_000)
    status, taken = through("POST", "/api/meshes", OWN, [b"x" * 1000] * 5000)
    assert status == 413 and taken == 11
    assert through("POST", "/api/meshes", OWN, [b"x" * 1000] * 9)[0] == 200
    assert through("GET", "/api/jobs", {"host": "127.0.0.1:8460"}, [])[0] == 200
    assert through("GET", "/api/jobs", {"host": "testserver"}, [])[0] == (
        200 if "testserver" in settings.ALLOWED_HOSTS else 400
    )


def test_the_test_host_is_none_outside_of_tests() -> None:
    from nephos.web import settings as shipped

    assert shipped.ALLOWED_HOSTS is settings.ALLOWED_HOSTS or "testserver" not in Path(shipped.__file__).read_text()


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "/jobs", {"name": "a\x00b"}),
        ("post", "/jobs", {"name": "\ud800"}),
        ("get", "/results/%00/facts", None),
        ("get", "/results/a%00b/array/x", None),
        ("post", "/jobs/1/check/a?cutter=99999999999999999999999", None),
        ("post", "/jobs/1/window/a", {"low": [float("nan"), 0], "high": [1, 1], "pitch": 0.1, "operations": 1}),
        ("get", "/jobs/99999999999999999999999", None),
        ("get", "/times/%00", None),
        ("put", "/storage", {"limit": -1}),
        (
            "post",
            "/jobs/preview/plan",
            {"plan": {"schema_version": 1, "stock": {"length": 9}, "models": [{"placement": 3}]}},
        ),
        ("post", "/jobs/preview/plan", {"plan": {"schema_version": 1, "setups": [{"operations": [{"number": "x"}]}]}}),
        ("post", "/jobs/preview/plan", {"plan": {"schema_version": True}}),
    ],
)
def test_what_no_database_takes_is_refused(shop: Client, method: str, path: str, body: object) -> None:
    shop.raise_request_exception = False
    answer = send(shop, path, body, method) if body is not None else getattr(shop, method)(f"/api{path}")
    assert 400 <= answer.status_code < 500, answer.content[:200]


def test_a_form_is_none_of_the_bodies_that_are_taken(shop: Client) -> None:
    shop.raise_request_exception = False
    for address in ("/api/jobs", "/api/meshes", "/api/jobs/file", "/api/cutters/import", "/api/posts/preview"):
        answer = shop.post(address, b"a=b", content_type="multipart/form-data")
        assert 400 <= answer.status_code < 500, (address, answer.content[:200])


def test_a_job_file_whose_revision_is_no_number_is_refused(shop: Client, job: dict, tmp_path: Path) -> None:
    data = body_of(shop.get(f"/api/jobs/{job['id']}/file"))
    (tmp_path / "a.zip").write_bytes(data)
    for change in ({"revision": True}, {"version": True}, {"revision": 1.5}, {"revision": "1"}):
        with zipfile.ZipFile(tmp_path / "a.zip") as source, zipfile.ZipFile(tmp_path / "b.zip", "w") as target:
            for item in source.infolist():
                text = source.read(item)
                if item.filename == "job.json":
                    text = json.dumps(json.loads(text) | change).encode()
                target.writestr(item.filename, text)
        answer = shop.post("/api/jobs/file", (tmp_path / "b.zip").read_bytes(), content_type="application/zip")
        assert answer.status_code == 422, change


def test_the_description_of_the_api_says_what_is_sent() -> None:
    from nephos.web.api import api

    found = api.get_openapi_schema()["components"]["schemas"]
    assert found["Operation"]["properties"]["settings"]["additionalProperties"] is True
    assert "outline" in found["CutterLook"]["required"]


@pytest.mark.parametrize(
    "data",
    [b"number,diameter,name\n1,3," + b"x" * 200_000, b"number,diameter\r1,3\r\r\n\r2,4", b'number,diameter\n"1\n,3'],
)
def test_odd_cutter_lists_are_refused_or_read(shop: Client, data: bytes) -> None:
    shop.raise_request_exception = False
    for path in ("/api/cutters/file?name=a.csv", "/api/cutters/import?name=a.csv"):
        assert shop.post(path, data, content_type="text/csv").status_code < 500
