"""Line drawings at full size, in millimetres: one writer for DXF and one for SVG, for all that goes out drawn."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

from ezdxf import units
from ezdxf.filemanagement import new as new_drawing

from bibulon.job.base import Point
from bibulon.refusal import Refusal
from bibulon.whole_file import whole

MARGIN_MM = 40.0


class ExportError(Refusal):
    """A file that cannot be written; the message says why."""


@dataclass(frozen=True)
class Style:
    """How a layer is drawn: its colour's index in a DXF file, its colour and dashes (mm) in an SVG file."""

    colour_index: int
    colour: str
    dashes: str = ""


PART = Style(7, "#22262b")
FEED = Style(30, "#b4560f")
VENT = Style(150, "#1f5a7a", "20 10")
WORDS = Style(5, "#22262b")


@dataclass(frozen=True)
class Stroke:
    """A line through *points* (mm) on a layer, closed or not; its *title* is what it shows when pointed at."""

    layer: str
    points: tuple[Point, ...]
    closed: bool = False
    title: str = ""


@dataclass(frozen=True)
class Words:
    """A text on a layer, its lower left corner at *place* (mm)."""

    layer: str
    place: Point
    text: str
    height_mm: float = 20.0


@dataclass
class LineDrawing:
    """Strokes and words on layers; x runs to the right and y up."""

    layers: dict[str, Style] = field(default_factory=dict)
    strokes: list[Stroke] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)

    def add(self, layer: str, points: tuple[Point, ...], closed: bool = False, title: str = "") -> None:
        self.strokes.append(Stroke(layer, points, closed, title))

    def write(self, layer: str, place: Point, text: str, height_mm: float = 20.0) -> None:
        self.words.append(Words(layer, place, text, height_mm))


def in_mm(points: tuple[Point, ...]) -> tuple[Point, ...]:
    """*points* (m) in millimetres, to the micrometre."""
    return tuple((round(x * 1000, 3), round(y * 1000, 3)) for x, y in points)


def write_drawing(drawing: LineDrawing, path: Path, what: str) -> None:
    """Write *drawing* to *path* in the format of its suffix, whole or not at all.

    Raises :class:`ExportError`, which says how *what* is written, for another suffix, or OSError.
    """
    writers = {".dxf": write_dxf, ".svg": write_svg}
    writer = writers.get(path.suffix.lower())
    if writer is None:
        raise ExportError(f"“{path.suffix}” is not known; {what} is written as .dxf or .svg.")
    whole(path, lambda to: writer(drawing, to))


def write_dxf(drawing: LineDrawing, path: Path) -> None:
    """Write *drawing* as DXF. Raises OSError."""
    document = new_drawing("R2010", units=units.MM)
    for name, style in drawing.layers.items():
        document.layers.add(name, color=style.colour_index)
    space = document.modelspace()
    for stroke in drawing.strokes:
        space.add_lwpolyline(stroke.points, close=stroke.closed, dxfattribs={"layer": stroke.layer})
    for words in drawing.words:
        attributes = {"layer": words.layer, "insert": words.place}
        space.add_text(words.text, height=words.height_mm, dxfattribs=attributes)
    document.saveas(path)


def write_svg(drawing: LineDrawing, path: Path) -> None:
    """Write *drawing* as SVG, one user unit a millimetre. Raises OSError."""
    places = [place for stroke in drawing.strokes for place in stroke.points]
    places += [(words.place[0], words.place[1] + words.height_mm) for words in drawing.words]
    xs, ys = [x for x, _ in places] or [0.0], [y for _, y in places] or [0.0]
    left, top = min(xs) - MARGIN_MM, max(ys) + MARGIN_MM
    width, height = max(xs) + MARGIN_MM - left, top - min(ys) + MARGIN_MM

    def at(place: Point) -> str:
        return f"{place[0] - left:.3f},{top - place[1]:.3f}"

    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.3f}mm" height="{height:.3f}mm" '
        f'viewBox="0 0 {width:.3f} {height:.3f}" fill="none" stroke-width="2">'
    ]
    for layer, style in drawing.layers.items():
        dashes = f' stroke-dasharray="{style.dashes}"' if style.dashes else ""
        lines.append(f'<g id={quoteattr(layer)} stroke="{style.colour}"{dashes}>')
        for stroke in (stroke for stroke in drawing.strokes if stroke.layer == layer):
            kind, title = ("polygon" if stroke.closed else "polyline"), _title(stroke.title)
            lines.append(f'<{kind} points="{" ".join(at(place) for place in stroke.points)}">{title}</{kind}>')
        for words in (words for words in drawing.words if words.layer == layer):
            x, y = words.place[0] - left, top - words.place[1]
            lines.append(
                f'<text x="{x:.3f}" y="{y:.3f}" font-size="{words.height_mm:g}" font-family="sans-serif" '
                f'stroke="none" fill="{style.colour}">{escape(words.text)}</text>'
            )
        lines.append("</g>")
    path.write_text("\n".join([*lines, "</svg>", ""]), encoding="utf-8")


def _title(text: str) -> str:
    return f"<title>{escape(text)}</title>" if text else ""
