"""The list of jobs: a page of it in two queries, whatever its length, and pictures by their own address."""

import json
from datetime import datetime
from typing import Any

from django.db import connection
from ninja import Schema
from pydantic import Field

PAGE = 48
"""Jobs on a page."""

_WHERE = "j.deleted IS NULL AND j.name ILIKE ALL (%s)"
_COUNT = f"SELECT count(*) FROM nephos_job j WHERE {_WHERE}"
_JOINED = "nephos_job j JOIN nephos_revision r ON r.job_id = j.id AND r.number = j.revision"
_MARK = """
CASE WHEN j.picture IS NOT NULL THEN 'j' || substr(md5(j.picture), 1, 12) ELSE
  (SELECT 'm' || substr(m.digest, 1, 12) FROM nephos_mesh m WHERE m.thumbnail IS NOT NULL AND m.digest <> ''
    AND m.digest IN (SELECT o->>'mesh' FROM jsonb_array_elements(r.plan->'models') o) LIMIT 1) END
"""
"""What changes whenever the picture of a job does; none where it has none."""
_ROWS = f"""
SELECT j.id, j.name, j.updated, r.plan->'stock',
  (SELECT coalesce(sum(jsonb_array_length(s->'operations')), 0) FROM jsonb_array_elements(r.plan->'setups') s),
  {_MARK}
FROM {_JOINED} WHERE {_WHERE} ORDER BY j.updated DESC, j.id DESC LIMIT %s OFFSET %s
"""
_PICTURE = f"""
SELECT coalesce(j.picture, (SELECT m.thumbnail FROM nephos_mesh m WHERE m.thumbnail IS NOT NULL AND m.digest <> ''
  AND m.digest IN (SELECT o->>'mesh' FROM jsonb_array_elements(r.plan->'models') o) LIMIT 1))
FROM {_JOINED} WHERE j.id = %s
"""
_MARK_OF_ONE = f"SELECT {_MARK} FROM {_JOINED} WHERE j.id = %s"


class JobListed(Schema):
    """A job on the jobs page. `picture` is the address of its picture, which never shows anything else; none where it
    has no picture."""

    id: int
    name: str
    updated: datetime
    picture: str | None
    stock: str
    operations: int


class JobPage(Schema):
    """A page of the list of jobs, the one that was worked on last first: the page's number from 1, how many pages and
    jobs there are."""

    jobs: list[JobListed]
    page: int
    pages: int
    total: int


class JobsWanted(Schema):
    """Which page of the jobs that have all words of `find` in their names."""

    page: int = Field(default=1, ge=1, le=1_000_000)
    find: str = Field(default="", max_length=200)


def _patterns(find: str) -> list[str]:
    """For each word a pattern that finds it anywhere, its own signs taken as they are."""
    signs = str.maketrans({"\\": r"\\", "%": r"\%", "_": r"\_"})
    return [f"%{word.translate(signs)}%" for word in find.split()] or ["%"]


def _short(length: float) -> str:
    return f"{round(length, 2):g}"


def _stock_in_words(stock: dict[str, Any]) -> str:
    material = stock.get("material", "")
    name = material["name"] if isinstance(material, dict) else material
    if stock.get("kind") == "round":
        return f"{name} ⌀{_short(stock['width'])} × {_short(stock['length'])}"
    return f"{name} {' × '.join(_short(stock[side]) for side in ('length', 'width', 'thickness'))}"


def job_page(wanted: JobsWanted) -> JobPage:
    """A page of the jobs that are not deleted; the last one where there are fewer pages."""
    words = _patterns(wanted.find)
    with connection.cursor() as cursor:
        cursor.execute(_COUNT, [words])
        total = int(cursor.fetchone()[0])
        pages = max(-(-total // PAGE), 1)
        page = min(wanted.page, pages)
        cursor.execute(_ROWS, [words, PAGE, (page - 1) * PAGE])
        rows = cursor.fetchall()
    jobs = [
        JobListed(
            id=key,
            name=name,
            updated=updated,
            picture=_address(key, mark),
            stock=_stock_in_words(json.loads(stock)),
            operations=operations,
        )
        for key, name, updated, stock, operations, mark in rows
    ]
    return JobPage(jobs=jobs, page=page, pages=pages, total=total)


def _address(job_id: int, mark: str | None) -> str | None:
    return mark and f"/api/jobs/{job_id}/picture?v={mark}"


def picture_address(job_id: int) -> str | None:
    """The address of a job's picture, which never shows anything else; none where it has none."""
    with connection.cursor() as cursor:
        cursor.execute(_MARK_OF_ONE, [job_id])
        found = cursor.fetchone()
    return None if found is None else _address(job_id, found[0])


def job_picture(job_id: int) -> bytes | None:
    """The picture of a job as PNG: of its proof, or of its mesh before it was calculated; none where it has none."""
    with connection.cursor() as cursor:
        cursor.execute(_PICTURE, [job_id])
        found = cursor.fetchone()
    return None if found is None or found[0] is None else bytes(found[0])
