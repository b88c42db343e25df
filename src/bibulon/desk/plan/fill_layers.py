"""What of a fill is painted on the plan: resin by the time it came, its contours and front, maps and their legend."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QImage, QLinearGradient, QPainter, QPen

from bibulon.desk.plan import layers
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.text_box import text_box
from bibulon.desk.widgets import theme
from bibulon.desk.work.fill_answers import Face, FillAnswer
from bibulon.durations import durations_alike
from bibulon.flow.contours import contour, round_levels
from bibulon.flow.raster import Grid
from bibulon.flow.result import FillResult
from bibulon.job import Job


@lru_cache(maxsize=4)
def _ramp(name: str) -> np.ndarray:
    """(256, 4) colours from early to late, as B, G, R, A."""
    colours = [QColor(code) for code in theme.PALETTES[name].fill_ramp]
    stops = np.array([(colour.red(), colour.green(), colour.blue()) for colour in colours], dtype=np.float64)
    at = np.linspace(0, len(stops) - 1, 256)
    low = np.minimum(at.astype(int), len(stops) - 2)
    mixed = stops[low] + (at - low)[:, None] * (stops[low + 1] - stops[low])
    return np.column_stack([mixed[:, ::-1], np.full(256, 235)]).astype(np.uint8)


CONTOUR_TIMES_APART_PX = 60.0


def fill_image(answer: FillAnswer, face: Face, time_s: float) -> QImage:
    """The wet part at *time_s*, coloured by when it filled; transparent where dry."""
    return value_image(face.grid, max(answer.result.end_s, 1e-9), time_s)


def value_image(grid: Grid, highest: float, most: float = math.inf, lowest: float = 0.0) -> QImage:
    """A field in the colours of the ramp, *lowest* to *highest*; transparent above *most* and where there is none."""
    with np.errstate(invalid="ignore"):
        shown = grid.values <= most
        index = np.where(shown, np.clip((grid.values - lowest) / max(highest - lowest, 1e-12) * 255, 0, 255), 0).astype(
            np.uint8
        )
    pixels = _ramp(theme.current.palette.name)[index]
    pixels[~shown] = 0
    pixels = np.ascontiguousarray(pixels)
    rows, columns = index.shape
    return QImage(pixels.data, columns, rows, columns * 4, QImage.Format.Format_ARGB32).copy()


def paint_field(painter: QPainter, frame: Frame, job: Job, grid: Grid, image: QImage) -> None:
    """A field over the part."""
    painter.save()
    painter.setClipPath(frame.path(job.part))
    corner = frame.to_screen((grid.left_m, grid.bottom_m + grid.height_m))
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawImage(QRectF(corner.x(), corner.y(), grid.width_m * frame.scale, grid.height_m * frame.scale), image)
    painter.restore()


def paint_legend(painter: QPainter, box: QRectF, name: str, low: str, high: str) -> None:
    """The ramp from *low* to *high* under the *name* of what it shows."""
    palette = theme.current.palette
    painter.setPen(QPen(QColor(palette.rule), 1))
    painter.setBrush(palette.colour("paper", 240))
    painter.drawRoundedRect(box, 6, 6)
    shades = QLinearGradient(box.left() + 10, 0, box.right() - 10, 0)
    for index, colour in enumerate(palette.fill_ramp):
        shades.setColorAt(index / (len(palette.fill_ramp) - 1), QColor(colour))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shades)
    painter.drawRect(QRectF(box.left() + 10, box.top() + 24, box.width() - 20, 9))
    painter.setPen(QColor(palette.ink))
    painter.setFont(theme.font(12, QFont.Weight.DemiBold))
    painter.drawText(QRectF(box.left() + 10, box.top() + 4, box.width() - 20, 18), Qt.AlignmentFlag.AlignVCenter, name)
    painter.setFont(theme.font(11))
    ends = QRectF(box.left() + 10, box.top() + 34, box.width() - 20, 16)
    painter.drawText(ends, Qt.AlignmentFlag.AlignLeft, low)
    painter.drawText(ends, Qt.AlignmentFlag.AlignRight, high)


def paint_fill(
    painter: QPainter, frame: Frame, job: Job, answer: FillAnswer, face: Face, image: QImage, time_s: float
) -> None:
    """Wet resin, contours of the fill before *time_s* with their times, and the front at it."""
    palette = theme.current.palette
    painter.save()
    painter.setClipPath(frame.path(job.part))
    if answer.result.fill_time_s is None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(palette.colour("stop", 60), Qt.BrushStyle.BDiagPattern))
        painter.drawPath(frame.path(job.part))
    painter.restore()
    paint_field(painter, frame, job, face.grid, image)
    for level, segments in face.contours:
        if level < time_s and len(segments):
            painter.setPen(QPen(palette.colour("ink", 120), 1))
            _draw_segments(painter, frame, segments)
    if time_s < answer.result.end_s * 0.999:
        painter.setPen(QPen(QColor(palette.ink), 2.4))
        _draw_segments(painter, frame, contour(answer.result.mesh, face.times_s, time_s))


def _draw_segments(painter: QPainter, frame: Frame, segments: np.ndarray) -> None:
    painter.drawLines([QLineF(*ends) for ends in frame.on_screen(segments).reshape(-1, 4).tolist()])


Contours = Sequence[tuple[float, np.ndarray]]
"""Times, each with the segments (n, 2, 2) of its contour, in metres."""


def paint_contour_times(
    painter: QPainter, frame: Frame, contours: Contours, time_s: float, taken: list[QPointF]
) -> None:
    """The time of each contour before *time_s*, where labels keep clear of each other and of *taken* places."""
    palette = theme.current.palette
    texts = durations_alike([level for level, _ in contours])
    for (level, segments), text in zip(contours, texts, strict=True):
        if level >= time_s or not len(segments):
            continue
        places = frame.on_screen(segments[:: max(len(segments) // 40, 1)].mean(axis=1))
        others = np.array([(place.x(), place.y()) for place in taken]).reshape(-1, 2)
        apart = np.abs(places[:, None] - others[None]).sum(axis=2)
        free = places[(apart > CONTOUR_TIMES_APART_PX).all(axis=1)]
        if not len(free):
            continue
        best = QPointF(*free[np.argmin(np.abs(free[:, 0] - places[:, 0].mean() * 0.86))])
        taken.append(best)
        text_box(painter, best, text, palette.ink, size=11)


def paint_last_filled(painter: QPainter, frame: Frame, answer: FillAnswer) -> None:
    """A target on the place that fills last."""
    palette = theme.current.palette
    at = frame.to_screen(answer.result.last_filled)
    painter.setBrush(palette.colour("paper", 200))
    painter.setPen(QPen(QColor(palette.ink), 1.6))
    painter.drawEllipse(at, 9, 9)
    painter.setBrush(QColor(palette.fill_ramp[-1]))
    painter.drawEllipse(at, 3.5, 3.5)


def paint_proposed(painter: QPainter, frame: Frame, job: Job, result: FillResult) -> None:
    """A proposed layout over the present one, which shows through: its lines and media, and its fronts."""
    palette = theme.current.palette
    painter.save()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(palette.colour("paper", 185))
    painter.drawPath(frame.path(job.part))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(palette.colour("muted", 220), 1.4, Qt.PenStyle.DashLine))
    for patch in job.media:
        painter.drawPolygon(frame.polygon(patch.outline))
    painter.setPen(QPen(palette.colour("ink", 170), 1.2, Qt.PenStyle.DotLine))
    levels = round_levels(result.end_s)
    fronts = [(level, contour(result.mesh, result.seen_s, level)) for level in levels]
    for _, segments in fronts:
        _draw_segments(painter, frame, segments)
    for line in job.lines:
        layers.paint_line(painter, frame, line, chosen=False)
    paint_contour_times(painter, frame, fronts, math.inf, [layers.label_place(frame, line) for line in job.lines])
    for line in job.lines:
        layers.paint_label(painter, frame, line)
    xs, ys = zip(*job.part.outline, strict=True)
    corner = frame.to_screen((min(xs), max(ys)))
    text_box(painter, corner + QPointF(44, 14), "proposed", palette.ink, palette.accent, 13)
    painter.restore()
