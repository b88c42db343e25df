"""How a fabric packs, drawn."""

from __future__ import annotations

import numpy as np
import pyqtgraph
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QWidget,
)

from bibulon.desk.widgets import theme
from bibulon.desk.widgets.line_chart import dress_axis
from bibulon.job.cards import FabricCard
from bibulon.laminate.compaction import fibre_fraction
from bibulon.quantities import Units, number_shown, unit_shown

PACKING_PA = (1_000.0, 200_000.0)
PLOT_PX = 170


def packing_curve(card: FabricCard, units: Units) -> QWidget:
    """How the fabric packs, as a curve with its spread."""
    palette = theme.current.palette
    plot = pyqtgraph.PlotWidget()
    plot.setMenuEnabled(False)
    plot.setMouseEnabled(False, False)
    plot.hideButtons()
    plot.setFixedHeight(PLOT_PX)
    plot.setBackground(palette.field)
    plot.setAccessibleName("Packing curve")
    plot.setToolTip("Fibre by volume against the pressure on it, with one standard deviation to either side")
    texts = {"left": "fibre, %", "bottom": f"pressure, {unit_shown('pressure difference', units)}"}
    for side, text in texts.items():
        dress_axis(plot.getAxis(side), text)
    pressures = np.geomspace(*PACKING_PA, 60)
    shown = [number_shown(float(pressure), "pressure difference", units) for pressure in pressures]
    packed = np.array([fibre_fraction(card, float(pressure)) for pressure in pressures]) * 100
    for factor in (card.fibre_fraction_spread, 1 / card.fibre_fraction_spread):
        plot.plot(shown, packed * factor, pen=pyqtgraph.mkPen(palette.muted, width=1, style=Qt.PenStyle.DashLine))
    plot.plot(shown, packed, pen=pyqtgraph.mkPen(palette.accent, width=2))
    shown_as: QWidget = plot
    return shown_as
