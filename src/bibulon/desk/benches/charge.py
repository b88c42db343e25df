"""Charge: where every kilogram goes, the mixing desk, pots and batches."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.charge_batches import BatchesSection
from bibulon.desk.benches.charge_mixing import MixingSection
from bibulon.desk.benches.charge_pots import PotsSection
from bibulon.desk.dialogs.hardeners import HardenersDialog, asked_words
from bibulon.desk.dialogs.resin_sheet import ResinSheetDialog
from bibulon.desk.widgets.fields import column, label
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.job.cards import ResinCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.quantities_in_words import percent
from bibulon.stock.choice import cards_for


class ChargeBench(Bench):
    """The resin, itemised."""

    long = True
    width_px = 380

    def build(self) -> None:
        self.choice("Resin", self._resins, lambda: self.document.job.charge.resin, self._choose)
        self.watch(lambda: self.document.job.resin.dose is None, column(), self._fill_ways)
        self.figure("Charge", shown_figure(self.document, lambda: self.document.assessment.charge_mass))
        self.items = column(2)
        self.watch(self._charge_key, self.items, self._fill_items)
        self.quantity("In hand", "mass", "charge/in_hand_kg", "All components in the shop.", empty="not counted")
        self.quantity("Contingency", "share", "charge/contingency", "On top of the computed charge.")
        self.quantity("Bleed", "mass", "charge/bleed_kg", "Run on into the catch pot.")
        self.quantity("Bucket heel", "mass", "bucket/heel_kg", "What the dip tube leaves.")
        self.quantity("Margin before gel", "duration", "charge/gel_margin_s")
        if self.document.job.mixed_as_it_comes:
            self.section("Mixing")
            words = "The machine mixes at its head: resin comes fresh for as long as it runs, and there are no batches."
            self.body.addWidget(label(f"{words} Check its ratio by weight before the shot, and a cup of it for gel."))
            return
        BatchesSection(self).build()
        MixingSection(self).build()
        self.button("Mixing sheet …", self._mixing_sheet)
        PotsSection(self).build()

    def _fill_ways(self, layout: QVBoxLayout) -> None:
        row = QHBoxLayout()
        self.button("From its data sheet …", self.ask_sheet, into=row)
        self.button(f"{asked_words(self.document.job)} …", self.compare_hardeners, into=row)
        layout.addLayout(row)

    def _resin_cards(self) -> dict[str, ResinCard]:
        return cards_for(self.document.job, ResinCard)

    def _resins(self) -> list[tuple[str, str]]:
        return [(card.name, key) for key, card in self._resin_cards().items()]

    def _choose(self, identifier: str) -> None:
        job = with_card(self.document.job, self._resin_cards()[identifier])
        charge = revised(job.charge, resin=identifier, dose=None, component_k=())
        self.document.edit("resin", changed(job, charge=charge))

    def ask_sheet(self) -> None:
        """Ask for the resin's data sheet, and keep what is fitted to it on the job's card."""
        card = self.document.job.card(self.document.job.charge.resin, ResinCard)
        asked = ResinSheetDialog(self, card, self.document.assessment.units)
        if asked.exec() and asked.card != card:
            self.document.edit("resin from its data sheet", with_card(self.document.job, asked.card))

    def compare_hardeners(self) -> None:
        """Show the hardeners of the resin, or the doses of its catalyst, side by side."""
        HardenersDialog(self.document, self).exec()

    def _mixing_sheet(self) -> None:
        from bibulon.record.mixing_sheet import mixing_sheet_pdf  # loads the PDF writer, only when it is asked for

        self.desk.files.save_bytes("Mixing sheet", ".pdf", lambda: mixing_sheet_pdf(self.document.assessment))

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
            label(f"{percent(share)} stays in the part; {self.shown(charge.waste_kg, 'mass')} does not.", "muted")
        )
