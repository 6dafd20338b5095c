"""Pieces of a large design: curves of drawn outlines for edits, and boards for what finds no room on the first one."""

from itertools import pairwise

import numpy as np
from django.db import transaction

from nephos.core.errors import Refused
from nephos.core.plan.edits import EditValue, apply_edit
from nephos.core.plan.model import Model
from nephos.core.plan.schema import Plan, parse_plan
from nephos.core.stages.outline import OutlineStage
from nephos.web.jobs import create_job, current_plan, edit_plan
from nephos.web.models import Job
from nephos.web.store import DatabaseStore
from nephos.web.summaries import known, mesh_summary_for

_KNOWN = {"rectangle", "circle", "drawn"}
_MOST_BOARDS = 20


def with_curves(plan: Plan, edit: EditValue) -> EditValue:
    """The edit that takes a piece, with the curves of a boundary that follows the models, as they are drawn by now; and
    one that lays models out only once their sizes are known."""
    if edit.do == "lay_out":
        _all_known(plan)
    words = edit.model_dump(exclude_unset=True)
    if edit.do != "take_piece" or words.get("curves") is not None:
        return edit
    key = str(words.get("boundary"))
    item = next((item for item in plan.boundaries if item.id == key), None)
    if item is not None and item.source in _KNOWN and item.setup is None and not item.combine and not item.offset:
        return edit
    setup = next((one for one in plan.setups if item is None or one.id == item.setup), plan.setups[0])
    kept = DatabaseStore().get(OutlineStage.of(plan, setup, key).key)
    if kept is None or "refused" in kept.facts:
        raise Refused("the boundary is not drawn yet: wait until it shows in the view, then try again")
    back = np.linalg.inv(setup.frame(plan.stock).matrix)
    if abs(abs(back[2, 2]) - 1) > 1e-9:
        raise Refused("this boundary is seen from another side: draw one from above")
    points = kept.arrays["points"] @ back[:2, :2].T + back[:2, 3]
    ends = [0, *kept.arrays["ends"].tolist()]
    curves = [points[a:b].tolist() for a, b in pairwise(ends)]
    return edit.__class__.model_validate(words | {"curves": curves})


def _all_known(plan: Plan) -> None:
    found = known(plan.models)
    if any(model.id not in found or found[model.id].state == "working" for model in plan.models):
        raise Refused("the pieces are still being cut out: try again in a moment")


def _is_piece(model: Model) -> bool:
    return "keep_inside" in {step.kind for step in model.steps}


def lay_on_boards(job_id: int, based_on: int, gap: float) -> list[int]:
    """Lay the pieces of a job out on its board, and make one more job for each board that the rest needs; returns the
    jobs in order."""
    plan = parse_plan(current_plan(Job.objects.get(pk=job_id)))
    _all_known(plan)
    pieces = [model.id for model in plan.models if _is_piece(model)] or [m.id for m in plan.models if m.shown]

    def on_board(ids: set[str]) -> Plan:
        models = tuple(model.model_copy(update={"shown": model.id in ids}) for model in plan.models)
        return apply_edit(plan.model_copy(update={"models": models}), mesh_summary_for, {"do": "lay_out", "gap": gap})

    boards: list[Plan] = []
    rest = set(pieces)
    while rest:
        if len(boards) == _MOST_BOARDS:
            raise Refused(f"more than {_MOST_BOARDS} boards are needed: take a larger board")
        board = on_board(rest)
        rest -= {model.id for model in board.models if model.shown}
        boards.append(board)
    with transaction.atomic():
        job = edit_plan(job_id, based_on, {"do": "lay_out", "gap": gap, "among": pieces}, "lay the pieces out")
        made = [job.pk]
        for number, board in enumerate(boards[1:], 2):
            made.append(create_job(f"{job.name}, board {number}", None, board).pk)
    return made
