"""The picture of the plan: which layers are painted, in which order, and what is kept of them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QImage,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PySide6.QtWidgets import QWidget
from shapely import Polygon

from bibulon.desk.plan import fill_layers, layers, marks
from bibulon.desk.plan.bag_layer import paint_bag
from bibulon.desk.plan.frame import Frame, ruler_step_m
from bibulon.desk.plan.maps import PlanMap, map_named
from bibulon.desk.plan.relief_shade import ReliefShade
from bibulon.desk.plan.rim_layer import paint_fittings, paint_pots, paint_rim, paint_seam
from bibulon.desk.plan.section import paint_section
from bibulon.desk.plan.shown import Shown
from bibulon.desk.plan.things import KINDS, Grip, hose_id
from bibulon.desk.plan.tools import SelectTool, Tool
from bibulon.desk.widgets import theme
from bibulon.desk.work.document import Document
from bibulon.desk.work.fill_answers import Face, FillAnswer
from bibulon.durations import run_clock
from bibulon.flow.reading import section
from bibulon.flow.result import FillResult
from bibulon.job import WITH_PLEATS, Job
from bibulon.job.base import Point
from bibulon.laminate.cells import Laminate
from bibulon.laminate.section import Section, stack_section
from bibulon.quantities import show
from bibulon.remembered import ByIdentity

RULER_PX = 22
GAUGE_WORDS_PX = (-40, 0, 40)
"""How far to both sides what a gauge says reaches."""


class PlanPicture(QWidget):
    """Paints the plan of a job as a station shows it: layers, the fill's map with its legend, the stack in section."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.frame = Frame(100.0, 0.0, 0.0)
        self.shown = Shown("part", frozenset())
        self.tool: Tool = SelectTool()
        self.chosen = ""
        self.time_s: float | None = None
        self.map = map_named("through")
        self._image: tuple[object, str, float, str, QImage] | None = None
        self._map: tuple[tuple[object, ...], PlanMap | None] | None = None
        self.joints = False
        """Whether the joints of the plies are shown at Lay-up."""
        self._marked_cells: tuple[Polygon, ...] = ()
        self._stack_picture: tuple[tuple[object, ...], QPixmap, Laminate] | None = None
        """With the laminate that it is of, so that no other can take its identity."""
        self._stack_section: tuple[tuple[object, ...], Section] | None = None
        self._shade = ReliefShade(self)
        self._shade.ready.connect(self.update)
        self.proposed: tuple[Job, FillResult] | None = None
        """A proposed layout, drawn over the present one until it is taken or left."""
        self.numbered: tuple[Point | None, ...] = ()
        self.leak_shares: tuple[tuple[Point, float], ...] = ()
        """Places that a bench numbers on the plan, from 1; None for one that is nowhere on it."""
        self.field: PlanMap | None = None
        """A map that a bench shows in place of the fill, at the stations that have one."""
        self.cut: tuple[Point, Point] | None = None
        """The line along which the stack is shown in section."""

    @property
    def edits(self) -> tuple[str, ...]:
        """Kinds of object that can be moved and reshaped as the plan is shown now."""
        return tuple(kind for kind in self.shown.edits if kind != "joint" or self.joints)

    @property
    def editable(self) -> bool:
        return bool(self.edits)

    @property
    def _shows_field(self) -> bool:
        return self.field is not None and "field" in self.shown.layers

    def chosen_grip(self) -> Grip | None:
        kinds = (kind for kind in self.edits if self.chosen in KINDS[kind].points(self.document.job))
        return next((Grip(kind, self.chosen, None) for kind in kinds), None)

    def _answer(self) -> FillAnswer | None:
        """The fill, where it is shown."""
        return self.document.answer if "fill" in self.shown.layers else None

    def _paint_stack(self, painter: QPainter) -> None:
        """The hatched cells, from a picture that is kept while they and the view stay: there may be hundreds."""
        ratio = self.devicePixelRatioF()
        key = (
            ByIdentity(self.document.assessment.laminate),
            self.frame,
            self.size(),
            ratio,
            theme.current.palette.name,
        )
        if self._stack_picture is None or self._stack_picture[0] != key:
            picture = QPixmap(self.size() * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            inner = QPainter(picture)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            layers.paint_stack(inner, self.frame, self.document.assessment)
            inner.end()
            self._stack_picture = (key, picture, self.document.assessment.laminate)
        painter.drawPixmap(0, 0, self._stack_picture[1])

    # -- painting ----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            self._paint(painter)
        finally:  # a painter left open would take the program down
            painter.end()

    def _paint(self, painter: QPainter) -> None:
        palette = theme.current.palette
        job, assessment, shown = self.document.job, self.document.assessment, self.shown.layers
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(palette.ground))
        layers.paint_part(painter, self.frame, job)
        if job.parts_together > 1 and shown & {"bag", "lines"}:
            layers.paint_together(painter, self.frame, job)
        if "stack" in shown:
            self._paint_stack(painter)
        answer = self._answer()
        layers.paint_regions(painter, self.frame, job, named="region names" in shown)
        if "rim" in shown and job.closed:
            paint_rim(painter, self.frame, assessment, self.time_s, self.chosen)
        if self._shows_field and self.field is not None:
            self._paint_field(painter, self.field, self.field.name)
        elif answer is not None:
            self._paint_map(painter, answer, self._shown_time(answer))
        if "media" in shown and not job.in_mould:
            layers.paint_media(painter, self.frame, job, self.chosen)
        shade = self._shade.of(job.part)
        if shade is not None:
            layers.paint_relief(painter, self.frame, job, shade)
        if "marked cells" in shown:
            layers.paint_marked_cells(painter, self.frame, self._marked_cells)
        if "joints" in shown and (self.joints or job.cutting.darts):
            layers.paint_joints(painter, self.frame, assessment.plies, self.chosen, joints=self.joints)
            layers.paint_darts(painter, self.frame, job, assessment.plies, self.chosen)
        layers.paint_outline(painter, self.frame, job)
        if "bag" in shown and job.process in WITH_PLEATS:
            paint_bag(painter, self.frame, assessment)
        if "lines" in shown:
            self._paint_lines(painter, answer)
            if self.proposed is not None and "proposal" in shown:
                fill_layers.paint_proposed(painter, self.frame, *self.proposed)
        if "rim" in shown:
            paint_seam(painter, self.frame, job)
        if "fittings" in shown and job.in_mould:
            paint_pots(painter, self.frame, assessment, self.time_s, self.chosen)
            paint_fittings(painter, self.frame, assessment, self.time_s, self.chosen)
        if "corners" in shown:
            marks.paint_corners(painter, self.frame, job.mould.corners, self.chosen)
        if "sizes" in shown:
            layers.paint_sizes(painter, self.frame, assessment)
        if "marks of the front" in shown:
            marks.paint_marks(painter, self.frame, job)
        if "leaks" in shown:
            marks.paint_leak_shares(painter, self.frame, self.leak_shares)
            marks.paint_found(painter, self.frame, [leak.spot for leak in job.hunt.found])
            marks.paint_numbered(painter, self.frame, self.numbered)
        places = [
            (caution.rank, caution.place)
            for caution in self.document.cautions_to_paint
            if caution.place is not None and caution.station == self.shown.cautions_of
        ]
        labels = [layers.label_place(self.frame, line) for line in job.lines] if "lines" in shown else []
        marks.paint_cautions(painter, self.frame, places, labels)
        grip = self.chosen_grip()
        if grip is not None and KINDS[grip.kind].closed:
            marks.paint_handles(painter, self.frame, KINDS[grip.kind].points(job)[grip.id])
        if self.cut is not None and (answer is not None or "stack" in shown):
            self._paint_section(painter, answer, self.cut)
        self.tool.paint(painter, self.frame)
        self._paint_rulers(painter)

    def _paint_lines(self, painter: QPainter, answer: FillAnswer | None) -> None:
        """The lines with their labels, and the times of the front between them."""
        job = self.document.job
        for line in job.lines:
            if line.hose_way and "hose" in self.edits:
                layers.paint_hose(painter, self.frame, job, line, hose_id(line) == self.chosen)
        for line in job.lines:
            layers.paint_line(painter, self.frame, line, self.editable and line.id == self.chosen)
        taken = [layers.label_place(self.frame, line) for line in job.lines]
        if job.in_mould:  # a gauge says under it what it shows
            gauges = (fitting.place for fitting in job.pair.fittings if fitting.kind == "gauge")
            taken += [self.frame.to_screen(at) + QPointF(aside, 21) for at in gauges for aside in GAUGE_WORDS_PX]
        if answer is not None:
            taken.append(self.frame.to_screen(answer.result.last_filled))
            if self.map.make is None and not self._shows_field and self.proposed is None:
                time_s = self._shown_time(answer)
                fill_layers.paint_contour_times(painter, self.frame, self._face(answer).contours, time_s, taken)
            fill_layers.paint_last_filled(painter, self.frame, answer)
        for line in job.lines:
            layers.paint_label(painter, self.frame, line)

    def _paint_section(self, painter: QPainter, answer: FillAnswer | None, cut: tuple[Point, Point]) -> None:
        """The dry stack ply by ply, or the flow levels with the resin in them."""
        if answer is None:
            key: tuple[object, ...] = (self.document.job, cut)
            if self._stack_section is None or self._stack_section[0] != key:
                self._stack_section = (key, stack_section(self.document.job, *cut))
            cut_through, when = self._stack_section[1], ", dry, under vacuum"
        else:
            time_s = self._shown_time(answer)
            cut_through, when = section(answer.result, *cut, time_s), f", at {run_clock(time_s)}"
        paint_section(painter, self.frame, self.rect(), self.document.assessment.units, cut_through, cut, when)

    def _shown_time(self, answer: FillAnswer) -> float:
        return answer.result.end_s if self.time_s is None else min(self.time_s, answer.result.end_s)

    def _face(self, answer: FillAnswer) -> Face:
        return answer.seen if self.map.name == "seen" else answer.through

    def _map_of(self, answer: FillAnswer, time_s: float) -> PlanMap | None:
        """The field that was chosen, at *time_s*; None for the fill itself."""
        document = self.document
        of_cure = document.assessment.cure_study, document.cure_at_s, document.job.shot_start_s
        key = (answer, self.map, time_s if self.map.of_time else 0.0, document.study, of_cure, document.settings)
        if self._map is None or self._map[0] != key:
            make = self.map.make
            self._map = (key, None if make is None else make(document, answer, time_s))
        return self._map[1]

    def _paint_map(self, painter: QPainter, answer: FillAnswer, time_s: float) -> None:
        """The fill at *time_s*, or the field that was chosen with its legend."""
        job, shown = self.document.job, self._map_of(answer, time_s)
        if shown is None:
            face = self._face(answer)
            image = self._drawn((answer, self.map.name, time_s), lambda: fill_layers.fill_image(answer, face, time_s))
            fill_layers.paint_fill(painter, self.frame, job, answer, face, image, time_s)
            if self.map.make is None:
                end = show(answer.result.end_s, "duration", self.document.assessment.units)
                fill_layers.paint_legend(painter, self._legend_box(), "Resin comes after", "0", end)
            return
        self._paint_field(painter, shown, self.map.name)

    def _paint_field(self, painter: QPainter, shown: PlanMap, name: str) -> None:
        """A field with its legend."""
        image = self._drawn(
            (shown.grid, name, shown.highest),
            lambda: fill_layers.value_image(shown.grid, shown.highest, lowest=shown.lowest),
        )
        fill_layers.paint_field(painter, self.frame, self.document.job, shown.grid, image)
        fill_layers.paint_legend(painter, self._legend_box(), shown.name, shown.low_text, shown.high_text)

    def _legend_box(self) -> QRectF:
        """Lower right, or upper right of a section."""
        return QRectF(self.width() - 218, RULER_PX + 8 if self.cut is not None else self.height() - 66, 206, 56)

    def _drawn(self, key: tuple[object, str, float], draw: Callable[[], QImage]) -> QImage:
        """The picture of *key*, drawn anew only if it is another one than before."""
        whole = (*key, theme.current.palette.name)
        if self._image is None or self._image[0] is not key[0] or self._image[1:4] != whole[1:]:
            self._image = (*whole, draw())
        return self._image[4]

    def _paint_rulers(self, painter: QPainter) -> None:
        palette = theme.current.palette
        units = self.document.assessment.units
        unit_m = 0.0254 if units.system == "us" else 0.001
        step = ruler_step_m(self.frame.scale, unit_m)
        painter.fillRect(0, 0, self.width(), RULER_PX, QColor(palette.paper))
        painter.fillRect(0, 0, RULER_PX, self.height(), QColor(palette.paper))
        painter.setPen(QPen(QColor(palette.rule), 1))
        painter.drawLine(0, RULER_PX, self.width(), RULER_PX)
        painter.drawLine(RULER_PX, 0, RULER_PX, self.height())
        painter.setFont(theme.font(11))
        (left, top), (right, bottom) = (
            self.frame.to_plan(QPointF(0, 0)),
            self.frame.to_plan(QPointF(self.width(), self.height())),
        )
        for index in range(int(left / step) - 1, int(right / step) + 2):
            x = self.frame.to_screen((index * step, 0)).x()
            if x > RULER_PX:
                painter.setPen(QPen(QColor(palette.rule), 1))
                painter.drawLine(QPointF(x, RULER_PX - 7), QPointF(x, RULER_PX))
                painter.setPen(QColor(palette.muted))
                painter.drawText(QRectF(x + 3, 1, 60, RULER_PX - 4), 0x81, f"{index * step / unit_m:g}")
        for index in range(int(bottom / step) - 1, int(top / step) + 2):
            y = self.frame.to_screen((0, index * step)).y()
            if y > RULER_PX + 40:
                painter.setPen(QPen(QColor(palette.rule), 1))
                painter.drawLine(QPointF(RULER_PX - 7, y), QPointF(RULER_PX, y))
                painter.save()
                painter.translate(2, y - 3)
                painter.rotate(-90)
                painter.setPen(QColor(palette.muted))
                painter.drawText(QRectF(0, 0, 60, RULER_PX - 4), 0x81, f"{index * step / unit_m:g}")
                painter.restore()
        painter.fillRect(0, 0, RULER_PX, RULER_PX, QColor(palette.paper))
        painter.setPen(QColor(palette.muted))
        unit = "in" if units.system == "us" else "mm"
        painter.drawText(QRectF(0, 0, RULER_PX, RULER_PX), Qt.AlignmentFlag.AlignCenter, unit)
