"""Mould: what holds the halves together by force, latches, bolts or a press, and how much each gives."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.benches.mould_shelf import clamp_choice
from bibulon.desk.widgets.fields import QuantityField, column
from bibulon.desk.widgets.figure_rows import FigureRow
from bibulon.job.edits import revised, with_pair

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

KINDS = ("latches", "bolts", "press")


class HeldSection:
    """The clamps of a *bench*, or its press."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Clamps")
        bench.add(clamp_choice(self.document))
        bench.choice("Held by", lambda: [(kind, kind) for kind in KINDS], self._kind, self._take)
        bench.watch(lambda: (self._kind(), self._on_plan()), column(4), self._fill)

    def _kind(self) -> str:
        return self.document.job.pair.clamp.kind

    def _take(self, kind: str) -> None:
        if kind != self._kind():
            job = self.document.job
            self.document.edit("clamps", with_pair(job, clamp=revised(job.pair.clamp, kind=kind)))

    def _on_plan(self) -> int:
        return sum(fitting.kind == "clamp" for fitting in self.document.job.pair.fittings)

    def _fill(self, layout: QVBoxLayout) -> None:
        """The press in all, or so many clamps of so much each: typed, or those on the plan where there are any."""
        if self._kind() == "press":
            hint = "In all; it holds everywhere."
            layout.addWidget(QuantityField(self.document, "The press gives", "force", "pair/clamp/force_n", hint))
            return
        if self._on_plan():
            how = "Those on the plan count; take them off to type it."
            layout.addWidget(FigureRow("How many", lambda: (str(self._on_plan()), how)))
        else:
            hint = "Latches or bolts round the rim."
            layout.addWidget(QuantityField(self.document, "How many", "count", "pair/clamp/count", hint))
        layout.addWidget(QuantityField(self.document, "Each holds", "force", "pair/clamp/force_n"))
