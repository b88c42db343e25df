"""Part: outline by size or points, mould and shop."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtWidgets import QPlainTextEdit

from bibulon.desk.benches.base import Bench
from bibulon.desk.fields import FreeField, label
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.job.part import Part
from bibulon.job.storage import explain
from bibulon.quantities import QuantityError, Units, number_shown, parse, show


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
        self.button("Make it a rectangle", self._rectangle)
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
        self.quantity("Flange", "length", "part/flange_width_m", "Clean flange round the part that takes the tape.")
        self.section("Shop on the day")
        self.text("Shop", "shop/name", "Heads the traveller.")
        self.quantity("Temperature", "temperature", "shop/temperature_k", "Shop, mould and resin.")
        self.quantity("Barometer", "pressure difference", "shop/barometer_pa", "Absolute air pressure.", decimals=0)
        self.clock("Shot starts", "shop/shot_start_s")
        self.clock("Shift ends", "shop/shift_end_s")

    def _show(self, value: float, kind: str) -> str:
        return show(value, kind, self.document.assessment.units)

    def refresh(self) -> None:
        super().refresh()
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

    def _rectangle(self) -> None:
        x0, y0, x1, y1 = self._bounds()
        outline = ((x0, y0), (x1, y0), (x1, y1), (x0, y1))
        self._put("rectangular outline", revised(self.document.job.part, outline=outline))

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
