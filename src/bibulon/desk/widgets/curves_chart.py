"""A chart of several curves, with points and marks, each with its name."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import cycle

import numpy as np
import pyqtgraph
from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetricsF, QResizeEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bibulon.arrays import Floats
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.line_chart import dress, quiet_plot

NAME_SHARE = 0.8
"""An upright mark that stands further along than this share of the chart has its name on its left."""
SAME_SHARE = 0.02
"""Upright marks nearer to one another than this share of the chart's width are drawn as one."""
NAME_PX = 12
"""Marks are named in letters so large."""
AXIS_PX = 58
"""So much of a chart's width and height is its axes."""
MOST_NAMES_SHARE = 0.45
"""Names of marks take no more of a chart's height."""
SYMBOLS = ("o", "s", "t", "d", "+")
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
        self.setFixedHeight(height_px)
        self.shown = Drawn()
        self._axes = ("", "")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width() and self.shown.marks:
            self.draw(self.shown, *self._axes)  # whose names have other room now

    def draw(self, drawn: Drawn, bottom: str, left: str) -> None:
        """Show *drawn*, its axes counting in *bottom* and *left*."""
        self.shown, self._axes = drawn, (bottom, left)
        palette = theme.current.palette
        dress(self.plot, left, bottom)
        colours = (palette.accent, palette.ink, palette.feed, palette.caution, palette.muted)
        lines = [curve for curve in drawn.curves if not curve.dots]
        for at, curve in enumerate(lines):
            pen = pyqtgraph.mkPen(colours[at % len(colours)], width=2, style=STYLES[at % len(STYLES)])
            self.plot.plot(curve.along, curve.values, pen=pen)
        dots = [curve for curve in drawn.curves if curve.dots]
        for curve, symbol in zip(dots, cycle(SYMBOLS), strict=False):
            self.plot.plot(
                curve.along, curve.values, pen=None, symbol=symbol, symbolSize=7, symbolBrush=palette.field,
                symbolPen=pyqtgraph.mkPen(palette.ink, width=1.5),
            )  # fmt: skip
            if len(dots) > 1 and len(curve.along):
                text = pyqtgraph.TextItem(curve.name, color=palette.ink, anchor=(0, 0))
                text.setFont(theme.font(10))
                text.setPos(float(curve.along[-1]), float(curve.values[-1]))
                self.plot.addItem(text)
        along = [float(end) for curve in drawn.curves for end in (np.nanmin(curve.along), np.nanmax(curve.along))]
        along += [mark.at for mark in drawn.marks if mark.upright and along]
        begins_left = min(along) + NAME_SHARE * (max(along) - min(along)) if along else math.inf
        marks = self._apart(drawn)
        rows = self._rows(marks, begins_left, max(along, default=1.0) - min(along, default=0.0))
        row_share = (theme.font(NAME_PX).pixelSize() + 9) / max(self.height() - AXIS_PX, 1)
        for mark, row in zip(marks, rows, strict=True):
            pen = pyqtgraph.mkPen(palette.stop, width=1.2, style=Qt.PenStyle.DashLine)
            high_up = 0.99 - row_share * row if mark.upright else 0.03
            corner = (0 if mark.at < begins_left else 1, 0)  # its name on the side where there is room
            label = {
                "position": high_up,
                "color": palette.muted,
                "fill": palette.field,
                "movable": False,
                "anchors": [corner, corner] if mark.upright else [(0, 1), (0, 1)],
            }
            angle = 90 if mark.upright else 0
            line = pyqtgraph.InfiniteLine(mark.at, angle, pen, label=mark.name, labelOpts=label)
            line.label.setFont(theme.font(NAME_PX))
            self.plot.addItem(line)
        self._name(lines, [mark.at for mark in drawn.marks if mark.upright])
        values = [float(end) for curve in drawn.curves for end in (np.nanmin(curve.values), np.nanmax(curve.values))]
        values += [mark.at for mark in drawn.marks if not mark.upright]
        for side in ("left", "bottom"):  # an empty chart has no figures to count in
            self.plot.getAxis(side).setStyle(showValues=bool(values and along))
        if values and along:
            self.plot.setXRange(min(along), max(max(along), min(along) + 1e-9), padding=0.02)
            low, high = min(values), max(max(values), min(values) + 1e-6)
            named = min(row_share * (1 + max(rows)), MOST_NAMES_SHARE) if any(one.upright for one in marks) else 0.0
            over = max(0.16, 1.16 * named / (1 - named))  # room for their names
            self.plot.setYRange(low - 0.16 * (high - low), high + over * (high - low), padding=0)

    def _rows(self, marks: Sequence[Mark], begins_left: float, span: float) -> list[int]:
        """In which row from the top each upright mark has its name: the first in which it stands on no other's."""
        metrics = QFontMetricsF(theme.font(NAME_PX))
        by_px = span / max(self.width() - AXIS_PX, 1)
        ends: list[list[tuple[float, float]]] = []
        rows = []
        for mark in marks:
            wide = (metrics.horizontalAdvance(mark.name) + 12) * by_px
            begins = mark.at if mark.at < begins_left else mark.at - wide
            row = 0
            while (
                mark.upright
                and row < len(ends)
                and any(begins < end and start < begins + wide for start, end in ends[row])
            ):
                row += 1
            if mark.upright:
                ends += [[]] if row == len(ends) else []
                ends[row].append((begins, begins + wide))
            rows.append(row)
        return rows

    def _apart(self, drawn: Drawn) -> list[Mark]:
        """The marks, upright ones that stand as good as on one another made one."""
        along = [float(end) for curve in drawn.curves for end in (np.nanmin(curve.along), np.nanmax(curve.along))]
        near = SAME_SHARE * (max(along) - min(along)) if along else 0.0
        marks: list[Mark] = []
        for mark in drawn.marks:
            twin = next((at for at, one in enumerate(marks) if one.upright and abs(one.at - mark.at) <= near), None)
            if twin is None or not mark.upright:
                marks.append(mark)
            elif mark.name not in marks[twin].name:
                marks[twin] = replace(marks[twin], name=f"{marks[twin].name}, {mark.name}")
        return marks

    def _name(self, lines: Sequence[Curve], marks: Sequence[float]) -> None:
        """Write the name of each line where it is furthest from the others, and off the upright *marks*."""
        if not lines:
            return
        palette = theme.current.palette
        low, high = (float(end(np.concatenate([curve.along for curve in lines]))) for end in (np.min, np.max))
        places = np.linspace(low + 0.12 * (high - low), low + 0.9 * (high - low), 24)
        values = np.array([np.interp(places, curve.along, curve.values, np.nan, np.nan) for curve in lines])
        taken: list[int] = []
        for at, curve in enumerate(lines):
            if not curve.name or np.isnan(values[at]).all():
                continue
            others = np.abs(np.delete(values, at, axis=0) - values[at])
            room = np.nanmin(np.nan_to_num(others, nan=np.inf), axis=0) if len(others) else np.ones(len(places))
            room = np.where(np.isnan(values[at]), -1.0, np.minimum(room, 1e9))
            free = ~np.isnan(values[at])
            for mark in marks:
                free &= np.abs(places - mark) > 0.09 * (high - low)
            for other in taken:  # names of lines that run together stand side by side
                free[max(other - 5, 0) : other + 6] = False
            room = np.where(free, room, -0.5) if free.any() else room
            best = int(np.argmax(room))
            taken.append(best)
            text = pyqtgraph.TextItem(curve.name, color=palette.ink, anchor=(0.5, 1))
            text.setFont(theme.font(10))
            text.setPos(float(places[best]), float(values[at, best]))
            self.plot.addItem(text)
