"""Lay-up: the ply book from the tool face, peel ply, regions, and what the stack comes to."""

from __future__ import annotations

import math
from functools import partial
from typing import Any, get_args

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.layup_book import BookSection
from bibulon.desk.benches.layup_cells import CellsSection
from bibulon.desk.benches.layup_core import CoreSection
from bibulon.desk.benches.layup_corner import CornerSection
from bibulon.desk.benches.layup_corners import CornersSection
from bibulon.desk.benches.layup_cutting import CuttingSections
from bibulon.desk.benches.layup_preforms import PreformSection
from bibulon.desk.benches.layup_ticks import ply_ticks
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, column, edge_fields, tool_button
from bibulon.job.base import Point
from bibulon.job.cards import AdhesiveCard, Card, PeelPlyCard
from bibulon.job.edits import (
    reshaped_region,
    revised,
    value_at,
    with_card,
    with_region,
    with_value,
    without_region,
)
from bibulon.job.part import Region
from bibulon.job.paths import FieldPath, JobPath, path_of
from bibulon.laminate.balance import in_words
from bibulon.laminate.cells import Totals
from bibulon.laminate.cost import part_cost
from bibulon.quantities_in_words import percent, show_power


class LayupBench(Bench):
    """The stack of dry fibre and core."""

    long = True

    def build(self) -> None:
        def total() -> Totals:
            return self.document.assessment.laminate.total

        self.figure(
            "Dry mass",
            lambda: (
                self.shown(total().dry_mass_kg, "mass"),
                f"Coats, fibre and core over all cells; × or ÷ {total().weight_spread:.2f}.",
            ),
        )
        self.figure(
            "Areal weight",
            lambda: (
                self.shown(total().dry_mass_kg / total().area_m2 if total().area_m2 else 0.0, "areal weight"),
                "Dry mass over the area of the part.",
            ),
        )
        self.figure(
            "Thickest",
            lambda: (
                self.shown(total().thickness_m, "thickness"),
                f"Under the planned vacuum, with core; {self.shown(total().loose_m, 'thickness')} as laid, loose. "
                f"The laminate × or ÷ {total().thickness_spread:.2f}.",
            ),
        )
        self.figure(
            "Fibre by volume",
            lambda: (
                f"{percent(total().fibre_fraction)}, {percent(total().fibre_weight_fraction)} by weight",
                "Over the whole laminate: Vf(P) = Vf0·(P/P0)^B of each fabric at the planned vacuum; "
                f"× or ÷ {total().thickness_spread:.2f}.",
            ),
        )
        self.figure("Conducts best", self._conducts)
        self.figure("Resists through", self._resists)
        self.figure("Stack", self._balance)
        self.figure("Materials", self._cost)
        self.book = BookSection(self)
        self.book.build()
        if not self.document.job.in_mould:
            self._drape("Peel ply", PeelPlyCard, "peel_ply")
            self.choice(
                "Peel ply lies",
                lambda: [("over the part", "part"), ("in regions only", "regions")],
                lambda: self.document.job.peel_ply_on,
                lambda on: self.document.edit("where peel ply lies", with_value(self.document.job, "peel_ply_on", on)),
                "Choose a region below to have it there, or to leave it out there.",
            )
        self._drape("Tack", AdhesiveCard, "tack")
        self.regions = column(4)
        self.watch(self._region_key, self.regions, self._fill_regions)
        region = self.button("Draw a region", lambda: self.desk.plan.set_tool("region"))
        region.setToolTip("Draw on the plan where some plies or core lie (R)")
        PreformSection(self).build()
        CoreSection(self).build()
        self.cells = CellsSection(self)
        self.cells.build()
        self.desk.plan.touched.connect(self._touched)
        self.cutting = CuttingSections(self)
        self.cutting.build()
        self.ticks = ply_ticks(self)
        CornerSection(self).build()
        CornersSection(self).build()

    def _touched(self, place: Point) -> None:
        # a method of the bench, not of its part: the plan outlives both
        if self.isVisible():
            self.cells.touch(place)

    def _conducts(self) -> tuple[str, str]:
        total = self.document.assessment.laminate.total
        if not self.document.job.layup:
            return "–", "Nothing is laid yet."
        along, across = total.transmissivity_m3
        return show_power(along, "m³"), (
            f"Transmissivity Σ K·h, mean over the area, with grooves and media; {show_power(across, 'm³')} square to "
            f"that; × or ÷ {math.exp(total.log_spread):.2f}."
        )

    def _resists(self) -> tuple[str, str]:
        total = self.document.assessment.laminate.total
        if not self.document.job.layup:
            return "–", "Nothing is laid yet."
        if math.isinf(total.through_resistance_m):
            return "no way through", "No plies, or a core that lets no resin through."
        return show_power(total.through_resistance_m, "/m"), (
            f"Σ h/Kz of the plies, all cells side by side; × or ÷ {total.through_spread:.2f}. "
            "Core that is shut counts as no way through."
        )

    def _balance(self) -> tuple[str, str]:
        cells = self.document.assessment.laminate.cells
        if not cells or not self.document.job.layup:
            return "–", ""
        widest = max(cells, key=lambda cell: cell.area_m2)
        return in_words(widest.stack.layers, self.document.assessment.job.cards)

    def _cost(self) -> tuple[str, str]:
        cost = part_cost(self.document.assessment.job)
        how = "Coats, plies and core as laid, and the resin that stays in them, by the prices on their cards."
        if cost.unpriced:
            how += " Without a price: " + ", ".join(cost.unpriced) + "."
        return self.shown(cost.amount, "money") + (" and more" if cost.unpriced else ""), how

    def _drape(self, name: str, kind: type[Card], path: JobPath) -> None:
        """A choice of a card of *kind*, or none, for the field of the job of that name."""

        def put(card_id: str | None) -> None:
            job = self.document.job
            if card_id is not None:
                job = with_card(job, next(card for card in self.book.cards(kind) if card.id == card_id))
            self.document.edit(name.lower(), with_value(job, path, card_id))

        def choices() -> list[tuple[str, str | None]]:
            return [("none", None), *((card.name, card.id) for card in self.book.cards(kind))]

        self.choice(name, choices, lambda: value_at(self.document.job, path), put)

    # -- regions and cells -------------------------------------------------------------------------------------------

    def _region_key(self) -> object:
        return tuple(region.name for region in self.document.job.regions), self.desk.plan.chosen

    def refresh(self) -> None:
        self.cells.refresh()
        super().refresh()
        self.book.refresh()
        self.cutting.refresh()
        self.ticks.refresh()
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
            called = FreeField("Region", partial(str, region.name), partial(self._rename, region.name))
            row.addWidget(called, 1)
            remove = partial(self._remove_region, region.name)
            button = tool_button("remove", f"Remove {region.name} and what lies in it", remove)
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            layout.addLayout(row)
            if chosen:
                of_job, reshape = partial(self._region_outline, region.name), partial(self._reshape, region.name)
                for field in edge_fields(self.document, of_job, reshape):
                    layout.addWidget(field)
                bonded = path_of("regions", region.name, "bonded")
                layout.addWidget(ToggleField(
                    "Bonded to later", partial(self._of_job, bonded),
                    partial(self._put_of_job, "bonded region", bonded),
                    "Something is glued to its face: peel ply has to lie on it.",
                ))  # fmt: skip
                if not self.document.job.in_mould:
                    ways = [(way, way) for way in get_args(Region.model_fields["peel_ply"].annotation)]
                    of_region = path_of("regions", region.name, "peel_ply")
                    layout.addWidget(ChoiceField(
                        "Peel ply here", partial(list, ways), partial(self._of_job, of_region),
                        partial(self._put_of_job, "peel ply of region", of_region),
                    ))  # fmt: skip

    def _of_job(self, path: FieldPath) -> Any:
        return value_at(self.document.job, path)

    def _put_of_job(self, label: str, path: FieldPath, value: Any) -> None:
        self.document.edit(label, with_value(self.document.job, path, value))

    def _region_outline(self, name: str) -> tuple[Point, ...]:
        return next(region.outline for region in self.document.job.regions if region.name == name)

    def _rename(self, old: str, text: str) -> None:
        name = text.strip()
        if not name:
            raise ValueError("A region needs a name.")
        region = next(region for region in self.document.job.regions if region.name == old)
        if self.desk.plan.chosen == old:
            self.desk.plan.choose(name)
        self.document.edit("name of region", with_region(self.document.job, revised(region, name=name), old))

    def _reshape(self, name: str, outline: tuple[Point, ...]) -> None:
        self.document.edit("edge of region", reshaped_region(self.document.job, name, outline))

    def _remove_region(self, name: str) -> None:
        self.document.edit("remove region", without_region(self.document.job, name))
