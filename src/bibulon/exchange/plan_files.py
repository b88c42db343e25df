"""The plan as a drawing: outline, holes, regions, lines and media as DXF or SVG at full size, in millimetres."""

from __future__ import annotations

from pathlib import Path

from bibulon.exchange.line_drawing import FEED, PART, VENT, LineDrawing, Style, in_mm, write_drawing
from bibulon.job import Job
from bibulon.plumbing.hose_way import way_of

LAYERS = {
    "part": PART,
    "regions": Style(8, "#5c6066"),
    "feed lines": FEED,
    "vent lines": VENT,
    "media": Style(40, "#8a7f63"),
    "hoses": Style(8, "#5c6066"),
}


def write_plan(job: Job, path: Path) -> None:
    """Write the plan of *job* to *path*.

    Raises :class:`~bibulon.exchange.line_drawing.ExportError` for an unknown suffix, or OSError.
    """
    write_drawing(plan_of(job), path, "a plan")


def plan_of(job: Job) -> LineDrawing:
    """The plan of *job*, each kind of thing on a layer of its own."""
    drawing = LineDrawing(dict(LAYERS))
    for ring in (job.part.outline, *job.part.holes):
        drawing.add("part", in_mm(ring), closed=True)
    for region in job.regions:
        drawing.add("regions", in_mm(region.outline), closed=True, title=region.name)
        drawing.write("regions", in_mm(region.outline)[0], region.name)
    for patch in job.media:
        drawing.add("media", in_mm(patch.outline), closed=True)
    for line in job.lines:
        layer, points = f"{line.kind} lines", in_mm(line.points)
        drawing.add(layer, points, title=line.label)
        drawing.write(layer, points[0], line.label)
        if line.hose_way:
            drawing.add("hoses", in_mm(way_of(line)), title=line.label)
    return drawing
