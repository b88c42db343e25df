"""Triangles aligned with the material, so that the matrix keeps the sign pattern of real flow.

Linear triangles couple two nodes with the wrong sign where, seen in the metric of the transmissivity, the angles
opposite their edge add up to more than 180°. Turning such edges (Lawson flips) makes the mesh Delaunay in that metric
within each cell: then every coupling is non-positive, pressures obey the maximum principle and no full place empties.
Edges on cell borders and lines stay; what wrong couplings remain there are led round (:func:`without_wrong_signs`).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bibulon.arrays import Floats, Integers
from bibulon.flow.mesh import Mesh

Edge = tuple[int, int]
FLIPS_PER_TRIANGLE = 20


def couplings(points: Floats, triangles: Integers, tensors: Floats) -> Floats:
    """(m, 3) off-diagonal stiffness of each triangle's edges; edge c is the one opposite corner c."""
    corners = points[triangles]
    edges = np.stack([corners[:, (c + 2) % 3] - corners[:, (c + 1) % 3] for c in range(3)], axis=1)
    normals = np.stack([-edges[..., 1], edges[..., 0]], axis=-1)
    double = edges[:, 0, 0] * edges[:, 1, 1] - edges[:, 0, 1] * edges[:, 1, 0]
    driven = np.einsum("mij,mcj->mci", tensors, normals)
    pairs = [np.einsum("mi,mi->m", normals[:, (c + 1) % 3], driven[:, (c + 2) % 3]) for c in range(3)]
    coupling: Floats = np.stack(pairs, axis=1) / (2 * np.abs(double))[:, None]
    return coupling


def without_wrong_signs(triangles: Integers, coupling: Floats) -> Floats:
    """*coupling* (m, 3) of the *triangles* with those edges set to nothing that would couple with the wrong sign.

    Such an edge i–j lies opposite an angle, at k, of more than 90° in the metric of the transmissivity. Taking a
    negative conductance ``e`` out would let resin run too fast along the edge, so the ways i–k and k–j round it lose
    ``e/s`` and ``e/(1 − s)``, where s is the foot of k on i–j: that changes no flow of a field that varies along i–j,
    and leaves both ways open, since ``cot α cot β + cot β cot γ + cot γ cot α = 1``.
    """
    pairs = np.sort(np.concatenate([triangles[:, [(c + 1) % 3, (c + 2) % 3]] for c in range(3)]), axis=1)
    keys, where = np.unique(pairs[:, 0] * (int(triangles.max()) + 1) + pairs[:, 1], return_inverse=True)
    where = where.reshape(3, -1).T
    total = np.bincount(where.ravel(), coupling.ravel(), len(keys))
    positive = np.bincount(where.ravel(), np.maximum(coupling, 0.0).ravel(), len(keys))
    corrected = coupling.copy()
    for c in range(3):
        i, j = (c + 1) % 3, (c + 2) % 3
        rows = np.flatnonzero((coupling[:, c] > 0) & (total[where[:, c]] > 0))
        excess = total[where[rows, c]] * coupling[rows, c] / positive[where[rows, c]]
        foot = np.clip(coupling[rows, i] / (coupling[rows, i] + coupling[rows, j]), 1e-3, 1 - 1e-3)
        corrected[rows, c] -= excess
        corrected[rows, j] += excess / foot
        corrected[rows, i] += excess / (1 - foot)
    return corrected


def aligned(mesh: Mesh, tensors: Floats, fixed: Integers) -> Mesh:
    """*mesh* with edges turned to suit *tensors* (m, 2, 2) of the triangles; edges in *fixed* (k, 2) stay."""
    waiting = _suspects(mesh, tensors)
    if not waiting:
        return mesh
    triangles = mesh.triangles.copy()
    stay = {(int(a), int(b)) if a < b else (int(b), int(a)) for a, b in fixed}
    sides: dict[Edge, list[int]] = {}
    for number, corners in enumerate(triangles.tolist()):
        for c in range(3):
            sides.setdefault(_edge(corners[(c + 1) % 3], corners[(c + 2) % 3]), []).append(number)

    def wrong(edge: Edge) -> bool:
        owners = sides[edge]
        if len(owners) != 2 or edge in stay or mesh.cell[owners[0]] != mesh.cell[owners[1]]:
            return False
        return _coupling(owners, edge) > float(tolerance[owners[0]])

    def _coupling(owners: list[int], edge: Edge) -> float:
        local = couplings(mesh.points_m, triangles[owners], tensors[owners])
        return float(
            sum(local[i, c] for i, number in enumerate(owners) for c in range(3) if triangles[number, c] not in edge)
        )

    tolerance = 1e-9 * np.trace(tensors, axis1=1, axis2=2)
    budget = FLIPS_PER_TRIANGLE * len(triangles)
    while waiting and budget:
        edge = waiting.pop()
        if edge not in sides or not wrong(edge) or not _convex(mesh.points_m, triangles, sides[edge], edge):
            continue
        budget -= 1
        waiting += _flip(triangles, sides, edge)
    return replace(mesh, triangles=triangles)


def _edge(a: int, b: int) -> Edge:
    return (a, b) if a < b else (b, a)


def _convex(points: Floats, triangles: Integers, owners: list[int], edge: Edge) -> bool:
    """Whether the two triangles make a convex quadrilateral, so that its other diagonal can be drawn."""
    left, right = (next(int(node) for node in triangles[owner] if node not in edge) for owner in owners)
    span = points[right] - points[left]
    sides = [span[0] * (points[end] - points[left])[1] - span[1] * (points[end] - points[left])[0] for end in edge]
    return bool(sides[0] * sides[1] < 0)


def _suspects(mesh: Mesh, tensors: Floats) -> list[Edge]:
    """Edges whose coupling is wrong as meshed, all found at once."""
    local, count = couplings(mesh.points_m, mesh.triangles, tensors), len(mesh.points_m)
    ends = np.sort(np.stack([mesh.triangles[:, [(c + 1) % 3, (c + 2) % 3]] for c in range(3)], axis=1), axis=2)
    keys, where = np.unique(ends[..., 0] * count + ends[..., 1], return_inverse=True)
    total = np.bincount(where.ravel(), local.ravel(), len(keys))
    return [(int(key) // count, int(key) % count) for key in keys[total > 0]]


def _flip(triangles: Integers, sides: dict[Edge, list[int]], edge: Edge) -> list[Edge]:
    """Turn *edge* in its quadrilateral; returns the four edges round it."""
    first, second = sides.pop(edge)
    a, b = edge
    left = next(int(node) for node in triangles[first] if node not in edge)
    right = next(int(node) for node in triangles[second] if node not in edge)
    # keep the turning sense of the first triangle
    at = [int(node) for node in triangles[first]].index(left)
    if int(triangles[first][(at + 1) % 3]) != a:
        a, b = b, a
    triangles[first] = (left, a, right)
    triangles[second] = (left, right, b)
    sides[_edge(left, right)] = [first, second]
    for rim, old, new in ((_edge(b, left), first, second), (_edge(a, right), second, first)):
        owners = sides[rim]
        owners[owners.index(old)] = new
    return [_edge(left, a), _edge(a, right), _edge(right, b), _edge(b, left)]
