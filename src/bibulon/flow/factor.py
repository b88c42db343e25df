"""Sparse factors of the flow's matrices: symmetric, positive definite, factored again and again."""

from __future__ import annotations

import qdldl
from scipy import sparse

from bibulon.flow.mesh import Floats


class Factors:
    """``L D Lᵀ`` of a symmetric matrix given by its *upper* half. Raises RuntimeError if it is singular."""

    def __init__(self, upper: sparse.csc_array) -> None:
        self._solver = qdldl.Solver(upper, upper=True)

    def renew(self, upper: sparse.csc_array) -> None:
        """Factor another matrix with its entries in the same places; the ordering is kept."""
        self._solver.update(upper, upper=True)

    def solve(self, right: Floats) -> Floats:
        """(n,) the solution for the right side (n,)."""
        found: Floats = self._solver.solve(right)
        return found
