"""The course of an injection: rate and pressure of the supply over the shot, and its steps as they came.

A step's end can be moved to a time: then it lasts until what the course had at that time, whatever it counts in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.flow.cavity import supply_pa
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.edits import revised, with_pair
from bibulon.job.pair import Injection, InjectionStep, Until, UntilMass, UntilPressure, UntilTime, UntilVolume
from bibulon.quantities import Units, show


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class InjectionCourse:
    """Rate ``rate_m3_s`` (k,) and pressure over the atmosphere ``over_pa`` (k,) of the supply, what was drawn
    ``drawn_m3`` (k,), and from when to when each step lasted that came."""

    times_s: Floats
    rate_m3_s: Floats
    over_pa: Floats
    drawn_m3: Floats
    steps_s: tuple[tuple[float, float], ...]

    @property
    def mean_rate_m3_s(self) -> float:
        """What was drawn over the time that it took."""
        return float(self.drawn_m3[-1]) / max(float(self.times_s[-1]), 1e-9)

    def rate_at(self, time_s: float) -> float:
        """Rate at *time_s*; nothing flows before and after."""
        return float(np.interp(time_s, self.times_s, self.rate_m3_s, left=0.0, right=0.0))

    def over_at(self, time_s: float) -> float:
        """Pressure over the atmosphere at *time_s*."""
        return float(np.interp(time_s, self.times_s, self.over_pa))

    def drawn_at(self, time_s: float) -> float:
        """What had been drawn at *time_s*."""
        return float(np.interp(time_s, self.times_s, self.drawn_m3))


def injection_course(job: Job, fill: FillResult) -> InjectionCourse:
    """The injection of *job* as its *fill* has it."""
    times, drawn = fill.times_s, fill.drawn_m3.sum(axis=1)
    spans = np.diff(times)
    mean = np.divide(np.diff(drawn), spans, out=np.zeros(len(spans)), where=spans > 0)
    rate = np.concatenate([mean[:1], mean]) if len(mean) else np.zeros(len(times))
    over = fill.supply_pa - supply_pa(job, 0.0)
    if len(over) > 1:
        over[0] = over[1]
    begun = [at for at in fill.stage_begun_s if at <= fill.end_s]
    return InjectionCourse(times, rate, over, drawn, tuple(zip(begun, [*begun[1:], fill.end_s], strict=True)))


def step_words(step: InjectionStep, units: Units) -> str:
    """What a step does and until when, in words."""
    pressure = show(step.over_pressure_pa, "pressure difference", units)
    if step.rate_m3_s is None:
        does = "vacuum alone" if step.over_pressure_pa == 0 else pressure
    else:
        does = f"{show(step.rate_m3_s, 'flow rate', units)}, {pressure} at most"
    until = step.until
    if isinstance(until, UntilVolume):
        return f"{does} until {show(until.volume_m3, 'volume', units)}"
    if isinstance(until, UntilMass):
        return f"{does} until {show(until.mass_kg, 'mass', units)}"
    if isinstance(until, UntilTime):
        return f"{does} until {show(until.time_s, 'duration', units)}"
    if isinstance(until, UntilPressure):
        return f"{does} until {show(until.over_pressure_pa, 'pressure difference', units)}"
    return does


def ended_at(job: Job, course: InjectionCourse, number: int, time_s: float) -> Job:
    """*job* with the end of its step of that *number* (from 0) moved to where *course* was at *time_s*."""
    injection = job.pair.injection
    step = injection.steps[number]
    return _with_step(job, injection, number, revised(step, until=_until_at(job, course, step, time_s)))


def _until_at(job: Job, course: InjectionCourse, step: InjectionStep, time_s: float) -> Until:
    drawn = max(course.drawn_at(time_s), 1e-6)
    if isinstance(step.until, UntilVolume):
        return UntilVolume(volume_m3=_rounded(drawn))
    if isinstance(step.until, UntilMass):
        return UntilMass(mass_kg=_rounded(drawn * job.resin.density_kg_m3))
    if isinstance(step.until, UntilPressure):
        over = min(max(course.over_at(time_s), 100.0), step.over_pressure_pa)
        return UntilPressure(over_pressure_pa=round(over, -2) if over >= 100 else over)
    return UntilTime(time_s=max(round(time_s), 1))


def _rounded(value: float) -> float:
    """To three figures."""
    return float(f"{value:.3g}")


def pressed_at(job: Job, number: int, over_pa: float) -> Job:
    """*job* with the step of that *number* (from 0) at that pressure over the atmosphere."""
    injection = job.pair.injection
    step = injection.steps[number]
    over_pa = max(over_pa, 0.0)
    until = step.until
    if isinstance(until, UntilPressure) and until.over_pressure_pa > over_pa:
        until = UntilPressure(over_pressure_pa=over_pa)
    return _with_step(job, injection, number, revised(step, over_pressure_pa=over_pa, until=until))


def at_rate(job: Job, number: int, rate_m3_s: float) -> Job:
    """*job* with the step of that *number* (from 0), one by rate, at that rate."""
    injection = job.pair.injection
    return _with_step(job, injection, number, revised(injection.steps[number], rate_m3_s=_rounded(rate_m3_s)))


def divided_at(job: Job, number: int, time_s: float) -> Job:
    """*job* with its step of that *number* (from 0) divided at *time_s*: the first part lasts until then."""
    injection = job.pair.injection
    step = injection.steps[number]
    first = revised(step, until=UntilTime(time_s=max(round(time_s), 1)))
    steps = (*injection.steps[:number], first, *injection.steps[number:])
    return with_pair(job, injection=revised(injection, steps=steps))


def joined_after(job: Job, number: int) -> Job:
    """*job* whose step of that *number* (from 0) goes on until the end of the one after it, which is taken out."""
    injection = job.pair.injection
    step, after = injection.steps[number], injection.steps[number + 1]
    until = after.until
    if isinstance(until, UntilPressure) and (step.rate_m3_s is None or until.over_pressure_pa > step.over_pressure_pa):
        until = UntilTime(time_s=60.0)
    steps = (*injection.steps[:number], revised(step, until=until), *injection.steps[number + 2 :])
    return with_pair(job, injection=revised(injection, steps=steps))


def _with_step(job: Job, injection: Injection, number: int, step: InjectionStep) -> Job:
    steps = (*injection.steps[:number], step, *injection.steps[number + 1 :])
    return with_pair(job, injection=revised(injection, steps=steps))
