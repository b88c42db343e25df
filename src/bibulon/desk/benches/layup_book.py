"""Lay-up, first part: the ply book, entry by entry from the tool face."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtWidgets import QHBoxLayout, QSpacerItem, QVBoxLayout, QWidget

from bibulon.desk.benches.layup_entry import EntryRow
from bibulon.desk.widgets.fields import column, label
from bibulon.job.cards import Card, CoatCard, CoreCard, FabricCard
from bibulon.job.edits import (
    grouped_layup,
    mirrored_layup,
    new_id,
    renamed_group,
    repeated_layup,
    revised,
    with_card,
    with_layup,
)
from bibulon.job.layup import Layer, LayupCard, role_of
from bibulon.stock.choice import cards_for, with_ply_card

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

ADDED: tuple[tuple[str, type[LayupCard], str], ...] = (
    ("Ply", FabricCard, "Add a ply on top"),
    ("Core", CoreCard, "Add core on top"),
    ("Coat", CoatCard, "Add a surface coat on the tool, before any fibre"),
)


ALL_AT_ONCE = 24
"""A book of so many entries has all its rows; a longer one those that are seen, or nearly."""
NEARLY_PX = 220
MOST_NEW = 4


class BookSection:
    """Rows of the ply book. A row stays for as long as its entry is there, and the hand in it where it is."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.document = bench.document
        self.known: dict[str, EntryRow] = {}
        """The rows made so far, by their entries."""
        self.first, self.entries = 0, list[EntryRow]()
        """The rows shown, and the number (from 0) of the entry of the first."""
        self._around: object = None
        self._new = ""
        """The entry that was added last: it comes up open."""

    def build(self) -> None:
        bench = self.bench
        bench.section("Ply book, from the tool face")
        self.nothing = label("Nothing laid yet. Add the first ply on the tool face.", "muted")
        bench.body.addWidget(self.nothing)
        self.rows = column(0)
        self._above, self._below = QSpacerItem(0, 0), QSpacerItem(0, 0)
        self.rows.addItem(self._above)
        self.rows.addItem(self._below)
        bench.body.addLayout(self.rows)
        self._soon = QTimer(bench, singleShot=True, interval=0)  # once the rows have their places
        self._soon.timeout.connect(self._follow)
        bar = bench.verticalScrollBar()
        bar.valueChanged.connect(lambda _: self._soon.start())
        bar.rangeChanged.connect(lambda *_: self._soon.start())
        row = QHBoxLayout()
        row.setSpacing(5)
        for text, kind, tip in ADDED:
            bench.button(f"+ {text}", partial(self._add, kind), into=row).setToolTip(tip)
        self.mirror = bench.button("Mirror", self._mirror, into=row)
        self.mirror.setToolTip(
            "Lay the same plies again in reverse; a core on top becomes the middle. Coats stay below."
        )
        bench.body.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Show the ply book as it is now."""
        job = self.document.job
        self.mirror.setEnabled(bool(job.layup))
        self.nothing.setVisible(not job.layup)
        self._around = (
            tuple(region.name for region in job.regions),
            self.document.settings.system,
            job.cards,
            job.groups,
        )
        there = {layer.id for layer in job.layup}
        for name in [name for name in self.known if name not in there]:
            self._let_go(self.known.pop(name))
        count = len(job.layup)
        if count <= ALL_AT_ONCE:
            self._show(0, count)
        else:
            self._show(min(self.first, count - 1), max(len(self.entries), 1))
            self._soon.start()

    def _show(self, first: int, count: int) -> None:
        """Show the rows of so many entries from *first*, and leave room for the others."""
        layup = self.document.job.layup
        shown = layup[first : first + count]
        for layer in shown:
            if layer.id not in self.known:
                self.known[layer.id] = EntryRow(self, layer)
                if layer.id == self._new:
                    self.known[layer.id].open()
        rows = [self.known[layer.id] for layer in shown]
        for row in self.entries:
            if row not in rows:
                self.rows.removeWidget(row)
                row.hide()
        self.first, self.entries = first, rows
        for number, (row, layer) in enumerate(zip(rows, shown, strict=True), first + 1):
            row.show_entry(number, layer, self._around)
        _arrange(self.rows, 1, rows)
        height = self._row_px()
        self._above.changeSize(0, first * height)
        self._below.changeSize(0, (len(layup) - first - len(rows)) * height)
        self.rows.invalidate()

    def _row_px(self) -> int:
        """The height of a row that is closed: nearly all are."""
        return max(min(row.sizeHint().height() for row in self.entries), 1) if self.entries else 1

    def _follow(self) -> None:
        """Let the rows of a long book follow the scroll bar."""
        count = len(self.document.job.layup)
        if count <= ALL_AT_ONCE or not self.bench.isVisible():
            return
        height, top = self._row_px(), self.rows.geometry().top()
        seen = self.bench.verticalScrollBar().value() - top
        low = min(max((seen - NEARLY_PX) // height, 0), count - 1)
        high = min(max(-(-(seen + self.bench.viewport().height() + NEARLY_PX) // height), low + 1), count)
        # a few new rows at a time: to build many at once would be felt
        new = [at for at in range(low, high) if self.document.job.layup[at].id not in self.known]
        if len(new) > MOST_NEW:
            high = new[MOST_NEW]
            self._soon.start()
        if (low, high - low) != (self.first, len(self.entries)):
            self._show(low, high - low)

    @staticmethod
    def _let_go(row: EntryRow) -> None:
        row.hide()
        row.setParent(None)
        # held until the event loop turns: it may be in the middle of a signal of its own
        QTimer.singleShot(0, lambda: row.deleteLater())

    def cards(self, *kinds: type[Card]) -> list[Card]:
        """Cards of the shelf and the job of those kinds."""
        return list(cards_for(self.document.job, *kinds).values())

    def rename(self, old: str, text: str) -> None:
        """Call the group *old* something else. Raises ValueError."""
        if not text.strip():
            raise ValueError("A group needs a name.")
        self.document.edit("name of group", renamed_group(self.document.job, old, text.strip()))

    # -- edits -------------------------------------------------------------------------------------------------------

    def material(self, layer: Layer, card_id: str) -> None:
        card = next(card for card in self.cards(FabricCard, CoreCard, CoatCard) if card.id == card_id)
        job = with_card(self.document.job, card)
        layers = [revised(entry, card=card_id) if entry.id == layer.id else entry for entry in job.layup]
        self.document.edit("material of ply", with_layup(job, layers))

    def compare(self, layer: Layer) -> None:
        """Show the fabrics that could be laid in place of *layer* side by side."""
        from bibulon.desk.dialogs.fabric_comparison import FabricComparison  # loads its table only when asked for

        def lay(card: FabricCard, count: int) -> None:
            job = with_card(self.document.job, card)
            layers = [revised(one, card=card.id, count=count) if one.id == layer.id else one for one in job.layup]
            self.document.edit("fabric of ply", with_layup(job, layers))

        cards = tuple(card for card in self.cards(FabricCard) if isinstance(card, FabricCard))
        FabricComparison(self.bench.window(), self.document, layer.id, cards, lay).exec()

    def _add(self, kind: type[LayupCard]) -> None:
        job, card = with_ply_card(self.document.job, kind)
        made = Layer(id=new_id("ply"), card=card.id)
        self._new = made.id
        on_top = kind is not CoatCard
        self.document.edit(
            f"add {role_of(made, card)}", with_layup(job, (*job.layup, made) if on_top else (made, *job.layup))
        )

    def _mirror(self) -> None:
        self.document.edit("mirror plies", mirrored_layup(self.document.job))

    def move(self, layer: Layer, step: int) -> None:
        """Move an entry so many places farther from the tool; among the entries of a group it joins them."""
        layers = list(self.document.job.layup)
        at = next(i for i, entry in enumerate(layers) if entry.id == layer.id)
        to = min(max(at + step, 0), len(layers) - 1)
        if to == at:
            return
        moved = layers.pop(at)
        before = layers[to - 1].group if to > 0 else None
        after = layers[to].group if to < len(layers) else None
        if before is not None and before == after:
            moved = revised(moved, group=before)
        layers.insert(to, moved)
        self.document.edit("reorder plies", with_layup(self.document.job, layers))

    def place_at(self, layer: Layer, position: QPoint) -> None:
        """Move an entry to where it was dropped, a place on the screen."""
        middles = [row.mapToGlobal(row.rect().center()).y() for row in self.entries]
        at = next(i for i, entry in enumerate(self.document.job.layup) if entry.id == layer.id)
        before = self.first + sum(middle < position.y() for row, middle in enumerate(middles, self.first) if row != at)
        self.move(layer, before - at)

    def repeat(self, layer: Layer) -> None:
        self.document.edit("lay ply once more", repeated_layup(self.document.job, layer.id))

    def remove(self, layer: Layer) -> None:
        kept = [entry for entry in self.document.job.layup if entry.id != layer.id]
        self.document.edit("remove ply", with_layup(self.document.job, kept))

    def link(self, layer: Layer) -> None:
        name = "out of the group" if layer.group else "group plies"
        self.document.edit(name, grouped_layup(self.document.job, layer.id))


def _arrange(layout: QVBoxLayout, start: int, wanted: list[EntryRow]) -> None:
    """Let *layout* hold the *wanted* widgets, in that order, from its item number *start*."""
    for at, widget in enumerate(wanted, start):
        if _widget_at(layout, at) is not widget and _widget_at(layout, at + 1) is widget:
            layout.takeAt(at)  # what stood here has its place farther on
        if _widget_at(layout, at) is not widget:
            layout.removeWidget(widget)
            layout.insertWidget(at, widget)
            widget.show()


def _widget_at(layout: QVBoxLayout, at: int) -> QWidget | None:
    item = layout.itemAt(at)
    return item.widget() if item is not None else None
