"""A recipe proposed for an injection: as fast as the clamp, or the bladder, safely allows, and gentle at the end."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.flow.cavity import supply_pa
from bibulon.flow.result import FillResult
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER, Job
from bibulon.job.edits import revised, with_pair
from bibulon.job.pair import InjectionStep, UntilMass
from bibulon.mould.bladder import most_over_pa
from bibulon.mould.clamp import highest_injection_pa
from bibulon.mould.injection import injection_course
from bibulon.mould.press import press_forces, press_holds_pa

RESERVE = 0.8
"""Of what holds with the vent shut, the recipe takes so much,"""
GENTLE = 0.5
"""and of that so much at the end, where resin meets the vent."""
UNTIL_SHARE = 0.8
"""The first step lasts until so much of the shot is in."""
WORTH_SHARE = 0.1
"""Less than this share of what the vacuum drives with is not worth a pot or a machine."""
RATE_SHARE = 2.0
"""The rate is at most so many times the mean: it starts no faster than hands can follow."""
ROUND_PA = 500.0


@dataclass(frozen=True)
class Recipe:
    """A proposal: the job with it, and why in words; the job as it was where nothing more than vacuum is safe."""

    job: Job
    presses_pa: float
    """Over the atmosphere, at the most."""


def safe_over_pa(job: Job, fill: FillResult) -> float:
    """The most over the atmosphere that the mould of *job* holds even with its vent shut, with reserve; 0 or more."""
    pair = job.pair
    if job.process in CLAMPED_BY_VACUUM:
        most = highest_injection_pa(job, fill.upper) if fill.upper is not None else None
    elif job.process in WITH_BLADDER:
        most = most_over_pa(job)
    else:
        held_pa = press_holds_pa(job, press_forces(job, fill), job.house.clamp_reserve)
        most = min(held_pa, job.house.usual_pressure_pa)
    rated = pair.injection.rated_pa
    safe = RESERVE * min(most if most is not None else 0.0, rated)
    return max(safe // ROUND_PA * ROUND_PA, 0.0)


def recipe_for(job: Job, fill: FillResult) -> Recipe:
    """A recipe for *job*, scaled from its present *fill*: a rate up to the safe pressure until most of the shot is in,
    then half of that pressure until the end. Where that pressure is not worth it, the vacuum alone."""
    injection = job.pair.injection
    safe = safe_over_pa(job, fill)
    if safe < WORTH_SHARE * supply_pa(job, 0.0):
        alone = revised(
            injection, source="machine" if injection.source == "machine" else "bucket", steps=(InjectionStep(),)
        )
        return Recipe(with_pair(job, injection=alone), 0.0)
    course = injection_course(job, fill)
    now = max(step.over_pressure_pa for step in injection.steps)
    faster = supply_pa(job, safe) / max(supply_pa(job, now), 1.0)
    rate = float(f"{RATE_SHARE * course.mean_rate_m3_s * faster:.2g}")
    mass = float(f"{UNTIL_SHARE * float(course.drawn_m3[-1]) * job.resin.density_kg_m3:.2g}")
    steps = (
        InjectionStep(rate_m3_s=rate, over_pressure_pa=safe, until=UntilMass(mass_kg=mass)),
        InjectionStep(over_pressure_pa=GENTLE * safe // ROUND_PA * ROUND_PA),
    )
    if injection.source != "machine":  # a pot holds pressures, and no rates
        first = InjectionStep(over_pressure_pa=safe, until=UntilMass(mass_kg=mass))
        steps = (first, steps[1])
    source = "pressure pot" if injection.source == "bucket" else injection.source
    return Recipe(with_pair(job, injection=revised(injection, source=source, steps=steps)), safe)
