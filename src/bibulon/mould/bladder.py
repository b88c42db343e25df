"""A bladder inside a hollow part: what it presses beyond the resin, over the fill, and what if it loses its pressure.

The fibre carries ``p_bladder − p_resin``: where resin presses as hard as the bladder, it lifts the laminate off the
mould and runs past it. A bladder that bursts, or whose hose comes off, has the atmosphere in it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats
from bibulon.figures import Figure
from bibulon.flow.cavity import long_sides
from bibulon.flow.reading import top_nodes
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import revised, with_pair
from bibulon.laminate.cells import laminate_of
from bibulon.quantities import Units, show


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class BladderMargin:
    """What the bladder presses beyond the resin where it presses hardest: (k,) at each time, and the worst place."""

    times_s: Floats
    least_pa: Floats
    place: Point

    @property
    def worst(self) -> tuple[float, float]:
        """The least of it, and when it comes first within a hundredth of that."""
        least = float(self.least_pa.min())
        at = int(np.argmax(self.least_pa <= least + abs(least) * 0.01))
        return float(self.least_pa[at]), float(self.times_s[at])


def bladder_pa(job: Job) -> float:
    """Absolute pressure in the bladder."""
    return job.shop.barometer_pa + job.pair.bladder.over_pressure_pa


def bladder_margin(job: Job, fill: FillResult) -> BladderMargin:
    """The margin of the bladder of *job* over its *fill*."""
    resin = fill.pressure_pa[:, top_nodes(fill)].astype(np.float64) + fill.problem.vent_pa
    hardest = resin.max(axis=1)
    at = np.unravel_index(int(resin.argmax()), resin.shape)[1]
    x, y = fill.mesh.points_m[at]
    return BladderMargin(fill.times_s, bladder_pa(job) - hardest, (float(x), float(y)))


def bladder_figure(job: Job, fill: FillResult, units: Units) -> Figure:
    """What the bladder presses beyond the resin at the least."""
    least, when_s = bladder_margin(job, fill).worst
    over = show(job.pair.bladder.over_pressure_pa, "pressure difference", units, 0)
    return Figure(
        least,
        "pressure difference",
        f"The bladder has {over} over the atmosphere; resin leaves it least {show(when_s, 'duration', units)} into "
        "the shot, where it presses hardest.",
    )


def most_over_pa(job: Job) -> float:
    """The most over the atmosphere that resin may be pressed with so that it stays under the bladder even with the
    vent shut."""
    return job.pair.bladder.over_pressure_pa


@dataclass(frozen=True)
class PressureLost:
    """What if the bladder had the atmosphere in it: how much thicker the part would be (share), and whether resin
    pressed as planned would lift it off the mould."""

    thicker: float
    lifts: bool


def pressure_lost(job: Job) -> PressureLost | None:
    """What a bladder that loses its pressure does; None where nothing lies in the mould yet."""
    blown = laminate_of(job).total.thickness_m
    if blown <= 0:
        return None
    slack = laminate_of(with_pair(job, bladder=revised(job.pair.bladder, over_pressure_pa=0.0))).total.thickness_m
    planned = max(step.over_pressure_pa for step in job.pair.injection.steps)
    return PressureLost(slack / blown - 1, planned > 0)


@dataclass(frozen=True)
class Girth:
    """Round the part inside, at its widest and its narrowest along its length (m)."""

    widest_m: float
    narrowest_m: float


def girth_of(job: Job) -> Girth | None:
    """Round the part as it is developed flat; None where the plan does not close on itself."""
    sides = long_sides(job.part.outline) if job.pair.bladder.wraps else None
    if sides is None:
        return None
    ends = [math.dist(one, other) for one, other in zip(*sides, strict=True)]
    return Girth(max(ends), min(ends))


@dataclass(frozen=True)
class HollowMass:
    """What the part weighs, and what it would weigh as a solid bar of the same girth (kg)."""

    hollow_kg: float
    solid_kg: float


def hollow_mass(job: Job) -> HollowMass | None:
    """The part against a solid one: its laminate over the whole of a round section of its girth, ``g²/4π`` along it."""
    total, girth = laminate_of(job).total, girth_of(job)
    if girth is None or total.thickness_m <= 0 or total.area_m2 <= 0:
        return None
    resin_kg = sum(cell.area_m2 * cell.stack.void_m for cell in laminate_of(job).cells) * job.resin.density_kg_m3
    hollow_kg = total.dry_mass_kg + resin_kg
    long_m = total.area_m2 / ((girth.widest_m + girth.narrowest_m) / 2)
    square = (girth.widest_m**2 + girth.widest_m * girth.narrowest_m + girth.narrowest_m**2) / 3  # of a cone
    volume_m3 = sum(cell.area_m2 * cell.stack.thickness_m for cell in laminate_of(job).cells)
    return HollowMass(hollow_kg, hollow_kg / volume_m3 * square / (4 * math.pi) * long_m)


def parting_force_n(job: Job) -> float:
    """What pushes the halves of the outer mould apart: the bladder's pressure on the part seen from above, taken as
    round, so ``Δp · A/π`` of the developed area A."""
    return job.pair.bladder.over_pressure_pa * job.part.shape.area / math.pi
