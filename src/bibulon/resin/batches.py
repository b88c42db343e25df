"""Batches: when to mix how much, so that each is used up well within its own pot life.

The draw curve of the simulated fill says how fast the bucket empties, down to the heel. A batch of mass m lasts
``share · pot life(m)`` in the pot that it is mixed in; from its pouring it serves until the draw has taken it. Each
batch is the largest that still meets this and finds room in the bucket, so their number is the smallest. As many are
mixed at the same time as there are people and scales, so where the draw is quick a batch is mixed before the one ahead
of it is used up, at worst before the start. Batches that somebody has planned are taken as they are, and those that
were weighed as they were mixed: so much, so warm, with that dose of catalyst, from that time on. Of one that was poured
early and whose mixing nobody wrote down, all that is known is that it was mixed by then.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
import numpy.typing as npt

from bibulon.job import Job
from bibulon.job.cards import ResinCard
from bibulon.job.charge import ChargePlan, Weighed
from bibulon.job.dosing import dose_as_weighed, dosed
from bibulon.resin.card_law import law_of
from bibulon.resin.charge import charge_of
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot import Pot, PotCourse, pot_course
from bibulon.resin.pot_life import pot_life_s

SMALLEST_BATCH_KG = 0.1
MOST_BATCHES = 200
MORE_TRIED = 12
LATE_S = 30.0
"""A bucket that waits no longer for a batch has it in time: nobody clamps a feed for less."""
AS_PLANNED_S = 60.0
"""A batch that was poured no more than this before its time counts as mixed when it was planned to be."""
SHORT_SHARE = 0.01
"""The charge follows the fill by some grams; a plan by hand that is short of it by less than this share stands."""
COARSE_SHARE = 0.04
"""The same while the fill is a coarse one, whose charge is up to 3 % larger."""


@dataclass(frozen=True)
class Batch:
    """One batch on the run clock: mixed from ``mix_s`` (may be before the start), poured, used up."""

    number: int
    mass_kg: float
    mixed_k: float
    """How warm it was mixed."""
    mix_s: float
    pour_s: float
    used_s: float
    usable_until_s: float
    in_time: bool
    """False if it gels first: it is older than its share of the pot life when used up."""
    late_s: float = 0.0
    """So much later than the bucket is down to its heel can it be poured: the feed has to be clamped for as long."""
    dose: float | None = None
    """Of catalyst, where it was weighed with another than planned."""

    @property
    def comes_late(self) -> bool:
        """Whether that is worth a word."""
        return self.late_s > LATE_S


def course_of(job: Job, batch: Batch) -> PotCourse:
    """The pot of a *batch* of *job* from its mixing on, left full, with the dose of catalyst that was weighed."""
    law, density = law_of(dosed(job.resin, batch.dose)), job.resin.density_kg_m3
    return pot_course(law, density, batch.mass_kg, batch.mixed_k, pot_of(job))


def out_after_s(job: Job, batch: Batch) -> float:
    """How long after its mixing the pot of a *batch* of *job* has to be out of the shop, if it stands full: too warm,
    too thick, or at the end of its pot life."""
    lasts_s = pot_life_s(dosed(job.resin, batch.dose), batch.mixed_k, batch.mass_kg, pot_of(job))
    return min(course_of(job, batch).life_s, lasts_s)


def batches_of(
    plan: ChargePlan,
    resin: ResinCard,
    temperature_k: float,
    total_kg: float,
    times_s: npt.NDArray[np.float64],
    drawn_kg: npt.NDArray[np.float64],
    heel_kg: float = 0.0,
    in_fill_kg: tuple[float, ...] = (),
    air_k: float | None = None,
    room_kg: float = math.inf,
    weighed: Sequence[Weighed] = (),
    waited: Mapping[int, float] | None = None,
) -> tuple[Batch, ...]:
    """Batches for *total_kg*, of which ``drawn_kg`` (k,) has left the bucket at ``times_s`` (k,).

    The first are those that were *weighed*; the others make up what they leave.

    They are mixed at *temperature_k*, in air of *air_k* (as warm as the mix where it is not given), and poured where
    there is room for *room_kg* on the heel. A batch is used up, and the next one poured, when the bucket holds no more
    than *heel_kg*: the dip tube must not draw air. Where batches of
    *in_fill_kg*, by which the resin aged in the fill (any more like the last), will do and are no more, they are taken.
    The bucket *waited*, with all feeds clamped, for the batches of those numbers from those times on.
    """
    pot = Pot(plan.pot_shape, temperature_k if air_k is None else air_k, plan.bath_k)
    largest_kg = max(min(plan.largest_batch_kg, room_kg), SMALLEST_BATCH_KG)
    end_kg = float(drawn_kg[-1])
    if total_kg <= 0 or end_kg <= 0:
        return ()

    def time_of(mass_kg: float) -> float:
        """When so much of what is mixed is used up, but for the heel."""
        return float(np.interp(mass_kg - heel_kg, drawn_kg, times_s)) if mass_kg > 0 else 0.0

    def fits(start_kg: float, mass_kg: float) -> bool:
        age = plan.mix_time_s + time_of(start_kg + mass_kg) - time_of(start_kg)
        return age <= plan.pot_life_share * pot_life_s(resin, temperature_k, mass_kg, pot)

    def timed(masses: Sequence[float]) -> tuple[Batch, ...]:
        """Batches of *masses*, each mixed as late as there are hands for it."""
        starts = np.concatenate([[0.0], np.cumsum(masses)])
        wanted_s = [time_of(float(start)) for start in starts]
        for number, since_s in (waited or {}).items():
            if number <= len(masses):  # nothing is drawn meanwhile, so that the draw says no more than that
                wanted_s[number - 1] = min(wanted_s[number - 1], since_s)
        pours = wanted_s[:-1]
        for index in range(1, len(pours)):  # what is mixed to be at hand, and never drawn, presses nobody
            if starts[index - 1] - heel_kg >= end_kg - 1e-9:
                pours[index] = pours[index - 1] + plan.mix_time_s
        batches: list[Batch] = []
        free_until = [math.inf] * min(plan.people, plan.scales)
        for index in reversed(range(len(masses))):
            who = free_until.index(max(free_until))
            mix = min(pours[index], free_until[who]) - plan.mix_time_s
            wanted = plan.batches[index].mix_s if index < len(plan.batches) else None
            warm_k, dose, poured_s = temperature_k, None, None
            if index < len(weighed):
                known = weighed[index]
                wanted = wanted if known.mix_s is None else known.mix_s
                warm_k = warm_k if known.temperature_k is None else known.temperature_k
                dose, poured_s = dose_as_weighed(resin, known.masses_kg), known.poured_s
                by_log_s = known.mixed_by_s(plan.mix_time_s)
                if known.mix_s is None and by_log_s is not None:
                    planned = mix if wanted is None else wanted
                    early = by_log_s < planned - AS_PLANNED_S
                    wanted = by_log_s if early or known.begun_s is not None else wanted
            mix = free_until[who] = mix if wanted is None else wanted
            pour = max(pours[index], mix + plan.mix_time_s if poured_s is None else max(mix, poured_s))
            used = max(wanted_s[index + 1], pour)
            usable = mix + plan.pot_life_share * pot_life_s(dosed(resin, dose), warm_k, masses[index], pot)
            late_s, in_time = max(pour - pours[index], 0.0), used <= usable + 1e-6
            batches.insert(0, Batch(index + 1, masses[index], warm_k, mix, pour, used, usable, in_time, late_s, dose))
        return tuple(batches)

    done = [batch.mass_kg for batch in weighed]
    if by_hand := _by_hand(plan, total_kg, done):
        return timed(by_hand)
    begun = sum(done)
    left_kg = total_kg - begun
    if done and left_kg <= SHORT_SHARE * total_kg:
        return timed(done)

    def fits_then(start_kg: float, mass_kg: float) -> bool:
        """Whether a batch fits that follows on what was weighed and so much more."""
        return fits(begun + start_kg, mass_kg)

    given = _made_up(left_kg, in_fill_kg[min(len(done), len(in_fill_kg) - 1) :] if in_fill_kg else (), largest_kg)
    masses: list[float] = []
    start = 0.0
    while start < left_kg - 1e-9 and len(masses) < MOST_BATCHES:
        largest = min(largest_kg, left_kg - start)
        masses.append(_largest(partial(fits_then, start), min(SMALLEST_BATCH_KG, largest), largest))
        start += masses[-1]
    masses = _levelled(masses, fits_then)
    if 0 < len(given) <= len(masses) and all(fits_then(sum(given[:at]), mass) for at, mass in enumerate(given)):
        masses = given
    best = timed([*done, *masses])
    # where the draw is quicker than hands can mix, pots stand mixed for long: smaller ones last longer
    for count in range(len(masses) + 1, len(masses) + 1 + MORE_TRIED):
        if all(batch.in_time for batch in best[len(done) :]) or count > MOST_BATCHES:
            break
        if left_kg / count < SMALLEST_BATCH_KG:
            break
        trial = timed([*done, *[left_kg / count] * count])
        if _lateness_s(trial) < _lateness_s(best):
            best = trial
    return best


def _lateness_s(batches: Sequence[Batch]) -> float:
    return max(max(batch.used_s - batch.usable_until_s, 0.0) for batch in batches)


def _by_hand(plan: ChargePlan, total_kg: float, done_kg: Sequence[float] = ()) -> list[float]:
    """The masses that somebody has planned, those of *done_kg* in place of the first, the last of all taking what is
    left; none where nobody has."""
    if not plan.batches:
        return []
    masses = list(done_kg)
    for batch in plan.batches[len(masses) :]:
        left = total_kg - sum(masses)
        if left <= 1e-9:
            break
        masses.append(min(batch.mass_kg, left))
    return masses


def unplanned_kg(
    plan: ChargePlan, total_kg: float, weighed: Sequence[Weighed] = (), least: float = SHORT_SHARE
) -> float:
    """How much of the charge is in no batch of those that are planned by hand, or were *weighed* in place of the first
    of them; 0 where none are planned, or no more than the share *least* is missing."""
    planned_kg = sum(batch.mass_kg for batch in plan.batches[len(weighed) :])
    missing = total_kg - planned_kg - sum(batch.mass_kg for batch in weighed)
    return missing if plan.batches and missing > least * total_kg else 0.0


@dataclass(frozen=True)
class Poured:
    """A batch as it comes into the bucket: how much, how old, how warm it was mixed, and its dose of catalyst where
    that is another than planned."""

    mass_kg: float
    age_s: float
    mixed_k: float
    dose: float | None = None
    ready_s: float = -math.inf
    """On the run clock, when it is mixed, where somebody has planned that; else whenever it is wanted."""


def planned_for(job: Job, batches: Sequence[Batch] | None) -> tuple[Poured, ...]:
    """The batches of *job* as they are poured: those that are planned by a draw, or before there is one those that are
    planned by hand, else the fewest, all alike; what was weighed comes first."""
    if batches:
        return tuple(
            Poured(batch.mass_kg, batch.pour_s - batch.mix_s, batch.mixed_k, batch.dose, _ready_s(job, at))
            for at, batch in enumerate(batches)
        )
    total, mix_s, warm_k = charge_of(job).total_kg, job.charge.mix_time_s, mixed_temperature_k(job)
    done = job.weighed
    masses = _by_hand(job.charge, total, [batch.mass_kg for batch in done])
    if not masses:
        left_kg = max(total - sum(batch.mass_kg for batch in done), 0.0)
        more = [even_batch_kg(left_kg, job.charge.largest_batch_kg)] if left_kg > 0 else []
        masses = [*(batch.mass_kg for batch in done), *more]
    poured = [Poured(mass, mix_s, warm_k, ready_s=_ready_s(job, at)) for at, mass in enumerate(masses)]
    for at, batch in enumerate(done):
        warm = warm_k if batch.temperature_k is None else batch.temperature_k
        poured[at] = replace(poured[at], mixed_k=warm, dose=dose_as_weighed(job.resin, batch.masses_kg))
    return tuple(poured)


def _ready_s(job: Job, at: int) -> float:
    """When the batch at that place is mixed, if somebody has planned that and nobody has weighed it yet."""
    planned = job.charge.batches[at].mix_s if len(job.weighed) <= at < len(job.charge.batches) else None
    return -math.inf if planned is None else planned + job.charge.mix_time_s


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
