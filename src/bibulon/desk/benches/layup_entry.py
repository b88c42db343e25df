"""One entry of the ply book as a row of widgets."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from bibulon.desk import icons
from bibulon.desk.fields import ChoiceField, MoveHandle, QuantityField, label, tool_button
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.edits import with_value
from bibulon.job.layup import ROLES, Layer, LayupCard, role_of
from bibulon.quantities import show

if TYPE_CHECKING:
    from bibulon.desk.benches.layup_book import BookSection

ROW_PX = 110
"""Height of a row that has no widgets yet."""


class EntryRow(QFrame):
    """A row for *layer*; empty until :meth:`fill` gives it its widgets, which then stay and follow the entry."""

    def __init__(self, book: BookSection, layer: Layer) -> None:
        super().__init__()
        self.setProperty("role", "card")
        self.setMinimumHeight(ROW_PX)
        self.book, self.layer, self.number = book, layer, 0
        self.filled = False
        self._around: object = None
        self._fields: list[QuantityField | ChoiceField] = []
        self._called: list[tuple[QWidget, str]] = []
        """Widgets and what they are called, before the number of the entry."""
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(8, 6, 6, 6)
        self._box.setSpacing(3)

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
        if self.filled:
            self._renew()

    def fill(self) -> None:
        """Make the widgets."""
        self.filled = True
        self.setMinimumHeight(0)
        self._head()
        self._figures()
        self._foot()
        self._renew()

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
        for name, shown, kind, field, width in (
            ("Angle", "at", "angle", "angle_deg", 76),
            ("Count", "×", "count", "count", 58),
        ):
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
        role.setFixedWidth(118)
        row.addWidget(self._take(role, "Role of entry", role.box))
        row.addStretch(1)
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
