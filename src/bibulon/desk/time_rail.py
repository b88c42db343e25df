"""The time rail: fill, valves, batches, gel, release and the shift on one clock.

Dragging over it scrubs; dragging the flag of a feed opened by the clock re-times it. From the keyboard, left and right
scrub by a minute.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from bibulon.assess import Moment, in_bucket_kg, resin_at
from bibulon.desk.widgets import icons, theme
from bibulon.desk.widgets.fields import tool_button
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.desk.work.document import Document
from bibulon.job.edits import revised, with_line
from bibulon.job.lines import AtTime
from bibulon.job.run import LAYING
from bibulon.quantities import clock_time, run_clock, show

LEFT, RIGHT = 12, 16
FILL_LANE, BATCH_LANE, FLAG_LANE = (20, 46), (52, 70), (78, 96)
PLAY_SECONDS = 8.0
PLAY_TICK_MS = 40
ROUND_S = 10.0
STEPS_S = (60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800)


@dataclass(frozen=True)
class _Scale:
    start_s: float
    end_s: float
    left: float
    right: float

    def x(self, time_s: float) -> float:
        return self.left + (time_s - self.start_s) / (self.end_s - self.start_s) * (self.right - self.left)

    def time(self, x: float) -> float:
        return self.start_s + (x - self.left) / (self.right - self.left) * (self.end_s - self.start_s)


class TimeCanvas(QWidget):
    """The painted clock."""

    scrubbed = Signal(object)
    pointer_described = Signal(str)
    """Where the resin is at the moment under the pointer."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.whole_day = False
        self.time_s: float | None = None
        self.now_s: float | None = None
        self._held: str | None = None
        self.setMinimumHeight(116)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time rail")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)

    def scale(self) -> _Scale:
        """Start and end of what is shown: the shot, or the whole day."""
        a = self.document.assessment
        moments = a.moments
        start = min([-300.0, *(moment.start_s for moment in moments)])
        if self.whole_day:
            end = max(moment.end_s for moment in moments)
        else:
            ends = [moment.end_s for moment in moments if moment.kind in ("fill", "batch", "valve opened")]
            end = max([*ends, 600.0, *([self.now_s] if self.now_s else [])])
            end = max(end, min(a.resin_flow.stops_s, end * 2.2))
        return _Scale(start, end + (end - start) * 0.05, LEFT, self.width() - RIGHT)

    def fill_end(self) -> float:
        fill = self.document.assessment.fill
        return fill.end_s if fill else 0.0

    def scrub(self, time_s: float | None) -> None:
        """Show the fill at *time_s*; None or beyond the end for the end."""
        if time_s is not None:
            time_s = max(time_s, 0.0)
            if time_s >= self.fill_end():
                time_s = None
        self.time_s = time_s
        self.scrubbed.emit(time_s)
        self.update()

    # -- gestures ----------------------------------------------------------------------------------------------------

    def _flag_at(self, position: QPointF) -> str | None:
        scale = self.scale()
        for moment in self.document.assessment.moments:
            near = abs(scale.x(moment.start_s) - position.x()) < 9
            if moment.kind == "valve opened" and near and position.y() < FILL_LANE[1] and self._timed(moment.subject):
                return moment.subject
        return None

    def _timed(self, identifier: str) -> bool:
        return any(line.id == identifier and isinstance(line.opens, AtTime) for line in self.document.job.lines)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._held = self._flag_at(event.position())
        if self._held is None:
            self.scrub(self.scale().time(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        self.pointer_described.emit(self._resin_text(self.scale().time(position.x())))
        if not event.buttons() & Qt.MouseButton.LeftButton:
            over = self._flag_at(position) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            return
        if self._held is None:
            self.scrub(self.scale().time(position.x()))
            return
        line = self.document.job.line(self._held)
        self.document.preview(with_line(self.document.job, revised(line, opens=AtTime(time_s=self._round(position)))))

    def leaveEvent(self, event: QEvent) -> None:
        self.pointer_described.emit("")
        super().leaveEvent(event)

    def _round(self, position: QPointF) -> float:
        return max(round(self.scale().time(position.x()) / ROUND_S) * ROUND_S, 0.0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            line = self.document.job.line(self._held)
            edited = with_line(self.document.job, revised(line, opens=AtTime(time_s=self._round(event.position()))))
            self.document.edit(f"re-time {line.label}", edited)
        self._held = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -60.0, Qt.Key.Key_Right: 60.0}
        if Qt.Key(event.key()) in steps:
            here = self.fill_end() if self.time_s is None else self.time_s
            self.scrub(here + steps[Qt.Key(event.key())])
        elif event.key() == Qt.Key.Key_Home:
            self.scrub(0.0)
        elif event.key() == Qt.Key.Key_End:
            self.scrub(None)
        else:
            super().keyPressEvent(event)

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        palette = theme.current.palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.paper))
        scale = self.scale()
        self._axis(painter, scale)
        for moment in self.document.assessment.moments:
            if moment.kind == "fill":
                self._fill(painter, scale, moment)
        for moment in self.document.assessment.moments:
            if moment.kind in ("mix", "batch"):
                self._batch(painter, scale, moment)
        self._bucket(painter, scale)
        self._band(painter, scale)
        self._flags(painter, scale)
        self._marks(painter, scale)
        self._cursor(painter, scale)
        painter.end()

    def _axis(self, painter: QPainter, scale: _Scale) -> None:
        palette = theme.current.palette
        width = scale.right - scale.left
        step = next(
            (candidate for candidate in STEPS_S if width * candidate / (scale.end_s - scale.start_s) > 86), STEPS_S[-1]
        )
        painter.setFont(theme.font(11))
        start = self.document.job.shop.shot_start_s
        for index in range(int(scale.start_s // step), int(scale.end_s // step) + 1):
            time_s = index * step
            x = scale.x(time_s)
            if not scale.left <= x <= scale.right:
                continue
            painter.setPen(QPen(palette.colour("rule", 150), 1))
            painter.drawLine(QPointF(x, 15), QPointF(x, 98))
            painter.setPen(QColor(palette.muted))
            minutes = "start" if index == 0 else show(time_s, "duration")
            for text, top in ((minutes, 0), (clock_time((start + time_s) % 86400), 99)):
                half = painter.fontMetrics().horizontalAdvance(text) / 2 + 1
                middle = min(max(x, half), self.width() - half)  # those at the ends are not cut off
                painter.drawText(QRectF(middle - half, top, 2 * half, 14), Qt.AlignmentFlag.AlignCenter, text)

    def _fill(self, painter: QPainter, scale: _Scale, moment: Moment) -> None:
        palette = theme.current.palette
        left, right = scale.x(moment.start_s), scale.x(moment.end_s)
        box = QRectF(left, FILL_LANE[0], max(right - left, 2), FILL_LANE[1] - FILL_LANE[0])
        shades = QLinearGradient(box.topLeft(), box.topRight())
        for index, colour in enumerate(palette.fill_ramp):
            shades.setColorAt(index / (len(palette.fill_ramp) - 1), QColor(colour))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shades)
        painter.drawRoundedRect(box, 4, 4)
        times, drawn = self.document.assessment.drawn_curve
        if len(times) > 1 and drawn[-1] > 0:
            path = QPainterPath(QPointF(left, box.bottom()))
            for time_s, mass in zip(times, drawn, strict=True):
                path.lineTo(scale.x(float(time_s)), box.bottom() - float(mass / drawn[-1]) * (box.height() - 3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(palette.colour("field", 220), 2))
            painter.drawPath(path)
            self._pots(painter, scale, box, float(drawn[-1]))

    def _pots(self, painter: QPainter, scale: _Scale, box: QRectF, drawn_kg: float) -> None:
        """What has gone to the pots, to the same height as what was drawn."""
        fill = self.document.assessment.fill
        if fill is None or fill.in_pots_m3[-1] <= 0:
            return
        density = self.document.job.resin.density_kg_m3
        path = QPainterPath(QPointF(box.left(), box.bottom()))
        for time_s, volume in zip(fill.times_s, fill.in_pots_m3, strict=True):
            share = float(volume) * density / drawn_kg
            path.lineTo(scale.x(float(time_s)), box.bottom() - share * (box.height() - 3))
        painter.setPen(QPen(theme.current.palette.colour("field", 220), 1.6, Qt.PenStyle.DotLine))
        painter.drawPath(path)

    def _bucket(self, painter: QPainter, scale: _Scale) -> None:
        """How full the bucket stands, as a line over the batches, on the scale of the largest batch."""
        assessment = self.document.assessment
        if assessment.fill is None or not assessment.batches:
            return
        palette = theme.current.palette
        most = max(batch.mass_kg for batch in assessment.batches)
        times = np.unique([*assessment.fill.times_s, *(b.pour_s + d for b in assessment.batches for d in (-1, 0))])
        times = times[(times >= 0) & (times <= assessment.fill.end_s)]
        points = [
            QPointF(scale.x(time_s), BATCH_LANE[0] + 9 - min(bucket_kg / most, 1.5) * 9)
            for time_s, bucket_kg in zip(times.tolist(), in_bucket_kg(assessment, times).tolist(), strict=True)
        ]
        painter.setPen(QPen(palette.colour("feed", 255), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))

    def _resin_text(self, time_s: float) -> str:
        """Where the resin is at a moment, in words."""
        resin = resin_at(self.document.assessment, min(max(time_s, 0.0), self.fill_end()))
        if resin is None:
            return ""
        units = self.document.assessment.units
        drawn, bucket, pots = (show(mass, "mass", units) for mass in (resin.drawn_kg, resin.bucket_kg, resin.pots_kg))
        return f"{run_clock(max(time_s, 0.0))}  ·  drawn {drawn}  ·  bucket {bucket}  ·  pots {pots}"

    def _band(self, painter: QPainter, scale: _Scale) -> None:
        """Where eight of ten studied fills end."""
        study = self.document.study
        if study is None:
            return
        low, middle, high = (study.ensemble.fill_percentile_s(percent) for percent in (10, 50, 90))
        end = self.document.assessment.resin_flow.stops_s if high is None else high
        if low is None:
            return
        palette = theme.current.palette
        y = FILL_LANE[1] + 1
        painter.setPen(QPen(QColor(palette.ink), 2))
        painter.drawLine(QPointF(scale.x(low), y), QPointF(scale.x(end), y))
        for at in (low, middle, high):
            if at is not None:
                painter.drawLine(QPointF(scale.x(at), y - 5), QPointF(scale.x(at), y + 5))
        painter.setPen(QColor(palette.muted))
        painter.setFont(theme.font(11))
        painter.drawText(QRectF(scale.x(end) + 5, y - 15, 60, 14), Qt.AlignmentFlag.AlignLeft, "8 of 10")

    def _batch(self, painter: QPainter, scale: _Scale, moment: Moment) -> None:
        palette = theme.current.palette
        left, right = scale.x(moment.start_s), scale.x(moment.end_s)
        mixing = moment.kind == "mix"
        top = BATCH_LANE[0] + (10 if mixing else 0)
        box = QRectF(left + 0.5, top, max(right - left - 1, 2), 9)
        painter.setPen(QPen(QColor(palette.muted if mixing else palette.feed), 1))
        painter.setBrush(palette.colour("ground") if mixing else palette.colour("feed", 60))
        painter.drawRoundedRect(box, 2, 2)
        made = theme.font(10, QFont.Weight.DemiBold, most_px=10)  # lanes of batches do not grow with the text
        text = f"mix {moment.label}" if mixing else moment.label
        if box.width() > 10 and QFontMetricsF(made).horizontalAdvance(text) + 8 <= box.width():
            painter.setFont(made)
            painter.setPen(QColor(palette.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _flags(self, painter: QPainter, scale: _Scale) -> None:
        palette = theme.current.palette
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        flags: list[tuple[float, str, str]] = []
        for moment in self.document.assessment.moments:
            x = scale.x(moment.start_s)
            if moment.kind.startswith("valve"):
                painter.setPen(QPen(QColor(palette.ink), 1.5))
                painter.drawLine(QPointF(x, 14), QPointF(x, FILL_LANE[1] + 3))
                box = QRectF(x, 13, QFontMetricsF(painter.font()).horizontalAdvance(moment.label) + 10, 15)
                painter.setBrush(QColor(palette.paper))
                painter.setPen(QPen(QColor(palette.feed), 1.4))
                painter.drawRect(box)
                painter.setPen(QColor(palette.ink))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, moment.label)
            elif moment.kind in ("gel", "release", "shift end", "pots full") and scale.left <= x <= scale.right:
                colour = {
                    "gel": palette.stop,
                    "release": palette.good,
                    "shift end": palette.muted,
                    "pots full": palette.stop,
                }[moment.kind]
                painter.setPen(QPen(QColor(colour), 2))
                painter.drawLine(QPointF(x, 16), QPointF(x, 97))
                flags.append((x, moment.label, colour))
        stops = self.document.assessment.flows_until_s
        if stops < self.document.assessment.cure.gel_s:
            x = scale.x(stops)
            if scale.left <= x <= scale.right:
                painter.setPen(QPen(QColor(palette.stop), 1.6, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, 16), QPointF(x, 97))
                flags.append((x, "Too thick to flow", palette.stop))
        taken: list[QRectF] = []
        for x, text, colour in flags:
            box = self._beside(x, QFontMetricsF(painter.font()).horizontalAdvance(text) + 10, flags, taken)
            taken.append(box)
            painter.fillRect(box, palette.colour("paper"))
            painter.setPen(QColor(colour))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _beside(self, x: float, width: float, flags: list[tuple[float, str, str]], taken: list[QRectF]) -> QRectF:
        """Where a flag's text goes: right or left of its line, off the other texts and, if it can be, their lines."""
        boxes = [
            QRectF(left, FLAG_LANE[0] - 17 * row, width, 17) for row in range(3) for left in (x + 2, x - width - 2)
        ]
        boxes = [
            box
            for box in boxes
            if box.left() >= 2 and box.right() <= self.width() - 4 and not any(box.intersects(other) for other in taken)
        ] or boxes
        return min(boxes, key=lambda box: sum(box.left() < other < box.right() for other, _, _ in flags))

    def _marks(self, painter: QPainter, scale: _Scale) -> None:
        palette = theme.current.palette
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.ink))
        for entry in self.document.job.shot:
            x = scale.x(entry.clock_s)
            if scale.left <= x <= scale.right and entry.kind not in LAYING:  # those were long before
                painter.drawPolygon(QPolygonF([QPointF(x, 90), QPointF(x - 4, 98), QPointF(x + 4, 98)]))
        for caution in self.document.cautions:
            if caution.id == "batch-gels-first":
                paint_mark(painter, caution.rank, QRectF(self.width() - 16, BATCH_LANE[0] + 2, 13, 13))
                break

    def _cursor(self, painter: QPainter, scale: _Scale) -> None:
        palette = theme.current.palette
        if self.now_s is not None:
            x = scale.x(self.now_s)
            painter.setPen(QPen(QColor(palette.accent), 3))
            painter.drawLine(QPointF(x, 12), QPointF(x, 100))
        if self.document.assessment.fill is None:
            return
        time_s = self.fill_end() if self.time_s is None else self.time_s
        x = scale.x(time_s)
        painter.setPen(QPen(QColor(palette.ink), 1.6))
        painter.drawLine(QPointF(x, 14), QPointF(x, 98))
        painter.setBrush(QColor(palette.ink))
        painter.drawPolygon(QPolygonF([QPointF(x - 6, 46), QPointF(x + 6, 46), QPointF(x, 53)]))
        text = run_clock(time_s)
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 10
        box = QRectF(min(max(x - width / 2, 2), self.width() - width - 2), 29, width, 17)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(palette.paper))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class TimeRail(QWidget):
    """The clock with its buttons: play, and the shot or the whole day."""

    scrubbed = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("time rail")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 0, 0)
        row.setSpacing(4)
        buttons = QVBoxLayout()
        buttons.setContentsMargins(0, 10, 0, 6)
        self.play = tool_button("ph.play-fill", "Play the fill (P)", checkable=True)
        self.play.setShortcut("P")
        self.play.toggled.connect(self._toggle)
        self.day = tool_button("ph.sun-horizon", "The whole day (D)", checkable=True)
        self.day.setShortcut("D")
        self.day.toggled.connect(self._whole_day)
        buttons.addWidget(self.play)
        buttons.addWidget(self.day)
        buttons.addStretch(1)
        row.addLayout(buttons)
        self.canvas = TimeCanvas(document)
        self.canvas.scrubbed.connect(self.scrubbed)
        row.addWidget(self.canvas, 1)
        self._timer = QTimer(self)
        self._timer.setInterval(PLAY_TICK_MS)
        self._timer.timeout.connect(self._tick)

    def set_document(self, document: Document) -> None:
        self.canvas.document = document
        self.canvas.scrub(None)

    def refresh(self) -> None:
        if self.canvas.time_s is not None and self.canvas.time_s >= self.canvas.fill_end() > 0:
            self.canvas.scrub(None)
        self.canvas.update()

    def _whole_day(self, on: bool) -> None:
        self.canvas.whole_day = on
        self.canvas.update()

    def _toggle(self, on: bool) -> None:
        icons.put(self.play, "ph.pause-fill" if on else "ph.play-fill")
        if on:
            if self.canvas.time_s is None:
                self.canvas.scrub(0.0)
            self._timer.start()
        else:
            self._timer.stop()

    def _tick(self) -> None:
        here = self.canvas.time_s
        if here is None or self.canvas.fill_end() <= 0:
            self.play.setChecked(False)
            return
        self.canvas.scrub(here + self.canvas.fill_end() / PLAY_SECONDS * PLAY_TICK_MS / 1000)
