"""The plumbing diagram on paper: bucket, hoses with bore and length, ports, part, pots and pump."""

from __future__ import annotations

from reportlab.lib import colors
from reportlab.platypus import Flowable

from bibulon.appearance import LIGHT
from bibulon.plumbing.layout import layout_of
from bibulon.plumbing.network import Hose, Network, Node
from bibulon.quantities import Units
from bibulon.quantities_in_words import brief

FEED, VENT, INK, MUTED, RULE, STOP = (
    colors.HexColor(code) for code in (LIGHT.feed, LIGHT.vent, LIGHT.ink, LIGHT.muted, LIGHT.rule, LIGHT.stop)
)
BOX_PT = (34.0, 16.0)
SIDE_PT, ROW_PT, LEAST_PT = 30.0, 30.0, 84.0
ROOM_PT = 100.0
"""A hose drawn as long as this has room for its label and length."""


class PlumbingDrawing(Flowable):
    """The diagram of *network*, *width* points wide, in the type *face*; what does not fit is marked."""

    def __init__(self, network: Network, units: Units, width: float, face: str) -> None:
        super().__init__()
        self.network, self.units, self.width, self.face = network, units, width, face
        self.places = layout_of(network)
        self.height = max(LEAST_PT, self.places.rows * ROW_PT + 26)

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        return self.width, self.height

    def _at(self, column: float, row: float) -> tuple[float, float]:
        across = (self.width - 2 * SIDE_PT) / max(self.places.columns, 1.0)
        return SIDE_PT + column * across, self.height - 8 - (row / self.places.rows) * (self.height - 26)

    def draw(self) -> None:
        canvas = self.canv
        if self.places.part is not None:
            left, top = self._at(self.places.part[0], 0.1)
            right, foot = self._at(self.places.part[1], self.places.rows - 0.1)
            canvas.setStrokeColor(RULE)
            canvas.rect(left, foot, right - left, top - foot)
            self._text("part", (left + right) / 2, (top + foot) / 2, MUTED)
        for hose in self.network.hoses:
            self._hose(hose)
        for node in self.network.nodes:
            self._node(node)

    def _hose(self, hose: Hose) -> None:
        canvas, half = self.canv, BOX_PT[0] / 2
        (x0, y0), (x1, y1) = (self._at(*self.places.places[name]) for name in (hose.start, hose.end))
        canvas.setStrokeColor(VENT if hose.side == "vent" else FEED)
        canvas.setLineWidth(1.6)
        size = brief(hose.card.bore_m, "thickness", self.units)
        if x1 - x0 > ROOM_PT:
            size = f"{hose.label}: {size} · {brief(hose.length_m, 'distance', self.units)}"
        if hose.side == "bypass":
            canvas.setDash(4, 2)
            canvas.lines([(x0, y0 - 8, x0, 6), (x0, 6, x1, 6), (x1, 6, x1, y1 - 8)])
            canvas.setDash()
            self._text(size, (x0 + x1) / 2, 9, MUTED)
        else:
            bend = max((x1 - x0 - 2 * half) / 2, 4.0)
            canvas.bezier(x0 + half, y0, x0 + half + bend, y0, x1 - half - bend, y1, x1 - half, y1)
            at = x1 - half - 34 if hose.side == "feed" else (x0 + x1) / 2
            self._text(size, at, y1 + (4 if y1 >= y0 - 1 else -9), MUTED)
        ends = ((x0, y0 - 8), (x1, y1 - 8)) if hose.side == "bypass" else ((x0 + half, y0), (x1 - half, y1))
        for joint, (x, y) in zip(hose.joints, ends, strict=True):
            if not joint.fits:
                canvas.setStrokeColor(STOP)
                canvas.circle(x, y, 4, fill=0)
                canvas.lines([(x - 2.5, y - 2.5, x + 2.5, y + 2.5), (x - 2.5, y + 2.5, x + 2.5, y - 2.5)])

    def _node(self, node: Node) -> None:
        canvas, (width, height) = self.canv, BOX_PT
        x, y = self._at(*self.places.places[node.id])
        canvas.setStrokeColor(FEED if node.kind in ("bucket", "manifold", "feed") else VENT)
        canvas.setFillColor(colors.white)
        canvas.setLineWidth(1.2)
        radius = height / 2 if node.kind in ("pump", "regulator") else 3
        canvas.roundRect(x - width / 2, y - height / 2, width, height, radius, fill=1)
        self._text("reg." if node.level_pa is not None else node.label, x, y - 3, INK)
        if node.level_pa is not None:
            self._text(f"{brief(node.level_pa, 'pressure', self.units)}, own pot", x, y - height / 2 - 8, MUTED)

    def _text(self, words: str, x: float, y: float, colour: colors.Color) -> None:
        self.canv.setFillColor(colour)
        self.canv.setFont(self.face, 6.5)
        self.canv.drawCentredString(x, y, words)
