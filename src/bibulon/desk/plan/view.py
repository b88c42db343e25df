"""The plan as a widget: rulers, layers, tools."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy
from shapely import MultiPoint, Polygon

from bibulon.bag.together import placings
from bibulon.desk.plan.frame import fitted
from bibulon.desk.plan.maps import PlanMap, map_named
from bibulon.desk.plan.picture import RULER_PX, PlanPicture
from bibulon.desk.plan.section import PANEL_PX
from bibulon.desk.plan.shown import Shown
from bibulon.desk.plan.spoken import spoken_objects
from bibulon.desk.plan.things import KINDS
from bibulon.desk.plan.toolbox import tool_named
from bibulon.desk.plan.under_pointer import described_at
from bibulon.desk.widgets.focus_edge import FocusEdge
from bibulon.desk.widgets.spoken import SpokenObjects
from bibulon.desk.work.document import Document
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point


class PlanView(PlanPicture):
    """The plan to work on: what the mouse and the keys do there.

    ``chosen_changed`` names the chosen object, ``hint_changed`` carries a hint for the status line.
    """

    chosen_changed = Signal(str)
    hint_changed = Signal(str)
    marked = Signal(tuple)
    tool_changed = Signal(str)
    pointer_described = Signal(str)
    touched = Signal(tuple)
    """A place, in metres, where there was no object to choose."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.setAccessibleName("Plan")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(300, 200)
        self.square = False
        self.media_goes_along = False
        self._pan: QPointF | None = None
        self._fitted = True
        self._parts: tuple[object, ...] = ()
        """How many parts lie under the bag, and how, as they were last shown."""
        self._pointer: QPointF | None = None
        """Where the pointer is, as long as it is over the plan."""
        self._spoken = SpokenObjects(self)
        FocusEdge(self)

    def set_joints(self, on: bool) -> None:
        """Show the joints of all plies, or not."""
        self.joints = on
        if not on and "#" in self.chosen:
            self.choose("")
        self.update()

    def set_proposed(self, proposed: tuple[Job, FillResult] | None) -> None:
        """Draw a proposed layout with its fill over the present one, or none."""
        self.proposed = proposed
        self.update()

    def set_field(self, field: PlanMap | None) -> None:
        """Show *field* in place of the fill, or no map of a bench's own."""
        if field is not self.field:
            self.field = field
            self.update()

    def set_numbered(self, places: Sequence[Point | None]) -> None:
        """Number *places* from 1; None for one that is nowhere on the plan."""
        if tuple(places) != self.numbered:
            self.numbered = tuple(places)
            self.update()

    def set_leak_map(self, shares: Sequence[tuple[Point, float]]) -> None:
        """Show what share of leaks is to be looked for at places; none: no map."""
        if tuple(shares) != self.leak_shares:
            self.leak_shares = tuple(shares)
            self.update()

    def set_marked_cells(self, cells: tuple[Polygon, ...]) -> None:
        """Mark *cells* at Lay-up."""
        if cells != self._marked_cells:
            self._marked_cells = cells
            self.update()

    # -- what the window sets ----------------------------------------------------------------------------------------

    def set_document(self, document: Document) -> None:
        self.document = document
        self.chosen, self.cut, self.proposed, self.numbered, self.field = "", None, None, (), None
        self.leak_shares = ()
        self.fit()

    def set_shown(self, shown: Shown) -> None:
        """Show what a station shows, with the select tool."""
        self.shown, self.field = shown, None
        self.set_tool("select")
        self.refresh()

    def refresh(self) -> None:
        """Show the document as it is now, and tell what of it lies under the pointer."""
        bag = self.document.job.bag
        parts = bag.parts, bag.parts_along, bag.parts_apart_m
        if self._fitted and parts != self._parts:
            self.fit()
        self._parts = parts
        self._describe_pointer()
        self.speak()
        self.update()

    def speak(self) -> None:
        """Have programs that read the screen know what lies on the plan now."""
        if self._spoken.wanted:
            assessment = self.document.assessment
            objects = spoken_objects(assessment.job, self.document.cautions, assessment.units)
            shown = tuple((name, words, self.frame.to_screen(place)) for name, words, place in objects)
            self._spoken.refresh(shown, self.chosen)

    def set_time(self, time_s: float | None) -> None:
        """Show the fill at *time_s*; None for its end."""
        self.time_s = time_s
        self.refresh()

    def set_map(self, name: str) -> None:
        """Show one of :data:`~bibulon.desk.plan.maps.MAPS`."""
        self.map = map_named(name)
        self.refresh()

    def set_cut(self, cut: tuple[Point, Point] | None) -> None:
        """Show the stack in section along a line, or no section."""
        self.cut = cut
        if self._fitted:
            self.fit()  # the section takes up the lower part of the view
        self.update()

    def set_tool(self, name: str) -> None:
        self.tool = tool_named(name).make()
        self.setCursor(Qt.CursorShape.ArrowCursor if name == "select" else Qt.CursorShape.CrossCursor)
        self.show_hint(self.tool.hint if self.editable or name != "select" else "")
        self.tool_changed.emit(name)
        self.update()

    def show_hint(self, text: str) -> None:
        self.hint_changed.emit(text)
        self.update()

    def choose(self, identifier: str) -> None:
        if identifier != self.chosen:
            self.chosen = identifier
            self.chosen_changed.emit(identifier)
            self.update()

    def choose_next(self, backwards: bool = False) -> bool:
        """Choose the next object; False at the end, so that the focus can move on."""
        job = self.document.job
        names = [identifier for kind in self.edits for identifier in KINDS[kind].points(job)]
        at = names.index(self.chosen) if self.chosen in names else (len(names) if backwards else -1)
        at += -1 if backwards else 1
        self.choose(names[at] if 0 <= at < len(names) else "")
        return bool(self.chosen)

    def middle(self) -> Point:
        """The middle of what is seen, on the grid."""
        x, y = self.frame.to_plan(QPointF(self.width() / 2, self.height() / 2))
        return round(x, 2), round(y, 2)

    # -- zoom and pan ------------------------------------------------------------------------------------------------

    def fit(self) -> None:
        """Show the whole part with its flange, above the section if there is one."""
        job = self.document.job
        gap = job.part.flange_width_m
        ways = [place for line in job.lines for place in line.hose_way]
        ways += [corner for place in placings(job)[1:] for corner in place(job.part.outline)]
        low_x, low_y, high_x, high_y = MultiPoint([*job.part.outline, *ways]).bounds
        taken = 112 if self.cut is None else 76 + PANEL_PX
        box = QRectF(RULER_PX + 44, RULER_PX + 52, self.width() - RULER_PX - 72, self.height() - RULER_PX - taken)
        if box.width() > 20 and box.height() > 20:
            self.frame = fitted((low_x - gap, low_y - gap), (high_x + gap, high_y + gap), box)
        self._fitted = True
        self.update()

    def start_pan(self, screen: QPointF) -> None:
        self._pan = screen

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        self.frame = self.frame.zoomed(factor, about or QPointF(self.width() / 2, self.height() / 2))
        self._fitted = False
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        if self._fitted:
            self.fit()
        super().resizeEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    # -- gestures ----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if event.button() == Qt.MouseButton.MiddleButton:
            self.start_pan(event.position())
        elif event.button() == Qt.MouseButton.LeftButton:
            self._note_keys(event)
            self.tool.press(self, self.frame.to_plan(event.position()), event.position())
        elif event.button() == Qt.MouseButton.RightButton:
            self.tool.finish(self)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pan is not None:
            step = event.position() - self._pan
            self.frame = self.frame.moved(step.x(), step.y())
            self._fitted = False
            self._pan = event.position()
            self.update()
            return
        self._note_keys(event)
        self._pointer = event.position()
        self.tool.move(self, self.frame.to_plan(self._pointer), bool(event.buttons() & Qt.MouseButton.LeftButton))
        self._describe_pointer()
        if self.tool.name != "select":
            self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._pointer = None
        self.pointer_described.emit("")
        super().leaveEvent(event)

    def _describe_pointer(self) -> None:
        """Tell what there is under the pointer, as the plan is shown now."""
        if self._pointer is None:
            return
        answer = self._answer()
        shown = None if answer is None else self._map_of(answer, self._shown_time(answer))
        place = self.frame.to_plan(self._pointer)
        self.pointer_described.emit(described_at(self.document.assessment, place, answer is not None, shown))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pan is not None:
            self._pan = None
        elif event.button() == Qt.MouseButton.LeftButton:
            self.tool.release(self, self.frame.to_plan(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.tool.twice(self, self.frame.to_plan(event.position()))

    def _note_keys(self, event: QMouseEvent) -> None:
        self.square = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)

    def event(self, event: QEvent) -> bool:
        # Tab walks the objects of the plan before it leaves it
        if (
            event.type() == QEvent.Type.KeyPress
            and isinstance(event, QKeyEvent)
            and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
            and self.tool.key(self, event)
        ):
            return True
        # while a length is typed, its letters and digits are not shortcuts
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self.tool.takes_text(event.text())
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.tool.cancel(self)
        elif event.text() in ("+", "=") and not self.tool.takes_text(event.text()):
            self.zoom(1.25)
        elif event.text() == "-" and not self.tool.takes_text(event.text()):
            self.zoom(0.8)
        elif not self.tool.key(self, event):
            super().keyPressEvent(event)
