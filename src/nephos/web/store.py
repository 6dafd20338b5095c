"""The store of results in PostgreSQL, with what was used last kept in memory."""

import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from threading import RLock, local

import numpy as np
from django.db import IntegrityError, transaction
from django.utils import timezone

from nephos.core.stages.store import Result as CoreResult
from nephos.web.blobs import pieces_of, read_chunks, save_blob
from nephos.web.models import Result, ResultArray

REMEMBERED = 400 * 1024 * 1024
_SURE = 30.0
"""Seconds for which a cached result is not checked again."""


class DatabaseStore:
    """Results as rows and chunks. Safe to use from several workers: the same key means the same result."""

    def __init__(self) -> None:
        self._recent: OrderedDict[str, CoreResult] = OrderedDict()
        self._used: dict[str, float] = {}
        self._lock = RLock()
        self._job = local()

    @contextmanager
    def made_for(self, job_id: int) -> Iterator[None]:
        """What this thread puts meanwhile is made for a job."""
        self._job.id = job_id
        try:
            yield
        finally:
            self._job.id = None

    def get(self, key: str) -> CoreResult | None:
        """The result kept under `key`, if there is one."""
        with self._lock:
            recent = self._recent.get(key)
            if recent is not None:
                self._recent.move_to_end(key)
        if recent is not None and self._still_there(key):
            return recent
        row = Result.objects.filter(key=key).first()
        # A refusal whose cause can change is for those who wait for it; who works it out tries again.
        if row is None or row.facts.get("transient"):
            return None
        self._touch(key)
        arrays = {}
        for array in row.arrays.all():
            data = b"".join(read_chunks(array.blob_id))
            arrays[array.name] = np.frombuffer(data, array.dtype).reshape(array.shape)
        result = CoreResult(arrays, row.facts)
        self._remember(key, result)
        return result

    def put(self, key: str, stage: str, result: CoreResult) -> None:
        """Keep a result."""
        self._remember(key, result)
        try:
            with transaction.atomic():
                Result.objects.filter(key=key, facts__transient=True).delete()
                row = Result.objects.create(
                    key=key, stage=stage, facts=result.facts, job=getattr(self._job, "id", None)
                )
                size = 0
                for name, array in result.arrays.items():
                    little = np.ascontiguousarray(array, array.dtype.newbyteorder("<"))
                    blob = save_blob(
                        pieces_of(little.reshape(-1).view(np.uint8).data if little.size else memoryview(b""))
                    )
                    ResultArray.objects.create(
                        result=row, name=name, dtype=little.dtype.str, shape=list(array.shape), blob=blob
                    )
                    size += blob.stored
                Result.objects.filter(pk=key).update(size=size)
        except IntegrityError:
            # Another worker was quicker with the same result.
            return

    def _remember(self, key: str, result: CoreResult) -> None:
        # A refusal may be taken back by another process: it is looked up each time.
        if "refused" in result.facts:
            return
        with self._lock:
            self._recent[key] = result
            self._shorten()

    def _still_there(self, key: str) -> bool:
        """Whether a remembered result is kept still: another process may have dropped it. Marks it as used."""
        if time.monotonic() - self._used.get(key, -1e9) < _SURE:
            return True
        self._touch(key)
        if Result.objects.filter(key=key).exists():
            return True
        with self._lock:
            self._recent.pop(key, None)
        return False

    def _touch(self, key: str) -> None:
        """Note that a result was used; in the database to the hour."""
        self._used[key] = time.monotonic()
        if len(self._used) > 10_000:
            self._used.clear()
        now = timezone.now()
        Result.objects.filter(key=key, used__lt=now - timedelta(hours=1)).update(used=now)

    def _shorten(self) -> None:
        while sum(sum(a.nbytes for a in r.arrays.values()) for r in self._recent.values()) > REMEMBERED:
            self._recent.popitem(last=False)
