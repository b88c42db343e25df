"""The chart of a hold test: readings and the fitted curve."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.line_chart import dress, quiet_plot
from bibulon.job.hold import HoldTest
from bibulon.vacuum.hold import LeakFit


class HoldChart(QWidget):
    """Pressure against time."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Pressure against time")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._plot = quiet_plot()
        layout.addWidget(self._plot)
        self.setFixedHeight(150)

    def draw(self, test: HoldTest, fit: LeakFit, number: Callable[[float], float], unit: str) -> None:
        """Show *test* with its *fit*; *number* turns pascals into the shop's figure."""
        palette = theme.current.palette
        dress(self._plot, unit, "min")
        time, pressure = np.array(test.readings).T
        steps = np.linspace(time[0], time[-1], 120)
        fitted = [number(value) for value in fit.pressure_at(steps - time[0])]
        self._plot.plot(steps / 60, fitted, pen=pyqtgraph.mkPen(palette.accent, width=2))
        self._plot.plot(
            time / 60, [number(value) for value in pressure], pen=None, symbol="o", symbolSize=7,
            symbolBrush=palette.field, symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
        )  # fmt: skip
