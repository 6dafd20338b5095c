"""The keys of the results of an operation, and of a setup."""

from dataclasses import dataclass


@dataclass(frozen=True)
class OperationKeys:
    """Keys of the stages of one operation, and of the block that it begins with."""

    before: str
    whole: str
    passes: str
    path: str
    moves: str
    block: str
    frames: str
    rapids: str
    gouges: str
    arcs: str


@dataclass(frozen=True)
class SetupKeys:
    """Keys of all results of a setup; `operations` by number, those switched on only;
    `block` is that after the last of them, `shown` the one of the proof, in which assumed errors of the slides are.
    `whole` of an operation are the passes of all tiles."""

    space: str
    operations: dict[int, OperationKeys]
    block: str
    shown: str
    compare: str
    pieces: str
    summary: str
    findings: str
    files: str
