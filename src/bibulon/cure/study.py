"""The cure of a whole part: every distinct stack, wetted by resin of its own age, followed to the end of the plan.

Stacks that are alike are followed together, by the age of the resin that lies in them when the fill ends: the youngest,
the middle and the oldest of it, and for each stack the resin that was mixed last of all, from which vacuum off and
demould count.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.cure.schedule import Leg, around_of, legs_of, turns_of
from bibulon.cure.slabs import slabs_of
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.dosing import dosed
from bibulon.laminate.cells import Cell, laminate_of
from bibulon.laminate.stack import Stack
from bibulon.resin.card_law import law_of
from bibulon.resin.cure import LastMixed
from bibulon.resin.law import ResinLaw, faster_than, hastened, isothermal
from bibulon.resin.through_thickness import CureCourse, Slab, cure_through
from bibulon.workers.report import Progress, no_progress

FOLLOWED_S = 24 * 3600.0
"""The cure is followed for so long after the fill, and after the last step that is planned."""
MOST_STACKS, THICKEST = 30, 10
"""So many are followed, so many of them because they are the thickest; others as the one most like them."""
SAME_AGE_SHARE = 0.05
"""Ages that differ by less than this share of the gel time are the same."""


@dataclass(frozen=True, eq=False)
class StackCure:
    """The cure of one stack, wetted by resin of one age; ``latest`` if it is the resin that was mixed last."""

    stack: Stack
    place: tuple[float, float]
    area_m2: float
    age_s: float
    """At the mould's temperature, with the planned dose of catalyst: by it, how far it has cured at the start."""
    faster: float
    """How many times as fast as with that dose it cures."""
    excess_k: float
    """By how much it is warmer than the mould at the start."""
    slabs: tuple[Slab, ...]
    course: CureCourse
    latest: bool
    core_peak_k: float | None
    mould_peak_k: float
    bag_peak_k: float

    @property
    def peak_k(self) -> float:
        return self.course.peak_k


@dataclass(frozen=True, eq=False)
class CureStudy:
    """The cure of a part. Times on the run clock (s), infinite for what is not reached while it is followed."""

    law: ResinLaw
    stacks: tuple[StackCure, ...]
    of_point: Integers
    """(points,) which of ``stacks`` lies at each point of the fill's mesh; −1 where there is none."""
    ages_s: Floats
    """(points,) how old resin is there at the end of the fill, at the mould's temperature."""
    legs: tuple[Leg, ...]
    start_s: float
    end_s: float
    release_cure: float
    """The degree of cure at which the vacuum may be let go."""
    shop_k: float
    later_s: float = 0.0
    """How much later than planned resin is cured, by what was read at the part; the courses are those planned."""

    @property
    def hottest(self) -> StackCure:
        return max(self.stacks, key=lambda one: one.peak_k)

    @property
    def first_gel_s(self) -> float:
        return min(one.course.first_cured_to_s(self.law.gel_cure) for one in self.stacks)

    @property
    def last_gel_s(self) -> float:
        """When the last resin has gelled."""
        return self.later_s + max(one.course.cured_to_s(self.law.gel_cure) for one in self.stacks)

    @property
    def vacuum_off_s(self) -> float:
        """When the last resin is cured as far as the card asks before the vacuum goes."""
        return self.later_s + max(one.course.cured_to_s(self.release_cure) for one in self.stacks)

    def tg_over_s(self, tg_k: float) -> float:
        """When the last resin has come to a glass transition."""
        cure = self.law.cure_at_tg(tg_k)
        if cure > 1:
            return math.inf
        return self.later_s + max(one.course.cured_to_s(max(cure, 1e-6)) for one in self.stacks)

    def hard_s(self, after_s: float, over_k: float, most_k: float = math.inf) -> float:
        """The first time from *after_s* on at which every place's glass transition is *over_k* or more over its own
        temperature and the shop's, and nothing is warmer than *most_k*; infinite for never. What is heated later on, as
        in an oven, may be soft again."""
        if not math.isfinite(after_s):
            return math.inf
        after_s = self.planned_s(after_s)
        times = np.unique(np.concatenate([[after_s], *(one.course.times_s for one in self.stacks)]))
        times = times[times >= after_s]
        lacks = (np.interp(times, one.course.times_s, self._lack(one.course, over_k, most_k)) for one in self.stacks)
        lack = np.max(list(lacks), axis=0)
        hard = np.flatnonzero(lack <= 0)
        if not len(hard):
            return math.inf
        at = int(hard[0])
        if at == 0:
            return self.later_s + after_s
        share = lack[at - 1] / (lack[at - 1] - lack[at])
        return self.later_s + float(times[at - 1] + share * (times[at] - times[at - 1]))

    def _lack(self, course: CureCourse, over_k: float, most_k: float) -> Floats:
        """(k,) by how much (K) a stack lacks that, where it lacks most; nothing or less where it has it."""
        warm = np.maximum(course.temperature_k[:, course.cures], self.shop_k)
        soft = warm + over_k - np.asarray(self.law.tg_k(course.cure[:, course.cures]))
        return np.asarray(np.maximum(soft.max(axis=1), course.temperature_k.max(axis=1) - most_k))

    def least_cure_at(self, time_s: float) -> float:
        return min(one.course.least_cure_at(self.planned_s(time_s)) for one in self.stacks)

    def planned_s(self, time_s: float) -> float:
        """When by the plan resin is as far as it is at a time by what was read; never before the courses begin."""
        return max(time_s - self.later_s, min(time_s, self.start_s))

    def at_points(self, values: Floats) -> Floats:
        """(points,) a value of each of ``stacks`` at the points of the mesh, straight between those of one lay-up by
        the age of the resin; NaN where there is none."""
        found = np.where(self.of_point >= 0, np.append(values, np.nan)[self.of_point], np.nan)
        alike: dict[int, list[int]] = defaultdict(list)
        for number in np.unique(self.of_point[self.of_point >= 0]):
            alike[id(self.stacks[number].stack)].append(int(number))
        for numbers in alike.values():
            numbers.sort(key=lambda number: self.stacks[number].age_s)
            if np.isfinite(values[numbers]).all():
                there = np.isin(self.of_point, numbers)
                ages = [self.stacks[number].age_s for number in numbers]
                found[there] = np.interp(self.ages_s[there], ages, values[numbers])
        return np.asarray(found)


@dataclass(frozen=True, eq=False)
class WetPart:
    """What a fill leaves: when it ended, and at (points,) of its mesh how old the oldest resin is, and how much warmer
    than the mould."""

    end_s: float
    points_m: Floats
    age_s: Floats
    excess_k: Floats
    faster: Floats


def wet_part(fill: FillResult) -> WetPart:
    """What *fill* leaves."""
    count = len(fill.mesh.points_m)
    age, excess, faster = np.zeros(count), np.zeros(count), np.ones(count)
    np.maximum.at(age, fill.place, fill.age_s)
    excess[fill.place], faster[fill.place] = fill.excess_k, fill.faster
    return WetPart(fill.end_s, fill.mesh.points_m, age, excess, faster)


def cure_study(job: Job, fill: WetPart, last: LastMixed, progress: Progress = no_progress) -> CureStudy:
    """The cure of *job* from the end of its *fill*, the resin that gels last being *last*.

    Raises what *progress* raises to cancel.
    """
    law, mould_k = law_of(job.resin), job.mould_temperature_k
    legs = legs_of(job, fill.end_s)
    around, turns = around_of(job, legs), turns_of(legs)
    of_last = faster_than(law, law_of(dosed(job.resin, last.dose)), mould_k)
    end_s = max(fill.end_s, last.mixed_s, legs[-1].end_s if legs else 0.0) + FOLLOWED_S
    still = isothermal(law, mould_k)
    gel_s = law.time_to(mould_k, law.gel_cure)
    stacks, of_point = _stacks(job, fill.points_m)
    found: list[StackCure] = []
    index = np.full(len(of_point), -1, dtype=np.int64)
    latest_s = of_last * max(fill.end_s - last.mixed_s, 0.0)
    for number, (cell, area_m2) in enumerate(stacks):
        slabs = slabs_of(job, cell.stack, law)
        if not any(slab.resin_kg_m3 > 0 for slab in slabs):
            continue
        points = np.flatnonzero(of_point == number)
        wanted = [_Alike(latest_s, 0.0, of_last, np.zeros(0, dtype=np.int64))]
        wanted += _by_age(points, fill, SAME_AGE_SHARE * gel_s)
        for at, alike in enumerate(wanted):
            progress((number + at / len(wanted)) / len(stacks))
            cure = _cure_at(law, still.times_s, still.cure, alike.age_s, mould_k)
            starts = [mould_k + (alike.excess_k if slab.name == "plies" else 0.0) for slab in slabs]
            begin_s = max(fill.end_s, last.mixed_s) if at == 0 else fill.end_s
            of_alike = hastened(law, alike.faster)
            course = cure_through(of_alike, slabs, around, begin_s, end_s, starts, cure, turns)
            index[alike.points] = len(found)
            place = _middle(fill.points_m, alike.points, cell)
            found.append(_stack_cure(job, cell.stack, place, area_m2, alike, slabs, course, latest=at == 0))
    release_s = gel_s * job.resin.release_after_gel_factor
    release_cure = max(float(law.aged(mould_k, law.gel_cure, release_s - gel_s, glass=True)), law.gel_cure)
    return CureStudy(
        law, tuple(found), index, fill.age_s, legs, fill.end_s, end_s, release_cure, job.shop.temperature_k
    )


def _middle(points_m: Floats, there: Integers, cell: Cell) -> tuple[float, float]:
    """The point of those that are *there* which is nearest to their middle; a place in *cell* where none is."""
    if not len(there):
        inside = cell.polygon.representative_point()
        return inside.x, inside.y
    among = points_m[there]
    x, y = among[int(np.argmin(((among - among.mean(axis=0)) ** 2).sum(axis=1)))]
    return float(x), float(y)


def _cure_at(law: ResinLaw, times_s: Floats, cures: Floats, age_s: float, mould_k: float) -> float:
    """The degree of cure of resin of an age at the mould's temperature, also of what flows no longer."""
    if age_s <= times_s[-1]:
        return float(np.interp(age_s, times_s, cures))
    return float(law.aged(mould_k, float(cures[-1]), age_s - float(times_s[-1])))


def _stacks(job: Job, points_m: Floats) -> tuple[list[tuple[Cell, float]], Integers]:
    """The distinct stacks of *job* that are followed, the largest first, each as one of its cells with the area of all
    that are followed as it is; and (points,) which each point of the mesh lies in."""
    laminate = laminate_of(job)
    alike: dict[object, list[Cell]] = defaultdict(list)
    for cell in laminate.cells:
        if cell.stack.layers:
            key = (tuple((layer.card, layer.count) for layer in cell.stack.layers), cell.stack.cavity_m)
            alike[key].append(cell)
    sets = _followed(job, sorted(alike.values(), key=lambda cells: -sum(cell.area_m2 for cell in cells)))
    number_of = {id(cell): number for number, cells in enumerate(sets) for cell in cells}
    of_point = np.full(len(points_m), -1, dtype=np.int64)
    for at, (x, y) in enumerate(points_m):
        there = laminate.at(float(x), float(y))
        if there is not None:
            of_point[at] = number_of.get(id(there), -1)
    return [(cells[0], sum(cell.area_m2 for cell in cells)) for cells in sets], of_point


def _followed(job: Job, sets: list[list[Cell]]) -> list[list[Cell]]:
    """The *sets* of cells with one stack each, the largest first, as at most :data:`MOST_STACKS`, each begun by the
    largest cell whose stack is followed. Of more than that the largest are followed and the thickest, where it gets
    hottest; any other is followed as one on the same cores that is no thinner, if there is one."""
    sets = [sorted(cells, key=lambda cell: -cell.area_m2) for cells in sets]
    if len(sets) <= MOST_STACKS:
        return sets
    by_thickness = sorted(sets[MOST_STACKS - THICKEST :], key=lambda cells: -_thickness_m(cells))
    kept = sets[: MOST_STACKS - THICKEST] + by_thickness[:THICKEST]
    made = [list(cells) for cells in kept]
    for cells in by_thickness[THICKEST:]:
        lacks = [_thickness_m(cells) - _thickness_m(other) for other in kept]
        cores = [_cores(job, cells) != _cores(job, other) for other in kept]
        like = min(range(len(kept)), key=lambda number: (cores[number], lacks[number] > 1e-9, abs(lacks[number])))
        made[like] += cells
    return made


def _thickness_m(cells: list[Cell]) -> float:
    return cells[0].stack.laminate_thickness_m


def _cores(job: Job, cells: list[Cell]) -> frozenset[str]:
    return frozenset(layer.card for layer in cells[0].stack.layers if job.is_core(layer.card))


@dataclass(frozen=True, eq=False)
class _Alike:
    """Resin that is cured as one: its age, its excess over the mould's temperature, how many times as fast as planned
    it cures, and at which points it is."""

    age_s: float
    excess_k: float
    faster: float
    points: Integers


def _mean(values: Floats, there: Integers) -> float:
    return float(values[there].mean())


def _by_age(points: Integers, fill: WetPart, same_s: float) -> list[_Alike]:
    """Points in groups of nearly one age, three at most."""
    if not len(points):
        return []
    ages_s = fill.age_s
    low, high = float(ages_s[points].min()), float(ages_s[points].max())
    count = 1 if high - low < same_s else 3
    edges = np.linspace(low, high, count + 1)
    group = np.clip(np.searchsorted(edges, ages_s[points], side="right") - 1, 0, count - 1)
    return [
        _Alike(_mean(ages_s, there), _mean(fill.excess_k, there), _mean(fill.faster, there), there)
        for number in range(count)
        if len(there := points[group == number])
    ]


def _stack_cure(
    job: Job,
    stack: Stack,
    place: tuple[float, float],
    area_m2: float,
    alike: _Alike,
    slabs: tuple[Slab, ...],
    course: CureCourse,
    latest: bool,
) -> StackCure:
    peaks = course.temperature_k.max(axis=0)
    names = np.array([slab.name for slab in slabs])[course.slab]
    core = peaks[names == "core"]
    return StackCure(
        stack,
        place,
        area_m2,
        alike.age_s,
        alike.faster,
        alike.excess_k,
        slabs,
        course,
        latest,
        float(core.max()) if len(core) else None,
        float(peaks[names == "mould"].max()),
        float(peaks[-1]),
    )
