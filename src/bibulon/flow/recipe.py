"""The steps of an injection: which one is on, and what ends it.

Times on the fluidity clock θ (1/Pa) unless their names end in ``_s``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from bibulon.flow.problem import FlowProblem
from bibulon.flow.stage import Stage


@dataclass(frozen=True)
class Supplied:
    """What has been drawn (m³), and the pressure of the supply over the vent's as the mean of the last step."""

    drawn_m3: float
    supply_pa: float


class Recipe:
    """The injection of a fill."""

    def __init__(self, problem: FlowProblem) -> None:
        self._stages = problem.stages or (Stage(problem.drive_pa, problem.rate_m3_s),)
        self._resin, self._stop_m3 = problem.resin, problem.stop_m3
        self._at = 0
        self.stopped = False
        """Whether the shot is in: the feeds are clamped."""
        self.begun_s: list[float] = [0.0]
        """When each step began that did."""

    @property
    def stage(self) -> Stage:
        """The step that is on."""
        return self._stages[self._at]

    @property
    def awaits(self) -> bool:
        """Whether something other than the clock ends the step or the shot."""
        waits = math.isfinite(self.stage.until_m3) or math.isfinite(self.stage.until_pa)
        return not self.stopped and (waits or math.isfinite(self._stop_m3))

    def short_of(self, supplied: Supplied) -> float:
        """How far the end of the step, or of the shot, is off as a share: zero or less once it is there."""
        if self.stopped:
            return math.inf
        wanted = [
            (self.stage.until_m3, supplied.drawn_m3),
            (self._stop_m3, supplied.drawn_m3),
            (self.stage.until_pa * (1 - 1e-9), supplied.supply_pa),
        ]
        return min(1 - has / end if math.isfinite(end) else math.inf for end, has in wanted)

    def next_timed(self) -> float:
        """θ at which the clock ends the step; infinite if it does not."""
        until_s = self.stage.until_s
        return self._resin.fluidity_time(until_s) if math.isfinite(until_s) and not self.stopped else math.inf

    def turn(self, clock: float, supplied: Supplied, time_s: float) -> bool:
        """Go on to the next step, or stop, if that is due at θ = *clock*; True if anything changed."""
        if self.stopped:
            return False
        if math.isfinite(self._stop_m3) and supplied.drawn_m3 >= self._stop_m3 * (1 - 1e-9):
            self.stopped = True
            return True
        stage = self.stage
        due = (
            self.next_timed() <= clock * (1 + 1e-12)
            or supplied.drawn_m3 >= stage.until_m3 * (1 - 1e-9)
            or supplied.supply_pa >= stage.until_pa * (1 - 1e-9)
        )
        if due and self._at + 1 < len(self._stages):
            self._at += 1
            self.begun_s.append(time_s)
            return True
        return False
