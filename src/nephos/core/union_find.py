"""Disjoint sets in an array of parents, for kernels (Tarjan, 1975, with halving of paths)."""

from nephos.core.arrays import I32
from nephos.core.parallel import inlined


@inlined
def root(parent: I32, k: int) -> int:
    """The one that stands for the set of k."""
    while parent[k] != k:
        parent[k] = parent[parent[k]]
        k = parent[k]
    return k
