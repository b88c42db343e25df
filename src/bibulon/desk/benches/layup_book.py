"""Lay-up, first part: the ply book, entry by entry from the tool face."""

from __future__ import annotations

import math
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import clear
from bibulon.desk.benches.layup_entry import EntryRow
from bibulon.desk.fields import FreeField, QuantityField, column, label
from bibulon.job import Job
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
from bibulon.job.layup import Layer, PlyGroup, role_of
from bibulon.stock import shelf

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

ADDED: tuple[tuple[str, type[Card], str], ...] = (
    ("Ply", FabricCard, "Add a ply on top"),
    ("Core", CoreCard, "Add core on top"),
    ("Coat", CoatCard, "Add a surface coat on the tool, before any fibre"),
)


ALL_AT_ONCE = 24
"""A book of so many entries has widgets in all its rows."""
NEARLY_PX = 160


class BookSection:
    """Rows of the ply book; entries of a group stand in a frame of their own.

    A row stays for as long as its entry is there, and the hand in it where it is. In a long book only the rows that
    are seen, or nearly, have widgets.
    """

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.document = bench.document
        self.entries: list[EntryRow] = []
        """One for each entry, from the tool face."""
        self._shape: object = None

    def build(self) -> None:
        bench = self.bench
        bench.section("Ply book, from the tool face")
        self.rows = column(5)
        bench.body.addLayout(self.rows)
        self._soon = QTimer(bench, singleShot=True, interval=0)  # once the rows have their places
        self._soon.timeout.connect(self.fill_seen)
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
        shape = tuple((layer.id, layer.group) for layer in job.layup), tuple(group.name for group in job.groups)
        if shape != self._shape:
            self._shape = shape
            self._lay_out(job)
        around = tuple(region.name for region in job.regions), self.document.settings.system, job.cards
        for number, (row, layer) in enumerate(zip(self.entries, job.layup, strict=True), 1):
            row.show_entry(number, layer, around)
        if len(self.entries) <= ALL_AT_ONCE:
            self.fill_seen()
        else:
            self._soon.start()

    def _lay_out(self, job: Job) -> None:
        """Put the rows in the order of the book; those of entries that stay keep their widgets."""
        known = {row.layer.id: row for row in self.entries}
        entries = [known.pop(layer.id) if layer.id in known else EntryRow(self, layer) for layer in job.layup]
        for row in entries:
            row.setParent(None)  # out of a group's frame that goes
        clear(self.rows)
        self.entries = entries
        into: QVBoxLayout = self.rows
        open_group: str | None = None
        for layer, row in zip(job.layup, entries, strict=True):
            if layer.group is None:
                into = self.rows
            elif layer.group != open_group:
                into = self._group(self.rows, next(one for one in job.groups if one.name == layer.group))
            open_group = layer.group
            into.addWidget(row)
            row.show()
        if not job.layup:
            self.rows.addWidget(label("Nothing laid yet. Add the first ply on the tool face.", "muted"))

    def fill_seen(self) -> None:
        """Give the rows that are seen, or nearly, their widgets."""
        if len(self.entries) > ALL_AT_ONCE and not self.bench.isVisible():
            return
        low, high = -math.inf, math.inf
        if len(self.entries) > ALL_AT_ONCE:
            low = self.bench.verticalScrollBar().value() - NEARLY_PX
            high = low + self.bench.viewport().height() + 2 * NEARLY_PX
        for row in self.entries:
            if not row.filled:
                top = row.mapTo(self.bench.widget(), QPoint(0, 0)).y()
                if low <= top + row.height() and top <= high:
                    row.fill()

    def cards(self, *kinds: type[Card]) -> list[Card]:
        """Cards of the shelf and the job of those kinds."""
        own = {card.id: card for card in (*shelf(), *self.document.job.cards)}
        return [card for card in own.values() if isinstance(card, kinds)]

    def _group(self, layout: QVBoxLayout, group: PlyGroup) -> QVBoxLayout:
        """The frame of a group, with its name and how often it is laid."""
        frame = QFrame()
        frame.setObjectName("group")
        frame.setProperty("role", "group")
        box = QVBoxLayout(frame)
        box.setContentsMargins(7, 5, 5, 6)
        box.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(6)
        name = FreeField("Group", lambda: group.name, partial(self._rename, group.name), "What this group is called.")
        name.name.setFixedWidth(44)
        head.addWidget(name, 1, Qt.AlignmentFlag.AlignTop)
        times = QuantityField(self.document, "laid", "count", f"groups/{group.name}/times", "How often it is laid.")
        times.editor.setAccessibleName(f"Times of {group.name}")
        times.name.setFixedWidth(26)
        times.setFixedWidth(84)
        head.addWidget(times, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(head)
        layout.addWidget(frame)
        return box

    def _rename(self, old: str, text: str) -> None:
        if not text.strip():
            raise ValueError("A group needs a name.")
        self.document.edit("name of group", renamed_group(self.document.job, old, text.strip()))

    # -- edits -------------------------------------------------------------------------------------------------------

    def material(self, layer: Layer, card_id: str) -> None:
        card = next(card for card in self.cards(FabricCard, CoreCard, CoatCard) if card.id == card_id)
        job = with_card(self.document.job, card)
        layers = [revised(one, card=card_id) if one.id == layer.id else one for one in job.layup]
        self.document.edit("material of ply", with_layup(job, layers))

    def _add(self, kind: type[Card]) -> None:
        job = self.document.job
        used = [layer.card for layer in job.layup]
        like = [card for card in job.cards if isinstance(card, kind) and card.id in used]
        card = like[-1] if like else self.cards(kind)[0]
        job = with_card(job, card)
        made = Layer(id=new_id("ply"), card=card.id)
        on_top = kind is not CoatCard
        self.document.edit(
            f"add {role_of(made, card)}", with_layup(job, (*job.layup, made) if on_top else (made, *job.layup))
        )

    def _mirror(self) -> None:
        self.document.edit("mirror plies", mirrored_layup(self.document.job))

    def move(self, layer: Layer, step: int) -> None:
        """Move an entry so many places farther from the tool; among the entries of a group it joins them."""
        layers = list(self.document.job.layup)
        at = next(i for i, one in enumerate(layers) if one.id == layer.id)
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
        at = next(i for i, one in enumerate(self.document.job.layup) if one.id == layer.id)
        before = sum(middle < position.y() for row, middle in enumerate(middles) if row != at)
        self.move(layer, before - at)

    def repeat(self, layer: Layer) -> None:
        self.document.edit("lay ply once more", repeated_layup(self.document.job, layer.id))

    def remove(self, layer: Layer) -> None:
        kept = [one for one in self.document.job.layup if one.id != layer.id]
        self.document.edit("remove ply", with_layup(self.document.job, kept))

    def link(self, layer: Layer) -> None:
        name = "out of the group" if layer.group else "group plies"
        self.document.edit(name, grouped_layup(self.document.job, layer.id))
