"""One network of pores and pipes: nodes with a capacity, edges with a conductance, one symmetric matrix.

Shell: on every flow level, linear triangles with stiffness ``∫ ∇u·T∇v`` and lumped (control-volume) capacity ``∫ c``;
levels joined at the nodes by their conductance per area. Lines: Poiseuille conductance ``π d⁴/(128 L)`` and capacity
``π d²/4 · L`` on the edges of the mesh they lie on, at the level they touch. Viscosity is left out: it is in the clock
(see :mod:`bibulon.flow.stepper`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from shapely import MultiLineString, Polygon

from bibulon.flow.align import aligned, couplings
from bibulon.flow.mesh import Floats, Integers, Mesh, mesh_plan, mesh_size_m
from bibulon.flow.problem import FlowLine, FlowProblem, FlowRefusal
from bibulon.laminate.levels import LEVEL_NAMES

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

    The first ``shell_count`` nodes are pores: node *i* lies at mesh point ``place[i]`` on level ``level[i]`` (an index
    of ``LEVEL_NAMES``). Then come each feed's bucket and hose nodes. ``stiffness`` holds shell and lines; ``hoses``
    each feed's hose, to be added while its valve is open.
    """

    mesh: Mesh
    place: Integers
    level: Integers
    node_of: Integers
    """(points, levels) number of the node at a point and level, −1 where the stack has no such level."""
    stiffness: sparse.csr_array
    hoses: tuple[sparse.csr_array, ...]
    capacity_m3: Floats
    in_part_share: Floats
    """(N,) the share of each node's capacity that is pores, the rest being bore."""
    area_m2: Floats
    """(shell,) area that each node stands for."""
    reach_m3: Floats
    """(shell,) mean transmissivity at the nodes."""
    feeds: tuple[Feed, ...]
    vent_nodes: Integers
    vent_volume_m3: float
    nodes_on_line: dict[str, Integers]
    length_share_on_line: dict[str, Floats]

    @property
    def shell_count(self) -> int:
        return len(self.place)

    @property
    def top(self) -> Integers:
        """(points,) the node nearest the film at each point."""
        return np.asarray(self.node_of.max(axis=1), dtype=np.int64)


def _conductances(pairs: Integers, values: Floats, count: int) -> sparse.csr_array:
    """Graph Laplacian of edges with conductances."""
    a, b = pairs[:, 0], pairs[:, 1]
    rows = np.concatenate([a, b, a, b])
    columns = np.concatenate([a, b, b, a])
    return sparse.csr_array((np.concatenate([values, values, -values, -values]), (rows, columns)), (count, count))


def _level_matrix(
    mesh: Mesh, corner_nodes: Integers, chosen: Integers, tensors: Floats, count: int
) -> sparse.csr_array:
    """``∫ ∇u·T∇v`` over the *chosen* triangles, whose corners are the nodes *corner_nodes* (k, 3)."""
    edges = couplings(mesh.points_m, mesh.triangles[chosen], tensors)
    pairs = np.concatenate([corner_nodes[:, [(c + 1) % 3, (c + 2) % 3]] for c in range(3)])
    values = np.concatenate([edges[:, c] for c in range(3)])
    rows, columns = np.concatenate([pairs[:, 0], pairs[:, 1]]), np.concatenate([pairs[:, 1], pairs[:, 0]])
    return _sign_kept(sparse.csr_array((np.concatenate([values, values]), (rows, columns)), (count, count)))


def _sign_kept(matrix: sparse.csr_array) -> sparse.csr_array:
    """The off-diagonals of *matrix* without the positive ones, with a diagonal that makes rows add up to zero."""
    coupled = matrix.minimum(0.0).tocsr()
    return (coupled - sparse.diags_array(np.asarray(coupled.sum(axis=1)).ravel())).tocsr()


def build_network(problem: FlowProblem) -> Network:
    """Mesh the problem and assemble it. Raises :class:`FlowRefusal`."""
    outlines = [Polygon(cell.outline, cell.holes) for cell in problem.cells]
    courses = [MultiLineString(list(line.pieces)) for line in problem.lines]
    size = mesh_size_m(sum(outline.area for outline in outlines), problem.nodes)
    try:
        mesh = mesh_plan(outlines, courses, [line.port for line in problem.lines], size)
    except RuntimeError as error:
        raise FlowRefusal(f"The part could not be meshed: {error}.") from error
    whole = np.array([cell.transmissivity_m3 for cell in problem.cells])
    mesh = aligned(mesh, whole, np.concatenate([mesh.edges_on(course) for course in courses]))

    # which levels each cell has, and so each point
    by_cell = [{LEVEL_NAMES.index(level.name): level for level in cell.levels} for cell in problem.cells]
    present = np.zeros((len(mesh.points_m), len(LEVEL_NAMES)), dtype=bool)
    triangles_with: dict[int, Integers] = {}
    for slot in range(len(LEVEL_NAMES)):
        has = np.array([slot in levels for levels in by_cell])
        triangles_with[slot] = np.flatnonzero(has[mesh.cell])
        present[mesh.triangles[triangles_with[slot]].ravel(), slot] = True
    node_of = np.full(present.shape, -1, dtype=np.int64)
    node_of[present] = np.arange(int(present.sum()))
    place, level_of_node = np.nonzero(present)
    shell_count = len(place)
    feeds_of = [line for line in problem.lines if line.kind == "feed"]
    count = shell_count + HOSE_PARTS * len(feeds_of)

    pores, bores = np.zeros(count), np.zeros(count)
    area, reach = np.zeros(shell_count), np.zeros(shell_count)
    stiffness = sparse.csr_array((count, count))
    pairs: list[Integers] = []
    joints: list[Floats] = []
    for slot, chosen in triangles_with.items():
        if not len(chosen):
            continue
        cells = mesh.cell[chosen]
        corner_nodes = node_of[mesh.triangles[chosen], slot]
        tensors = np.array(
            [levels[slot].transmissivity_m3 if slot in levels else ((0.0, 0.0), (0.0, 0.0)) for levels in by_cell]
        )[cells]
        depth = np.array([levels[slot].capacity_m if slot in levels else 0.0 for levels in by_cell])[cells]
        thirds = mesh.areas_m2[chosen] / 3
        stiffness = stiffness + _level_matrix(mesh, corner_nodes, chosen, tensors, count)
        for corner in range(3):
            np.add.at(pores, corner_nodes[:, corner], depth * thirds)
            np.add.at(area, corner_nodes[:, corner], thirds)
            np.add.at(reach, corner_nodes[:, corner], np.trace(tensors, axis1=1, axis2=2) / 2 * thirds)
        for cell, levels in enumerate(by_cell):
            above = min((other for other in levels if other > slot), default=None)
            if slot not in levels or above is None or levels[slot].joint_m <= 0:
                continue
            mine = cells == cell
            corners = mesh.triangles[chosen[mine]].ravel()
            pairs.append(np.column_stack([node_of[corners, slot], node_of[corners, above]]))
            joints.append(np.repeat(levels[slot].joint_m * thirds[mine], 3))
    if pairs:
        stiffness = stiffness + _conductances(np.concatenate(pairs), np.concatenate(joints), count)

    top = node_of.max(axis=1)
    nodes_on_line: dict[str, Integers] = {}
    shares: dict[str, Floats] = {}
    vent_nodes: list[Integers] = []
    vent_volume = 0.0
    for line, course in zip(problem.lines, courses, strict=True):
        edges = mesh.edges_on(course)
        if not len(edges):
            raise FlowRefusal("A line on the plan is shorter than the mesh can show. Make it longer.", line.port)
        lengths = np.linalg.norm(np.diff(mesh.points_m[edges], axis=1)[:, 0], axis=1)
        corners, inverse = np.unique(edges, return_inverse=True)
        share = np.zeros(len(corners))
        np.add.at(share, inverse.reshape(edges.shape), (lengths / 2)[:, None])
        nodes_on_line[line.id], shares[line.id] = top[corners], share / share.sum()
        if line.kind == "vent":
            vent_nodes.append(top[corners])
            vent_volume += pipe_volume_m3(line.bore_m, float(lengths.sum()))
            vent_volume += pipe_volume_m3(line.hose_bore_m, line.hose_length_m)
            continue
        bores[top[corners]] += pipe_volume_m3(line.bore_m, 1.0) * share
        values = np.array([pipe_conductance_m3(line.bore_m, length) for length in lengths])
        stiffness = stiffness + _conductances(top[edges], values, count)

    feeds, hoses = [], []
    for index, line in enumerate(feeds_of):
        first = shell_count + HOSE_PARTS * index
        port = int(top[mesh.nearest(*line.port)])
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
        place=place,
        level=level_of_node,
        node_of=node_of,
        stiffness=stiffness,
        hoses=tuple(hoses),
        capacity_m3=capacity,
        in_part_share=np.divide(pores, capacity, out=np.zeros(count), where=capacity > 0),
        area_m2=area,
        reach_m3=reach / area,
        feeds=tuple(feeds),
        vent_nodes=np.unique(np.concatenate(vent_nodes)),
        vent_volume_m3=vent_volume,
        nodes_on_line=nodes_on_line,
        length_share_on_line=shares,
    )
