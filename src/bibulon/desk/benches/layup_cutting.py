"""Lay-up, second half: joints and darts on the plan, metres to buy, offcuts, cutting drawings and kit labels."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.plan.things import KINDS
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import FreeField, QuantityField, column, label, tool_button
from bibulon.desk.work.background import Background
from bibulon.desk.work.helper_process import in_helper_process
from bibulon.desk.work.job_tasks import cutting
from bibulon.desk.work.large_jobs import is_large
from bibulon.job import Job
from bibulon.job.cards import FabricCard
from bibulon.job.edits import changed, revised
from bibulon.job.layup import Dart, Offcut
from bibulon.job.paths import path_of
from bibulon.job.reads import read_by
from bibulon.laminate.cut_list import CutList
from bibulon.laminate.joints import Ply, ply_of_joint, with_joint_shift
from bibulon.laminate.laid_across import LaidAcross, across_words, with_card_across
from bibulon.quantities import show
from bibulon.quantities_in_words import percent
from bibulon.quantity_text import parse
from bibulon.stock import StockError
from bibulon.stock.offcuts import put_away, save_offcuts, shop_offcuts
from bibulon.whole_file import write_whole
from bibulon.workers.report import Report

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

CUT_FILES = "Drawing, full size (*.dxf);;Drawing, full size (*.svg);;Pages to print (*.pdf);;List (*.csv)"
Found = tuple[CutList, tuple[Offcut, ...], tuple[LaidAcross, ...]]


class CuttingSections(QObject):
    """The part of the Lay-up bench that is about cutting; worked out beside the window's work."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.bench = bench
        self.cuts: CutList | None = None
        self.left: tuple[Offcut, ...] = ()
        self.across: tuple[LaidAcross, ...] = ()
        self.message = ""
        self._of: object = None
        self._work = Background(self._cut, bench)
        self._work.finished.connect(self._take)
        self._work.ended.connect(self._ended)
        self._work.progressed.connect(self._working)

    @staticmethod
    def _cut(report: Report, job: Job) -> Found:
        prefix = f"{job.name[:24].strip()} K"
        return in_helper_process(cutting, report, job, prefix) if is_large(job) else cutting(report, job, prefix)

    def build(self) -> None:
        bench = self.bench
        bench.section("Joints and cutting")
        overlap = "Pieces of a ply overlap so much where they meet."
        bench.quantity("Overlap", "thickness", "cutting/overlap_m", overlap, decimals=0)
        bench.quantity("Joints apart", "length", "cutting/stagger_m", "From ply to ply, at least.", decimals=0)
        bench.quantity("Allowance", "thickness", "cutting/allowance_m", "Left standing round a piece.", decimals=0)
        shown = ToggleField("Joints on the plan", lambda: bench.desk.plan.joints, bench.desk.plan.set_joints,
                            "Drag a joint to put it elsewhere; Del lets it be chosen again.")  # fmt: skip
        self.toggle = bench.add(shown)
        self.joint = column(4)
        bench.watch(self._joint_key, self.joint, self._fill_joint)
        self.darts = column(4)
        bench.watch(self._darts_key, self.darts, self._fill_darts)
        self.working = label("", "muted")
        self.working.hide()
        bench.body.addWidget(self.working)
        self.rows = column(4)
        bench.watch(self._rolls_key, self.rows, self._fill)
        row = QHBoxLayout()
        self.drawings = bench.button("Cutting drawings …", self._write, into=row)
        self.labels = bench.button("Kit labels …", self._labels, into=row)
        bench.body.addLayout(row)

    def refresh(self) -> None:
        """Work it out anew if what it follows from has changed."""
        now = read_by(self.bench.document.job, "cut list")
        if now != self._of and not self._work.busy and not self.bench.document.working:
            self._of = now
            self._work.start(self.bench.document.job)
        for button in (self.drawings, self.labels):
            button.setEnabled(self.cuts is not None and bool(self.cuts.rolls))

    def _take(self, job: Job, cuts: Found) -> None:
        self.cuts, self.left, self.across = cuts
        self.message = ""

    def _working(self, share: float) -> None:
        self.working.setText(f"Laying out the pieces … {percent(share)}")
        self.working.setVisible(self._work.busy)

    def _ended(self, message: str) -> None:
        self.working.hide()
        if message:
            self.cuts, self.left, self.across, self.message = None, (), (), message
        self.bench.refresh()

    # -- a joint moved by hand ---------------------------------------------------------------------------------------

    def _chosen_joint(self) -> Ply | None:
        chosen = self.bench.desk.plan.chosen
        if not self.bench.desk.plan.joints or chosen.count("#") != 2:
            return None
        try:
            return ply_of_joint(self.bench.document.job, chosen)
        except KeyError:
            return None

    def _joint_key(self) -> object:
        return self._chosen_joint(), self.bench.document.settings.system

    def _fill_joint(self, layout: QVBoxLayout) -> None:
        ply = self._chosen_joint()
        if ply is None:
            return
        by_hand = any(
            (shift.layer, shift.turn) == (ply.layer, ply.turn) for shift in self.bench.document.job.cutting.shifts
        )
        how = "put there by hand" if by_hand else "chosen to lie clear of the plies before it"
        layout.addWidget(label(f"Joints of ply P{ply.number}, {how}", "muted"))
        hint = "How far they lie towards the lower edge from where a whole width of the roll ends."
        field = FreeField(
            "Shifted by", lambda: self.bench.shown(ply.shift_m).replace("−", "-"), partial(self._shift, ply), hint
        )
        layout.addWidget(field)
        if by_hand:
            self.bench.button("Let them be chosen", partial(self._free, ply), into=layout)

    def _shift(self, ply: Ply, text: str) -> None:
        document = self.bench.document
        document.edit(
            "move joints", with_joint_shift(document.job, ply, parse(text, "length", document.assessment.units))
        )

    def _free(self, ply: Ply) -> None:
        document = self.bench.document
        document.edit("joints as chosen", with_joint_shift(document.job, ply, None))

    # -- darts -------------------------------------------------------------------------------------------------------

    def _darts_key(self) -> object:
        job = self.bench.document.job
        return job.cutting.darts, self.bench.desk.plan.chosen, self.bench.document.settings.system

    def _fill_darts(self, layout: QVBoxLayout) -> None:
        bench, cutting = self.bench, self.bench.document.job.cutting
        for number, dart in enumerate(cutting.darts, 1):
            chosen = dart.id == bench.desk.plan.chosen
            row = QHBoxLayout()
            pick = partial(bench.desk.plan.choose, "" if chosen else dart.id)
            top = Qt.AlignmentFlag.AlignTop
            row.addWidget(tool_button("select", f"Choose dart {number}", pick, True, chosen), 0, top)
            hint = f"Taken out at its mouth; {self.bench.shown(math.dist(dart.tip, dart.mouth))} deep."
            path = path_of("cutting/darts", dart.id, "width_m")
            width = QuantityField(bench.document, f"Dart {number}", "thickness", path, hint)
            row.addWidget(width, 1)
            row.addWidget(tool_button("remove", f"Remove dart {number}", partial(self._without_dart, dart)), 0, top)
            layout.addLayout(row)
        if cutting.darts:
            layout.addWidget(QuantityField(
                bench.document, "Darts step", "thickness", "cutting/dart_stagger_m",
                "From ply to ply each dart moves so far aside, so that no two lie over one another.",
            ))  # fmt: skip
        made = bench.button("Draw a dart", self._draw_dart, into=layout)
        made.setToolTip("Draw on the plan from its mouth at the edge to its tip (X)")

    def _draw_dart(self) -> None:
        self.bench.desk.plan.set_tool("dart")
        self.bench.desk.plan.setFocus()

    def _without_dart(self, dart: Dart) -> None:
        remove = KINDS["dart"].remove
        assert remove is not None
        self.bench.document.edit("remove dart", remove(self.bench.document.job, dart.id))

    # -- rolls and offcuts -------------------------------------------------------------------------------------------

    def _rolls_key(self) -> object:
        return self.cuts, self.left, self.across, self.message, self.bench.document.settings.system, self._store()

    def _store(self) -> tuple[Offcut, ...] | str:
        """The shop's offcuts of the fabrics of the job, or what is wrong with their list."""
        try:
            used = {layer.card for layer in self.bench.document.job.layup}
            return tuple(offcut for offcut in shop_offcuts() if offcut.card in used)
        except StockError as error:
            return str(error)

    def _fill(self, layout: QVBoxLayout) -> None:
        if self.message:
            layout.addWidget(label(self.message, "error"))
        if self.cuts is None:
            return
        bench = self.bench
        for roll in self.cuts.rolls:
            row = QHBoxLayout()
            row.addWidget(label(roll.title), 1)
            length = show(roll.length_m, "distance", bench.document.assessment.units, decimals=1)
            row.addWidget(label("in hand" if roll.offcut else length, "figure", wrap=False))
            layout.addLayout(row)
            count = f"{len(roll.pieces)} piece{'s' if len(roll.pieces) > 1 else ''}"
            worst = max(piece.shear for piece in roll.pieces)
            shear = f", shears {percent(worst, 1)}" if worst >= 0.005 else ""
            cloth = f"{self.bench.shown(roll.length_m)} × " if roll.offcut else ""
            layout.addWidget(
                label(
                    f"{count} off {cloth}{self.bench.shown(roll.width_m)}, {percent(roll.waste)} waste{shear}", "muted"
                )
            )
            for better in self.across:
                if better.card.id == roll.card.id:
                    self._fill_across(layout, better)
        self._fill_offcuts(layout)

    def _fill_across(self, layout: QVBoxLayout, better: LaidAcross) -> None:
        layout.addWidget(label(f"Laid across: {across_words(better, self.bench.document.assessment.units)}.", "muted"))
        turn = self.bench.button("Lay it across", partial(self._lay_across, better.card), into=layout)
        turn.setToolTip("Turns every ply of it by 90°; its fibre runs the same then, and the fill is worked out anew")

    def _lay_across(self, card: FabricCard) -> None:
        document = self.bench.document
        document.edit(f"lay {card.name} across", with_card_across(document.job, card.id))

    def _fill_offcuts(self, layout: QVBoxLayout) -> None:
        store, using = self._store(), self.bench.document.job.cutting.offcuts
        if isinstance(store, str):
            layout.addWidget(label(store, "error"))
            return
        if store or using:
            layout.addWidget(ToggleField(
                f"Use the shop's offcuts first ({len(store)})",
                lambda: bool(self.bench.document.job.cutting.offcuts),
                self._use,
                ", ".join(f"{offcut.label}: {self._size(offcut)}" for offcut in (store or using)),
            ))  # fmt: skip
        if self.left:
            sizes = ", ".join(
                f"{offcut.label.rsplit(' ', 1)[-1]} {self._size(offcut)}".replace(" ", "\u00a0") for offcut in self.left
            )
            layout.addWidget(label(f"Left in one piece: {sizes}", "muted"))
            kept = self.bench.button("Put them in the shop's store", self._put_away, into=layout)
            kept.setToolTip("Once the cloth is cut: lists what is left as offcuts, and strikes out those used here")

    def _size(self, offcut: Offcut) -> str:
        return f"{self.bench.shown(offcut.length_m)} × {self.bench.shown(offcut.width_m)}"

    def _use(self, on: bool) -> None:
        store, document = self._store(), self.bench.document
        offcuts = store if on and not isinstance(store, str) else ()
        cutting = revised(document.job.cutting, offcuts=offcuts)
        document.edit("use offcuts" if on else "leave offcuts", changed(document.job, cutting=cutting))

    def _put_away(self) -> None:
        used = [roll.offcut for roll in self.cuts.rolls if roll.offcut] if self.cuts else []
        try:
            save_offcuts(put_away(self.left, used))
        except StockError as error:
            self.bench.desk.show_message(str(error))
            return
        count = "1 offcut is" if len(self.left) == 1 else f"{len(self.left)} offcuts are"
        struck = f" {len(used)} used here struck out." if used else ""
        self.bench.desk.show_message(f"{count} in the shop's store.{struck}")
        self.bench.refresh()

    # -- files -------------------------------------------------------------------------------------------------------

    def _write(self) -> None:
        if self.cuts is None:
            return
        from bibulon.exchange.cut_files import write_cut_list  # loads the writers only when asked for
        from bibulon.record.kit import cutting_pdf

        cuts, document = self.cuts, self.bench.document

        def write(path: Path) -> None:
            if path.suffix.lower() == ".pdf":
                write_whole(path, cutting_pdf(document.job, cuts, document.assessment.units))
            else:
                write_cut_list(cuts, path)

        suffixes = (".dxf", ".svg", ".pdf", ".csv")
        self.bench.desk.files.write("Cutting drawings", f"{document.job.name} cutting.dxf", CUT_FILES, suffixes, write)

    def _labels(self) -> None:
        if self.cuts is None:
            return
        from bibulon.record.kit import labels_pdf

        cuts, document = self.cuts, self.bench.document
        self.bench.desk.files.save_bytes(
            "Kit labels", ".pdf", lambda: labels_pdf(document.job, cuts, document.assessment.units)
        )
