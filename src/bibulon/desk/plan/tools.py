"""Tools: gestures on the plan turned into edits. Each works with the mouse and from the keyboard."""

from __future__ import annotations

import math
from typing import Protocol

from pydantic import ValidationError
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from shapely import Point as Place

from bibulon.desk.plan.canvas import PlanCanvas
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.things import (
    KINDS,
    Grip,
    edge_at,
    grip_at,
    media_of_feed,
    nearest,
    points_of,
    with_media_moved,
    with_points,
)
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import (
    moved_points,
)
from bibulon.job.faults import explain_here
from bibulon.quantities import Units

SNAP_PX = 8.0
MOVED_PX = 3.0
"""A line all round follows the pointer once it has moved so far: a click chooses it only."""
GRID_M = 0.01
DART_WIDTH_M = 0.03
NUDGE_M, SMALL_NUDGE_M = 0.05, 0.005
ARROWS = {
    Qt.Key.Key_Left: (-1.0, 0.0),
    Qt.Key.Key_Right: (1.0, 0.0),
    Qt.Key.Key_Up: (0.0, 1.0),
    Qt.Key.Key_Down: (0.0, -1.0),
}


class Tool(Protocol):
    """What the view expects of a tool; positions on the plan, in metres."""

    name: str
    hint: str

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None: ...
    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None: ...
    def release(self, view: PlanCanvas, at: Point) -> None: ...
    def twice(self, view: PlanCanvas, at: Point) -> None: ...
    def finish(self, view: PlanCanvas) -> None: ...
    def cancel(self, view: PlanCanvas) -> None: ...
    def key(self, view: PlanCanvas, event: QKeyEvent) -> bool: ...
    def paint(self, painter: QPainter, frame: Frame) -> None: ...
    def takes_text(self, text: str) -> bool: ...


def snapped(job: Job, frame: Frame, at: Point, held: Grip | None = None) -> Point:
    """*at* drawn to a corner or edge of the part, an end of a line, or else the grid; not to what is *held*."""
    reach = SNAP_PX / frame.scale
    own, corner = (held.id, held.point) if held is not None else ("", None)
    rings = [*KINDS["outline"].points(job).items(), *KINDS["hole"].points(job).items()]
    corners = [ring[nearest(ring, at, corner if name == own else None)] for name, ring in rings]
    corners += [place for line in job.lines if line.id != own for place in (line.points[0], line.points[-1])]
    corners += [patch.outline[nearest(patch.outline, at)] for patch in job.media if patch.id != own]
    near = min(corners, key=lambda corner: math.dist(corner, at))
    if math.dist(near, at) <= reach:
        return near
    x, y = (round(round(value / GRID_M) * GRID_M, 4) for value in at)
    edge = job.part.shape.exterior
    if (held is None or held.kind != "outline") and edge.distance(Place(at)) <= reach:
        spot = edge.interpolate(edge.project(Place(x, y)))
        return round(spot.x, 4), round(spot.y, 4)
    return x, y


def reason_of(error: ValueError, units: Units) -> str:
    """What was wrong, in a sentence."""
    if isinstance(error, ValidationError):
        return explain_here(error, units)
    words = str(error).rstrip(".")
    return f"{words[:1].upper()}{words[1:]}."


def squared(start: Point, at: Point) -> Point:
    """*at* moved so that the stroke from *start* runs at a multiple of 45 degrees."""
    length = math.dist(start, at)
    angle = round(math.atan2(at[1] - start[1], at[0] - start[0]) / (math.pi / 4)) * math.pi / 4
    return round(start[0] + length * math.cos(angle), 4), round(start[1] + length * math.sin(angle), 4)


class SelectTool:
    """Choose, move, reshape, delete."""

    name = "select"
    hint = "Click to choose, drag to move or reshape, double-click an edge for a corner, Del removes, arrows nudge."

    def __init__(self) -> None:
        self._grip: Grip | None = None
        self._start: Point = (0.0, 0.0)
        self._points: tuple[Point, ...] = ()
        self._media: dict[str, tuple[Point, ...]] = {}
        """Outlines, as they were, of the media that goes with what was taken hold of."""
        self._edited: Job | None = None
        self._corner: Grip | None = None
        """The corner that was taken hold of last."""

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        self._grip = self._corner = grip_at(view.document.job, view.frame, at, view.chosen, view.edits)
        view.choose(self._grip.id if self._grip else "")
        if self._grip:
            self._start, self._points = at, points_of(view.document.job, self._grip)
            self._media = self._goes_along(view, self._grip)
        else:
            view.touched.emit(at)
            view.start_pan(screen)

    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None:
        if self._grip is None or not pressed:
            return
        pull = KINDS[self._grip.kind].pull
        if pull is not None:
            if math.dist(at, self._start) * view.frame.scale > MOVED_PX or self._edited is not None:
                self._edited = pull(view.document.job, self._grip.id, at)
                view.document.preview(self._edited)
            return
        dx, dy = (round((at[i] - self._start[i]) / GRID_M) * GRID_M for i in (0, 1))
        if self._grip.point is None:
            points = moved_points(self._points, dx, dy)
        else:
            target = snapped(view.document.job, view.frame, at, self._grip)
            if view.square and len(self._points) > 1:
                target = squared(self._points[self._grip.point - 1 if self._grip.point else 1], target)
            points = (*self._points[: self._grip.point], target, *self._points[self._grip.point + 1 :])
        try:
            edited = with_points(view.document.job, self._grip, points)
        except ValueError:
            return  # an impossible shape on the way: the last possible one stays
        whole = self._grip.point is None
        self._edited = with_media_moved(edited, self._media, dx, dy) if whole else edited
        view.document.preview(self._edited)

    @staticmethod
    def _goes_along(view: PlanCanvas, grip: Grip) -> dict[str, tuple[Point, ...]]:
        return media_of_feed(view.document.job, grip.id) if grip.kind == "line" and view.media_goes_along else {}

    def release(self, view: PlanCanvas, at: Point) -> None:
        if self._grip is not None and self._edited is not None:
            verb = "reshape" if self._grip.point is not None else "move"
            view.document.edit(f"{verb} {self._grip.kind}", self._edited)
        self._grip = self._edited = None

    def twice(self, view: PlanCanvas, at: Point) -> None:
        """A new corner in the edge under the pointer."""
        edge = edge_at(view.document.job, view.frame, at, view.edits)
        if edge is None:
            return
        grip, place = edge
        points = list(points_of(view.document.job, grip))
        assert grip.point is not None
        points.insert(grip.point, place)
        view.choose(grip.id)
        self._corner = grip
        view.document.edit(f"new corner of {grip.kind}", with_points(view.document.job, grip, tuple(points)))

    def finish(self, view: PlanCanvas) -> None:
        return

    def cancel(self, view: PlanCanvas) -> None:
        if self._edited is not None:
            view.document.drop_preview()
        self._grip = self._edited = None
        view.choose("")

    def key(self, view: PlanCanvas, event: QKeyEvent) -> bool:
        job = view.document.job
        grip = view.chosen_grip()
        if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            return view.choose_next(backwards=event.key() == Qt.Key.Key_Backtab)
        if grip is None:
            return False
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            if self._without_corner(view, grip, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)):
                return True
            remove = KINDS[grip.kind].remove
            if remove is not None:
                view.choose("")
                view.document.edit(f"delete {grip.kind}", remove(job, grip.id))
            return True
        if Qt.Key(event.key()) in ARROWS and KINDS[grip.kind].whole:
            step = SMALL_NUDGE_M if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NUDGE_M
            dx, dy = (part * step for part in ARROWS[Qt.Key(event.key())])
            further = KINDS[grip.kind].step
            if further is not None:
                view.document.edit(f"move {grip.kind}", further(job, grip.id, (dx + dy) / 10))
                return True
            moved = with_points(job, grip, moved_points(points_of(job, grip), dx, dy))
            along = self._goes_along(view, grip)
            view.document.edit(f"move {grip.kind}", with_media_moved(moved, along, dx, dy))
            return True
        return False

    def _without_corner(self, view: PlanCanvas, grip: Grip, asked: bool) -> bool:
        """Take the corner held last away, where corners are what is removed, or where it was *asked* for."""
        corner = self._corner
        if corner is None or corner.point is None or corner.id != grip.id or not (asked or KINDS[grip.kind].cornered):
            return False
        points = points_of(view.document.job, grip)
        left = (*points[: corner.point], *points[corner.point + 1 :])
        self._corner = None
        try:
            edited = with_points(view.document.job, grip, left)
        except ValueError as error:
            view.show_hint(f"That corner has to stay. {reason_of(error, view.document.assessment.units)}")
            return True
        view.document.edit(f"remove corner of {grip.kind}", edited)
        return True

    def paint(self, painter: QPainter, frame: Frame) -> None:
        return

    def takes_text(self, text: str) -> bool:
        return False


class MarkTool:
    """Tap the plan to mark where the front is now."""

    name = "mark"
    hint = "Tap the plan where the front is now."

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        view.marked.emit((round(at[0], 3), round(at[1], 3)))

    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None:
        return

    def release(self, view: PlanCanvas, at: Point) -> None:
        return

    def twice(self, view: PlanCanvas, at: Point) -> None:
        return

    def finish(self, view: PlanCanvas) -> None:
        return

    def cancel(self, view: PlanCanvas) -> None:
        view.set_tool("select")

    def key(self, view: PlanCanvas, event: QKeyEvent) -> bool:
        return False

    def paint(self, painter: QPainter, frame: Frame) -> None:
        return

    def takes_text(self, text: str) -> bool:
        return False
