"""What a step of the fill is given and what comes of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from bibulon.arrays import Flags, Floats, Integers


class NotSettled(Exception):
    """The active set did not settle; a shorter step will."""


@dataclass(frozen=True)
class Gas:
    """Gas shut in by resin: its dry nodes, amount ``p·V`` (Pa·m³) and absolute pressure at the step's start."""

    nodes: Integers
    amount: float
    pressure_pa: float


@dataclass(frozen=True)
class Drive:
    """What moves the resin in a step of ``length`` on the fluidity clock.

    ``fixed`` nodes (buckets, then vents) have the pressures ``fixed_pa``; the first ``buckets`` of them hold resin.
    ``inactive`` nodes (closed hoses) neither give nor take. ``head_pa`` (e,) falls along each edge by gravity;
    ``source_m3`` (N,) is brought in by machines over the step; ``vent_pa`` is absolute.
    """

    length: float
    fixed: Integers
    fixed_pa: Floats
    buckets: int
    inactive: Flags
    most_pa: float
    """The greatest pressure there can be, to measure others by."""
    vent_pa: float = 0.0
    head_pa: Floats | None = None
    suction_pa: Floats | None = None
    """(N,) with gravity: what a full node may lack in pressure, the head over the edges at it."""
    source_m3: Floats | None = None
    air_pa: Floats | None = None
    """(N,) pressure over ``vent_pa`` of the air at dry nodes, where vents are kept at levels of their own."""
    passing: Integers = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    """Vents with resin in them, past which it goes on to one that is lower."""
    pockets: tuple[Gas, ...] = ()
    floating: Integers = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    """A node of each body that no fixed node is joined to: nothing else holds its pressure once it is full."""


@dataclass(frozen=True)
class Linearised:
    """The medium about some pressures ``about_pa`` (N,): a full node holds ``capacity + give·(p − about)``."""

    conductance_m3: Floats
    capacity_m3: Floats
    compliance_m3_pa: Floats | None
    about_pa: Floats


class Medium(Protocol):
    """What conducts and holds resin."""

    tolerance_pa: float
    """Pressures about which it is linearised may be this far off; infinite if it is rigid."""

    def at(self, pressure_pa: Floats) -> Linearised:
        """The medium about the pressures (N,)."""


@dataclass(frozen=True)
class Step:
    """What a step did: resin held at its end ``filled_m3``, ``inflow_m3``, ``pressure_pa``, full nodes ``wet``, solves.

    ``filled_m3`` of vent nodes may exceed their capacity: the excess has left to the pot. ``inflow_m3`` of a bucket is
    minus what was drawn from it. ``gas_pa`` are the absolute pressures of the pockets at the end; ``flow_m3`` (e,)
    what went along each edge.
    """

    filled_m3: Floats
    inflow_m3: Floats
    pressure_pa: Floats
    wet: Flags
    solves: int
    gas_pa: tuple[float, ...]
    flow_m3: Floats
