"""Batches: when to mix how much, so that each is used up well within its own pot life.

The draw curve of the simulated fill says how fast the bucket empties, down to the heel. A batch of mass m, mixed at the
plan's temperature, lasts ``share · pot life(m)``; from its pouring it serves until the draw has taken it. Each batch is
the largest that still meets this, so their number is the smallest. One person mixes them one after the other, so where
the draw is quick a batch is mixed before the one ahead of it is used up, at worst before the start.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from bibulon.job.cards import ResinCard
from bibulon.job.charge import ChargePlan
from bibulon.resin.viscosity import pot_life_s

SMALLEST_BATCH_KG = 0.1
MOST_BATCHES = 200


@dataclass(frozen=True)
class Batch:
    """One batch on the run clock: mixed from ``mix_s`` (may be before the start), poured, used up."""

    number: int
    mass_kg: float
    mix_s: float
    pour_s: float
    used_s: float
    usable_until_s: float
    in_time: bool
    """False if it gels first: it is older than its share of the pot life when used up."""


def batches_of(
    plan: ChargePlan,
    resin: ResinCard,
    temperature_k: float,
    total_kg: float,
    times_s: npt.NDArray[np.float64],
    drawn_kg: npt.NDArray[np.float64],
    heel_kg: float = 0.0,
    in_fill_kg: tuple[float, ...] = (),
) -> tuple[Batch, ...]:
    """Batches for *total_kg*, of which ``drawn_kg`` (k,) has left the bucket at ``times_s`` (k,).

    A batch is used up, and the next one poured, when the bucket holds no more than *heel_kg*: the dip tube must not
    draw air. Where batches of *in_fill_kg*, by which the resin aged in the fill (any more like the last), will do, they
    are taken.
    """
    end_kg = float(drawn_kg[-1])
    if total_kg <= 0 or end_kg <= 0:
        return ()

    def time_of(mass_kg: float) -> float:
        """When so much of what is mixed is used up, but for the heel."""
        return float(np.interp(mass_kg - heel_kg, drawn_kg, times_s)) if mass_kg > 0 else 0.0

    def fits(start_kg: float, mass_kg: float) -> bool:
        age = plan.mix_time_s + time_of(start_kg + mass_kg) - time_of(start_kg)
        return age <= plan.pot_life_share * pot_life_s(resin, temperature_k, mass_kg)

    masses: list[float] = []
    start = 0.0
    given = _made_up(total_kg, in_fill_kg, plan.largest_batch_kg)
    if given and all(fits(sum(given[:at]), mass) for at, mass in enumerate(given)):
        masses, start = given, total_kg
    while start < total_kg - 1e-9 and len(masses) < MOST_BATCHES:
        largest = min(plan.largest_batch_kg, total_kg - start)
        masses.append(_largest(partial(fits, start), min(SMALLEST_BATCH_KG, largest), largest))
        start += masses[-1]
    if masses is not given:
        masses = _levelled(masses, fits)

    starts = np.concatenate([[0.0], np.cumsum(masses)])
    pours = [time_of(float(start)) for start in starts[:-1]]
    batches: list[Batch] = []
    busy_from = float("inf")
    for index in reversed(range(len(masses))):
        mixed = min(pours[index], busy_from)
        mix = busy_from = mixed - plan.mix_time_s
        used = time_of(float(starts[index + 1]))
        usable = mix + plan.pot_life_share * pot_life_s(resin, temperature_k, masses[index])
        batches.insert(0, Batch(index + 1, masses[index], mix, pours[index], used, usable, used <= usable + 1e-6))
    return tuple(batches)


def even_batch_kg(total_kg: float, largest_kg: float) -> float:
    """The mass of the fewest batches, all alike, that make up *total_kg*."""
    return total_kg / max(math.ceil(total_kg / largest_kg - 1e-9), 1)


def _made_up(total_kg: float, masses_kg: tuple[float, ...], largest_kg: float) -> list[float]:
    """Batches of *masses_kg*, any more like the last, and the last of all taking what is left; none if that is too much
    for it or next to nothing."""
    taken: list[float] = []
    while masses_kg and len(taken) < MOST_BATCHES:
        left, mass = total_kg - sum(taken), masses_kg[min(len(taken), len(masses_kg) - 1)]
        after = left - mass
        if after <= 1e-9 or (after < min(mass, SMALLEST_BATCH_KG + mass / 2) and left <= largest_kg + 1e-9):
            return [*taken, left] if SMALLEST_BATCH_KG <= left <= largest_kg + 1e-9 else []
        taken.append(mass)
    return []


def _largest(fits: Callable[[float], bool], low: float, high: float) -> float:
    """The largest mass in the range that fits, or *low* if none does."""
    if fits(high):
        return high
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low


def _levelled(masses: list[float], fits: Callable[[float, float], bool]) -> list[float]:
    """As many batches as *masses*, all alike, if that also fits: one weighing sheet for all."""
    if len(masses) < 2:
        return masses
    even = sum(masses) / len(masses)
    if even <= max(masses) and all(fits(even * i, even) for i in range(len(masses))):
        return [even] * len(masses)
    return masses
