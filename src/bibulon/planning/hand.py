"""Hand figures for lines: how far one feed reaches, how many feeds a width needs, how long the brake has to be.

One-dimensional Darcy flow on the fluidity clock θ, ``L = √(2·T·Δp·θ/c)``, with T and c summed over the levels of the
stack that covers most of the part. They check the simulation and say where to begin; hoses are not counted.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from shapely import get_coordinates

from bibulon.assess import Assessment
from bibulon.figures import Figure
from bibulon.flow.problem import drive_pa
from bibulon.laminate.cells import Cell, areas_of
from bibulon.laminate.stack import Stack
from bibulon.quantities import show

SHORTEST_BRAKE_M, LONGEST_BRAKE_M = 0.04, 0.10
"""House rule: a brake of 40 to 100 mm, by thickness."""


@dataclass(frozen=True)
class _Front:
    """A straight front over the widest stack."""

    stack: Stack
    transmissivity_m3: float
    drive_pa: float
    usable_s: float
    theta: float

    @property
    def reach_m(self) -> float:
        return math.sqrt(2 * self.transmissivity_m3 * self.drive_pa * self.theta / self.stack.capacity_m)

    def time_share(self, length_m: float) -> float:
        """θ that the front takes over a length."""
        return self.stack.capacity_m * length_m**2 / (2 * self.transmissivity_m3 * self.drive_pa)


def _widest(cells: tuple[Cell, ...]) -> Stack | None:
    return max(areas_of(cells), key=lambda pair: pair[1], default=(None, 0.0))[0]


def _front(assessment: Assessment, over: Stack | None = None) -> _Front | str:
    """The front over a stack, the widest if none is given; or why there is none."""
    stack, drive = over or _widest(assessment.laminate.cells), drive_pa(assessment.job)
    usable = assessment.resin_flow.stops_s - assessment.job.charge.gel_margin_s
    if stack is None or drive <= 0 or usable <= 0:
        return "No time or no vacuum is left to draw resin with."
    across = float(np.linalg.eigvalsh(np.array(stack.transmissivity_m3))[0])
    if across <= 0 or stack.capacity_m <= 0:
        return "Over the widest stack there is nothing for resin to flow through."
    return _Front(stack, across, drive, usable, assessment.resin_flow.fluidity_time(usable))


def reach(assessment: Assessment) -> Figure:
    """How far one straight feed line carries resin over the widest stack before the gel margin is touched."""
    front = _front(assessment)
    if isinstance(front, str):
        return Figure(None, "length", front)
    return Figure(
        front.reach_m,
        "length",
        f"L = √(2·T·Δp·θ/c) in the slowest direction of the stack with the largest area, within "
        f"{show(front.usable_s, 'duration')}: until the resin stops, less the margin. Hoses not counted.",
    )


def reach_over_m(assessment: Assessment, stack: Stack) -> float | None:
    """:func:`reach` over a *stack* of the part (m); None where nothing flows."""
    front = _front(assessment, stack)
    return None if isinstance(front, str) else front.reach_m


@dataclass(frozen=True)
class FeedPlan:
    """How many feeds a width needs: opened in turn from one side, or all at once with vents between."""

    width_m: float
    in_turn: int
    in_turn_s: tuple[float, ...]
    """When each is opened."""
    at_once: int

    @property
    def spacing_m(self) -> float:
        """From feed to feed of those opened in turn."""
        return self.width_m / self.in_turn


def feeds_for(assessment: Assessment, width_m: float) -> FeedPlan | None:
    """Feeds for a width; None where nothing flows or the width is none.

    n feeds opened in turn, each when resin has passed it, take n fronts of w/n: ``θ = c·w²/(2·T·Δp·n)``, so
    ``n = ⌈(w/L)²⌉``; feeds all open at once between vents serve L on both sides: ``n = ⌈w/(2L)⌉``.
    """
    front = _front(assessment)
    if isinstance(front, str) or width_m <= 0:
        return None
    count = max(math.ceil((width_m / front.reach_m) ** 2 - 1e-9), 1)
    resin = assessment.resin_flow
    opened = tuple(resin.time_at(front.time_share(width_m / count) * k) for k in range(count))
    return FeedPlan(width_m, count, opened, max(math.ceil(width_m / (2 * front.reach_m) - 1e-9), 1))


def part_width_m(assessment: Assessment) -> float:
    """The shorter side of the part's tightest rectangle."""
    box = assessment.job.part.shape.minimum_rotated_rectangle
    sides = np.linalg.norm(np.diff(get_coordinates(box)[:3], axis=0), axis=1)
    return float(sides.min())


def brake(assessment: Assessment) -> Figure:
    """How far short of the vent the media has to end for the tool side to catch up, within the house's range.

    Behind the front in the media the laminate lags by ``ξ = λ·arcosh(1 + c_l/c_m)``, ``λ = √(T_m/g)`` (two-layer
    theory). The resin fills that lag with the media's flow in the time in which the brake, bare laminate, fills its own
    length: ``b = √(2·T_l·Δp·θ_lag/c_l)`` with ``θ_lag`` the time of the last ξ of the way.
    """
    with_media = tuple(cell for cell in assessment.laminate.cells if cell.stack.media_m > 0)
    stack, drive = _widest(with_media), drive_pa(assessment.job)
    if stack is None or drive <= 0 or len(stack.levels) < 2:
        return Figure(None, "length", "There is no flow media, so no brake is needed.")
    *below, media = stack.levels
    held = sum(level.capacity_m for level in below)
    joints = [level.joint_m for level in below]
    if media.capacity_m <= 0 or held <= 0 or min(joints) <= 0:
        return Figure(LONGEST_BRAKE_M, "length", "Resin cannot pass from the media to the tool side: the longest.")
    joint = 1 / sum(1 / joint for joint in joints)
    fast = float(np.trace(np.array(media.transmissivity_m3))) / 2
    slow = sum(float(np.trace(np.array(level.transmissivity_m3))) / 2 for level in below)
    lag_m = math.sqrt(fast / joint) * math.acosh(1 + held / media.capacity_m)
    way = part_width_m(assessment)
    theta = (held + media.capacity_m) * way * lag_m / ((fast + slow) * drive)
    brake_m = math.sqrt(2 * slow * drive * theta / held) if slow > 0 else 0.0
    shown = min(max(brake_m, SHORTEST_BRAKE_M), LONGEST_BRAKE_M)

    def length(value_m: float) -> str:
        return show(value_m, "length", assessment.units)

    return Figure(
        shown,
        "length",
        f"The tool side lags the media by {length(lag_m)} (two-layer theory) at the end of a way of {length(way)}; "
        f"bare laminate fills {length(brake_m)} in the time it needs to catch up. The house keeps between "
        f"{length(SHORTEST_BRAKE_M)} and {length(LONGEST_BRAKE_M)}.",
    )
