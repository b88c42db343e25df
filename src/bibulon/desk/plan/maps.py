"""What the plan can show of a fill as a map: each a picture, the name on its legend and what its ends stand for."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from bibulon.arrays import Floats
from bibulon.cure.study import CureStudy, StackCure
from bibulon.desk.work.document import Document
from bibulon.desk.work.fill_answers import FillAnswer
from bibulon.durations import clock_time
from bibulon.flow.raster import Canvas, Grid
from bibulon.flow.reading import cavity_map, fibre_map, pressure_map, thickness_map
from bibulon.flow.traced_air import SPOILT_SHARE
from bibulon.job.words import far_side_word
from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantities_in_words import percent

AT_GEL_S = 1e12
"""A time after all others."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class PlanMap:
    """A map to paint: its ``grid``, from ``lowest`` to ``highest`` on the ramp, with the legend's words."""

    grid: Grid
    name: str
    lowest: float
    highest: float
    low_text: str
    high_text: str
    kind: QuantityKind = "share"

    def text(self, value: float, units: Units) -> str:
        """A value of the map in words."""
        return percent(value, 1) if self.kind == "share" else show(value, self.kind, units)


def _pressure(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    problem = answer.result.problem
    grid = answer.canvas.draw(pressure_map(answer.result, time_s))
    low, high = problem.vent_pa, problem.vent_pa + problem.drive_pa
    units = document.assessment.units
    return PlanMap(
        grid, "Resin pressure", low, high, show(low, "pressure", units), show(high, "pressure", units), "pressure"
    )


def _lag(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    highest = max(answer.result.lag_max_s, 1.0)
    shown = show(highest, "duration", document.assessment.units)
    name = f"Tool side behind the {far_side_word(document.job)}"
    return PlanMap(answer.canvas.draw(answer.result.lag_s), name, 0.0, highest, "0", shown, "duration")


def _ends(grid: Grid) -> tuple[float, float] | None:
    if np.isnan(grid.values).all():
        return None
    return float(np.nanmin(grid.values)), float(np.nanmax(grid.values))


def _thickness(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    grid = answer.canvas.draw(thickness_map(answer.result))
    ends = _ends(grid)
    if ends is None:
        return None
    units = document.assessment.units
    texts = [show(value, "thickness", units) for value in ends]
    return PlanMap(grid, "Thickness of the plies at gel", *ends, texts[0], texts[1], "thickness")


def _cavity(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    heights = cavity_map(answer.result, time_s)
    if heights is None:
        return None
    grid, course = answer.canvas.draw(heights), answer.result.upper
    assert course is not None
    low, high = (
        float(np.min(course.rise_m + answer.result.built_m)),
        float(np.max(course.rise_m + answer.result.built_m)),
    )
    units = document.assessment.units
    texts = [show(value, "thickness", units) for value in (low, high)]
    return PlanMap(grid, "Height of the cavity", low, high, texts[0], texts[1], "thickness")


def _off(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    """How far the cavity is off what it was built to, against the tolerance that is asked; infinite time: at gel."""
    course, tolerance = answer.result.upper, document.job.series.thickness_tolerance
    heights = cavity_map(answer.result, min(time_s, AT_GEL_S))
    if course is None or heights is None:
        return None
    off = heights / answer.result.built_m - 1
    reach = max(float(np.abs(off).max()), 1e-3) if tolerance is None else tolerance
    asked = "" if tolerance is None else f", ± {percent(tolerance)} asked"
    grid = answer.canvas.draw(off)
    return PlanMap(grid, f"Thickness off{asked}", -reach, reach, f"−{percent(reach, 1)}", f"+{percent(reach, 1)}")


def _off_at_gel(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    return _off(document, answer, math.inf)


def _fibre(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    grid = answer.canvas.draw(fibre_map(answer.result))
    ends = _ends(grid)
    if ends is None:
        return None
    texts = [percent(value, 1) for value in ends]
    return PlanMap(grid, "Fibre volume fraction at gel", *ends, texts[0], texts[1])


def air_map(canvas: Canvas, share: Floats) -> PlanMap:
    """Air in the pores at gel from its *share* (points,) of them; clear where there is next to none."""
    top = max(float(share.max()), SPOILT_SHARE)
    grid = canvas.draw(share)  # cleared only now: a track is one point of the mesh wide
    clear = grid.values < SPOILT_SHARE / 10
    return PlanMap(
        replace(grid, values=np.where(clear, np.nan, grid.values)),
        "Air in the pores at gel",
        0.0,
        top,
        "0",
        percent(top),
    )


def _dry(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    study = document.study
    if study is None:
        return None
    highest = max(math.ceil(10 * float(study.ensemble.dry_chance.max())) / 10, 0.1)
    shown = show(highest, "share", document.assessment.units)
    return PlanMap(study.picture, "Chance of staying dry", 0.0, highest, "0", shown)


def _of_cure(
    document: Document, answer: FillAnswer, name: str, of: Callable[[CureStudy, StackCure], float], kind: QuantityKind
) -> PlanMap | None:
    """A figure of the cure of each stack; clear where there is none, or it is never reached."""
    study = document.assessment.cure_study
    if study is None or len(study.of_point) != len(answer.result.mesh.points_m):
        return None
    values = np.array([of(study, one) for one in study.stacks])
    grid = answer.canvas.draw(study.at_points(np.where(np.isfinite(values), values, np.nan)))
    ends = _ends(grid)
    if ends is None:
        return None
    units, start_s = document.assessment.units, document.job.shot_start_s
    if kind == "duration":
        texts = [clock_time(start_s + value) for value in ends]
    else:
        texts = [percent(value) if kind == "share" else show(value, kind, units) for value in ends]
    return PlanMap(grid, name, ends[0], max(ends[1], ends[0] + 1e-6), texts[0], texts[1], kind)


def _peak(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    return _of_cure(document, answer, "Hottest in the cure", lambda _, one: one.peak_k, "temperature")


def _gel(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    def gel(study: CureStudy, one: StackCure) -> float:
        return study.later_s + one.course.cured_to_s(study.law.gel_cure)

    return _of_cure(document, answer, "Gelled through, the resin there", gel, "duration")


def _release(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    def release(study: CureStudy, one: StackCure) -> float:
        return study.later_s + one.course.cured_to_s(study.release_cure)

    return _of_cure(document, answer, "Vacuum may go, by the resin there", release, "duration")


def _looked_at_s(document: Document, study: CureStudy, time_s: float) -> float:
    """The time that a map of the cure is of: that which is shown, or when the vacuum may go."""
    later = document.cure_at_s
    if later is not None:
        return later
    return time_s if study.start_s < time_s < AT_GEL_S else min(study.vacuum_off_s, study.end_s)


def _cured(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    study = document.assessment.cure_study
    if study is None:
        return None
    at_s = _looked_at_s(document, study, time_s)
    name = f"Least degree of cure at {clock_time(document.job.shot_start_s + at_s)}"
    return _of_cure(document, answer, name, lambda study, one: one.course.least_cure_at(study.planned_s(at_s)), "share")


def _glass(document: Document, answer: FillAnswer, time_s: float) -> PlanMap | None:
    study = document.assessment.cure_study
    if study is None:
        return None
    at_s = _looked_at_s(document, study, time_s)
    name = f"Least Tg at {clock_time(document.job.shot_start_s + at_s)}"

    def glass(study: CureStudy, one: StackCure) -> float:
        return float(study.law.tg_k(one.course.least_cure_at(study.planned_s(at_s))))

    return _of_cure(document, answer, name, glass, "temperature")


Maker = Callable[[Document, FillAnswer, float], PlanMap | None]


@dataclass(frozen=True)
class MapKind:
    """A map that the plan can show: its words in the choice, and what makes it of the fill at a time (s).

    A map without ``make`` shows the front. ``of_time`` says whether it changes with the time that is shown, ``offered``
    when it is in the choice at all.
    """

    name: str
    words: str
    make: Maker | None = None
    of_time: bool = False
    offered: Callable[[Document], bool] = lambda document: True


def _cures(document: Document) -> bool:
    return document.assessment.cure_study is not None


MAPS = (
    MapKind("through", "resin through"),
    MapKind("seen", "resin under the film", offered=lambda document: not document.job.in_mould),
    MapKind("pressure", "pressure of the resin", _pressure, of_time=True),
    MapKind("lag", "lag of the tool side", _lag),
    MapKind("thickness", "thickness at gel", _thickness),
    MapKind("cavity", "height of the cavity", _cavity, of_time=True, offered=lambda document: document.job.closed),
    MapKind("off", "thickness off, as it fills", _off, of_time=True, offered=lambda document: document.job.bends),
    MapKind("off at gel", "thickness off, at gel", _off_at_gel, offered=lambda document: document.job.bends),
    MapKind("fibre", "fibre fraction at gel", _fibre),
    MapKind("peak", "hottest in the cure", _peak, offered=_cures),
    MapKind("gel", "time of gel", _gel, offered=_cures),
    MapKind("release", "vacuum may go", _release, offered=_cures),
    MapKind("cured", "degree of cure", _cured, of_time=True, offered=_cures),
    MapKind("glass", "glass transition", _glass, of_time=True, offered=_cures),
    MapKind("dry", "chance of staying dry", _dry, offered=lambda document: document.study is not None),
)


def map_named(name: str) -> MapKind:
    """The map of that *name*. Raises KeyError."""
    for kind in MAPS:
        if kind.name == name:
            return kind
    raise KeyError(name)
