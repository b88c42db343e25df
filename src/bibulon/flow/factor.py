"""Sparse factors of the flow's matrices: symmetric, positive definite, factored again and again."""

from __future__ import annotations

import qdldl
from scipy import sparse

from bibulon.flow.mesh import Floats


class Factors:
    """``L D Lᵀ`` of a symmetric *block*, with *diagonal* added to it. Raises RuntimeError if it is singular."""

    def __init__(self, block: sparse.csr_array, diagonal: Floats | None = None) -> None:
        self._solver = qdldl.Solver(_upper(block, diagonal), upper=True)

    def solve(self, right: Floats) -> Floats:
        """(n,) the solution for the right side (n,)."""
        found: Floats = self._solver.solve(right)
        return found


def _upper(block: sparse.csr_array, diagonal: Floats | None) -> sparse.csc_array:
    # the lower half of a symmetric matrix by rows is its upper half by columns
    half = sparse.tril(block, format="csr")
    if diagonal is not None:
        half.setdiag(half.diagonal() + diagonal)
    return sparse.csc_array((half.data, half.indices, half.indptr), half.shape)
