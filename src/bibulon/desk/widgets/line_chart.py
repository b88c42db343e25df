"""A small chart of one figure against another."""

from __future__ import annotations

import numpy as np
import pyqtgraph
from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.arrays import Floats
from bibulon.desk.widgets import theme

HEIGHT_PX = 150
NEVER = ((np.inf, np.inf),)


class _PassWheel(QObject):
    """Passes turns of the wheel on to what the watched widget stands in."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.Wheel:
            return False
        event.ignore()
        return True


def quiet_plot() -> pyqtgraph.PlotWidget:
    """A plot that the mouse does nothing to."""
    pyqtgraph.setConfigOptions(antialias=True)
    plot = pyqtgraph.PlotWidget()
    plot.viewport().installEventFilter(_PassWheel(plot))
    plot.setMenuEnabled(False)
    plot.setMouseEnabled(False, False)
    plot.hideButtons()
    for part in (plot, plot.viewport()):  # nor is it a stop of the keyboard
        part.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return plot


def dress_axis(axis: pyqtgraph.AxisItem, text: str) -> None:
    """Put *axis* in the theme's colours with *text*, its figures as they are.

    The library scales figures below one by a thousand for a prefix of the unit, even where that is switched off: there
    are no ranges in which it may.
    """
    palette = theme.current.palette
    axis.setTextPen(palette.muted)
    axis.setPen(palette.rule)
    axis.setLabel(text, siPrefixEnableRanges=NEVER, color=palette.muted)
    axis.enableAutoSIPrefix(False)


def dress(plot: pyqtgraph.PlotWidget, left: str, bottom: str) -> None:
    """Empty *plot* and put it in the theme's colours, with what its axes count in."""
    palette = theme.current.palette
    plot.clear()
    plot.setBackground(palette.field)
    for side, text in (("left", left), ("bottom", bottom)):
        axis = plot.getAxis(side)
        dress_axis(axis, text)
        axis.setStyle(tickFont=theme.font(11))


class LineChart(QWidget):
    """One figure against another, as a line."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plot = quiet_plot()
        layout.addWidget(self.plot)
        self.setFixedHeight(HEIGHT_PX)

    def draw(self, along: Floats, values: Floats, bottom: str, left: str, zero: bool = False) -> None:
        """Show *values* over *along*, with the line of nothing if *zero*, and where they are least."""
        palette = theme.current.palette
        dress(self.plot, left, bottom)
        if zero:
            pen = pyqtgraph.mkPen(palette.stop, width=1.5, style=Qt.PenStyle.DashLine)
            self.plot.addLine(y=0.0, pen=pen)
        self.plot.plot(along, values, pen=pyqtgraph.mkPen(palette.accent, width=2))
        least = int(np.argmin(values))
        self.plot.plot(
            along[least : least + 1], values[least : least + 1], pen=None, symbol="o", symbolSize=8,
            symbolBrush=palette.field, symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
        )  # fmt: skip
        low, high = min(float(values.min()), 0.0 if zero else float(values.min())), float(values.max())
        self.plot.setYRange(low, max(high, low + 1e-9), padding=0.08)
