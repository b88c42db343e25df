"""The cut list as files: pieces laid out on their rolls as DXF and SVG at full size, and as a list in CSV."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator
from pathlib import Path

from bibulon.exchange.line_drawing import WORDS, ExportError, LineDrawing, Style, write_dxf, write_svg
from bibulon.job.base import Point
from bibulon.laminate.cut_list import CutList, CutPiece
from bibulon.whole_file import whole

LETTER_MM = 25.0
BETWEEN_ROLLS_MM = 300.0
LAYERS = {"cut": Style(1, "#b4560f"), "roll": Style(8, "#8a8f94", "30 12"), "words": WORDS}


def write_cut_list(cuts: CutList, path: Path) -> None:
    """Write *cuts* to *path* in the format of its suffix. Raises :class:`ExportError` or OSError."""
    writer = WRITERS.get(path.suffix.lower())
    if writer is None:
        raise ExportError(f"“{path.suffix}” is not known; a cut list is written as {', '.join(sorted(WRITERS))}.")
    whole(path, lambda to: writer(cuts, to))


def described(piece: CutPiece) -> str:
    """What is written on a piece."""
    return f"{piece.code}  {piece.name}  {piece.direction}"


def on_roll(piece: CutPiece, place: Point) -> Iterator[tuple[Point, ...]]:
    """What is cut of *piece*, its outline first, then its openings (mm), where it lies on its roll."""
    for ring in (piece.outline, *piece.openings):
        yield tuple(((x + place[0]) * 1000, (y + place[1]) * 1000) for x, y in ring)


def cutting_drawing(cuts: CutList) -> LineDrawing:
    """All rolls one over another with what is cut from them, and on each piece its name and the roll's direction."""
    drawing, up = LineDrawing(dict(LAYERS)), 0.0
    for roll in cuts.rolls:
        width, length = roll.width_m * 1000, roll.length_m * 1000
        drawing.add("roll", ((0.0, up), (length, up), (length, up + width), (0.0, up + width)), closed=True)
        title = f"{roll.title}: {roll.length_m:.2f} m of {width:.0f} mm"
        drawing.write("words", (0.0, up + width + LETTER_MM), title, 2 * LETTER_MM)
        for piece, place in zip(roll.pieces, roll.places, strict=True):
            for ring in on_roll(piece, place):
                drawing.add("cut", tuple((x, y + up) for x, y in ring), closed=True)
            x, y = place[0] * 1000 + 40, place[1] * 1000 + up + piece.width_m * 500
            drawing.write("words", (x, y), described(piece), LETTER_MM)
            tip_x, low = x + 200, y - LETTER_MM
            drawing.add("words", ((x, low), (tip_x, low)))
            drawing.add("words", ((tip_x - 25, low + 10), (tip_x, low), (tip_x - 25, low - 10)))
        up += width + BETWEEN_ROLLS_MM
    return drawing


def _write_csv(cuts: CutList, path: Path) -> None:
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        head = (
            "piece",
            "ply",
            "material",
            "angle (°)",
            "region",
            "length (mm)",
            "width (mm)",
            "area (m²)",
            "shear (%)",
        )
        writer.writerow(head)
        for piece in cuts.pieces:
            size = (round(piece.length_m * 1000), round(piece.width_m * 1000))
            area = (round(piece.area_m2, 4), round(piece.shear * 100, 2))
            writer.writerow(
                (piece.code, piece.ply, piece.name, piece.angle_deg, piece.region or "whole part", *size, *area)
            )


WRITERS: dict[str, Callable[[CutList, Path], None]] = {
    ".dxf": lambda cuts, path: write_dxf(cutting_drawing(cuts), path),
    ".svg": lambda cuts, path: write_svg(cutting_drawing(cuts), path),
    ".csv": _write_csv,
}
