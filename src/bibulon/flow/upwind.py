"""What resin carries along in a step of any size: an implicit upwind balance over the nodes.

Each node mixes what it held with what flows in from upstream, where the balance holds too. Resin flows from high to
low potential: in that order the equations are all but triangular, and are solved as such.
"""

from __future__ import annotations

import numpy as np
from scipy import sparse

from bibulon.arrays import Flags, Floats
from bibulon.flow.network import Network
from bibulon.flow.step import Step


class Upwind:
    """The flow of a *step* over a *network*, resin weighing *weight_n_m3*."""

    def __init__(self, network: Network, step: Step, weight_n_m3: float) -> None:
        edges, along = network.edges, step.flow_m3
        up = np.where(along >= 0, edges.starts, edges.ends)
        down = np.where(along >= 0, edges.ends, edges.starts)
        moves = (along != 0) & (down != network.bucket)
        self._up, self._down, self._amount = up[moves], down[moves], np.abs(along)[moves]
        self._count = len(network.capacity_m3)
        self._potential = step.pressure_pa + weight_n_m3 * network.height_m

    def into_nodes(self) -> Floats:
        """(N,) what flows into each node (m³)."""
        return np.asarray(np.bincount(self._down, self._amount, self._count), dtype=np.float64)

    def out_of_nodes(self) -> Floats:
        """(N,) what flows out of each node (m³)."""
        return np.asarray(np.bincount(self._up, self._amount, self._count), dtype=np.float64)

    def received(self, values: Floats) -> Floats:
        """(N,) the *values* of the nodes upstream, each times what comes from there."""
        return np.asarray(np.bincount(self._down, self._amount * values[self._up], self._count), dtype=np.float64)

    def carried(self, whole: Floats, held: Floats, before: Floats, still: Flags, share: Floats | None = None) -> Floats:
        """(N,) values v with ``whole·v = held + Σ share·flow·v_upstream`` at all nodes but the *still* ones, which keep
        those of *before*; *share* (N,) is that of what leaves a node which has its value, all if it is not given.
        *held* and *before* may be (N, s), for s values at once."""
        from scipy.sparse.linalg import splu  # slow to load, and the window, which does not fill, needs none of it

        kept = ~still[self._down]
        up, down, amount = self._up[kept], self._down[kept], self._amount[kept]
        if share is not None:
            amount = amount * share[up]
        whole = np.where(still, 1.0, whole)
        mixing = ~still
        mixing[up] = True
        nodes = np.flatnonzero(mixing)
        nodes = nodes[np.argsort(-self._potential[nodes], kind="stable")]
        rank = np.empty(self._count, dtype=np.int64)
        every = rank[nodes] = np.arange(len(nodes))
        matrix = sparse.csc_array(
            (
                np.concatenate([-amount / whole[down], np.ones(len(nodes))]),
                (np.concatenate([rank[down], every]), np.concatenate([rank[up], every])),
            ),
            (len(nodes), len(nodes)),
        )
        if held.ndim > 1:
            still, whole = still[:, None], whole[:, None]
        right = np.where(still, before, held / whole)[nodes]
        result = before.copy()
        result[nodes] = splu(matrix, permc_spec="NATURAL", diag_pivot_thresh=0.0).solve(right)
        return result
