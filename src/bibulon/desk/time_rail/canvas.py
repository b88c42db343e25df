"""The time rail under mouse and keys.

Dragging over it scrubs; dragging the flag of a feed opened by the clock re-times it; the mixing of a batch and where it
is used up are dragged, and on the clock of the whole day the ends and levels of ramps and holds; on the lane of an
injection ends, pressures and rates of its steps. From the keyboard, left and right scrub by a minute.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
)

from bibulon.assess import Assessment
from bibulon.desk.time_rail.batch_lane import BatchGrip, batch_grip_at, batch_words, with_batch_dragged
from bibulon.desk.time_rail.heat_lane import HeatGrip, heat_grip_at, with_heat_dragged
from bibulon.desk.time_rail.picture import FILL_LANE, TimePicture
from bibulon.desk.time_rail.recipe_lane import Grip
from bibulon.desk.time_rail.scale import Scale
from bibulon.desk.widgets.focus_edge import FocusEdge
from bibulon.desk.widgets.spoken import SpokenObjects
from bibulon.desk.work.document import Document
from bibulon.durations import run_clock
from bibulon.flow.resin_at import resin_at
from bibulon.job import Job
from bibulon.job.edits import revised, with_line
from bibulon.job.lines import AtTime
from bibulon.moments import Moment
from bibulon.mould.injection import InjectionCourse
from bibulon.quantities import show

ROUND_S = 10.0


class TimeCanvas(TimePicture):
    """The clock under the hand: dragging scrubs, and moves the flag of a feed opened by the clock."""

    scrubbed = Signal(object)
    pointer_described = Signal(str)
    """Where the resin is at the moment under the pointer."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._held: str | None = None
        self._gripped: tuple[Grip, InjectionCourse, Scale] | None = None
        """What is held of the injection, its course before it was moved, and the clock as it was then."""
        self._batch_held: tuple[BatchGrip, Assessment, Scale] | None = None
        """What is held of the batches, with the assessment and the clock before it was moved."""
        self._heat_held: tuple[HeatGrip, Assessment, Scale] | None = None
        self._moved = False
        self._spoken = SpokenObjects(self)
        FocusEdge(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time rail")
        self.setMouseTracking(True)

    def set_document(self, document: Document) -> None:
        """Show another document."""
        self.document = self.recipe.document = document
        self.recipe.touched = self._gripped = self._held = self._batch_held = self._heat_held = None

    def speak(self) -> None:
        """Have programs that read the screen know what stands on the clock."""
        if not self._spoken.wanted:
            return
        scale = self.scale()
        self._spoken.refresh(
            tuple(
                (
                    f"{moment.kind} {moment.label}",
                    f"{moment.label}, {moment.kind}, {_when(moment)}",
                    QPointF(scale.x(moment.start_s), self.height() / 2),
                )
                for moment in self.document.assessment.moments
            )
        )

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
        grip, course = self.recipe.grip_at(self.scale(), event.position()), self.recipe.course()
        self.recipe.touched = grip
        self._take_cure_or_batch(event.position())
        if self._batch_held is not None or self._heat_held is not None:
            return
        if grip is not None and course is not None:
            self._gripped, self._moved = (grip, course, self.scale()), False
            self.update()
        elif self._held is None:
            self.scrub(self.scale().time(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        position = event.position()
        self.pointer_described.emit(self._resin_text(self.scale().time(position.x())))
        if not event.buttons() & Qt.MouseButton.LeftButton:
            heat = self._heat_at(position)
            if heat is not None or self._batch_at(position) is not None:
                level = heat is not None and heat.of == "level"
                self.setCursor(Qt.CursorShape.SizeVerCursor if level else Qt.CursorShape.SizeHorCursor)
                return
            grip = self.recipe.grip_at(self.scale(), position)
            along = self._flag_at(position) is not None or (grip is not None and grip.of == "end")
            upright = Qt.CursorShape.SizeVerCursor if grip is not None else Qt.CursorShape.ArrowCursor
            self.setCursor(Qt.CursorShape.SizeHorCursor if along else upright)
            return
        if self._batch_held is not None or self._heat_held is not None:
            self._moved = True
            self.document.preview(self._cure_or_batch_dragged(position))
            if self._batch_held is not None:
                self.pointer_described.emit(batch_words(self.document.assessment, self._batch_held[0]))
            return
        if self._gripped is not None:
            dragged, self._moved = self._dragged(position), True
            self.pointer_described.emit(self.recipe.words(self._gripped[0], dragged))
            self.document.preview(dragged)
            return
        if self._held is None:
            self.scrub(self.scale().time(position.x()))
            return
        line = self.document.job.line(self._held)
        self.document.preview(with_line(self.document.job, revised(line, opens=AtTime(time_s=self._round(position)))))

    def _dragged(self, position: QPointF) -> Job:
        assert self._gripped is not None
        grip, course, scale = self._gripped
        return self.recipe.dragged(self.document.job, course, grip, scale.time(position.x()), position.y())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        divided = self.recipe.divided(self.scale(), event.position())
        if divided is None:
            super().mouseDoubleClickEvent(event)
            return
        self._gripped = None
        self.document.edit("divide a step", divided)

    def leaveEvent(self, event: QEvent) -> None:
        self.pointer_described.emit("")
        super().leaveEvent(event)

    def _round(self, position: QPointF) -> float:
        return max(round(self.scale().time(position.x()) / ROUND_S) * ROUND_S, 0.0)

    # -- batches, ramps and holds ------------------------------------------------------------------------------------

    def _batch_at(self, position: QPointF) -> BatchGrip | None:
        if self.whole_day and self.document.job.curing.steps:
            return None
        return batch_grip_at(self.document.assessment, self.scale(), position)

    def _heat_at(self, position: QPointF) -> HeatGrip | None:
        return heat_grip_at(self.document.assessment, self.scale(), position) if self.whole_day else None

    def _take_cure_or_batch(self, position: QPointF) -> None:
        batch, heat = self._batch_at(position), self._heat_at(position)
        assessment, scale, self._moved = self.document.assessment, self.scale(), False
        self._heat_held = (heat, assessment, scale) if heat is not None else None
        self._batch_held = (batch, assessment, scale) if batch is not None and heat is None else None

    def _cure_or_batch_dragged(self, position: QPointF) -> Job:
        if self._heat_held is not None:
            held, before, scale = self._heat_held
            return with_heat_dragged(before, held, scale.time(position.x()), position.y())
        assert self._batch_held is not None
        grip, assessment, clock = self._batch_held
        return with_batch_dragged(assessment, grip, clock.time(position.x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._batch_held is not None or self._heat_held is not None:
            words = "a ramp or hold" if self._heat_held is not None else "a batch on the rail"
            if self._moved:
                self.document.edit(words, self._cure_or_batch_dragged(event.position()))
                self.pointer_described.emit("")  # what was told while it was dragged was of a coarse fill
            self._batch_held = self._heat_held = None
            return
        if self._gripped is not None:
            grip = self._gripped[0]
            if self._moved:  # a click alone chooses
                self.document.edit(f"{grip.of} of step {grip.step + 1}", self._dragged(event.position()))
            self._gripped = None
            return
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
        elif event.key() == Qt.Key.Key_Delete and (joined := self.recipe.without_touched()) is not None:
            self.recipe.touched = None
            self.document.edit("take out a step", joined)
        elif event.key() == Qt.Key.Key_End:
            self.scrub(None)
        else:
            super().keyPressEvent(event)

    def _resin_text(self, time_s: float) -> str:
        """Where the resin is at a moment, in words."""
        a, units = self.document.assessment, self.document.assessment.units
        if a.fill is None:
            return ""
        resin = resin_at(a.job, a.fill, a.batches, min(max(time_s, 0.0), self.fill_end()))
        drawn, bucket, pots = (show(mass, "mass", units) for mass in (resin.drawn_kg, resin.bucket_kg, resin.pots_kg))
        return f"{run_clock(max(time_s, 0.0))}  ·  drawn {drawn}  ·  bucket {bucket}  ·  pots {pots}"


def _when(moment: Moment) -> str:
    if moment.end_s > moment.start_s:
        return f"from {run_clock(moment.start_s)} to {run_clock(moment.end_s)}"
    return f"at {run_clock(moment.start_s)}"
