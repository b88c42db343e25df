"""Tools of the plan that place something by one click."""

from __future__ import annotations

from bibulon.desk.plan.canvas import PlanCanvas
from bibulon.desk.plan.draw_tools import DrawTool
from bibulon.desk.plan.tools import snapped
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.pair import FittingKind
from bibulon.mould.fittings import place_for, with_fitting
from bibulon.planning.line_patterns import (
    with_feed_all_round,
    with_vent_all_round,
)
from bibulon.planning.mould_layouts import next_port_label, port_place, with_port


class PlacingTool(DrawTool):
    """Put something at one place: the first click or Enter ends the drawing."""

    least = 1
    hint = "Click its place, or arrows and Enter; Esc gives up."

    def _add(self, view: PlanCanvas, at: Point) -> None:
        self.points = [at]
        self.finish(view)

    def _enter(self, view: PlanCanvas) -> bool:
        self._add(view, self.cursor or view.middle())
        return True


class AllRoundTool(PlacingTool):
    """Put a feed all round and a vent in the middle, or the other way about."""

    hint = "Click the plan, or Enter, to put the lines; Esc gives up."

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind, self.name = kind, "all round in" if kind == "feed" else "all round out"

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        put = with_feed_all_round if self.kind == "feed" else with_vent_all_round
        job, chosen = put(view.document.job)
        return f"{self.kind} all round", job, chosen


class PortTool(PlacingTool):
    """Put an inlet on the rim between two mould halves, or a port anywhere else in the cavity."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind, self.name = kind, "inlet" if kind == "feed" else "vent port"

    def _aimed(self, view: PlanCanvas, at: Point) -> Point:
        job = view.document.job
        if self.kind == "feed" and job.closed:
            return port_place(job, self.kind, at)
        return snapped(job, view.frame, at)  # off the part too: it is refused when it is put

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job = view.document.job
        label = next_port_label(job, self.kind)
        made = with_port(job, self.kind, points[0], label)
        return f"put {label}", made, made.lines[-1].id


class FittingTool(PlacingTool):
    """Put a clamp, a dowel or a gauge on the mould."""

    def __init__(self, kind: FittingKind) -> None:
        super().__init__()
        self.kind, self.name = kind, kind

    def _aimed(self, view: PlanCanvas, at: Point) -> Point:
        return place_for(view.document.job, self.kind, at)

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        made = with_fitting(view.document.job, self.kind, points[0])
        put = made.pair.fittings[-1]
        return f"put {put.label}", made, put.id
