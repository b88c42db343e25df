"""One entry of the ply book as a row of widgets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from bibulon.desk.widgets import icons
from bibulon.desk.widgets.fields import (
    ChoiceField,
    FreeField,
    MoveHandle,
    QuantityField,
    clear,
    label,
    restyle,
    tool_button,
)
from bibulon.desk.work.document import Document
from bibulon.job.cards import Card, CoatCard, CoreCard, FabricCard
from bibulon.job.edits import with_value
from bibulon.job.layup import ROLES, Layer, LayupCard, role_of
from bibulon.quantities import QuantityKind, show

GAP_PX = 5
IN_GROUP_PX = 10
"""Between one row and the next."""


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


class EntryRow(QWidget):
    """A row for *layer*. The first entry of a group carries the group's name and how often it is laid."""

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
        self._box.setContentsMargins(8, 6, 6, 6)
        self._box.setSpacing(3)
        self._outer.addWidget(self._frame)
        self._head()
        self._figures()
        self._foot()

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
        path = f"groups/{heads}/times"
        times = QuantityField(self.book.document, "laid", "count", path, "How often it is laid.")
        times.editor.setAccessibleName(f"Times of {heads}")
        times.name.setFixedWidth(26)
        times.setFixedWidth(84)
        head.addWidget(times, 0, Qt.AlignmentFlag.AlignTop)
        self._outer.insertLayout(0, head)

    def _head(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(3)
        self._number = label("", "figure", wrap=False)
        row.addWidget(self._number)
        material = ChoiceField(
            "",
            lambda: [(one.name, one.id) for one in self.book.cards(type(self.card))],
            lambda: self.layer.card,
            lambda chosen: self.book.material(self.layer, chosen),
            "What is laid",
        )
        row.addWidget(self._take(material, "Material of entry", material.box), 1)
        handle = MoveHandle("", lambda place: self.book.place_at(self.layer, place),
                            lambda step: self.book.move(self.layer, step))  # fmt: skip
        row.addWidget(handle)
        self._called.append((handle, "Move entry"))
        self._box.addLayout(row)

    def _figures(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        document, path = self.book.document, f"layup/{self.layer.id}"
        figures: tuple[tuple[str, str, QuantityKind, str, int], ...] = (
            ("Angle", "at", "angle", "angle_deg", 76),
            ("Count", "×", "count", "count", 58),
        )
        for name, shown, kind, field, width in figures:
            editor = QuantityField(document, name, kind, f"{path}/{field}", f"{name} of this entry")
            editor.name.setText(shown)
            editor.name.setFixedWidth(12)
            editor.setFixedWidth(width)
            row.addWidget(self._take(editor, f"{name} of entry", editor.editor), 0, Qt.AlignmentFlag.AlignTop)
        region = ChoiceField(
            "",
            lambda: [("whole part", None), *((one.name, one.name) for one in document.job.regions)],
            lambda: self.layer.region,
            partial(self._put, "region of ply", "region"),
            "Where it is laid",
        )
        row.addWidget(self._take(region, "Region of entry", region.box), 1, Qt.AlignmentFlag.AlignTop)
        self._box.addLayout(row)

    def _foot(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        role = ChoiceField(
            "",
            lambda: [(one, one) for one in ROLES[self.card.kind]],
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
        self._link = self._button("ph.link", self.book.link, row)
        for icon, tip, do in (("ph.copy", "Lay once more", self.book.repeat), ("ph.trash", "Remove", self.book.remove)):
            button = self._button(icon, do, row)
            button.setToolTip(tip)
            self._called.append((button, f"{tip}: entry"))
        self._box.addLayout(row)

    def _button(self, icon: str, do: Callable[[Layer], None], row: QHBoxLayout) -> QToolButton:
        button = tool_button(icon, "", lambda: do(self.layer))
        row.addWidget(button)
        return button

    def _take(self, field: QuantityField | ChoiceField, name: str, named: QWidget) -> QWidget:
        self._fields.append(field)
        self._called.append((named, name))
        return field

    def _put(self, label: str, field: str, value: object) -> None:
        document = self.book.document
        document.edit(label, with_value(document.job, f"layup/{self.layer.id}/{field}", value))

    def _renew(self) -> None:
        """Let every widget show the entry as it is."""
        self._group_head()
        for field in self._fields:
            field.refresh()
        for widget, name in self._called:
            widget.setAccessibleName(f"{name} {self.number}")
        self._number.setText(str(self.number))
        card = self.card
        weight = card.density_kg_m3 * card.thickness_m if isinstance(card, CoreCard) else card.areal_weight_kg_m2
        self._weight.setText(show(weight, "areal weight", self.book.document.assessment.units))
        grouped = self.layer.group is not None
        icons.put(self._link, "ph.link-break" if grouped else "ph.link")
        tip = "Take out of its group" if grouped else "Group with the entry before it"
        self._link.setToolTip(tip)
        self._link.setAccessibleName(f"{tip}: entry {self.number}")
        self._link.setEnabled(grouped or self.number > 1)
