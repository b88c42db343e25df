"""The upper half of a mould on the fibre: how much thicker the cavity gets where, and what pulls at its edge.

The plate of :mod:`bibulon.flow.plate` carries ``∇·∇·(D ∇∇w) = p − p_atm + σ(h₀ + w) − g m``: resin or air of absolute
pressure p and the fibre's pressure σ push it up, the atmosphere and its weight down. Load and deflection meet at the
points of the fill's mesh, each for its area, so that the coupling is symmetric; the ring between the part and the
inner seal has the pressure of the nearest point and no fibre. Solved by Newton's method with the fibre's spring
``−dσ/dw``, halving steps that do not bring it nearer.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from scipy import sparse
from scipy.spatial import cKDTree
from shapely import LineString, Point, Polygon, constrained_delaunay_triangles, get_parts, segmentize

from bibulon.arrays import Floats
from bibulon.flow.mesh import Mesh
from bibulon.flow.meshing import mesh_size_m
from bibulon.flow.plate import Plate, Stiffness, plate_of
from bibulon.job.base import Point as PlanPoint

if TYPE_CHECKING:
    from scipy.sparse.linalg import SuperLU

MOST_ROUNDS = 60
MOST_HALVINGS = 12
WORTH_KEEPING = 0.3
"""Factors of an earlier state serve as long as a step with them leaves at most so much of the imbalance."""
TOLERANCE = 1e-6
"""Forces are balanced within this share of the atmosphere's over the whole plate."""
FEWEST, MOST = 150, 600
"""Corners of the plate's own mesh, which may be coarser than the fill's: it bends smoothly."""
EVEN_OUT = 2.0
"""The load on the edge is a mean over so many widths of the flange: it is stiff enough to spread it."""


@dataclass(frozen=True)
class UpperHalfProblem:
    """An upper half as a plate, and what rests on it.

    ``outline`` is the edge that it is held at, the inner seal; ``gap_m`` (g,) are growing changes of the cavity's
    height at which the loads of the cells and the contents of their levels are tabulated; ``loads_pa`` (cells, g).
    """

    outline: tuple[PlanPoint, ...]
    part: tuple[PlanPoint, ...]
    stiffness: Stiffness
    held_flat: bool
    weight_pa: float
    atmosphere_pa: float
    gap_m: tuple[float, ...]
    loads_pa: tuple[tuple[float, ...], ...]
    even_out_m: float = 0.2
    """The load on the edge is a mean over so much of it."""
    measured_times: float = 1.0
    """How many times as stiff it was measured as its laminate and ribs say; 1 where it was not."""


@dataclass(frozen=True)
class Giving:
    """How the upper half gives under some pressures: deflection ``rise_m`` (points,), how much more it rises for each
    pascal more everywhere ``compliance_m_pa`` (points,)."""

    rise_m: Floats
    compliance_m_pa: Floats


@dataclass
class _Table:
    """Piecewise straight functions of the deflection, one for each point."""

    gap_m: Floats
    values: Floats

    def at(self, rise_m: Floats) -> tuple[Floats, Floats]:
        """(points,) values and slopes at *rise_m*, going on straight beyond the ends."""
        return looked_up(self.gap_m, self.values, rise_m)


def looked_up(grid: Floats, values: Floats, at: Floats) -> tuple[Floats, Floats]:
    """(n,) values and slopes at *at* (n,) of functions given by *values* (n, g) on *grid* (g,)."""
    slot = np.searchsorted(grid[1:-1], at, side="right")
    row = slot + np.arange(len(at)) * len(grid)
    low, high = values.take(row), values.take(row + 1)
    start = grid.take(slot)
    slope = (high - low) / (grid.take(slot + 1) - start)
    return low + (at - start) * slope, slope


class UpperHalf:
    """The upper half over the points of a fill's *mesh*, whose areas are *area_m2* (points,) and whose fibre presses
    with *loads_pa* (points, g) at the deflections ``problem.gap_m``."""

    def __init__(self, problem: UpperHalfProblem, mesh: Mesh, area_m2: Floats, loads_pa: Floats) -> None:
        self.problem = problem
        self._loads = _Table(np.array(problem.gap_m), loads_pa)
        part, whole = Polygon(problem.part), Polygon(problem.outline)
        nodes = self._nodes(whole, loads_pa)
        plate = self.plate = plate_of((problem.outline, problem.stiffness, problem.held_flat, nodes))
        size = mesh_size_m(whole.area, nodes)
        ring_places, ring_area = _over_ring(part, whole, size)
        self._ring_of = cKDTree(mesh.points_m).query(ring_places)[1]
        self.points = len(mesh.points_m)
        free = plate.free
        self._rise_of = plate.at(np.concatenate([mesh.points_m, ring_places]))
        self._free_rise = sparse.csr_array(self._rise_of[:, free])
        self._area = np.concatenate([area_m2, ring_area])
        self._stiffness = sparse.csc_array(plate.matrix[free][:, free])
        self._state = np.zeros(int(free.sum()))
        self._plate_area = float(self._area.sum())
        self._factor: SuperLU | None = None
        self._smooth = _evened(plate, whole, problem.even_out_m)

    def _nodes(self, whole: Polygon, loads_pa: Floats) -> int:
        """How many corners the plate's mesh gets: fewer than the fill's, but enough for what is held at its edge to
        find its way to what the fibre would have of it, over ``(4 D/k)^¼``."""
        gap, at = np.array(self.problem.gap_m), np.zeros(len(loads_pa))
        spring = float(np.median(-looked_up(gap, loads_pa, at)[1]))
        stiff = min(self.problem.stiffness.along_x, self.problem.stiffness.along_y)
        reach_m = (4 * stiff / spring) ** 0.25 if spring > 0 else math.inf
        if reach_m >= mesh_size_m(whole.area, FEWEST):
            return FEWEST
        return int(np.clip(2 / math.sqrt(3) * whole.area / reach_m**2, FEWEST, MOST))

    # -- balance -----------------------------------------------------------------------------------------------------

    def rise(self, pressure_pa: Floats) -> Floats:
        """(points,) how much the cavity is higher than built under absolute pressures (points,)."""
        self._balance(pressure_pa)
        return np.asarray((self._free_rise @ self._state)[: self.points])

    def giving(self, pressure_pa: Floats) -> Giving:
        """How it gives about those absolute pressures (points,)."""
        rise = self.rise(pressure_pa)
        factor = self._factor or self._factored(self._free_rise @ self._state)
        more = self._free_rise @ factor.solve(self._free_rise.T @ self._area)
        return Giving(rise, np.maximum(more[: self.points], 0.0))

    def edge_load_n_m(self, pressure_pa: Floats) -> Floats:
        """(r,) what pulls the edge up at each place of ``plate.edge_places_m``, by its length; pressures absolute."""
        self._balance(pressure_pa)
        whole = np.zeros(len(self.plate.free))
        whole[self.plate.free] = self._state
        load = self._load(pressure_pa, self._free_rise @ self._state)
        held = self.plate.matrix @ whole - self._rise_of.T @ (self._area * load)
        return np.asarray(self._smooth @ -held[self.plate.edge])

    def forces_n(self, pressure_pa: Floats) -> Forces:
        """What pushes the halves apart and together under absolute pressures (points,)."""
        self._balance(pressure_pa)
        rise = self._free_rise @ self._state
        fibre = float(self._loads.at(rise[: self.points])[0] @ self._area[: self.points])
        inside = float(self._spread(pressure_pa) @ self._area)
        return Forces(
            area_m2=self._plate_area,
            resin_n=inside,
            fibre_n=fibre,
            atmosphere_n=self.problem.atmosphere_pa * self._plate_area,
            weight_n=self.problem.weight_pa * self._plate_area,
        )

    def _balance(self, pressure_pa: Floats) -> None:
        """Find the deflection for the pressures, from the last found."""
        state, rise = self._state, self._free_rise @ self._state
        enough = TOLERANCE * self.problem.atmosphere_pa * self._plate_area
        left = self._residual(state, rise, pressure_pa)
        size, fresh = _size(left), False
        for _ in range(MOST_ROUNDS):
            if size <= enough:
                break
            if self._factor is None:
                self._factored(rise)
                fresh = True
            assert self._factor is not None
            step = self._factor.solve(left)
            along = self._free_rise @ step
            tried = self._residual(state + step, rise + along, pressure_pa)
            if not fresh and _size(tried) > WORTH_KEEPING * size:
                self._factor = None  # that of another state, and no longer near enough
                continue
            for _ in range(MOST_HALVINGS):
                if _size(tried) < size:
                    break
                step, along = step / 2, along / 2
                tried = self._residual(state + step, rise + along, pressure_pa)
            if _size(tried) >= size:
                break
            state, rise, left, size = state + step, rise + along, tried, _size(tried)
            fresh = False
        self._state = state

    def _residual(self, state: Floats, rise: Floats, pressure_pa: Floats) -> Floats:
        return np.asarray(self._free_rise.T @ (self._area * self._load(pressure_pa, rise)) - self._stiffness @ state)

    def _load(self, pressure_pa: Floats, rise: Floats) -> Floats:
        load = self._spread(pressure_pa) - self.problem.atmosphere_pa - self.problem.weight_pa
        load[: self.points] += self._loads.at(rise[: self.points])[0]
        return load

    def _factored(self, rise: Floats) -> SuperLU:
        """The factors of plate and fibre's spring at that deflection."""
        from scipy.sparse.linalg import splu  # slow to load, and a job under film needs none of it

        spring = np.zeros(len(self._area))  # for each area
        spring[: self.points] = np.maximum(-self._loads.at(rise[: self.points])[1], 0.0)
        weighted = sparse.csr_array(self._free_rise.multiply((self._area * spring)[:, None]))
        self._factor = splu(
            sparse.csc_array(self._stiffness + self._free_rise.T @ weighted),
            permc_spec="MMD_AT_PLUS_A",
            diag_pivot_thresh=0.0,
            options={"SymmetricMode": True},
        )
        return self._factor

    def _spread(self, pressure_pa: Floats) -> Floats:
        return np.concatenate([pressure_pa, pressure_pa[self._ring_of]])


@dataclass(frozen=True)
class Forces:
    """Forces on the upper half inside the inner seal (N): up by what is in the cavity, down by air and weight."""

    area_m2: float
    resin_n: float
    fibre_n: float
    atmosphere_n: float
    weight_n: float

    @property
    def on_flange_n(self) -> float:
        """What is left for the flange to hold; negative where the halves press on each other."""
        return self.resin_n + self.fibre_n - self.atmosphere_n - self.weight_n


def _size(left: Floats) -> float:
    return float(np.abs(left).sum())


def _over_ring(part: Polygon, whole: Polygon, size_m: float) -> tuple[Floats, Floats]:
    """Places (k, 2) between the edges of *part* and *whole*, each with the area that it stands for (k,)."""
    ring = Polygon(segmentize(whole.exterior, size_m / 2), [segmentize(part.exterior, size_m / 2)])
    corners = np.array([piece.exterior.coords[:3] for piece in get_parts(constrained_delaunay_triangles(ring))])
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    # the middles of their edges integrate what is quadratic over a triangle
    middles = (corners + np.roll(corners, 1, axis=1)) / 2
    return middles.reshape(-1, 2), np.repeat(areas / 3, 3)


def _evened(plate: Plate, whole: Polygon, over_m: float) -> sparse.csr_array:
    """(r, r) what makes forces at the edge's corners into a mean load by length over *over_m* of the edge."""
    ring = LineString(whole.exterior)
    along = np.array([ring.project(place) for place in map(Point, plate.edge_places_m)])
    apart = np.abs(along[:, None] - along[None, :])
    apart = np.minimum(apart, ring.length - apart)
    near = np.maximum(1 - apart / over_m, 0.0)
    return sparse.csr_array(near / (near @ plate.edge_shares_m)[:, None])
