"""What a tool of the plan may ask of the plan that it works on."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import QPointF, SignalInstance

from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.things import Grip
from bibulon.desk.work.document import Document
from bibulon.job.base import Point


class PlanCanvas(Protocol):
    """The plan as its tools see it; positions on the plan in metres."""

    document: Document
    frame: Frame
    chosen: str
    square: bool
    """Whether strokes are to run at multiples of 45 degrees."""
    media_goes_along: bool
    """Whether a feed that is moved takes the media with it that only it lies on."""
    marked: SignalInstance
    touched: SignalInstance
    tool_changed: SignalInstance

    @property
    def edits(self) -> tuple[str, ...]: ...
    def choose(self, identifier: str) -> None: ...
    def choose_next(self, backwards: bool = False) -> bool: ...
    def chosen_grip(self) -> Grip | None: ...
    def fit(self) -> None: ...
    def middle(self) -> Point: ...
    def set_cut(self, cut: tuple[Point, Point] | None) -> None: ...
    def set_tool(self, name: str) -> None: ...
    def start_pan(self, screen: QPointF) -> None: ...
    def show_hint(self, text: str) -> None: ...
    def update(self) -> None: ...
