"""A strip test typed or pasted in: the fitted permeability with its plot, to be kept on the fabric's card."""

from __future__ import annotations

import re

import numpy as np
import pyqtgraph
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bibulon.desk import theme
from bibulon.desk.fields import label
from bibulon.job.cards import FabricCard, Measured
from bibulon.job.edits import revised
from bibulon.laminate.compaction import fibre_fraction, kozeny_carman_ratio
from bibulon.laminate.fabric_tests import FabricTestRefusal, StripFit, fit_strip
from bibulon.quantities import QuantityError, Units, number_shown, parse, show, unit_shown

LEAST_SPREAD = 1.1
"""Strips of one roll differ by more than one test can show."""


def parse_fronts(text: str, units: Units) -> tuple[tuple[float, float], ...]:
    """``(time_s, front_m)`` from lines of a time and a distance; bare times are minutes. Raises QuantityError."""
    found: list[tuple[float, float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        cells = [cell.strip() for cell in re.split(r"[;\t]|,(?!\d)|,\s+|\s{2,}", line) if cell.strip()]
        if len(cells) == 1:
            cells = re.split(r"\s+(?=[\d.])", cells[0], maxsplit=1)
        if not cells or (not found and not re.match(r"[\d.]", cells[0])):
            continue  # empty, or a heading
        if len(cells) < 2:
            raise QuantityError(f"Line {number}: write a time and a distance, like 5 min, 180 mm.")
        try:
            time_s = parse(cells[0] if re.search(r"[a-z:]", cells[0]) else f"{cells[0]} min", "duration", units)
            found.append((time_s, parse(cells[1], "length", units)))
        except QuantityError as error:
            raise QuantityError(f"Line {number}: {error}") from error
    return tuple(found)


class StripTestDialog(QDialog):
    """Readings at the left, the fitted curve at the right; ``card`` is the fabric's with what was found."""

    def __init__(self, parent: QWidget | None, card: FabricCard, units: Units) -> None:
        super().__init__(parent)
        self.setWindowTitle("Strip test")
        self.card, self._units = card, units
        self.fit: StripFit | None = None
        self._fraction = card.fibre_fraction
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 16, 18, 16)
        row.setSpacing(18)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(label("Strip test", "title"))
        left.addWidget(label(f"{card.name}, front against time under film, fed along its roll.", "muted"))
        form = QFormLayout()
        self.viscosity = self._line(form, "Viscosity", "mean of the test's start and end")
        self.drive = self._line(form, "Driving pressure", "atmosphere less the vacuum reached")
        self.drive.setText(show(95_000.0, "pressure difference", units, 0))
        left.addLayout(form)
        left.addWidget(label("Time, distance of the front: one reading a line", "muted"))
        self.readings = QPlainTextEdit()
        self.readings.setAccessibleName("Front readings")
        self.readings.setTabChangesFocus(True)
        self.readings.textChanged.connect(self._work_out)
        left.addWidget(self.readings, 1)
        self.found_text = label("", "figure")
        self.told = label("", "muted")
        self.error = label("", "error")
        for text in (self.found_text, self.told, self.error):
            left.addWidget(text)
        buttons = QHBoxLayout()
        self.take = QPushButton("Keep on the card")
        self.take.setProperty("role", "main")
        self.take.clicked.connect(self._keep)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.reject)
        for button in (self.take, leave):
            button.setAutoDefault(False)
            buttons.addWidget(button)
        left.addLayout(buttons)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(330)
        row.addWidget(side)
        self.plot = pyqtgraph.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.setAccessibleName("Front against time")
        self.plot.setMinimumSize(420, 400)
        row.addWidget(self.plot, 1)
        for line in (self.viscosity, self.drive):
            line.textChanged.connect(lambda _: self._work_out())
        self._work_out()

    def _line(self, form: QFormLayout, name: str, hint: str) -> QLineEdit:
        made = QLineEdit()
        made.setAccessibleName(name)
        made.setPlaceholderText(hint)
        form.addRow(name, made)
        return made

    def _work_out(self) -> None:
        self.fit = None
        readings: tuple[tuple[float, float], ...] = ()
        result = told = wrong = ""
        if not self.readings.toPlainText().strip():
            told = "The strip lies flat, so that resin neither climbs nor falls."
        else:
            try:
                readings = parse_fronts(self.readings.toPlainText(), self._units)
                viscosity = parse(self.viscosity.text(), "viscosity", self._units)
                drive = parse(self.drive.text(), "pressure difference", self._units)
                self._fraction = fraction = fibre_fraction(self.card, drive)
                self.fit = fit_strip(readings, fraction, viscosity, drive)
                result = f"K = {self.fit.permeability_m2:.2e} m²"
                worst = show(float(np.abs(self.fit.residuals_m).max()), "length", self._units)
                told = (
                    f"95 % between {self.fit.low_m2:.2e} and {self.fit.high_m2:.2e} m², at {fraction:.0%} fibre. "
                    f"Readings lie within {worst} of the curve. Across and through keep their ratio to it."
                )
            except (QuantityError, FabricTestRefusal) as error:
                wrong = str(error)
        self.found_text.setText(result)
        self.told.setText(told)
        self.error.setText(wrong)
        self.take.setEnabled(self.fit is not None)
        self._draw(readings)

    def _draw(self, readings: tuple[tuple[float, float], ...]) -> None:
        palette = theme.current.palette
        self.plot.clear()
        self.plot.setBackground(palette.field)
        for side, text in (("left", unit_shown("length", self._units)), ("bottom", "min")):
            axis = self.plot.getAxis(side)
            axis.setTextPen(palette.muted)
            axis.setPen(palette.rule)
            axis.setLabel(text, color=palette.muted)
        if not readings:
            return
        time, front = np.array(readings).T

        def shown(values: np.ndarray) -> list[float]:
            return [number_shown(float(value), "length", self._units) for value in values]

        if self.fit is not None:
            steps = np.linspace(max(self.fit.delay_s, 0.0), time[-1], 120)
            self.plot.plot(steps / 60, shown(self.fit.front_m(steps)), pen=pyqtgraph.mkPen(palette.accent, width=2))
        self.plot.plot(
            time / 60, shown(front), pen=None, symbol="o", symbolSize=8, symbolBrush=palette.field,
            symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
        )  # fmt: skip

    def _keep(self) -> None:
        if self.fit is None:
            return
        # the card's figures hold at its own fibre fraction
        packed = kozeny_carman_ratio(self._fraction, self.card.fibre_fraction)
        value = self.fit.permeability_m2 / packed
        ratio = value / self.card.permeability_along_m2.value
        spread = max(self.fit.spread, LEAST_SPREAD)
        along = Measured(value=value, spread=spread, source="strip test")
        # across and through were not measured: they keep their ratio to it, and their own spread
        across = revised(self.card.permeability_across_m2, value=self.card.permeability_across_m2.value * ratio)
        through = revised(self.card.permeability_through_m2, value=self.card.permeability_through_m2.value * ratio)
        self.card = revised(
            self.card, permeability_along_m2=along, permeability_across_m2=across, permeability_through_m2=through
        )
        self.accept()
