"""Heights of the mould typed in, by sections or one by one, with the face they make."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QPlainTextEdit, QWidget
from shapely import Polygon

from bibulon.desk.dialogs.preview import PreviewDialog
from bibulon.desk.plan.frame import Frame
from bibulon.desk.plan.relief_shade import shaded
from bibulon.desk.widgets import theme
from bibulon.desk.widgets.fields import label
from bibulon.job.edits import revised
from bibulon.job.faults import explain_here
from bibulon.job.part import Part, ReliefFigures, ReliefSection
from bibulon.laminate.relief import height_m
from bibulon.laminate.relief_shapes import with_figures
from bibulon.quantities import Units, number_shown, show
from bibulon.quantity_text import QuantityError, cells_of, parse

HINT = """Single heights, one a line:
1200, 400, 150

or sections, one a line, places and heights along each:
at x 0: 0 0; 400 120; 800 0
at x 2000: 0 0; 400 80; 800 0"""


def parse_heights(text: str, units: Units) -> ReliefFigures:
    """Sections and heights from *text* (see ``HINT``). Raises ValueError naming the line."""
    sections: list[ReliefSection] = []
    heights: list[tuple[float, float, float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        words = line.strip()
        if not words:
            continue
        try:
            if words.lower().startswith("at "):
                sections.append(_section(words[3:].strip(), units))
            else:
                x, y, z = _lengths(words, 3, units)
                heights.append((x, y, z))
        except ValidationError as error:
            raise ValueError(f"Line {number}: {explain_here(error, units)}") from error
        except ValueError as error:
            raise ValueError(f"Line {number}: {error}") from error
    return ReliefFigures(sections=tuple(sections), heights=tuple(heights))


def _section(words: str, units: Units) -> ReliefSection:
    head, colon, rest = words.partition(":")
    across, place = head[:1].lower(), head[1:].strip()
    if not colon or across not in ("x", "y") or not place:
        raise ValueError("write a section like: at x 1200: 0 0; 400 120; 800 0")
    points = tuple(_pair(pair, units) for pair in rest.split(";") if pair.strip())
    return ReliefSection(across="x" if across == "x" else "y", at_m=parse(place, "length", units), points=points)


def _pair(words: str, units: Units) -> tuple[float, float]:
    along, height = _lengths(words.strip(), 2, units)
    return along, height


def _lengths(words: str, count: int, units: Units) -> list[float]:
    cells = cells_of(words)
    if len(cells) != count:
        raise ValueError(f"write {count} lengths, {'x, y and height' if count == 3 else 'a place and a height'}.")
    return [round(parse(cell, "length", units), 6) for cell in cells]


def heights_text(figures: ReliefFigures, units: Units) -> str:
    """*figures* as they are typed in."""

    def number(value: float) -> str:
        return f"{round(number_shown(value, 'length', units), 4):g}"

    lines = [
        f"at {section.across} {number(section.at_m)}: "
        + "; ".join(f"{number(a)} {number(z)}" for a, z in section.points)
        for section in figures.sections
    ]
    lines += [", ".join(number(value) for value in place) for place in figures.heights]
    return "\n".join(lines)


class HeightsDialog(PreviewDialog):
    """``part`` is the part with the relief that was typed, or None."""

    def __init__(self, parent: QWidget | None, part: Part, units: Units) -> None:
        super().__init__(parent, "Heights of the mould", "Take these heights")
        self._given, self._units = part, units
        self.part: Part | None = None
        self._image: QImage | None = None
        low_x, low_y, high_x, high_y = Polygon(part.outline).bounds
        self.preview.show_range((low_x, low_y), (high_x, high_y))
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Heights")
        self.text.setPlaceholderText(HINT)
        self.text.setMinimumHeight(220)
        self.text.setTabChangesFocus(True)
        self.fields.addWidget(label("The face runs smoothly through them; arches and rim come on top.", "muted"))
        self.fields.addWidget(self.text)
        if part.relief_from is not None:
            self.text.setPlainText(heights_text(part.relief_from, units))
        self.text.textChanged.connect(self._work_out)
        self._work_out()

    def _work_out(self) -> None:
        self.part, self._image = None, None
        if not self.text.toPlainText().strip():
            self.explain_nothing()
            return
        try:
            typed = parse_heights(self.text.toPlainText(), self._units)
            before = self._given.relief_from or ReliefFigures()
            figures = revised(before, sections=typed.sections, heights=typed.heights)
            made = with_figures(self._given, figures)
        except ValidationError as error:
            self.show_outcome("", "", explain_here(error, self._units))
            return
        except (QuantityError, ValueError) as error:
            self.show_outcome("", "", str(error))
            return
        self.part, self._image = made, shaded(made.relief, made.outline)
        count = len(typed.sections) or len(typed.heights)
        what = ("section" if typed.sections else "height") + ("s" if count > 1 else "")
        high = show(height_m(made.relief, made.shape), "length", self._units) if made.relief else "flat"
        self.show_outcome(f"{high}, from {count} {what}")

    def explain_nothing(self) -> None:
        self.show_outcome("", "Write x, y and height, or sections. Places count as on the plan's rulers.")

    def paint(self, painter: QPainter, frame: Frame) -> None:
        palette = theme.current.palette
        shape = frame.polygon(self._given.outline)
        painter.setPen(QPen(QColor(palette.ink), 2))
        painter.setBrush(QColor(palette.dry))
        painter.drawPolygon(shape)
        if self._image is not None:
            path = QPainterPath()
            path.addPolygon(shape)
            painter.save()
            painter.setClipPath(path)
            painter.drawImage(shape.boundingRect(), self._image)
            painter.restore()
        figures = self.part.relief_from if self.part is not None else None
        if figures is None:
            return
        painter.setPen(QPen(QColor(palette.accent), 1.6))
        painter.setBrush(QColor(palette.field))
        for x, y, _ in figures.heights:
            painter.drawEllipse(frame.to_screen((x, y)), 4, 4)
        for section in figures.sections:
            ends = [
                (section.at_m, along) if section.across == "x" else (along, section.at_m) for along, _ in section.points
            ]
            painter.drawPolyline([frame.to_screen(end) for end in ends])
            for end in ends:
                painter.drawEllipse(frame.to_screen(end), 3, 3)
