"""Part: outline by size, template, points or drawing; the mould's relief; the shop on the day."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout
from shapely import Polygon

from bibulon.desk.benches.base import Bench
from bibulon.desk.fields import FreeField, column, label, tool_button
from bibulon.job.base import Point
from bibulon.job.edits import changed, moved_points, revised
from bibulon.job.part import Part
from bibulon.job.storage import explain
from bibulon.job.templates import TEMPLATES, cambered
from bibulon.laminate.relief import height_m, heights_at
from bibulon.quantities import QuantityError, Units, number_shown, parse, show

DRAWING_SUFFIXES, MESH_SUFFIXES = (".dxf", ".svg", ".csv"), (".stl", ".obj")
CAMBER = "Height of a parabola over the part's length or width; negative for a dish."


def parse_points(text: str, units: Units) -> tuple[Point, ...]:
    """Points from lines of "x, y"; bare numbers in the shop's unit. Raises ValueError naming the line."""
    points = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        cells = [cell for cell in line.replace(";", ",").replace("\t", ",").split(",") if cell.strip()]
        if len(cells) == 1:
            cells = line.split()
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

    def build(self) -> None:
        self.text("Job", "name")
        process = self.document.job.process
        self.figure("Process", lambda: (process, "Dry fibre under film, resin drawn in by vacuum."))
        self.figure(
            "Area",
            lambda: (self._show(self.document.assessment.laminate.total.area_m2, "area"), "Of the mould's surface."),
        )
        self.section("Outline")
        self.add(FreeField("Length", lambda: self._size(0), lambda text: self._resize(0, text), "Along x."))
        self.add(FreeField("Width", lambda: self._size(1), lambda text: self._resize(1, text), "Along y."))
        self.choice("Make it a", self._templates, lambda: None, self._make, "At this length and width.")
        self.points = QPlainTextEdit()
        self.points.setAccessibleName("Outline points")
        self.points.setFixedHeight(112)
        self.points.setTabChangesFocus(True)
        self.body.addWidget(label("Corner points, one a line: x, y", "muted"))
        self.body.addWidget(self.points)
        self.error = label("", "error")
        self.error.hide()
        self.body.addWidget(self.error)
        self.apply = self.button("Use these points", self._use_points)
        self.apply.setEnabled(False)
        self._points_shown = ""
        self.points.textChanged.connect(lambda: self.apply.setEnabled(self.points.toPlainText() != self._points_shown))
        self.holes = column(4)
        self.watch(lambda: self.document.job.part.holes, self.holes, self._fill_holes)
        row = QHBoxLayout()
        self.button("From a drawing …", self._bring_outline, into=row)
        self.button("Plan to a file …", self.desk.export_plan, into=row)
        self.body.addLayout(row)
        self.quantity("Flange", "length", "part/flange_width_m", "Clean flange round the part that takes the tape.")
        self.section("Relief of the mould")
        self.figure("Height", self._height)
        self.add(FreeField("Arched along", lambda: self._camber(0), lambda text: self._arch(0, text), CAMBER))
        self.add(FreeField("Arched across", lambda: self._camber(1), lambda text: self._arch(1, text), CAMBER))
        row = QHBoxLayout()
        self.button("From a mesh …", self._bring_relief, into=row)
        self.flat = self.button("Make it flat", lambda: self._put("flat mould", self._with_relief(())), into=row)
        self.body.addLayout(row)
        self.section("Shop on the day")
        self.text("Shop", "shop/name", "Heads the traveller.")
        self.quantity("Temperature", "temperature", "shop/temperature_k", "Shop, mould and resin.")
        self.quantity("Barometer", "pressure difference", "shop/barometer_pa", "Absolute air pressure.", decimals=0)
        self.clock("Shot starts", "shop/shot_start_s")
        self.clock("Shift ends", "shop/shift_end_s")

    def _show(self, value: float, kind: str) -> str:
        return show(value, kind, self.document.assessment.units)

    # -- relief ------------------------------------------------------------------------------------------------------

    def _height(self) -> tuple[str, str]:
        relief = self.document.job.part.relief
        if not relief:
            return "flat", "The mould's face is level."
        high = height_m(relief, self.document.job.part.shape)
        return self._show(
            high, "length"
        ), f"From the lowest to the highest place; {len(relief)} points make the relief."

    def _with_relief(self, relief: tuple[tuple[float, float, float], ...]) -> Part:
        return revised(self.document.job.part, relief=relief)

    def _arches(self) -> tuple[float, float] | None:
        """Height of the arch along and across, if the relief is one; None if it came from elsewhere."""
        part = self.document.job.part
        if not part.relief:
            return 0.0, 0.0
        size = self._bounds()
        middle = ((size[0] + size[2]) / 2, (size[1] + size[3]) / 2)
        places = np.array([middle, (size[0], middle[1]), (middle[0], size[1])])
        top, end, side = heights_at(part.relief, places)
        arches = round(float(top - end), 4), round(float(top - side), 4)
        return arches if cambered(part.outline, *arches) == part.relief else None

    def _camber(self, axis: int) -> str:
        arches = self._arches()
        return "" if arches is None else self._show(arches[axis], "length").replace("−", "-")

    def _arch(self, axis: int, text: str) -> None:
        wanted = parse(text, "length", self.document.assessment.units) if text.strip() else 0.0
        size = self._bounds()
        if abs(wanted) > (size[axis + 2] - size[axis]):
            raise ValueError("That is steeper than a plan can show. An arch is at most as high as it is long.")
        arches = list(self._arches() or (0.0, 0.0))
        arches[axis] = wanted
        self._put(
            "arched mould", self._with_relief(cambered(self.document.job.part.outline, *arches) if any(arches) else ())
        )

    def _bring_relief(self) -> None:
        self._bring("A mesh of the mould's face", MESH_SUFFIXES)

    def _bring(self, title: str, suffixes: tuple[str, ...]) -> None:
        path = self.desk.pick_file(title, f"{title} ({' '.join(f'*{suffix}' for suffix in suffixes)})")
        if path is not None:
            self.desk.take_file(path)

    # -- outline -----------------------------------------------------------------------------------------------------

    def _bring_outline(self) -> None:
        self._bring("A drawing of the outline", DRAWING_SUFFIXES)

    def _templates(self) -> list[tuple[str, str | None]]:
        return [("…", None), *((name, name) for name in TEMPLATES)]

    def _make(self, name: str | None) -> None:
        if name is None:
            return
        bounds = self._bounds()
        outline = TEMPLATES[name](bounds[2] - bounds[0], bounds[3] - bounds[1])
        placed = moved_points(outline, bounds[0], bounds[1])
        self._put(f"outline: {name}", revised(self.document.job.part, outline=placed, holes=(), relief=()))

    def _fill_holes(self, layout: QVBoxLayout) -> None:
        for number, hole in enumerate(self.document.job.part.holes, 1):
            row = QHBoxLayout()
            area = self._show(Polygon(hole).area, "area")
            row.addWidget(label(f"Hole {number}: {area}, {len(hole)} points"), 1)
            row.addWidget(tool_button("ph.trash", f"Close hole {number}", partial(self._close_hole, number - 1)))
            layout.addLayout(row)

    def _close_hole(self, at: int) -> None:
        holes = self.document.job.part.holes
        self._put("close hole", revised(self.document.job.part, holes=(*holes[:at], *holes[at + 1 :])))

    def refresh(self) -> None:
        super().refresh()
        self.flat.setEnabled(bool(self.document.job.part.relief))
        units = self.document.assessment.units
        lines = [
            ", ".join(f"{round(number_shown(value, 'length', units), 3):g}" for value in place)
            for place in self.document.job.part.outline
        ]
        text = "\n".join(lines).replace("−", "-")
        if self.points.toPlainText() == self._points_shown or not self.points.hasFocus():
            self._points_shown = text
            if self.points.toPlainText() != text:
                self.points.setPlainText(text)
            self.apply.setEnabled(False)
            self.error.hide()

    def _bounds(self) -> tuple[float, float, float, float]:
        xs, ys = zip(*self.document.job.part.outline, strict=True)
        return min(xs), min(ys), max(xs), max(ys)

    def _size(self, axis: int) -> str:
        bounds = self._bounds()
        return self._show(bounds[axis + 2] - bounds[axis], "length")

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
        self._put("resize part", revised(self.document.job.part, outline=outline))

    def _put(self, name: str, part: Part) -> None:
        self.document.edit(name, changed(self.document.job, part=part))
        self.desk.plan.fit()

    def _use_points(self) -> None:
        try:
            points = parse_points(self.points.toPlainText(), self.document.assessment.units)
            part = revised(self.document.job.part, outline=points)
        except ValueError as error:
            self.error.setText(explain(error) if isinstance(error, ValidationError) else str(error))
            self.error.show()
            return
        self.error.hide()
        self._points_shown = self.points.toPlainText()
        self._put("outline by points", part)
