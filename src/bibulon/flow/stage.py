"""What the simulator takes of a closed mould's rim channel and of the steps of an injection; gravity."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bibulon.job.base import Point as PlanPoint

GRAVITY_M_S2 = 9.81


@dataclass(frozen=True)
class FlowChannel:
    """A channel moulded along the rim of the cavity: a duct that conducts ``duct_m4`` and holds ``section_m2``."""

    pieces: tuple[tuple[PlanPoint, ...], ...]
    duct_m4: float
    section_m2: float


@dataclass(frozen=True)
class FlowSeam:
    """Two runs of the plan's edge that are one line of the part: each place of ``one`` lies on the place of ``other``
    that is as far along it."""

    one: tuple[PlanPoint, ...]
    other: tuple[PlanPoint, ...]


@dataclass(frozen=True)
class Stage:
    """A step of an injection: a drive over the vent's pressure, or a rate for as long as it takes no more than that.

    It ends once so much has been drawn, at a time on the run clock, or when a machine needs so much pressure over the
    vent's; infinite: never.
    """

    drive_pa: float
    rate_m3_s: float = 0.0
    until_m3: float = math.inf
    until_s: float = math.inf
    until_pa: float = math.inf


@dataclass(frozen=True)
class WarmResin:
    """Resin that comes in warmer than the mould by ``excess_k`` (colder: negative); at excesses ``excesses_k`` (g,) it
    is ``fluidity`` (g,) times as fluid as at the mould's temperature."""

    excess_k: float
    excesses_k: tuple[float, ...] = ()
    fluidity: tuple[float, ...] = ()
    both_faces: bool = True
    """Whether the mould holds both faces of the laminate at its temperature; else the tool face alone."""
