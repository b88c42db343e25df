"""Heat and cure through a stack: one-dimensional heat flow with generation.

``ρc ∂T/∂t = ∂/∂z(k ∂T/∂z) + m_r H ∂α/∂t``, m_r being the mass of resin per volume. Places are the middles of cells
between the back of the mould and the bag; faces lose heat to what is around them by a coefficient, or are held.
Solved by the method of lines, each place's temperature beside its cure in a banded system.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.integrate import solve_ivp

from bibulon.arrays import Floats
from bibulon.resin.law import ResinLaw

TOLERANCE_K, TOLERANCE_CURE = 1e-3, 1e-6
LONGEST_STEP_S, LITTLE_S = 900.0, 1e-3
LEAST_STEPS = 200
HELD_W_M2_K = 1e5
"""A face that is held at a temperature."""


@dataclass(frozen=True)
class Slab:
    """One material of a stack, split into so many ``places``; ``resin_kg_m3`` is what of it cures."""

    name: str
    thickness_m: float
    conductivity_w_mk: float
    heat_j_m3k: float
    resin_kg_m3: float = 0.0
    places: int = 8


@dataclass(frozen=True)
class Around:
    """What is below and above a stack at a time: temperatures (K) and coefficients (W/(m²·K))."""

    below_k: float
    below_w_m2k: float
    above_k: float
    above_w_m2k: float


@dataclass(frozen=True, eq=False)
class CureCourse:
    """Temperature and degree of cure through a stack, (k,) times by (n,) places from below."""

    times_s: Floats
    z_m: Floats
    temperature_k: Floats
    cure: Floats
    slab: np.ndarray
    """(n,) index of the slab that each place is in."""
    cures: np.ndarray
    """(n,) whether there is resin."""

    def first_s(self, reached: Floats) -> Floats:
        """(n,) when *reached* (k, n) is first 1 or more, between the times by a straight line; infinite for never."""
        done = reached >= 1
        at = np.argmax(done, axis=0)
        places = np.arange(reached.shape[1])
        before = np.maximum(at - 1, 0)
        low, high = reached[before, places], reached[at, places]
        share = np.where(high > low, (1 - low) / np.where(high > low, high - low, 1.0), 1.0)
        times = self.times_s[before] + np.clip(share, 0, 1) * (self.times_s[at] - self.times_s[before])
        times = np.where(at == 0, self.times_s[0], times)
        return np.where(done.any(axis=0), times, np.inf)

    @cached_property
    def peak_k(self) -> float:
        """The hottest that any resin gets."""
        return float(self.temperature_k[:, self.cures].max())

    @cached_property
    def peak_s(self) -> float:
        return float(self.times_s[int(np.argmax(self.temperature_k[:, self.cures].max(axis=1)))])

    def cured_to_s(self, cure: float) -> float:
        """When the resin that is last has come to a degree of *cure*; infinite for never."""
        return float(self.first_s(self.cure[:, self.cures] / cure).max())

    def first_cured_to_s(self, cure: float) -> float:
        """When the first resin has."""
        return float(self.first_s(self.cure[:, self.cures] / cure).min())

    def least_cure_at(self, time_s: float) -> float:
        """The least degree of cure of any resin at a time."""
        return float(np.interp(time_s, self.times_s, self.cure[:, self.cures].min(axis=1)))


def cure_through(
    law: ResinLaw,
    slabs: Sequence[Slab],
    around: Callable[[float], Around],
    start_s: float,
    end_s: float,
    temperature_k: Sequence[float],
    cure: float,
    turns_s: Sequence[float] = (),
    glass: bool = True,
) -> CureCourse:
    """The course of a stack from *start_s* to *end_s*; *temperature_k* is that of each slab at the start, *cure* that
    of all resin. What is *around* it bends or jumps at *turns_s* only. With *glass* resin slows down as it turns
    to glass.
    """
    sizes = [slab.places for slab in slabs]
    index = np.repeat(np.arange(len(slabs)), sizes)
    step_m = np.concatenate([np.full(slab.places, slab.thickness_m / slab.places) for slab in slabs])
    conducts = np.array([slab.conductivity_w_mk for slab in slabs])[index]
    holds = np.array([slab.heat_j_m3k for slab in slabs])[index] * step_m
    resin = np.array([slab.resin_kg_m3 / slab.heat_j_m3k for slab in slabs])[index]
    rise_k, count = resin * law.heat_j_kg, len(index)
    cures = np.flatnonzero(resin > 0)
    half = step_m / 2 / conducts
    between = 1 / (half[:-1] + half[1:])
    rate_of = law.rate_as_glass if glass else law.rate
    state = np.zeros(2 * count)
    state[0::2] = np.repeat(np.asarray(temperature_k, dtype=np.float64), sizes)
    state[2 * cures + 1] = cure

    def slopes(time_s: float, state: Floats) -> Floats:
        warm, done, face = state[0::2], state[1::2], around(time_s)
        gained = np.zeros(count)
        flow = np.diff(warm) * between
        gained[:-1] += flow
        gained[1:] -= flow
        gained[0] += (face.below_k - warm[0]) * face.below_w_m2k / (1 + face.below_w_m2k * half[0])
        gained[-1] += (face.above_k - warm[-1]) * face.above_w_m2k / (1 + face.above_w_m2k * half[-1])
        rate = np.zeros(count)
        rate[cures] = rate_of(warm[cures], done[cures])
        result = np.empty(2 * count)
        result[0::2], result[1::2] = gained / holds + rise_k * rate, rate
        return result

    tolerance = np.tile([TOLERANCE_K, TOLERANCE_CURE], count)
    stops = [start_s, *sorted(time for time in turns_s if start_s < time < end_s), end_s]
    times, rows = [np.array([start_s])], [state[None]]
    for begin, stop in itertools.pairwise(stops):
        within = (begin + LITTLE_S, stop - LITTLE_S) if stop - begin > 4 * LITTLE_S else (begin, stop)
        course = solve_ivp(
            lambda time_s, state, within=within: slopes(min(max(time_s, within[0]), within[1]), state),
            (begin, stop),
            state,
            method="LSODA",
            rtol=1e-5,
            atol=tolerance,
            lband=2,
            uband=2,
            max_step=max(LONGEST_STEP_S, (stop - begin) / LEAST_STEPS),
        )
        times.append(course.t[1:])
        rows.append(course.y.T[1:])
        state = course.y[:, -1]
    every = np.concatenate(rows)
    z = np.cumsum(step_m) - step_m / 2
    mask = np.zeros(count, dtype=bool)
    mask[cures] = True
    return CureCourse(np.concatenate(times), z, every[:, 0::2], np.clip(every[:, 1::2], 0.0, 1.0), index, mask)
