"""Lay-up: the ply book from the tool face, peel ply, regions, and what the stack comes to."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.layup_corner import CornerSection
from bibulon.desk.benches.layup_cutting import CuttingSections
from bibulon.desk.benches.layup_ticks import TickSection
from bibulon.desk.fields import (
    ChoiceField,
    FreeField,
    MoveHandle,
    QuantityField,
    TextField,
    column,
    edge_fields,
    label,
    tool_button,
)
from bibulon.job.base import Point
from bibulon.job.cards import Card, CoreCard, FabricCard, PeelPlyCard
from bibulon.job.edits import (
    changed,
    mirrored_layup,
    new_id,
    repeated_layup,
    revised,
    with_card,
    with_layup,
    with_region,
    with_value,
    without_region,
)
from bibulon.job.layup import Layer
from bibulon.job.part import Region
from bibulon.laminate.balance import in_words
from bibulon.laminate.cells import Totals
from bibulon.quantities import show
from bibulon.stock import shelf


class LayupBench(Bench):
    """The stack of dry fibre and core."""

    def build(self) -> None:
        def total() -> Totals:
            return self.document.assessment.laminate.total

        self.figure("Dry mass", lambda: (self._show(total().dry_mass_kg, "mass"), "Fibre and core over all cells."))
        self.figure(
            "Areal weight",
            lambda: (
                self._show(total().dry_mass_kg / total().area_m2 if total().area_m2 else 0.0, "areal weight"),
                "Dry mass over the area of the part.",
            ),
        )
        self.figure(
            "Thickest", lambda: (self._show(total().thickness_m, "thickness"), "Under the planned vacuum, with core.")
        )
        self.figure(
            "Fibre volume fraction",
            lambda: (
                self._show(total().fibre_fraction, "share"),
                "Over the whole laminate: Vf(P) = Vf0·(P/P0)^B of each fabric at the planned vacuum.",
            ),
        )
        self.figure("Stack", self._balance)
        self.section("Ply book, from the tool face")
        self.rows = column(5)
        self.watch(self._structure, self.rows, self._fill_rows)
        row = QHBoxLayout()
        self.button("Add ply", lambda: self._add(FabricCard), into=row)
        self.button("Add core", lambda: self._add(CoreCard), into=row)
        self.mirror = self.button("Mirror", self._mirror, into=row)
        self.mirror.setToolTip("Lay the same plies again in reverse; a core on top becomes the middle.")
        region = self.button("Region", lambda: self.desk.plan.set_tool("region"), into=row)
        region.setToolTip("Draw a region on the plan (R)")
        self.body.addLayout(row)
        self.choice(
            "Peel ply",
            lambda: [("none", None), *((card.name, card.id) for card in self._cards(PeelPlyCard))],
            lambda: self.document.job.peel_ply,
            self._peel_ply,
        )
        self.regions = column(4)
        self.watch(self._region_key, self.regions, self._fill_regions)
        self.section("Cells")
        self.cells = column(3)
        self.watch(self._cell_key, self.cells, self._fill_cells)
        self.cutting = CuttingSections(self)
        self.cutting.build()
        self.ticks = TickSection(self)
        self.ticks.build()
        CornerSection(self).build()

    def _balance(self) -> tuple[str, str]:
        cells = self.document.assessment.laminate.cells
        if not cells or not self.document.job.layup:
            return "–", ""
        widest = max(cells, key=lambda cell: cell.area_m2)
        return in_words(widest.stack.layers, self.document.job.cards)

    def _mirror(self) -> None:
        self.document.edit("mirror plies", mirrored_layup(self.document.job))

    def _show(self, value: float, kind: str) -> str:
        return show(value, kind, self.document.assessment.units)

    def _cards(self, *kinds: type[Card]) -> list[Card]:
        own = {card.id: card for card in (*shelf(), *self.document.job.cards)}
        return [card for card in own.values() if isinstance(card, kinds)]

    # -- ply book ----------------------------------------------------------------------------------------------------

    def _structure(self) -> object:
        job = self.document.job
        return (job.layup, tuple(region.name for region in job.regions), self.document.settings.system)

    def _fill_rows(self, layout: QVBoxLayout) -> None:
        for number, layer in enumerate(self.document.job.layup, 1):
            layout.addWidget(self._row(number, layer))
        if not self.document.job.layup:
            layout.addWidget(label("Nothing laid yet. Add the first ply on the tool face.", "muted"))

    def _row(self, number: int, layer: Layer) -> QFrame:
        card = next(card for card in self.document.job.cards if card.id == layer.card)
        frame = QFrame()
        frame.setProperty("role", "card")
        box = QVBoxLayout(frame)
        box.setContentsMargins(8, 6, 6, 6)
        box.setSpacing(3)
        top = QHBoxLayout()
        top.setSpacing(3)
        top.addWidget(label(str(number), "figure", wrap=False))
        same = (CoreCard,) if isinstance(card, CoreCard) else (FabricCard,)
        choice = ChoiceField(
            "",
            lambda: [(one.name, one.id) for one in self._cards(*same)],
            lambda: layer.card,
            lambda chosen: self._material(layer, chosen),
            f"Material of entry {number}",
        )
        top.addWidget(choice, 1)
        top.addWidget(MoveHandle(f"Move entry {number}", partial(self._place_at, layer), partial(self._move, layer)))
        for icon, tip, do in (
            ("ph.copy", "Lay once more", lambda: self._repeat(layer)),
            ("ph.trash", "Remove", lambda: self._remove(layer)),
        ):
            button = tool_button(icon, tip, do)
            button.setAccessibleName(f"{tip}: entry {number}")
            top.addWidget(button)
        box.addLayout(top)
        under = QHBoxLayout()
        under.setSpacing(6)
        path = f"layup/{layer.id}"
        for name, shown, kind, field in (("Angle", "at", "angle", "angle_deg"), ("Count", "×", "count", "count")):
            editor = QuantityField(self.document, name, kind, f"{path}/{field}", f"{name} of entry {number}")
            editor.name.setText(shown)
            editor.name.setFixedWidth(12)
            editor.setFixedWidth(80 if field == "angle_deg" else 62)
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
        return frame

    def _material(self, layer: Layer, card_id: str) -> None:
        card = next(card for card in self._cards(FabricCard, CoreCard) if card.id == card_id)
        job = with_card(self.document.job, card)
        layers = [revised(one, card=card_id) if one.id == layer.id else one for one in job.layup]
        self.document.edit("material of ply", with_layup(job, layers))

    def _add(self, kind: type[Card]) -> None:
        job = self.document.job
        used = [layer.card for layer in job.layup]
        like = [card for card in job.cards if isinstance(card, kind) and card.id in used]
        card = like[-1] if like else self._cards(kind)[0]
        job = with_card(job, card)
        self.document.edit("add ply", with_layup(job, (*job.layup, Layer(id=new_id("ply"), card=card.id))))

    def _move(self, layer: Layer, step: int) -> None:
        """Move an entry so many places farther from the tool."""
        layers = list(self.document.job.layup)
        at = next(i for i, one in enumerate(layers) if one.id == layer.id)
        to = min(max(at + step, 0), len(layers) - 1)
        if to != at:
            layers.insert(to, layers.pop(at))
            self.document.edit("reorder plies", with_layup(self.document.job, layers))

    def _place_at(self, layer: Layer, position: QPoint) -> None:
        """Move an entry to where it was dropped, a place on the screen."""
        frames = [self.rows.itemAt(row).widget() for row in range(self.rows.count())]
        middles = [frame.mapToGlobal(frame.rect().center()).y() for frame in frames]
        at = next(i for i, one in enumerate(self.document.job.layup) if one.id == layer.id)
        before = sum(middle < position.y() for row, middle in enumerate(middles) if row != at)
        self._move(layer, before - at)

    def _repeat(self, layer: Layer) -> None:
        self.document.edit("lay ply once more", repeated_layup(self.document.job, layer.id))

    def _remove(self, layer: Layer) -> None:
        kept = [one for one in self.document.job.layup if one.id != layer.id]
        self.document.edit("remove ply", with_layup(self.document.job, kept))

    def _peel_ply(self, card_id: str | None) -> None:
        job = self.document.job
        if card_id is not None:
            job = with_card(job, next(card for card in self._cards(PeelPlyCard) if card.id == card_id))
        self.document.edit("peel ply", changed(job, peel_ply=card_id))

    # -- regions and cells -------------------------------------------------------------------------------------------

    def _region_key(self) -> object:
        return tuple(one.name for one in self.document.job.regions), self.desk.plan.chosen

    def refresh(self) -> None:
        super().refresh()
        self.cutting.refresh()
        self.ticks.refresh()
        self.mirror.setEnabled(bool(self.document.job.layup))
        for field in self.findChildren(FreeField):
            field.refresh()

    def _fill_regions(self, layout: QVBoxLayout) -> None:
        for region in self.document.job.regions:
            chosen = region.name == self.desk.plan.chosen
            row = QHBoxLayout()
            pick = partial(self.desk.plan.choose, "" if chosen else region.name)
            row.addWidget(
                tool_button("select", f"Choose {region.name}", pick, True, chosen), 0, Qt.AlignmentFlag.AlignTop
            )
            row.addWidget(TextField(self.document, "Region", f"regions/{region.name}/name"), 1)
            remove = partial(self._remove_region, region.name)
            button = tool_button("ph.trash", f"Remove {region.name} and what lies in it", remove)
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            layout.addLayout(row)
            if chosen:
                of_job, reshape = partial(self._region_outline, region.name), partial(self._reshape, region.name)
                for field in edge_fields(self.document, of_job, reshape):
                    layout.addWidget(field)

    def _region_outline(self, name: str) -> tuple[Point, ...]:
        return next(one.outline for one in self.document.job.regions if one.name == name)

    def _reshape(self, name: str, outline: tuple[Point, ...]) -> None:
        edited = with_region(self.document.job, Region(name=name, outline=outline), name)
        self.document.edit("edge of region", edited)

    def _remove_region(self, name: str) -> None:
        self.document.edit("remove region", without_region(self.document.job, name))

    def _cell_key(self) -> object:
        laminate = self.document.assessment.laminate
        return tuple((cell.stack, round(cell.area_m2, 5)) for cell in laminate.cells), self.document.settings.system

    def _fill_cells(self, layout: QVBoxLayout) -> None:
        stacks: dict[tuple[str, ...], list[float]] = {}
        seen = {}
        for cell in self.document.assessment.laminate.cells:
            key = tuple(layer.id for layer in cell.stack.layers)
            stacks.setdefault(key, []).append(cell.area_m2)
            seen[key] = cell.stack
        for key, areas in sorted(stacks.items(), key=lambda item: -sum(item[1])):
            stack = seen[key]
            area = sum(areas)
            line = (
                f"{self._show(area, 'area')}: {self._show(stack.thickness_m, 'thickness')}, "
                f"Vf {stack.fibre_fraction:.1%}, {self._show(stack.areal_weight_kg_m2, 'areal weight')}, "
                f"{self._show(stack.areal_weight_kg_m2 * area, 'mass')}"
            )
            text = label(line)
            text.setToolTip(f"{len(key)} entries of the ply book; fibre {stack.fibre_weight_fraction:.0%} by weight.")
            layout.addWidget(text)
