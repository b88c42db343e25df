"""The stock: every card of the shelf, and the shop's own to be copied, edited, brought in and given out."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.dialogs.card_words import card_count, differences, figure_from, figure_name, figure_text
from bibulon.desk.dialogs.fabric_readings import ReadingsDialog
from bibulon.desk.dialogs.packing_curve import packing_curve
from bibulon.desk.dialogs.resin_sheet import ResinSheetDialog
from bibulon.desk.dialogs.strip_test import StripTestDialog
from bibulon.desk.dialogs.thickness_test import ThicknessDialog
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, clear, column, label
from bibulon.desk.work.document import Document
from bibulon.job.cards import Card, FabricCard, ResinCard
from bibulon.job.edits import new_id, revised, with_card
from bibulon.job.faults import explain_here
from bibulon.job.stock_card import Measured
from bibulon.laminate.fibre import EXAMPLE, directions_of, in_words
from bibulon.stock import StockError, as_toml, own_cards, read_cards, save_own, shipped
from bibulon.stock.card_sheet import as_csv, from_csv
from bibulon.whole_file import write_whole

WRITTEN: dict[str, tuple[Callable[[Any], str], Callable[[str], Any]]] = {"fibre_directions": (in_words, directions_of)}
"""Lists that are written in one field, and read out of it."""
SIZE = (860, 600)
LIST_PX = 300
OF_ALL = {"spread": "Spread of values without their own", "source": "Source of values without their own"}
OF_THE_SHEET = {
    "viscosity_aged": "Viscosity with time",
    "cup_tests": "Cup tests",
    "tg": "Tg after cure",
    "boiling": "Vapour",
    "dose": "Dose of catalyst",
    "cure": "Fitted constants of cure",
}
"""What a resin card has from its data sheet, which is typed there as tables."""
IN_THE_SHOP = ("price", "in_hand", "lot", "expires", "note")


class StockWindow(QDialog):
    """Cards at the left, the chosen one's figures at the right; shipped cards are copied before they are changed."""

    def __init__(self, parent: QWidget | None, document: Document) -> None:
        super().__init__(parent)
        self.document = document
        self.setWindowTitle("Stock")
        self.resize(*SIZE)
        self.own: dict[str, Card] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 16, 18, 16)
        row.setSpacing(18)
        row.addLayout(self._left())
        side = QScrollArea()
        side.setWidgetResizable(True)
        side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = QWidget()
        self.form = QVBoxLayout(body)
        self.form.setContentsMargins(0, 0, 10, 0)
        self.form.setSpacing(7)
        side.setWidget(body)
        row.addWidget(side, 1)
        self.message, self.notes_text = label("", "error"), label("", "muted")
        try:
            self.own = {card.id: card for card in own_cards()}
        except StockError as error:
            self.message.setText(str(error))
        self._fill_list()
        self.list.setCurrentRow(0)

    def _left(self) -> QVBoxLayout:
        left = column(8)
        left.addWidget(label("Stock", "title"))
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a card")
        self.search.setAccessibleName("Find a card")
        self.search.textChanged.connect(lambda _: self._fill_list())
        left.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName("Cards")
        self.list.setFixedWidth(LIST_PX)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        left.addWidget(self.list, 1)
        buttons = QHBoxLayout()
        self._button(buttons, "Bring in …", self.bring_in)
        self._button(buttons, "Give out …", self.give_out)
        left.addLayout(buttons)
        return left

    # -- the list ----------------------------------------------------------------------------------------------------

    @property
    def cards(self) -> dict[str, Card]:
        """Shipped and own, own ones in the place of shipped ones of the same identifier."""
        return {card.id: card for card in shipped()} | self.own

    @property
    def chosen(self) -> Card | None:
        item = self.list.currentItem()
        return self.cards.get(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None

    def _fill_list(self, choose: str = "") -> None:
        wanted = choose or (self.chosen.id if self.chosen is not None else "")
        words = self.search.text().lower().split()
        self.list.blockSignals(True)
        self.list.clear()
        for card in sorted(self.cards.values(), key=lambda card: (card.kind, card.name)):
            mine = "  ·  own" if card.id in self.own else ""
            if all(word in f"{card.kind} {card.name}{mine}".lower() for word in words):
                item = QListWidgetItem(f"{card.name}\n{card.kind}{mine}")
                item.setData(Qt.ItemDataRole.UserRole, card.id)
                self.list.addItem(item)
                if card.id == wanted:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self.list.currentItem() is None:
            self.list.setCurrentRow(0)
        self._show()

    # -- the form ----------------------------------------------------------------------------------------------------

    def _show(self) -> None:
        clear(self.form)
        self.message, self.notes_text = label(self.message.text(), "error"), label(self.notes_text.text(), "muted")
        for said in (self.message, self.notes_text):
            self.form.addWidget(said)
            said.setVisible(bool(said.text()))
        card = self.chosen
        if card is None:
            self.form.addWidget(label("No card is called so.", "muted"))
            self.form.addStretch(1)
            return
        mine = card.id in self.own
        self.head = column(7)
        self.form.addLayout(self.head)
        self._fill_head()
        technical = [name for name in type(card).model_fields if name not in ("kind", "id", *OF_ALL, *IN_THE_SHOP)]
        for name in (*technical, *OF_ALL):
            self._add_field(card, name, mine)
        self.form.addWidget(label("IN THE SHOP", "section"))
        for name in IN_THE_SHOP:
            self._add_field(card, name, mine)
        self.form.addStretch(1)

    def _fill_head(self) -> None:
        """Name, buttons and what follows from the figures; the fields under it keep what is being typed."""
        card = self.chosen
        clear(self.head)
        if card is None:
            return
        mine = card.id in self.own
        self.head.addWidget(label(card.name, "large"))
        row = QHBoxLayout()
        self._button(row, "Copy", self.copy)
        if not mine:
            self._button(row, "Make it ours", self.make_ours)
        if mine:
            self._button(row, "Remove", self.remove)
        if mine and isinstance(card, FabricCard):
            self._button(row, "Strip test …", partial(self.take_test, "strip"))
            self._button(row, "Thickness …", partial(self.take_test, "thickness"))
        if mine and isinstance(card, ResinCard):
            self._button(row, "Data sheet …", self.take_sheet)
        carried = next((carried_card for carried_card in self.document.job.cards if carried_card.id == card.id), None)
        if carried is not None and carried != card:
            self._button(row, "Take into this job", self.take_over)
        row.addStretch(1)
        self.head.addLayout(row)
        if carried is not None:
            same = "This job carries it as it is here." if carried == card else differences(carried, card)
            self.head.addWidget(label(same, "muted"))
        if not mine:
            said = "It ships with the program. Copy it, or make it the shop's own, to change its figures."
            self.head.addWidget(label(said, "muted"))
        if isinstance(card, FabricCard):
            self.head.addWidget(packing_curve(card, self.document.assessment.units))

    def _button(self, row: QHBoxLayout, text: str, do: Callable[[], None]) -> None:
        button = QPushButton(text)
        button.setAutoDefault(False)  # Enter ends the typing in a field
        button.clicked.connect(lambda _=False: do())
        row.addWidget(button)

    def _add_field(self, card: Card, name: str, mine: bool) -> None:
        value = getattr(card, name)
        if name in WRITTEN:
            write, read = WRITTEN[name]
            field = FreeField(
                figure_name(name),
                lambda: write(self._now((name,))),
                lambda text: self._put((name,), read(text)),
                EXAMPLE,
            )
            field.setEnabled(mine)
            self.form.addWidget(field)
        elif isinstance(value, Measured):
            for part in Measured.model_fields:
                self._add_figure(card, (name, part), getattr(value, part), Measured, mine)
        elif name in OF_THE_SHEET:
            if value:
                words = f"{len(value)} lines" if isinstance(value, tuple) else "there"
                self.form.addWidget(label(f"{OF_THE_SHEET[name]}: {words}, under Data sheet.", "muted"))
        elif isinstance(value, tuple):
            self.form.addWidget(label(figure_name(name), "section"))
            for at, element in enumerate(value):
                for part in type(element).model_fields:
                    self._add_figure(card, (name, at, part), getattr(element, part), type(element), mine)
        else:
            self._add_figure(card, (name,), value, type(card), mine)

    def _add_figure(self, card: Card, path: tuple[Any, ...], value: Any, model: Any, mine: bool) -> None:
        last = str(path[-1])
        title = (
            self._shop_title(card, last)
            if last in IN_THE_SHOP
            else OF_ALL[last]
            if len(path) == 1 and last in OF_ALL
            else figure_name(last)
            if len(path) != 2
            else figure_name(str(path[0])) + ("" if last == "value" else f", {last}")
        )
        kind = model.model_fields[last].annotation
        choices = get_args(kind) if get_origin(kind) is Literal else ()
        field: QWidget
        if choices:
            pairs = [(str(choice), choice) for choice in choices]
            field = ChoiceField(title, lambda: pairs, partial(self._now, path), partial(self._put, path))
        elif isinstance(value, bool):
            field = ToggleField(title, partial(self._now, path), partial(self._put, path))
        else:
            field = FreeField(title, partial(self._text, path), partial(self._take, path, value))
        field.setEnabled(mine)
        self.form.addWidget(field)

    def _shop_title(self, card: Card, name: str) -> str:
        units = {
            "price": f", {self.document.assessment.units.currency} per {card.sold_by}",
            "in_hand": f", {card.sold_by}",
        }
        return f"{figure_name(name)}{units.get(name, '')}"

    def _now(self, path: tuple[Any, ...]) -> Any:
        """The figure at *path* of the chosen card as it is now."""
        value: Any = self.chosen
        for step in path:
            value = value[step] if isinstance(step, int) else getattr(value, step)
        return value

    def _text(self, path: tuple[Any, ...]) -> str:
        return figure_text(str(path[-1]), self._now(path), self.document.assessment.units)

    def _take(self, path: tuple[Any, ...], old: Any, text: str) -> None:
        self._put(path, figure_from(str(path[-1]), old, text, self.document.assessment.units))

    # -- edits -------------------------------------------------------------------------------------------------------

    def _put(self, path: tuple[Any, ...], value: Any) -> None:
        """Change a figure of the chosen card. Raises ``ValueError`` with a message for the user."""
        card = self.chosen
        if card is None:
            return
        data = card.model_dump()
        inner: Any = data
        for step in path[:-1]:
            inner = inner[step]
        inner[path[-1]] = value
        try:
            made = type(card).model_validate(data)
        except ValidationError as error:
            raise ValueError(explain_here(error, self.document.assessment.units)) from error
        self._keep({**self.own, card.id: made})
        if path == ("name",):
            self._fill_list(card.id)

    def _keep(self, own: dict[str, Card]) -> None:
        said = ""
        try:
            save_own(own.values())
            self.own = own
        except StockError as error:
            said = str(error)
        self._show_outcome(said)
        self._fill_head()

    def _show_outcome(self, wrong: str = "", done: str = "") -> None:
        """Say what went wrong, or what was done."""
        for said, text in ((self.message, wrong), (self.notes_text, done)):
            said.setText(text)
            said.setVisible(bool(text))

    def copy(self) -> None:
        """Make a card of the shop's own out of the chosen one."""
        card = self.chosen
        if card is not None:
            made = revised(card, id=new_id("own"), name=f"{card.name}, own")
            self._keep({**self.own, made.id: made})
            self.search.clear()
            self._fill_list(made.id)

    def make_ours(self) -> None:
        """Make the chosen card the shop's own, in the place of the one that ships: to be priced, or put right."""
        card = self.chosen
        if card is not None:
            self._keep({**self.own, card.id: card})
            self._fill_list(card.id)

    def remove(self) -> None:
        """Take the chosen card off the shop's shelf; jobs that carry it keep it."""
        card = self.chosen
        if card is not None:
            self._keep({name: own_card for name, own_card in self.own.items() if name != card.id})
            self._fill_list()

    def take_test(self, which: str) -> None:
        """Ask for the readings of a test of the chosen fabric and keep what they say on its card."""
        card = self.chosen
        if isinstance(card, FabricCard):
            kind = StripTestDialog if which == "strip" else ThicknessDialog
            asked: ReadingsDialog = kind(self, card, self.document.assessment.units)
            if asked.exec():
                self._keep({**self.own, card.id: asked.card})
                self._show()

    def take_sheet(self) -> None:
        """Ask for the data sheet of the chosen resin and keep what is fitted to it on its card."""
        card = self.chosen
        if isinstance(card, ResinCard):
            asked = ResinSheetDialog(self, card, self.document.assessment.units)
            if asked.exec():
                self._keep({**self.own, card.id: asked.card})
                self._show()

    def take_over(self) -> None:
        """Put the chosen card into the job in place of the copy it carries."""
        card = self.chosen
        if card is not None:
            self.document.edit("card from the shelf", with_card(self.document.job, card))
            self._show()

    def bring_in(self) -> None:
        """Read cards from a file into the shop's own."""
        name, _ = QFileDialog.getOpenFileName(self, "Cards", "", "Cards (*.toml *.csv)")
        if not name:
            return
        path = Path(name)
        try:
            text = path.read_text(encoding="utf-8-sig")
            read = from_csv(text, path.name) if path.suffix.lower() == ".csv" else read_cards(text, path.name)
        except (StockError, OSError, UnicodeDecodeError) as error:
            self._show_outcome(str(error))
            return
        replaced = sum(card.id in self.own and self.own[card.id] != card for card in read)
        self._keep({**self.own, **{card.id: card for card in read}})
        if not self.message.text():
            taken = f"{card_count(len(read))} taken in from {path.name}"
            self._show_outcome(
                done=f"{taken}, {replaced} of them in place of the shop's own." if replaced else f"{taken}."
            )
        self._fill_list(read[0].id if read else "")

    def give_out(self) -> None:
        """Write the shop's own cards, or all if it has none, to a file."""
        name, _ = QFileDialog.getSaveFileName(self, "Cards", "cards.toml", "Cards (*.toml);;Sheet (*.csv)")
        if not name:
            return
        path = Path(name)
        if path.suffix.lower() not in (".toml", ".csv"):
            path = path.with_name(f"{path.name}.toml")
            if path.exists():
                self._show_outcome(f"{path.name} is already there: choose it by its whole name to replace it.")
                return
        cards = list((self.own or self.cards).values())
        text = as_csv(cards) if path.suffix.lower() == ".csv" else as_toml(cards)
        try:
            write_whole(path, text.encode("utf-8"))
        except OSError as error:
            self._show_outcome(f"{path.name} could not be written ({error.strerror or error}).")
            return
        self._show_outcome(done=f"{card_count(len(cards))} written to {path}.")
