"""What follows from the cure: vacuum off, demould, post-cure, too hot and what helps, the deepest vacuum."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from operator import itemgetter
from typing import Literal

import numpy as np

from bibulon.cure.schedule import around_of, legs_of, turns_of
from bibulon.cure.slabs import core_most_k, mould_most_k
from bibulon.cure.study import FOLLOWED_S, CureStudy, StackCure
from bibulon.job import Job
from bibulon.job.cards import FilmCard
from bibulon.job.edits import changed, revised
from bibulon.job.resin_card import ResinCard
from bibulon.laminate.cells import laminate_of
from bibulon.quantities import Units, show
from bibulon.resin.boiling import Boiling, boiling_of
from bibulon.resin.card_law import law_of, most_exotherm_k
from bibulon.resin.law import ResinLaw, hastened
from bibulon.resin.mixing import mixed_temperature_k
from bibulon.resin.through_thickness import Slab, cure_through

LOAD_OVER_K = 35.0
"""Over the shop's temperature: glass transition of a part that is fit to be loaded, where nothing is asked of it."""
WARM_FOR_S = 4 * 3600.0
"""A green part is warmed for no longer than this before it is handled hard."""
TO_TOUCH_K = 318.15
"""A part that is to be cut is no warmer than this, 45 °C."""
POST_CURES_K = (313.15, 323.15, 333.15, 343.15, 353.15, 363.15, 373.15, 393.15, 413.15)
SHORTEST_POST_S, LONGEST_POST_S = 3600.0, 16 * 3600.0
COOLER_K, LOWER_K = 6.0, 10.0
HELPS_K = 2.0
"""What makes it cooler by less is no remedy."""

What = Literal["resin", "core", "mould", "film", "tape"]


@dataclass(frozen=True)
class TooHot:
    """Something gets hotter than it stands, at a stack of the part."""

    what: What
    peak_k: float
    most_k: float
    stack: StackCure


@dataclass(frozen=True)
class Remedy:
    """What would help against heat, in words, and how hot it then gets."""

    words: str
    peak_k: float


@dataclass(frozen=True)
class PostCure:
    """A hold at a temperature that brings the glass transition to what is wanted."""

    hold_k: float
    hold_s: float


def demould_s(job: Job, study: CureStudy) -> float:
    """When the part may be taken off: vacuum off, and hard by the house rule."""
    return study.hard_s(study.vacuum_off_s, job.house.green_over_k)


def trim_s(job: Job, study: CureStudy) -> float:
    """When its edges may be cut: off the mould, hard by the house rule for that, and cool enough to be touched."""
    return study.hard_s(demould_s(job, study), job.house.trim_over_k, TO_TOUCH_K)


def load_s(job: Job, study: CureStudy) -> float:
    """When it is fit to be loaded: its glass transition is what is wanted, or well over the shop's temperature."""
    return max(demould_s(job, study), study.tg_over_s(wanted_tg_k(job)))


def warm_before_handling(job: Job, study: CureStudy) -> PostCure | None:
    """The coolest hold of up to :data:`WARM_FOR_S` that brings the part, taken off when it may be, to what it is fit to
    be loaded at; None if it is so by then, or no hold does."""
    off_s, law, wanted = demould_s(job, study), study.law, wanted_tg_k(job)
    cure = law.cure_at_tg(wanted)
    if not math.isfinite(off_s) or cure >= 1 or study.tg_over_s(wanted) <= off_s:
        return None
    return _coolest_hold(law, study.least_cure_at(off_s), cure, WARM_FOR_S)


def wanted_tg_k(job: Job) -> float:
    """The glass transition that is wanted of the part of *job*."""
    return job.curing.tg_wanted_k or job.shop.temperature_k + LOAD_OVER_K


def post_cure(job: Job, study: CureStudy) -> PostCure | None:
    """The coolest hold that brings the resin that has cured least to the glass transition that is wanted within
    :data:`LONGEST_POST_S`; None if it is there by itself, or no hold does."""
    law, wanted = study.law, wanted_tg_k(job)
    cure = law.cure_at_tg(wanted)
    if cure >= 1 or study.tg_over_s(wanted) < math.inf:
        return None
    return _coolest_hold(law, study.least_cure_at(study.end_s), cure, LONGEST_POST_S)


def _coolest_hold(law: ResinLaw, begin: float, end: float, longest_s: float) -> PostCure | None:
    """The coolest hold that brings resin from one degree of cure to another in no more than *longest_s*."""
    for hold_k in POST_CURES_K:
        time_s = _held_s(law, hold_k, begin, end)
        if time_s <= longest_s:
            return PostCure(hold_k, max(time_s, SHORTEST_POST_S))
    return None


def _held_s(law: ResinLaw, hold_k: float, begin: float, end: float) -> float:
    """How long resin takes at a temperature from one degree of cure to another, slowing down as it turns to glass."""
    cures = np.linspace(begin, end, 201)
    rates = np.maximum(law.rate_as_glass(hold_k, cures), 1e-30)
    return float(np.trapezoid(1 / rates, cures))


def too_hot(job: Job, study: CureStudy) -> tuple[TooHot, ...]:
    """What gets hotter than it stands, each where it is over that by most."""
    found: list[TooHot] = []
    for what, limit in _limits(job):
        over: list[TooHot] = []
        for one in study.stacks:
            peak, most = _peak(one, what), core_most_k(job, one.stack) if what == "core" else limit
            if peak is not None and most is not None and peak > most:
                over.append(TooHot(what, peak, most, one))
        if over:
            found.append(max(over, key=lambda hot: hot.peak_k - hot.most_k))
    return tuple(found)


def _limits(job: Job) -> Iterator[tuple[What, float]]:
    yield "resin", most_exotherm_k(job.resin)
    yield "core", math.inf
    yield "mould", mould_most_k(job)
    if not job.in_mould and job.bag.film is not None:
        yield "film", job.card(job.bag.film, FilmCard).highest_temperature_k


def stands_k(job: Job, taken_off: bool = False) -> tuple[What, float]:
    """What of the part of *job* stands the least heat, and how much; once it is *taken off*, without mould and film."""
    cores = (core_most_k(job, cell.stack) for cell in laminate_of(job).cells)
    found: list[tuple[What, float]] = [*_limits(job), *(("core", most) for most in cores if most is not None)]
    return min((one for one in found if not taken_off or one[0] in ("resin", "core")), key=itemgetter(1))


def _peak(one: StackCure, what: What) -> float | None:
    by_what: dict[What, float | None] = {
        "resin": one.peak_k, "core": one.core_peak_k, "mould": one.mould_peak_k, "film": one.bag_peak_k,
        "tape": one.bag_peak_k,
    }  # fmt: skip
    return by_what[what]


def remedies(
    job: Job, start_s: float, hot: TooHot, slower: tuple[ResinCard, ...] = (), units: Units | None = None
) -> tuple[Remedy, ...]:
    """What helps at the stack that is too hot, and how hot it then gets: two shots, each of the *slower* hardeners, a
    cooler mould, a cooler hold; the coolest first. Only what does make it cooler. The cure is followed from *start_s*,
    the end of the fill on the run clock."""
    stack, found = hot.stack, []

    def by(kelvins: float) -> str:
        return show(kelvins, "temperature difference", units or Units())

    def peak(of: Job, slabs: tuple[Slab, ...]) -> float:
        planned = law_of(of.resin)
        law = hastened(planned, stack.faster)
        legs = legs_of(of, start_s)
        end_s = max(start_s, legs[-1].end_s if legs else 0.0) + FOLLOWED_S
        still_k = of.mould_temperature_k
        cure = float(planned.aged(still_k, 0.0, stack.age_s))
        starts = [still_k + (stack.excess_k if slab.name == "plies" else 0.0) for slab in slabs]
        course = cure_through(law, slabs, around_of(of, legs), start_s, end_s, starts, cure, turns_of(legs))
        there = np.array([slab.name for slab in slabs])[course.slab]
        names = {"resin": "plies", "core": "core", "mould": "mould"}
        wanted = names.get(hot.what)
        rows = course.temperature_k[:, there == wanted] if wanted else course.temperature_k[:, -1:]
        return float(rows.max())

    halved = tuple(
        replace(slab, thickness_m=slab.thickness_m / 2) if slab.name == "plies" else slab for slab in stack.slabs
    )
    found.append(Remedy("in two shots, each half as thick", peak(job, halved)))
    for card in slower:
        other = changed(
            job, cards=(*(one for one in job.cards if one.id != card.id), card),
            charge=revised(job.charge, resin=card.id),
        )  # fmt: skip
        found.append(Remedy(f"with {card.name}", peak(other, stack.slabs)))
    cooler_k = job.mould_temperature_k - COOLER_K
    if cooler_k >= job.resin.lowest_temperature_k:
        shop = revised(job.shop, temperature_k=min(job.shop.temperature_k, max(cooler_k, 263.15)))
        mould = revised(job.mould, temperature_k=None if job.mould.temperature_k is None else cooler_k)
        found.append(
            Remedy(
                f"{by(COOLER_K)} cooler",
                peak(changed(job, shop=shop, mould=mould), stack.slabs),
            )
        )
    if job.curing.steps:
        steps = tuple(revised(step, to_k=max(step.to_k - LOWER_K, 233.15)) for step in job.curing.steps)
        lower = changed(job, curing=revised(job.curing, steps=steps))
        found.append(
            Remedy(
                f"with every hold {by(LOWER_K)} cooler",
                peak(lower, stack.slabs),
            )
        )
    return tuple(sorted((one for one in found if one.peak_k < hot.peak_k - HELPS_K), key=lambda one: one.peak_k))


@dataclass(frozen=True)
class SafeVacuum:
    """The deepest vacuum that does not boil the resin, as absolute pressures: during the fill, and after it to gel."""

    boiling: Boiling
    filling_k: float
    filling_pa: float
    after_k: float
    after_pa: float


def gases_below(job: Job, study: CureStudy | None) -> tuple[float, float | None]:
    """The absolute pressure below which the resin of *job* gases, and at which temperature (K); None where only the
    card's least pressure says so."""
    safe = safe_vacuum(job, study)
    if safe is None or not job.resin.boiling or max(safe.filling_pa, safe.after_pa) <= job.resin.lowest_pressure_pa:
        return job.resin.lowest_pressure_pa, None
    if safe.filling_pa >= safe.after_pa:
        return safe.filling_pa, safe.filling_k
    return safe.after_pa, safe.after_k


def safe_vacuum(job: Job, study: CureStudy | None) -> SafeVacuum | None:
    """For the resin of *job* at its warmest; None where its card says nothing."""
    boiling = boiling_of(job.resin)
    if boiling is None:
        return None
    warmest = job.pair.injection.resin_temperature_k if job.in_mould else None
    filling_k = max(mixed_temperature_k(job), job.mould_temperature_k, warmest or 0.0)
    after_k = job.mould_temperature_k
    if study is not None:
        for one in study.stacks:
            course = one.course
            liquid = course.cure[:, course.cures] < study.law.gel_cure
            warm = course.temperature_k[:, course.cures]
            after_k = max(after_k, float(warm[liquid].max(initial=after_k)))
    return SafeVacuum(boiling, filling_k, boiling.deepest_pa(filling_k), after_k, boiling.deepest_pa(after_k))
