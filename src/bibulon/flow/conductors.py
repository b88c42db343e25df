"""Edges that conduct resin between nodes: pores and pipes alike, viscosity left out."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from bibulon.arrays import Floats, Integers

LOOSE = 1e-9
"""Share of what conducts at a node below which an edge joins nothing; it holds pressures that nothing else does."""


def bodies_of(starts: Integers, ends: Integers, count: int) -> Integers:
    """(count,) the number of the body that each of *count* nodes lies in, joined by the edges *starts*–*ends*."""
    links = sparse.coo_array((np.ones(len(starts)), (starts, ends)), (count, count))
    return np.asarray(connected_components(links, directed=False)[1], dtype=np.int64)


class Conductors:
    """Edges ``starts[e]``–``ends[e]`` of ``conductance[e]`` (m³) among *count* nodes, and the matrix that they make.

    Pipes conduct up to 10⁹ times better than the laminate beside them: flows are taken from falls along edges, never
    from the product of the matrix, so that no digits are lost.
    """

    def __init__(self, starts: Integers, ends: Integers, conductance: Floats, count: int) -> None:
        self.starts, self.ends, self.conductance, self.count = starts, ends, conductance, count

    @classmethod
    def of(cls, matrix: sparse.csr_array) -> Conductors:
        """The edges of a symmetric *matrix*: its negative off-diagonals; what else is in it counts for nothing."""
        upper = sparse.triu(matrix, 1).tocoo()
        kept = upper.data < 0
        starts, ends = (np.asarray(index[kept], dtype=np.int64) for index in upper.coords)
        return cls(starts, ends, -upper.data[kept], matrix.shape[0])

    @classmethod
    def joined(cls, parts: list[Conductors]) -> Conductors:
        """All edges of *parts*, which number the same nodes."""
        return cls(
            np.concatenate([part.starts for part in parts]),
            np.concatenate([part.ends for part in parts]),
            np.concatenate([part.conductance for part in parts]),
            parts[0].count,
        )

    @cached_property
    def matrix(self) -> sparse.csr_array:
        """(count, count) symmetric, rows add up to zero, off-diagonals the conductances with a minus."""
        a, b, g = self.starts, self.ends, self.conductance
        every = np.arange(self.count)
        values = np.concatenate([-g, -g, self.into_nodes(g)])
        rows, columns = np.concatenate([a, b, every]), np.concatenate([b, a, every])
        return sparse.csr_array((values, (rows, columns)), (self.count, self.count))

    def into_nodes(self, values: Floats) -> Floats:
        """(N,) sum over the edges at each node of their *values* (e,)."""
        return _summed(self.starts, values, self.count) + _summed(self.ends, values, self.count)

    def bodies(self, values: Floats) -> Integers:
        """(N,) the number of the body that each node lies in, joined by the edges that conduct *values* (e,)."""
        a, b, through = self.starts, self.ends, self.into_nodes(values)
        counts = values > LOOSE * np.minimum(through[a], through[b])
        return bodies_of(a[counts], b[counts], self.count)

    def gathered(self, along: Floats) -> Floats:
        """(N,) what flows into each node when so much flows from the start to the end of each edge (e,)."""
        return _summed(self.ends, along, self.count) - _summed(self.starts, along, self.count)


def _summed(at: Integers, values: Floats, count: int) -> Floats:
    return np.bincount(at, values, count).astype(np.float64)


def joined_all(parts: list[Conductors], count: int) -> Conductors:
    """All edges of *parts*, of which there may be none, between so many nodes."""
    nothing = np.zeros(0, dtype=np.int64)
    return Conductors.joined([Conductors(nothing, nothing, np.zeros(0), count), *parts])


def merged(pores: Conductors, bores: Conductors) -> tuple[Conductors, Floats]:
    """The edges of *pores* and *bores*, each pair of nodes once, and what of each conducts through pores (e,)."""
    count = pores.count
    keys = [
        np.minimum(conductors.starts, conductors.ends) * count + np.maximum(conductors.starts, conductors.ends)
        for conductors in (pores, bores)
    ]
    pairs, where = np.unique(np.concatenate(keys), return_inverse=True)
    through_pores, through_bores = (
        np.bincount(at, part.conductance, len(pairs)).astype(np.float64)
        for at, part in zip(np.split(where, [len(keys[0])]), (pores, bores), strict=True)
    )
    return Conductors(pairs // count, pairs % count, through_pores + through_bores, count), through_pores
