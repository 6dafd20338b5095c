"""Lettering: the outlines of lines of text in a font that ships with Nephos."""

from dataclasses import dataclass
from functools import cache
from math import pi
from pathlib import Path
from threading import RLock

import numpy as np
import shapely
import uharfbuzz
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont

from nephos.core.arrays import F64
from nephos.core.errors import Refused
from nephos.core.relief.sources import Lettering

__all__ = ["FONTS", "lettering_area"]

FONTS = {"alegreya-bold": "Alegreya Bold, serif", "instrument-sans-semibold": "Instrument Sans, sans serif"}
"""The fonts that ship, by key. Both are under the SIL Open Font License."""
_FOLDER = Path(__file__).parent / "fonts"


_FONTS: dict[str, tuple[TTFont, uharfbuzz.Font]] = {}
_USING = RLock()
"""Held while a font is loaded, drawn from or shaped with: the library reads tables and glyphs when they are first asked
for, and threads that ask at one time get half of them."""


def _font(key: str) -> tuple[TTFont, uharfbuzz.Font]:
    if key not in FONTS:
        raise Refused(f"there is no font '{key}': use one of {', '.join(FONTS)}")
    with _USING:
        if key not in _FONTS:
            path = _FOLDER / f"{key}.ttf"
            font = TTFont(path, lazy=False)
            font.ensureDecompiled()
            _FONTS[key] = font, uharfbuzz.Font(uharfbuzz.Face(uharfbuzz.Blob.from_file_path(str(path))))
        return _FONTS[key]


def _quadratic(a: F64, b: F64, c: F64, chord: float) -> F64:
    """Points of a quadratic curve behind its first one, its chords within `chord` of it."""
    bend = float(np.hypot(*(a - 2 * b + c))) / 4
    n = max(2, int(np.ceil((bend / max(chord, 1e-9)) ** 0.5)) + 1)
    t = np.linspace(0, 1, n + 1)[1:, None]
    points: F64 = (1 - t) ** 2 * a + 2 * t * (1 - t) * b + t**2 * c
    return points


@cache
def _glyph(key: str, name: str, chord: float) -> tuple[F64, ...]:
    """The contours of a glyph in font units."""
    font, _ = _font(key)
    with _USING:
        pen = DecomposingRecordingPen(font.getGlyphSet())
        font.getGlyphSet()[name].draw(pen)
    contours: list[F64] = []
    run: list[F64] = []
    for word, points in pen.value:
        places = [np.array(p, np.float64) for p in points if p is not None]
        if word == "moveTo":
            run = [places[0][None]]
        elif word == "lineTo":
            run.append(places[0][None])
        elif word == "qCurveTo":
            # Points between two controls lie half-way.
            start = run[-1][-1]
            controls, end = places[:-1], places[-1]
            for k, control in enumerate(controls):
                to = end if k == len(controls) - 1 else (control + controls[k + 1]) / 2
                run.append(_quadratic(start, control, to, chord))
                start = to
        elif run:
            contours.append(np.concatenate(run))
            run = []
    return tuple(contours)


def _filled(contours: list[F64]) -> shapely.Geometry:
    """What contours fill: those that turn right are filled, those that turn left are holes."""
    rings = [c for c in contours if len(c) > 2]
    turns = [float((c[:, 0] * np.roll(c[:, 1], -1) - np.roll(c[:, 0], -1) * c[:, 1]).sum()) for c in rings]
    solid = shapely.union_all(
        [shapely.make_valid(shapely.Polygon(c)) for c, turn in zip(rings, turns, strict=True) if turn < 0]
    )
    holes = shapely.union_all(
        [shapely.make_valid(shapely.Polygon(c)) for c, turn in zip(rings, turns, strict=True) if turn > 0]
    )
    return shapely.difference(solid, holes)


@dataclass(frozen=True)
class _Line:
    """A line of text, shaped: the contours of each letter (mm) and how wide it is with the gap behind it, and the
    length of all."""

    letters: tuple[tuple[list[F64], float], ...]
    length: float


def _shaped(text: str, words: Lettering, chord: float) -> _Line:
    if not text:
        return _Line((), 0.0)
    font, shaper = _font(words.font)
    capital = float(getattr(font["OS/2"], "sCapHeight", 0) or 0.7 * font["head"].unitsPerEm)
    scale = words.size / capital
    buffer = uharfbuzz.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    with _USING:
        uharfbuzz.shape(shaper, buffer, {"kern": True, "liga": False})
    gap = words.spacing * words.size
    letters = []
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        shift = np.array([place.x_offset * scale, place.y_offset * scale])
        contours = [c * scale + shift for c in _glyph(words.font, font.getGlyphName(info.codepoint), chord / scale)]
        letters.append((contours, place.x_advance * scale + gap))
    return _Line(tuple(letters), sum(width for _, width in letters) - gap)


def lettering_area(words: Lettering, chord: float) -> shapely.Geometry:
    """What lines of text cover, in millimetres; curves within `chord` of the font's.

    Raises
    ------
    Refused
        Where the font has no such letter, or the circle is too small for a line.
    """
    font, _ = _font(words.font)
    missing = [c for c in words.text if c != "\n" and ord(c) not in font.getBestCmap()]
    if missing:
        raise Refused(f"the font {FONTS[words.font]} has no letter '{missing[0]}': choose another font or letter")
    lines = [_shaped(text, words, chord) for text in words.text.split("\n")]
    longest = max(line.length for line in lines)
    gap, step = words.spacing * words.size, words.leading * words.size
    parts = []
    for k, line in enumerate(lines):
        # How far the line lies over the last one.
        over = (len(lines) - 1 - k) * step
        radius = words.radius + over if words.radius else 0.0
        _check_circle(words.radius, radius, line.length)
        start = {"left": -longest / 2, "centre": -line.length / 2, "right": longest / 2 - line.length}
        x = start["centre" if words.radius else words.lines]
        foot = over - (len(lines) - 1) * step / 2 - words.size / 2
        for contours, width in line.letters:
            parts.append(_filled([_on_line(c, x, width - gap, radius, foot) for c in contours]))
            x += width
    area = shapely.union_all(parts)
    if area.is_empty:
        raise Refused("the text has no letters: type some")
    return area


def _check_circle(circle: float, radius: float, length: float) -> None:
    """Refuse a line that does not go on its circle, which is `radius` large of the `circle` asked for."""
    if radius * circle < 0 or (circle and radius == 0.0):
        raise Refused("the lines reach past the middle of the circle: make the letters smaller, or the circle larger")
    if radius and length > 2 * pi * abs(radius):
        raise Refused(
            f"the line is {length:.1f} mm long, more than once round a circle of {abs(radius):g} mm radius: "
            "make the letters smaller, or the circle larger"
        )


def _on_line(contour: F64, x: float, width: float, radius: float, foot: float) -> F64:
    """A contour of a letter that starts at x of the line, on the straight at the height `foot`, or upright on its
    circle."""
    if not radius:
        return contour + np.array([x, foot])
    angle = -(x + width / 2) / radius
    c, s = np.cos(angle), np.sin(angle)
    own = contour + np.array([-width / 2, radius])
    turned: F64 = own @ np.array([[c, s], [-s, c]])
    return turned
