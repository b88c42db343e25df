"""Process advice: cost per part over the run as a chart, what each way needs, the reasons, and the shop's own costs."""

from __future__ import annotations

import math
from functools import partial
from typing import Any, Literal

import pyqtgraph
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import clear, column, label
from bibulon.desk.widgets.line_chart import dress_axis
from bibulon.desk.widgets.series_fields import series_fields
from bibulon.desk.work.document import Document
from bibulon.job import EVERY_PROCESS, Process
from bibulon.job.edits import revised, with_value
from bibulon.planning.chosen_process import with_process
from bibulon.planning.process import (
    LONGEST_RUN,
    Advice,
    CostsError,
    ProcessCosts,
    ShopCosts,
    advice,
    materials_of,
    part_cost_by,
    run_lengths,
    save_costs,
    shop_costs,
)
from bibulon.quantities import QuantityKind, number_shown, show, unit_shown
from bibulon.quantity_text import QuantityError, parse

SIZE = (1120, 690)
SIDE_PX = 380
NAMES_APART, NAMES_FROM = 0.1, -0.75
"""Decades between the names of lines in the chart, and where the longest begins."""
STYLES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DotLine,
)
TICKS = {
    "left": [step * 10**power for power in range(-1, 7) for step in (1, 2, 5)],
    "bottom": [10**power for power in range(6)],
}
CostKind = QuantityKind | Literal["number"]
ROWS: tuple[tuple[str, str, CostKind], ...] = (
    ("tool_per_m2", "Mould, per {area}", "money"),
    ("tool_life", "Parts from a mould", "count"),
    ("equipment", "Equipment to buy", "money"),
    ("setup_h", "Set-up per part, h", "number"),
    ("labour_h_per_m2", "Labour per {area}, h", "number"),
    ("consumables_per_m2", "Consumables, per {area}", "money"),
    ("consumables_per_part", "Consumables, per part", "money"),
    ("fibre_fraction", "Fibre by volume", "share"),
    ("resin_waste", "Resin wasted", "share"),
    ("scrap", "Parts scrapped", "share"),
    ("good_faces", "Good faces", "count"),
    ("thickness_tolerance", "Thickness within ±", "share"),
    ("largest_m2", "Largest part", "area"),
)
"""Figures of the shop's card: field, its name and how it is read; those per area are asked for by the shop's unit."""


class AdviceDialog(QDialog):
    """Chart and reasons in one tab, the shop's costs in the other; changes to either are seen at once."""

    def __init__(self, document: Document, parent: QWidget) -> None:
        super().__init__(parent)
        self.document = document
        self.setWindowTitle("Process advice")
        self.resize(*SIZE)
        self.costs: ShopCosts | None = None
        self.message = label("", "error")
        try:
            self.costs = shop_costs()
        except CostsError as error:
            self.message.setText(str(error))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 16)
        layout.addWidget(label("Process advice", "title"))
        self.tabs = QTabWidget()
        self.tabs.addTab(self._comparison(), "Compared")
        self.tabs.addTab(self._card(), "The shop's costs")
        layout.addWidget(self.tabs, 1)
        layout.addWidget(self.message)
        note = "Planning figures, no quotation. Moulds under pressure have to be designed by qualified people."
        layout.addWidget(label(note, "muted"))
        self.refresh()

    # -- compared ----------------------------------------------------------------------------------------------------

    def _comparison(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setSpacing(16)
        self.plot = pyqtgraph.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.setLogMode(True, True)
        self.plot.setAccessibleName("Cost per part over the run")
        row.addWidget(self.plot, 1)
        side = column(7)
        self.fields = series_fields(self.document)
        for field in self.fields:
            field.committed.connect(self.refresh)
            side.addWidget(field)
        faces = ToggleField("Two good faces wanted", lambda: self.document.job.mould.two_good_faces, self._faces)
        side.addWidget(faces)
        self.words = column(6)
        body = QWidget()
        inner = QVBoxLayout(body)
        inner.setContentsMargins(0, 0, 8, 0)
        inner.addLayout(self.words)
        inner.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(body)
        side.addWidget(scroll, 1)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(SIDE_PX)
        row.addWidget(holder)
        return page

    def _faces(self, on: bool) -> None:
        self.document.edit("faces", with_value(self.document.job, "mould/two_good_faces", on))
        self.refresh()

    def refresh(self) -> None:
        """Work it out anew for the job and the costs as they are."""
        clear(self.words)
        if self.costs is None:
            return
        advised = advice(self.document.job, self.costs, self.document.assessment.units)
        self._draw(advised)
        for reason in advised.reasons:
            self.words.addWidget(label(reason, "figure" if reason is advised.reasons[0] else ""))
        for way in advised.ways:
            self.words.addSpacing(4)
            cost = self._money(way.cost.total)
            self.words.addWidget(label(f"{way.process.name}: {cost}", "figure"))
            if way.against:
                self.words.addWidget(label(way.against, "error"))
            parts = {"moulds and equipment": way.cost.tools, "labour": way.cost.labour,
                     "materials": way.cost.materials, "consumables": way.cost.consumables}  # fmt: skip
            shares = ", ".join(f"{name} {self._money(value)}" for name, value in parts.items())
            self.words.addWidget(label(f"{shares[0].upper()}{shares[1:]}.", "muted"))
            if way.process.needs:
                self.words.addWidget(label("Needs " + "; ".join(way.process.needs) + ".", "muted"))
            self._offer(way.process.id)

    def _offer(self, process: str) -> None:
        """A button that has the job made so, where the program plans that process and the job is not made so yet."""
        chosen = next((known for known in EVERY_PROCESS if known == process), None)
        if chosen is None or chosen == self.document.job.process:
            return
        button = QPushButton(f"Make this job by {process}")
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: self._make_by(chosen))
        self.words.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)

    def _make_by(self, process: Process) -> None:
        self.document.edit("process", with_process(self.document.job, process))
        self.accept()

    def _money(self, value: float) -> str:
        return show(value, "money", self.document.assessment.units, 0 if value >= 100 else 2)

    def _draw(self, advised: Advice) -> None:
        assert self.costs is not None
        palette = theme.current.palette
        self.plot.clear()
        self.plot.setBackground(palette.field)
        for side, text in (
            ("left", f"cost of one part, {self.document.assessment.units.currency}"),
            ("bottom", "parts"),
        ):
            axis = self.plot.getAxis(side)
            dress_axis(axis, text)
            axis.setTicks([[(math.log10(tick), f"{tick:g}") for tick in TICKS[side]], []])
        materials, runs = materials_of(self.document.job), run_lengths()
        colours = (palette.ink, palette.feed, palette.vent, palette.good, palette.stop, palette.muted)
        names = [process.id for process in self.costs.process]
        ordered = sorted(advised.ways, key=lambda way: names.index(way.process.id))
        starts: dict[int, float] = {}
        for number, way in enumerate(ordered):
            costs = [part_cost_by(way.process, self.costs.labour_per_h, materials, run).total for run in runs]
            best = way.process is advised.best
            pen = pyqtgraph.mkPen(
                colours[number % len(colours)], width=3.2 if best else 1.6, style=STYLES[number % len(STYLES)]
            )
            self.plot.plot(runs, [max(cost, 1e-3) for cost in costs], pen=pen)
            starts[number] = math.log10(max(costs[0], 1e-3))
        # each name before the beginning of its line, and off the one below
        below = -math.inf
        for number, height in sorted(starts.items(), key=lambda item: item[1]):
            below = max(height, below + NAMES_APART)
            name = pyqtgraph.TextItem(ordered[number].process.name, colours[number % len(colours)], anchor=(1.0, 0.5))
            name.setPos(-0.03, below)
            self.plot.addItem(name)
        self.plot.setXRange(NAMES_FROM, math.log10(LONGEST_RUN), padding=0.05)
        quantity = min(self.document.job.series.quantity, LONGEST_RUN)
        line = pyqtgraph.InfiniteLine(
            math.log10(quantity), 90, pen=pyqtgraph.mkPen(palette.muted, width=1.2, style=Qt.PenStyle.DashLine),
            label=f"{self.document.job.series.quantity} wanted", labelOpts={"position": 0.96, "color": palette.ink},
        )  # fmt: skip
        self.plot.addItem(line)

    # -- the shop's costs --------------------------------------------------------------------------------------------

    def _card(self) -> QWidget:
        page = QWidget()
        layout = QVBoxLayout(page)
        layout.addWidget(
            label(
                "What each way asks of this shop. Set equipment to 0 where the shop has it. Kept as they are typed.",
                "muted",
            )
        )
        processes = self.costs.process if self.costs is not None else ()
        self.table = QTableWidget(len(ROWS) + 1, len(processes))
        self.table.setAccessibleName("The shop's costs")
        area = unit_shown("area", self.document.assessment.units)
        self.table.setVerticalHeaderLabels(["Labour, per h", *(title.format(area=area) for _, title, _ in ROWS)])
        self.table.setHorizontalHeaderLabels([process.name for process in processes])
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self._fill_table()
        self.table.itemChanged.connect(self._typed)
        layout.addWidget(self.table, 1)
        return page

    def _share_of_m2(self, field: str) -> float:
        """The shop's unit of area in m² for a figure per area; 1 for others."""
        return 1 / number_shown(1.0, "area", self.document.assessment.units) if field.endswith("_per_m2") else 1.0

    def _text(self, value: Any, kind: CostKind) -> str:
        if kind == "number":
            return f"{value:g}"
        return show(value, kind, self.document.assessment.units)

    def _fill_table(self) -> None:
        if self.costs is None:
            return
        self.table.blockSignals(True)
        self.table.setItem(0, 0, QTableWidgetItem(self._text(self.costs.labour_per_h, "money")))
        if len(self.costs.process) > 1:
            self.table.setSpan(0, 0, 1, len(self.costs.process))
        for at, process in enumerate(self.costs.process):
            for row, (field, _, kind) in enumerate(ROWS, 1):
                item = QTableWidgetItem(self._text(getattr(process, field) * self._share_of_m2(field), kind))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, at, item)
        self.table.blockSignals(False)

    def _typed(self, item: QTableWidgetItem) -> None:
        assert self.costs is not None
        row, at = item.row(), item.column()
        labour: tuple[str, str, CostKind] = ("labour_per_h", "", "money")
        field, _, kind = labour if row == 0 else ROWS[row - 1]
        said = ""
        try:
            value: float = parse(item.text(), "money" if kind == "number" else kind, self.document.assessment.units)
            number = int(value) if kind == "count" else value / self._share_of_m2(field)
            if row == 0:
                costs = revised(self.costs, labour_per_h=number)
            else:
                edit = partial(self._edited, at, field, number)
                costs = revised(
                    self.costs, process=tuple(edit(n, process) for n, process in enumerate(self.costs.process))
                )
            save_costs(costs)
            self.costs = costs
        except (QuantityError, CostsError) as error:
            said = str(error)
        except ValueError:
            said = f"{item.text()} cannot be the figure here: it is out of range."
        self.message.setText(said)
        if not said:
            self._fill_table()
            self.refresh()

    @staticmethod
    def _edited(at: int, field: str, value: float, number: int, process: ProcessCosts) -> ProcessCosts:
        return revised(process, **{field: value}) if number == at else process
