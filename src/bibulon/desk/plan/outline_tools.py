"""Tools that draw the part's outline and its openings, stroke by stroke."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF
from PySide6.QtGui import QKeyEvent, QPainter
from shapely import Polygon

from bibulon.desk.plan import marks
from bibulon.desk.plan.canvas import PlanCanvas
from bibulon.desk.plan.draw_tools import DrawTool
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.tools import SNAP_PX
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.job.places import Outline
from bibulon.job.strokes import Corner, Way, awaits_end, drawn
from bibulon.laminate.relief_shapes import with_outline


class OutlineTool(DrawTool):
    """Draw the part's outline with straight strokes, arcs and smooth curves."""

    closed, least, name = True, 3, "outline"
    refits = True
    HINT = "L straight, A arc, U curve; Backspace takes back, the first point closes."

    def __init__(self) -> None:
        super().__init__()
        self.way: Way = "straight"
        self.ways: list[Way] = []
        self.hint = self.HINT
        self._guides: list[Point] = []

    def _chain(self, cursor: bool) -> list[Corner]:
        corners = [Corner(place, way) for place, way in zip(self.points, self.ways, strict=True)]
        return [*corners, Corner(self.cursor, self.way)] if cursor and self.cursor and corners else corners

    def outline(self) -> tuple[Point, ...]:
        return drawn(self._chain(cursor=False), self._closing())

    def _closing(self) -> Way:
        if awaits_end(self.ways):
            return "arc"
        return self.way if self.way == "curve" else "straight"

    def take_way(self, view: PlanCanvas, way: Way) -> None:
        """Draw on in this *way*; the middle of an arc that was begun becomes a corner."""
        if awaits_end(self.ways) and way != "arc":
            self.ways[-1] = "straight"
        self.way = way
        view.show_hint(self.status(view))
        view.tool_changed.emit(self.name)

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        if len(self.points) >= self.least and math.dist(self.points[0], at) * view.frame.scale <= SNAP_PX:
            self.finish(view)
            return
        super().press(view, at, screen)

    def _aimed(self, view: PlanCanvas, at: Point) -> Point:
        """Snapped, and lined up with the points drawn so far."""
        self._guides = []
        aimed = super()._aimed(view, at)
        if view.square:
            return aimed
        reach = SNAP_PX / view.frame.scale
        x, y = aimed
        for place in self.points:
            if abs(place[0] - at[0]) <= reach and place[0] != x:
                x, self._guides = place[0], [*self._guides, place]
            if abs(place[1] - at[1]) <= reach and place[1] != y:
                y, self._guides = place[1], [*self._guides, place]
        return x, y

    def _add(self, view: PlanCanvas, at: Point) -> None:
        before = len(self.points)
        super()._add(view, at)
        if len(self.points) > before:
            self.ways.append(self.way if before else "straight")

    def key(self, view: PlanCanvas, event: QKeyEvent) -> bool:
        ways: dict[str, Way] = {"l": "straight", "a": "arc", "u": "curve"}
        way = ways.get(event.text().lower())
        if way is not None and not self.typed:
            self.take_way(view, way)
            return True
        taken = super().key(view, event)
        del self.ways[len(self.points) :]
        return taken

    def takes_text(self, text: str) -> bool:
        return super().takes_text(text) or (text.lower() in ("l", "a", "u") and not self.typed)

    def cancel(self, view: PlanCanvas, leave: bool = True) -> None:
        super().cancel(view, leave)
        self.ways = []

    def paint(self, painter: QPainter, frame: Frame) -> None:
        marks.paint_guides(painter, frame, self._guides, self.cursor)
        closing = self._closing() if len(self.points) >= self.least else None
        marks.paint_stroke(painter, frame, drawn(self._chain(cursor=True), closing), closing is not None)
        marks.paint_squares(painter, frame, [*self.points, *([self.cursor] if self.cursor else [])])

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        part, area = view.document.job.part, Outline(points).polygon
        holes = tuple(hole for hole in part.holes if area.contains_properly(Polygon(hole)))
        return "draw outline", changed(view.document.job, part=with_outline(part, points, holes)), "outline"


class HoleTool(OutlineTool):
    """Draw an opening in the part."""

    name = "hole"
    refits = False

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        part = revised(view.document.job.part, holes=(*view.document.job.part.holes, points))
        return "draw hole", changed(view.document.job, part=part), f"hole {len(part.holes)}"
