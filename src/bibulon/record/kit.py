"""Kits on paper: cutting drawings of the rolls, and a sheet of labels for the cut pieces, as PDF."""

from __future__ import annotations

from io import BytesIO

import segno
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.laminate.cut_list import CutList, CutPiece, Roll
from bibulon.quantities import Units, show
from bibulon.quantities_in_words import percent
from bibulon.record.sheet import AMBER, BOLD, FACE, INK, MUTED, RULE, styles

COLUMNS, ROWS = 3, 8
LABEL = (63.5 * mm, 33.9 * mm)
LEFT, TOP = 9.75 * mm, 12.9 * mm
MARGIN = 14 * mm
ARROW = 24 * mm
MOST_ROLL_M = 8.0
"""A page shows at most so much of a roll."""


def code_of(job: Job, piece: CutPiece) -> str:
    """What the square code of a label says."""
    return f"{job.id}/{piece.code}"


def labels_pdf(job: Job, cuts: CutList, units: Units) -> bytes:
    """A label for each piece in the order of laying, 24 to a page of A4: square code, name, place in the stack."""
    styles()
    buffer = BytesIO()
    canvas = Canvas(buffer, pagesize=A4)
    canvas.setTitle(f"{job.name}: kit labels")
    for number, piece in enumerate(cuts.pieces):
        slot = number % (COLUMNS * ROWS)
        if number and not slot:
            canvas.showPage()
        x = LEFT + (slot % COLUMNS) * (LABEL[0] + 2.5 * mm)
        y = A4[1] - TOP - (slot // COLUMNS + 1) * LABEL[1]
        _label(canvas, job, piece, units, x, y)
    canvas.save()
    return buffer.getvalue()


def _label(canvas: Canvas, job: Job, piece: CutPiece, units: Units, x: float, y: float) -> None:
    side = 22 * mm
    code = segno.make(code_of(job, piece), error="m", micro=False)
    modules = [list(row) for row in code.matrix]
    step = side / len(modules)
    canvas.setFillColor(INK)
    for row, line in enumerate(modules):
        for column, dark in enumerate(line):
            if dark:
                top = y + LABEL[1] - 5 * mm - (row + 1) * step
                canvas.rect(x + 2 * mm + column * step, top, step * 1.02, step * 1.02, stroke=0, fill=1)
    left, top = x + side + 5 * mm, y + LABEL[1] - 10 * mm
    canvas.setFont(BOLD, 17)
    canvas.drawString(left, top, piece.code)
    canvas.setFont(FACE, 7.5)
    size = f"{show(piece.length_m, 'length', units)} × {show(piece.width_m, 'length', units)}"
    lines = (f"ply {piece.ply} from the tool, {piece.direction}", piece.region or "whole part", size)
    for at, text in enumerate((*_wrapped(piece.name, x + LABEL[0] - left - 1 * mm), *lines)):
        canvas.drawString(left, top - (at + 1) * 9.2, text)
    canvas.setFillColor(MUTED)
    canvas.drawString(x + 2 * mm, y + 2.5 * mm, job.name[:60])


def _wrapped(text: str, width: float) -> list[str]:
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if stringWidth(longer, FACE, 7.5) <= width or not lines[-1]:
            lines[-1] = longer
        else:
            lines.append(word)
    return lines[:2]


def cutting_pdf(job: Job, cuts: CutList, units: Units) -> bytes:
    """The rolls with their pieces, drawn to a scale that fits A4 across, and what to buy of each."""
    styles()
    buffer = BytesIO()
    canvas = Canvas(buffer, pagesize=landscape(A4))
    canvas.setTitle(f"{job.name}: cutting drawings")
    for roll in cuts.rolls:
        parts = max(1, -(-int(roll.length_m * 1000) // int(MOST_ROLL_M * 1000)))
        for part in range(parts):
            _roll_page(canvas, job, roll, units, part, parts)
            canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def _fibre_arrow(canvas: Canvas, x: float, y: float, length: float) -> None:
    """An arrow along the roll, which is the direction of a piece's angle."""
    canvas.setStrokeColor(INK)
    arrow = canvas.beginPath()
    arrow.moveTo(x, y)
    arrow.lineTo(x + length, y)
    for side in (-1, 1):
        arrow.moveTo(x + length, y)
        arrow.lineTo(x + length - 4, y + 2 * side)
    canvas.drawPath(arrow)


def _roll_page(canvas: Canvas, job: Job, roll: Roll, units: Units, part: int, parts: int) -> None:
    width, height = landscape(A4)
    shown = roll.length_m / parts
    start = part * shown
    scale = min(
        (width - 2 * MARGIN) / max(shown, 0.5),
        (height - 62 * mm) / roll.width_m,
    )
    canvas.setFillColor(INK)
    canvas.setFont(BOLD, 15)
    canvas.drawString(MARGIN, height - MARGIN - 4, roll.title)
    canvas.setFont(FACE, 9)
    page = f", part {part + 1} of {parts}" if parts > 1 else ""
    canvas.drawString(
        MARGIN,
        height - MARGIN - 18,
        f"{job.name}{page}  ·  cut {show(roll.length_m, 'distance', units)} of "
        f"{show(roll.width_m, 'length', units)}  ·  "
        f"{len(roll.pieces)} piece{'s' if len(roll.pieces) > 1 else ''}  ·  {percent(roll.waste)} waste  ·  "
        f"scale 1 : {1000 / (scale / mm):.0f}  ·  arrows: along the roll",
    )
    base = height - MARGIN - 34 * mm - roll.width_m * scale + 12 * mm

    def at(place: Point) -> tuple[float, float]:
        return MARGIN + (place[0] - start) * scale, base + place[1] * scale

    canvas.saveState()
    window = canvas.beginPath()
    window.rect(MARGIN - 1, base - 1, shown * scale + 2, roll.width_m * scale + 2)
    canvas.clipPath(window, stroke=0)
    canvas.setStrokeColor(RULE)
    canvas.rect(MARGIN, base, shown * scale, roll.width_m * scale)
    for piece, place in zip(roll.pieces, roll.places, strict=True):
        if place[0] + piece.length_m <= start or place[0] >= start + shown:
            continue
        canvas.setStrokeColor(AMBER)
        outline = canvas.beginPath()
        for ring in (piece.outline, *piece.openings):
            for number, (x, y) in enumerate(ring):
                (outline.lineTo if number else outline.moveTo)(*at((x + place[0], y + place[1])))
            outline.close()
        canvas.drawPath(outline)
        x, y = at((max(place[0], start) + 0.06, place[1] + piece.width_m / 2))
        canvas.setFillColor(INK)
        canvas.setFont(BOLD, 9)
        canvas.drawString(x, y, piece.code)
        canvas.setFont(FACE, 7)
        canvas.drawString(x + 26, y, f"{piece.direction}  {show(piece.length_m, 'length', units)} × "
                          f"{show(piece.width_m, 'length', units)}")  # fmt: skip
        _fibre_arrow(canvas, x, y - 7, min(ARROW, 0.4 * piece.length_m * scale))
    canvas.restoreState()
