"""Does the mould stay shut: what the flange vacuum holds, what pulls at the rim, and what may be asked of it.

Along every metre of the rim the flange holds ``b (p_atm − p_flange)``; the upper half's edge and the springs of both
seals pull against it. What holds is the difference. The sum over the mould is the same by hand: resin and fibre push
the halves apart over the area within the inner seal, the atmosphere and the upper half's weight push them together.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.figures import Figure
from bibulon.flow.cavity import grown, seal_line
from bibulon.flow.result import FillResult, UpperCourse
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.quantities import Units, show


def clamp_n_m(job: Job) -> float:
    """What the flange vacuum holds each metre of the rim with, ``b (p_atm − p_flange)``."""
    return job.pair.flange_m * max(job.shop.barometer_pa - job.pair.flange_pa, 0.0)


def seals_n_m(job: Job) -> float:
    """What the two seals push each metre of the rim apart with."""
    return job.pair.inner_seal.spring_n_m + job.pair.outer_seal.spring_n_m


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class ClampMargin:
    """What the clamp holds beyond what pulls at it (N/m): ``margin_n_m`` (k, r) at each time and place of the rim."""

    times_s: Floats
    places_m: Floats
    margin_n_m: Floats

    @property
    def least_n_m(self) -> Floats:
        """(k,) the least of each time."""
        return np.asarray(self.margin_n_m.min(axis=1))

    @property
    def worst(self) -> tuple[float, float, Point]:
        """The least margin of all (N/m), when (s), and where."""
        at, place = np.unravel_index(int(np.argmin(self.margin_n_m)), self.margin_n_m.shape)
        x, y = self.places_m[place]
        return float(self.margin_n_m[at, place]), float(self.times_s[at]), (float(x), float(y))

    @property
    def opens(self) -> tuple[float, Point] | None:
        """When and where the mould first opens; None if it stays shut."""
        open_at = np.flatnonzero(self.least_n_m < 0)
        if not len(open_at):
            return None
        place = self.places_m[int(np.argmin(self.margin_n_m[open_at[0]]))]
        return float(self.times_s[open_at[0]]), (float(place[0]), float(place[1]))


def clamp_margin(job: Job, course: UpperCourse) -> ClampMargin:
    """The margin of the clamp of *job* over the *course* of its fill."""
    held = clamp_n_m(job) - seals_n_m(job)
    return ClampMargin(course.times_s, course.edge_places_m, held - course.edge_load_n_m)


# -- the sum by hand ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class BalanceLine:
    """One force of the sum (N), positive where it holds the mould shut, and how it comes about."""

    name: str
    force_n: float
    how: str


def balance(job: Job, course: UpperCourse, at: int, units: Units) -> tuple[BalanceLine, ...]:
    """The forces on the upper half of *job* at the time of that number in *course*."""
    pair, forces = job.pair, course.forces[at]
    inner, outer = seal_line(job), grown(job.part.outline.polygon, pair.seal_off_m + pair.flange_m)
    flange_m2, rim_m = outer.area - inner.area, inner.length
    pull_pa = max(job.shop.barometer_pa - pair.flange_pa, 0.0)
    mean_pa = forces.resin_n / forces.area_m2

    def pressure(value: float) -> str:
        return show(value, "pressure difference", units)

    area = show(forces.area_m2, "area", units)
    return (
        BalanceLine(
            "Atmosphere on the cavity",
            forces.atmosphere_n,
            f"{pressure(job.shop.barometer_pa)} × {area} within the inner seal.",
        ),
        BalanceLine(
            "Flange vacuum",
            pull_pa * flange_m2,
            f"{pressure(pull_pa)} × {show(flange_m2, 'area', units)} between the seals.",
        ),
        BalanceLine("Weight of the upper half", forces.weight_n, "By its card."),
        BalanceLine(
            "Resin and air in the cavity", -forces.resin_n, f"{pressure(mean_pa)} absolute in the mean, × {area}."
        ),
        BalanceLine("Fibre", -forces.fibre_n, "What the stack is pressed with, cell by cell, at the height it has."),
        BalanceLine(
            "Seals",
            -seals_n_m(job) * rim_m,
            f"Both springs over {show(rim_m, 'distance', units)} of rim.",
        ),
    )


# -- what may be asked of it -------------------------------------------------------------------------------------------


def flange_needed_pa(job: Job, margin: ClampMargin) -> float:
    """The highest absolute pressure in the flange that still holds the mould shut all the time."""
    pulls_n_m = clamp_n_m(job) - float(margin.margin_n_m.min())
    return job.shop.barometer_pa - max(pulls_n_m, 0.0) / job.pair.flange_m


def highest_injection_pa(job: Job, course: UpperCourse) -> float | None:
    """The highest pressure over the atmosphere that the clamp holds with the whole cavity full of it, as when the vent
    is shut while resin still presses; None if not even the cavity's vacuum lets it stay shut."""
    if course.even is None:
        return None
    margin = clamp_n_m(job) - seals_n_m(job) - course.even.edge_load_n_m
    return _first_below(course.even.pressure_pa - job.shop.barometer_pa, margin)


def _first_below(at: Floats, margin: Floats) -> float | None:
    """Where *margin*, given *at* growing places, first falls to nothing; the last place if it never does."""
    under = np.flatnonzero(margin < 0)
    if not len(under):
        return float(at[-1])
    first = int(under[0])
    if first == 0:
        return None
    low, high = margin[first - 1], margin[first]
    return float(at[first - 1] + (at[first] - at[first - 1]) * low / (low - high))


@dataclass(frozen=True)
class Holding:
    """Absolute pressures in the cavity until gel: ``best_pa`` brings the part nearest to its thickness; between
    ``low_pa`` and ``high_pa`` it is everywhere within its tolerance (None: nowhere so); ``off`` is the share that its
    worst place is off at the best."""

    best_pa: float
    off: float
    low_pa: float | None
    high_pa: float | None


def holding(job: Job, course: UpperCourse) -> Holding | None:
    """What the cavity may be held at until gel; None if that was not worked out."""
    even = course.even
    if even is None:
        return None
    off = np.maximum(np.abs(even.thinnest), np.abs(even.thickest))
    best = int(np.argmin(off))
    tolerance = job.series.thickness_tolerance
    within = np.flatnonzero(off <= tolerance) if tolerance is not None else np.zeros(0, dtype=np.int64)
    low, high = (float(even.held_pa[within[0]]), float(even.held_pa[within[-1]])) if len(within) else (None, None)
    return Holding(float(even.held_pa[best]), float(off[best]), low, high)


def thickness_off(job: Job, fill: FillResult, at: int) -> Floats:
    """(points,) the share by which the cavity's height is off what it was built to, at the time of that number."""
    assert fill.upper is not None
    return np.asarray(fill.upper.rise_m[at] / fill.built_m)


def off_at_gel(fill: FillResult) -> tuple[float, float] | None:
    """The shares that the thinnest and the thickest place are off when the resin stops."""
    if fill.upper is None or fill.after is None:
        return None
    off = fill.upper.rise_m[-1] / fill.built_m
    return float(off.min()), float(off.max())


def shut_figure(job: Job, fill: FillResult, units: Units) -> Figure:
    """The least margin of the clamp, as a figure."""
    if not job.closed:
        return Figure(None, "line force", "There is no clamp under film.")
    if fill.upper is None:
        return Figure(None, "line force", "The upper half does not bend, so its edge is not followed.")
    margin = clamp_margin(job, fill.upper)
    least, when_s, _ = margin.worst
    return Figure(
        least,
        "line force",
        f"The flange holds {show(clamp_n_m(job), 'line force', units)}; the least is left "
        f"{show(when_s, 'duration', units)} into the shot.",
    )
