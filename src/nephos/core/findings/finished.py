"""Findings on the finished block of a setup: what holds the part, and what is left on it."""

import numpy as np

from nephos.core.finding import Finding
from nephos.core.setups.registry import kind_of
from nephos.core.stages.compare import finest_operation
from nephos.core.stages.setup_outcome import SetupOutcome
from nephos.core.stages.setup_space import SetupSpace
from nephos.core.stock.thin import THIN, ThinPlaces, thin_places
from nephos.core.units import Say

SCRAP = 500.0
"""Pieces of less volume (mm^3) that come free are chips."""


def in_program(space: SetupSpace, x: float, y: float, number: Say) -> str:
    """A place of the orientation frame as the machine shows it."""
    return kind_of(space.setup).place_in_words(space, x, y, number)


_FEW = 5.0
"""Thin places of less area (mm^2) are none."""


def thin_findings(thin: ThinPlaces, row: str, mm: Say) -> list[Finding]:
    """Where the finished part is so thin that it may break."""
    if thin.area < _FEW:
        return []
    share = f"{100 * thin.share:.0f} %" if thin.share >= 0.01 else "less than 1 %"
    return [
        Finding(
            "thin",
            "caution",
            row,
            f"the finished part is thinner than {mm(THIN)} on {share} of its area, {mm(round(thin.least, 2))} at the "
            "thinnest place",
            "make the model thicker there, or let it lie higher in the stock; expect it to break otherwise",
            thin.place,
        )
    ]


def _thin_part(done: SetupOutcome, mm: Say) -> list[Finding]:
    """Thin places of a part that this setup alone cuts."""
    if done.space.plan.faces is not None or done.block.has_gaps or not done.space.setup.is_last:
        return []
    c, sorting = done.comparison, done.proof.sorting
    rows, columns = done.block.grid.window((c.grid.x0, c.grid.y0), (c.grid.xs[-1], c.grid.ys[-1]))
    part = np.zeros(sorting.shape, np.bool_)
    part[rows, columns] = np.isfinite(c.deviation)
    thin = thin_places(done.block, part & (sorting == 1) if (sorting == 1).any() else part)
    if thin is None:
        return []
    return thin_findings(thin, str(finest_operation([outcome.operation for outcome in done.outcomes]).number), mm)


def holding_findings(done: SetupOutcome, starts: dict[int, float], mm: Say, number: Say) -> list[Finding]:
    """Pieces that came free, and tabs that are not there or hang on nothing."""
    found = []
    seconds = {outcome.operation.number: outcome.total_seconds for outcome in done.outcomes}
    for piece in done.proof.pieces:
        if piece.freed_by is None or (piece.volume < SCRAP and not piece.is_part):
            continue
        when = starts[piece.freed_by] + (piece.freed or 1.0) * seconds[piece.freed_by]
        size = " x ".join(mm(high - low) for high, low in zip(piece.high[:2], piece.low[:2], strict=True))
        row = str(piece.freed_by)
        if piece.is_part:
            found.append(
                Finding(
                    "part-free",
                    "stop",
                    row,
                    "the part comes free before the program ends, and nothing holds it",
                    "add tabs or leave an onion skin",
                    piece.place,
                    when,
                )
            )
        else:
            found.append(
                Finding(
                    "scrap-free",
                    "caution",
                    row,
                    f"a piece of waste of {size} comes free and may be thrown by the cutter",
                    "give holes tabs, leave an onion skin, or cut it away in a pocket",
                    piece.place,
                    when,
                )
            )
    grid, block = done.block.grid, done.block
    tops, foot = block.top, float(done.space.stock_low[2])

    def height(spot: tuple[float, float]) -> float:
        i, j = round((spot[0] - grid.x0) / grid.pitch), round((spot[1] - grid.y0) / grid.pitch)
        return float(tops[j, i]) - foot if 0 <= i < grid.nx and 0 <= j < grid.ny else 0.0

    gone = [tab for tab in done.tabs if height(tab.middle) < min(0.5 * tab.height, tab.height - 2 * grid.pitch)]
    if gone:
        x, y = gone[0].middle
        others = [str(o.operation.number) for o in done.outcomes if o.operation.number > gone[0].operation]
        by = f" by operation {' or '.join(others)}" if others else ""
        found.append(
            Finding(
                "tab-gone",
                "stop",
                str(gone[0].operation),
                f"{len(gone)} of {sum(t.operation == gone[0].operation for t in done.tabs)} tabs are cut away{by}, "
                f"one at {in_program(done.space, x, y, number)}",
                "move the tab, or keep the other operation off it",
                (x, y, foot + gone[0].height),
            )
        )
    hanging = [tab for tab in done.tabs if tab not in gone and height(tab.frame) <= 0.0]
    if hanging:
        x, y = hanging[0].middle
        found.append(
            Finding(
                "tab-on-nothing",
                "stop",
                str(hanging[0].operation),
                f"{len(hanging)} tabs hold on nothing, one at {in_program(done.space, x, y, number)}: beside it the "
                "stock is gone or ends",
                "move the tab to where there is a frame, or take larger stock",
                (x, y, foot + hanging[0].height),
            )
        )
    return found + _missing_tabs(done) + _thin_part(done, mm)


def _missing_tabs(done: SetupOutcome) -> list[Finding]:
    """Cut-outs that found room for fewer tabs than they ask for."""
    found = []
    for outcome in done.outcomes:
        held, number = outcome.operation.settings.held, outcome.operation.number
        if held is None or held.skin > 0 or done.space.setup.own_area is not None:
            continue
        placed = sum(tab.operation == number for tab in done.tabs)
        if placed < held.tab_count and held.side != "inside":
            found.append(
                Finding(
                    "tabs-missing",
                    "caution",
                    str(number),
                    f"only {placed} of {held.tab_count} tabs found room on the outline",
                    "make them shorter, or place them by hand where part and frame hold them",
                )
            )
    return found


def _ball_in_words(balls: tuple[tuple[float, float], ...], mm: Say) -> str:
    """Which ball would get into the corners: the largest that reaches most of it, or the best there is."""
    if not balls:
        return "finish with a smaller cutter, or sand them"
    diameter, share = next((pair for pair in balls if pair[1] >= 0.8), max(balls, key=lambda pair: pair[1]))
    if share < 0.05:
        return "no ball gets into them: sand them, or carve them by hand"
    return f"a ball of {mm(diameter)} would reach {100 * share:.0f} % of them; finish with one, or sand them"


def true_in_words(numbers: dict[str, float], mm: Say) -> str:
    """How much of the area is true to the model, and within what, as Compare shows it."""
    return f"{100 * numbers.get('within_tolerance', 0.0):.0f} % of the area is within {mm(numbers.get('limit', 0.0))}"


def trueness_findings(done: SetupOutcome, mm: Say) -> list[Finding]:
    """What is left. It concerns the operation that decides what could be reached."""
    numbers, found = done.comparison.numbers(), []
    row = str(finest_operation([outcome.operation for outcome in done.outcomes]).number)
    worst = done.proof.worst
    within = true_in_words(numbers, mm)
    if numbers.get("could_reach", 0.0) > 0.05:
        place = next((item.place for item in worst if item.deviation > 0 and item.reachable), None)
        found.append(
            Finding(
                "left-over",
                "note",
                row,
                f"{within}; on {100 * numbers['could_reach']:.0f} % more is left where a cutter of this job could "
                "still reach",
                "make the stepover smaller",
                place,
            )
        )
    if done.proof.walls > 0.02:
        found.append(
            Finding(
                "steps-on-walls",
                "note",
                row,
                f"steep walls, {100 * done.proof.walls:.0f} % of the area, keep steps from the lines",
                "add a finishing in levels for what is steeper than 60°",
            )
        )
    if numbers.get("unreachable", 0.0) > 0.02:
        place = next((item.place for item in worst if item.deviation > 0 and not item.reachable), None)
        found.append(
            Finding(
                "unreachable",
                "note",
                row,
                f"{within}; on {100 * numbers['unreachable']:.0f} % more is left in corners that no cutter here "
                "reaches, up "
                f"to {mm(numbers['leftover_max_unreachable'])}",
                _ball_in_words(done.proof.balls, mm),
                place,
            )
        )
    return found
