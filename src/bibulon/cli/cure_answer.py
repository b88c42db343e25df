"""What ``bibulon cure`` and ``bibulon resin`` answer, as figures and as lines to read."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from bibulon.cure.answers import demould_s, load_s, post_cure, safe_vacuum, too_hot, trim_s, warm_before_handling
from bibulon.quantities import show, show_measure
from bibulon.quantities_in_words import brief
from bibulon.resin.card_law import law_of
from bibulon.resin.law import isothermal
from bibulon.resin.mixing import measures_of, mixed_temperature_k
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.pot_life import pot_life_s

if TYPE_CHECKING:
    from bibulon.assess import Assessment
    from bibulon.cure.study import CureStudy
    from bibulon.job import Job

COURSE_ROWS = 60


def cure_answer(assessment: Assessment, study: CureStudy) -> dict[str, Any]:
    """The cure of a job as figures; times in s from the opening of the first feed, null for what is never reached."""
    job = assessment.job
    safe, hold, warm = safe_vacuum(job, study), post_cure(job, study), warm_before_handling(job, study)
    return {
        "first_gel_s": _or_none(study.first_gel_s),
        "last_gel_s": _or_none(study.last_gel_s),
        "vacuum_off_s": _or_none(study.vacuum_off_s),
        "demould_s": _or_none(demould_s(job, study)),
        "trim_s": _or_none(trim_s(job, study)),
        "load_s": _or_none(load_s(job, study)),
        "later_than_planned_s": study.later_s,
        "last_mixed_s": assessment.last_mixed.mixed_s,
        "hottest_k": study.hottest.peak_k,
        "hottest_s": study.hottest.course.peak_s,
        "hottest_place_m": study.hottest.place,
        "followed_until_s": study.end_s,
        "least_cure": study.least_cure_at(study.end_s),
        "least_tg_k": float(study.law.tg_k(study.least_cure_at(study.end_s))),
        "post_cure": None if hold is None else {"temperature_k": hold.hold_k, "time_s": hold.hold_s},
        "warm_before_handling": None if warm is None else {"temperature_k": warm.hold_k, "time_s": warm.hold_s},
        "leftovers": [
            {
                "where": left.where,
                "mass_kg": left.mass_kg,
                "peak_k": left.peak_k,
                "peak_s": left.peak_s,
                "out_by_s": _or_none(left.out_by_s),
                "cold_s": _or_none(left.cold_s),
                "spread_m": left.spread_m,
                "under_vacuum": left.under_vacuum,
            }
            for left in assessment.leftovers
        ],
        "too_hot": [
            {"what": one.what, "peak_k": one.peak_k, "most_k": one.most_k, "place_m": one.stack.place}
            for one in too_hot(job, study)
        ],
        "deepest_vacuum_pa": None if safe is None else {"filling": safe.filling_pa, "after": safe.after_pa},
        "assumed": study.law.assumed,
        "stacks": list(_stacks(study)),
    }


def _or_none(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _stacks(study: CureStudy) -> Iterator[dict[str, Any]]:
    for one in study.stacks:
        course = one.course
        resin_k, cure = course.temperature_k[:, course.cures], course.cure[:, course.cures]
        rows = np.unique(np.linspace(0, len(course.times_s) - 1, COURSE_ROWS).round().astype(int))
        yield {
            "place_m": one.place,
            "area_m2": one.area_m2,
            "plies_m": one.stack.laminate_thickness_m,
            "slabs": [{"name": slab.name, "thickness_m": slab.thickness_m} for slab in one.slabs],
            "age_s": one.age_s,
            "latest_resin": one.latest,
            "peak_k": one.peak_k,
            "gel_s": _or_none(course.cured_to_s(study.law.gel_cure)),
            "times_s": course.times_s[rows].tolist(),
            "hottest_k": resin_k.max(axis=1)[rows].tolist(),
            "coolest_k": resin_k.min(axis=1)[rows].tolist(),
            "most_cure": cure.max(axis=1)[rows].tolist(),
            "least_cure": cure.min(axis=1)[rows].tolist(),
        }


def cure_lines(assessment: Assessment, study: CureStudy) -> Iterator[str]:
    """The cure in lines to read."""
    answer, units = cure_answer(assessment, study), assessment.units
    for words, name in (
        ("First gel", "first_gel_s"), ("Last gel", "last_gel_s"), ("Vacuum off", "vacuum_off_s"),
        ("Demould", "demould_s"), ("Trim", "trim_s"), ("Fit to be loaded", "load_s"),
    ):  # fmt: skip
        time_s = answer[name]
        yield f"{words:20}{'not by itself' if time_s is None else show(time_s, 'duration'):>14}"
    if study.later_s > 0:
        yield f"By what was read at the part {show(study.later_s, 'duration')} later than planned: counted in above."
    yield f"{'Hottest':20}{show(answer['hottest_k'], 'temperature', units):>14}"
    for hot in answer["too_hot"]:
        peak, most = (show(hot[name], "temperature", units) for name in ("peak_k", "most_k"))
        yield f"The {hot['what']} gets {peak}; it stands {most}."
    if answer["post_cure"]:
        at = show(answer["post_cure"]["temperature_k"], "temperature", units)
        yield f"Post-cure: {show(answer['post_cure']['time_s'], 'duration')} at {at}."
    if answer["warm_before_handling"]:
        warm = answer["warm_before_handling"]
        at = show(warm["temperature_k"], "temperature", units)
        yield f"Warm it before it is handled hard: {show(warm['time_s'], 'duration')} at {at}."
    for left in answer["leftovers"]:
        mass, hot = show(left["mass_kg"], "mass", units), brief(left["peak_k"], "temperature", units)
        out = ""
        if left["out_by_s"] is not None:
            what = "in water" if left["under_vacuum"] else "out of the shop"
            out = f", {what} by {show(left['out_by_s'], 'duration')}"
        yield f"{mass} left {left['where']} gets about {hot}{out}."
    if answer["assumed"]:
        yield f"Assumed: {'; '.join(answer['assumed'])}."


def resin_answer(job: Job, temperature_k: float, mass_kg: float, pot: Pot) -> dict[str, Any]:
    """The resin of *job* kept at a temperature, and a pot of it mixed there."""
    resin = job.resin
    law = law_of(resin)
    still, course = isothermal(law, temperature_k), pot_course(law, resin.density_kg_m3, mass_kg, temperature_k, pot)
    rows = np.unique(np.linspace(0, len(still.times_s) - 1, COURSE_ROWS).round().astype(int))
    life = pot_life_s(resin, temperature_k, mass_kg, pot)
    by_balance = _or_none(course.life_s)
    return {
        "resin": resin.name,
        "fitted": resin.cure is not None,
        "temperature_k": temperature_k,
        "viscosity_pa_s": float(np.exp(law.ln_viscosity(temperature_k, 0.0))),
        "gel_s": law.time_to(temperature_k, law.gel_cure),
        "gel_cure": law.gel_cure,
        "flows_until_s": still.stops_s,
        "adiabatic_rise_k": law.adiabatic_rise_k,
        "planned_mix_k": mixed_temperature_k(job),
        "course": {
            "times_s": still.times_s[rows].tolist(),
            "cure": still.cure[rows].tolist(),
            "viscosity_pa_s": (1 / np.maximum(still.fluidity[rows], 1e-300)).tolist(),
        },
        "pot": {
            "mass_kg": mass_kg,
            "shape": pot.shape,
            "around_k": pot.around_k,
            "loss_w_k": pot.loss_w_k(mass_kg / resin.density_kg_m3),
            "life_s": life,
            "life_by_balance_s": by_balance,
            "hottest_k": course.hottest_k,
            "times_s": course.times_s.tolist(),
            "temperature_k": course.temperature_k.tolist(),
            "cure": course.cure.tolist(),
        },
        "weigh": [
            {"name": one.name, "mass_kg": one.mass_kg, "volume_m3": one.volume_m3}
            for one in measures_of(resin, mass_kg)
        ],
        "constants": {
            name: getattr(law, name)
            for name in ("ln_k1", "slope1_k", "ln_k2", "slope2_k", "m", "n", "heat_j_kg", "heat_capacity_j_kg_k")
        },
        "assumed": law.assumed,
    }


def resin_lines(answer: dict[str, Any]) -> Iterator[str]:
    """Its figures in lines to read."""
    at = show(answer["temperature_k"], "temperature")
    yield f"{answer['resin']} at {at}"
    yield f"{'Fresh viscosity':28}{show(answer['viscosity_pa_s'], 'viscosity'):>14}"
    yield f"{'Gel of a thin film':28}{show(answer['gel_s'], 'duration'):>14}"
    yield f"{'Flows until':28}{show(answer['flows_until_s'], 'duration'):>14}"
    pot = answer["pot"]
    stands = f"A {pot['shape']} of {show(pot['mass_kg'], 'mass')} lasts"
    yield f"{stands:28}{show(pot['life_s'], 'duration'):>14}"
    yield f"{'It gets at most':28}{show(pot['hottest_k'], 'temperature'):>14}"
    for one in answer["weigh"]:
        mass, volume = show_measure(one["mass_kg"], "mass"), show_measure(one["volume_m3"], "volume")
        yield f"  {one['name']}: {mass} by weight ({volume})"
    if answer["assumed"]:
        yield f"Assumed: {'; '.join(answer['assumed'])}."
