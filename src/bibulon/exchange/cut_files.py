"""The cut list as files: pieces laid out on their rolls as DXF and SVG at full size, and as a list in CSV."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from xml.sax.saxutils import escape

from ezdxf import units
from ezdxf.filemanagement import new as new_drawing

from bibulon.exchange.fill_files import MARGIN_MM, ExportError
from bibulon.job.base import Point
from bibulon.laminate.cut_list import CutList, CutPiece, Roll
from bibulon.whole_file import whole

LETTER_MM = 25.0
BETWEEN_ROLLS_MM = 300.0
CUT_COLOUR, ROLL_COLOUR, TEXT_COLOUR = 1, 8, 5


def write_cut_list(cuts: CutList, path: Path) -> None:
    """Write *found* to *path* in the format of its suffix. Raises :class:`ExportError` or OSError."""
    writer = WRITERS.get(path.suffix.lower())
    if writer is None:
        raise ExportError(f"“{path.suffix}” is not known; a cut list is written as {', '.join(sorted(WRITERS))}.")
    whole(path, partial(writer, cuts))


def described(piece: CutPiece) -> str:
    """What is written on a piece."""
    return f"{piece.code}  {piece.name}  {piece.angle_deg:g}°"


def on_roll(piece: CutPiece, place: Point) -> Iterator[tuple[Point, ...]]:
    """What is cut of *piece*, its outline first, then its openings (mm), where it lies on its roll."""
    for ring in (piece.outline, *piece.openings):
        yield tuple(((x + place[0]) * 1000, (y + place[1]) * 1000) for x, y in ring)


def _laid_out(cuts: CutList) -> Iterator[tuple[Roll, float]]:
    """Every roll and how far up (mm) it is drawn."""
    up = 0.0
    for roll in cuts.rolls:
        yield roll, up
        up += roll.width_m * 1000 + BETWEEN_ROLLS_MM


def _write_dxf(cuts: CutList, path: Path) -> None:
    """One layer each for what is cut, the rolls' edges, and the words with the arrow of the roll's direction."""
    drawing = new_drawing("R2010", units=units.MM)
    for name, colour in (("cut", CUT_COLOUR), ("roll", ROLL_COLOUR), ("words", TEXT_COLOUR)):
        drawing.layers.add(name, color=colour)
    space = drawing.modelspace()
    words = {"layer": "words"}
    for roll, up in _laid_out(cuts):
        width, length = roll.width_m * 1000, roll.length_m * 1000
        edge = [(0, up), (length, up), (length, up + width), (0, up + width)]
        space.add_lwpolyline(edge, close=True, dxfattribs={"layer": "roll"})
        title = f"{roll.title}: {roll.length_m:.2f} m of {width:.0f} mm"
        space.add_text(title, height=2 * LETTER_MM, dxfattribs={**words, "insert": (0, up + width + LETTER_MM)})
        for piece, place in zip(roll.pieces, roll.places, strict=True):
            for ring in on_roll(piece, place):
                space.add_lwpolyline([(x, y + up) for x, y in ring], close=True, dxfattribs={"layer": "cut"})
            x, y = place[0] * 1000 + 40, place[1] * 1000 + up + piece.width_m * 500
            space.add_text(described(piece), height=LETTER_MM, dxfattribs={**words, "insert": (x, y)})
            tip = (x + 200, y - LETTER_MM)
            space.add_line((x, tip[1]), tip, dxfattribs=words)
            for side in (-10, 10):
                space.add_line(tip, (tip[0] - 25, tip[1] + side), dxfattribs=words)
    drawing.saveas(path)


def _write_svg(cuts: CutList, path: Path) -> None:
    """The same at full size: one user unit is one millimetre."""
    tops = list(_laid_out(cuts))
    height = max((up + roll.width_m * 1000 for roll, up in tops), default=0.0) + 4 * MARGIN_MM
    width = max((roll.length_m * 1000 for roll, _ in tops), default=0.0) + 2 * MARGIN_MM
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.1f}mm" height="{height:.1f}mm" '
        f'viewBox="0 0 {width:.1f} {height:.1f}" fill="none" font-size="{LETTER_MM}">'
    ]
    for roll, up in tops:
        base = up + 3 * MARGIN_MM
        roll_mm = roll.width_m * 1000
        lines.append(
            f'<text x="{MARGIN_MM}" y="{base - 8:.1f}" fill="#22262b">{escape(roll.title)}: '
            f"{roll.length_m:.2f} m</text>"
            f'<rect x="{MARGIN_MM}" y="{base:.1f}" width="{roll.length_m * 1000:.1f}" height="{roll_mm:.1f}" '
            'stroke="#8a8f94" stroke-dasharray="30 12"/>'
        )
        for piece, place in zip(roll.pieces, roll.places, strict=True):
            for ring in on_roll(piece, place):
                shape = " ".join(f"{x + MARGIN_MM:.1f},{base + roll_mm - y:.1f}" for x, y in ring)
                lines.append(f'<polygon stroke="#b4560f" stroke-width="1.5" points="{shape}"/>')
            x = place[0] * 1000 + MARGIN_MM + 40
            y = base + roll_mm - place[1] * 1000 - piece.width_m * 500
            lines.append(f'<text x="{x:.1f}" y="{y:.1f}" fill="#22262b">{escape(described(piece))}</text>')
            tip, low = x + 200, y + LETTER_MM
            arrow = f"M{x:.1f} {low:.1f}H{tip:.1f}M{tip - 25:.1f} {low - 10:.1f}L{tip:.1f} {low:.1f}l-25 10"
            lines.append(f'<path stroke="#22262b" stroke-width="1.5" d="{arrow}"/>')
    path.write_text("\n".join([*lines, "</svg>", ""]), encoding="utf-8")


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


WRITERS: dict[str, Callable[[CutList, Path], None]] = {".dxf": _write_dxf, ".svg": _write_svg, ".csv": _write_csv}
