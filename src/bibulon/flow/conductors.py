"""Edges that conduct resin between nodes: pores and pipes alike, viscosity left out."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt
from scipy import sparse

from bibulon.flow.mesh import Floats, Integers

Flags = npt.NDArray[np.bool_]


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

    def gathered(self, along: Floats) -> Floats:
        """(N,) what flows into each node when so much flows from the start to the end of each edge (e,)."""
        return _summed(self.ends, along, self.count) - _summed(self.starts, along, self.count)


def _summed(at: Integers, values: Floats, count: int) -> Floats:
    return np.bincount(at, values, count).astype(np.float64)


class Pattern:
    """Where the entries of the matrix of some edges stand: found once, filled with values again and again."""

    def __init__(self, edges: Conductors) -> None:
        every = np.arange(edges.count)
        rows = np.concatenate([np.minimum(edges.starts, edges.ends), every])
        columns = np.concatenate([np.maximum(edges.starts, edges.ends), every])
        self._source = np.lexsort((rows, columns))
        self._rows, self._columns = rows[self._source], columns[self._source]
        self._on_edge = self._rows != self._columns

    def block(self, conductance: Floats, diagonal: Floats, chosen: Flags) -> sparse.csc_array:
        """Upper half of the matrix with *diagonal* (N,), only the *chosen* nodes (N,)."""
        kept = chosen[self._rows] & chosen[self._columns]
        number = np.cumsum(chosen) - 1
        values = np.concatenate([-conductance, diagonal])[self._source[kept]]
        columns = number[self._columns[kept]]
        count = int(number[-1]) + 1
        pointers = np.concatenate([[0], np.cumsum(np.bincount(columns, minlength=count))])
        return sparse.csc_array((values, number[self._rows[kept]], pointers), (count, count))

    def grouped(self, conductance: Floats, diagonal: Floats, number: Integers, count: int) -> sparse.csc_array:
        """The same with node *i* as unknown ``number[i]`` of *count*, several sharing one; −1 leaves a node out."""
        kept = (number[self._rows] >= 0) & (number[self._columns] >= 0)
        one, other = number[self._rows[kept]], number[self._columns[kept]]
        values = np.concatenate([-conductance, diagonal])[self._source[kept]]
        values = np.where(self._on_edge[kept] & (one == other), 2 * values, values)  # stands twice in the whole matrix
        entries = (np.minimum(one, other), np.maximum(one, other))
        return sparse.coo_array((values, entries), (count, count)).tocsc()
