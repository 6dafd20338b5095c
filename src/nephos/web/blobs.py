"""Bytes in the database: written and read in chunks."""

from collections.abc import AsyncIterator, Iterable, Iterator
from typing import Any

import psycopg
import zstandard
from django.db import connection, transaction

from nephos.web.models import Blob, Chunk

CHUNK = 1 << 20
_FETCHED = 8


def _cursor() -> "psycopg.Cursor[tuple[Any, ...]]":
    """A cursor that sends bytes as they are; the framework's own writes them out as text, at twice the size."""
    connection.ensure_connection()
    return psycopg.Cursor(connection.connection)


_INSERT = "INSERT INTO nephos_chunk (blob_id, position, data) VALUES (%s, %s, %s)"
_SELECT = "SELECT data FROM nephos_chunk WHERE blob_id = %s AND position BETWEEN %s AND %s ORDER BY position"


def save_blob(pieces: Iterable[bytes]) -> Blob:
    """Keep bytes that come in pieces; all of them or nothing."""
    packer = zstandard.ZstdCompressor(level=1)
    with transaction.atomic(), _cursor() as cursor:
        blob = Blob.objects.create()
        size = position = stored = 0
        waiting = b""
        for piece in pieces:
            size += len(piece)
            waiting += piece
            while len(waiting) >= CHUNK:
                packed = packer.compress(waiting[:CHUNK])
                stored += len(packed)
                cursor.execute(_INSERT, (blob.pk, position, packed))
                waiting = waiting[CHUNK:]
                position += 1
        if waiting:
            packed = packer.compress(waiting)
            stored += len(packed)
            cursor.execute(_INSERT, (blob.pk, position, packed))
        blob.size, blob.stored = size, stored
        blob.save(update_fields=["size", "stored"])
    return blob


def pieces_of(data: memoryview) -> Iterator[bytes]:
    """A buffer in pieces of a chunk's size."""
    for start in range(0, len(data), CHUNK):
        yield bytes(data[start : start + CHUNK])


def read_chunks(blob_id: int, first: int = 0, last: int | None = None) -> Iterator[bytes]:
    """The chunks `first` to `last` (both counted in) of a blob, one after the other."""
    unpacker = zstandard.ZstdDecompressor()
    end = Chunk.objects.filter(blob_id=blob_id).count() - 1 if last is None else last
    for begin in range(first, end + 1, _FETCHED):
        with _cursor() as cursor:
            rows = cursor.execute(_SELECT, (blob_id, begin, min(begin + _FETCHED - 1, end)), binary=True).fetchall()
        for (data,) in rows:
            yield unpacker.decompress(bytes(data), max_output_size=CHUNK)


async def stream_chunks(blob_id: int, head: bytes = b"", instead: bytes = b"") -> AsyncIterator[bytes]:
    """All chunks of a blob for an answer that is sent as it is read, two chunks in memory at most. Its first bytes,
    `head`, are replaced."""
    unpacker = zstandard.ZstdDecompressor()
    found = Chunk.objects.filter(blob_id=blob_id).order_by("position").values_list("data", flat=True)
    async for data in found.aiterator(chunk_size=2):
        piece = unpacker.decompress(bytes(data), max_output_size=CHUNK)
        yield instead + piece.removeprefix(head) if head or instead else piece
        head = instead = b""


def read_range(blob_id: int, start: int, stop: int) -> bytes:
    """The bytes from `start` up to `stop` of a blob."""
    first = start // CHUNK
    data = b"".join(read_chunks(blob_id, first, max(stop - 1, start) // CHUNK))
    return data[start - first * CHUNK : stop - first * CHUNK]
