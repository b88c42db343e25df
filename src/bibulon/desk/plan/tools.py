"""Tools: gestures on the plan turned into edits. Each works with the mouse and from the keyboard."""

from __future__ import annotations

import math
from typing import Protocol

from pydantic import ValidationError
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from shapely import Point as Place
from shapely import Polygon

from bibulon.desk.plan import layers
from bibulon.desk.plan.canvas import PlanCanvas
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.things import GRAB_PX, KINDS, Grip, edge_at, grip_at, nearest, points_of, with_points
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import (
    changed,
    moved_points,
    new_id,
    next_label,
    revised,
    with_line,
    with_media,
    with_region,
)
from bibulon.job.faults import explain_here
from bibulon.job.layup import Dart
from bibulon.job.lines import Line, MediaPatch, WhenReached
from bibulon.job.part import Region
from bibulon.quantities import QuantityError, parse, show
from bibulon.stock.choice import with_line_cards, with_media_card

SNAP_PX = 8.0
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


def reason_of(error: ValueError) -> str:
    """What was wrong, in a sentence."""
    if isinstance(error, ValidationError):
        return explain_here(error)
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
        self._edited: Job | None = None
        self._corner: Grip | None = None
        """The corner that was taken hold of last."""

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        self._grip = self._corner = grip_at(view.document.job, view.frame, at, view.chosen, view.edits)
        view.choose(self._grip.id if self._grip else "")
        if self._grip:
            self._start, self._points = at, points_of(view.document.job, self._grip)
        else:
            view.touched.emit(at)
            view.start_pan(screen)

    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None:
        if self._grip is None or not pressed:
            return
        if self._grip.point is None:
            step = (round((at[i] - self._start[i]) / GRID_M) * GRID_M for i in (0, 1))
            points = moved_points(self._points, *step)
        else:
            target = snapped(view.document.job, view.frame, at, self._grip)
            if view.square and len(self._points) > 1:
                target = squared(self._points[self._grip.point - 1 if self._grip.point else 1], target)
            points = (*self._points[: self._grip.point], target, *self._points[self._grip.point + 1 :])
        try:
            self._edited = with_points(view.document.job, self._grip, points)
        except ValueError:
            return  # an impossible shape on the way: the last possible one stays
        view.document.preview(self._edited)

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
            view.document.edit(f"move {grip.kind}", with_points(job, grip, moved_points(points_of(job, grip), dx, dy)))
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
            view.show_hint(f"That corner has to stay. {reason_of(error)}")
            return True
        view.document.edit(f"remove corner of {grip.kind}", edited)
        return True

    def paint(self, painter: QPainter, frame: Frame) -> None:
        return

    def takes_text(self, text: str) -> bool:
        return False


class DrawTool:
    """Draw a chain of points; what becomes of it is up to :meth:`made`."""

    closed = False
    least = 2
    name = "draw"
    hint = ""
    refits = False
    """Whether the plan is fitted to what was drawn."""

    def __init__(self) -> None:
        self.points: list[Point] = []
        self.cursor: Point | None = None
        self.typed = ""

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        self._add(view, self._aimed(view, at))

    def _aimed(self, view: PlanCanvas, at: Point) -> Point:
        at = snapped(view.document.job, view.frame, at)
        return squared(self.points[-1], at) if view.square and self.points else at

    def _add(self, view: PlanCanvas, at: Point) -> None:
        if not self.points or self.points[-1] != at:
            self.points.append(at)
        self.typed = ""
        view.show_hint(self.status(view))

    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None:
        self.cursor = self._aimed(view, at)
        view.show_hint(self.status(view))

    def release(self, view: PlanCanvas, at: Point) -> None:
        return

    def twice(self, view: PlanCanvas, at: Point) -> None:
        self.finish(view)

    def status(self, view: PlanCanvas) -> str:
        if self.typed:
            return f"Length: {self.typed}▏  Enter sets it; “{self.typed} at 30” turns it to 30° too"
        if self.points and self.cursor:
            (x0, y0), (x1, y1) = self.points[-1], self.cursor
            length = show(math.hypot(x1 - x0, y1 - y0), "length", view.document.assessment.units)
            return f"{length} at {math.degrees(math.atan2(y1 - y0, x1 - x0)):.1f}°   {self.hint}"
        return self.hint

    def outline(self) -> tuple[Point, ...]:
        """The points that were drawn, as they are to be taken."""
        return tuple(self.points)

    def finish(self, view: PlanCanvas) -> None:
        points = self.outline()
        if len(points) < self.least:
            self.cancel(view, leave=False)
            view.show_hint(f"At least {self.least} points are needed.")
            return
        try:
            label, job, chosen = self.made(view, points)
        except ValueError as error:  # what was drawn stays, to be put right
            view.show_hint(f"That cannot be drawn. {reason_of(error)} Backspace takes the last point back.")
            return
        self.cancel(view, leave=False)
        view.document.edit(label, job)
        view.choose(chosen)
        view.set_tool("select")
        if self.refits:
            view.fit()

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        """Label of the edit, the new job and what is chosen in it."""
        raise AttributeError("a drawing tool makes something")

    def cancel(self, view: PlanCanvas, leave: bool = True) -> None:
        empty = not self.points
        self.points, self.typed = [], ""
        if leave and empty:
            view.set_tool("select")
        view.update()

    def key(self, view: PlanCanvas, event: QKeyEvent) -> bool:
        text = event.text()
        if Qt.Key(event.key()) in ARROWS:
            step = GRID_M if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NUDGE_M
            start = self.cursor or (self.points[-1] if self.points else view.middle())
            dx, dy = (part * step for part in ARROWS[Qt.Key(event.key())])
            self.cursor = (round(start[0] + dx, 4), round(start[1] + dy, 4))
        elif event.key() == Qt.Key.Key_Space and not self.typed:
            self._add(view, self.cursor or view.middle())
        elif event.key() == Qt.Key.Key_Backspace and self.typed:
            self.typed = self.typed[:-1]
        elif event.key() == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return self._enter(view)
        elif self.takes_text(text):
            self.typed += text
        else:
            return False
        view.show_hint(self.status(view))
        view.update()
        return True

    def takes_text(self, text: str) -> bool:
        """Whether *text* belongs to a length being typed; it starts with a digit, then takes anything."""
        if not self.points or not text or not text.isprintable():
            return False
        return bool(self.typed) or text.isdigit() or text in ".,"

    def _enter(self, view: PlanCanvas) -> bool:
        if not self.typed:
            self.finish(view)
            return True
        start, aim = self.points[-1], self.cursor or self.points[-1]
        reach = math.dist(start, aim)
        along = ((aim[0] - start[0]) / reach, (aim[1] - start[1]) / reach) if reach else (1.0, 0.0)
        text, turned, angle = (part.strip() for part in self.typed.replace("<", " at ").partition(" at "))
        try:
            length = parse(text, "length", view.document.assessment.units)
            if turned:
                turn = math.radians(parse(angle, "angle"))
                along = (math.cos(turn), math.sin(turn))
        except QuantityError as error:
            view.show_hint(str(error))
            return True
        self._add(view, (round(start[0] + along[0] * length, 4), round(start[1] + along[1] * length, 4)))
        view.update()
        return True

    def paint(self, painter: QPainter, frame: Frame) -> None:
        layers.paint_dots(painter, frame, self.points, self.cursor, self.closed)


class LineTool(DrawTool):
    """Draw a feed or vent line."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.kind = self.name = kind
        self.hint = "Click points, type a length, Enter or double-click ends, Shift keeps it straight, Esc gives up."

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job = view.document.job
        like = next((line for line in job.lines if line.kind == self.kind), None)
        job, tube, hose = with_line_cards(job, self.kind)
        identifier = new_id(self.kind)
        line = Line(
            id=identifier, kind="feed" if self.kind == "feed" else "vent", label=next_label(job, self.kind),
            points=points, tube=tube, hose=hose, hose_length_m=like.hose_length_m if like else 2.5,
        )  # fmt: skip
        if self.kind == "feed" and job.feeds:
            line = revised(line, opens=WhenReached(line=identifier))
        return f"draw {self.kind} line {line.label}", with_line(job, line), line.id


class MediaTool(DrawTool):
    """Draw a media patch as a polygon, or as a rectangle by dragging."""

    closed, least, name = True, 3, "media"
    hint = "Drag a rectangle, or click corners; Enter or double-click ends, Esc gives up."
    _from: Point | None = None

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        super().press(view, at, screen)
        self._from = self.points[-1] if len(self.points) == 1 else None

    def move(self, view: PlanCanvas, at: Point, pressed: bool) -> None:
        super().move(view, at, pressed)
        if pressed and self._from and self.cursor:
            (x0, y0), (x1, y1) = self._from, self.cursor
            if min(abs(x1 - x0), abs(y1 - y0)) * view.frame.scale > GRAB_PX:
                self.points = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]

    def release(self, view: PlanCanvas, at: Point) -> None:
        if len(self.points) == 4 and self._from == self.points[0]:
            self.finish(view)
        self._from = None

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job, card = with_media_card(view.document.job)
        patch = MediaPatch(id=new_id("media"), card=card, outline=points)
        return "draw flow media", with_media(job, patch), patch.id


class RegionTool(MediaTool):
    """Draw a region that plies and core can be limited to."""

    name = "region"

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job = view.document.job
        taken = {region.name for region in job.regions}
        name = next(f"region {n}" for n in range(1, 10_000) if f"region {n}" not in taken)
        return f"draw {name}", with_region(job, Region(name=name, outline=points)), ""


class DartTool(DrawTool):
    """Draw a dart from its mouth to its tip."""

    name = "dart"
    hint = "Click the dart's mouth at the edge of the cloth, then its tip; Esc gives up."

    def _add(self, view: PlanCanvas, at: Point) -> None:
        super()._add(view, at)
        if len(self.points) == 2:
            self.finish(view)

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job = view.document.job
        dart = Dart(id=new_id("dart"), mouth=points[0], tip=points[1], width_m=DART_WIDTH_M)
        cutting = revised(job.cutting, darts=(*job.cutting.darts, dart))
        return "draw dart", changed(job, cutting=cutting), dart.id


class SectionTool(DrawTool):
    """Draw the line along which the stack is shown in section; giving it up takes the section away."""

    name = "section"
    hint = "Click where the section starts and ends, or one place and Enter for a cut across it; Esc takes it away."

    def _add(self, view: PlanCanvas, at: Point) -> None:
        super()._add(view, at)
        if len(self.points) == 2:
            self.finish(view)

    def finish(self, view: PlanCanvas) -> None:
        points, self.points, self.typed = self.points, [], ""
        if len(points) == 2:
            view.set_cut((points[0], points[1]))
        elif points:
            view.set_cut(_across(view.document.job, points[0]))
        view.set_tool("select")

    def cancel(self, view: PlanCanvas, leave: bool = True) -> None:
        if not self.points:
            view.set_cut(None)
        super().cancel(view, leave)


def _across(job: Job, at: Point) -> tuple[Point, Point]:
    """The line through *at* over the shorter way across the part."""
    low_x, low_y, high_x, high_y = Polygon(job.part.outline).bounds
    if high_x - low_x >= high_y - low_y:
        return (at[0], low_y), (at[0], high_y)
    return (low_x, at[1]), (high_x, at[1])


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
