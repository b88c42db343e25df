"""The plumbing diagram painted: bucket, hoses, ports, part, pots and pump; what does not fit is red at its joint."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from bibulon.appearance import FAMILY, NARROW
from bibulon.desk.widgets import theme
from bibulon.desk.work.document import Document
from bibulon.job import Job
from bibulon.plumbing.layout import DiagramLayout, layout_of
from bibulon.plumbing.network import Hose, Network, Node, network_of
from bibulon.quantities import Units
from bibulon.quantities_in_words import brief

SIDE_PX, TOP_PX, ROW_PX = 46.0, 20.0, 44.0
LEVEL_PX = 4.0
LEAST_HEIGHT_PX = 128
BOX = QSize(46, 24)
BUCKET_PX, POT_PX, PUMP_PX = QSize(38, 38), QSize(30, 40), QSize(40, 40)
MANIFOLD_PX = QSize(14, 44)
CLAMP_AT = 0.3
"""Clamps are drawn at this share of a hose from its ends."""
PICK_PX = 7.0


class PlumbingPicture(QWidget):
    """The diagram of the job of *document*; ``chosen`` is the node or hose that is marked."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.chosen = ""
        self._drawn: tuple[Job, Network, DiagramLayout] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    @property
    def network(self) -> Network:
        return self._current()[1]

    @property
    def layout_now(self) -> DiagramLayout:
        return self._current()[2]

    def _current(self) -> tuple[Job, Network, DiagramLayout]:
        job = self.document.job
        if self._drawn is None or self._drawn[0] is not job:
            network = network_of(job)
            self._drawn = job, network, layout_of(network)
        return self._drawn

    @property
    def units(self) -> Units:
        return self.document.assessment.units

    def least_height(self) -> int:
        return max(LEAST_HEIGHT_PX, round(2 * TOP_PX + self.layout_now.rows * ROW_PX))

    # -- places ------------------------------------------------------------------------------------------------------

    def at(self, column: float, row: float) -> QPointF:
        layout = self.layout_now
        across = (self.width() - 2 * SIDE_PX) / max(layout.columns, 1.0)
        down = (self.height() - 2 * TOP_PX - (14 if self.document.job.plumbing.bypass else 0)) / layout.rows
        return QPointF(SIDE_PX + column * across, TOP_PX + row * down)

    def place(self, name: str) -> QPointF:
        """The middle of the node of that *name*."""
        return self.at(*self.layout_now.places[name])

    def box(self, node: Node) -> QRectF:
        """What *node* covers."""
        sizes = {"bucket": BUCKET_PX, "pot": POT_PX, "pump": PUMP_PX, "regulator": PUMP_PX, "manifold": MANIFOLD_PX}
        size = sizes.get(node.kind, BOX)
        middle = self.place(node.id)
        return QRectF(middle.x() - size.width() / 2, middle.y() - size.height() / 2, size.width(), size.height())

    def path(self, hose: Hose) -> QPainterPath:
        """The course of *hose*, from its start to its end."""
        start, end = self.box(self.network.node(hose.start)), self.box(self.network.node(hose.end))
        if hose.side == "bypass":
            path = QPainterPath(QPointF(start.center().x(), start.bottom()))
            floor = self.height() - 12.0
            path.lineTo(start.center().x(), floor - 8)
            path.quadTo(start.center().x(), floor, start.center().x() + 8, floor)
            path.lineTo(end.center().x() - 8, floor)
            path.quadTo(end.center().x(), floor, end.center().x(), floor - 8)
            path.lineTo(end.center().x(), end.bottom())
            return path
        first, last = QPointF(start.right(), start.center().y()), QPointF(end.left(), end.center().y())
        bend = max((last.x() - first.x()) * 0.5, 12.0)
        path = QPainterPath(first)
        path.cubicTo(first + QPointF(bend, 0), last - QPointF(bend, 0), last)
        return path

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = theme.current.palette
        painter.fillRect(self.rect(), palette.colour("paper"))
        if not self.network.nodes:
            painter.setPen(palette.colour("muted"))
            painter.setFont(self._font(13))
            text = "Draw a feed and a vent on the plan: their hoses appear here."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            painter.end()
            return
        self._paint_part(painter)
        for hose in self.network.hoses:
            self._paint_hose(painter, hose)
        for node in self.network.nodes:
            self._paint_node(painter, node)
        for hose in self.network.hoses:
            self._paint_joints(painter, hose)
        painter.end()

    def _font(self, size: int, family: str = FAMILY, bold: bool = False) -> QFont:
        font = QFont(family)
        font.setPixelSize(round(size * theme.current.text_scale))
        font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
        return font

    def _paint_part(self, painter: QPainter) -> None:
        edges = self.layout_now.part
        if edges is None:
            return
        palette = theme.current.palette
        left, right = self.at(edges[0], 0), self.at(edges[1], self.layout_now.rows)
        box = QRectF(left, right).adjusted(0, 4, 0, -4)
        painter.setPen(QPen(palette.colour("rule"), 1.2))
        painter.setBrush(palette.colour("dry"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(palette.colour("muted"))
        painter.setFont(self._font(12))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "part")
        for node in self.network.nodes:
            if node.kind in ("feed", "vent"):
                edge = box.left() if node.kind == "feed" else box.right()
                own = self.box(node)
                near = own.right() if node.kind == "feed" else own.left()
                painter.setPen(QPen(palette.colour(node.kind), 1.4, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(near, own.center().y()), QPointF(edge, own.center().y()))

    def _colour(self, hose: Hose) -> QColor:
        return theme.current.palette.colour("vent" if hose.side == "vent" else "feed")

    def _paint_hose(self, painter: QPainter, hose: Hose) -> None:
        palette, path = theme.current.palette, self.path(hose)
        width = 2.2 + min(hose.card.bore_m * 120, 3.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if hose.name == self.chosen:
            painter.setPen(QPen(palette.colour("accent", 70), width + 9, c=Qt.PenCapStyle.RoundCap))
            painter.drawPath(path)
        style = Qt.PenStyle.DashLine if hose.side == "bypass" else Qt.PenStyle.SolidLine
        painter.setPen(QPen(self._colour(hose), width, style, Qt.PenCapStyle.FlatCap))
        painter.drawPath(path)
        if hose.kinks:
            self._paint_kink(painter, path, "note" if hose.side == "vent" else "stop")
        if hose.clamp is not None:
            shares = (1 - CLAMP_AT, CLAMP_AT)[: max(min(hose.clamps, 2), 0)]
            for share in shares if hose.side != "vent" else (CLAMP_AT,):
                self._paint_clamp(painter, path, share, "ink" if hose.clamp.shuts else "stop")
        self._paint_size(painter, hose, path)

    def _paint_clamp(self, painter: QPainter, path: QPainterPath, share: float, colour: str) -> None:
        painter.save()
        painter.translate(path.pointAtPercent(share))
        painter.rotate(-path.angleAtPercent(share))
        painter.setPen(QPen(theme.current.palette.colour(colour), 2.2, c=Qt.PenCapStyle.RoundCap))
        for along in (-2.2, 2.2):
            painter.drawLine(QPointF(along, -6.5), QPointF(along, 6.5))
        painter.restore()

    def _paint_kink(self, painter: QPainter, path: QPainterPath, colour: str) -> None:
        painter.save()
        painter.translate(path.pointAtPercent(0.5))
        painter.rotate(-path.angleAtPercent(0.5))
        painter.setPen(QPen(theme.current.palette.colour(colour), 2.6, c=Qt.PenCapStyle.RoundCap))
        painter.drawPolyline([QPointF(-9, 0), QPointF(-3, -7), QPointF(3, 7), QPointF(9, 0)])
        painter.restore()

    def _paint_size(self, painter: QPainter, hose: Hose, path: QPainterPath) -> None:
        """Bore and length over the hose, where there is room."""
        palette = theme.current.palette
        bore, length = brief(hose.card.bore_m, "thickness", self.units), brief(hose.length_m, "distance", self.units)
        font = self._font(11, NARROW)
        painter.setFont(font)
        metrics = QFontMetricsF(font)
        words = f"{bore} · {length}" if hose.side != "bypass" else f"{hose.label}  {bore} · {length}"
        box = metrics.boundingRect(words).adjusted(-2, 0, 2, 0)
        if hose.side != "bypass" and box.width() > path.length() - 40:
            words = bore
            box = metrics.boundingRect(words).adjusted(-2, 0, 2, 0)
        at = path.pointAtPercent(1.0 if hose.side == "feed" else 0.5 if hose.clamp is None else 0.66)
        fall = path.pointAtPercent(1.0).y() - path.pointAtPercent(0.0).y()
        if hose.side == "feed":  # beside its end, where hoses from one source have parted
            below = at.y() > path.pointAtPercent(0.0).y() + 4
            box.moveCenter(QPointF(at.x() - 10 - box.width() / 2, at.y() + (12 if below else -12)))
        elif abs(fall) > LEVEL_PX:  # beside its start, off the side it turns to: farther on hoses come together
            start, away = path.pointAtPercent(0.0), -12 if fall > 0 else 12
            box.moveCenter(QPointF(start.x() + 12 + box.width() / 2, start.y() + away))
        else:
            box.moveCenter(QPointF(at.x(), at.y() - 12))
        painter.setPen(palette.colour("muted"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_joints(self, painter: QPainter, hose: Hose) -> None:
        palette, path = theme.current.palette, self.path(hose)
        for joint, share in zip(hose.joints, (0.0, 1.0), strict=True):
            at = path.pointAtPercent(share)
            if joint.reducer is not None:
                painter.setPen(QPen(palette.colour("ink"), 1.2))
                painter.setBrush(palette.colour("paper"))
                inward = 8.0 if share == 0.0 else -8.0
                painter.drawPolygon(
                    [at + QPointF(inward * 0.2, -6), at + QPointF(inward * 1.6, -3), at + QPointF(inward * 1.6, 3),
                     at + QPointF(inward * 0.2, 6)]
                )  # fmt: skip
            if joint.fits:
                colour = palette.colour("caution") if joint.verdict == "warmed" else self._colour(hose)
                painter.setPen(QPen(palette.colour("paper"), 1.2))
                painter.setBrush(colour)
                painter.drawEllipse(at, 3.6, 3.6)
                continue
            painter.setPen(QPen(palette.colour("stop"), 2.4))
            painter.setBrush(palette.colour("paper"))
            painter.drawEllipse(at, 7.0, 7.0)
            painter.drawLine(at + QPointF(-3, -3), at + QPointF(3, 3))
            painter.drawLine(at + QPointF(-3, 3), at + QPointF(3, -3))

    def _paint_node(self, painter: QPainter, node: Node) -> None:
        palette, box = theme.current.palette, self.box(node)
        if node.id == self.chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(palette.colour("accent", 70))
            painter.drawRoundedRect(box.adjusted(-5, -5, 5, 5), 7, 7)
        kinds = {"feed": "feed", "manifold": "feed", "bucket": "feed", "vent": "vent"}
        colour = palette.colour(kinds.get(node.kind, "vent"))
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(palette.colour("field"))
        under = True
        if node.kind in ("feed", "vent"):
            painter.drawRoundedRect(box, 5, 5)
            under = False
        elif node.kind == "bucket":
            path = QPainterPath(box.topLeft())
            for corner in (box.bottomLeft() + QPointF(5, 0), box.bottomRight() - QPointF(5, 0), box.topRight()):
                path.lineTo(corner)
            painter.drawPath(path)
            level = QRectF(box.left() + 4, box.center().y() - 2, box.width() - 8, box.height() / 2)
            painter.fillRect(level, palette.colour("feed", 60))
        elif node.kind == "manifold":
            painter.setBrush(palette.colour("feed", 40))
            painter.drawRoundedRect(box, 6, 6)
        elif node.kind == "pot":
            painter.drawRoundedRect(box, 4, 4)
            painter.drawLine(box.topLeft() + QPointF(-2, 6), box.topRight() + QPointF(2, 6))
        else:
            painter.drawEllipse(box)
        painter.setPen(palette.colour("ink"))
        painter.setFont(self._font(13 if not under else 12, bold=not under))
        if node.kind == "bucket":
            above = QRectF(box.center().x() - 60, box.top() - 18, 120, 16)
            painter.drawText(above, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom, node.label)
            return
        if node.kind == "pot":
            painter.drawText(box.adjusted(0, 7, 0, 0), Qt.AlignmentFlag.AlignCenter, node.label)
            return
        if not under:
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, node.label or "?")
            return
        words = QRectF(box.center().x() - 60, box.bottom() + 1, 120, 16)
        text = "and spare" if node.kind == "pump" and self.document.job.plumbing.spare_pump else node.label
        if node.kind in ("pump", "regulator"):
            painter.setFont(self._font(11, bold=True))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "pump" if node.kind == "pump" else "reg.")
            text = "and spare" if text == "and spare" else ""
        if node.level_pa is not None:
            text = f"{brief(node.level_pa, 'pressure', self.units)}, own pot"
        painter.setFont(self._font(12))
        painter.drawText(words, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, text)
