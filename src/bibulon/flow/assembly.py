"""The network of a problem, put together: the mesh, the levels' edges, lines, manifolds, hoses and gaps."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy import sparse
from shapely import LineString, MultiLineString, Point, Polygon, union_all
from shapely.geometry.base import BaseGeometry

from bibulon.arrays import Floats, Integers
from bibulon.flow.align import aligned, couplings, without_wrong_signs
from bibulon.flow.conductors import Conductors, bodies_of, joined_all, merged
from bibulon.flow.line_courses import FlowGap, FlowLine, FlowManifold
from bibulon.flow.mesh import Mesh
from bibulon.flow.meshing import mesh_plan, mesh_size_m, split_at
from bibulon.flow.network import ELBOW_BORES, HOSE_PARTS, MORE, Feed, Network, pipe_conductance_m3, pipe_volume_m3
from bibulon.flow.problem import FlowProblem
from bibulon.flow.quick_mesh import quick_mesh
from bibulon.flow.refinement import last_places, worth_refining
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.stage import FlowChannel, FlowSeam
from bibulon.flow.upper_half import UpperHalf, looked_up
from bibulon.laminate.cells import GRID_M
from bibulon.laminate.levels import CARRIED_SHARES, LEVEL_NAMES
from bibulon.laminate.relief import heights_at

UNEVEN = 1.5
"""A quick mesh needs no edges turned where no laminate lets so many times more through one way than across."""
SEAM_TIES = 10.0
"""What ties two nodes of a seam conducts so many times what a square of the laminate there does."""


def _level_edges(mesh: Mesh, corner_nodes: Integers, chosen: Integers, tensors: Floats, count: int) -> Conductors:
    """``∫ ∇u·T∇v`` over the *chosen* triangles, whose corners are the nodes *corner_nodes* (k, 3).

    No coupling has the wrong sign, so that pressures obey the maximum principle.
    """
    edges = without_wrong_signs(corner_nodes, couplings(mesh.points_m, mesh.triangles[chosen], tensors))
    pairs = np.concatenate([corner_nodes[:, [(c + 1) % 3, (c + 2) % 3]] for c in range(3)])
    values = np.concatenate([edges[:, c] for c in range(3)])
    rows, columns = np.concatenate([pairs[:, 0], pairs[:, 1]]), np.concatenate([pairs[:, 1], pairs[:, 0]])
    return Conductors.of(sparse.csr_array((np.concatenate([values, values]), (rows, columns)), (count, count)))


class _Assembly:
    """A network in the making on a mesh."""

    def __init__(self, problem: FlowProblem, mesh: Mesh) -> None:
        self.mesh = mesh
        self.by_cell = [{LEVEL_NAMES.index(level.name): level for level in cell.levels} for cell in problem.cells]
        self.columns = len(problem.upper.gap_m if problem.upper else CARRIED_SHARES)
        present = np.zeros((len(mesh.points_m), len(LEVEL_NAMES)), dtype=bool)
        self.triangles_with: list[Integers] = []
        for slot in range(len(LEVEL_NAMES)):
            has = np.array([slot in levels for levels in self.by_cell])
            self.triangles_with.append(np.flatnonzero(has[mesh.cell]))
            present[mesh.triangles[self.triangles_with[slot]].ravel(), slot] = True
        self.onto_plan = mesh.onto_plan
        self.node_of = np.full(present.shape, -1, dtype=np.int64)
        self.node_of[present] = np.arange(int(present.sum()))
        self.top = self.node_of.max(axis=1)
        self.place, self.level = np.nonzero(present)
        self.shell_count = len(self.place)
        feeds = sum(line.kind == "feed" for line in problem.lines)
        self.bucket = self.shell_count
        self.next_free = self.bucket + 1
        self.count = self.next_free + (HOSE_PARTS - 1) * (feeds + len(problem.manifolds)) + len(problem.manifolds)
        self.starts = {"": self.bucket}
        self.pores, self.bores = np.zeros(self.count), np.zeros(self.count)
        self.area, self.reach, self.joint = (np.zeros(self.shell_count) for _ in range(3))
        self.swelling, self.opening = (np.zeros((self.shell_count, self.columns)) for _ in range(2))
        self.pores_between: list[Conductors] = []
        self.pipes_between: list[Conductors] = []
        self.manifold_nodes: dict[str, Integers] = {}
        self.feeds: list[Feed] = []
        self.vent_nodes: list[Integers] = []
        self.membrane_nodes: list[Integers] = []
        self.vent_volume = 0.0
        self.nodes_on_line: dict[str, Integers] = {}
        self.shares: dict[str, Floats] = {}

    def add_level(self, slot: int) -> None:
        """The level numbered *slot* with its joints to the next one up."""
        mesh, chosen = self.mesh, self.triangles_with[slot]
        if not len(chosen):
            return
        cells = mesh.cell[chosen]
        corner_nodes = self.node_of[mesh.triangles[chosen], slot]
        tensors, depth = np.zeros((len(self.by_cell), 2, 2)), np.zeros(len(self.by_cell))
        swelling, opening = np.zeros((len(depth), self.columns)), np.ones((len(depth), self.columns))
        for cell, levels in enumerate(self.by_cell):
            if slot in levels:
                tensors[cell], depth[cell] = levels[slot].transmissivity_m3, levels[slot].capacity_m
                if levels[slot].swelling_m:
                    swelling[cell], opening[cell] = levels[slot].swelling_m, levels[slot].opening
        thirds = mesh.areas_m2[chosen] / 3
        turn, stretch = (values[chosen] for values in self.onto_plan)
        in_plan = stretch[:, None, None] * (turn @ tensors[cells] @ turn.transpose(0, 2, 1))
        self.pores_between.append(_level_edges(mesh, corner_nodes, chosen, in_plan, self.count))
        for corner in corner_nodes.T:
            np.add.at(self.pores, corner, depth[cells] * thirds)
            np.add.at(self.area, corner, thirds)
            conducting = np.trace(tensors, axis1=1, axis2=2)[cells] / 2 * thirds
            np.add.at(self.reach, corner, conducting)
            np.add.at(self.swelling, corner, swelling[cells] * thirds[:, None])
            np.add.at(self.opening, corner, opening[cells] * conducting[:, None])
        for cell, levels in enumerate(self.by_cell):
            above = min((other for other in levels if other > slot), default=None)
            if slot in levels and above is not None and levels[slot].joint_m > 0:
                mine = cells == cell
                corners = mesh.triangles[chosen[mine]].ravel()
                pairs = np.column_stack([self.node_of[corners, slot], self.node_of[corners, above]])
                values = np.repeat(levels[slot].joint_m * thirds[mine], 3)
                np.add.at(self.joint, self.node_of[corners, slot], values)
                self.pores_between.append(self._edges(pairs, values))

    def add_line(self, line: FlowLine, course: MultiLineString) -> None:
        """A feed's or vent's course over the part, at the level under the film. Raises :class:`FlowRefusal`."""
        mesh, top = self.mesh, self.top
        edges = mesh.edges_on(course)
        if not len(edges):
            raise FlowRefusal("A line on the plan is shorter than the mesh can show. Make it longer.", line.port)
        lengths = mesh.lengths_m(edges)
        corners, inverse = np.unique(edges, return_inverse=True)
        share = np.zeros(len(corners))
        np.add.at(share, inverse.reshape(edges.shape), (lengths / 2)[:, None])
        self.nodes_on_line[line.id], self.shares[line.id] = top[corners], share / share.sum()
        if line.kind == "vent":
            (self.membrane_nodes if line.membrane else self.vent_nodes).append(top[corners])
            self.vent_volume += pipe_volume_m3(line.bore_m, float(lengths.sum()))
            self.vent_volume += pipe_volume_m3(line.hose_bore_m, line.hose_length_m)
            return
        self.bores[top[corners]] += pipe_volume_m3(line.bore_m, 1.0) * share
        values = np.array([pipe_conductance_m3(line.bore_m, length) for length in lengths])
        self.pipes_between.append(self._edges(top[edges], values))
        self.starts[line.id] = int(top[self.mesh.nearest(*line.port)])

    def add_manifold(self, manifold: FlowManifold) -> None:
        """A pipe beside the part with a hose from the bucket; what it resists itself is put into that hose. Of one that
        several parts share, each has its share of the bore, and of what flows."""
        node = self.next_free
        self.next_free += 1
        volume = pipe_volume_m3(manifold.bore_m, manifold.length_m) * manifold.share
        self.bores[node] += volume
        resistance = 1 / (pipe_conductance_m3(manifold.bore_m, manifold.length_m / 2) * manifold.share)
        hose, inner = self._hose(
            self.bucket, node, manifold.hose_bore_m, manifold.hose_length_m, resistance, manifold.share
        )
        self.pipes_between.append(hose)
        self.starts[manifold.id] = node
        self.manifold_nodes[manifold.id] = np.array([*inner, node])

    def add_hose(self, line: FlowLine) -> None:
        """The hose of a feed, from the bucket or what else feeds it."""
        start, port = self.starts[line.fed_by], int(self.top[self.mesh.nearest(*line.port)])
        bore_m = line.elbow_bore_m
        elbows = line.elbows / pipe_conductance_m3(bore_m, ELBOW_BORES * bore_m) if line.elbows else 0.0
        hose, inner = self._hose(start, port, line.hose_bore_m, line.hose_length_m, elbows)
        self.pipes_between.append(hose)
        self.feeds.append(Feed(line, start, inner, port))

    def _hose(
        self, start: int, end: int, bore_m: float, length_m: float, more_resistance: float = 0.0, share: float = 1.0
    ) -> tuple[Conductors, Integers]:
        inner = np.arange(self.next_free, self.next_free + HOSE_PARTS - 1)
        self.next_free += HOSE_PARTS - 1
        chain = np.array([start, *inner, end])
        piece = length_m / HOSE_PARTS
        volume = pipe_volume_m3(bore_m, piece) * share
        self.bores[inner] += volume
        self.bores[[inner[0], end]] += volume / 2
        values = np.full(HOSE_PARTS, pipe_conductance_m3(bore_m, piece) * share)
        values[-1] = 1 / (1 / values[-1] + more_resistance)
        return self._edges(np.column_stack([chain[:-1], chain[1:]]), values), inner

    def add_gap(self, gap: FlowGap) -> None:
        """A gap along the borders of cells: at the core's level where there is one, else under the film."""
        edges = self.mesh.edges_on(MultiLineString(list(gap.pieces)))
        if not len(edges):
            return
        lengths = self.mesh.lengths_m(edges)
        core = self.node_of[:, LEVEL_NAMES.index("core")]
        pairs = np.where(core >= 0, core, self.top)[edges]
        for ends in pairs.T:  # one side at a time: NumPy 2.4 adds what is spread over two rows wrongly
            np.add.at(self.pores, ends, lengths / 2 * gap.width_m * gap.height_m)
        self.pipes_between.append(self._edges(pairs, gap.duct_m4 / lengths))

    def add_channel(self, channel: FlowChannel) -> None:
        """The channel along the rim, open to every level beside it. Raises :class:`FlowRefusal`."""
        edges = self.mesh.edges_on(MultiLineString(list(channel.pieces)))
        if not len(edges):
            return
        lengths, pairs = self.mesh.lengths_m(edges), self.top[edges]
        for ends in pairs.T:
            np.add.at(self.bores, ends, lengths / 2 * channel.section_m2)
        self.pipes_between.append(self._edges(pairs, channel.duct_m4 / lengths))
        for corner in np.unique(edges):
            levels = self.node_of[corner][self.node_of[corner] >= 0]
            open_to = np.column_stack([levels[:-1], np.full(len(levels) - 1, self.top[corner])])
            beside = float(lengths[(edges == corner).any(axis=1)].sum()) / 2
            self.pipes_between.append(self._edges(open_to, np.full(len(open_to), channel.duct_m4 / beside)))

    def add_seam(self, seam: FlowSeam) -> None:
        """Tie the nodes of both runs of a seam, level by level, each of the denser run to the nearest of the other.

        What ties them conducts as a strip of laminate a tenth of an edge wide: next to no way, and no short cut.
        """
        courses = [LineString(run) for run in (seam.one, seam.other)]
        found = [np.unique(self.mesh.edges_on(MultiLineString([course]))) for course in courses]
        shares = [
            np.array([course.project(Point(place), normalized=True) for place in self.mesh.points_m[nodes]])
            for course, nodes in zip(courses, found, strict=True)
        ]
        dense, sparse_run = (0, 1) if len(found[0]) >= len(found[1]) else (1, 0)
        if len(found[sparse_run]) < 2:
            return
        nearest = np.abs(shares[dense][:, None] - shares[sparse_run][None, :]).argmin(axis=1)
        pairs = np.column_stack([found[dense], found[sparse_run][nearest]])
        for slot in range(len(LEVEL_NAMES)):
            ends = self.node_of[pairs, slot]
            ends = ends[(ends >= 0).all(axis=1)]
            if len(ends):
                conducts = (self.reach / np.maximum(self.area, 1e-300))[ends].mean(axis=1)
                self.pores_between.append(self._edges(ends, SEAM_TIES * conducts))

    def _over_points(self, values: list[float]) -> Floats:
        """(points,) mean of a figure of the cells round each point, by area."""
        mesh = self.mesh
        total, area = np.zeros(len(mesh.points_m)), np.zeros(len(mesh.points_m))
        for corner in mesh.triangles.T:
            np.add.at(total, corner, np.array(values)[mesh.cell] * mesh.areas_m2)
            np.add.at(area, corner, mesh.areas_m2)
        return np.asarray(total / area)

    def _edges(self, pairs: Integers, values: Floats) -> Conductors:
        return Conductors(pairs[:, 0], pairs[:, 1], values, self.count)

    def network(self, problem: FlowProblem) -> Network:
        capacity = self.pores + self.bores
        edges, pores = merged(joined_all(self.pores_between, self.count), joined_all(self.pipes_between, self.count))
        height = np.zeros(self.count)
        # the drive is that at the lowest face, wherever the relief has its zero
        height[: self.shell_count] = self.mesh.heights_m[self.place] - self.mesh.heights_m.min()
        return Network(
            mesh=self.mesh,
            place=self.place,
            level=self.level,
            node_of=self.node_of,
            edges=edges,
            through_pores_m3=pores,
            bucket=self.bucket,
            height_m=height,
            capacity_m3=capacity,
            in_part_share=np.divide(self.pores, capacity, out=np.zeros(self.count), where=capacity > 0),
            area_m2=self.area,
            reach_m3=self.reach / self.area,
            joint_m=self.joint / self.area,
            swelling_m3=self.swelling,
            opening=self.opening / np.maximum(self.reach, 1e-300)[:, None],
            laminate_m=self._over_points([cell.laminate_m for cell in problem.cells]),
            fibre_m=self._over_points([cell.fibre_m for cell in problem.cells]),
            built_m=self._over_points([cell.built_m for cell in problem.cells]),
            feeds=tuple(self.feeds),
            manifold_nodes=self.manifold_nodes,
            vent_nodes=_together(self.vent_nodes),
            membrane_nodes=_together(self.membrane_nodes),
            vent_volume_m3=self.vent_volume,
            nodes_on_line=self.nodes_on_line,
            length_share_on_line=self.shares,
        )


def _together(parts: list[Integers]) -> Integers:
    return np.unique(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.int64)


def _feeds(problem: FlowProblem) -> list[LineString]:
    return [LineString(piece) for line in problem.lines if line.kind == "feed" for piece in line.pieces]


def _quickly(
    problem: FlowProblem, outlines: list[Polygon], courses: list[MultiLineString], part: BaseGeometry
) -> Mesh | None:
    """A quick mesh of the problem, where there is no mould whose rim has to be met."""
    if problem.channel is not None or problem.seam is not None or problem.upper is not None:
        return None
    courses = [split_at(course, [line.port for line in problem.lines]) for course in courses]
    gaps = [MultiLineString(list(gap.pieces)) for gap in problem.gaps]
    size = mesh_size_m(part.area, problem.nodes)
    return quick_mesh(outlines, [*courses, *gaps], size, problem.nodes, last_places(problem, part, size))


def build_network(problem: FlowProblem) -> Network:
    """Mesh the problem and assemble it. Raises :class:`FlowRefusal`."""
    outlines = [Polygon(cell.outline, cell.holes) for cell in problem.cells]
    courses = [MultiLineString(list(line.pieces)) for line in problem.lines]
    whole_part = union_all(outlines)
    # a line along the edge is refined on one side only
    fine_m = sum(
        (line.length - 0.5 * line.intersection(whole_part.boundary.buffer(GRID_M)).length) for line in _feeds(problem)
    )
    size = mesh_size_m(whole_part.area, round(MORE * problem.nodes), fine_m)
    try:
        ports = [line.port for line in problem.lines]
        mesh = _quickly(problem, outlines, courses, whole_part) if problem.pace.quick_mesh else None
        if mesh is None:
            fine = worth_refining(problem, whole_part, size)
            mesh = mesh_plan(outlines, courses, ports, size, problem.nodes, fine)
    except RuntimeError as error:
        raise FlowRefusal(f"The part could not be meshed: {error}.") from error
    mesh = replace(mesh, heights_m=heights_at(problem.relief, mesh.points_m))
    turn, stretch = mesh.onto_plan
    whole = np.array([cell.transmissivity_m3 for cell in problem.cells])[mesh.cell]
    whole = stretch[:, None, None] * (turn @ whole @ turn.transpose(0, 2, 1))
    least, most = np.linalg.eigvalsh(whole).T
    if not problem.pace.quick_mesh or bool((most > UNEVEN * least).any()):
        mesh = aligned(mesh, whole, np.concatenate([mesh.edges_on(course) for course in courses]))
    assembly = _Assembly(problem, mesh)
    for slot in range(len(LEVEL_NAMES)):
        assembly.add_level(slot)
    for line, course in zip(problem.lines, courses, strict=True):
        assembly.add_line(line, course)
    for manifold in problem.manifolds:
        assembly.add_manifold(manifold)
    for line in problem.lines:
        if line.kind == "feed":
            assembly.add_hose(line)
    for gap in problem.gaps:
        assembly.add_gap(gap)
    if problem.channel is not None:
        assembly.add_channel(problem.channel)
    if problem.seam is not None:
        assembly.add_seam(problem.seam)
    _check_reached(mesh, assembly)
    network = assembly.network(problem)
    return _under_upper_half(network, problem) if problem.upper is not None else network


def _under_upper_half(network: Network, problem: FlowProblem) -> Network:
    """*network* with an upper half that gives: its capacities are those under the vacuum, before any resin."""
    half, mesh = problem.upper, network.mesh
    assert half is not None
    area, loads = np.zeros(len(mesh.points_m)), np.zeros((len(mesh.points_m), len(half.gap_m)))
    by_cell, thirds = np.array(half.loads_pa), mesh.areas_m2 / 3
    for corner in mesh.triangles.T:
        np.add.at(area, corner, thirds)
        np.add.at(loads, corner, by_cell[mesh.cell] * thirds[:, None])
    upper = UpperHalf(half, mesh, area, loads / area[:, None])
    rise = upper.rise(np.full(len(mesh.points_m), problem.vent_pa))
    shell = slice(0, network.shell_count)
    more = looked_up(np.array(half.gap_m), network.swelling_m3, rise[network.place])[0]
    pores = network.capacity_m3 * network.in_part_share
    bores = network.capacity_m3 - pores
    pores[shell] += more
    capacity = pores + bores
    return replace(
        network,
        capacity_m3=capacity,
        in_part_share=np.divide(pores, capacity, out=np.zeros(len(capacity)), where=capacity > 0),
        swelling_m3=network.swelling_m3 - more[:, None],
        laminate_m=network.laminate_m + rise,
        upper=upper,
    )


def _check_reached(mesh: Mesh, assembly: _Assembly) -> None:
    """Raise :class:`FlowRefusal` if a body of the part has no feed or no vent."""
    body = bodies_of(mesh.edges[:, 0], mesh.edges[:, 1], len(mesh.points_m))
    for kind, reached in (
        ("feed", [feed.port for feed in assembly.feeds]),
        ("vent", [*assembly.vent_nodes, *assembly.membrane_nodes]),
    ):
        have = {
            int(body[assembly.place[node]]) for node in np.ravel(np.concatenate([np.ravel(some) for some in reached]))
        }
        for number in range(int(body.max()) + 1):
            if number not in have:
                x, y = mesh.points_m[body == number].mean(axis=0)
                raise FlowRefusal(
                    f"The laminate round {x:.2f}, {y:.2f} m has no {kind} of its own and touches no other laminate. "
                    f"Draw a {kind} over it.",
                    (float(x), float(y)),
                )
