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

from bibulon.arrays import Floats, Integers
from bibulon.flow.conductors import Conductors
from bibulon.flow.line_courses import FlowLine
from bibulon.flow.mesh import Mesh
from bibulon.flow.stage import GRAVITY_M_S2
from bibulon.flow.upper_half import UpperHalf

HOSE_PARTS = 4
ELBOW_BORES = 12.5
"""An elbow resists slow resin as so many of its bores of straight pipe: ``K = K₁/Re`` with K₁ = 800, the two-constant
formula for fittings, against 64/Re of a pipe."""
MORE = 1.15
"""So many times the nodes asked for pay for what is refined."""


def pipe_conductance_m3(bore_m: float, length_m: float) -> float:
    """``Q·μ/Δp`` of laminar flow in a round pipe (Hagen–Poiseuille), m³."""
    return math.pi * bore_m**4 / (128 * length_m)


def pipe_volume_m3(bore_m: float, length_m: float) -> float:
    """Volume of the bore."""
    return math.pi / 4 * bore_m**2 * length_m


@dataclass(frozen=True)
class Feed:
    """A feed line in the network: its hose from the node that feeds it to the port."""

    line: FlowLine
    start: int
    hose_nodes: Integers
    port: int


@dataclass(frozen=True)
class Network:
    """The edges and capacities of a flow problem on a mesh.

    The first ``shell_count`` nodes are pores: node *i* lies at mesh point ``place[i]`` on level ``level[i]`` (an index
    of ``LEVEL_NAMES``). Then come the bucket, manifolds and the feeds' hoses. Each of the ``edges`` conducts through
    pores, a bore, or both; a hose only while its valve is open.
    """

    mesh: Mesh
    place: Integers
    level: Integers
    node_of: Integers
    """(points, levels) number of the node at a point and level, −1 where the stack has no such level."""
    edges: Conductors
    through_pores_m3: Floats
    """(e,) what of each edge's conductance is pores, the rest being bore."""
    bucket: int
    height_m: Floats
    """(N,) height of the nodes; the bucket and the hoses lie at 0."""
    capacity_m3: Floats
    in_part_share: Floats
    """(N,) the share of each node's capacity that is pores, the rest being bore."""
    area_m2: Floats
    """(shell,) area that each node stands for."""
    reach_m3: Floats
    """(shell,) mean transmissivity at the nodes."""
    joint_m: Floats
    """(shell,) conductance per area from each node to the one above it, 0 under the film."""
    swelling_m3: Floats
    """(shell, shares) what each node holds more at each of ``CARRIED_SHARES``."""
    opening: Floats
    """(shell, shares) how many times as much its pores conduct then."""
    laminate_m: Floats
    """(points,) thickness of the plies under full vacuum."""
    fibre_m: Floats
    """(points,) volume of fibre per area."""
    built_m: Floats
    """(points,) height that the cavity was built to; 0 under film."""
    feeds: tuple[Feed, ...]
    manifold_nodes: dict[str, Integers]
    """The nodes of each manifold and of its hose."""
    vent_nodes: Integers
    membrane_nodes: Integers
    """Nodes of the vents that hold resin back; ``vent_nodes`` are those of the others."""
    vent_volume_m3: float
    nodes_on_line: dict[str, Integers]
    length_share_on_line: dict[str, Floats]
    upper: UpperHalf | None = None
    """The upper half of a closed mould that gives: the capacities are those under vacuum, and what the nodes hold more
    and conduct better is tabulated over the deflections of its problem instead."""

    @property
    def shell_count(self) -> int:
        return len(self.place)

    def suction_pa(self, head_pa: Floats) -> Floats:
        """(N,) the greatest head over the edges of the part at each node."""
        suction = np.zeros(len(self.capacity_m3))
        inside = (self.edges.starts < self.shell_count) & (self.edges.ends < self.shell_count)
        for ends in (self.edges.starts, self.edges.ends):
            np.maximum.at(suction, ends[inside], np.abs(head_pa[inside]))
        return suction

    @property
    def top(self) -> Integers:
        """(points,) the node nearest the film at each point."""
        return np.asarray(self.node_of.max(axis=1), dtype=np.int64)

    @property
    def climbs(self) -> bool:
        """Whether the part has heights."""
        return bool(np.ptp(self.height_m) > 0)

    def head_pa(self, density_kg_m3: float) -> Floats:
        """(e,) ``ρ g (z_a − z_b)``: what resin gains along each edge."""
        z = self.height_m
        return np.asarray(density_kg_m3 * GRAVITY_M_S2 * (z[self.edges.starts] - z[self.edges.ends]))
