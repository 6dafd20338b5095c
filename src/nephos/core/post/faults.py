"""What a program does that may be followed but not verified, or that no careful program does: spindle, tools, lengths,
offsets, states that it leaves to chance."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from nephos.core.arrays import F64
from nephos.core.cutters import Cutter
from nephos.core.machine.machine import Machine
from nephos.core.post.interpret import (
    CHANGE,
    COOLANT,
    DISTANCE,
    DWELL,
    END,
    FEED_MODE,
    LENGTH,
    MACHINE_Z,
    OFFSET,
    PATH,
    PAUSE,
    SKIPPED,
    SPINDLE,
    TOOL,
    UNIT,
)
from nephos.core.post.known_words import G_WORDS
from nephos.core.post.lex import Words, words_of
from nephos.core.post.read import Reading
from nephos.core.post.text import active_comment

_NEAR_TOP = 10.0
"""Below this height (mm) under the machine's own zero a Z in machine coordinates may meet the stock."""
_CORNER, _LOOSE = 0.05, 0.1
"""A corner tolerance (mm, G64 P) over the first is a caution, over the second a stop."""
_SPEED_RATIO = 2.0
"""A spindle speed further than this from the cutter's own, either way, is worth a look."""
_FEED_RATIO = 3.0
"""Likewise a feed over this many times the cutter's own."""
_LONG_DWELL = 60.0


@dataclass(frozen=True)
class Fault:
    """What is wrong with a program: a finding without the row of a sheet. `line` is from 1, `move` the first it is
    about."""

    code: str
    level: Literal["stop", "caution", "note"]
    text: str
    advice: str
    line: int
    move: int


@dataclass(frozen=True)
class Shop:
    """What a program from elsewhere is held against: the shop's cutters by number, the machine, and the work offset
    that the files of the job use (54 is G54)."""

    cutters: Mapping[int, Cutter] = field(default_factory=dict)
    machine: Machine | None = None
    offset: float | None = None


@dataclass(frozen=True)
class _Program:
    """A program as the checks see it."""

    reading: Reading
    words: Words
    text: bytes
    shop: Shop

    def events(self, *kinds: int) -> F64:
        """(m, 4) the events of these kinds, in order."""
        found: F64 = self.reading.events[np.isin(self.reading.events[:, 0], kinds)]
        return found

    @property
    def feeding(self) -> np.ndarray:
        """(n,) numbers of the feed moves."""
        return np.flatnonzero(self.reading.rapid == 0)

    def line(self, move: int) -> int:
        """The line of a move; the last one for a move after the end."""
        lines = self.reading.lines
        return int(lines[min(move, len(lines) - 1)]) if len(lines) else 1

    def feeds_after(self, move: float) -> bool:
        """Whether any feed move comes at or after a move."""
        return bool(len(self.feeding)) and self.feeding[-1] >= move


def _at(code: str, level: Literal["stop", "caution", "note"], event: F64, text: str, advice: str) -> Fault:
    """A fault at an event; `text` has the line as {line}."""
    line = int(event[2])
    return Fault(code, level, text.format(line=line), advice, line, int(event[3]))


def _spindle(p: _Program) -> list[Fault]:
    """Cutting while the spindle stands; a program that never starts it may be for one that is switched by hand."""
    feeding, turns = p.feeding, p.events(SPINDLE)
    if not len(feeding):
        return []
    first = int(feeding[0])
    if not (turns[:, 1] != 5).any():
        text = "the program never starts the spindle"
        advice = "start it by hand before the program, or add M3 with a speed"
        return [Fault("spindle-by-hand", "caution", text, advice, p.line(first), first)]
    found = []
    backwards = turns[turns[:, 1] == 4]
    if len(backwards):
        text = "line {line} turns the spindle counterclockwise (M4): cutters of this shop cut clockwise"
        found.append(_at("spindle-backwards", "stop", backwards[0], text, "write M3"))
    # What is in force at each move: the last event before it.
    at = np.searchsorted(turns[:, 3], feeding, side="right") - 1
    off = feeding[(at < 0) | (turns[np.maximum(at, 0), 1] == 5)]
    if len(off):
        line, move = p.line(int(off[0])), int(off[0])
        text, advice = f"line {line} cuts with the spindle off", "start the spindle before it"
        return [*found, Fault("spindle-off", "stop", text, advice, line, move)]
    still = feeding[p.reading.speeds[feeding] <= 0]
    if len(still):
        line, move = p.line(int(still[0])), int(still[0])
        text = f"line {line} cuts at no speed: no S word was given"
        found.append(Fault("spindle-speed", "caution", text, "give the speed with an S word", line, move))
    if turns[-1, 1] != 5:
        text = "the spindle, started in line {line}, is not switched off at the end"
        found.append(_at("spindle-left-on", "note", turns[-1], text, "end the program with M5"))
    return found + _without_wait(p, turns)


def _without_wait(p: _Program, turns: F64) -> list[Fault]:
    """Feed moves before the spindle had time to reach its speed."""
    dwells = p.events(DWELL)
    started = turns[turns[:, 1] != 5][0]
    first = p.feeding[p.feeding >= started[3]]
    waits = dwells[(dwells[:, 2] >= started[2]) & (dwells[:, 3] <= (first[0] if len(first) else np.inf))]
    if not len(first) or len(waits):
        return []
    text = "after the spindle is started in line {line} nothing waits until it is up to speed"
    return [_at("spindle-no-wait", "note", started, text, "add a dwell (G4) after M3, or watch the start")]


def _speeds(p: _Program) -> list[Fault]:
    """Speeds and feeds that the machine cannot do, or that are far from those of the cutter."""
    reading, machine, found = p.reading, p.shop.machine, []
    feeding = p.feeding
    speeds, tools = reading.speeds[feeding], reading.tools[feeding]
    if machine is not None and (speeds > machine.spindle_limit).any():
        move = int(feeding[(speeds > machine.spindle_limit).argmax()])
        text = (
            f"line {p.line(move)} cuts at {reading.speeds[move]:g} rpm, more than the spindle of the {machine.name} "
            f"can do ({machine.spindle_limit:g})"
        )
        found.append(Fault("spindle-beyond", "caution", text, "lower the speed", p.line(move), move))
    for number, cutter in p.shop.cutters.items():
        mine = feeding[(tools == number) & (speeds > 0)]
        ratio = reading.speeds[mine] / cutter.spindle
        odd = mine[(ratio > _SPEED_RATIO) | (ratio < 1 / _SPEED_RATIO)]
        fast = mine[(reading.feeds[mine] > _FEED_RATIO * cutter.feed) & (reading.inverse[mine] == 0)]
        for code, moves, values, unit, own, word in (
            ("speed-unusual", odd, reading.speeds, "rpm", cutter.spindle, "S"),
            ("feed-unusual", fast, reading.feeds, "mm/min", cutter.feed, "F"),
        ):
            if len(moves):
                move = int(moves[0])
                text = (
                    f"line {p.line(move)} has {values[move]:.0f} {unit}; the list of cutters has {own:g} for "
                    f"'{cutter.name}'"
                )
                found.append(Fault(code, "caution", text, f"check the {word} word", p.line(move), move))
    if machine is not None:
        most = max(machine.feed_limit)
        over = feeding[(reading.feeds[feeding] > most * 1.001) & (reading.inverse[feeding] == 0)]
        if len(over):
            move = int(over[0])
            text = (
                f"line {p.line(move)} asks for {reading.feeds[move]:.0f} mm/min, more than the {machine.name} can do "
                f"({most:g})"
            )
            found.append(Fault("feed-beyond", "caution", text, "lower the feed", p.line(move), move))
    return found


_STATES: tuple[tuple[str, str, str, Literal["caution", "note"]], ...] = (
    ("unit", "unit", "G20 or G21", "caution"),
    ("distance", "kind of distance", "G90 or G91", "caution"),
    ("offset", "work offset", "G54", "caution"),
    ("feed mode", "feed mode", "G94", "caution"),
    ("length", "state of the tool length offset", "G43 or G49", "caution"),
    ("compensation", "state of the radius compensation", "G40", "note"),
    ("plane", "plane", "G17", "note"),
)
"""States that a controller keeps from the program before: the group of their words, what they are called, the words to
write, and how much it matters."""


def _left_to_chance(p: _Program) -> list[Fault]:
    """States that are not set before the first move, so that the controller takes what it was left with; and a unit
    that changes after it."""
    first = p.line(0)
    before = p.words.only((p.words.letters == ord("G")) & (p.words.lines <= first))
    groups = {G_WORDS[value].group for value in before.values.tolist() if value in G_WORDS}
    found = []
    missing = [(name, words, level) for group, name, words, level in _STATES if group not in groups]
    if missing:
        listed = ", ".join(name for name, _, _ in missing)
        level: Literal["caution", "note"] = "caution" if any(item[2] == "caution" for item in missing) else "note"
        text = f"not given before the first move: {listed}; the controller takes what it was left with"
        advice = f"begin the program with {', '.join(words for _, words, _ in missing)}"
        found.append(Fault("states-missing", level, text, advice, first, 0))
    units = p.events(UNIT)
    later = units[1:][(units[1:, 1] != units[:-1, 1]) & (units[1:, 3] > 0)] if len(units) else units
    if len(later):
        text = "the unit changes in line {line}, in the middle of the program"
        found.append(_at("unit-change", "caution", later[0], text, "write the program in one unit"))
    kinds = p.events(DISTANCE)
    if len(kinds) and kinds[0, 1] == 91 and kinds[0, 3] == 0 and not (kinds[kinds[:, 3] == 0, 1] == 90).any():
        text = (
            "the program begins with incremental distances (G91, line {line}): where it cuts depends on where it starts"
        )
        found.append(_at("distance-incremental", "caution", kinds[0], text, "begin the program with G90"))
    return found


def _offsets(p: _Program) -> list[Fault]:
    """Another work offset than the files of the job use."""
    used = p.events(OFFSET)
    other = used[used[:, 1] != p.shop.offset] if p.shop.offset is not None else used[:0]
    if not len(other):
        return []
    text = f"line {{line}} takes the work offset G{other[0, 1]:g}; the files of this job use G{p.shop.offset:g}"
    return [_at("offset-other", "caution", other[0], text, "touch off that offset, or change the word")]


def _tools(p: _Program) -> list[Fault]:
    """Tools that are selected and never put in, or put in and never selected."""
    selects, changes, pauses, found = p.events(TOOL), p.events(CHANGE), p.events(PAUSE), []
    for k, event in enumerate(selects):
        until = selects[k + 1, 2] if k + 1 < len(selects) else np.inf
        feeds = p.reading.lines[p.feeding]
        next_feed = feeds[feeds > event[2]]
        by = min(until, next_feed[0] if len(next_feed) else np.inf)
        changed = any(((other[:, 2] >= event[2]) & (other[:, 2] <= by)).any() for other in (changes, pauses))
        again = k > 0 and event[1] == selects[k - 1, 1]
        if changed or again or not len(next_feed):
            continue
        if len(changes) or k > 0:
            text = (
                f"line {{line}} selects tool {event[1]:g}, but no tool change (M6) puts it in before the cutter feeds"
            )
            found.append(_at("tool-not-changed", "stop", event, text, f"write T{event[1]:g} M6"))
        else:
            text = f"line {{line}} selects tool {event[1]:g}, but the program has no tool change (M6)"
            found.append(_at("tool-by-hand", "note", event, text, "put it in before the program is started"))
        break
    if len(changes) and changes[0, 1] == 0:
        text = "line {line} changes the tool (M6), but no T word says to which"
        found.append(_at("tool-unnamed", "caution", changes[0], text, "write the T word before M6"))
    again = [k for k in range(1, len(changes)) if changes[k, 1] == changes[k - 1, 1]]
    if again:
        text = f"line {{line}} changes to tool {changes[again[0], 1]:g}, which is in the spindle already"
        found.append(_at("tool-change-again", "note", changes[again[0]], text, "write the T word of the next tool"))
    if not len(selects) and not len(changes) and len(p.feeding):
        text = "the program names no tool"
        found.append(Fault("tool-missing", "note", text, "check which cutter is in the spindle", p.line(0), 0))
    return found


def _lengths(p: _Program) -> list[Fault]:
    """A tool length offset of another tool than the one in the spindle, or one that is taken off before it cuts."""
    events, reading = p.events(LENGTH), p.reading
    held = False
    for k, (_, value, line, move) in enumerate(events):
        at = min(int(move), len(reading.tools) - 1)
        tool = int(reading.tools[at]) if at >= 0 else 0
        until = events[k + 1, 3] if k + 1 < len(events) else np.inf
        cuts = bool(((p.feeding >= move) & (p.feeding < until)).any())
        if value >= 0 and tool > 0 and int(value) != tool:
            text = f"line {int(line)} takes the length of tool {int(value)} while tool {tool} is in the spindle"
            return [Fault("length-offset", "stop", text, f"call G43 H{tool}", int(line), int(move))]
        if value < 0 and _is_g43(p, int(line)):
            text = f"line {int(line)} takes a tool length offset (G43), but no H word says which"
            return [Fault("length-offset", "caution", text, "add the H word of the tool", int(line), int(move))]
        if value < 0 and held and cuts:
            text = f"line {int(line)} takes the tool length offset off (G49), and the cutter feeds after it"
            return [Fault("length-dropped", "stop", text, "take G49 out, or call G43 again", int(line), int(move))]
        held = held or value >= 0
    return [] if not held else _changed_without_length(p, events)


def _is_g43(p: _Program, line: int) -> bool:
    mine = p.words.only(p.words.lines == line)
    return bool(((mine.letters == ord("G")) & (mine.values == 43.0)).any())


def _changed_without_length(p: _Program, events: F64) -> list[Fault]:
    """In a program with length offsets, feed moves of a tool whose length was never taken."""
    taken = events[events[:, 1] >= 0]
    at = np.searchsorted(taken[:, 3], p.feeding, side="right") - 1
    tools = p.reading.tools[p.feeding]
    wrong = p.feeding[(at < 0) | ((tools > 0) & (taken[np.maximum(at, 0), 1] != tools))]
    if not len(wrong):
        return []
    move = int(wrong[0])
    text = f"line {p.line(move)} cuts with tool {int(p.reading.tools[move])}, but its length was not taken (G43)"
    return [Fault("length-offset", "stop", text, "call G43 with its H word before it cuts", p.line(move), move)]


def _path_mode(p: _Program) -> list[Fault]:
    """Corners that the controller may round by more than any finish allows."""
    for event in p.events(PATH):
        if np.isnan(event[1]):
            text = "line {line} lets the controller round corners without a limit (G64 without P)"
            return [_at("corner-tolerance", "caution", event, text, "give the corner tolerance, such as G64 P0.02")]
        if event[1] > _CORNER:
            text = f"line {{line}} lets the controller round corners by {event[1]:g} mm (G64 P)"
            level: Literal["stop", "caution"] = "stop" if event[1] > _LOOSE else "caution"
            return [_at("corner-tolerance", level, event, text, "give a smaller corner tolerance, such as P0.02")]
    return []


def _machine_coordinates(p: _Program) -> list[Fault]:
    """Moves down in machine coordinates: where that is over the stock is not known."""
    low = p.events(MACHINE_Z)
    low = low[low[:, 1] < -_NEAR_TOP]
    if not len(low):
        return []
    text = f"line {{line}} goes to Z{low[0, 1]:g} in machine coordinates: where that is over the stock is not known"
    return [_at("machine-z", "stop", low[0], text, "retract with G53 G0 Z0 or G91 G28 Z0")]


def _stops_and_ends(p: _Program) -> list[Fault]:
    """Pauses, switched-off overrides, coolant, long dwells, and a program that does not end."""
    found = []
    pauses = p.events(PAUSE)
    if len(pauses):
        text = f"line {{line}} pauses the program (M{pauses[0, 1]:g})" + (
            f", and {len(pauses) - 1} more lines do" if len(pauses) > 1 else ""
        )
        found.append(_at("pauses", "note", pauses[0], text, "stay at the machine, or take the pause out"))
    off = p.words.only((p.words.letters == ord("M")) & (p.words.values == 49.0))
    if len(off):
        line = int(off.lines[0])
        text = f"line {line} switches the overrides of feed and speed off (M49)"
        found.append(Fault("overrides-off", "caution", text, "take M49 out", line, 0))
    coolant = p.events(COOLANT)
    if (coolant[:, 1] != 9).any():
        first = coolant[coolant[:, 1] != 9][0]
        kind = "mist" if first[1] == 7 else "flood"
        left = "" if coolant[-1, 1] == 9 else ", and it is not switched off at the end"
        text = f"line {{line}} switches {kind} coolant on{left}"
        found.append(_at("coolant", "note", first, text, "keep wood dry: take it out where it is not wanted"))
    dwells = p.events(DWELL)
    odd = dwells[~((dwells[:, 1] >= 0) & (dwells[:, 1] <= _LONG_DWELL))]
    if len(odd):
        told = "does not say how long" if np.isnan(odd[0, 1]) else f"waits {odd[0, 1]:g} s"
        found.append(_at("dwell", "caution", odd[0], f"the dwell (G4) in line {{line}} {told}", "check its P word"))
    modes = p.events(FEED_MODE)
    if len(modes) and modes[-1, 1] == 93:
        text = "the program leaves the controller in inverse time (G93, line {line})"
        found.append(_at("feed-mode-left", "note", modes[-1], text, "end the program with G94"))
    if not len(p.events(END)):
        text = "the program has no end (M2 or M30): some controllers begin it again, or wait"
        found.append(Fault("no-end", "caution", text, "end the program with M30", p.line(len(p.reading.lines) - 1), 0))
    return found


def _skipped(p: _Program) -> list[Fault]:
    """Lines with a slash, which a controller may leave out."""
    lines = p.events(SKIPPED)
    if not len(lines):
        return []
    text = f"{len(lines)} lines begin with a slash, the first is line {{line}}: the controller may leave them out"
    return [_at("lines-skipped", "caution", lines[0], text, "take the slashes out; the proof cuts with these lines")]


def _comments(p: _Program) -> list[Fault]:
    """Comments that some controllers act on."""
    line = active_comment(p.text)
    if not line:
        return []
    text = f"line {line} holds a comment that is a command to some controllers"
    return [Fault("comment-active", "caution", text, "take the comment out", line, 0)]


_CHECKS: tuple[Callable[[_Program], list[Fault]], ...] = (
    _spindle,
    _speeds,
    _left_to_chance,
    _offsets,
    _tools,
    _lengths,
    _path_mode,
    _machine_coordinates,
    _stops_and_ends,
    _skipped,
    _comments,
)
"""All checks of a program. A new one is a function here."""


def program_faults(reading: Reading, text: bytes, shop: Shop | None = None) -> tuple[Fault, ...]:
    """All faults of a program that was read from a `text`, stops first. With a `shop` it is held against that, too."""
    words = words_of(text)
    control = words.only(np.isin(words.letters, np.frombuffer(b"GMTSHO", np.uint8)) & ~np.isnan(words.values))
    program = _Program(reading, control, text, shop or Shop())
    found = [fault for check in _CHECKS for fault in check(program)]
    return tuple(sorted(found, key=lambda fault: ("stop", "caution", "note").index(fault.level)))


def certified_fault(reading: Reading, text: bytes) -> str:
    """In words the first stop of a file of our own, which is not posted then; empty where there is none."""
    return next((fault.text for fault in program_faults(reading, text) if fault.level == "stop"), "")
