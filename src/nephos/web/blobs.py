"""Bytes in the database: written and read in chunks."""

from collections.abc import AsyncIterator, Iterable, Iterator

import zstandard
from django.db import transaction

from nephos.web.models import Blob, Chunk

CHUNK = 1 << 20


def save_blob(pieces: Iterable[bytes]) -> Blob:
    """Keep bytes that come in pieces; all of them or nothing."""
    packer = zstandard.ZstdCompressor(level=1)
    with transaction.atomic():
        blob = Blob.objects.create()
        size = position = 0
        waiting = b""
        for piece in pieces:
            size += len(piece)
            waiting += piece
            while len(waiting) >= CHUNK:
                Chunk.objects.create(blob=blob, position=position, data=packer.compress(waiting[:CHUNK]))
                waiting = waiting[CHUNK:]
                position += 1
        if waiting:
            Chunk.objects.create(blob=blob, position=position, data=packer.compress(waiting))
        blob.size = size
        blob.save(update_fields=["size"])
    return blob


def pieces_of(data: memoryview) -> Iterator[bytes]:
    """A buffer in pieces of a chunk's size."""
    for start in range(0, len(data), CHUNK):
        yield bytes(data[start : start + CHUNK])


def read_chunks(blob_id: int, first: int = 0, last: int | None = None) -> Iterator[bytes]:
    """The chunks `first` to `last` (both counted in) of a blob, one after the other."""
    unpacker = zstandard.ZstdDecompressor()
    found = Chunk.objects.filter(blob_id=blob_id, position__gte=first)
    if last is not None:
        found = found.filter(position__lte=last)
    for data in found.order_by("position").values_list("data", flat=True).iterator(chunk_size=4):
        yield unpacker.decompress(bytes(data), max_output_size=CHUNK)


async def stream_chunks(blob_id: int) -> AsyncIterator[bytes]:
    """All chunks of a blob for an answer that is sent as it is read, two chunks in memory at most."""
    unpacker = zstandard.ZstdDecompressor()
    found = Chunk.objects.filter(blob_id=blob_id).order_by("position").values_list("data", flat=True)
    async for data in found.aiterator(chunk_size=2):
        yield unpacker.decompress(bytes(data), max_output_size=CHUNK)


def read_range(blob_id: int, start: int, stop: int) -> bytes:
    """The bytes from `start` up to `stop` of a blob."""
    first = start // CHUNK
    data = b"".join(read_chunks(blob_id, first, max(stop - 1, start) // CHUNK))
    return data[start - first * CHUNK : stop - first * CHUNK]
