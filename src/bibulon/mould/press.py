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
from bibulon.mould.fittings import clamp_count
from bibulon.quantities import Units, show


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class PressForces:
    """Forces on two rigid halves (N): ``opening_n`` (k,) at each time, beyond atmosphere and weight; what the clamps
    give; how many of them the house asks for, and how far apart they sit now (m)."""

    times_s: Floats
    opening_n: Floats
    given_n: float
    asked_n: float
    number: int
    spacing_m: float

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
    opening = resin + fibre + seals - job.shop.barometer_pa * whole.area - weight
    given = clamps_give_n(job)
    asked = job.house.clamp_reserve * max(float(opening.max()), 0.0)
    number = math.ceil(asked / pair.clamp.force_n) if pair.clamp.kind != "press" else 1
    return PressForces(fill.times_s, opening, given, asked, number, whole.length / max(clamp_count(job), 1))


def clamps_give_n(job: Job) -> float:
    """What all clamps hold together with, or the press."""
    clamp = job.pair.clamp
    return clamp.force_n * (1 if clamp.kind == "press" else clamp_count(job))


def _edge_points(triangles: Integers) -> Integers:
    """The points on the border of a mesh: those of sides that one triangle alone has."""
    sides = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    kept, count = np.unique(sides, axis=0, return_counts=True)
    return np.asarray(np.unique(kept[count == 1]), dtype=np.int64)


def press_figure(job: Job, fill: FillResult, units: Units) -> Figure:
    """What the clamps have left, as a figure."""
    forces = press_forces(job, fill)
    at = int(forces.opening_n.argmax())
    return Figure(
        forces.left_n,
        "force",
        f"{show(forces.given_n, 'force', units)} of clamps against {show(float(forces.opening_n[at]), 'force', units)} "
        f"that opens the mould {show(float(forces.times_s[at]), 'duration', units)} into the shot.",
    )
