"""Lay-up, first part: the ply book, entry by entry from the tool face."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bibulon.desk.fields import (
    ChoiceField,
    FreeField,
    MoveHandle,
    QuantityField,
    column,
    label,
    tool_button,
)
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
    with_value,
)
from bibulon.job.layup import ROLES, Layer, PlyGroup, role_of
from bibulon.quantities import show
from bibulon.stock import shelf

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

ADDED: tuple[tuple[str, type[Card], str], ...] = (
    ("Ply", FabricCard, "Add a ply on top"),
    ("Core", CoreCard, "Add core on top"),
    ("Coat", CoatCard, "Add a surface coat on the tool, before any fibre"),
)


class BookSection:
    """Rows of the ply book; entries of a group stand in a frame of their own."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.document = bench.document
        self.frames: list[QFrame] = []
        """One for each entry, from the tool face."""

    def build(self) -> None:
        bench = self.bench
        bench.section("Ply book, from the tool face")
        self.rows = column(5)
        bench.watch(self._structure, self.rows, self._fill)
        row = QHBoxLayout()
        row.setSpacing(5)
        for text, kind, tip in ADDED:
            bench.button(f"+ {text}", partial(self._add, kind), into=row).setToolTip(tip)
        self.mirror = bench.button("Mirror", self._mirror, into=row)
        self.mirror.setToolTip(
            "Lay the same plies again in reverse; a core on top becomes the middle. Coats stay below."
        )
        bench.body.addLayout(row)

    def refresh(self) -> None:
        self.mirror.setEnabled(bool(self.document.job.layup))

    def cards(self, *kinds: type[Card]) -> list[Card]:
        """Cards of the shelf and the job of those kinds."""
        own = {card.id: card for card in (*shelf(), *self.document.job.cards)}
        return [card for card in own.values() if isinstance(card, kinds)]

    def _structure(self) -> object:
        job = self.document.job
        return job.layup, job.groups, tuple(region.name for region in job.regions), self.document.settings.system

    def _fill(self, layout: QVBoxLayout) -> None:
        job = self.document.job
        self.frames = []
        into: QVBoxLayout = layout
        open_group: str | None = None
        for number, layer in enumerate(job.layup, 1):
            if layer.group is None:
                into = layout
            elif layer.group != open_group:
                into = self._group(layout, next(one for one in job.groups if one.name == layer.group))
            open_group = layer.group
            frame = self._row(number, layer)
            self.frames.append(frame)
            into.addWidget(frame)
        if not job.layup:
            layout.addWidget(label("Nothing laid yet. Add the first ply on the tool face.", "muted"))

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

    def _row(self, number: int, layer: Layer) -> QFrame:
        card = next(card for card in self.document.job.cards if card.id == layer.card)
        assert isinstance(card, FabricCard | CoreCard | CoatCard)
        frame = QFrame()
        frame.setProperty("role", "card")
        box = QVBoxLayout(frame)
        box.setContentsMargins(8, 6, 6, 6)
        box.setSpacing(3)
        top = QHBoxLayout()
        top.setSpacing(3)
        top.addWidget(label(str(number), "figure", wrap=False))
        choice = ChoiceField(
            "",
            lambda: [(one.name, one.id) for one in self.cards(type(card))],
            lambda: layer.card,
            lambda chosen: self._material(layer, chosen),
            f"Material of entry {number}",
        )
        top.addWidget(choice, 1)
        top.addWidget(MoveHandle(f"Move entry {number}", partial(self._place_at, layer), partial(self._move, layer)))
        box.addLayout(top)
        under = QHBoxLayout()
        under.setSpacing(6)
        path = f"layup/{layer.id}"
        for name, shown, kind, field in (("Angle", "at", "angle", "angle_deg"), ("Count", "×", "count", "count")):
            editor = QuantityField(self.document, name, kind, f"{path}/{field}", f"{name} of entry {number}")
            editor.name.setText(shown)
            editor.name.setFixedWidth(12)
            editor.setFixedWidth(76 if field == "angle_deg" else 58)
            under.addWidget(editor, 0, Qt.AlignmentFlag.AlignTop)
        region = ChoiceField(
            "",
            lambda: [("whole part", None), *((one.name, one.name) for one in self.document.job.regions)],
            lambda: layer.region,
            lambda name: self.document.edit("region of ply", with_value(self.document.job, f"{path}/region", name)),
            f"Region of entry {number}",
        )
        under.addWidget(region, 1, Qt.AlignmentFlag.AlignTop)
        box.addLayout(under)
        last = QHBoxLayout()
        last.setSpacing(6)
        if len(ROLES[card.kind]) > 1:
            role = ChoiceField(
                "",
                lambda: [(one, one) for one in ROLES[card.kind]],
                lambda: role_of(layer, card),
                lambda chosen: self.document.edit("role", with_value(self.document.job, f"{path}/role", chosen)),
                f"Role of entry {number}",
            )
            role.setFixedWidth(118)
            last.addWidget(role)
        else:
            last.addWidget(label(role_of(layer, card), "muted", wrap=False))
        weight = card.density_kg_m3 * card.thickness_m if isinstance(card, CoreCard) else card.areal_weight_kg_m2
        last.addStretch(1)
        last.addWidget(label(show(weight, "areal weight", self.document.assessment.units), "muted", wrap=False))
        link = "Take out of its group" if layer.group else "Group with the entry before it"
        for icon, tip, do in (
            ("ph.link-break" if layer.group else "ph.link", link, self._link),
            ("ph.copy", "Lay once more", self._repeat),
            ("ph.trash", "Remove", self._remove),
        ):
            button = tool_button(icon, tip, partial(do, layer))
            button.setAccessibleName(f"{tip}: entry {number}")
            button.setEnabled(tip != link or bool(layer.group) or number > 1)
            last.addWidget(button)
        box.addLayout(last)
        return frame

    # -- edits -------------------------------------------------------------------------------------------------------

    def _material(self, layer: Layer, card_id: str) -> None:
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

    def _move(self, layer: Layer, step: int) -> None:
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

    def _place_at(self, layer: Layer, position: QPoint) -> None:
        """Move an entry to where it was dropped, a place on the screen."""
        middles = [frame.mapToGlobal(frame.rect().center()).y() for frame in self.frames]
        at = next(i for i, one in enumerate(self.document.job.layup) if one.id == layer.id)
        before = sum(middle < position.y() for row, middle in enumerate(middles) if row != at)
        self._move(layer, before - at)

    def _repeat(self, layer: Layer) -> None:
        self.document.edit("lay ply once more", repeated_layup(self.document.job, layer.id))

    def _remove(self, layer: Layer) -> None:
        kept = [one for one in self.document.job.layup if one.id != layer.id]
        self.document.edit("remove ply", with_layup(self.document.job, kept))

    def _link(self, layer: Layer) -> None:
        name = "out of the group" if layer.group else "group plies"
        self.document.edit(name, grouped_layup(self.document.job, layer.id))
