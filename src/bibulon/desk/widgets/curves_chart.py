"""A chart of several curves, with points and marks, each with its name."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import pyqtgraph
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.arrays import Floats
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.line_chart import dress, quiet_plot

STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


@dataclass(frozen=True, eq=False)
class Curve:
    """A line, or with ``dots`` points, and its name."""

    along: Floats
    values: Floats
    name: str = ""
    dots: bool = False


@dataclass(frozen=True, eq=False)
class Mark:
    """A level across the chart (or with ``upright`` a moment), and what it stands for."""

    at: float
    name: str
    upright: bool = False


@dataclass(eq=False)
class Drawn:
    """What a chart shows."""

    curves: Sequence[Curve] = ()
    marks: Sequence[Mark] = field(default_factory=tuple)


class CurvesChart(QWidget):
    """Curves over one another; told apart by their strokes and names, not by colour alone."""

    def __init__(self, name: str, height_px: int = 190) -> None:
        super().__init__()
        self.setAccessibleName(name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plot = quiet_plot()
        layout.addWidget(self.plot)
        self.setMinimumHeight(height_px)
        self.setMaximumHeight(height_px * 3)
        self.shown = Drawn()

    def draw(self, drawn: Drawn, bottom: str, left: str) -> None:
        """Show *drawn*, its axes counting in *bottom* and *left*."""
        self.shown = drawn
        palette = theme.current.palette
        dress(self.plot, left, bottom)
        colours = (palette.accent, palette.ink, palette.feed, palette.caution, palette.muted)
        lines = [curve for curve in drawn.curves if not curve.dots]
        for at, curve in enumerate(lines):
            pen = pyqtgraph.mkPen(colours[at % len(colours)], width=2, style=STYLES[at % len(STYLES)])
            self.plot.plot(curve.along, curve.values, pen=pen)
        for curve in drawn.curves:
            if curve.dots:
                self.plot.plot(
                    curve.along, curve.values, pen=None, symbol="o", symbolSize=7, symbolBrush=palette.field,
                    symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
                )  # fmt: skip
        for mark in drawn.marks:
            pen = pyqtgraph.mkPen(palette.stop, width=1.2, style=Qt.PenStyle.DashLine)
            label = {"position": 0.03 if not mark.upright else 0.94, "color": palette.muted, "movable": False,
                     "anchors": [(0, 1), (0, 1)]}  # fmt: skip
            angle = 90 if mark.upright else 0
            self.plot.addItem(pyqtgraph.InfiniteLine(mark.at, angle, pen, label=mark.name, labelOpts=label))
        self._name(lines)
        values = [float(end) for curve in drawn.curves for end in (np.nanmin(curve.values), np.nanmax(curve.values))]
        values += [mark.at for mark in drawn.marks if not mark.upright]
        along = [float(end) for curve in drawn.curves for end in (np.nanmin(curve.along), np.nanmax(curve.along))]
        if values and along:
            self.plot.setXRange(min(along), max(max(along), min(along) + 1e-9), padding=0.02)
            self.plot.setYRange(min(values), max(max(values), min(values) + 1e-6), padding=0.1)

    def _name(self, lines: Sequence[Curve]) -> None:
        """Write the name of each line at its end."""
        palette = theme.current.palette
        taken: list[float] = []
        for curve in lines:
            if not curve.name or not len(curve.values):
                continue
            text = pyqtgraph.TextItem(curve.name, color=palette.muted, anchor=(1, 1))
            text.setFont(theme.font(10))
            at = int(len(curve.values) * (0.98 - 0.12 * (len(taken) % 4)))
            text.setPos(float(curve.along[at]), float(curve.values[at]))
            self.plot.addItem(text)
            taken.append(float(curve.values[at]))
