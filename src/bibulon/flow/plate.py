"""A thin plate that gives under pressure: the upper half of a mould, held along its edge.

Nonconforming triangles of scikit-fem with 15 parameters: deflection and slopes at the corners, deflection and the slope
across at the middles of the edges. With bending stiffness ``D = E t³/12(1−ν²)`` (per direction; ribs add ``E I`` by
their pitch to the direction they run), the energy is ``½∫ κ:D:κ`` with the curvatures κ of the deflection w (m),
upwards. Source: Kirchhoff's plate.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import sparse
from scipy.spatial import cKDTree
from shapely import Polygon

from bibulon.arrays import Flags, Floats, Integers
from bibulon.flow.mesh import Mesh
from bibulon.flow.meshing import mesh_plan, mesh_size_m
from bibulon.job.base import Point as PlanPoint
from bibulon.remembered import remembered

NEAR_TRIANGLES = 16
"""So many of the nearest are looked through for the one over a place."""


@dataclass(frozen=True)
class Stiffness:
    """Bending stiffness (N·m): about curvature along x and along y, of both together, and in twist."""

    along_x: float
    along_y: float
    both: float
    twist: float

    @classmethod
    def of_laminate(cls, thickness_m: float, modulus_pa: float, poisson: float) -> Stiffness:
        """``D = E t³/12(1−ν²)`` of an even plate."""
        d = modulus_pa * thickness_m**3 / (12 * (1 - poisson**2))
        return cls(d, d, poisson * d, (1 - poisson) / 2 * d)

    def with_ribs(self, along_x: float, along_y: float) -> Stiffness:
        """With ribs of so much ``E I`` by their pitch (N·m), running along x and along y."""
        return Stiffness(self.along_x + along_x, self.along_y + along_y, self.both, self.twist)

    def times(self, factor: float) -> Stiffness:
        """So many times as stiff."""
        return Stiffness(self.along_x * factor, self.along_y * factor, self.both * factor, self.twist * factor)


class Plate:
    """A plate on a *mesh*, held at its whole edge: flat against it where it is *held_flat*, else free to turn.

    Arrays (d,) are over its degrees of freedom, of which ``free`` are not held.
    """

    def __init__(self, mesh: Mesh, stiffness: Stiffness, held_flat: bool) -> None:
        import skfem  # slow to load, and a job under film needs none of it
        from skfem.helpers import dd

        self._basis = skfem.Basis(
            skfem.MeshTri(np.ascontiguousarray(mesh.points_m.T), np.ascontiguousarray(mesh.triangles.T)),
            skfem.ElementTri15ParamPlate(),
        )

        def bending(u: Any, v: Any, _: Any) -> Any:
            (uxx, uxy), (_uyx, uyy) = dd(u)
            (vxx, vxy), (_vyx, vyy) = dd(v)
            s = stiffness
            return (
                s.along_x * uxx * vxx
                + s.along_y * uyy * vyy
                + s.both * (uxx * vyy + uyy * vxx)
                + 4 * s.twist * uxy * vxy
            )

        self.matrix = sparse.csr_array(skfem.BilinearForm(bending).assemble(self._basis))
        edge = self._basis.get_dofs()
        self.edge: Integers = np.concatenate([edge.nodal["u"], edge.facet["u"]]).astype(np.int64)
        """Degrees of freedom of the deflection along the edge: at its corners, then between them."""
        held = edge.all() if held_flat else self.edge
        self.free: Flags = np.ones(self.matrix.shape[0], dtype=bool)
        self.free[held] = False
        self.mesh = mesh

    def at(self, places_m: Floats) -> sparse.csr_array:
        """(k, d) what gives the deflection at *places_m* (k, 2); one beside the plate counts to the next
        triangle."""
        basis = self._basis
        triangles = self._triangles_at(places_m)
        local = basis.mapping.invF(places_m.T[:, :, np.newaxis], tind=triangles)
        values = [np.asarray(basis.elem.gbasis(basis.mapping, local, k, tind=triangles)[0]) for k in range(basis.Nbfun)]
        rows = np.tile(np.arange(len(places_m)), basis.Nbfun)
        columns = basis.element_dofs[:, triangles].ravel()
        shape = (len(places_m), self.matrix.shape[0])
        return sparse.csr_array(sparse.coo_array((np.array(values).ravel(), (rows, columns)), shape))

    def _triangles_at(self, places_m: Floats) -> Integers:
        """(k,) the triangle over each of *places_m*, or nearest to it."""
        corners = self.mesh.points_m[self.mesh.triangles]
        near = cKDTree(corners.mean(axis=1)).query(places_m, k=min(NEAR_TRIANGLES, len(corners)))[1]
        a, b, c = (corners[near, corner] for corner in range(3))
        ab, ac, ap = b - a, c - a, places_m[:, None] - a
        double = ab[..., 0] * ac[..., 1] - ab[..., 1] * ac[..., 0]
        second = (ap[..., 0] * ac[..., 1] - ap[..., 1] * ac[..., 0]) / double
        third = (ab[..., 0] * ap[..., 1] - ab[..., 1] * ap[..., 0]) / double
        within = np.minimum(np.minimum(second, third), 1 - second - third)
        return np.asarray(near[np.arange(len(places_m)), within.argmax(axis=1)])

    @cached_property
    def edge_places_m(self) -> Floats:
        """(r, 2) where the degrees of freedom of ``edge`` are."""
        return self._along_edge[0]

    @cached_property
    def edge_shares_m(self) -> Floats:
        """(r,) how much of the edge each of them stands for (Simpson's rule)."""
        return self._along_edge[1]

    @cached_property
    def _along_edge(self) -> tuple[Floats, Floats]:
        mesh, count = self._basis.mesh, self.matrix.shape[0]
        sides = mesh.boundary_facets()
        ends = mesh.facets[:, sides]
        lengths = np.linalg.norm(mesh.p[:, ends[0]] - mesh.p[:, ends[1]], axis=0)
        places, shares = np.zeros((count, 2)), np.zeros(count)
        corners, middles = self._basis.nodal_dofs[0], self._basis.facet_dofs[0]
        places[corners] = mesh.p.T
        places[middles[sides]] = (mesh.p[:, ends[0]] + mesh.p[:, ends[1]]).T / 2
        for end in ends:
            np.add.at(shares, corners[end], lengths / 6)
        shares[middles[sides]] = lengths * 2 / 3
        return places[self.edge], shares[self.edge]


@remembered(6)
def plate_of(made_of: tuple[tuple[PlanPoint, ...], Stiffness, bool, int]) -> Plate:
    """The plate within an outline, of a stiffness, held flat or not, with about so many corners."""
    outline, stiffness, held_flat, nodes = made_of
    shape = Polygon(outline)
    size = mesh_size_m(shape.area, nodes)
    return Plate(mesh_plan([simplified(shape, size)], [], [], size, nodes), stiffness, held_flat)


def simplified(shape: Polygon, size_m: float) -> Polygon:
    """*shape* with no more corners than a mesh of triangles of *size_m* needs."""
    simple = shape.simplify(size_m / 50)
    return simple if isinstance(simple, Polygon) else shape
