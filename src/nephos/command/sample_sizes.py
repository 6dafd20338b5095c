"""Kinds and sizes of the sample jobs: for the sample shop and for the bench of whole jobs."""

KINDS: dict[str, tuple[str, float | None]] = {
    "heron-plaque": ("three-axis", 236.0),
    "lily-leaf-dish": ("two-faces", 214.0),
    "dragonfly": ("four-faces", 96.0),
    "bulrush-finial": ("rotary", 180.0),
    "fen-chart": ("tiles", None),
}
"""By the name of the mesh: the kind of job, and the length (mm) of the model's longest side. None: it keeps the size of
its file."""


def longest_side(name: str) -> float:
    """The length (mm) of the longest side of a model that does not keep its size."""
    _, longest = KINDS[name]
    if longest is None:
        raise ValueError(f"'{name}' keeps the size of its file")
    return longest
