"""A job that cannot be simulated."""

from __future__ import annotations

from bibulon.job.base import Point as PlanPoint
from bibulon.job.base import StationId
from bibulon.refusal import Refusal


class FlowRefusal(Refusal):
    """A job that cannot be simulated; the message says why, ``place`` where on the plan (or None), ``station`` where
    it is mended (None: where the lines are)."""

    def __init__(self, message: str, place: PlanPoint | None = None, station: StationId | None = None) -> None:
        super().__init__(message, place)
        self.station = station


class MixedTooEarly(FlowRefusal):
    """The batches as they are planned: the first of them is too thick to flow by the time it is poured."""
