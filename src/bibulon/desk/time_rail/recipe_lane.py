"""The lane of the time rail on which an injection is drawn and edited: pressure and rate of the supply over the shot.

A step's end is dragged along the clock, its pressure or rate up and down; double-clicking divides a step, and Delete
takes out the end that was touched last.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from bibulon.desk.time_rail.scale import Scale
from bibulon.desk.widgets import theme
from bibulon.desk.work.document import Document
from bibulon.job import Job
from bibulon.mould.injection import (
    InjectionCourse,
    at_rate,
    divided_at,
    ended_at,
    injection_course,
    joined_after,
    pressed_at,
)
from bibulon.quantities_in_words import brief

LANE = (101, 147)
"""Top and bottom."""
GRAB_PX = 7
LEAST_OVER_PA, LEAST_RATE_M3_S = 50_000.0, 1e-6
ROUND_PA = 1_000.0
HEADROOM = 1.25
"""The lane shows so many times the most that is pressed or flows."""
FEW_RATES = 3.0
"""What is faster than so many times the mean, or what the recipe holds, is cut off at the top."""


@dataclass(frozen=True)
class Grip:
    """What the hand has hold of: the end, the pressure or the rate of the step of that number (from 0)."""

    of: Literal["end", "pressure", "rate"]
    step: int


class RecipeLane:
    """The injection of a document on the clock."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.touched: Grip | None = None
        """The grip that was taken last."""

    @property
    def there(self) -> bool:
        """Whether the job has an injection, and its course is known."""
        return self.document.job.in_mould and self.document.assessment.fill is not None

    def course(self) -> InjectionCourse | None:
        """The injection as the newest fill has it."""
        a = self.document.assessment
        return injection_course(a.job, a.fill) if a.fill is not None and self.there else None

    # -- what it shows -----------------------------------------------------------------------------------------------

    def _most_over_pa(self, course: InjectionCourse) -> float:
        steps = self.document.job.pair.injection.steps
        planned = max(step.over_pressure_pa for step in steps)
        return HEADROOM * max(planned, float(course.over_pa.max()), LEAST_OVER_PA)

    def _most_rate(self, course: InjectionCourse) -> float:
        held = [step.rate_m3_s for step in self.document.job.pair.injection.steps if step.rate_m3_s is not None]
        # hoses and channel fill at once at first, far faster than anything after
        most = min(float(course.rate_m3_s.max()), FEW_RATES * max([course.mean_rate_m3_s, *held]))
        return HEADROOM * max([most, LEAST_RATE_M3_S, *held])

    @staticmethod
    def _y(share: float) -> float:
        return LANE[1] - min(max(share, 0.0), 1.0) * (LANE[1] - LANE[0] - 4)

    def paint(self, painter: QPainter, scale: Scale) -> None:
        """Rate as an area, pressure as a line, the ends of steps as grips."""
        course = self.course()
        if course is None:
            return
        palette, units = theme.current.palette, self.document.assessment.units
        left, right = scale.x(0.0), scale.x(float(course.times_s[-1]))
        base = float(LANE[1])
        painter.setPen(QPen(QColor(palette.rule), 1))
        painter.drawLine(QPointF(scale.left, base), QPointF(scale.right, base))
        most_rate, most_over = self._most_rate(course), self._most_over_pa(course)
        area = QPainterPath(QPointF(left, base))
        line = QPainterPath()
        for time_s, rate, over in zip(course.times_s, course.rate_m3_s, course.over_pa, strict=True):
            x = scale.x(float(time_s))
            area.lineTo(x, self._y(float(rate) / most_rate))
            place = QPointF(x, self._y(float(over) / most_over))
            line.lineTo(place) if line.elementCount() else line.moveTo(place)
        area.lineTo(right, base)
        area.closeSubpath()
        painter.setPen(QPen(palette.colour("vent", 170), 1))
        painter.setBrush(palette.colour("vent", 50))
        painter.drawPath(area)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.feed), 2.2, j=Qt.PenJoinStyle.RoundJoin))
        painter.drawPath(line)
        self._paint_steps(painter, scale, course)
        painter.setFont(theme.font(11))
        over = float(course.over_pa.max())
        pressed = f"pressed with up to {brief(over, 'pressure difference', units)}" if over > 50 else "vacuum alone"
        texts = (
            (pressed, palette.feed, LANE[0] + 1),
            (f"mean rate {brief(course.mean_rate_m3_s, 'flow rate', units)}", palette.vent, LANE[0] + 16),
        )
        for text, colour, top in texts:
            wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 6
            at = right + 6 if right + 6 + wide < scale.right else left - wide - 4
            painter.setPen(QColor(colour))
            painter.drawText(QRectF(at, top, wide, 14), Qt.AlignmentFlag.AlignLeft, text)

    def _paint_steps(self, painter: QPainter, scale: Scale, course: InjectionCourse) -> None:
        palette = theme.current.palette
        painter.setFont(theme.font(10, QFont.Weight.DemiBold, most_px=10))
        for number, (begun_s, end_s) in enumerate(course.steps_s):
            painter.setPen(QColor(palette.ink))
            if len(course.steps_s) > 1:
                box = QRectF(scale.x(begun_s) + 3, LANE[0] - 1, 40, 12)
                painter.drawText(box, Qt.AlignmentFlag.AlignLeft, f"{number + 1}")
            if number == len(self.document.job.pair.injection.steps) - 1:
                continue
            chosen = self.touched == Grip("end", number)
            painter.setPen(QPen(QColor(palette.accent if chosen else palette.ink), 2.2 if chosen else 1.4))
            x = scale.x(end_s)
            painter.drawLine(QPointF(x, LANE[0]), QPointF(x, LANE[1]))
            painter.setBrush(QColor(palette.field))
            painter.drawRect(QRectF(x - 3.5, LANE[1] - 10, 7, 9))

    # -- the hand ----------------------------------------------------------------------------------------------------

    def grip_at(self, scale: Scale, at: QPointF) -> Grip | None:
        """What there is to take hold of at a place of the rail."""
        course = self.course()
        if course is None or not LANE[0] - 2 <= at.y() <= LANE[1] + 2:
            return None
        steps = self.document.job.pair.injection.steps
        ends = [(abs(scale.x(end_s) - at.x()), number) for number, (_, end_s) in enumerate(course.steps_s)]
        ends = [(off, number) for off, number in ends if number < len(steps) - 1 and off <= GRAB_PX]
        if ends:
            return Grip("end", min(ends)[1])
        number = self.step_at(scale, at, course)
        if number is None:
            return None
        time_s, step = scale.time(at.x()), steps[number]
        pressure_y = self._y(course.over_at(time_s) / self._most_over_pa(course))
        rate_y = self._y(course.rate_at(time_s) / self._most_rate(course))
        if step.rate_m3_s is not None and abs(rate_y - at.y()) <= min(GRAB_PX, abs(pressure_y - at.y())):
            return Grip("rate", number)
        return Grip("pressure", number) if abs(pressure_y - at.y()) <= GRAB_PX else None

    def step_at(self, scale: Scale, at: QPointF, course: InjectionCourse) -> int | None:
        """The step that is on at a place of the rail."""
        time_s = scale.time(at.x())
        found = [number for number, (begun_s, end_s) in enumerate(course.steps_s) if begun_s <= time_s <= end_s]
        return found[-1] if found else None

    def dragged(self, job: Job, course: InjectionCourse, grip: Grip, time_s: float, y: float) -> Job:
        """*job* with *grip* moved to a time and height; *course* is that from before it was moved."""
        share = (LANE[1] - y) / (LANE[1] - LANE[0] - 4)
        if grip.of == "end":
            begun_s = course.steps_s[grip.step][0]
            return ended_at(job, course, grip.step, max(time_s, begun_s + 1.0))
        if grip.of == "rate":
            return at_rate(job, grip.step, max(share * self._most_rate(course), LEAST_RATE_M3_S))
        over = max(share, 0.0) * self._most_over_pa(course)
        return pressed_at(job, grip.step, round(over / ROUND_PA) * ROUND_PA)

    def divided(self, scale: Scale, at: QPointF) -> Job | None:
        """The job with the step at a place of the rail divided there; None where there is none."""
        course = self.course()
        if course is None or not LANE[0] <= at.y() <= LANE[1]:
            return None
        number = self.step_at(scale, at, course)
        return None if number is None else divided_at(self.document.job, number, scale.time(at.x()))

    def without_touched(self) -> Job | None:
        """The job without the end of a step that was touched last; None if none was."""
        grip = self.touched
        if grip is None or grip.of != "end" or grip.step >= len(self.document.job.pair.injection.steps) - 1:
            return None
        return joined_after(self.document.job, grip.step)

    def words(self, grip: Grip, job: Job) -> str:
        """What a moved grip comes to, to be read while it is dragged."""
        units, step = self.document.assessment.units, job.pair.injection.steps[grip.step]
        number = grip.step + 1
        if grip.of == "pressure":
            return f"Step {number}: {brief(step.over_pressure_pa, 'pressure difference', units)} over the atmosphere"
        if grip.of == "rate":
            return f"Step {number}: {brief(step.rate_m3_s or 0.0, 'flow rate', units)}"
        until = step.until
        if until.kind == "until a volume":
            return f"Step {number} until {brief(until.volume_m3, 'volume', units)}"
        if until.kind == "until a mass":
            return f"Step {number} until {brief(until.mass_kg, 'mass', units)}"
        if until.kind == "until a pressure":
            return f"Step {number} until {brief(until.over_pressure_pa, 'pressure difference', units)}"
        return f"Step {number} until {brief(until.time_s, 'duration', units)}" if until.kind == "until a time" else ""
