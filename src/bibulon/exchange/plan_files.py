"""The plan as a drawing: outline, holes, regions, lines and media as DXF or SVG at full size, in millimetres."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

from ezdxf import units
from ezdxf.filemanagement import new as new_drawing

from bibulon.exchange.fill_files import FEED_COLOUR, MARGIN_MM, PART_COLOUR, VENT_COLOUR, ExportError
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.whole_file import whole

COLOURS = {"part": PART_COLOUR, "regions": 8, "feed lines": FEED_COLOUR, "vent lines": VENT_COLOUR, "media": 40}
INKS = {
    "part": "#22262b",
    "regions": "#5c6066",
    "feed lines": "#b4560f",
    "vent lines": "#1f5a7a",
    "media": "#8a7f63",
}


def _things(job: Job) -> Iterator[tuple[str, str, tuple[Point, ...], bool]]:
    """Layer, name, points in millimetres and whether they close, of everything on the plan."""

    def mm(points: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((round(x * 1000, 3), round(y * 1000, 3)) for x, y in points)

    for ring in (job.part.outline, *job.part.holes):
        yield "part", "", mm(ring), True
    for region in job.regions:
        yield "regions", region.name, mm(region.outline), True
    for patch in job.media:
        yield "media", "", mm(patch.outline), True
    for line in job.lines:
        yield f"{line.kind} lines", line.label, mm(line.points), False


def write_plan(job: Job, path: Path) -> None:
    """Write the plan of *job* to *path*. Raises :class:`ExportError` for an unknown suffix, or OSError."""
    if path.suffix.lower() == ".dxf":
        whole(path, partial(_write_dxf, job))
    elif path.suffix.lower() == ".svg":
        whole(path, partial(_write_svg, job))
    else:
        raise ExportError(f"“{path.suffix}” is not known; a plan is written as .dxf or .svg.")


def _write_dxf(job: Job, path: Path) -> None:
    drawing = new_drawing("R2010", units=units.MM)
    space = drawing.modelspace()
    for name, colour in COLOURS.items():
        drawing.layers.add(name, color=colour)
    for layer, name, points, closes in _things(job):
        space.add_lwpolyline(points, close=closes, dxfattribs={"layer": layer})
        if name:
            space.add_text(name, height=20, dxfattribs={"layer": layer, "insert": points[0]})
    drawing.saveas(path)


def _write_svg(job: Job, path: Path) -> None:
    every = [place for _, _, points, _ in _things(job) for place in points]
    left, right = min(x for x, _ in every) - MARGIN_MM, max(x for x, _ in every) + MARGIN_MM
    low, high = min(y for _, y in every) - MARGIN_MM, max(y for _, y in every) + MARGIN_MM
    width, height = right - left, high - low
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.3f}mm" height="{height:.3f}mm" '
        f'viewBox="0 0 {width:.3f} {height:.3f}" fill="none" stroke-width="2">'
    ]
    for layer, ink in INKS.items():
        lines.append(f'<g id={quoteattr(layer)} stroke="{ink}">')
        for on, name, points, closes in _things(job):
            if on == layer:
                course = " ".join(f"{x - left:.3f},{high - y:.3f}" for x, y in points)
                kind = "polygon" if closes else "polyline"
                title = f"<title>{escape(name)}</title>" if name else ""
                lines.append(f'<{kind} points="{course}">{title}</{kind}>')
        lines.append("</g>")
    path.write_text("\n".join([*lines, "</svg>", ""]), encoding="utf-8")
