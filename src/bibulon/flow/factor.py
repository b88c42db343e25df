"""The flow's matrices and their sparse factors: symmetric, positive definite, factored again and again."""

from __future__ import annotations

import numpy as np
from cvxopt import cholmod, matrix, spmatrix

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.conductors import Conductors
from bibulon.switches import SUPERNODAL

AHEAD = 1.3
"""The ordering found for the full nodes holds for those round them too, up to so many times as many."""
MOST_RINGS = 12
cholmod.options["supernodal"] = SUPERNODAL


class Singular(RuntimeError):
    """Nothing holds the pressure of some nodes: what flows to them has nowhere to go."""


class FactorCache:
    """Factors the matrix of some *edges* for any choice of nodes.

    Finding an ordering that keeps the factors sparse costs as much as several factorisations. So one is found for the
    chosen nodes and some rings of nodes round them, and kept while the choice stays within; what is not chosen stands
    in the matrix by itself.
    """

    def __init__(self, edges: Conductors) -> None:
        every = np.arange(edges.count)
        rows = np.concatenate([np.minimum(edges.starts, edges.ends), every])
        columns = np.concatenate([np.maximum(edges.starts, edges.ends), every])
        self._edges = edges
        self._source = np.lexsort((rows, columns))
        self._rows, self._columns = rows[self._source], columns[self._source]
        self._frame: _Frame | None = None

    def factors(self, conductance: Floats, diagonal: Floats, chosen: Flags) -> Factors:
        """Factors of the matrix with *conductance* (e,) and *diagonal* (N,) for the *chosen* nodes (N,).

        They hold until the next are asked for. Raises :class:`Singular`.
        """
        if self._frame is None or bool((chosen & ~self._frame.nodes).any()):
            self._frame = _Frame(self, self._round(chosen))
        return self._frame.factors(conductance, diagonal, chosen)

    def _round(self, chosen: Flags) -> Flags:
        """*chosen* with rings of nodes round them."""
        a, b = self._edges.starts, self._edges.ends
        within, most = chosen.copy(), AHEAD * int(chosen.sum())
        for _ in range(MOST_RINGS):
            wider = within.copy()
            wider[a[within[b]]] = True
            wider[b[within[a]]] = True
            if int(wider.sum()) > most:
                break
            within = wider
        return within

    def entries(self, nodes: Flags) -> tuple[Integers, Integers, Integers]:
        """Source, row and column of the entries of the upper half for *nodes*, column by column."""
        kept = nodes[self._rows] & nodes[self._columns]
        return self._source[kept], self._rows[kept], self._columns[kept]


class _Frame:
    """Matrices over the same *nodes*, with one ordering."""

    def __init__(self, factors: FactorCache, nodes: Flags) -> None:
        self.nodes = nodes
        self._source, self._rows, self._columns = factors.entries(nodes)
        number = np.cumsum(nodes) - 1
        columns = number[self._columns]
        count = int(number[-1]) + 1
        # the pattern of the upper half, whose values come in the order of the entries
        self._upper = spmatrix(1.0, matrix(number[self._rows]), matrix(columns), (count, count))
        self._on_diagonal = self._rows == self._columns
        self._factor = cholmod.symbolic(self._upper, uplo="U")

    def factors(self, conductance: Floats, diagonal: Floats, chosen: Flags) -> Factors:
        values = np.concatenate([-conductance, diagonal])[self._source]
        values[~(chosen[self._rows] & chosen[self._columns])] = 0.0
        values[self._on_diagonal & ~chosen[self._rows]] = float(diagonal[chosen].max())
        self._upper.V = matrix(values)
        try:
            cholmod.numeric(self._upper, self._factor)
        except ArithmeticError as error:
            raise Singular("the matrix of the flow is singular") from error
        return Factors(self._factor, self.nodes, chosen)


class Factors:
    """``L Lᵀ`` of a matrix for the *chosen* ones of a frame's *nodes*."""

    def __init__(self, factor: object, nodes: Flags, chosen: Flags) -> None:
        self._factor, self._nodes, self._chosen = factor, nodes, chosen

    def solve(self, right: Floats) -> Floats:
        """(N,) the solution for the right side (N,), zero at all nodes that were not chosen."""
        solution = np.zeros(len(right))
        answer = matrix(np.where(self._chosen, right, 0.0)[self._nodes])
        cholmod.solve(self._factor, answer)
        solution[self._nodes] = np.array(answer).ravel()
        return solution
