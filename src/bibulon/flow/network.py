"""One network of pores and pipes: nodes with a capacity, edges with a conductance, one symmetric matrix.

Shell: linear triangles, stiffness ``∫ ∇u·T∇v`` with lumped (control-volume) capacity ``∫ c``. Lines: Poiseuille
conductance ``π d⁴/(128 L)`` and capacity ``π d²/4 · L`` on the edges of the mesh they lie on. Viscosity is left out:
it is in the clock (see :mod:`bibulon.flow.stepper`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from shapely import MultiLineString, Polygon

from bibulon.flow.align import aligned
from bibulon.flow.mesh import Floats, Integers, Mesh, mesh_plan, mesh_size_m
from bibulon.flow.problem import FlowLine, FlowProblem, FlowRefusal

HOSE_PARTS = 4


def pipe_conductance_m3(bore_m: float, length_m: float) -> float:
    """``Q·μ/Δp`` of laminar flow in a round pipe (Hagen–Poiseuille), m³."""
    return math.pi * bore_m**4 / (128 * length_m)


def pipe_volume_m3(bore_m: float, length_m: float) -> float:
    """Volume of the bore."""
    return math.pi / 4 * bore_m**2 * length_m


@dataclass(frozen=True)
class Feed:
    """A feed line in the network: its hose from the bucket node to the port."""

    line: FlowLine
    bucket: int
    hose_nodes: Integers
    port: int


@dataclass(frozen=True)
class Network:
    """The matrix and capacities of a flow problem on a mesh.

    Nodes 0…n−1 are the mesh's, then each feed's bucket and hose nodes. ``stiffness`` holds shell and lines;
    ``hoses`` each feed's hose, to be added while its valve is open.
    """

    mesh: Mesh
    stiffness: sparse.csr_array
    hoses: tuple[sparse.csr_array, ...]
    capacity_m3: Floats
    in_part_share: Floats
    """(N,) the share of each node's capacity that is pores, the rest being bore."""
    reach_m3: Floats
    """(n,) mean transmissivity at the mesh's nodes."""
    feeds: tuple[Feed, ...]
    vent_nodes: Integers
    vent_volume_m3: float
    nodes_on_line: dict[str, Integers]
    length_share_on_line: dict[str, Floats]

    @property
    def shell_count(self) -> int:
        return len(self.mesh.points_m)


def _conductances(pairs: Integers, values: Floats, count: int) -> sparse.csr_array:
    """Graph Laplacian of edges with conductances."""
    a, b = pairs[:, 0], pairs[:, 1]
    rows = np.concatenate([a, b, a, b])
    columns = np.concatenate([a, b, b, a])
    return sparse.csr_array((np.concatenate([values, values, -values, -values]), (rows, columns)), (count, count))


def _shell(mesh: Mesh, tensors: Floats, count: int) -> sparse.csr_array:
    """``∫ ∇u·T∇v`` over linear triangles; *tensors* (m, 2, 2) per triangle."""
    corners = mesh.points_m[mesh.triangles]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    signed = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]
    gradients = np.empty((len(corners), 3, 2))
    for corner, (left, right) in enumerate(((b, c), (c, a), (a, b))):
        gradients[:, corner, 0] = (left[:, 1] - right[:, 1]) / signed
        gradients[:, corner, 1] = (right[:, 0] - left[:, 0]) / signed
    local = np.einsum("mid,mde,mje->mij", gradients, tensors, gradients) * mesh.areas_m2[:, None, None]
    rows = np.repeat(mesh.triangles, 3, axis=1).ravel()
    columns = np.tile(mesh.triangles, (1, 3)).ravel()
    return _sign_kept(sparse.csr_array((local.ravel(), (rows, columns)), (count, count)))


def _sign_kept(matrix: sparse.csr_array) -> sparse.csr_array:
    """*matrix* without its positive off-diagonals, rows still adding up to zero."""
    coupled = matrix - sparse.diags_array(matrix.diagonal())
    coupled = coupled.minimum(0.0).tocsr()
    return (coupled - sparse.diags_array(np.asarray(coupled.sum(axis=1)).ravel())).tocsr()


def build_network(problem: FlowProblem) -> Network:
    """Mesh the problem and assemble it. Raises :class:`FlowRefusal`."""
    cells = [Polygon(cell.outline, cell.holes) for cell in problem.cells]
    courses = [MultiLineString(list(line.pieces)) for line in problem.lines]
    size = mesh_size_m(sum(cell.area for cell in cells), problem.nodes)
    try:
        mesh = mesh_plan(cells, courses, [line.port for line in problem.lines], size)
    except RuntimeError as error:
        raise FlowRefusal(f"The part could not be meshed: {error}.") from error
    of_cells = np.array([cell.transmissivity_m3 for cell in problem.cells])
    mesh = aligned(mesh, of_cells, np.concatenate([mesh.edges_on(course) for course in courses]))
    shell_count = len(mesh.points_m)
    feeds_of = [line for line in problem.lines if line.kind == "feed"]
    count = shell_count + HOSE_PARTS * len(feeds_of)

    tensors = of_cells[mesh.cell]
    depth = np.array([cell.capacity_m for cell in problem.cells])[mesh.cell]
    pores, bores, area, reach = np.zeros(count), np.zeros(count), np.zeros(shell_count), np.zeros(shell_count)
    for corner in mesh.triangles.T:
        np.add.at(pores, corner, depth * mesh.areas_m2 / 3)
        np.add.at(area, corner, mesh.areas_m2 / 3)
        np.add.at(reach, corner, np.trace(tensors, axis1=1, axis2=2) / 2 * mesh.areas_m2 / 3)

    stiffness = _shell(mesh, tensors, count)
    nodes_on_line: dict[str, Integers] = {}
    shares: dict[str, Floats] = {}
    vent_nodes: list[Integers] = []
    vent_volume = 0.0
    for line, course in zip(problem.lines, courses, strict=True):
        edges = mesh.edges_on(course)
        if not len(edges):
            raise FlowRefusal("A line on the plan is shorter than the mesh can show. Make it longer.", line.port)
        lengths = np.linalg.norm(np.diff(mesh.points_m[edges], axis=1)[:, 0], axis=1)
        nodes, inverse = np.unique(edges, return_inverse=True)
        share = np.zeros(len(nodes))
        np.add.at(share, inverse.reshape(edges.shape), (lengths / 2)[:, None])
        nodes_on_line[line.id], shares[line.id] = nodes, share / share.sum()
        if line.kind == "vent":
            vent_nodes.append(nodes)
            vent_volume += pipe_volume_m3(line.bore_m, float(lengths.sum()))
            vent_volume += pipe_volume_m3(line.hose_bore_m, line.hose_length_m)
            continue
        bores[nodes] += pipe_volume_m3(line.bore_m, 1.0) * share
        values = np.array([pipe_conductance_m3(line.bore_m, length) for length in lengths])
        stiffness = stiffness + _conductances(edges, values, count)

    feeds, hoses = [], []
    for index, line in enumerate(feeds_of):
        first = shell_count + HOSE_PARTS * index
        port = mesh.nearest(*line.port)
        chain = np.array([*range(first, first + HOSE_PARTS), port])
        piece = line.hose_length_m / HOSE_PARTS
        volume = pipe_volume_m3(line.hose_bore_m, piece)
        bores[chain[1:-1]] += volume
        bores[chain[1]] += volume / 2
        bores[port] += volume / 2
        value = np.full(HOSE_PARTS, pipe_conductance_m3(line.hose_bore_m, piece))
        hoses.append(_conductances(np.column_stack([chain[:-1], chain[1:]]), value, count))
        feeds.append(Feed(line, first, chain[1:-1], port))

    capacity = pores + bores
    return Network(
        mesh=mesh,
        stiffness=stiffness,
        hoses=tuple(hoses),
        capacity_m3=capacity,
        in_part_share=np.divide(pores, capacity, out=np.zeros(count), where=capacity > 0),
        reach_m3=reach / area,
        feeds=tuple(feeds),
        vent_nodes=np.unique(np.concatenate(vent_nodes)),
        vent_volume_m3=vent_volume,
        nodes_on_line=nodes_on_line,
        length_share_on_line=shares,
    )
