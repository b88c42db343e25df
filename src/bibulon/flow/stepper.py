"""One step of the fill, of any size: a linear complementarity problem solved by a primal–dual active set.

On the fluidity clock ``dθ = dt/μ`` with constant boundary pressures, the impulse ``w = ∫ (p − p_vent) dθ`` obeys

    A w + V (S − S₀) = 0,   w ≥ 0,  S ≤ 1,  w (1 − S) = 0

at every inner node, with ``w = Δp·Δθ`` at buckets and ``w = 0`` at vents, where resin may arrive beyond S = 1 and
leaves to the pot. Exact in time for these conditions and mass-conserving to rounding, so the step size is free.

Pipes conduct up to 10⁹ times better than the laminate beside them, so the difference of two nearly equal impulses
carries their flow. It is kept to full precision by holding the impulse as a value and a small rest, and by taking
flows from differences along edges, never from the product ``A w``.

A full node under film holds more at a higher pressure: ``+ give·(w − w₀)`` on its row (:class:`Spring`), with the mean
pressure of the step standing for that at its end.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bibulon.flow.conductors import Conductors
from bibulon.flow.factor import Factors
from bibulon.flow.mesh import Floats, Integers

Flags = npt.NDArray[np.bool_]
MOST_ROUNDS = 60
REFINEMENTS = 2
MOST_SPILLS = 60


class NotSettled(Exception):
    """The active set did not settle; a shorter step will."""


@dataclass(frozen=True)
class Spring:
    """``give_m3`` (N,): what a full node takes up per unit of impulse beyond ``before`` (N,), at which it is full."""

    give_m3: Floats
    before: Floats


@dataclass(frozen=True)
class Step:
    """What a step did: resin held at its end ``filled_m3``, ``inflow_m3``, ``impulse``, the full nodes ``wet``, solves.

    ``filled_m3`` of vent nodes may exceed their capacity: the excess has left to the pot. ``inflow_m3`` of a bucket is
    minus what was drawn from it. ``gas_pa`` are the pressures of the pockets at the end, over the vent's.
    """

    filled_m3: Floats
    inflow_m3: Floats
    impulse: Floats
    wet: Flags
    solves: int
    gas_pa: tuple[float, ...] = ()


def advance(
    conductors: Conductors,
    capacity_m3: Floats,
    filled_m3: Floats,
    fixed: Integers,
    fixed_impulse: Floats,
    inactive: Flags,
    guess: Flags,
    spring: Spring | None = None,
) -> Step:
    """One step from *filled_m3*.

    *fixed* nodes (buckets and vents) have the impulse *fixed_impulse*; *inactive* ones (closed hoses, buckets without
    capacity) neither give nor take; *guess* is the set first taken as full. Raises :class:`NotSettled`.
    """
    count = len(capacity_m3)
    held = np.zeros(count, dtype=bool)
    held[fixed] = True
    free = ~held & ~inactive
    impulse = np.zeros(count)
    impulse[fixed] = fixed_impulse
    wanted = filled_m3 - capacity_m3 - conductors.matrix @ impulse
    if spring is not None:
        wanted = wanted + spring.give_m3 * spring.before
    room = capacity_m3 - filled_m3
    wet = guess & free
    solves = 0
    tolerance = 1e-12 * max(float(np.max(np.abs(fixed_impulse), initial=0.0)), 1e-300)
    for _ in range(MOST_ROUNDS):
        inner = np.flatnonzero(wet)
        impulse[free] = 0.0
        if len(inner):
            factor = Factors(conductors.matrix[inner][:, inner], None if spring is None else spring.give_m3[inner])
            impulse[inner] = factor.solve(wanted[inner])
            solves += 1
        taken = conductors.gathered(conductors.fall(impulse))
        below = wet & (impulse < -tolerance)
        over = free & ~wet & (taken > room + 1e-12 * capacity_m3)
        if not below.any() and not over.any():
            impulse[inner] = np.maximum(impulse[inner], 0.0)
            content = room if spring is None else room + spring.give_m3 * (impulse - spring.before)
            rest = np.zeros(count)
            for _ in range(REFINEMENTS if len(inner) else 0):
                taken = conductors.gathered(conductors.fall(impulse, rest))
                rest[inner] += factor.solve(taken[inner] - content[inner])
            taken = conductors.gathered(conductors.fall(impulse, rest))
            exact = wet if spring is None else np.zeros(count, dtype=bool)
            filled = filled_m3 + np.where(exact, room, np.where(held | free, taken, 0.0))
            return Step(np.where(inactive, filled_m3, filled), taken, impulse, wet, solves)
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
