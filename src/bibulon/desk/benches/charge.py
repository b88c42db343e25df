"""Charge: where every kilogram goes, what to weigh, and the batches."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.durations import clock_time
from bibulon.job.cards import ResinCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.stock.choice import cards_for


class ChargeBench(Bench):
    """The resin, itemised."""

    def build(self) -> None:
        self.choice("Resin", self._resins, lambda: self.document.job.charge.resin, self._choose)
        self.figure("Charge", shown_figure(self.document, lambda: self.document.assessment.charge_mass))
        self.items = column(2)
        self.watch(self._charge_key, self.items, self._fill_items)
        self.section("Weigh")
        self.weigh = column(2)
        self.watch(self._charge_key, self.weigh, self._fill_weigh)
        self.section("Batches")
        self.batches = column(3)
        self.watch(self._batch_key, self.batches, self._fill_batches)
        self.section("Plan")
        self.quantity("In hand", "mass", "charge/in_hand_kg", "All components in the shop.", empty="not counted")
        self.quantity("Contingency", "share", "charge/contingency", "On top of the computed charge.")
        self.quantity("Bleed", "mass", "charge/bleed_kg", "Run on into the catch pot.")
        self.quantity("Bucket heel", "mass", "bucket/heel_kg", "What the dip tube leaves.")
        self.quantity("Largest batch", "mass", "charge/largest_batch_kg")
        self.quantity("Share of pot life", "share", "charge/pot_life_share", "A batch is used up within it.")
        self.quantity("Time to mix one", "duration", "charge/mix_time_s")
        self.quantity("Margin before gel", "duration", "charge/gel_margin_s")

    def _resin_cards(self) -> dict[str, ResinCard]:
        return cards_for(self.document.job, ResinCard)

    def _resins(self) -> list[tuple[str, str]]:
        return [(card.name, key) for key, card in self._resin_cards().items()]

    def _choose(self, identifier: str) -> None:
        job = with_card(self.document.job, self._resin_cards()[identifier])
        self.document.edit("resin", changed(job, charge=revised(job.charge, resin=identifier)))

    def _charge_key(self) -> object:
        return self.document.assessment.charge, self.document.settings.system

    def _fill_items(self, layout: QVBoxLayout) -> None:
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        for row, item in enumerate(self.document.assessment.charge.items):
            name, mass = label(item.name), label(self.shown(item.mass_kg, "mass"), wrap=False)
            mass.setAlignment(Qt.AlignmentFlag.AlignRight)
            for widget in (name, mass):
                widget.setToolTip(item.how)
            grid.addWidget(name, row, 0)
            grid.addWidget(mass, row, 1)
        layout.addLayout(grid)
        charge = self.document.assessment.charge
        share = charge.in_part_kg / charge.total_kg if charge.total_kg else 0.0
        layout.addWidget(
            label(f"{share:.0%} stays in the part; {self.shown(charge.waste_kg, 'mass')} does not.", "muted")
        )

    def _fill_weigh(self, layout: QVBoxLayout) -> None:
        for component in self.document.assessment.charge.components:
            layout.addWidget(
                label(
                    f"{component.name}: {self.shown(component.mass_kg, 'mass')} on the scale"
                    f" ({self.shown(component.volume_m3, 'volume')} if measured by volume)"
                )
            )

    def _batch_key(self) -> object:
        job = self.document.job
        return self.document.assessment.batches, job.shop.shot_start_s, self.document.settings.system

    def _fill_batches(self, layout: QVBoxLayout) -> None:
        batches = self.document.assessment.batches
        if not batches:
            layout.addWidget(label("Batches follow from the fill, which is not known yet.", "muted"))
            return
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        for at, head in enumerate(("", "Mass", "Mix at", "Pour at", "Use by")):
            grid.addWidget(label(head, "muted"), 0, at)
        start = self.document.job.shop.shot_start_s
        for row, batch in enumerate(batches, 1):
            cells = (
                f"B{batch.number}",
                self.shown(batch.mass_kg, "mass"),
                clock_time(start + batch.mix_s),
                clock_time(start + batch.pour_s),
                clock_time(start + batch.usable_until_s),
            )
            for at, cell in enumerate(cells):
                grid.addWidget(label(cell, "" if at else "figure", wrap=False), row, at)
        layout.addLayout(grid)
