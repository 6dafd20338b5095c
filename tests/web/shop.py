"""What the API's tests share: a client of an empty shop, and how it uploads and sends."""

import json

from django.test import Client


def send(client: Client, path: str, body: object = None, method: str = "post"):
    return getattr(client, method)(f"/api{path}", json.dumps(body), content_type="application/json")


def upload(client: Client, data: bytes, name: str = "hill.stl"):
    return client.post("/api/meshes", data, content_type="application/octet-stream", headers={"X-Filename": name})


def body_of(response) -> bytes:
    return b"".join(response)
