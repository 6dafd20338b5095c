"""The ways of making a part. A new one is a class with the methods of `Way`, and a line in `WAYS`."""

from nephos.core.errors import Refused
from nephos.core.proposals.bar_way import OnBar
from nephos.core.proposals.face_ways import InTiles, OneFace
from nephos.core.proposals.faces_ways import FourFaces, TwoFaces
from nephos.core.proposals.way import Way

WAYS: dict[str, Way] = {
    "one-face": OneFace(),
    "two-faces": TwoFaces(),
    "four-faces": FourFaces(),
    "rotary": OnBar(),
}
"""Ways that can be proposed for a job, by key."""
WAYS_FOR_MESH: dict[str, Way] = {
    "three-axis": WAYS["one-face"],
    "two-faces": WAYS["two-faces"],
    "four-faces": WAYS["four-faces"],
    "rotary": WAYS["rotary"],
    "tiles": InTiles(),
}
"""Ways that a plan can be proposed in for a mesh alone, by the word for `cut --kind`."""


def way(key: str) -> Way:
    """The way that can be proposed for a job under a key."""
    if key not in WAYS:
        raise Refused(f"there is no kind of job '{key}': use one of {', '.join(WAYS)}")
    return WAYS[key]
