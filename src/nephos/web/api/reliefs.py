"""Built-up reliefs: coarse previews that follow a hand, and sections."""

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from nephos.core.cutters import Cutter
from nephos.core.errors import Refused
from nephos.core.plan.schema import parse_plan
from nephos.core.relief.composition import Composition
from nephos.core.relief.forms import forms
from nephos.core.relief.lettering import FONTS
from nephos.web import reliefs
from nephos.web.forms import FieldForm
from nephos.web.jobs import current_plan
from nephos.web.models import Job

router = Router(tags=["reliefs"])


class PreviewWanted(Schema):
    """A relief of a job, as it is being changed."""

    model: str
    composition: Composition


class SectionWanted(Schema):
    """A section through a relief on its plan, and the cutter that is to be judged in it."""

    composition: Composition
    start: tuple[float, float]
    end: tuple[float, float]
    cutter: Cutter | None = None


class ReachWanted(Schema):
    """A relief, and the cutter that is to be judged on all of it."""

    composition: Composition
    cutter: Cutter


class ReliefSection(Schema):
    """Heights along a section, the piece that made each, and what the cutter leaves."""

    along: list[float]
    height: list[float]
    piece: list[str | None]
    made: list[float] | None
    left: float | None
    left_at: float | None
    fits: bool | None


@router.post("/jobs/{int:job_id}/preview")
def preview(request: HttpRequest, job_id: int, body: PreviewWanted) -> HttpResponse:
    """The coarse surface of a relief, as binary: see web/reliefs.py."""
    plan = parse_plan(current_plan(get_object_or_404(Job, pk=job_id)))
    model = next((item for item in plan.models if item.id == body.model and item.composition is not None), None)
    if model is None:
        raise Refused("that relief is no longer in the job")
    data = reliefs.preview_bytes(plan, model, body.composition)
    return HttpResponse(data, content_type="application/octet-stream")


@router.post("/section", response=ReliefSection)
def section(request: HttpRequest, body: SectionWanted) -> dict[str, Any]:
    """A section through a relief."""
    return reliefs.section(body.composition, body.start, body.end, body.cutter)


@router.post("/reach")
def reach(request: HttpRequest, body: ReachWanted) -> HttpResponse:
    """What a cutter leaves of a whole relief, as binary: see web/reliefs.py."""
    return HttpResponse(reliefs.reach_bytes(body.composition, body.cutter), content_type="application/octet-stream")


class KindOf(Schema):
    """A kind of source or shape: its title, and its fields."""

    title: str
    fields: dict[str, FieldForm]


class Forms(Schema):
    """What can be chosen for a piece."""

    sources: dict[str, KindOf]
    shapes: dict[str, KindOf]
    combine: dict[str, str]
    fonts: dict[str, str]


@router.get("/forms", response=Forms)
def piece_forms(request: HttpRequest) -> dict[str, Any]:
    """What can be chosen and entered for a piece."""
    return forms() | {"fonts": FONTS}
