"""Two rigid halves held by latches, bolts or a press: the force that opens them, and how many hold it.

``∫p dA + ∫σ dA`` over the cavity, the pressure in the channel beside it and the seals' springs push the halves apart;
the atmosphere on the outside, the upper half's weight and the clamps hold them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.figures import Figure
from bibulon.flow.cavity import seal_line, weight_kg_m2
from bibulon.flow.reading import top_nodes
from bibulon.flow.result import FillResult
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.job import Job
from bibulon.laminate.cells import laminate_of
from bibulon.mould.clamp import BalanceLine
from bibulon.mould.fittings import clamp_count
from bibulon.quantities import Units, show


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class PressForces:
    """Forces on two rigid halves (N): ``resin_n`` (k,) of resin and air in the cavity at each time, and what else
    pushes the halves apart or together; what the clamps give; how many of them the house asks for, and how far apart
    they sit now (m). ``area_m2`` and ``rim_m`` are those within the inner seal."""

    times_s: Floats
    resin_n: Floats
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
        """What the clamps give beyond the most that opens the mould."""
        return self.given_n - float(self.opening_n.max())


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
    fibre = sum((cell.stack.fibre_load_pa or 0.0) * cell.area_m2 for cell in laminate_of(job).cells)
    seals = (pair.inner_seal.spring_n_m + pair.outer_seal.spring_n_m) * whole.length
    weight = weight_kg_m2(pair.upper) * GRAVITY_M_S2 * whole.area
    atmosphere = job.shop.barometer_pa * whole.area
    asked = job.house.clamp_reserve * max(float(resin.max()) + fibre + seals - atmosphere - weight, 0.0)
    number = math.ceil(asked / pair.clamp.force_n) if pair.clamp.kind != "press" else 1
    spacing = whole.length / max(clamp_count(job), 1)
    return PressForces(
        fill.times_s, np.asarray(resin), fibre, seals, atmosphere, weight, whole.area, whole.length,
        clamps_give_n(job), asked, number, spacing,
    )  # fmt: skip


def clamps_give_n(job: Job) -> float:
    """What all clamps hold together with, or the press."""
    clamp = job.pair.clamp
    return clamp.force_n * (1 if clamp.kind == "press" else clamp_count(job))


def press_holds_pa(job: Job, forces: PressForces, reserve: float = 1.0) -> float:
    """The pressure over the atmosphere that the clamps of *job* hold with the whole cavity full of it, as when the
    vent is shut while resin still presses; of what the clamps give, one part in *reserve* is counted."""
    held_n = forces.given_n / reserve + forces.atmosphere_n + forces.weight_n - forces.fibre_n - forces.seals_n
    return held_n / forces.area_m2 - job.shop.barometer_pa


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
    )


def _edge_points(triangles: Integers) -> Integers:
    """The points on the border of a mesh: those of sides that one triangle alone has."""
    sides = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    kept, count = np.unique(sides, axis=0, return_counts=True)
    return np.asarray(np.unique(kept[count == 1]), dtype=np.int64)


def press_figure(job: Job, forces: PressForces, units: Units) -> Figure:
    """What the clamps have left, as a figure."""
    at, holder = int(forces.opening_n.argmax()), "press" if job.pair.clamp.kind == "press" else "clamps"
    given, opens = (show(force_n, "force", units) for force_n in (forces.given_n, float(forces.opening_n[at])))
    when = show(float(forces.times_s[at]), "duration", units)
    how = f"{given} of {holder} against {opens} that opens the mould {when} into the shot."
    return Figure(forces.left_n, "force", how)
