"""Two rigid halves held by latches, bolts or a press: the force that opens them, and how many hold it.

``∫p dA + ∫σ dA`` over the cavity, the pressure in the channel beside it and the seals' springs push the halves apart;
the atmosphere on the outside, the upper half's weight and the clamps hold them.

Pressure is highest at the inlets, so that one side is pressed apart harder than the other. Both halves are taken as
rigid, and the clamps as alike and evenly spread: the load on a metre of the rim is then ``q = a + b·x + c·y``, with
``∮q ds``, ``∮q x ds`` and ``∮q y ds`` those of the forces, as in a group of bolts that is loaded off its middle. The
mould opens where q passes what the clamps give a metre. The platens of a press are guided, and share it evenly.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from shapely import Polygon

from bibulon.arrays import Floats, Integers
from bibulon.figures import Figure
from bibulon.flow.cavity import seal_line, weight_kg_m2
from bibulon.flow.reading import top_nodes
from bibulon.flow.result import FillResult
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.laminate.cells import laminate_of
from bibulon.mould.clamp import BalanceLine
from bibulon.mould.fittings import clamp_count
from bibulon.quantities import Units, show
from bibulon.quantity_text import place_text

RIM_POINTS = 200
"""Places along the rim where its load is looked at."""
ALIKE = 0.05
"""Loads that differ by less than this share of all differences along the rim are one."""
OFF_SHARE = 0.02
"""What the worst side bears beyond the mean is told where it is more than this share of what opens the mould."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class PressForces:
    """Forces on two rigid halves (N): ``resin_n`` (k,) of resin and air in the cavity at each time, and what else
    pushes the halves apart or together; what the clamps give; how many of them the house asks for, and how far apart
    they sit now (m). ``area_m2`` and ``rim_m`` are those within the inner seal.

    ``worst_n`` (k,) is what would open the mould if it were pressed apart all round as hard as where that is most, at
    ``worst_place`` when it is the most over the shot. ``even_share`` (r,) is how hard one pressure all over the cavity
    presses at places of the rim, as a share of its mean, and ``fibre_share`` (r,) how hard the fibre does.
    """

    times_s: Floats
    resin_n: Floats
    worst_n: Floats
    worst_place: Point
    even_share: Floats
    fibre_share: Floats
    fibre_n: float
    seals_n: float
    atmosphere_n: float
    weight_n: float
    area_m2: float
    rim_m: float
    given_n: float
    asked_n: float
    number: int
    spacing_m: float

    @property
    def opening_n(self) -> Floats:
        """(k,) what opens the mould at each time, beyond atmosphere and weight."""
        return self.resin_n + (self.fibre_n + self.seals_n - self.atmosphere_n - self.weight_n)

    @property
    def left_n(self) -> float:
        """What the clamps give beyond the most that opens the mould, where it is pressed apart hardest."""
        return self.given_n - float(self.worst_n.max())

    def off_the_middle_n(self, at: int) -> float:
        """What the worst side bears beyond the mean at the time of that number; 0 where that is next to nothing."""
        more_n, opening_n = float(self.worst_n[at] - self.opening_n[at]), abs(float(self.opening_n[at]))
        return more_n if more_n > OFF_SHARE * opening_n else 0.0

    @property
    def at(self) -> int:
        """The number of the time when least is left."""
        return int(self.worst_n.argmax())


def press_forces(job: Job, fill: FillResult) -> PressForces:
    """The forces on the halves of *job* over its *fill*."""
    pair, mesh = job.pair, fill.mesh
    area = np.bincount(mesh.triangles.ravel(), np.repeat(mesh.areas_m2 / 3, 3), len(mesh.points_m))
    pressure = fill.pressure_pa[:, top_nodes(fill)].astype(np.float64) + fill.problem.vent_pa
    whole = seal_line(job)
    # the ring between part and seal has what stands at the rim
    rim = np.unique(mesh.edges[np.isin(mesh.edges, _edge_points(mesh.triangles)).all(axis=1)])
    ring_m2 = max(whole.area - float(area.sum()), 0.0)
    resin = pressure @ area + pressure[:, rim].mean(axis=1) * ring_m2
    cells = laminate_of(job).cells
    fibre_n = [(cell.stack.fibre_load_pa or 0.0) * cell.area_m2 for cell in cells]
    fibre = sum(fibre_n)
    seals = (pair.inner_seal.spring_n_m + pair.outer_seal.spring_n_m) * whole.length
    weight = weight_kg_m2(pair.upper) * GRAVITY_M_S2 * whole.area
    atmosphere = job.shop.barometer_pa * whole.area
    load = RimLoad.even(whole) if pair.clamp.kind == "press" else RimLoad.of(whole)
    even = load.shares(np.ones(1), np.array([whole.centroid.coords[0]]))
    where = np.array([cell.polygon.centroid.coords[0] for cell in cells]).reshape(-1, 2)
    by_fibre = load.shares(np.array(fibre_n), where) if fibre > 0 else np.ones_like(even)
    forces = np.hstack([pressure * area, pressure[:, rim] * (ring_m2 / len(rim))])
    by_resin = load.forces_n(forces, np.vstack([mesh.points_m[:, :2], mesh.points_m[rim, :2]]))
    opens = by_resin + fibre * by_fibre + seals - (atmosphere + weight) * even
    worst = opens.max(axis=1)
    place = load.worst_place(opens[int(worst.argmax())])
    asked = job.house.clamp_reserve * max(float(worst.max()), 0.0)
    number = math.ceil(asked / pair.clamp.force_n) if pair.clamp.kind != "press" else 1
    spacing = whole.length / max(clamp_count(job), 1)
    return PressForces(
        fill.times_s, np.asarray(resin), np.asarray(worst), place, even, by_fibre, fibre, seals, atmosphere, weight,
        whole.area, whole.length, clamps_give_n(job), asked, number, spacing,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class RimLoad:
    """How forces on rigid halves are shared along a rim: ``points_m`` (r, 2) evenly along it, and ``sharing`` (r, 3),
    by which a force and its two moments about ``middle_m`` (2,) load it at each of them, times its length (N)."""

    points_m: Floats
    sharing: Floats
    middle_m: Floats

    @classmethod
    def of(cls, rim: Polygon) -> RimLoad:
        """Of clamps spread evenly along the outside of *rim*."""
        line = rim.exterior
        points = np.array(
            [line.interpolate((at + 0.5) / RIM_POINTS, normalized=True).coords[0] for at in range(RIM_POINTS)]
        )
        middle = points.mean(axis=0)
        basis = np.column_stack([np.ones(RIM_POINTS), points - middle])
        return cls(points, basis @ np.linalg.inv(basis.T @ basis) * RIM_POINTS, middle)

    @classmethod
    def even(cls, rim: Polygon) -> RimLoad:
        """Shared evenly, wherever a force is."""
        corner = np.array(rim.exterior.coords[0])
        return cls(corner[None], np.array([[1.0, 0.0, 0.0]]), corner)

    def forces_n(self, forces_n: Floats, places_m: Floats) -> Floats:
        """(k, r) what *forces_n* (k, n) at *places_m* (n, 2) load each place of the rim with, times its length."""
        x, y = (places_m - self.middle_m).T
        wrench = np.stack([forces_n.sum(axis=1), forces_n @ x, forces_n @ y])
        return np.asarray((self.sharing @ wrench).T)

    def shares(self, forces_n: Floats, places_m: Floats) -> Floats:
        """(r,) the same of *forces_n* (n,), as a share of their mean over the rim."""
        return np.asarray(self.forces_n(forces_n[None], places_m)[0] / forces_n.sum())

    def worst_place(self, loads_n: Floats) -> Point:
        """In the middle of where *loads_n* (r,) are all but the greatest."""
        worst = self.points_m[loads_n >= loads_n.max() - ALIKE * np.ptp(loads_n)]
        x, y = min(worst, key=lambda point: float(np.hypot(*(point - worst.mean(axis=0)))))
        return float(x), float(y)


def clamps_give_n(job: Job) -> float:
    """What all clamps hold together with, or the press."""
    clamp = job.pair.clamp
    return clamp.force_n * (1 if clamp.kind == "press" else clamp_count(job))


def press_holds_pa(job: Job, forces: PressForces, reserve: float = 1.0) -> float:
    """The pressure over the atmosphere that the clamps of *job* hold with the whole cavity full of it, as when the
    vent is shut while resin still presses; of what the clamps give, one part in *reserve* is counted."""
    outside_n = (forces.atmosphere_n + forces.weight_n) * forces.even_share
    held_n = forces.given_n / reserve + outside_n - forces.fibre_n * forces.fibre_share - forces.seals_n
    pressed = forces.even_share > 0
    return float((held_n / (forces.even_share * forces.area_m2))[pressed].min()) - job.shop.barometer_pa


def press_balance(job: Job, forces: PressForces, at: int, units: Units) -> tuple[BalanceLine, ...]:
    """The sum by hand of the *forces* on the halves of *job* at the time of that number."""

    def pressure(value: float) -> str:
        return show(value, "pressure difference", units)

    clamp, area = job.pair.clamp, show(forces.area_m2, "area", units)
    each = show(clamp.force_n, "force", units)
    clamps = "In all." if clamp.kind == "press" else f"{clamp_count(job)} {clamp.kind} × {each}."
    resin = float(forces.resin_n[at])
    return (
        BalanceLine("The press" if clamp.kind == "press" else f"The {clamp.kind}", forces.given_n, clamps),
        BalanceLine(
            "Atmosphere on the cavity",
            forces.atmosphere_n,
            f"{pressure(job.shop.barometer_pa)} × {area} within the inner seal.",
        ),
        BalanceLine("Weight of the upper half", forces.weight_n, "By its card."),
        BalanceLine(
            "Resin and air in the cavity",
            -resin,
            f"{pressure(resin / forces.area_m2)} absolute in the mean, × {area}.",
        ),
        BalanceLine("Fibre", -forces.fibre_n, "What the stack is pressed with, cell by cell, at the cavity's height."),
        BalanceLine("Seals", -forces.seals_n, f"Both springs over {show(forces.rim_m, 'distance', units)} of rim."),
        *_off_the_middle(forces, at, units),
    )


def _off_the_middle(forces: PressForces, at: int, units: Units) -> tuple[BalanceLine, ...]:
    more_n = forces.off_the_middle_n(at)
    if not more_n:
        return ()
    where = place_text(forces.worst_place, units).replace("-", "−")
    how = (
        f"The rim at {where} is pressed apart harder than the mean of it; if all of it were, it would be so much more."
    )
    return (BalanceLine("Pressed off the middle", -more_n, how),)


def _edge_points(triangles: Integers) -> Integers:
    """The points on the border of a mesh: those of sides that one triangle alone has."""
    sides = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    kept, count = np.unique(sides, axis=0, return_counts=True)
    return np.asarray(np.unique(kept[count == 1]), dtype=np.int64)


def press_figure(job: Job, forces: PressForces, units: Units) -> Figure:
    """What the clamps have left, as a figure."""
    at, holder = forces.at, "press" if job.pair.clamp.kind == "press" else "clamps"
    given, opens = (show(force_n, "force", units) for force_n in (forces.given_n, float(forces.worst_n[at])))
    when = show(float(forces.times_s[at]), "duration", units)
    side = ", where it is pressed hardest," if forces.off_the_middle_n(at) else ""
    how = f"{given} of {holder} against {opens} that opens the mould{side} {when} into the shot."
    return Figure(forces.left_n, "force", how)
