"""What is painted on the plan, one function a layer, from the paper up."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QPainter,
    QPainterPath,
    QPen,
    QPolygonF,
)
from shapely import LineString, Polygon, get_coordinates

from bibulon.assess import Assessment
from bibulon.bag.together import placings
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.marks import paint_squares
from bibulon.desk.plan.rim_layer import paint_port
from bibulon.desk.plan.text_box import text_box
from bibulon.desk.widgets import theme
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.cards import CoreCard
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.job.places import Outline
from bibulon.laminate.fibre import fibre_weights
from bibulon.laminate.joints import Ply, joint_id
from bibulon.plumbing.hose_way import tightest_bend, way_of
from bibulon.quantities import show
from bibulon.remembered import remembered

LABEL_PX = 12
HATCH_PX = 11.0


@remembered(8)
def _flange(of: tuple[Outline, float, float]) -> tuple[Point, ...]:
    """The edge of the flange of a width (m) round an outline, as finely as a scale of the screen shows it.

    Empty in the odd case where it is no one outline.
    """
    outline, width_m, scale = of
    seen = Polygon(Frame(scale, 0.0, 0.0).fine(outline))
    bare = seen if seen.is_valid else outline.polygon
    taped = bare.buffer(width_m, join_style="mitre", mitre_limit=2.0)
    return tuple(map(tuple, get_coordinates(taped.exterior).tolist())) if isinstance(taped, Polygon) else ()


def paint_part(painter: QPainter, frame: Frame, job: Job) -> None:
    """The flange and the part's paper."""
    palette = theme.current.palette
    wide = job.pair.seal_off_m + job.pair.flange_m if job.closed else 0.0 if job.in_mould else job.part.flange_width_m
    taped = _flange((job.part.outline, wide, frame.scale))
    painter.setPen(QPen(palette.colour("rule"), 1))
    painter.setBrush(palette.colour("paper", 150))
    if taped:
        painter.drawPolygon(frame.polygon(taped))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(palette.dry))
    painter.drawPath(frame.path(job.part))


def paint_together(painter: QPainter, frame: Frame, job: Job) -> None:
    """The other parts under the bag, with their lines, faintly."""
    palette = theme.current.palette
    for place in placings(job)[1:]:
        painter.setPen(QPen(palette.colour("muted", 190), 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(palette.colour("dry", 90))
        painter.drawPolygon(frame.polygon(place(job.part.outline)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in job.lines:
            painter.setPen(QPen(palette.colour("feed" if line.kind == "feed" else "vent", 120), 2.4))
            painter.drawPolyline(frame.polygon(place(line.points)))


def paint_outline(painter: QPainter, frame: Frame, job: Job) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.current.palette.ink), 2, j=Qt.PenJoinStyle.MiterJoin))
    painter.drawPath(frame.path(job.part))


def paint_relief(painter: QPainter, frame: Frame, job: Job, shade: QImage) -> None:
    """Light and shade of the mould's relief over the part."""
    outline = frame.polygon(job.part.outline)
    painter.save()
    painter.setClipPath(frame.path(job.part))
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(outline.boundingRect(), shade)
    painter.restore()


def paint_marked_cells(painter: QPainter, frame: Frame, cells: Sequence[Polygon]) -> None:
    """The cells whose figures the bench shows."""
    palette = theme.current.palette
    painter.setPen(QPen(QColor(palette.accent), 2.4))
    painter.setBrush(palette.colour("accent", 34))
    for cell in cells:
        path = QPainterPath()
        for ring in (cell.exterior, *cell.interiors):
            path.addPolygon(frame.ring(ring))
        painter.drawPath(path)


def paint_joints(painter: QPainter, frame: Frame, plies: Sequence[Ply], chosen: str, joints: bool) -> None:
    """The joints of all plies, each with the number of its ply, labels along the joint so that none hides another."""
    palette = theme.current.palette
    jointed = [ply for ply in plies if ply.joints] if joints else []
    for at, ply in enumerate(jointed):
        for number, joint in enumerate(ply.joints):
            places = [frame.to_screen((x, y)) for x, y in joint.coords]
            mine = chosen.startswith(joint_id(ply, 0)[:-1])
            wide = (3.4 if joint_id(ply, number) == chosen else 2.4) if mine else 1.6
            painter.setPen(QPen(QColor(palette.accent), wide, Qt.PenStyle.DashDotLine))
            painter.drawPolyline(QPolygonF(places))
            share = (at + 1) / (len(jointed) + 1)
            middle = joint.interpolate(share, normalized=True)
            text_box(painter, frame.to_screen((middle.x, middle.y)), f"P{ply.number}", palette.ink, palette.accent)


def paint_darts(painter: QPainter, frame: Frame, job: Job, plies: Sequence[Ply], chosen: str) -> None:
    """Every dart where it is drawn, filled, and faintly where it steps aside to in other plies."""
    palette = theme.current.palette
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(palette.colour("accent", 120), 1, Qt.PenStyle.DotLine))
    for wedge in {dart for ply in plies for dart in ply.darts}:
        painter.drawPolygon(frame.polygon(tuple((x, y) for x, y in wedge.exterior.coords)))
    for number, dart in enumerate(job.cutting.darts, 1):
        mine = dart.id == chosen
        painter.setPen(QPen(QColor(palette.accent), 2.4 if mine else 1.6))
        painter.setBrush(palette.colour("accent", 80 if mine else 45))
        (tip_x, tip_y), (x, y) = dart.tip, dart.mouth
        long = math.dist(dart.tip, dart.mouth) or 1.0
        aside = (-(y - tip_y) / long * dart.width_m / 2, (x - tip_x) / long * dart.width_m / 2)
        wedge_points = (dart.tip, (x + aside[0], y + aside[1]), (x - aside[0], y - aside[1]))
        painter.drawPolygon(frame.polygon(wedge_points))
        if mine:
            paint_squares(painter, frame, (dart.tip, dart.mouth))
        middle = frame.to_screen(((tip_x + x) / 2, (tip_y + y) / 2))
        text_box(painter, middle + QPointF(0, -14), f"dart {number}", palette.ink, palette.accent, 11)


def paint_sizes(painter: QPainter, frame: Frame, assessment: Assessment) -> None:
    """Length and width of the part, as dimension lines."""
    palette = theme.current.palette
    bounds = assessment.job.part.shape.bounds
    low, high = bounds[:2], bounds[2:]
    gap = assessment.job.part.flange_width_m
    a = frame.to_screen((low[0], low[1] - gap)) + QPointF(0, 16)
    b = frame.to_screen((high[0], low[1] - gap)) + QPointF(0, 16)
    c = frame.to_screen((low[0] - gap, low[1])) - QPointF(16, 0)
    d = frame.to_screen((low[0] - gap, high[1])) - QPointF(16, 0)
    pen = QPen(QColor(palette.muted), 1)
    for start, end, across in ((a, b, QPointF(0, 5)), (c, d, QPointF(5, 0))):
        painter.setPen(pen)
        painter.drawLine(start, end)
        for tip in (start, end):
            painter.drawLine(tip - across, tip + across)
    units = assessment.units
    text_box(
        painter,
        QPointF((a.x() + b.x()) / 2, a.y()),
        show(float(high[0] - low[0]), "length", units),
        palette.ink,
        size=13,
    )
    text_box(
        painter,
        QPointF(c.x(), (c.y() + d.y()) / 2),
        show(float(high[1] - low[1]), "length", units),
        palette.ink,
        size=13,
    )


def paint_regions(painter: QPainter, frame: Frame, job: Job, named: bool) -> None:
    """Region borders, dashed, with their names where there is room."""
    palette = theme.current.palette
    for region in job.regions:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(palette.colour("muted", 190), 1, Qt.PenStyle.DashLine))
        painter.drawPolygon(frame.polygon(region.outline))
        if named:
            corner = min((frame.to_screen(place) for place in region.outline), key=lambda at: at.x() + at.y())
            width = QFontMetricsF(theme.font(12, QFont.Weight.DemiBold)).horizontalAdvance(region.name)
            text_box(painter, corner + QPointF(width / 2 + 12, 14), region.name, palette.muted)


def paint_stack(painter: QPainter, frame: Frame, assessment: Assessment) -> None:
    """Cells hatched by every direction that their topmost ply has fibre in, a mat dotted; deeper stacks are darker."""
    palette = theme.current.palette
    cells = assessment.laminate.cells
    thickest = max((cell.stack.laminate_thickness_m for cell in cells), default=0.0) or 1.0
    known = {card.id: card for card in assessment.job.cards}
    cores = {name for name, card in known.items() if isinstance(card, CoreCard)}
    filled: dict[tuple[bool, int], QPainterPath] = {}  # many cells share a colour or a hatch: fewer, larger paths
    hatched: dict[float, QPainterPath] = {}
    dotted = QPainterPath()
    for cell in cells:
        path = QPainterPath()
        for ring in (cell.polygon.exterior, *cell.polygon.interiors):
            path.addPolygon(frame.ring(ring))
        stack = cell.stack
        top = next((layer for layer in reversed(stack.layers) if layer.card not in cores), None)
        cored = any(layer.card in cores for layer in stack.layers)
        depth = 60 + round(90 * stack.laminate_thickness_m / thickest)
        filled.setdefault((cored, depth), QPainterPath()).addPath(path)
        if top is not None:
            directions = fibre_weights(top, known[top.card])
            for angle_deg in directions:
                hatched.setdefault(angle_deg, QPainterPath()).addPath(path)
            if not directions:
                dotted.addPath(path)
    for (cored, depth), path in filled.items():
        painter.fillPath(path, palette.colour("media" if cored else "dry", depth))
    for angle_deg, path in hatched.items():
        _hatch(painter, frame, path, angle_deg, palette.colour("muted", 70))
    painter.fillPath(dotted, QBrush(palette.colour("muted", 110), Qt.BrushStyle.Dense7Pattern))


def _hatch(painter: QPainter, frame: Frame, path: QPainterPath, angle_deg: float, colour: QColor) -> None:
    """Parallel lines at *angle_deg* inside *path*, counted from the origin of the plan."""
    box = path.boundingRect().intersected(QRectF(painter.viewport()))
    if box.isEmpty():
        return
    origin = frame.to_screen((0.0, 0.0))
    turn = math.radians(-angle_deg)  # the screen's y runs down
    along, across = QPointF(math.cos(turn), math.sin(turn)), QPointF(-math.sin(turn), math.cos(turn))
    corners = [corner - origin for corner in (box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight())]
    reach = [QPointF.dotProduct(corner, along) for corner in corners]
    steps = [QPointF.dotProduct(corner, across) / HATCH_PX for corner in corners]
    feet = [origin + across * (step * HATCH_PX) for step in range(math.ceil(min(steps)), math.floor(max(steps)) + 1)]
    painter.save()
    painter.setClipPath(path, Qt.ClipOperation.IntersectClip)
    painter.setPen(QPen(colour, 1))
    painter.drawLines([QLineF(foot + along * min(reach), foot + along * max(reach)) for foot in feet])
    painter.restore()


def paint_media(painter: QPainter, frame: Frame, job: Job, chosen: str) -> None:
    """Flow media as a net."""
    palette = theme.current.palette
    for patch in job.media:
        painter.setPen(QPen(palette.colour("muted", 150), 2.2 if patch.id == chosen else 1))
        painter.setBrush(palette.colour("media", 70))
        painter.drawPolygon(frame.polygon(patch.outline))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(palette.colour("muted", 60), Qt.BrushStyle.DiagCrossPattern))
        painter.drawPolygon(frame.polygon(patch.outline))


# -- lines -------------------------------------------------------------------------------------------------------------


def paint_line(painter: QPainter, frame: Frame, line: Line, chosen: bool) -> None:
    """A feed solid with chevrons, a vent as open dashes with rings; port and label."""
    if line.is_port:
        paint_port(painter, frame, line, chosen)
        return
    palette = theme.current.palette
    points = [frame.to_screen(place) for place in line.points]
    colour = QColor(palette.feed if line.kind == "feed" else palette.vent)
    if chosen:
        painter.setPen(QPen(palette.colour("accent", 90), 13, c=Qt.PenCapStyle.RoundCap, j=Qt.PenJoinStyle.RoundJoin))
        painter.drawPolyline(QPolygonF(points))
    # a light edge, so that the line stands out from any colour of the fill
    edge = palette.colour("paper", 215)
    painter.setPen(QPen(edge, 8, c=Qt.PenCapStyle.FlatCap, j=Qt.PenJoinStyle.RoundJoin))
    painter.drawPolyline(QPolygonF(points))
    pen = QPen(colour, 4, c=Qt.PenCapStyle.FlatCap, j=Qt.PenJoinStyle.RoundJoin)
    if line.kind == "vent":
        pen.setDashPattern([3.2, 2.2])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(points))
    shape = LineString([(point.x(), point.y()) for point in points])
    count = max(int(shape.length / 70), 1)
    for index in range(count):
        at = (index + 0.5) / count
        here, ahead = (shape.interpolate(min(at + d, 1.0), normalized=True) for d in (0, 0.002))
        angle = math.degrees(math.atan2(ahead.y - here.y, ahead.x - here.x))
        painter.save()
        painter.translate(here.x, here.y)
        painter.rotate(angle)
        if line.kind == "feed":
            chevron = QPolygonF([QPointF(-3, -6), QPointF(3, 0), QPointF(-3, 6)])
            for ink, width in ((edge, 5.4), (colour, 2.2)):
                painter.setPen(QPen(ink, width, c=Qt.PenCapStyle.RoundCap))
                painter.drawPolyline(chevron)
        else:
            painter.setPen(QPen(colour, 2))
            painter.setBrush(QColor(palette.paper))
            painter.drawEllipse(QPointF(0, 0), 4.5, 4.5)
        painter.restore()
    if chosen:
        painter.setPen(QPen(QColor(palette.accent), 2))
        painter.setBrush(QColor(palette.field))
        for point in points:
            painter.drawRect(QRectF(point.x() - 4.5, point.y() - 4.5, 9, 9))


def paint_hose(painter: QPainter, frame: Frame, job: Job, line: Line, chosen: bool) -> None:
    """The way of a line's hose, round its corners as widely as it can go, with an open end where it leads to and a mark
    where it kinks."""
    bend, least = tightest_bend(way_of(line)), job.card(line.hose, TubeCard).least_bend_m
    way = [frame.to_screen(place) for place in way_of(line)]
    palette = theme.current.palette
    path = _rounded(way, bend[0] * frame.scale if bend is not None else 0.0)
    colour = QColor(palette.feed if line.kind == "feed" else palette.vent)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if chosen:
        painter.setPen(QPen(palette.colour("accent", 90), 11, c=Qt.PenCapStyle.RoundCap))
        painter.drawPath(path)
    for ink, width in ((colour, 5.0), (palette.colour("paper", 235), 2.6)):
        painter.setPen(QPen(ink, width, c=Qt.PenCapStyle.FlatCap, j=Qt.PenJoinStyle.RoundJoin))
        painter.drawPath(path)
    painter.setPen(QPen(colour, 2))
    painter.setBrush(QColor(palette.paper))
    painter.drawEllipse(way[-1], 6.0, 6.0)
    if bend is not None and least is not None and bend[0] < least:
        painter.setPen(QPen(QColor(palette.caution), 2.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(frame.to_screen(bend[1]), 9.0, 9.0)
    if chosen:
        paint_squares(painter, frame, line.hose_way)


def _rounded(way: list[QPointF], radius_px: float) -> QPainterPath:
    """The chain of points *way* with its corners rounded."""
    path = QPainterPath(way[0])
    for before, corner, after in zip(way, way[1:], way[2:], strict=False):
        first, second = QLineF(corner, before), QLineF(corner, after)
        turn = math.radians(180 - min(first.angleTo(second), second.angleTo(first)))
        reach = radius_px * math.tan(turn / 2)
        first.setLength(min(reach, first.length()))
        second.setLength(min(reach, second.length()))
        path.lineTo(first.p2())
        path.quadTo(corner, second.p2())
    path.lineTo(way[-1])
    return path


def label_place(frame: Frame, line: Line) -> QPointF:
    """Where the valve label of *line* stands: at its port, of a branch on its middle."""
    port = LineString(line.points).interpolate(0.5 if line.fed_by else line.port_at, normalized=True)
    beside = QPointF(0, -24) if line.is_port else QPointF(0, 0)
    return frame.to_screen((port.x, port.y)) + beside


def paint_label(painter: QPainter, frame: Frame, line: Line) -> None:
    palette = theme.current.palette
    colour = palette.feed if line.kind == "feed" else palette.vent
    text_box(painter, label_place(frame, line), line.label or "?", palette.ink, colour, 14)
