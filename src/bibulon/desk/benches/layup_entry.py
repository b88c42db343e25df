"""One entry of the ply book as a row of widgets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from bibulon.desk.widgets import icons, theme
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, MoveHandle, QuantityField, clear, label, restyle, tool_button
from bibulon.desk.work.document import Document
from bibulon.job.cards import Card, CoatCard, CoreCard, FabricCard
from bibulon.job.edits import with_value
from bibulon.job.layup import ROLES, Layer, LayupCard, role_of
from bibulon.job.paths import ElementField, path_of
from bibulon.quantities import QuantityKind, show

GAP_PX, IN_GROUP_PX = 2, 10
"""Between one row and the next; how far the rows of a group stand in."""
LINE_PX, NUMBER_PX, FIGURES_PX, WHERE_PX = 26, 18, 70, 84
NAME_FROM_PX, BETWEEN_PX, HANDLE_PX = 16.0, 6.0, 24


class PlyBook(Protocol):
    """What a row asks of the ply book that it stands in."""

    document: Document

    def cards(self, *kinds: type[Card]) -> Sequence[Card]: ...
    def material(self, layer: Layer, card_id: str) -> None: ...
    def rename(self, old: str, text: str) -> None: ...
    def place_at(self, layer: Layer, position: QPoint) -> None: ...
    def move(self, layer: Layer, step: int) -> None: ...
    def link(self, layer: Layer) -> None: ...
    def repeat(self, layer: Layer) -> None: ...
    def remove(self, layer: Layer) -> None: ...
    def compare(self, layer: Layer) -> None: ...


class Summary(QAbstractButton):
    """An entry on one line: what is laid, how, and where. Pressed, it opens the entry for change, or closes it."""

    def __init__(self) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._parts = ("", "", "")

    def sizeHint(self) -> QSize:
        return QSize(120, LINE_PX)

    def show_parts(self, name: str, figures: str, where: str) -> None:
        """Show what is laid, at which angle and how often, and where."""
        self._parts = (name, figures, where)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        palette = theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus() or self.underMouse():
            painter.setPen(
                QPen(QColor(palette.accent if self.hasFocus() else palette.rule), 2 if self.hasFocus() else 1)
            )
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)
        middle, turned = self.height() / 2, self.isChecked()
        corners = ((4, -2), (12, -2), (8, 3)) if turned else ((6, -4), (11, 0), (6, 4))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.muted))
        painter.drawPolygon([QPointF(x, middle + y) for x, y in corners])
        name, figures, where = self._parts
        right = self.width() - 2.0
        for text, most, ink, weight, align in (
            (where, WHERE_PX, palette.muted, QFont.Weight.Normal, Qt.AlignmentFlag.AlignRight),
            (figures, FIGURES_PX, palette.ink, QFont.Weight.DemiBold, Qt.AlignmentFlag.AlignRight),
            (name, right, palette.ink, QFont.Weight.Normal, Qt.AlignmentFlag.AlignLeft),
        ):
            painter.setFont(theme.font(13, weight))
            painter.setPen(QColor(ink))
            metrics = QFontMetricsF(painter.font())
            left = max(right - min(metrics.horizontalAdvance(text) + 1, most), NAME_FROM_PX)
            if text is name:
                left = NAME_FROM_PX
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, right - left)
            box = QRectF(left, 0, right - left, self.height())
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | align, shown)
            right = left - BETWEEN_PX if text else right
        painter.end()


class EntryRow(QWidget):
    """A row for *layer*: one line, opened for change. The first entry of a group carries the group's name and how often
    it is laid."""

    def __init__(self, book: PlyBook, layer: Layer) -> None:
        super().__init__()
        self.book, self.layer, self.number = book, layer, 0
        self._around: object = None
        self._heads: str | None = None
        """The group whose head the row carries."""
        self._fields: list[QuantityField | ChoiceField] = []
        self._called: list[tuple[QWidget, str]] = []
        """Widgets and what they are called, before the number of the entry."""
        self._outer = QVBoxLayout(self)
        self._outer.setContentsMargins(0, 0, 0, GAP_PX)
        self._outer.setSpacing(4)
        self._frame = QFrame()
        self._frame.setProperty("role", "card")
        self._box = QVBoxLayout(self._frame)
        self._box.setContentsMargins(6, 0, 1, 0)
        self._box.setSpacing(2)
        self._outer.addWidget(self._frame)
        self._line()
        self._opened: QVBoxLayout | None = None
        """What is there to change the entry with, once it was opened."""

    @property
    def card(self) -> LayupCard:
        card = next(card for card in self.book.document.job.cards if card.id == self.layer.card)
        assert isinstance(card, FabricCard | CoreCard | CoatCard)
        return card

    def show_entry(self, number: int, layer: Layer, around: object) -> None:
        """Show *layer*, which has that number now; *around* is whatever else its widgets show."""
        if (number, layer, around) == (self.number, self.layer, self._around):
            return
        self.number, self.layer, self._around = number, layer, around
        self._renew()

    def _group_head(self) -> None:
        """The name of the group that begins here, and how often it is laid; rows of a group stand in from the edge."""
        job, name = self.book.document.job, self.layer.group
        before = job.layup[self.number - 2].group if self.number > 1 else None
        heads = name if name != before else None
        self._outer.setContentsMargins(IN_GROUP_PX if name is not None else 0, 0, 0, GAP_PX)
        role = "card" if name is None else "grouped"
        if self._frame.property("role") != role:
            self._frame.setProperty("role", role)
            restyle(self._frame)
        if heads == self._heads:
            for times in self.findChildren(QuantityField, "laid"):
                times.refresh()
            return
        if self._heads is not None:
            item = self._outer.takeAt(0)
            if (inner := item.layout()) is not None:
                clear(inner)
        self._heads = heads
        if heads is None:
            return
        head = QHBoxLayout()
        head.setSpacing(6)
        called = FreeField("Group", lambda: heads, partial(self.book.rename, heads), "What this group is called.")
        called.name.setFixedWidth(44)
        head.addWidget(called, 1, Qt.AlignmentFlag.AlignTop)
        path = path_of("groups", heads, "times")
        times = QuantityField(self.book.document, "laid", "count", path, "How often it is laid.")
        times.editor.setAccessibleName(f"Times of {heads}")
        times.name.setFixedWidth(26)
        times.setFixedWidth(84)
        head.addWidget(times, 0, Qt.AlignmentFlag.AlignTop)
        self._outer.insertLayout(0, head)

    def _line(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(2)
        self._number = label("", "muted", wrap=False)
        self._number.setFixedWidth(NUMBER_PX)
        row.addWidget(self._number)
        self.summary = Summary()
        self.summary.toggled.connect(self._open)
        row.addWidget(self.summary, 1)
        handle = MoveHandle("", lambda place: self.book.place_at(self.layer, place),
                            lambda step: self.book.move(self.layer, step))  # fmt: skip
        handle.setFixedSize(HANDLE_PX, LINE_PX)
        row.addWidget(handle)
        self._called.append((handle, "Move entry"))
        self._box.addLayout(row)

    def open(self) -> None:
        """Open the entry for change."""
        self.summary.setChecked(True)

    def _open(self, on: bool) -> None:
        if on and self._opened is None:
            self._body = QWidget()
            self._opened = QVBoxLayout(self._body)
            self._opened.setContentsMargins(NUMBER_PX, 0, 4, 6)
            self._opened.setSpacing(3)
            self._material()
            self._figures()
            self._foot()
            self._box.addWidget(self._body)
            self._renew()
        if self._opened is not None:
            self._body.setVisible(on)

    def _material(self) -> None:
        assert self._opened is not None
        material = ChoiceField(
            "",
            lambda: [(card.name, card.id) for card in self.book.cards(type(self.card))],
            lambda: self.layer.card,
            lambda chosen: self.book.material(self.layer, chosen),
            "What is laid",
        )
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self._take(material, "Material of entry", material.box), 1)
        if isinstance(self.card, FabricCard):
            compare = self._button("compare", self.book.compare, row)
            compare.setToolTip("Compare fabrics in its place")
            self._called.append((compare, "Compare fabrics in place of entry"))
        self._opened.addLayout(row)

    def _figures(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        document = self.book.document
        figures: tuple[tuple[str, str, QuantityKind, ElementField, int], ...] = (
            ("Angle", "at", "angle", "angle_deg", 76),
            ("Count", "×", "count", "count", 58),
        )
        for name, shown, kind, field, width in figures:
            editor = QuantityField(
                document, name, kind, path_of("layup", self.layer.id, field), f"{name} of this entry"
            )
            editor.name.setText(shown)
            editor.name.setFixedWidth(12)
            editor.setFixedWidth(width)
            row.addWidget(self._take(editor, f"{name} of entry", editor.editor), 0, Qt.AlignmentFlag.AlignTop)
        region = ChoiceField(
            "",
            lambda: [("whole part", None), *((region.name, region.name) for region in document.job.regions)],
            lambda: self.layer.region,
            partial(self._put, "region of ply", "region"),
            "Where it is laid",
        )
        row.addWidget(self._take(region, "Region of entry", region.box), 1, Qt.AlignmentFlag.AlignTop)
        assert self._opened is not None
        self._opened.addLayout(row)

    def _foot(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        role = ChoiceField(
            "",
            lambda: [(name, name) for name in ROLES[self.card.kind]],
            lambda: role_of(self.layer, self.card),
            partial(self._put, "role", "role"),
            "What it is in the stack",
        )
        role.setMinimumWidth(88)
        role.setMaximumWidth(118)
        row.addWidget(self._take(role, "Role of entry", role.box), 1)
        row.addStretch(0)
        self._weight = label("", "muted", wrap=False)
        row.addWidget(self._weight)
        self._link = self._button("link", self.book.link, row)
        for icon, tip, do in (("copy", "Lay once more", self.book.repeat), ("remove", "Remove", self.book.remove)):
            button = self._button(icon, do, row)
            button.setToolTip(tip)
            self._called.append((button, f"{tip}: entry"))
        assert self._opened is not None
        self._opened.addLayout(row)

    def _button(self, icon: str, do: Callable[[Layer], None], row: QHBoxLayout) -> QToolButton:
        button = tool_button(icon, "", lambda: do(self.layer))
        row.addWidget(button)
        return button

    def _take(self, field: QuantityField | ChoiceField, name: str, named: QWidget) -> QWidget:
        self._fields.append(field)
        self._called.append((named, name))
        return field

    def _put(self, label: str, field: ElementField, value: object) -> None:
        document = self.book.document
        document.edit(label, with_value(document.job, path_of("layup", self.layer.id, field), value))

    def _renew(self) -> None:
        """Let every widget show the entry as it is."""
        self._group_head()
        for field in self._fields:
            field.refresh()
        for widget, name in self._called:
            widget.setAccessibleName(f"{name} {self.number}")
        self._number.setText(str(self.number))
        card, layer = self.card, self.layer
        figures = f"{layer.angle_deg:g}° × {layer.count}"
        self.summary.show_parts(card.name, figures, layer.region or "")
        where = layer.region or "whole part"
        self.summary.setAccessibleName(f"Entry {self.number}: {card.name}, {figures}, {where}")
        self.summary.setToolTip(f"{card.name}, {figures}, {where}. Press to change it.")
        if self._opened is None:
            return
        weight = card.density_kg_m3 * card.thickness_m if isinstance(card, CoreCard) else card.areal_weight_kg_m2
        self._weight.setText(show(weight, "areal weight", self.book.document.assessment.units))
        grouped = layer.group is not None
        icons.put(self._link, "unlink" if grouped else "link")
        tip = "Take out of its group" if grouped else "Group with the entry before it"
        self._link.setToolTip(tip)
        self._link.setAccessibleName(f"{tip}: entry {self.number}")
        self._link.setEnabled(grouped or self.number > 1)
