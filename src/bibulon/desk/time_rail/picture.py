"""The picture of the time rail: fill, valves, batches, gel, release and the shift on one clock."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QLinearGradient,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from bibulon.desk.time_rail.batch_lane import BATCH_LANE
from bibulon.desk.time_rail.heat_lane import paint_heat
from bibulon.desk.time_rail.recipe_lane import LANE, RecipeLane
from bibulon.desk.time_rail.scale import Scale
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.desk.work.document import Document
from bibulon.durations import clock_time, run_clock
from bibulon.flow.resin_at import in_bucket_kg
from bibulon.job.run import LAYING, times_on_run_clock
from bibulon.moments import Moment
from bibulon.quantities import show

LEFT, RIGHT = 12, 16
FILL_LANE, FLAG_LANE = (20, 46), (78, 96)
BEFORE_SHOT, AFTER_SHOT = 0.12, 1.5
"""The rail of a shot in a mould goes from so much of its span before the start to so many times the fill."""
PLAIN_PX, WITH_RECIPE_PX = 116, 166
"""Height of the rail, and of that with the lane of an injection."""
TURNED_TO = {"valve clamped": " shut", "valve throttled": " slower"}
"""What is written at a valve on the rail beside its label."""
STEPS_S = (5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800)


class TimePicture(QWidget):
    """Paints the clock of the shot or of the whole day."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.whole_day = False
        self.time_s: float | None = None
        """The moment that is shown; None for the end of the fill."""
        self.now_s: float | None = None
        """The run clock while a shot goes on."""
        self.recipe = RecipeLane(document)
        self.set_height()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_height(self) -> None:
        """Make room for the lane of the injection where there is one."""
        self.setFixedHeight(WITH_RECIPE_PX if self.document.job.in_mould else PLAIN_PX)

    @property
    def foot(self) -> int:
        """Where the lanes end and the time of day stands."""
        return LANE[1] + 2 if self.document.job.in_mould else 99

    def scale(self) -> Scale:
        """Start and end of what is shown: the shot, or the whole day."""
        a = self.document.assessment
        moments = a.moments
        start = min([-300.0, *(moment.start_s for moment in moments)])
        fill_s = self.fill_end()
        if self.document.job.in_mould and fill_s > 0 and not self.whole_day:  # a shot may take less than a minute
            end = max(AFTER_SHOT * fill_s, 30.0, self.now_s or 0.0)
            return Scale(-BEFORE_SHOT * end, end, LEFT, self.width() - RIGHT)
        if self.whole_day:
            end = max(moment.end_s for moment in moments)
        else:
            ends = [moment.end_s for moment in moments if moment.kind in ("fill", "batch", "valve opened")]
            end = max([*ends, 600.0, *([self.now_s] if self.now_s else [])])
            end = max(end, min(a.resin_flow.stops_s, end * 2.2))
        return Scale(start, end + (end - start) * 0.05, LEFT, self.width() - RIGHT)

    def fill_end(self) -> float:
        fill = self.document.assessment.fill
        return fill.end_s if fill else 0.0

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
        if self.whole_day and self.document.job.curing.steps:
            paint_heat(painter, self.document.assessment, scale)
        else:
            for moment in self.document.assessment.moments:
                if moment.kind in ("mix", "batch"):
                    self._batch(painter, scale, moment)
            self._bucket(painter, scale)
        self.recipe.paint(painter, scale)
        self._band(painter, scale)
        self._flags(painter, scale)
        self._marks(painter, scale)
        self._cursor(painter, scale)
        painter.end()

    def _axis(self, painter: QPainter, scale: Scale) -> None:
        palette = theme.current.palette
        width = scale.right - scale.left
        step = next(
            (candidate for candidate in STEPS_S if width * candidate / (scale.end_s - scale.start_s) > 86), STEPS_S[-1]
        )
        painter.setFont(theme.font(11))
        start = self.document.job.shot_start_s
        for index in range(int(scale.start_s // step), int(scale.end_s // step) + 1):
            time_s = index * step
            x = scale.x(time_s)
            if not scale.left <= x <= scale.right:
                continue
            painter.setPen(QPen(palette.colour("rule", 150), 1))
            painter.drawLine(QPointF(x, 15), QPointF(x, self.foot - 1))
            painter.setPen(QColor(palette.muted))
            whole, rest = divmod(time_s, 60)
            apart = show(time_s, "duration") if step % 60 == 0 else f"{whole}:{rest:02}"
            times = [("start" if index == 0 else apart, 0)]
            if (start + time_s) % 60 == 0:  # the time of day is told in whole minutes
                times.append((clock_time((start + time_s) % 86400), self.foot))
            for text, top in times:
                half = painter.fontMetrics().horizontalAdvance(text) / 2 + 1
                middle = min(max(x, half), self.width() - half)  # those at the ends are not cut off
                painter.drawText(QRectF(middle - half, top, 2 * half, 14), Qt.AlignmentFlag.AlignCenter, text)

    def _fill(self, painter: QPainter, scale: Scale, moment: Moment) -> None:
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

    def _pots(self, painter: QPainter, scale: Scale, box: QRectF, drawn_kg: float) -> None:
        """What has gone to the pots, to the same height as what was drawn."""
        fill = self.document.assessment.fill
        if fill is None or fill.in_pots_m3[-1] <= 0:
            return
        density = self.document.job.resin.density_kg_m3 * self.document.job.parts_together
        path = QPainterPath(QPointF(box.left(), box.bottom()))
        for time_s, volume in zip(fill.times_s, fill.in_pots_m3, strict=True):
            share = float(volume) * density / drawn_kg
            path.lineTo(scale.x(float(time_s)), box.bottom() - share * (box.height() - 3))
        painter.setPen(QPen(theme.current.palette.colour("field", 220), 1.6, Qt.PenStyle.DotLine))
        painter.drawPath(path)

    def _bucket(self, painter: QPainter, scale: Scale) -> None:
        """How full the bucket stands, as a line over the batches, on the scale of the largest batch."""
        assessment = self.document.assessment
        if assessment.fill is None or not assessment.batches:
            return
        palette = theme.current.palette
        most = max(batch.mass_kg for batch in assessment.batches)
        times = np.unique([*assessment.fill.times_s, *(b.pour_s + d for b in assessment.batches for d in (-1, 0))])
        times = times[(times >= 0) & (times <= assessment.fill.end_s)]
        left = in_bucket_kg(assessment.job, assessment.fill, assessment.batches, times)
        points = [
            QPointF(scale.x(time_s), BATCH_LANE[0] + 9 - min(bucket_kg / most, 1.5) * 9)
            for time_s, bucket_kg in zip(times.tolist(), left.tolist(), strict=True)
        ]
        painter.setPen(QPen(palette.colour("feed", 255), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))

    def _band(self, painter: QPainter, scale: Scale) -> None:
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

    def _batch(self, painter: QPainter, scale: Scale, moment: Moment) -> None:
        palette = theme.current.palette
        left, right = max(scale.x(moment.start_s), 2.0), min(scale.x(moment.end_s), self.width() - 2.0)
        if right <= left:
            return
        mixing = moment.kind == "mix"
        batch = next((one for one in self.document.assessment.batches if f"B{one.number}" == moment.label), None)
        wrong = batch is not None and (not batch.in_time or batch.comes_late)
        top = BATCH_LANE[0] + (10 if mixing else 0)
        box = QRectF(left + 0.5, top, max(right - left - 1, 2), 9)
        edge = palette.stop if wrong else palette.muted if mixing else palette.feed
        painter.setPen(QPen(QColor(edge), 2 if wrong else 1))
        painter.setBrush(palette.colour("ground") if mixing else palette.colour("feed", 60))
        painter.drawRoundedRect(box, 2, 2)
        made = theme.font(10, QFont.Weight.DemiBold, most_px=10)  # lanes of batches do not grow with the text
        text = f"mix {moment.label}" if mixing else moment.label
        if box.width() > 10 and QFontMetricsF(made).horizontalAdvance(text) + 8 <= box.width():
            painter.setFont(made)
            painter.setPen(QColor(palette.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _flags(self, painter: QPainter, scale: Scale) -> None:
        palette = theme.current.palette
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        flags: list[tuple[float, str, str]] = []
        moments = self.document.assessment.moments
        for moment in moments:
            x = scale.x(moment.start_s)
            if moment.kind.startswith("valve"):
                together = [
                    other.label + TURNED_TO.get(other.kind, "") for other in moments
                    if other.kind.startswith("valve") and abs(scale.x(other.start_s) - x) < 1.0
                ]  # fmt: skip
                text = ", ".join(dict.fromkeys(together))
                painter.setPen(QPen(QColor(palette.ink), 1.5))
                painter.drawLine(QPointF(x, 14), QPointF(x, FILL_LANE[1] + 3))
                box = QRectF(x, 13, QFontMetricsF(painter.font()).horizontalAdvance(text) + 10, 15)
                painter.setBrush(QColor(palette.paper))
                painter.setPen(QPen(QColor(palette.feed), 1.4))
                painter.drawRect(box)
                painter.setPen(QColor(palette.ink))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            elif (
                moment.kind in ("gel", "release", "demould", "shift end", "pots full")
                and scale.left <= x <= scale.right
            ):
                colour = {
                    "gel": palette.stop,
                    "release": palette.good,
                    "demould": palette.good,
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

    def _marks(self, painter: QPainter, scale: Scale) -> None:
        palette = theme.current.palette
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.ink))
        shot = self.document.job.shot
        times = times_on_run_clock(shot)  # what was done before the start is not all at nothing
        for entry in shot:
            x = scale.x(times.get(entry.number, entry.clock_s))
            if scale.left <= x <= scale.right and entry.kind not in LAYING:  # those were long before
                painter.drawPolygon(QPolygonF([QPointF(x, 90), QPointF(x - 4, 98), QPointF(x + 4, 98)]))
        for caution in self.document.cautions:
            if caution.id in ("batch-gels-first", "batch-stood"):
                paint_mark(painter, caution.rank, QRectF(self.width() - 16, BATCH_LANE[0] + 2, 13, 13))
                break

    def _cursor(self, painter: QPainter, scale: Scale) -> None:
        palette = theme.current.palette
        if self.now_s is not None:
            x = scale.x(self.now_s)
            painter.setPen(QPen(QColor(palette.accent), 3))
            painter.drawLine(QPointF(x, 12), QPointF(x, self.foot + 1))
        if self.document.assessment.fill is None:
            return
        time_s = self.fill_end() if self.time_s is None else self.time_s
        x = scale.x(time_s)
        painter.setPen(QPen(QColor(palette.ink), 1.6))
        painter.drawLine(QPointF(x, 14), QPointF(x, self.foot - 1))
        painter.setBrush(QColor(palette.ink))
        painter.drawPolygon(QPolygonF([QPointF(x - 6, 46), QPointF(x + 6, 46), QPointF(x, 53)]))
        text = run_clock(round(time_s))  # rounded as the fill's time is
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 10
        box = QRectF(min(max(x - width / 2, 2), self.width() - width - 2), 29, width, 17)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QColor(palette.paper))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
