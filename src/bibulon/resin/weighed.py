"""What was weighed for a batch, held against its card: the mix ratio, and the dose of a catalyst."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import permutations

from bibulon.job import Job
from bibulon.job.charge import MixedBatch
from bibulon.job.dosing import dose_of, dose_weighed, dosed
from bibulon.job.resin_card import ResinCard
from bibulon.quantities import Units, show_measure
from bibulon.quantities_in_words import brief_each, percent
from bibulon.resin.viscosity import film_gel_s

MOST_ORDERED = 5
SAME_ORDER = 0.1
"""Masses in another order than that of the components are told by a ratio that is off by less than this."""
MANY_TIMES = 2.0
HAIR = 1e-6


def weighed_off(resin: ResinCard, masses_kg: Sequence[float]) -> float:
    """By what share the ratio of what was weighed is off the card's, at the component that is furthest off; infinite
    without its first component.

    A catalyst is left out while it is within the maker's range: resin cures with all of it.
    """
    return _worst(resin, masses_kg)[0]


def _worst(resin: ResinCard, masses_kg: Sequence[float]) -> tuple[float, str]:
    """That share, and which component it is."""
    if len(masses_kg) != len(resin.components) or masses_kg[0] <= 0:
        return math.inf, ""
    first = masses_kg[0] / resin.components[0].parts_by_weight
    allowed = resin.dose.component if resin.dose is not None and dosed_in_range(resin, masses_kg) else ""
    pairs = zip(masses_kg, resin.components, strict=True)
    off = [(mass / one.parts_by_weight / first - 1, one.name) for mass, one in pairs if one.name != allowed]
    return max(off, key=lambda pair: abs(pair[0]))


def weighed_off_by_volume(resin: ResinCard, masses_kg: Sequence[float]) -> float:
    """By what share what was weighed is off the card's ratio by volume, taken for one by weight."""
    volumes = [one.parts_by_volume or one.parts_by_weight / one.density_kg_m3 for one in resin.components]
    if len(masses_kg) != len(volumes) or masses_kg[0] <= 0:
        return math.inf
    first = masses_kg[0] / volumes[0]
    return max((mass / volume / first - 1 for mass, volume in zip(masses_kg, volumes, strict=True)), key=abs)


def dosed_in_range(resin: ResinCard, masses_kg: Sequence[float]) -> bool:
    """Whether what was weighed has its catalyst within the maker's range."""
    weighed, dose = dose_weighed(resin, masses_kg), resin.dose
    if weighed is None or dose is None:
        return False
    return dose.least * (1 - HAIR) <= weighed <= dose.most * (1 + HAIR)


def dose_off(resin: ResinCard, masses_kg: Sequence[float]) -> float:
    """By what share of itself the dose of catalyst in what was weighed is off the card's; 0 for what is not dosed."""
    weighed = dose_weighed(resin, masses_kg)
    return 0.0 if weighed is None else weighed / max(dose_of(resin), 1e-12) - 1


def dose_words(job: Job, batch: MixedBatch, units: Units) -> str:
    """What dose of catalyst a *batch* was weighed with and what that does to its gel, in a sentence."""
    weighed = dose_weighed(job.resin, batch.masses_kg) or dose_of(job.resin)
    gels = [film_gel_s(dosed(job.resin, one), job.mould_temperature_k) for one in (weighed, None)]
    then, planned = brief_each(gels, "duration", units)
    return (
        f"B{batch.number} was weighed with {percent(weighed, 2)} of catalyst, where {percent(dose_of(job.resin), 2)} "
        f"are planned: a thin layer gels in {then} instead of {planned}."
    )


def ratio_words(resin: ResinCard, masses_kg: Sequence[float], most_off: float, units: Units) -> str:
    """What is wrong with what was weighed, as "5 % too much hardener", where its ratio is off by more than *most_off*
    or its catalyst is out of the maker's range; empty where nothing is."""
    off, name = _worst(resin, masses_kg)
    if abs(off) <= most_off:
        return ""
    if not math.isfinite(off):
        return "one of its components missing"
    if order := _other_order(resin, masses_kg):
        pairs = zip(masses_kg, resin.components, strict=True)
        has = " and ".join(f"{show_measure(mass, 'mass', units)} of {one.name}" for mass, one in pairs)
        return f"{has}: in the order {', '.join(order)} it would be right"
    weighed = dose_weighed(resin, masses_kg)
    if resin.dose is not None and weighed is not None and name == resin.dose.component:
        least, most = percent(resin.dose.least, 2), percent(resin.dose.most, 2)
        return f"{percent(weighed, 2)} of {name}, where the maker's range is {least} to {most}"
    if off > MANY_TIMES:
        return f"{1 + off:.0f} times as much {name} as it should have"
    by_volume = abs(weighed_off_by_volume(resin, masses_kg)) <= most_off
    why = ", for the parts by volume were put on the scale" if by_volume else ""
    return f"{percent(abs(off))} too {'much' if off > 0 else 'little'} {name}{why}"


def _other_order(resin: ResinCard, masses_kg: Sequence[float]) -> tuple[str, ...]:
    """The components in the order in which what was weighed would be right; empty where there is none."""
    if len(masses_kg) > MOST_ORDERED or min(masses_kg) <= 0 or abs(weighed_off(resin, masses_kg)) < SAME_ORDER:
        return ()
    for order in permutations(range(len(masses_kg))):
        if abs(weighed_off(resin, [masses_kg[at] for at in order])) < SAME_ORDER:
            named = sorted(zip(order, resin.components, strict=True), key=lambda pair: pair[0])
            return tuple(one.name for _, one in named)
    return ()
