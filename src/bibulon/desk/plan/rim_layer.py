"""The rim of a closed mould on the plan: channel, seals, the flange between them, and how well it stays shut."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from shapely import Point as Place

from bibulon.assess import Assessment
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.text_box import text_box
from bibulon.desk.widgets import theme
from bibulon.flow.cavity import grown, seam_of
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.lines import Line
from bibulon.job.places import Outline
from bibulon.mould.clamp import clamp_n_m
from bibulon.mould.fittings import flange_ring, gauge_pa
from bibulon.mould.pots import pot_key, pot_places
from bibulon.quantities import show
from bibulon.remembered import remembered

LITTLE_SHARE = 0.25
"""A margin below this share of what the clamp holds is drawn as little."""


@remembered(8)
def _lines(of: tuple[Outline, float, float]) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Inner and outer seal round an outline, at those distances."""
    outline, inner_m, outer_m = of
    return tuple(tuple((x, y) for x, y in grown(outline.polygon, off).exterior.coords) for off in (inner_m, outer_m))


def paint_rim(painter: QPainter, frame: Frame, assessment: Assessment, time_s: float | None, chosen: str = "") -> None:
    """Flange, seals and channel, one of which may be *chosen*; along the inner seal what the clamp has left at *time_s*
    (None: at the worst)."""
    job, palette = assessment.job, theme.current.palette
    pair = job.pair
    inner, outer = _lines((job.part.outline, pair.seal_off_m, pair.seal_off_m + pair.flange_m))
    inner_ring, outer_ring = frame.polygon(inner), frame.polygon(outer)
    flange = QPainterPath()
    flange.addPolygon(outer_ring)
    flange.addPolygon(inner_ring)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.fillPath(flange, palette.colour("vent", 36))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for ring, dashed in ((outer_ring, True), (inner_ring, False)):
        pen = QPen(palette.colour("vent", 190), 2.2, j=Qt.PenJoinStyle.RoundJoin)
        if dashed:
            pen.setDashPattern([5, 2.4])
        if chosen == ("outer seal" if dashed else "inner seal"):
            painter.setPen(QPen(palette.colour("accent", 150), 9, j=Qt.PenJoinStyle.RoundJoin))
            painter.drawPolygon(ring)
        painter.setPen(pen)
        painter.drawPolygon(ring)
    if pair.channel.profile != "none":
        wide = max(pair.channel.width_m * frame.scale, 3.0)
        if chosen == "channel":
            painter.setPen(QPen(palette.colour("accent", 150), wide + 8, j=Qt.PenJoinStyle.RoundJoin))
            painter.drawPolygon(frame.polygon(job.part.outline))
        painter.setPen(QPen(palette.colour("feed", 110), wide, j=Qt.PenJoinStyle.RoundJoin))
        painter.drawPolygon(frame.polygon(job.part.outline))
    _paint_margin(painter, frame, assessment, time_s)


def _paint_margin(painter: QPainter, frame: Frame, assessment: Assessment, time_s: float | None) -> None:
    """The margin as a band beside the inner seal: wider where more is left, hatched in the colour of a stop where the
    mould opens."""
    margin, palette = assessment.clamp, theme.current.palette
    if margin is None:
        return
    at = int(np.argmin(margin.least_n_m)) if time_s is None else int(np.searchsorted(margin.times_s, time_s))
    at = min(at, len(margin.times_s) - 1)
    held = max(clamp_n_m(assessment.job), 1.0)
    shares = margin.margin_n_m[at] / held
    middle = margin.places_m.mean(axis=0)
    order = np.argsort(np.arctan2(*(margin.places_m - middle).T[::-1]))
    places, shares = margin.places_m[order], shares[order]
    names = ["stop" if share < 0 else "caution" if share < LITTLE_SHARE else "good" for share in shares]
    on_screen = [frame.to_screen((float(x), float(y))) for x, y in places]
    for name in dict.fromkeys(names):
        path = QPainterPath()
        for number, own in enumerate(names):
            if own == name:
                path.moveTo((on_screen[number - 1] + on_screen[number]) * 0.5)
                path.lineTo(on_screen[number])
                path.lineTo((on_screen[number] + on_screen[(number + 1) % len(names)]) * 0.5)
        mine = [share for share, own in zip(shares, names, strict=True) if own == name]
        width = 3.0 + 6.0 * min(abs(float(np.mean(mine))), 1.0)
        pen = QPen(palette.colour(name), width, c=Qt.PenCapStyle.FlatCap, j=Qt.PenJoinStyle.RoundJoin)
        if name == "stop":
            pen.setDashPattern([0.5, 0.35])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
    spot = on_screen[int(np.argmin(shares))]
    painter.setPen(QPen(QColor(palette.ink), 1.6))
    painter.setBrush(QColor(palette.paper))
    painter.drawEllipse(spot, 4, 4)
    pair = assessment.job.pair
    low = float(margin.places_m[:, 1].min()) - pair.flange_m / 2
    text = f"least left ○ {show(float(margin.margin_n_m[at].min()), 'line force', assessment.units)}"
    text_box(painter, frame.to_screen((float(middle[0]), low)), text, palette.ink, palette.vent, 13)


def paint_seam(painter: QPainter, frame: Frame, job: Job) -> None:
    """The two sides of the plan that are one line of a hollow part."""
    seam, palette = seam_of(job), theme.current.palette
    if seam is None:
        return
    for run in (seam.one, seam.other):
        painter.setPen(QPen(palette.colour("accent", 200), 7, Qt.PenStyle.DotLine, Qt.PenCapStyle.FlatCap))
        painter.drawPolyline(QPolygonF([frame.to_screen(place) for place in run]))
        (x0, y0), (x1, y1) = run[0], run[-1]
        inwards = QPointF(0, -18 if y0 + y1 < 2 * job.part.outline.polygon.centroid.y else 18)
        middle = frame.to_screen((x0 + 0.72 * (x1 - x0), y0 + 0.72 * (y1 - y0)))
        text_box(painter, middle + inwards, "one line of the part", palette.ink, palette.accent, 12)


def paint_fittings(painter: QPainter, frame: Frame, assessment: Assessment, time_s: float | None, chosen: str) -> None:
    """Clamps as bars across the flange, dowels as pins, gauges as dials with what they show at *time_s*."""
    palette, fill = theme.current.palette, assessment.fill
    ring = flange_ring(assessment.job).exterior
    for fitting in assessment.job.pair.fittings:
        at = frame.to_screen(fitting.place)
        if fitting.id == chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(palette.colour("accent", 110))
            painter.drawEllipse(at, 16, 16)
        painter.setBrush(QColor(palette.paper))
        painter.setPen(QPen(QColor(palette.ink), 1.8))
        text = fitting.label
        if fitting.kind == "clamp":
            along = ring.project(Place(fitting.place))
            ahead = frame.to_screen(_xy(ring.interpolate((along + 1e-3) % ring.length)))
            painter.save()
            painter.translate(at)
            painter.rotate(math.degrees(math.atan2(ahead.y() - at.y(), ahead.x() - at.x())))
            painter.drawRoundedRect(QRectF(-5, -10, 10, 20), 2, 2)
            painter.drawLine(QPointF(-5, 3), QPointF(5, 3))
            painter.restore()
        elif fitting.kind == "dowel":
            painter.drawEllipse(at, 6, 6)
            painter.setBrush(QColor(palette.ink))
            painter.drawEllipse(at, 2, 2)
        else:
            painter.drawEllipse(at, 9, 9)
            painter.drawLine(at, at + QPointF(5, -5))
            shown = None if fill is None else gauge_pa(fill, fitting.place, fill.end_s if time_s is None else time_s)
            text += "" if shown is None else f"  {show(shown, 'pressure', assessment.units)}"
        if fitting.kind == "gauge" or fitting.id == chosen:
            text_box(painter, at + QPointF(0, 21), text, palette.ink, palette.vent, 12)


def paint_pots(painter: QPainter, frame: Frame, assessment: Assessment, time_s: float | None, chosen: str) -> None:
    """The catch pots of a mould with what they hold at *time_s*, and the hose from the vents to the first of them."""
    palette, job, fill = theme.current.palette, assessment.job, assessment.fill
    places = pot_places(job)
    spots = [frame.to_screen(places[pot_key(pot)]) for pot in job.pots if pot_key(pot) in places]
    if not spots:
        return
    painter.setPen(QPen(palette.colour("vent", 170), 2, Qt.PenStyle.DotLine))
    for vent in job.vents:
        painter.drawLine(frame.to_screen(vent.place), spots[0])
    for one, other in pairwise(spots):
        painter.drawLine(one, other)
    held_m3 = 0.0 if fill is None else float(np.interp(_shown_s(fill, time_s), fill.times_s, fill.in_pots_m3))
    for pot, at in zip(job.pots, spots, strict=True):
        here_m3 = min(held_m3, pot.capacity_m3)
        held_m3 -= here_m3
        if pot_key(pot) == chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(palette.colour("accent", 110))
            painter.drawEllipse(at, 20, 20)
        painter.setPen(QPen(QColor(palette.vent), 1.8))
        painter.setBrush(QColor(palette.paper))
        painter.drawRoundedRect(QRectF(at.x() - 9, at.y() - 9, 18, 20), 3, 3)
        share = min(here_m3 / pot.capacity_m3, 1.0)
        painter.fillRect(QRectF(at.x() - 7, at.y() + 9 - 16 * share, 14, 16 * share), palette.colour("feed", 190))
        if pot.lid:
            painter.drawLine(at + QPointF(-11, -10), at + QPointF(11, -10))
        text_box(painter, at + QPointF(0, 24), pot.label, palette.ink, palette.vent, 12)


def _shown_s(fill: FillResult, time_s: float | None) -> float:
    return fill.end_s if time_s is None else min(time_s, fill.end_s)


def _xy(place: Place) -> tuple[float, float]:
    return place.x, place.y


def paint_port(painter: QPainter, frame: Frame, line: Line, chosen: bool) -> None:
    """An inlet as a filled disc with an arrow in, a vent as an open ring round a small pot."""
    palette = theme.current.palette
    at = frame.to_screen(line.place)
    colour = QColor(palette.feed if line.kind == "feed" else palette.vent)
    if chosen:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(palette.colour("accent", 90))
        painter.drawEllipse(at, 17, 17)
    painter.setPen(QPen(colour, 3))
    painter.setBrush(QColor(palette.paper))
    painter.drawEllipse(at, 10, 10)
    if line.kind == "feed":
        painter.setPen(QPen(colour, 2.4, c=Qt.PenCapStyle.RoundCap, j=Qt.PenJoinStyle.RoundJoin))
        painter.drawLine(at + QPointF(0, -5), at + QPointF(0, 5))
        painter.drawPolyline(QPolygonF([at + QPointF(-4, 1), at + QPointF(0, 5), at + QPointF(4, 1)]))
    else:
        painter.setPen(QPen(colour, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 4, 4)
