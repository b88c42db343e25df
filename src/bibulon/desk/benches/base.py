"""What all benches share: title, sections, fields, figures, cautions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from itertools import groupby
from typing import Any, Protocol

from pydantic import ValidationError
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from bibulon.cautions import Caution
from bibulon.cautions.safety import safety_notes
from bibulon.desk.dialogs.files import Files
from bibulon.desk.plan.view import PlanView
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import ClockField, QuantityField, TextField, clear, column, label, rule_line
from bibulon.desk.widgets.figure_rows import FigureRow
from bibulon.desk.widgets.rank_mark import RankMark
from bibulon.desk.widgets.reading_order import HeldKeyboard, beside, beyond, first_stop, widgets_of
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import Document
from bibulon.desk.work.run_controller import RunController
from bibulon.job.base import StationId
from bibulon.job.faults import explain_here
from bibulon.job.paths import FieldPath
from bibulon.quantities import QuantityKind, show


class Desk(Protocol):
    """What a bench may ask of the window."""

    document: Document
    plan: PlanView
    run: RunController
    studies: Background
    proposals: Background
    files: Files

    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None: ...
    def show_caution(self, caution: Caution) -> None: ...
    def set_setting(self, field: str, value: object) -> None: ...


class CautionCard(QFrame):
    """Cautions that differ in message and place only: mark, messages; why and remedy under them."""

    def __init__(self, cautions: Sequence[Caution], fix: Callable[[], None]) -> None:
        super().__init__()
        caution = cautions[0]
        self.setProperty("role", "card")
        row = QHBoxLayout(self)
        row.setContentsMargins(9, 8, 9, 8)
        row.setSpacing(9)
        row.addWidget(RankMark(caution.rank, 18), 0, Qt.AlignmentFlag.AlignTop)
        texts = column(2)
        for alike in cautions:
            texts.addWidget(label(alike.message, "figure"))
        texts.addWidget(label(caution.why, "muted"))
        texts.addWidget(label(caution.remedy))
        if caution.fix is not None:
            button = QPushButton(caution.fix.text)
            button.clicked.connect(lambda _=False: fix())
            texts.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        row.addLayout(texts, 1)
        self.setAccessibleName(f"{caution.rank}: {' '.join(alike.message for alike in cautions)}")


class _Watched:
    """A part of a bench that is built anew whenever its key changes."""

    def __init__(self, key: Callable[[], object], layout: QVBoxLayout, fill: Callable[[QVBoxLayout], None]) -> None:
        self._key, self._layout, self._fill = key, layout, fill
        self._last = key()
        fill(layout)

    def refresh(self) -> None:
        now = self._key()
        if now != self._last:
            self._last = now
            held = HeldKeyboard(self._layout)
            clear(self._layout)
            self._fill(self._layout)
            for made in list(widgets_of(self._layout)):  # shown now, not in the loop's next turn, with a gap between
                if isValid(made):  # what is posted may be an edit, which builds this part anew
                    QCoreApplication.sendPostedEvents(made, QEvent.Type.MetaCall)
            held.give_back(self._layout)


class Bench(QScrollArea):
    """A bench: subclasses fill :meth:`build` and may override :meth:`refresh`."""

    title = ""
    width_px = 348
    long = False
    """A long bench shows its cautions at its head, and only its notes at its end."""

    def __init__(self, desk: Desk, station: StationId, name: str) -> None:
        """The bench of the *station* of that identifier and *name*."""
        super().__init__()
        self.desk, self.station = desk, station
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        body = QWidget()
        self.body = QVBoxLayout(body)
        self.body.setContentsMargins(14, 12, 14, 12)
        self.body.setSpacing(7)
        self.setWidget(body)
        self._fields: list[Any] = []
        self._watched: list[_Watched] = []
        self._seen_at: tuple[QWidget, int] | None = None
        """A field that is in sight, and how far below the top."""
        self._pressed: tuple[str, int] | None = None
        """The text of the button that was pressed last, and how far below the top: it stays under the hand."""
        self.verticalScrollBar().rangeChanged.connect(self._keep_in_place)
        self.verticalScrollBar().valueChanged.connect(self._scrolled)
        self.body.addWidget(label(self.title or name, "title"))
        if self.long:
            self.watch(lambda: self._mine(grave=True), column(6), self._fill_grave)
        self.build()
        self.watch(lambda: self._mine(grave=False), column(6), self._fill_cautions)
        self.watch(self._safety_notes, column(7), self._fill_safety)
        self.body.addStretch(1)

    @property
    def document(self) -> Document:
        return self.desk.document

    def build(self) -> None:
        """Put the bench together."""

    def do_next(self) -> None:
        """Do the next step of the work here, if there is such a thing."""

    def refresh(self) -> None:
        """Show the document as it is now; what comes or goes above does not move what is in sight."""
        self._seen_at = self._in_sight()
        for field in self._fields:
            field.refresh()
        for part in self._watched:
            part.refresh()
        self._keep_in_place()  # what comes below may be as long as what goes above

    def _in_sight(self) -> tuple[QWidget, int] | None:
        if self.verticalScrollBar().value() == 0:
            return None
        for field in self._fields:
            if isinstance(field, QWidget) and field.isVisible() and (top := self._below_top(field)) >= 0:
                return field, top
        return None

    def _under_hand(self) -> tuple[QWidget, int] | None:
        """The button that was pressed, or what came in its place with the keyboard, and where it is to stand."""
        held = QApplication.focusWidget()
        if self._pressed is None or not isinstance(held, QPushButton) or not self.isAncestorOf(held):
            return None
        return (held, self._pressed[1]) if held.text() == self._pressed[0] else None

    def _below_top(self, field: QWidget) -> int:
        return field.mapTo(self.viewport(), QPoint(0, 0)).y()

    def _keep_in_place(self) -> None:
        """Called also whenever what can be scrolled has become longer or shorter."""
        seen, pressed, bar = self._seen_at, self._pressed, self.verticalScrollBar()
        if (stands := self._under_hand() or seen) is not None:
            bar.setValue(bar.value() + self._below_top(stands[0]) - stands[1])
            self._seen_at, self._pressed = seen, pressed

    def _scrolled(self) -> None:
        self._seen_at = self._pressed = None  # by hand, so that is where it is to stand

    def focusNextPrevChild(self, following: bool) -> bool:
        """Tab goes on as one reads, and what it comes to is scrolled into sight; what vanishes under the hand scrolls
        nothing."""
        held = QApplication.focusWidget()
        if held is None or not (held.isVisible() and held.isEnabled()):
            self.setFocus(Qt.FocusReason.OtherFocusReason)
            return True
        within = beside(self.body, held, following)
        if held is self and following:  # it was come to from outside
            within = first_stop(self.body)
        widget = within or beyond(self, following)
        if widget is None:
            return False
        widget.setFocus(Qt.FocusReason.TabFocusReason if following else Qt.FocusReason.BacktabFocusReason)
        if self.isAncestorOf(widget):
            self.ensureWidgetVisible(widget)
        return True

    # -- building blocks ---------------------------------------------------------------------------------------------

    def section(self, name: str) -> None:
        self.body.addSpacing(4)
        self.body.addWidget(rule_line())
        self.body.addWidget(label(name.upper(), "section"))

    def add(self, field: Any, into: QVBoxLayout | None = None) -> Any:
        """Add a field or figure and keep it refreshed (only in the bench's own body)."""
        if into is None:
            self.keep_fresh(field)
        (into or self.body).addWidget(field)
        return field

    def keep_fresh(self, field: Any) -> None:
        """Keep a field that is laid out elsewhere refreshed."""
        self._fields.append(field)

    def shown(self, value: float, kind: QuantityKind = "length") -> str:
        """A figure as the shop reads it."""
        return show(value, kind, self.document.assessment.units)

    def quantity(
        self,
        name: str,
        kind: QuantityKind,
        path: FieldPath,
        hint: str = "",
        into: QVBoxLayout | None = None,
        **more: Any,
    ) -> QuantityField:
        field: QuantityField = self.add(QuantityField(self.document, name, kind, path, hint, **more), into)
        return field

    def text(self, name: str, path: FieldPath, hint: str = "", into: QVBoxLayout | None = None) -> TextField:
        field: TextField = self.add(TextField(self.document, name, path, hint), into)
        return field

    def clock(self, name: str, path: FieldPath, hint: str = "") -> ClockField:
        field: ClockField = self.add(ClockField(self.document, name, path, hint))
        return field

    def choice(
        self,
        name: str,
        choices: Callable[[], list[tuple[str, Any]]],
        get: Callable[[], Any],
        put: Callable[[Any], None],
        hint: str = "",
        into: QVBoxLayout | None = None,
    ) -> ChoiceField:
        field: ChoiceField = self.add(ChoiceField(name, choices, get, put, hint), into)
        return field

    def figure(self, name: str, figure: Callable[[], tuple[str, str]]) -> FigureRow:
        field: FigureRow = self.add(FigureRow(name, figure))
        return field

    def button(self, text: str, do: Callable[[], None], role: str = "", into: QLayout | None = None) -> QPushButton:
        made = QPushButton(text)
        made.setProperty("role", role)
        made.setAutoDefault(False)

        def press() -> None:
            if self.isAncestorOf(made):
                self._pressed = made.text(), self._below_top(made)
            do()

        made.clicked.connect(press)
        (into if into is not None else self.body).addWidget(made)
        return made

    def answer(self, layout: QVBoxLayout, text: str, use: Callable[[], None] | None) -> None:
        """Words of what was worked out, with a button that takes it into the job where it can be taken."""
        row = QHBoxLayout()
        row.addWidget(label(text), 1)
        if use is not None:
            self.button("Use it", use, into=row).setAccessibleName(f"Use it: {text}")
        layout.addLayout(row)

    def watch(
        self, key: Callable[[], object], layout: QVBoxLayout, fill: Callable[[QVBoxLayout], None]
    ) -> Callable[[], None]:
        """A part that is built anew whenever *key* changes; returns what looks whether it has."""
        self.body.addLayout(layout)
        self._watched.append(part := _Watched(key, layout, fill))
        return part.refresh

    # -- cautions ----------------------------------------------------------------------------------------------------

    def _mine(self, grave: bool) -> tuple[Caution, ...]:
        """The cautions for the head of the bench, or those for its end."""
        mine = (caution for caution in self.document.cautions if caution.station == self.station)
        return tuple(caution for caution in mine if (self.long and caution.rank != "note") == grave)

    def _fill_grave(self, layout: QVBoxLayout) -> None:
        self._fill_cards(layout, self._mine(grave=True))

    def _safety_notes(self) -> tuple[str, ...]:
        return safety_notes(self.document.job, self.station)

    def _fill_safety(self, layout: QVBoxLayout) -> None:
        for note in self._safety_notes():
            layout.addWidget(label(note, "muted"))

    def _fill_cautions(self, layout: QVBoxLayout) -> None:
        cautions = self._mine(grave=False)
        if cautions:
            layout.addSpacing(4)
            layout.addWidget(rule_line())
            layout.addWidget(label("NOTES" if self.long else "CAUTIONS", "section"))
        self._fill_cards(layout, cautions)

    def _fill_cards(self, layout: QVBoxLayout, cautions: tuple[Caution, ...]) -> None:
        for _, some in groupby(cautions, key=lambda caution: (caution.id, caution.rank, caution.why, caution.remedy)):
            alike = tuple(some)
            layout.addWidget(CautionCard(alike, partial(self._fix, alike[0])))

    def _fix(self, caution: Caution) -> None:
        if caution.fix is None:
            return
        try:
            mended = caution.fix.apply(self.document.job)
        except ValidationError as error:
            self.desk.show_message(f"It stays as it was. {explain_here(error, self.document.assessment.units)}")
            return
        self.document.edit(caution.fix.text.lower(), mended)
