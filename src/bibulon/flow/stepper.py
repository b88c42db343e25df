"""One step of the fill, of any size: a linear complementarity problem solved by a primal–dual active set.

On the fluidity clock ``dθ = dt/μ`` with constant boundary pressures, the impulse ``w = ∫ (p − p_vent) dθ`` obeys

    A w + G h + V (S − S₀) = 0,   w ≥ 0,  S ≤ 1,  w (1 − S) = 0

at every inner node, with ``w = Δp·Δθ`` at buckets and ``w = 0`` at vents, where resin may arrive beyond S = 1 and
leaves to the pot. ``h = ρ g z·Δθ`` is the head; ``G`` conducts along edges with resin at one end at least, and lets
nothing back from a dry end. Exact in time for these conditions and mass-conserving to rounding, so the step size is
free.

Pipes conduct up to 10⁹ times better than the laminate beside them, so the difference of two nearly equal impulses
carries their flow. It is kept to full precision by holding the impulse as a value and a small rest, and by taking
flows from differences along edges, never from the product ``A w``.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import sparse
from scipy.sparse.linalg import splu

from bibulon.flow.mesh import Floats, Integers

Flags = npt.NDArray[np.bool_]
MOST_ROUNDS = 60
REFINEMENTS = 2
MOST_SPILLS = 60


class NotSettled(Exception):
    """The active set did not settle; a shorter step will."""


class Conductors:
    """A symmetric matrix with rows that add up to zero, and the edges that it is made of."""

    def __init__(self, matrix: sparse.csr_array) -> None:
        self.matrix = matrix
        upper = sparse.triu(matrix, 1).tocoo()
        self.starts, self.ends, self.conductance = upper.coords[0], upper.coords[1], -upper.data

    def along(self, impulse: Floats, rest: Floats | None = None) -> Floats:
        """(e,) what flows from the start to the end of each edge under ``impulse + rest``, without loss of digits."""
        a, b = self.starts, self.ends
        fall = impulse[a] - impulse[b]
        if rest is not None:
            fall = fall + (rest[a] - rest[b])
        found: Floats = self.conductance * fall
        return found

    def gathered(self, along: Floats, count: int) -> Floats:
        """(N,) what edges carrying *along* bring into each node."""
        net = np.bincount(self.ends, along, count) - np.bincount(self.starts, along, count)
        return np.asarray(net, dtype=np.float64)


@dataclass(frozen=True)
class Step:
    """What a step did: resin held at its end ``filled_m3``, ``inflow_m3``, ``impulse``, number of sparse ``solves``.

    ``filled_m3`` of vent nodes may exceed their capacity: the excess has left to the pot. ``inflow_m3`` of a bucket is
    minus what was drawn from it.
    """

    filled_m3: Floats
    inflow_m3: Floats
    impulse: Floats
    solves: int


class _Weight:
    """The head along edges: where it acts, and which edges would run back from a dry end."""

    def __init__(self, conductors: Conductors, head: Floats, always_wet: Flags) -> None:
        self._of = conductors
        self._along = conductors.along(head)
        self._always_wet = always_wet
        self.back: Flags = np.zeros(len(self._along), dtype=bool)

    def acting(self, wet: Flags) -> Floats:
        """(e,) flow that the head alone drives."""
        resin = wet | self._always_wet
        return np.where((resin[self._of.starts] | resin[self._of.ends]) & ~self.back, self._along, 0.0)

    def look_back(self, wet: Flags, along: Floats) -> bool:
        """Note the edges whose flow would come from a dry end; True if they changed."""
        resin = wet | self._always_wet
        start, end = resin[self._of.starts], resin[self._of.ends]
        back = (start & ~end & (along < 0)) | (end & ~start & (along > 0))
        changed = bool((back != self.back).any())
        self.back = back
        return changed


def advance(
    conductors: Conductors,
    capacity_m3: Floats,
    filled_m3: Floats,
    fixed: Integers,
    fixed_impulse: Floats,
    inactive: Flags,
    guess: Flags,
    head: Floats | None = None,
) -> Step:
    """One step from *filled_m3*.

    *fixed* nodes (buckets and vents) have the impulse *fixed_impulse*; *inactive* ones (closed hoses, buckets without
    capacity) neither give nor take; *guess* is the set first taken as full; *head* (N,) is ``ρ g z·Δθ``. Raises
    :class:`NotSettled`.
    """
    count = len(capacity_m3)
    held = np.zeros(count, dtype=bool)
    held[fixed] = True
    free = ~held & ~inactive
    impulse = np.zeros(count)
    impulse[fixed] = fixed_impulse
    driven = conductors.matrix @ impulse
    room = capacity_m3 - filled_m3
    wet = guess & free
    solves = 0
    tolerance = 1e-12 * max(float(np.max(np.abs(fixed_impulse), initial=0.0)), 1e-300)
    weight = None
    if head is not None:
        weight = _Weight(conductors, head, held & (impulse > 0))
    for _ in range(MOST_ROUNDS):
        inner = np.flatnonzero(wet)
        impulse[free] = 0.0
        along_head = weight.acting(wet) if weight is not None else None
        if len(inner):
            block = conductors.matrix[inner][:, inner].tocsc()
            load = -room[inner] - driven[inner]
            if weight is not None and along_head is not None:
                load += conductors.gathered(along_head, count)[inner]
                block = block - sparse.diags_array(_closed(conductors, weight.back, count)[inner])
            factor = splu(
                block.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
            )
            impulse[inner] = factor.solve(load)
            solves += 1
        along = _flows(conductors, impulse, None, weight, along_head)
        taken = conductors.gathered(along, count)
        below = wet & (impulse < -tolerance)
        over = free & ~wet & (taken > room + 1e-12 * capacity_m3)
        turned = False
        if weight is not None:
            turned = weight.look_back(wet & ~below | over, conductors.along(impulse) + weight._along)
        if not below.any() and not over.any() and not turned:
            impulse[inner] = np.maximum(impulse[inner], 0.0)
            rest = np.zeros(count)
            for _ in range(REFINEMENTS if len(inner) else 0):
                taken = conductors.gathered(_flows(conductors, impulse, rest, weight, along_head), count)
                rest[inner] += factor.solve(taken[inner] - room[inner])
            taken = conductors.gathered(_flows(conductors, impulse, rest, weight, along_head), count)
            filled = filled_m3 + np.where(wet, room, np.where(held | free, taken, 0.0))
            return Step(np.where(inactive, filled_m3, filled), taken, impulse, solves)
        if over.any():
            over = _spilled(conductors, np.where(free & ~wet, taken - room, 0.0), room, free & ~wet)
        wet = (wet & ~below) | over
    raise NotSettled


def _spilled(conductors: Conductors, excess: Floats, room: Floats, dry: Flags) -> Flags:
    """Which *dry* nodes fill if what is too much in one is passed on to its dry neighbours, and so on.

    It only says where to look next: the round that follows takes back what was too much.
    """
    a, b, g = conductors.starts, conductors.ends, conductors.conductance
    both = dry[a] & dry[b]
    a, b, g = a[both], b[both], g[both]
    count = len(room)
    left = np.minimum(-excess, room)  # room that remains; negative where too much came
    full = dry & (left < -1e-12 * np.maximum(room, 0))
    for _ in range(MOST_SPILLS):
        over = np.where(full, np.maximum(-left, 0.0), 0.0)
        if not over.any():
            break
        to_b, to_a = full[a] & ~full[b], full[b] & ~full[a]
        ways = np.bincount(a[to_b], g[to_b], count) + np.bincount(b[to_a], g[to_a], count)
        share = np.divide(over, ways, out=np.zeros(count), where=ways > 0)
        left[full] = 0.0
        left = left - np.bincount(b[to_b], g[to_b] * share[a[to_b]], count)
        left = left - np.bincount(a[to_a], g[to_a] * share[b[to_a]], count)
        more = dry & ~full & (left < 0)
        if not more.any():
            break
        full |= more
    return full


def _flows(
    conductors: Conductors, impulse: Floats, rest: Floats | None, weight: _Weight | None, along_head: Floats | None
) -> Floats:
    along = conductors.along(impulse, rest)
    if weight is None or along_head is None:
        return along
    return np.where(weight.back, 0.0, along) + along_head


def _closed(conductors: Conductors, back: Flags, count: int) -> Floats:
    """(N,) conductance that each node loses by the edges that run back."""
    lost = np.where(back, conductors.conductance, 0.0)
    total = np.bincount(conductors.starts, lost, count) + np.bincount(conductors.ends, lost, count)
    return np.asarray(total, dtype=np.float64)
