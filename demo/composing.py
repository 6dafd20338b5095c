"""How long reliefs of 20 pieces on 300 x 300 mm take: `python -m demo.composing`, after `./nephos` has set up."""

import json
import time
from typing import Any

from demo.reliefs import moth_figure
from nephos.core.mesh.model import Mesh
from nephos.core.mesh.picture import light_picture, picture_mesh
from nephos.core.relief.composition import Composition
from nephos.core.relief.preview import preview_of
from nephos.core.relief.surface import composed


def twenty_pieces() -> Composition:
    """A tray with a rim, beads, a rope, lettering, drops, rosettes and a moth."""
    square = {"kind": "rectangle", "width": 300.0, "length": 300.0, "radius": 12.0}
    ground = {"kind": "ground", "height": 0.0}
    pieces: list[dict[str, Any]] = [
        {"source": square, "height": 22.0, "shape": {"kind": "round", "radius": 4.0}},
        {
            "source": {"kind": "offset", "piece": "p1", "distance": -14.0},
            "height": 6.0,
            "combine": "subtract",
            "shape": {"kind": "slant", "angle": 70.0},
        },
        {"source": {"kind": "circle", "diameter": 190.0}, "height": 4.0, "shape": {"kind": "bevel", "width": 3.0}},
        {
            "source": {"kind": "circle", "diameter": 170.0},
            "height": 7.0,
            "combine": "subtract",
            "shape": {"kind": "slant", "angle": 65.0},
        },
        {
            "source": {"kind": "mesh", "mesh": "moth", "width": 110.0, "foot": 0.11},
            "height": 9.0,
            "combine": "higher",
            "base": {"kind": "plane", "height": 13.0},
        },
        {
            "source": {"kind": "circle", "diameter": 180.0},
            "height": 2.0,
            "combine": "higher",
            "base": ground,
            "shape": {"kind": "bead", "width": 4.5, "spacing": 1.2},
        },
        {
            "source": {"kind": "offset", "piece": "p1", "distance": -22.0},
            "height": 2.5,
            "combine": "higher",
            "base": ground,
            "shape": {"kind": "rope", "width": 6.0},
        },
        {
            "source": {"kind": "lettering", "text": "HARROW FEN", "size": 12.0, "radius": 108.0},
            "height": 2.0,
            "shape": {"kind": "slant", "angle": 60.0},
        },
        {
            "source": {"kind": "lettering", "text": "NATURE TRAIL", "size": 12.0, "radius": -108.0},
            "height": 2.0,
            "shape": {"kind": "slant", "angle": 60.0},
        },
    ]
    for k in range(4):
        x, y = (105.0, -105.0)[k % 2], (105.0, -105.0)[k // 2]
        pieces += [
            {"source": {"kind": "circle", "diameter": 28.0}, "at": (x, y), "height": 5.0, "shape": {"kind": "dome"}},
            {
                "source": {"kind": "ellipse", "width": 14.0, "length": 6.0},
                "at": (x + 9.0, y),
                "height": 2.0,
                "shape": {"kind": "dome"},
                "repeat": {"count": 8, "about": (x, y)},
            },
        ]
    pieces += [
        {
            "source": {"kind": "circle", "diameter": 60.0},
            "at": (0.0, -70.0),
            "combine": "smooth",
            "amount": 2.0,
            "fade": 8.0,
        },
        {
            "source": {"kind": "path", "vertices": [[-60.0, 118.0, 0.2], [60.0, 118.0, 0.0]]},
            "height": 1.5,
            "combine": "higher",
            "base": ground,
            "shape": {"kind": "section", "width": 5.0},
        },
        {"source": {"kind": "polygon", "sides": 6, "diameter": 16.0}, "at": (0.0, 128.0), "height": 2.0},
    ]
    numbered = [{"id": f"p{k + 1}", "name": f"piece {k + 1}"} | item for k, item in enumerate(pieces)]
    return Composition.model_validate({"pieces": numbered})


def plain_pieces() -> Composition:
    """A tray with a rounded rim, a field with a slanted wall, and 18 figures of all shapes in three ways of
    combining."""
    square = {"kind": "rectangle", "width": 300.0, "length": 300.0}
    pieces: list[dict[str, Any]] = [
        {"source": square, "height": 20.0, "shape": {"kind": "round", "radius": 3.0}},
        {
            "source": {"kind": "offset", "piece": "p1", "distance": -15.0},
            "height": 6.0,
            "combine": "subtract",
            "shape": {"kind": "slant", "angle": 70.0},
        },
    ]
    sources: list[dict[str, Any]] = [
        {"kind": "circle", "diameter": 34.0},
        {"kind": "rectangle", "width": 36.0, "length": 50.0, "radius": 4.0},
        {"kind": "polygon", "sides": 6, "diameter": 36.0},
        {"kind": "ellipse", "width": 36.0, "length": 60.0},
        {"kind": "lettering", "text": "FEN", "size": 10.0},
    ]
    shapes: list[dict[str, Any]] = [
        {"kind": "flat"},
        {"kind": "slant", "angle": 60.0},
        {"kind": "dome"},
        {"kind": "round", "radius": 1.5},
        {"kind": "bevel", "width": 2.0},
    ]
    pieces = [
        {
            "source": sources[k % 5],
            "height": 3.0,
            "shape": shapes[(2 * k + k // 5) % 5],
            "at": (42.0 * (k % 6) - 105, 80.0 * (k // 6) - 80),
            "combine": ("add", "higher", "subtract")[k % 3],
            "base": {"kind": "ground" if k % 3 == 1 else "plane", "height": 0.0},
        }
        for k in range(18)
    ]
    return Composition.model_validate(
        {"pieces": [piece | {"id": f"p{k + 1}", "name": f"piece {k + 1}"} for k, piece in enumerate(pieces)]}
    )


def measured(relief: Composition, moth: Mesh) -> dict[str, float]:
    """Seconds to compose it whole, again with one piece changed, and as previews with a number that is dragged."""
    light = Mesh(*light_picture(*picture_mesh(moth)))
    begin = time.perf_counter()
    mesh = composed(relief, lambda _: moth)
    first = time.perf_counter() - begin
    pieces = list(relief.pieces)

    def dragged(height: float) -> Composition:
        changed = pieces[9].model_copy(update={"height": height})
        return relief.model_copy(update={"pieces": (*pieces[:9], changed, *pieces[10:])})

    begin = time.perf_counter()
    composed(dragged(4.5), lambda _: moth)
    again = time.perf_counter() - begin
    preview_of(relief, lambda _: light)
    times = []
    for k in range(8):
        begin = time.perf_counter()
        coarse = preview_of(dragged(3.0 + 0.1 * k), lambda _: light)
        times.append(time.perf_counter() - begin)
    return {
        "pieces": len(pieces),
        "triangles": len(mesh.faces),
        "seconds": round(first, 2),
        "one changed": round(again, 2),
        "preview": round(sorted(times)[4], 3),
        "preview triangles": len(coarse.mesh.faces),
    }


def main() -> None:
    """Measure the plain tray and the rich one."""
    moth = moth_figure()
    for name, relief in (("plain", plain_pieces()), ("rich", twenty_pieces())):
        print(json.dumps({"tray": name} | measured(relief, moth)))


if __name__ == "__main__":
    main()
