"""Bringing in a drawing as the part's outline, or a mesh as its relief: looked at and set right before it is taken."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QWidget,
)
from shapely import Polygon

from bibulon.desk.dialogs.preview import PreviewDialog
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.relief_shade import shaded
from bibulon.desk.plan.view import PlanView
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, label
from bibulon.desk.widgets.rank_mark import paint_mark
from bibulon.desk.work.background import Background
from bibulon.desk.work.document import Document
from bibulon.exchange.drawings import UNITS_M, Drawing, DrawingRefusal, read_drawing
from bibulon.exchange.outlines import FoundOutline, outline_of
from bibulon.exchange.reliefs import (
    UPWARDS,
    FoundRelief,
    Placement,
    ReliefRefusal,
    Surface,
    Upwards,
    likely_turn,
    read_surface,
    relief_of,
)
from bibulon.exchange.within import read_within
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.laminate.relief import height_m
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import percent
from bibulon.quantity_text import QuantityError, parse
from bibulon.workers.report import Report

LIKELY_M = (0.3, 20.0)
FIRST_GAP_M = 0.001


class BringsIn(Protocol):
    """What is asked of the window here."""

    document: Document
    plan: PlanView

    def show_message(self, text: str, *actions: tuple[str, Callable[[], object]]) -> None: ...


def likely_unit(size: float) -> str:
    """The unit in which a drawing of that *size* would be a part of a likely size."""
    return next((unit for unit, metres in UNITS_M.items() if LIKELY_M[0] <= size * metres <= LIKELY_M[1]), "mm")


class OutlineDialog(PreviewDialog):
    """Unit, layers and gaps of a drawing; ``found`` is the outline that they make, or None."""

    def __init__(self, parent: QWidget | None, name: str, drawing: Drawing, units: Units) -> None:
        super().__init__(parent, "Outline from a drawing", "Take this outline")
        self._drawing, self._units = drawing, units
        self.unit = drawing.unit or likely_unit(max(drawing.size))
        self.made: FoundOutline | None = None
        self._place: Point | None = None
        said = f"{name} says that it is in {drawing.unit}." if drawing.unit else f"{name} does not say its unit."
        self.fields.addWidget(label(said, "muted"))
        choices = [(f"{unit} (as it says)" if unit == drawing.unit else unit, unit) for unit in UNITS_M]
        self.unit_field = ChoiceField("Drawn in", lambda: choices, lambda: self.unit, self._set_unit)
        self.fields.addWidget(self.unit_field)
        self.gap = QLineEdit(show(FIRST_GAP_M, "thickness", units))
        self.gap.setAccessibleName("Close gaps up to")
        gap_row = QHBoxLayout()
        gap_row.addWidget(label("Close gaps up to", wrap=False))
        gap_row.addWidget(self.gap, 1)
        self.fields.addLayout(gap_row)
        self.gap.textChanged.connect(lambda _: self._work_out())
        self.fields.addWidget(label("Layers", "section"))
        self.layers = QListWidget()
        self.layers.setAccessibleName("Layers")
        self.layers.setMaximumHeight(150)
        for layer, count in drawing.layers.items():
            item = QListWidgetItem(f"{layer}  ·  {count} line{'s' if count > 1 else ''}")
            item.setData(Qt.ItemDataRole.UserRole, layer)
            item.setCheckState(Qt.CheckState.Checked)
            self.layers.addItem(item)
        self.layers.itemChanged.connect(lambda _: self._work_out())
        self.fields.addWidget(self.layers)
        every = np.concatenate([chain.points for chain in drawing.chains])
        low, high = every.min(axis=0), every.max(axis=0)
        self.preview.show_range((float(low[0]), float(low[1])), (float(high[0]), float(high[1])))
        self._work_out()

    def _set_unit(self, unit: str) -> None:
        self.unit = unit
        self._work_out()

    @property
    def chosen(self) -> set[str]:
        """The layers that are ticked."""
        items = (self.layers.item(row) for row in range(self.layers.count()))
        return {item.data(Qt.ItemDataRole.UserRole) for item in items if item.checkState() == Qt.CheckState.Checked}

    def _work_out(self) -> None:
        self.made, self._place = None, None
        try:
            gap_m = parse(self.gap.text(), "thickness", self._units)
            made = outline_of(self._drawing, UNITS_M[self.unit], self.chosen, max(gap_m, 0.0))
        except DrawingRefusal as refusal:
            self._place = refusal.place
            at = ""
            if refusal.place is not None:
                x, y = self._drawing.in_the_file(refusal.place)
                at = f" At {x:.5g}, {y:.5g} in the drawing."
            self.show_outcome("", "", f"{refusal}{at}")
            return
        except QuantityError as error:
            self.show_outcome("", "", str(error))
            return
        self.made = made
        shape = Polygon(made.outline, made.holes)
        low_x, low_y, high_x, high_y = shape.bounds
        size = " × ".join(show(side, "length", self._units) for side in (high_x - low_x, high_y - low_y))
        holes = {0: "", 1: ", 1 hole"}.get(len(made.holes), f", {len(made.holes)} holes")
        text = f"{size}, {show(shape.area, 'area', self._units)}{holes}, {len(made.outline)} points"
        self.show_outcome(text, "\n".join([*made.notes, *self._drawing.notes]))

    def paint(self, painter: QPainter, frame: Frame) -> None:
        palette = theme.current.palette
        if self.made is not None:
            corner = np.concatenate([chain.points for chain in self._drawing.chains if chain.layer in self.chosen]).min(
                axis=0
            )
            unit_m = UNITS_M[self.unit]
            area = QPainterPath()
            for ring in (self.made.outline, *self.made.holes):
                places = [(x / unit_m + corner[0], y / unit_m + corner[1]) for x, y in ring]
                area.addPolygon(frame.polygon(tuple(places)))
                area.closeSubpath()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(palette.dry))
            painter.drawPath(area)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for chain in self._drawing.chains:
            on = chain.layer in self.chosen
            painter.setPen(QPen(QColor(palette.ink) if on else palette.colour("muted", 120), 1.6 if on else 1.0))
            line = QPolygonF([frame.to_screen((float(x), float(y))) for x, y in chain.points])
            painter.drawPolygon(line) if chain.closed else painter.drawPolyline(line)
        if self._place is not None:
            at = frame.to_screen(self._place)
            paint_mark(painter, "stop", QRectF(at.x() - 10, at.y() - 10, 20, 20))


class ReliefDialog(PreviewDialog):
    """Unit, orientation and place of a mesh; ``found`` is the relief that they make, or None."""

    def __init__(self, parent: QWidget | None, name: str, surface: Surface, outline: tuple[Point, ...], units: Units):
        super().__init__(parent, "Relief from a mesh", "Take this relief")
        self._surface, self._outline, self._units = surface, outline, units
        self.made: FoundRelief | None = None
        self._place: Point | None = None
        self._image: QImage | None = None
        self._shadow: tuple[Point, ...] = ()
        self.upwards: Upwards = min(UPWARDS[:3], key=lambda up: surface.size(up)[2])
        part = Polygon(outline)
        low_x, low_y, high_x, high_y = part.bounds
        longest = max(surface.size(self.upwards)[:2])
        wanted = max(high_x - low_x, high_y - low_y)
        self.turn_deg = 0.0
        self.unit = min(UNITS_M, key=lambda unit: abs(np.log(max(longest, 1e-12) * UNITS_M[unit] / wanted)))
        self.centred = True
        self.fields.addWidget(label(f"{name}: {len(surface.triangles)} triangles.", "muted"))
        self.turn_deg = likely_turn(surface, self.placement, outline)
        self.unit_field = ChoiceField(
            "In", lambda: [(choice, choice) for choice in UNITS_M], lambda: self.unit, self._set_unit
        )
        self.fields.addWidget(self.unit_field)
        axes = [(f"{choice} points up", choice) for choice in UPWARDS]
        self.up_field = ChoiceField("Axis", lambda: axes, lambda: self.upwards, self._set_upwards)
        self.fields.addWidget(self.up_field)
        turns = "Counter-clockwise on the plan; the broken line is the mesh as it lies there."
        self.turn_field = FreeField("Turned", lambda: f"{self.turn_deg:g}°", self._set_turn, turns)
        self.fields.addWidget(self.turn_field)
        self.centre = QCheckBox("Centre it under the outline")
        self.centre.setChecked(True)
        self.centre.toggled.connect(self._set_centred)
        self.fields.addWidget(self.centre)
        self.preview.show_range((low_x, low_y), (high_x, high_y))
        self._work = Background(self._relief, self)
        self._work.finished.connect(self._take_in)
        self._work.failed.connect(self._failed)
        self._work.ended.connect(self._ended)
        self._work.progressed.connect(self._working)
        self._work_out()

    def _set_unit(self, unit: str) -> None:
        self.unit = unit
        self._work_out()

    def _set_upwards(self, upwards: Upwards) -> None:
        self.upwards = upwards
        self.turn_deg = likely_turn(self._surface, self.placement, self._outline)
        self.turn_field.refresh()
        self._work_out()

    def _set_turn(self, text: str) -> None:
        self.turn_deg = parse(text, "angle", self._units)
        self._work_out()

    @property
    def placement(self) -> Placement:
        """How the mesh is to lie."""
        return Placement(UNITS_M[self.unit], self.upwards, self.turn_deg, self.centred)

    def _set_centred(self, on: bool) -> None:
        self.centred = on
        self._work_out()

    def _relief(self, report: Report, placement: Placement) -> tuple[FoundRelief, QImage]:
        """The relief with its picture, worked out off the interface thread. Raises ReliefRefusal."""
        made = relief_of(self._surface, placement, self._outline, lambda share: report.progress(0.8 * share))
        report.progress(0.8)
        return made, shaded(made.relief, self._outline)

    def _work_out(self) -> None:
        self.made, self._image, self._place = None, None, None
        self._shadow = self.placement.shadow(self._surface, self._outline)
        self.show_outcome("", "Working it out …")
        self._work.start(self.placement)

    def _working(self, share: float) -> None:
        self.show_outcome("", f"Working it out … {percent(share)}")

    def _take_in(self, placement: Placement, made: tuple[FoundRelief, QImage]) -> None:
        if placement != self.placement:  # another was asked for meanwhile
            return
        self.made, self._image = made
        high = height_m(self.made.relief, Polygon(self._outline))
        text = f"{show(high, 'length', self._units)} high, {len(self.made.relief)} points"
        self.show_outcome(text, f"The mesh lies within {show(self.made.deviation_m, 'thickness', self._units)} of it.")

    def _failed(self, placement: Placement, error: Exception) -> None:
        if placement == self.placement and isinstance(error, ReliefRefusal):
            self._place = error.place

    def _ended(self, message: str) -> None:
        if message:
            self.show_outcome("", "", message)

    def paint(self, painter: QPainter, frame: Frame) -> None:
        palette = theme.current.palette
        shape = frame.polygon(self._outline)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(palette.dry))
        painter.drawPolygon(shape)
        if self._image is not None:
            path = QPainterPath()
            path.addPolygon(shape)
            painter.save()
            painter.setClipPath(path)
            painter.drawImage(shape.boundingRect(), self._image)
            painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.muted), 1.2, Qt.PenStyle.DashLine))
        painter.drawPolygon(frame.polygon(self._shadow))
        painter.setPen(QPen(QColor(palette.ink), 2))
        painter.drawPolygon(shape)
        if self._place is not None:
            at = frame.to_screen(self._place)
            paint_mark(painter, "stop", QRectF(at.x() - 10, at.y() - 10, 20, 20))


def bring_outline(desk: BringsIn, path: Path) -> None:
    """Read a drawing beside the window's work, then ask what of it is the outline."""

    def ask(drawing: Drawing) -> None:
        dialog = OutlineDialog(desk.plan.window(), path.name, drawing, desk.document.assessment.units)
        if dialog.exec() and dialog.made is not None:
            part = desk.document.job.part
            edited = revised(part, outline=dialog.made.outline, holes=dialog.made.holes, relief=(), relief_from=None)
            desk.document.edit("outline from a drawing", changed(desk.document.job, part=edited))
            desk.plan.fit()

    _read(desk, path, read_drawing, ask)


def bring_relief(desk: BringsIn, path: Path) -> None:
    """Read a mesh beside the window's work, then ask how it lies under the outline."""

    def ask(surface: Surface) -> None:
        outline = desk.document.job.part.outline
        dialog = ReliefDialog(desk.plan.window(), path.name, surface, outline, desk.document.assessment.units)
        if dialog.exec() and dialog.made is not None:
            part = revised(desk.document.job.part, relief=dialog.made.relief, relief_from=None)
            desk.document.edit("relief from a mesh", changed(desk.document.job, part=part))

    _read(desk, path, read_surface, ask)


def _read(
    desk: BringsIn,
    path: Path,
    read: Callable[[Path], object],
    ask: Callable[[Any], None],
) -> None:
    reader = Background(lambda report, path: read_within(read, path, report), desk.plan)
    read_in: list[object] = []

    def over(message: str) -> None:
        desk.plan.show_hint("")
        reader.wait()
        reader.deleteLater()
        if message:
            desk.show_message(message)
        elif read_in:
            ask(read_in[0])

    reader.finished.connect(lambda _, made: read_in.append(made))
    reader.ended.connect(over)
    desk.plan.show_hint(f"Reading {path.name} …")
    reader.start(path)
