"""Tools that draw on the plan: lines, media, regions, darts and the section's cut."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from shapely import Polygon

from bibulon.desk.plan import marks
from bibulon.desk.plan.canvas import PlanCanvas
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.things import GRAB_PX, grip_at
from bibulon.desk.plan.tools import ARROWS, DART_WIDTH_M, GRID_M, NUDGE_M, reason_of, snapped, squared
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import (
    changed,
    new_id,
    next_label,
    revised,
    with_line,
    with_media,
    with_region,
)
from bibulon.job.layup import Dart
from bibulon.job.lines import Line, MediaPatch, WhenReached
from bibulon.job.part import Region
from bibulon.planning.line_patterns import (
    with_branches,
    with_stations,
)
from bibulon.plumbing.hose_way import with_way
from bibulon.quantities import show
from bibulon.quantity_text import QuantityError, parse
from bibulon.stock.choice import with_line_cards, with_media_card


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
            why = reason_of(error, view.document.assessment.units)
            view.show_hint(f"That cannot be drawn. {why} Backspace takes the last point back.")
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
        marks.paint_dots(painter, frame, self.points, self.cursor, self.closed)


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


class HoseTool(DrawTool):
    """Draw the way of the chosen line's hose, from its port to where it ends."""

    least = 1
    name = "hose"
    hint = "Click where the hose is led past, last where bucket or pot stand; Enter or double-click ends, Esc gives up."

    def press(self, view: PlanCanvas, at: Point, screen: QPointF) -> None:
        if self._line(view) is None:  # the first click says whose hose is meant
            grip = grip_at(view.document.job, view.frame, at, "", ("line",))
            view.choose(grip.id if grip is not None else "")
            view.show_hint(self.status(view))
            return
        super().press(view, at, screen)

    def status(self, view: PlanCanvas) -> str:
        line = self._line(view)
        return super().status(view) if line is not None else "Click the line whose hose is to be drawn; Esc gives up."

    def _line(self, view: PlanCanvas) -> Line | None:
        return next((line for line in view.document.job.lines if line.id == view.chosen), None)

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        line = self._line(view)
        if line is None:
            raise ValueError("choose the line whose hose it is first")
        job = with_way(view.document.job, line.id, points)
        return f"hose of {line.label}", job, line.id


class StationsTool(DrawTool):
    """Draw the way from the first feed to the vent: feeds come to lie across it, opened one after another."""

    name = "stations"
    hint = "Click where the first feed goes, then where the vent goes; Shift keeps it straight, Esc gives up."

    def _add(self, view: PlanCanvas, at: Point) -> None:
        super()._add(view, at)
        if len(self.points) == 2:
            self.finish(view)

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job, first = with_stations(view.document.job, points[0], points[-1])
        return "feeds from station to station", job, first


class BranchesTool(DrawTool):
    """Draw the spine; branches come to lie square to it on both sides."""

    name = "branches"
    hint = "Click the points of the spine, Enter or double-click ends, Shift keeps it straight, Esc gives up."

    def made(self, view: PlanCanvas, points: tuple[Point, ...]) -> tuple[str, Job, str]:
        job, spine = with_branches(view.document.job, points)
        return "spine with branches", job, spine


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
