"""A fill as files: VTU and CSV for other programs, fronts as DXF and SVG at full size to print or project."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from functools import partial
from pathlib import Path
from xml.sax.saxutils import escape

import meshio
import numpy as np

from bibulon.durations import run_clock
from bibulon.exchange.line_drawing import (
    FEED,
    PART,
    VENT,
    ExportError,
    LineDrawing,
    Style,
    in_mm,
    write_dxf,
    write_svg,
)
from bibulon.flow.contours import contour, joined, round_levels
from bibulon.flow.reading import between_steps, pressure_map, thickness_map, top_nodes
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.laminate.levels import LEVEL_NAMES
from bibulon.whole_file import whole, write_whole

FRONT = Style(7, "#6b2a3c")


def write_fill(job: Job, result: FillResult, path: Path) -> None:
    """Write *result* to *path* in the format of its suffix. Raises :class:`ExportError` or OSError."""
    writer = WRITERS.get(path.suffix.lower())
    if writer is None:
        raise ExportError(f"“{path.suffix}” is not known; a fill is written as {', '.join(sorted(WRITERS))}.")
    if writer is _write_series:
        _write_series(job, result, path)
    else:
        whole(path, lambda to: writer(job, result, to))


def _write_vtu(job: Job, result: FillResult, path: Path) -> None:
    """Triangles in metres, lifted by the relief, with arrival times (s, −1 where resin never came), the thickness the
    plies end with (m), and at round times how full the level under the film is and its absolute pressure (Pa)."""
    points = np.column_stack([result.mesh.points_m, result.mesh.heights_m])
    fields = {"arrival through s": result.arrival_s, "arrival under film s": result.seen_s}
    for at, name in enumerate(LEVEL_NAMES):
        if not np.isnan(result.level_arrival_s[at]).all():
            fields[f"arrival {name} s"] = result.level_arrival_s[at]
    data = {name: np.nan_to_num(values, nan=-1.0) for name, values in fields.items()}
    data["thickness of plies m"] = np.nan_to_num(thickness_map(result))
    top = top_nodes(result)
    for level in round_levels(result.end_s):
        with np.errstate(invalid="ignore"):
            data[f"wet through at {level:.0f} s"] = (result.arrival_s <= level).astype(np.float64)
        data[f"full under film at {level:.0f} s"] = between_steps(result, level, result.saturation)[top]
        data[f"pressure Pa at {level:.0f} s"] = np.nan_to_num(pressure_map(result, level), nan=result.problem.vent_pa)
    meshio.Mesh(points, [("triangle", result.mesh.triangles)], point_data=data).write(path, file_format="vtu")


def _write_series(job: Job, result: FillResult, path: Path) -> None:
    """A collection file that names one VTU file for each step of the fill, in a folder beside it: how full each point
    is under the film and through, and the absolute pressure (Pa)."""
    folder = path.with_suffix("")
    folder.mkdir(exist_ok=True)
    points = np.column_stack([result.mesh.points_m, result.mesh.heights_m])
    top, entries = top_nodes(result), []
    for number, time_s in enumerate(result.times_s.tolist()):
        with np.errstate(invalid="ignore"):
            data = {
                "full under film": between_steps(result, time_s, result.saturation)[top],
                "wet through": (result.arrival_s <= time_s).astype(np.float64),
                "pressure Pa": np.nan_to_num(pressure_map(result, time_s), nan=result.problem.vent_pa),
            }
        name = f"{folder.name}/{folder.name}-{number:03d}.vtu"
        mesh = meshio.Mesh(points, [("triangle", result.mesh.triangles)], point_data=data)
        whole(path.parent / name, partial(mesh.write, file_format="vtu"))
        entries.append(f'<DataSet timestep="{time_s:.3f}" part="0" file="{escape(name)}"/>')
    text = "\n".join(['<VTKFile type="Collection" version="0.1"><Collection>', *entries, "</Collection></VTKFile>"])
    write_whole(path, (text + "\n").encode("utf-8"))


def _write_csv(job: Job, result: FillResult, path: Path) -> None:
    """One line a mesh point: place, arrival under the film and through, arrival on each level; empty for never."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    heads = [f"arrival_{name.replace(' ', '_')}_s" for name in LEVEL_NAMES]
    writer.writerow(["x_m", "y_m", "height_m", "arrival_under_film_s", "arrival_through_s", *heads])
    for at, ((x, y), z) in enumerate(zip(result.mesh.points_m, result.mesh.heights_m, strict=True)):
        times = [result.seen_s[at], result.arrival_s[at], *result.level_arrival_s[:, at]]
        writer.writerow([f"{x:.5f}", f"{y:.5f}", f"{z:.5f}", *("" if np.isnan(t) else f"{t:.1f}" for t in times)])
    path.write_text(stream.getvalue(), encoding="utf-8")


def _fronts(result: FillResult) -> list[tuple[float, list[np.ndarray]]]:
    """Times, each with the lines (n, 2) of the front then, in millimetres."""
    return [
        (level, [line * 1000 for line in joined(contour(result.mesh, result.seen_s, level))])
        for level in round_levels(result.end_s)
    ]


def _label_place(fronts: list[np.ndarray]) -> tuple[float, float]:
    """Where the time of a front is written: half-way along its longest line, in millimetres."""
    longest = max(fronts, key=lambda front: float(np.linalg.norm(np.diff(front, axis=0), axis=1).sum()))
    x, y = longest[len(longest) // 2].tolist()
    return x, y


def front_drawing(job: Job, result: FillResult) -> LineDrawing:
    """Outline, lines and the fronts as they show under the film, one layer a time."""
    drawing = LineDrawing({"part": PART, "feed lines": FEED, "vent lines": VENT})
    for outline in (job.part.outline, *job.part.holes):
        drawing.add("part", in_mm(outline), closed=True)
    for line in job.lines:
        layer, points = f"{line.kind} lines", in_mm(line.points)
        drawing.add(layer, points)
        drawing.write(layer, points[0], line.label)
    for level, fronts in _fronts(result):
        layer = f"front {run_clock(level).replace(':', '.')}"
        drawing.layers[layer] = FRONT
        for front in fronts:
            drawing.add(layer, tuple((x, y) for x, y in front.tolist()), title=run_clock(level))
        if fronts:
            drawing.write(layer, _label_place(fronts), run_clock(level))
    return drawing


WRITERS: dict[str, Callable[[Job, FillResult, Path], None]] = {
    ".vtu": _write_vtu,
    ".pvd": _write_series,
    ".csv": _write_csv,
    ".dxf": lambda job, result, path: write_dxf(front_drawing(job, result), path),
    ".svg": lambda job, result, path: write_svg(front_drawing(job, result), path),
}
