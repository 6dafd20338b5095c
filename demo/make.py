"""Write the sample meshes into a folder: `python -m demo.make FOLDER`."""

import sys
from collections.abc import Callable
from hashlib import sha256
from pathlib import Path

from demo.reliefs import fen_chart, heron, heron_scan, moth, moth_figure
from demo.rounds import bulrush_finial, dragonfly, lily_dish
from nephos.core.mesh.formats.stl import read_stl, write_stl
from nephos.core.mesh.model import Mesh

MESHES: dict[str, Callable[[], Mesh]] = {
    "heron-plaque": heron,
    "heron-scan": heron_scan,
    "lily-leaf-dish": lily_dish,
    "bulrush-finial": bulrush_finial,
    "fen-chart": fen_chart,
    "dragonfly": dragonfly,
    "moth-roundel": moth,
    "moth": moth_figure,
}


def _digest() -> str:
    """A digest of the scripts that make the meshes."""
    parts = sorted(Path(__file__).parent.glob("*.py"))
    return sha256(b"".join(part.read_bytes() for part in parts)).hexdigest()


def make(folder: Path) -> None:
    """Write each mesh that is not there yet, or was made by other scripts."""
    folder.mkdir(parents=True, exist_ok=True)
    stamp, digest = folder / "scripts.sha256", _digest()
    if not stamp.exists() or stamp.read_text() != digest:
        for name in MESHES:
            (folder / f"{name}.stl").unlink(missing_ok=True)
        stamp.write_text(digest)
    for name, build in MESHES.items():
        path = folder / f"{name}.stl"
        if not path.exists():
            partial = path.with_suffix(".part")
            # Reading it back once leaves out the triangles without area at the poles.
            clean = read_stl(write_stl(build()))
            partial.write_bytes(write_stl(clean, f"Harrow Fen, {name}"))
            partial.rename(path)


if __name__ == "__main__":
    make(Path(sys.argv[1]))
