"""The pipeline's store in PostgreSQL, with what was used last kept in the worker's memory."""

from collections import OrderedDict

import numpy as np
from django.db import IntegrityError, transaction

from nephos.core.plan.results import Result as CoreResult
from nephos.web.blobs import pieces_of, read_chunks, save_blob
from nephos.web.models import Result, ResultArray

REMEMBERED = 400 * 1024 * 1024


class DatabaseStore:
    """Results as rows and chunks. Safe to use from several workers: the same key means the same result."""

    def __init__(self) -> None:
        self._recent: OrderedDict[str, CoreResult] = OrderedDict()

    def get(self, key: str) -> CoreResult | None:
        """The result kept under `key`, if there is one."""
        if key in self._recent:
            self._recent.move_to_end(key)
            return self._recent[key]
        row = Result.objects.filter(key=key).first()
        if row is None:
            return None
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
                row = Result.objects.create(key=key, stage=stage, facts=result.facts)
                for name, array in result.arrays.items():
                    little = np.ascontiguousarray(array, array.dtype.newbyteorder("<"))
                    blob = save_blob(pieces_of(memoryview(little.reshape(-1)).cast("B") if little.size else memoryview(b"")))
                    ResultArray.objects.create(result=row, name=name, dtype=little.dtype.str, shape=list(array.shape), blob=blob)
        except IntegrityError:
            # Another worker was quicker with the same result.
            return

    def _remember(self, key: str, result: CoreResult) -> None:
        # A refusal may be taken back by another process: it is looked up each time.
        if "refused" in result.facts:
            return
        self._recent[key] = result
        while sum(sum(a.nbytes for a in r.arrays.values()) for r in self._recent.values()) > REMEMBERED:
            self._recent.popitem(last=False)
