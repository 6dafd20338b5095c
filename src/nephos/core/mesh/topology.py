"""Edges, shells and the path that faces run: what examining and repairing a mesh stand on."""

from dataclasses import dataclass

import numpy as np

from nephos.core.arrays import I32, I64, U8
from nephos.core.parallel import kernel
from nephos.core.union_find import root


@kernel
def _edges(faces: I32, slots: I32, low: I32, high: I32, first: I64, second: I64, uses: I32, balance: I32) -> int:
    """Find the edges by open addressing; returns how many there are. `first` and `second` are half-edges 3 t + k."""
    mask = len(slots) - 1
    count = 0
    for t in range(len(faces)):
        for k in range(3):
            a = faces[t, k]
            b = faces[t, (k + 1) % 3]
            lo = min(a, b)
            hi = max(a, b)
            h = (np.int64(lo) * -7046029254386353131) ^ (np.int64(hi) * -4417276706812531889)
            h = (h ^ (h >> 32)) & mask
            while True:
                e = slots[h]
                if e < 0:
                    e = count
                    slots[h] = e
                    low[e] = lo
                    high[e] = hi
                    first[e] = 3 * t + k
                    count += 1
                    break
                if low[e] == lo and high[e] == hi:
                    if uses[e] == 1:
                        second[e] = 3 * t + k
                    break
                h = (h + 1) & mask
            uses[e] += 1
            balance[e] += 1 if a < b else -1
    return count


@kernel
def _shells(faces: I32, parent: I32, number: I32) -> int:
    """Number the pieces of vertices that triangles join, in the order of their first triangle; returns how many."""
    for t in range(len(faces)):
        a = root(parent, faces[t, 0])
        for k in (1, 2):
            b = root(parent, faces[t, k])
            if a != b:
                parent[max(a, b)] = min(a, b)
                a = min(a, b)
    count = 0
    for t in range(len(faces)):
        stands = root(parent, faces[t, 0])
        if number[stands] < 0:
            number[stands] = count
            count += 1
    for v in range(len(parent)):
        number[v] = number[root(parent, v)]
    return count


@kernel
def _sides(first: I64, second: I64, uses: I32, balance: I32, parent: I32, parity: U8) -> None:
    """Join faces over their common edges, with whether one must be turned round to agree with the other."""
    for e in range(len(uses)):
        if uses[e] != 2:
            continue
        a = first[e] // 3
        b = second[e] // 3
        turned = 1 if balance[e] != 0 else 0
        pa = 0
        while parent[a] != a:
            pa ^= parity[a]
            a = parent[a]
        pb = 0
        while parent[b] != b:
            pb ^= parity[b]
            b = parent[b]
        if a != b:
            # The smaller number stays the root, so that trees hang the same way in each run.
            if a > b:
                a, b = b, a
            parent[b] = a
            parity[b] = pa ^ pb ^ turned
    for t in range(len(parent)):
        k = t
        p = 0
        while parent[k] != k:
            p ^= parity[k]
            k = parent[k]
        # Point straight at the root from now on.
        top = k
        k = t
        rest = p
        while parent[k] != k:
            following = parent[k]
            own = parity[k]
            parent[k] = top
            parity[k] = rest
            rest ^= own
            k = following


@dataclass(frozen=True)
class Edges:
    """The edges of a mesh.

    `ends` : (e, 2) int32, the lower vertex first. `first`, `second` : (e,) int64 half-edges
    3 * triangle + corner that run along it (`second` -1 where there is one only). `uses` : (e,)
    int32, how many triangles have it. `balance` : (e,) int32, those that run up it less those that run down.
    """

    ends: I32
    first: I64
    second: I64
    uses: I32
    balance: I32

    @property
    def open(self) -> U8:
        """(e,) bool, the edges with one triangle only."""
        return np.asarray(self.uses == 1)


def edges_of(faces: I32) -> Edges:
    """The edges of triangles `faces` (m, 3)."""
    most = 3 * len(faces)
    slots = np.full(1 << max(int(2 * most).bit_length() - 1, 4), -1, np.int32)
    low, high = np.empty(most, np.int32), np.empty(most, np.int32)
    first, second = np.empty(most, np.int64), np.full(most, -1, np.int64)
    uses, balance = np.zeros(most, np.int32), np.zeros(most, np.int32)
    n = _edges(faces, slots, low, high, first, second, uses, balance)
    return Edges(
        np.stack([low[:n], high[:n]], 1), first[:n].copy(), second[:n].copy(), uses[:n].copy(), balance[:n].copy()
    )


def shells_of(faces: I32, vertices: int) -> tuple[I32, int]:
    """(m,) int32 number of the shell of each triangle, and how many there are. Shells share no vertex."""
    parent = np.arange(vertices, dtype=np.int32)
    number = np.full(vertices, -1, np.int32)
    count = _shells(faces, parent, number)
    return number[faces[:, 0]], int(count)


def sides_of(faces: I32, edges: Edges) -> tuple[I32, U8]:
    """Patches of triangles joined over edges that two share, and which of them run against the rest.

    Returns (m,) int32 patch (the number of its first triangle) and (m,) uint8, 1 for triangles that must be turned
    round to agree with the first one of their patch."""
    parent = np.arange(len(faces), dtype=np.int32)
    parity = np.zeros(len(faces), np.uint8)
    _sides(edges.first, edges.second, edges.uses, edges.balance, parent, parity)
    return parent, parity


@kernel
def _loops(start: I64, ends: I32, using: U8, out: I32, sizes: I64) -> int:
    """Walk open half-edges from tip to tail; returns the number of loops. `using` (k,) marks those that are walked."""
    n = 0
    count = 0
    for e in range(len(ends)):
        if using[e]:
            continue
        begin = n
        k = e
        while k >= 0 and not using[k]:
            using[k] = 1
            out[n] = ends[k, 0]
            n += 1
            tip = ends[k, 1]
            k = -1
            for q in range(start[tip], start[tip + 1]):
                if not using[q]:
                    k = q
                    break
        sizes[count] = n - begin
        count += 1
    return count


def open_loops(faces: I32, edges: Edges, vertices: int) -> list[I32]:
    """The rims of holes: for each the vertices in the order in which the missing triangles would run along them."""
    rims = edges.first[edges.open]
    triangle, corner = rims // 3, rims % 3
    # The triangle runs from a to b along the rim; what fills the hole runs from b to a.
    ends = np.stack([faces[triangle, (corner + 1) % 3], faces[triangle, corner]], 1)
    ends = ends[np.argsort(ends[:, 0], kind="stable")]
    start = np.searchsorted(ends[:, 0], np.arange(vertices + 1)).astype(np.int64)
    out, sizes = np.empty(len(ends), np.int32), np.empty(max(len(ends), 1), np.int64)
    count = _loops(start, np.ascontiguousarray(ends), np.zeros(len(ends), np.uint8), out, sizes)
    return np.split(out, np.cumsum(sizes[:count])[:-1]) if count else []
