"""Lay-up, second half: joints on the plan, metres to buy, cutting drawings and kit labels."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.background import Background
from bibulon.desk.fields import ToggleField, column, label
from bibulon.job import Job
from bibulon.laminate.cut_list import CutList, cut_list
from bibulon.quantities import show

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

CUT_FILES = "Drawing, full size (*.dxf);;Drawing, full size (*.svg);;Pages to print (*.pdf);;List (*.csv)"


class CuttingSections:
    """The part of the Lay-up bench that is about cutting; worked out beside the window's work."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.found: CutList | None = None
        self.message = ""
        self._of: object = None
        self._work = Background(lambda job, tell: cut_list(job), bench)
        self._work.finished.connect(self._take)
        self._work.ended.connect(self._ended)

    def build(self) -> None:
        bench = self.bench
        bench.section("Joints and cutting")
        overlap = "Pieces of a ply overlap so much where they meet."
        bench.quantity("Overlap", "thickness", "cutting/overlap_m", overlap, decimals=0)
        bench.quantity("Joints apart", "length", "cutting/stagger_m", "From ply to ply, at least.", decimals=0)
        bench.quantity("Allowance", "thickness", "cutting/allowance_m", "Left standing round a piece.", decimals=0)
        shown = ToggleField("Joints on the plan", lambda: bench.desk.plan.joints is not None, self._show)
        self.toggle = bench.add(shown)
        self.rows = column(4)
        bench.watch(lambda: (self.found, self.message, bench.document.settings.system), self.rows, self._fill)
        row = QHBoxLayout()
        self.drawings = bench.button("Cutting drawings …", self._write, into=row)
        self.labels = bench.button("Kit labels …", self._labels, into=row)
        bench.body.addLayout(row)

    @staticmethod
    def _read(job: Job) -> object:
        """What the cut list follows from."""
        return job.part, job.regions, job.layup, job.cutting, job.cards

    def refresh(self) -> None:
        """Work it out anew if what it follows from has changed."""
        now = self._read(self.bench.document.job)
        if now != self._of and not self._work.busy:
            self._of = now
            self._work.start(self.bench.document.job)
        for button in (self.drawings, self.labels):
            button.setEnabled(self.found is not None and bool(self.found.rolls))

    def _take(self, job: Job, found: CutList) -> None:
        self.found, self.message = found, ""
        if self.bench.desk.plan.joints is not None:
            self.bench.desk.plan.set_joints(found.plies)

    def _ended(self, message: str) -> None:
        if message:
            self.found, self.message = None, message
        self.bench.refresh()

    def _show(self, on: bool) -> None:
        self.bench.desk.plan.set_joints((self.found.plies if self.found else ()) if on else None)

    def _fill(self, layout: QVBoxLayout) -> None:
        if self.message:
            layout.addWidget(label(self.message, "error"))
        if self.found is None:
            return
        for roll in self.found.rolls:
            row = QHBoxLayout()
            row.addWidget(label(roll.card.name), 1)
            row.addWidget(label(f"{roll.length_m:.1f} m", "figure", wrap=False))
            layout.addLayout(row)
            count = f"{len(roll.pieces)} piece{'s' if len(roll.pieces) > 1 else ''}"
            worst = max(piece.shear for piece in roll.pieces)
            shear = f", shears {worst:.1%}" if worst >= 0.005 else ""
            width = show(roll.card.roll_width_m, "length", self.bench.document.assessment.units)
            layout.addWidget(label(f"{count} off {width}, {roll.waste:.0%} waste{shear}", "muted"))

    def _write(self) -> None:
        if self.found is None:
            return
        from bibulon.exchange.cut_files import write_cut_list  # loads the writers only when asked for
        from bibulon.record.kit import cutting_pdf

        found, document = self.found, self.bench.document

        def write(path: Path) -> None:
            if path.suffix.lower() == ".pdf":
                path.write_bytes(cutting_pdf(document.job, found, document.assessment.units))
            else:
                write_cut_list(found, path)

        self.bench.desk.files.write("Cutting drawings", f"{document.job.name} cutting.dxf", CUT_FILES, write)

    def _labels(self) -> None:
        if self.found is None:
            return
        from bibulon.record.kit import labels_pdf

        found, document = self.found, self.bench.document
        self.bench.desk.files.save_bytes(
            "Kit labels", ".pdf", lambda: labels_pdf(document.job, found, document.assessment.units)
        )
