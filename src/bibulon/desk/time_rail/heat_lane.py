"""Ramps and holds on the time rail of the whole day: drawn as a line of temperature, their ends dragged."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen

from bibulon.assess import Assessment
from bibulon.cure.schedule import Leg, legs_of
from bibulon.desk.time_rail.scale import Scale
from bibulon.desk.widgets import theme
from bibulon.job import Job
from bibulon.job.edits import changed, revised
from bibulon.quantities_in_words import brief

HEAT_LANE = (50, 76)
GRAB_PX = 7
ROUND_S, ROUND_K = 300.0, 1.0
LEAST_SPAN_K = 20.0


@dataclass(frozen=True)
class HeatGrip:
    """What the hand has hold of: the end of the ramp or of the hold of a step (from 0), or the level of the hold."""

    of: Literal["ramp", "hold", "level"]
    step: int


def planned_legs(assessment: Assessment) -> tuple[Leg, ...]:
    """The ramps and holds of the job, by its newest fill."""
    fill = assessment.fill
    return legs_of(assessment.job, fill.end_s if fill is not None else 0.0)


def _span_k(assessment: Assessment, legs: tuple[Leg, ...]) -> tuple[float, float]:
    low = min([assessment.job.shop.temperature_k, *(min(leg.begin_k, leg.end_k) for leg in legs)])
    high = max([low + LEAST_SPAN_K, *(max(leg.begin_k, leg.end_k) for leg in legs)])
    return low, high


def _y(span: tuple[float, float], warm_k: float) -> float:
    share = (warm_k - span[0]) / (span[1] - span[0])
    return HEAT_LANE[1] - share * (HEAT_LANE[1] - HEAT_LANE[0])


def paint_heat(painter: QPainter, assessment: Assessment, scale: Scale) -> None:
    """Draw the line, a grip at each end of a ramp or hold, and how warm each hold is."""
    legs = planned_legs(assessment)
    if not legs:
        return
    palette, span = theme.current.palette, _span_k(assessment, legs)
    path = QPainterPath(QPointF(scale.x(legs[0].begin_s), _y(span, legs[0].begin_k)))
    for leg in legs:
        path.lineTo(scale.x(leg.begin_s), _y(span, leg.begin_k))
        path.lineTo(scale.x(leg.end_s), _y(span, leg.end_k))
    painter.setPen(QPen(QColor(palette.feed), 2.2))
    painter.drawPath(path)
    painter.setFont(theme.font(11))
    for leg in legs:
        painter.setPen(QPen(QColor(palette.feed), 1.5))
        painter.setBrush(QColor(palette.paper))
        painter.drawEllipse(QPointF(scale.x(leg.end_s), _y(span, leg.end_k)), 3.5, 3.5)
        if leg.begin_k == leg.end_k:
            text = f"{'oven' if leg.heats == 'oven' else 'mould'} {brief(leg.end_k, 'temperature', assessment.units)}"
            wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
            middle = (scale.x(leg.begin_s) + scale.x(leg.end_s) - wide) / 2
            painter.setPen(QColor(palette.ink))
            painter.drawText(QPointF(middle, _y(span, leg.end_k) - 5), text)


def heat_grip_at(assessment: Assessment, scale: Scale, position: QPointF) -> HeatGrip | None:
    """What is to be had at a place of the rail."""
    legs = planned_legs(assessment)
    if not legs or not HEAT_LANE[0] - 6 <= position.y() <= HEAT_LANE[1] + 6:
        return None
    span = _span_k(assessment, legs)
    for step, of, leg in _named(assessment.job, legs):
        x, y = scale.x(leg.end_s), _y(span, leg.end_k)
        if abs(x - position.x()) <= GRAB_PX and abs(y - position.y()) <= 2 * GRAB_PX:
            return HeatGrip(of, step)
        inside = scale.x(leg.begin_s) < position.x() < x
        if of == "hold" and inside and abs(y - position.y()) <= GRAB_PX:
            return HeatGrip("level", step)
    return None


def _named(job: Job, legs: tuple[Leg, ...]) -> list[tuple[int, Literal["ramp", "hold"], Leg]]:
    """The legs with the step and what of it each is."""
    named: list[tuple[int, Literal["ramp", "hold"], Leg]] = []
    rest = list(legs)
    for number, step in enumerate(job.curing.steps):
        if step.ramp_s > 0:
            named.append((number, "ramp", rest.pop(0)))
        if step.hold_s > 0:
            named.append((number, "hold", rest.pop(0)))
    return named


def with_heat_dragged(assessment: Assessment, grip: HeatGrip, time_s: float, y: float) -> Job:
    """The job of *assessment* with what is held brought to a time, or a level to a height of the rail."""
    job, legs = assessment.job, planned_legs(assessment)
    step = job.curing.steps[grip.step]
    if grip.of == "level":
        span = _span_k(assessment, legs)
        share = (HEAT_LANE[1] - y) / (HEAT_LANE[1] - HEAT_LANE[0])
        warm_k = span[0] + share * (span[1] - span[0])
        rounded = 273.15 + round((warm_k - 273.15) / ROUND_K) * ROUND_K
        step = revised(step, to_k=min(max(rounded, 273.15), 473.15))
    else:
        leg = next(leg for number, of, leg in _named(job, legs) if number == grip.step and of == grip.of)
        lasts = max(round((time_s - leg.begin_s) / ROUND_S) * ROUND_S, ROUND_S)
        step = revised(step, **{f"{grip.of}_s": min(lasts, 2_592_000.0)})
    steps = (*job.curing.steps[: grip.step], step, *job.curing.steps[grip.step + 1 :])
    return changed(job, curing=revised(job.curing, steps=steps))
