"""Printing: a station as it stands on one sheet, or the plan to scale over as many sheets as it takes.

Each sheet of the plan overlaps its neighbours, has crosses on a grid that they share, and a bar of a known length, so
that a printer that shrinks its pages is found out.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPageLayout, QPainter, QPen, QPixmap
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from bibulon.desk.plan import layers
from bibulon.desk.plan.frame import Frame
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import label
from bibulon.desk.work.document import Document
from bibulon.job import Job

SCALES = (1, 2, 5, 10, 20, 50)
MM_PER_PX = 25.4 / 96
"""Texts and strokes are as large on paper as on a screen of 96 dots an inch."""
OVERLAP_MM, FOOT_MM = 10.0, 8.0
"""What neighbouring sheets share; room for the line of words below."""
CROSS_EVERY_MM, CROSS_MM = 100.0, 5.0
BAR_MM = 100.0
MOST_SHEETS = 200


@dataclass(frozen=True)
class Sheet:
    """One sheet: its row from the top and column from the left, and the place of its lower left corner in metres."""

    row: int
    column: int
    left_m: float
    low_m: float


@dataclass(frozen=True)
class Sheets:
    """The plan of a job at 1 : ``scale`` on paper of that printable size."""

    scale: int
    width_mm: float
    height_mm: float
    rows: int
    columns: int
    low: tuple[float, float]
    """The lower left corner of what is printed, in metres."""

    @property
    def count(self) -> int:
        return self.rows * self.columns

    def __iter__(self) -> Iterator[Sheet]:
        """Sheets from the upper left, row by row."""
        across, down = (self._step_m(size) for size in (self.width_mm, self.height_mm))
        for row in range(self.rows):
            for column in range(self.columns):
                yield Sheet(row, column, self.low[0] + column * across, self.low[1] + (self.rows - 1 - row) * down)

    def _step_m(self, size_mm: float) -> float:
        return (size_mm - OVERLAP_MM) * self.scale / 1000


def sheets_of(job: Job, scale: int, width_mm: float, height_mm: float) -> Sheets:
    """The sheets for *job* with its flange at 1 : *scale* on paper of which so much can be printed on."""
    low_x, low_y, high_x, high_y = job.part.shape.bounds
    gap = job.part.flange_width_m
    usable = height_mm - FOOT_MM
    counts = []
    for length_m, size_mm in ((high_x - low_x + 2 * gap, width_mm), (high_y - low_y + 2 * gap, usable)):
        length_mm = length_m * 1000 / scale
        counts.append(max(math.ceil((length_mm - OVERLAP_MM) / (size_mm - OVERLAP_MM) - 1e-9), 1))
    columns, rows = counts
    spare_x, spare_y = (
        ((count * (size_mm - OVERLAP_MM) + OVERLAP_MM) * scale / 1000 - length_m) / 2
        for count, size_mm, length_m in (
            (columns, width_mm, high_x - low_x + 2 * gap),
            (rows, usable, high_y - low_y + 2 * gap),
        )
    )
    return Sheets(scale, width_mm, usable, rows, columns, (low_x - gap - spare_x, low_y - gap - spare_y))


def _printable_mm(printer: QPrinter) -> tuple[float, float]:
    box = printer.pageRect(QPrinter.Unit.Millimeter)
    return box.width(), box.height()


def print_plan(document: Document, scale: int, printer: QPrinter) -> int:
    """Print the plan of *document* at 1 : *scale*; how many sheets it took."""
    sheets = sheets_of(document.job, scale, *_printable_mm(printer))
    with _on_paper(printer) as painter:
        for number, sheet in enumerate(sheets):
            if number:
                printer.newPage()
            _paint_sheet(painter, document, sheets, sheet)
    return sheets.count


def _paint_sheet(painter: QPainter, document: Document, sheets: Sheets, sheet: Sheet) -> None:
    job, px_per_m = document.job, 1000 / sheets.scale / MM_PER_PX
    width, height = sheets.width_mm / MM_PER_PX, sheets.height_mm / MM_PER_PX
    frame = Frame(px_per_m, -sheet.left_m * px_per_m, height + sheet.low_m * px_per_m)
    painter.save()
    painter.setClipRect(QRectF(0, 0, width, height))
    layers.paint_part(painter, frame, job)
    layers.paint_media(painter, frame, job, "")
    layers.paint_regions(painter, frame, job, named=True)
    layers.paint_outline(painter, frame, job)
    for line in job.lines:
        layers.paint_line(painter, frame, line, False)
        layers.paint_label(painter, frame, line)
    _paint_crosses(painter, frame, QRectF(0, 0, width, height), sheets.scale)
    painter.restore()
    painter.setPen(QPen(QColor(theme.LIGHT.rule), 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(0, 0, width, height))
    bar, foot = BAR_MM / MM_PER_PX, height + 5 / MM_PER_PX
    painter.setPen(QPen(QColor(theme.LIGHT.ink), 1.5))
    painter.drawLine(QPointF(0, foot), QPointF(bar, foot))
    for at in (0.0, bar):
        painter.drawLine(QPointF(at, foot - 5), QPointF(at, foot + 5))
    painter.setFont(theme.font(12))
    words = (
        f"{BAR_MM:.0f} mm on this bar · row {sheet.row + 1} of {sheets.rows}, column {sheet.column + 1} of "
        f"{sheets.columns} · 1 : {sheets.scale} · {job.name}"
    )
    room = round(width - bar - 10)
    words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room)
    painter.drawText(QPointF(bar + 10, foot + 4), words)


def _paint_crosses(painter: QPainter, frame: Frame, box: QRectF, scale: int) -> None:
    """Crosses on a grid that neighbouring sheets share."""
    every_m, arm = CROSS_EVERY_MM * scale / 1000, CROSS_MM / MM_PER_PX / 2
    painter.setPen(QPen(QColor(theme.LIGHT.muted), 0.8))
    (left, top), (right, low) = frame.to_plan(box.topLeft()), frame.to_plan(box.bottomRight())
    for i in range(math.ceil(left / every_m), math.floor(right / every_m) + 1):
        for j in range(math.ceil(low / every_m), math.floor(top / every_m) + 1):
            at = frame.to_screen((i * every_m, j * every_m))
            painter.drawLine(at - QPointF(arm, 0), at + QPointF(arm, 0))
            painter.drawLine(at - QPointF(0, arm), at + QPointF(0, arm))


def print_station(title: str, pictures: tuple[QPixmap, ...], printer: QPrinter) -> None:
    """Print the *pictures* of a station under a *title*, the widest first, on one sheet."""
    with _on_paper(printer) as painter:
        width, height = (size / MM_PER_PX for size in _printable_mm(printer))
        painter.setPen(QColor(theme.LIGHT.ink))
        painter.setFont(theme.font(15))
        painter.drawText(QPointF(0, 14), title)
        top = 24.0
        for picture in pictures:
            ratio = picture.devicePixelRatio()
            wide, high = picture.width() / ratio, picture.height() / ratio
            share = min(width / wide, (height - top) / high, 1.0)
            painter.drawPixmap(QRectF(0, top, wide * share, high * share), picture, QRectF(picture.rect()))
            top += high * share + 12


@contextmanager
def _on_paper(printer: QPrinter) -> Iterator[QPainter]:
    """A painter on *printer* in units of 1/96 inch, in the light palette. Raises OSError."""
    was, painter = theme.current.palette, QPainter()
    if not painter.begin(printer):
        raise OSError("the printer cannot be written to")
    theme.current.palette = theme.LIGHT
    try:
        dots = printer.resolution() / 96
        painter.scale(dots, dots)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        yield painter
    finally:
        theme.current.palette = was
        painter.end()


class PrintDialog(QDialog):
    """What is to be printed; then the desktop's own dialog asks where."""

    def __init__(
        self, parent: QWidget, document: Document, station: str, pictures: Callable[[], tuple[QPixmap, ...]]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Print")
        self.document, self._station, self._pictures = document, station, pictures
        self.printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        self.scale: int | None = None
        """1 : so much; None for the station as it stands."""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        what = ChoiceField(
            "What",
            lambda: [(f"{station}, as on the screen", None), *((f"Plan at 1 : {scale}", scale) for scale in SCALES)],
            lambda: self.scale,
            self._choose,
            "The plan at 1 : 1 is a template to lay on the mould",
        )
        layout.addWidget(what)
        self.words = label("", "muted")
        self.words.setMinimumWidth(360)
        layout.addWidget(self.words)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.go_on = buttons.addButton("Print …", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self._print)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._choose(None)

    def _choose(self, scale: int | None) -> None:
        self.scale = scale
        if scale is None:
            self.words.setText("The plan and what stands beside it, on one sheet.")
            self.go_on.setEnabled(True)
            return
        sheets = sheets_of(self.document.job, scale, *_printable_mm(self.printer))
        few = sheets.count <= MOST_SHEETS
        self.go_on.setEnabled(few)
        many = "One sheet" if sheets.count == 1 else f"{sheets.count} sheets, {sheets.rows} × {sheets.columns}"
        more = f"{many} of this printer's paper, with {OVERLAP_MM:.0f} mm of overlap and crosses to lay them by."
        self.words.setText(more if few else f"{many} are too many. Take a smaller scale.")

    def _print(self) -> None:
        if self.scale is None:
            self.printer.setPageOrientation(QPageLayout.Orientation.Portrait)
        if QPrintDialog(self.printer, self).exec() != QDialog.DialogCode.Accepted:
            return
        try:
            if self.scale is None:
                print_station(f"{self.document.job.name} · {self._station}", self._pictures(), self.printer)
            else:
                print_plan(self.document, self.scale, self.printer)
        except OSError as error:
            self.words.setText(f"This was not printed: {error}.")
            return
        self.accept()
