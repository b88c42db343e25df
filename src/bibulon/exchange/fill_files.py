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
from ezdxf import units
from ezdxf.filemanagement import new as new_drawing

from bibulon.flow.contours import contour, joined, round_levels
from bibulon.flow.reading import between_steps, pressure_map, thickness_map, top_nodes
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.laminate.levels import LEVEL_NAMES
from bibulon.quantities import run_clock
from bibulon.refusal import Refusal
from bibulon.whole_file import whole, write_whole

FEED_COLOUR, VENT_COLOUR, PART_COLOUR = 30, 150, 7
MARGIN_MM = 40.0
LETTERS_MM = 20.0


class ExportError(Refusal):
    """A file that cannot be written; the message says why."""


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


def _write_dxf(job: Job, result: FillResult, path: Path) -> None:
    """Outline, lines and the fronts as they show under the film, one layer a time, in millimetres."""
    drawing = new_drawing("R2010", units=units.MM)
    space = drawing.modelspace()
    for name, colour in (("part", PART_COLOUR), ("feed lines", FEED_COLOUR), ("vent lines", VENT_COLOUR)):
        drawing.layers.add(name, color=colour)
    for outline in (job.part.outline, *job.part.holes):
        corners = [(x * 1000, y * 1000) for x, y in outline]
        space.add_lwpolyline(corners, close=True, dxfattribs={"layer": "part"})
    for line in job.lines:
        layer = f"{line.kind} lines"
        space.add_lwpolyline([(x * 1000, y * 1000) for x, y in line.points], dxfattribs={"layer": layer})
        x, y = line.points[0]
        space.add_text(line.label, height=LETTERS_MM, dxfattribs={"layer": layer, "insert": (x * 1000, y * 1000)})
    for level, fronts in _fronts(result):
        layer = f"front {run_clock(level).replace(':', '.')}"
        drawing.layers.add(layer, color=PART_COLOUR)
        for front in fronts:
            space.add_lwpolyline(front.tolist(), dxfattribs={"layer": layer})
        if fronts:
            where = {"layer": layer, "insert": _label_place(fronts)}
            space.add_text(run_clock(level), height=LETTERS_MM, dxfattribs=where)
    drawing.saveas(path)


def _write_svg(job: Job, result: FillResult, path: Path) -> None:
    """The same at full size: one user unit is one millimetre."""
    drawn = np.concatenate([job.part.outline, *(line.points for line in job.lines)]) * 1000
    low, high = drawn.min(axis=0) - MARGIN_MM, drawn.max(axis=0) + MARGIN_MM
    width, height = high - low

    def place(x: float, y: float) -> str:
        return f"{x - low[0]:.1f},{high[1] - y:.1f}"

    def words(x: float, y: float, text: str, colour: str) -> str:
        where = f'x="{x - low[0]:.1f}" y="{high[1] - y - LETTERS_MM / 4:.1f}"'
        return (
            f'<text {where} font-size="{LETTERS_MM:g}" font-family="sans-serif" fill="{colour}">{escape(text)}</text>'
        )

    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.1f}mm" height="{height:.1f}mm" '
        f'viewBox="0 0 {width:.1f} {height:.1f}" fill="none" stroke-width="2">',
    ]
    for ring in (job.part.outline, *job.part.holes):
        corners = " ".join(place(x * 1000, y * 1000) for x, y in ring)
        lines.append(f'<polygon stroke="#22262b" points="{corners}"/>')
    for line in job.lines:
        points = " ".join(place(x * 1000, y * 1000) for x, y in line.points)
        colour, dashes = ("#b4560f", "") if line.kind == "feed" else ("#1f5a7a", ' stroke-dasharray="20 10"')
        lines.append(f'<polyline stroke="{colour}"{dashes} points="{points}"/>')
        x, y = line.points[0]
        lines.append(words(x * 1000, y * 1000, line.label, colour))
    for level, fronts in _fronts(result):
        course = " ".join("M" + " L".join(place(x, y) for x, y in front) for front in fronts)
        if course:
            lines.append(f'<path stroke="#6b2a3c" d="{course}"><title>{run_clock(level)}</title></path>')
            lines.append(words(*_label_place(fronts), run_clock(level), "#6b2a3c"))
    path.write_text("\n".join([*lines, "</svg>", ""]), encoding="utf-8")


WRITERS: dict[str, Callable[[Job, FillResult, Path], None]] = {
    ".vtu": _write_vtu,
    ".pvd": _write_series,
    ".csv": _write_csv,
    ".dxf": _write_dxf,
    ".svg": _write_svg,
}
