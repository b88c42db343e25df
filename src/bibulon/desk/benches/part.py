"""Part: outline by size, template, points or drawing; the mould's relief; the shop on the day."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout
from shapely import Polygon

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.part_mould import MouldSection
from bibulon.desk.benches.part_series import build_series
from bibulon.desk.dialogs.files import DRAWING_SUFFIXES
from bibulon.desk.plan.outline_tools import OutlineTool
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job import Process
from bibulon.job.base import Point
from bibulon.job.edits import changed, moved_points, revised
from bibulon.job.faults import explain_here
from bibulon.job.part import Part
from bibulon.job.strokes import Way
from bibulon.job.templates import TEMPLATES
from bibulon.laminate.relief_shapes import with_outline
from bibulon.planning.chosen_process import with_process
from bibulon.quantities import Units, number_shown
from bibulon.quantity_text import QuantityError, cells_of, parse

DRAWING = "A drawing of the outline"
MOST_TYPED = 5000
"""An outline of more points is not shown as lines of text."""
PROCESS_WORDS: dict[Process, str] = {
    "film infusion": "film infusion",
    "reusable film": "reusable film",
    "light RTM": "light RTM",
    "RTM": "RTM",
    "bladder": "bladder, for hollow parts",
}
WAYS: dict[Way, str] = {
    "straight": "A straight stroke to each point (L)",
    "arc": "An arc: a place on its way, then its end (A)",
    "curve": "A smooth curve through each point (U)",
}


def parse_points(text: str, units: Units) -> tuple[Point, ...]:
    """Points from lines of "x, y"; bare numbers in the shop's unit. Raises ValueError naming the line."""
    points = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        cells = cells_of(line)
        if len(cells) != 2:
            raise ValueError(f"Line {number}: write two lengths, like 4200, 1400.")
        try:
            x, y = (parse(cell, "length", units) for cell in cells)
        except QuantityError as error:
            raise ValueError(f"Line {number}: {error}") from error
        points.append((round(x, 5), round(y, 5)))
    return tuple(points)


class PartBench(Bench):
    """What is made, and where."""

    long = True

    def build(self) -> None:
        self.text("Job", "name")
        self.choice(
            "Process", lambda: [(words, process) for process, words in PROCESS_WORDS.items()],
            lambda: self.document.job.process, self._make_by, "What both share stays when it is changed.",
        )  # fmt: skip
        self.figure(
            "Area",
            lambda: (self.shown(self.document.assessment.laminate.total.area_m2, "area"), "Of the mould's surface."),
        )
        self.section("Outline")
        self.add(FreeField("Length", lambda: self._size(0), lambda text: self._resize(0, text), "Along x."))
        self.add(FreeField("Width", lambda: self._size(1), lambda text: self._resize(1, text), "Along y."))
        draw = QHBoxLayout()
        self.button("Draw it", lambda: self._draw("outline"), into=draw).setToolTip("Draw the outline on the plan (O)")
        self.button("Draw a hole", lambda: self._draw("hole"), into=draw).setToolTip("Draw an opening (H)")
        self.body.addLayout(draw)
        self.ways = column(4)
        self.watch(self._way, self.ways, self._fill_ways)
        self.desk.plan.tool_changed.connect(self._tool_changed)
        self.choice("Make it a", self._templates, lambda: None, self._make, "At this length and width.")
        self.points = QPlainTextEdit()
        self.points.setAccessibleName("Outline points")
        self.points.setFixedHeight(112)
        self.points.setTabChangesFocus(True)
        self.points_title = label("", "muted")
        self.body.addWidget(self.points_title)
        self.body.addWidget(self.points)
        self.error = label("", "error")
        self.error.hide()
        self.body.addWidget(self.error)
        self.apply = self.button("Use these points", self._use_points)
        self.apply.setEnabled(False)
        self._points_shown = ""
        self._points_of: tuple[Point, ...] | None = None
        self._points_in = ""
        self.points.textChanged.connect(lambda: self.apply.setEnabled(self.points.toPlainText() != self._points_shown))
        self.holes = column(4)
        self.watch(lambda: self.document.job.part.holes, self.holes, self._fill_holes)
        row = QHBoxLayout()
        self.button("From a drawing …", lambda: self.desk.files.bring_in(DRAWING, DRAWING_SUFFIXES), into=row)
        self.button("Plan to a file …", self.desk.files.export_plan, into=row)
        self.body.addLayout(row)
        build_series(self)
        self.mould = MouldSection(self)
        self.mould.build()
        self.section("Shop on the day")
        self.text("Shop", "shop/name", "Heads the traveller.")
        self.quantity(
            "Temperature", "temperature", "shop/temperature_k", "Shop and resin, and the mould unless it is heated."
        )
        self.quantity("Barometer", "pressure difference", "shop/barometer_pa", "Absolute air pressure.", decimals=0)
        self.clock("Shot starts", "shop/shot_start_s")
        self.clock("Shift ends", "shop/shift_end_s")

    # -- outline -----------------------------------------------------------------------------------------------------

    def _make_by(self, process: Process) -> None:
        if process != self.document.job.process:
            self.document.edit("process", with_process(self.document.job, process))

    def _templates(self) -> list[tuple[str, str | None]]:
        return [("…", None), *((name, name) for name in TEMPLATES)]

    def _make(self, name: str | None) -> None:
        if name is None:
            return
        bounds = self._bounds()
        outline = TEMPLATES[name](bounds[2] - bounds[0], bounds[3] - bounds[1])
        placed = moved_points(outline, bounds[0], bounds[1])
        part = revised(self.document.job.part, holes=())
        if part.relief_from is None:
            part = revised(part, relief=())
        self._put(f"outline: {name}", with_outline(part, placed))

    def _draw(self, tool: str) -> None:
        self.desk.plan.set_tool(tool)
        self.desk.plan.setFocus()

    def _tool_changed(self, _: str) -> None:
        # a method, not a lambda: the plan outlives this bench
        if self.isVisible():
            self.refresh()

    def _way(self) -> Way | None:
        """How the outline is being drawn on; None while it is not."""
        tool = self.desk.plan.tool
        return tool.way if isinstance(tool, OutlineTool) else None

    def _fill_ways(self, layout: QVBoxLayout) -> None:
        tool = self.desk.plan.tool
        if not isinstance(tool, OutlineTool):
            return
        row = QHBoxLayout()
        for way, tip in WAYS.items():
            button = self.button(way.capitalize(), partial(self._take_way, way), into=row)
            button.setCheckable(True)
            button.setChecked(tool.way == way)
            button.setToolTip(tip)
        layout.addLayout(row)

    def _take_way(self, way: Way) -> None:
        tool = self.desk.plan.tool
        if isinstance(tool, OutlineTool):
            tool.take_way(self.desk.plan, way)
            self.desk.plan.setFocus()

    def _fill_holes(self, layout: QVBoxLayout) -> None:
        for number, hole in enumerate(self.document.job.part.holes, 1):
            row = QHBoxLayout()
            area = self.shown(Polygon(hole).area, "area")
            row.addWidget(label(f"Hole {number}: {area}, {len(hole)} points"), 1)
            row.addWidget(tool_button("remove", f"Close hole {number}", partial(self._close_hole, number - 1)))
            layout.addLayout(row)

    def _close_hole(self, at: int) -> None:
        holes = self.document.job.part.holes
        self._put("close hole", revised(self.document.job.part, holes=(*holes[:at], *holes[at + 1 :])))

    def refresh(self) -> None:
        super().refresh()
        self.mould.refresh()
        outline, units = self.document.job.part.outline, self.document.assessment.units
        few = len(outline) <= MOST_TYPED
        self.points_title.setText("Corner points, one a line: x, y" if few else f"{len(outline)} corner points")
        for widget in (self.points, self.apply):
            widget.setVisible(few)
        if not few:
            return
        if self._points_of is not outline or self._points_in != units.system:
            text = "\n".join(
                f"{x:g}, {y:g}" for x, y in np.round(np.array(outline) * number_shown(1.0, "length", units), 3).tolist()
            )
            if self.points.toPlainText() == self._points_shown or not self.points.hasFocus():
                self._points_of, self._points_in, self._points_shown = outline, units.system, text
                if self.points.toPlainText() != text:
                    self.points.setPlainText(text)
                self.apply.setEnabled(False)
                self.error.hide()

    def _bounds(self) -> tuple[float, float, float, float]:
        low_x, low_y, high_x, high_y = self.document.job.part.shape.bounds
        return low_x, low_y, high_x, high_y

    def _size(self, axis: int) -> str:
        bounds = self._bounds()
        return self.shown(bounds[axis + 2] - bounds[axis], "length")

    def _resize(self, axis: int, text: str) -> None:
        wanted = parse(text, "length", self.document.assessment.units)
        if wanted <= 0:
            raise ValueError("A size has to be above zero.")
        bounds = self._bounds()
        ratio = wanted / (bounds[axis + 2] - bounds[axis])
        outline = tuple(
            (round(bounds[0] + (x - bounds[0]) * (ratio if axis == 0 else 1), 5),
             round(bounds[1] + (y - bounds[1]) * (ratio if axis == 1 else 1), 5))
            for x, y in self.document.job.part.outline
        )  # fmt: skip
        self._put("resize part", with_outline(self.document.job.part, outline))

    def _put(self, name: str, part: Part) -> None:
        self.document.edit(name, changed(self.document.job, part=part))
        self.desk.plan.fit()

    def _use_points(self) -> None:
        units = self.document.assessment.units
        try:
            points = parse_points(self.points.toPlainText(), units)
            part = with_outline(self.document.job.part, points)
        except ValueError as error:
            self.error.setText(explain_here(error, units) if isinstance(error, ValidationError) else str(error))
            self.error.show()
            return
        self.error.hide()
        self._points_shown = self.points.toPlainText()
        self._put("outline by points", part)
