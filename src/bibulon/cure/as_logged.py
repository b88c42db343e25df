"""What thermocouples at the part have read, against the cure that was planned: colder resin hardens later.

The resin that is last by the plan is cured along its planned temperature once more, lowered by as much as the coldest
thermocouple read less than the coolest resin was to have then; from the last reading on by as much as at that, but to
no less than that. How much later it is hard is how much later the vacuum may go. Where it reads warmer nothing is taken
off: one thermocouple does not tell that all of the part is warm.
"""

from __future__ import annotations

import math
import re
from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from scipy.integrate import solve_ivp

from bibulon.arrays import Floats
from bibulon.cure.study import CureStudy
from bibulon.job import Job
from bibulon.job.run import thermocouple_readings

NOT_RESIN = frozenset(("mould", "tool", "air", "shop", "room", "oven", "bath", "pot", "bucket"))
"""A thermocouple with such a word in its name lies somewhere else."""
READS_WRONG_K = 1.0
"""A thermocouple reads wrong by as much, class default."""
MOST_LATER_S = 3 * 86_400.0
LEAST_LATER_S = 60.0
LONGEST_STEP_S = 900.0
TOGETHER_S = 300.0
"""Readings within so long count by their mean: a part does not change sooner."""


@dataclass(frozen=True)
class Colder:
    """How much later the last resin is cured than planned (s), by what was read; the last reading: when on the run
    clock, what (K), and what the coolest resin was to have then (K)."""

    later_s: float
    at_s: float
    read_k: float
    planned_k: float


def _read(job: Job, without: frozenset[str] = frozenset()) -> list[Floats]:
    """(k, 2) times on the run clock and temperatures (K) of each thermocouple at the part, *without* those whose names
    have one of these words."""
    by_name: dict[str, list[tuple[float, float]]] = defaultdict(list)
    for point in job.curing.read_in(job.shot_number):
        if without & set(re.findall(r"[a-z]+", point.name.lower())):
            continue
        by_name[f"brought {point.name}"].append((point.time_s, point.temperature_k))
    by_name["read"].extend(thermocouple_readings(job.shot))
    return [np.array(sorted(points)) for points in by_name.values() if points]


def hottest_read(job: Job, from_s: float = -math.inf, to_s: float = math.inf) -> tuple[float, float] | None:
    """When between two times on the run clock a thermocouple at the part read the most, and what (K)."""
    points = (
        (float(warm_k), float(time_s)) for course in _read(job) for time_s, warm_k in course if from_s <= time_s < to_s
    )
    hottest = max(points, default=None)
    return None if hottest is None else hottest[::-1]


def coldest_read(job: Job) -> tuple[Floats, Floats]:
    """(k,) times on the run clock and (k,) the coldest that any thermocouple in the resin read (K), each between its
    own first and last reading; those that are named for something else (:data:`NOT_RESIN`) are left out."""
    courses = _read(job, NOT_RESIN)
    if not courses:
        return np.zeros(0), np.zeros(0)
    times = np.unique(np.concatenate([course[:, 0] for course in courses]))
    read = (np.interp(times, course[:, 0], course[:, 1], left=np.inf, right=np.inf) for course in courses)
    return times, np.min(list(read), axis=0)


@dataclass(frozen=True)
class _Reached:
    """Ends the solver's work once all has come to a degree of cure."""

    cure: float
    terminal: bool = True

    def __call__(self, time_s: float, cure: Floats) -> float:
        return float(cure.min()) - self.cure


def colder_than_planned(job: Job, study: CureStudy) -> Colder | None:
    """How much later by the readings of *job* the last resin is cured than in the *study* as planned; None where that
    is next to nothing, nothing was read after the fill, or the plan itself never gets there."""
    times, read_k = coldest_read(job)
    latest = [one.course for one in study.stacks if one.latest]
    if not latest or not len(times):
        return None
    course = max(latest, key=lambda one: one.cured_to_s(study.release_cure))
    planned_off_s = course.cured_to_s(study.release_cure)
    within = times >= course.times_s[0]
    if not np.isfinite(planned_off_s) or not within.any():
        return None
    places = np.flatnonzero(course.cures)
    last = places[int(np.argmax(course.first_s(course.cure[:, places] / study.release_cure)))]
    coolest = np.min(
        [np.interp(times, one.times_s, one.temperature_k[:, one.cures].min(axis=1)) for one in latest], axis=0
    )
    times, read_k, coolest = times[within], read_k[within], coolest[within]
    lower_k = np.minimum(read_k - coolest + READS_WRONG_K, 0.0)
    if not lower_k.any():
        return None
    span = np.unique(np.floor((times - times[-1]) / TOGETHER_S), return_inverse=True)[1]
    lowered_s, lower_k = (np.bincount(span, values) / np.bincount(span) for values in (times, lower_k))
    stays_k = read_k[-1] + READS_WRONG_K
    begin_s, end_s = float(course.times_s[0]), planned_off_s + MOST_LATER_S

    def slopes(time_s: float, cure: Floats) -> Floats:
        warm_k = np.interp(time_s, course.times_s, course.temperature_k[:, last])
        lowered_k = warm_k + np.interp(time_s, lowered_s, lower_k, left=0.0)
        if time_s > times[-1]:
            lowered_k = min(max(lowered_k, stays_k), warm_k)
        return study.law.rate_as_glass(np.array([warm_k, lowered_k]), cure)

    begin = np.full(2, course.cure[0, last])
    reached, step_s = _Reached(study.release_cure), LONGEST_STEP_S
    along = solve_ivp(slopes, (begin_s, end_s), begin, "LSODA", events=reached, rtol=1e-5, atol=1e-7, max_step=step_s)
    off_s = [float(np.interp(study.release_cure, cure, along.t)) for cure in along.y]
    later_s = off_s[1] - off_s[0]
    if later_s < LEAST_LATER_S:
        return None
    return Colder(later_s, float(times[-1]), float(read_k[-1]), float(coolest[-1]))
