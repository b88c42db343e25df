"""Fields: a label, an editor and, right under it, what is wrong with what was typed.

A field is bound to a place in the Job by its path (see :func:`bibulon.job.edits.value_at`); it reads any suitable
unit, shows the shop's, and turns what was typed into one undoable edit.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPaintEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QStylePainter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.widgets import icons
from bibulon.desk.work.document import Document
from bibulon.durations import clock_time
from bibulon.job.base import Point
from bibulon.job.edits import edge_of, value_at, with_edge, with_value
from bibulon.job.faults import explain_here
from bibulon.job.paths import FieldPath
from bibulon.quantities import QuantityKind, Units, as_typed, show
from bibulon.quantity_text import parse, parse_clock_time

LABEL_WIDTH = 132


def label(text: str, role: str = "", wrap: bool = True) -> QLabel:
    """A text in one of the style sheet's roles."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


class OneLine(QLabel):
    """A text on one line that ends in an ellipsis where there is no room for all of it; its tip then says it whole."""

    def __init__(self, role: str = "") -> None:
        super().__init__()
        self.setProperty("role", role)

    def minimumSizeHint(self) -> QSize:
        return QSize(40, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        metrics = self.fontMetrics()
        shown = metrics.elidedText(self.text(), Qt.TextElideMode.ElideRight, self.contentsRect().width())
        self.setToolTip(self.text() if shown != self.text() else "")
        painter = QStylePainter(self)
        painter.drawItemText(
            self.contentsRect(), Qt.AlignmentFlag.AlignVCenter, self.palette(), True, shown, self.foregroundRole()
        )


def rule_line() -> QFrame:
    line = QFrame()
    line.setProperty("role", "line")
    return line


def tool_button(
    icon: str, tip: str, do: Callable[[], object] | None = None, checkable: bool = False, checked: bool = False
) -> QToolButton:
    """A button with the icon of that name; its tip is its accessible name too."""
    made = QToolButton()
    icons.put(made, icon)
    made.setToolTip(tip)
    made.setAccessibleName(tip)
    made.setCheckable(checkable)
    made.setChecked(checked)
    if do is not None:
        made.clicked.connect(lambda _=False: do())
    return made


def restyle(widget: QWidget) -> None:
    """Apply the style sheet again after a property changed."""
    widget.style().unpolish(widget)
    widget.style().polish(widget)


class MoveHandle(QToolButton):
    """A grip to drag an entry of a list by; the arrow keys move it one place."""

    def __init__(self, name: str, drop: Callable[[QPoint], None], step: Callable[[int], None]) -> None:
        super().__init__()
        icons.put(self, "handle")
        self.setAccessibleName(name)
        self.setToolTip("Drag to reorder; the up and down keys move it by one")
        self.setCursor(Qt.CursorShape.SizeVerCursor)
        self._drop, self._step = drop, step

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        place = event.globalPosition().toPoint()
        if not self.rect().contains(self.mapFromGlobal(place)):
            self._drop(place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in steps:
            self._step(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)


class Field(QWidget):
    """A labelled line to type in."""

    committed = Signal()

    def __init__(self, name: str, hint: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        self.name = label(name)
        self.name.setFixedWidth(LABEL_WIDTH)
        self.editor = QLineEdit()
        self.editor.setAccessibleName(name)
        self.name.setBuddy(self.editor)
        if hint:
            self.setToolTip(hint)
        self.error = label("", "error")
        self.error.hide()
        grid.addWidget(self.name, 0, 0)
        grid.addWidget(self.editor, 0, 1)
        grid.addWidget(self.error, 1, 0, 1, 2)
        self.editor.editingFinished.connect(self._finish)
        self.editor.installEventFilter(self)
        self._shown = ""

    # what a kind of field supplies
    def text_of_job(self) -> str:
        raise AttributeError("a field shows something")

    def take(self, text: str) -> None:
        """Turn *text* into an edit. Raises ``ValueError`` with a message for the user."""
        raise AttributeError("a field edits something")

    def refresh(self) -> None:
        """Show the job's value, unless something is being typed."""
        text = self.text_of_job()
        untouched = self.editor.text() == self._shown
        if untouched or not self.editor.hasFocus():
            if not (self.error.isVisibleTo(self) and not untouched):
                self._put(text)
                self._complain("")
            self._shown = text

    def _put(self, text: str) -> None:
        """Show *text*; what stands selected to be typed over, as Tab leaves it, stays so."""
        if self.editor.text() != text:
            selected = self.editor.hasFocus() and self.editor.selectedText() == self.editor.text()
            self.editor.setText(text)
            self.editor.setCursorPosition(0)
            if selected:
                self.editor.selectAll()

    def _units(self) -> Units:
        """The shop's units, of the document that what this field stands in shows."""
        holder = self.parentWidget()
        while holder is not None:
            document = getattr(holder, "document", None)
            if isinstance(document, Document):
                return document.assessment.units
            holder = holder.parentWidget()
        return Units()

    def _finish(self) -> None:
        if self.editor.text() == self._shown:
            self._complain("")
            return
        try:
            self.take(self.editor.text())
        except ValidationError as error:
            self._complain(explain_here(error, self._units()))
        except ValueError as error:
            self._complain(str(error))
        else:
            self._complain("")
            try:
                self._shown = self.text_of_job()
            except KeyError:  # it gave its object another name, and a field of that name takes its place
                return
            self.editor.setText(self._shown)
            self.committed.emit()

    def try_again(self) -> None:
        """Take what was refused and still stands here, after something that it goes by was changed."""
        if self.error.isVisibleTo(self) and self.editor.text() != self._shown:
            self._finish()

    def _complain(self, message: str) -> None:
        if message == self.error.text():
            return  # styling anew costs time, and every refresh comes by here
        self.error.setText(message)
        self.error.setVisible(bool(message))
        self.editor.setProperty("wrong", "true" if message else "false")
        restyle(self.editor)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.editor and isinstance(event, QKeyEvent):
            typing = self.editor.text() != self._shown
            if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape and typing:
                self.editor.setText(self._shown)
                self._complain("")
                return True
            undoes = event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)
            if event.type() == QEvent.Type.ShortcutOverride and undoes and not typing:
                event.ignore()  # nothing is being typed here: it is the job's own undo
                return True
        return super().eventFilter(watched, event)


class QuantityField(Field):
    """A figure with a unit."""

    def __init__(
        self,
        document: Document,
        name: str,
        kind: QuantityKind,
        path: FieldPath,
        hint: str = "",
        empty: str | None = None,
        decimals: int | None = None,
    ) -> None:
        super().__init__(name, hint)
        self.document, self.kind, self.path, self.empty, self.decimals = document, kind, path, empty, decimals
        if empty is not None:
            self.editor.setPlaceholderText(empty)
        self.refresh()

    def text_of_job(self) -> str:
        value = value_at(self.document.job, self.path)
        if value is None:
            return ""
        return as_typed(value, self.kind, self.document.assessment.units, self.decimals).replace("−", "-")

    def take(self, text: str) -> None:
        if not text.strip() and self.empty is not None:
            value: Any = None
        else:
            value = parse(text, self.kind, self.document.assessment.units)
            if self.kind == "count":
                value = int(value)
        try:
            edited = with_value(self.document.job, self.path, value)
        except ValidationError as error:
            own, units = self.path.rsplit("/", 1)[-1], self.document.assessment.units
            raise ValueError(explain_here(error, units, {own: self.kind})) from error
        self.document.edit(self.objectName().lower(), edited)


class TextField(Field):
    """Free text."""

    def __init__(self, document: Document, name: str, path: FieldPath, hint: str = "") -> None:
        super().__init__(name, hint)
        self.document, self.path = document, path
        self.refresh()

    def text_of_job(self) -> str:
        return str(value_at(self.document.job, self.path))

    def take(self, text: str) -> None:
        self.document.edit(self.objectName().lower(), with_value(self.document.job, self.path, text.strip()))


class ClockField(Field):
    """A time of day."""

    def __init__(self, document: Document, name: str, path: FieldPath, hint: str = "") -> None:
        super().__init__(name, hint)
        self.document, self.path = document, path
        self.refresh()

    def text_of_job(self) -> str:
        return clock_time(value_at(self.document.job, self.path))

    def take(self, text: str) -> None:
        value = parse_clock_time(text)
        self.document.edit(self.objectName().lower(), with_value(self.document.job, self.path, value))


class FreeField(Field):
    """A field that edits through functions of its own."""

    def __init__(self, name: str, text_of_job: Callable[[], str], take: Callable[[str], None], hint: str = "") -> None:
        super().__init__(name, hint)
        self._text_of_job, self._take = text_of_job, take
        self.refresh()

    def text_of_job(self) -> str:
        return self._text_of_job()

    def take(self, text: str) -> None:
        self._take(text)


EDGES = (("Left", 0, False), ("Right", 0, True), ("Lower edge", 1, False), ("Upper edge", 1, True))


def edge_fields(
    document: Document, outline: Callable[[], tuple[Point, ...]], put: Callable[[tuple[Point, ...]], None]
) -> list[FreeField]:
    """Fields for the four edges of an outline on the plan."""

    def field(name: str, axis: int, high: bool) -> FreeField:
        def shown() -> str:
            return show(edge_of(outline(), axis, high), "length", document.assessment.units).replace("−", "-")

        def take(text: str) -> None:
            put(with_edge(outline(), axis, high, parse(text, "length", document.assessment.units)))

        return FreeField(name, shown, take)

    return [field(*edge) for edge in EDGES]


def column(spacing: int = 6) -> QVBoxLayout:
    """A vertical layout without margins."""
    layout = QVBoxLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(spacing)
    return layout


def clear(layout: QLayout) -> None:
    """Take everything out of *layout*."""
    while (item := layout.takeAt(0)) is not None:
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            # held until the event loop turns: it may be in the middle of a signal of its own
            QTimer.singleShot(0, lambda leaving=widget: leaving.deleteLater())
        elif inner is not None:
            clear(inner)
