"""The chart of one figure over the shots of a series: individuals above, moving ranges below."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.line_chart import dress, quiet_plot
from bibulon.mould.shots import Chart

INDIVIDUALS_PX, RANGES_PX = 190, 110


class ControlChart(QWidget):
    """Individuals with their limits, and the moving ranges; shots that deserve a look stand out by shape and colour."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Individuals and moving ranges over the shots")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self._values, self._ranges = quiet_plot(), quiet_plot()
        self._values.setFixedHeight(INDIVIDUALS_PX)
        self._ranges.setFixedHeight(RANGES_PX)
        layout.addWidget(self._values)
        layout.addWidget(self._ranges)

    def draw(self, chart: Chart, number: Callable[[float], float], span: Callable[[float], float], unit: str) -> None:
        """Show *chart*; *number* turns a value, *span* a difference of two, into the shop's figure."""
        palette = theme.current.palette
        dress(self._values, unit, "")
        dress(self._ranges, "range", "shot")
        at = np.array(chart.numbers, dtype=np.float64)
        values = np.array([number(value) for value in chart.values])
        line = pyqtgraph.mkPen(palette.muted, width=1.2)
        limit = pyqtgraph.mkPen(palette.stop, width=1.4, style=Qt.PenStyle.DashLine)
        self._values.addLine(y=number(chart.middle), pen=line)
        for bound in (chart.low, chart.high):
            if bound is not None:
                self._values.addLine(y=number(bound), pen=limit)
        self._values.plot(at, values, pen=pyqtgraph.mkPen(palette.accent, width=1.4))
        odd = np.array([shot in chart.looks for shot in chart.numbers])
        for mine, symbol, size, colour in ((~odd, "o", 6, palette.accent), (odd, "d", 12, palette.stop)):
            self._values.plot(
                at[mine], values[mine], pen=None, symbol=symbol, symbolSize=size, symbolBrush=colour, symbolPen=colour
            )
        if len(chart.ranges):
            ranges = np.array([span(value) for value in chart.ranges])
            self._ranges.plot(
                at[1:], ranges, pen=pyqtgraph.mkPen(palette.vent, width=1.4), symbol="o", symbolSize=5,
                symbolBrush=palette.vent, symbolPen=palette.vent,
            )  # fmt: skip
            if chart.range_limit is not None:
                self._ranges.addLine(y=span(chart.range_limit), pen=limit)
        bounds = [*values, *(number(bound) for bound in (chart.low, chart.high) if bound is not None)]
        self._values.setYRange(min(bounds), max(bounds), padding=0.1)
        for plot in (self._values, self._ranges):
            plot.setXRange(at.min() - 0.5, max(at.max() + 0.5, at.min() + 5), padding=0.01)
