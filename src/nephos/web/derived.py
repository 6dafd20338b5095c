"""Answers about plans from the database, and the cache of them."""

from collections.abc import Collection, Mapping, Sequence

import numpy as np
from django.db import connection

from nephos.core.answers.documents import DerivedAnswer
from nephos.core.answers.job import derived as derived_from
from nephos.core.answers.kept import Facts, KnownModel
from nephos.core.cutters import Cutter
from nephos.core.estimate.stock_estimate import DrawnHeightMap
from nephos.core.memo import Memo
from nephos.core.plan.model import Model
from nephos.core.plan.schema import Plan
from nephos.web.jobs import shop_cutters
from nephos.web.models import RealTime, Result
from nephos.web.summaries import drawn_height_map, known, outline_rims


class DatabaseKept:
    """What is kept in the database, as one answer is made from it."""

    def __init__(self) -> None:
        self._times: dict[str, list[tuple[float, float]]] = {}

    def facts(self, keys: Collection[str]) -> Mapping[str, Facts]:
        """The facts of those results that are kept, by key."""
        return dict(Result.objects.filter(key__in=keys).values_list("key", "facts"))

    def models(self, models: Sequence[Model]) -> Mapping[str, KnownModel]:
        """What is known of models, by id."""
        return known(tuple(models))

    def height_map(self, key: str) -> DrawnHeightMap:
        """A height map that is kept."""
        return drawn_height_map(key)

    def rims(self, key: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The outer outlines of a drawn boundary."""
        return outline_rims(key)

    def cutters(self) -> Sequence[Cutter]:
        """The cutters of the shop."""
        return shop_cutters()

    def real_times(self, machine: str) -> Sequence[tuple[float, float]]:
        """Pairs of calculated and real seconds of jobs on a machine."""
        if machine not in self._times:
            self._times[machine] = list(RealTime.objects.filter(machine=machine).values_list("calculated", "real"))
        return self._times[machine]


_DERIVED: Memo[DerivedAnswer] = Memo(64)


def _stamp() -> tuple[object, ...]:
    """Changes whenever something changes that an answer about a plan depends on."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT (SELECT count(*) FROM nephos_result), (SELECT max(created) FROM nephos_result), "
            "(SELECT max(id) FROM nephos_realtime), (SELECT count(*) FROM nephos_realtime), "
            "(SELECT count(*) FROM nephos_mesh WHERE state = 'ready'), (SELECT count(*) FROM nephos_mesh), "
            "(SELECT md5(string_agg(data::text, '' ORDER BY id)) FROM nephos_cutter WHERE deleted IS NULL)"
        )
        found: tuple[object, ...] = cursor.fetchone()
    return found


def derived(plan: Plan) -> DerivedAnswer:
    """What follows from a plan without calculating. Many windows look at the same few plans: the answer is cached."""
    return _DERIVED.get((plan.model_dump_json(), _stamp()), lambda: derived_from(plan, DatabaseKept()))
