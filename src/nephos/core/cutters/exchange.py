"""Cutters out and in as CSV and JSON, both with one record a cutter."""

import csv
import io
import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, get_args

from pydantic import ValidationError

from nephos.core.cutters.cutter import Cutter, Shape
from nephos.core.errors import Refused

FORMAT = "nephos cutters 1"
_MOST = 1000
COLUMNS = (
    "number",
    "name",
    "group",
    "shape",
    "unit",
    "diameter",
    "corner_radius",
    "tip_diameter",
    "angle",
    "flute_length",
    "shank_diameter",
    "overall_length",
    "stickout",
    "holder",
    "flutes",
    "feed",
    "plunge_feed",
    "spindle",
    "ramp_limit",
)
_LENGTHS = {
    "diameter",
    "corner_radius",
    "tip_diameter",
    "flute_length",
    "shank_diameter",
    "overall_length",
    "stickout",
    "feed",
    "plunge_feed",
}
"""Columns that are in the unit of the record (feeds in that unit a minute)."""


def to_json(cutters: Iterable[Cutter]) -> str:
    """All cutters as one JSON document, in millimetres."""
    return json.dumps({"format": FORMAT, "cutters": [cutter.model_dump(mode="json") for cutter in cutters]}, indent=1)


def to_csv(cutters: Iterable[Cutter]) -> str:
    """All cutters as CSV with a header line, in millimetres. Steps of a holder stand as `diameter x length` with `+`
    between."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for cutter in cutters:
        row = cutter.model_dump()
        holder = " + ".join(f"{step.diameter:g} x {step.length:g}" for step in cutter.holder)
        writer.writerow({key: row.get(key) for key in COLUMNS} | {"unit": "mm", "holder": holder})
    return out.getvalue()


def _number(text: str, what: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise Refused(f"{what}: '{text[:30]}' is no number") from None


def _holder(text: str, scale: float) -> list[dict[str, float]]:
    steps = []
    for item in filter(None, (part.strip() for part in text.split("+"))):
        diameter, times, length = item.partition("x")
        if not times:
            raise Refused(f"holder: '{item[:30]}' is not of the form diameter x length")
        steps.append({"diameter": _number(diameter, "holder") * scale, "length": _number(length, "holder") * scale})
    return steps


def _record(row: Mapping[str, str | None]) -> dict[str, Any]:
    words = {key.strip().lower(): (value or "").strip() for key, value in row.items() if key}
    unit = words.pop("unit", "mm").lower() or "mm"
    if unit not in {"mm", "in", "inch"}:
        raise Refused(f"unit: '{unit[:20]}' is neither mm nor in")
    scale = 1.0 if unit == "mm" else 25.4
    found: dict[str, Any] = {}
    for key, value in words.items():
        if not value or key not in COLUMNS:
            continue
        if key in {"name", "group", "shape"}:
            found[key] = value.lower().replace(" ", "-") if key == "shape" else value
        elif key == "holder":
            found[key] = _holder(value, scale)
        else:
            found[key] = _number(value, key) * (scale if key in _LENGTHS else 1.0)
    return found


def _checked(record: Any, where: str) -> Cutter:
    try:
        return Cutter.model_validate(record)
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else ""
        if first["type"] == "missing":
            said = f"{field} is missing"
        elif field == "shape":
            said = f"shape: use one of {', '.join(get_args(Shape))}"
        else:
            said = f"{field}: {first['msg'].removeprefix('Value error, ')}".removeprefix(": ")
        raise Refused(f"{where}: {said}") from None


def _rows(rows: "csv.DictReader[str]", name: str) -> Iterator[dict[str, str]]:
    try:
        yield from rows
    except csv.Error as reason:
        raise Refused(
            f"{name} is not CSV that can be read ({reason}): save it again as CSV with one cutter a line"
        ) from None


def read_cutters(name: str, data: bytes) -> list[Cutter]:
    """All cutters of a CSV or JSON file; refuses the whole file, with the line, where one cannot be read."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Refused(f"{name} is not text in UTF-8: save it as CSV or JSON in UTF-8") from None
    if text.lstrip()[:1] in {"{", "["}:
        try:
            document = json.loads(text)
        except (ValueError, RecursionError):
            raise Refused(f"{name} is not JSON that can be read") from None
        records = document.get("cutters") if isinstance(document, dict) else document
        if not isinstance(records, list):
            raise Refused(f"{name} holds no list of cutters")
        found = [_checked(record, f"cutter {k + 1}") for k, record in enumerate(records[:_MOST])]
    else:
        header = text.partition("\n")[0]
        rows = csv.DictReader(io.StringIO(text), delimiter="," if header.count(",") >= header.count(";") else ";")
        try:
            names = {(key or "").strip().lower() for key in rows.fieldnames or ()}
        except csv.Error as reason:
            raise Refused(
                f"{name} is not CSV that can be read ({reason}): save it again as CSV with one cutter a line"
            ) from None
        if not {"number", "diameter"} <= names:
            raise Refused(
                f"{name} has no header line with at least number and diameter: use {', '.join(COLUMNS[:7])}, …"
            )
        found = []
        for line, row in enumerate(_rows(rows, name), 2):
            try:
                record = _record(row)
            except Refused as reason:
                raise Refused(f"line {line}: {reason}") from None
            found.append(_checked(record, f"line {line}"))
            if len(found) >= _MOST:
                break
    if not found:
        raise Refused(f"{name} holds no cutter")
    numbers = [cutter.number for cutter in found]
    twice = sorted({number for number in numbers if numbers.count(number) > 1})
    if twice:
        raise Refused(f"{name} has two cutters with the number {twice[0]}: give each its own")
    return found
