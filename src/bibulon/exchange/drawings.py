"""Drawings in: the lines of a DXF, SVG or CSV file as chains of points, layer by layer.

Curves become short straight pieces. Nothing in a drawing is run, and no other file is read for it.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from ezdxf import path as dxf_path
from ezdxf import units as dxf_units
from ezdxf.entities.dxfgfx import DXFGraphic
from ezdxf.entities.insert import Insert
from ezdxf.filemanagement import readfile
from ezdxf.lldxf.const import DXFStructureError
from ezdxf.recover import readfile as recover_dxf

from bibulon.arrays import Floats
from bibulon.exchange.within import size_of
from bibulon.quantity_text import unit_in_heading
from bibulon.refusal import Refusal

MOST_BYTES = 60_000_000
MOST_POINTS = 400_000
MOST_NESTING = 6
MOST_COPIES = 2500
FARTHEST = 1e9
"""In drawing units."""
FINEST_SHARE = 2e-4
"""Curves are followed within this share of the drawing's size."""
FOLLOWED = ("LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE")
ROUGHLY = np.linspace(0.0, 1.0, 9)
"""Where on a curve its length is measured."""
SVG_UNIT_M = 0.0254 / 96
UNITS_M = {"mm": 0.001, "cm": 0.01, "m": 1.0, "in": 0.0254, "ft": 0.3048}
"""Units that a drawing's numbers can be in."""


class DrawingRefusal(Refusal):
    """A drawing that cannot be used; the message says why, ``place`` (drawing units) where."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Chain:
    """A run of points (n, 2) in drawing units, on a layer; a closed one ends where it begins."""

    points: Floats
    layer: str
    closed: bool


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Drawing:
    """What was found in a file. ``unit`` is the unit that the file says its numbers are in, or None."""

    chains: tuple[Chain, ...]
    unit: str | None
    notes: tuple[str, ...] = ()
    y_down: bool = False
    """The file counts y downwards; here it counts upwards in any case."""

    def in_the_file(self, place: tuple[float, float]) -> tuple[float, float]:
        """*place* as the file counts it."""
        return (place[0], 0.0 - place[1]) if self.y_down else place

    @property
    def layers(self) -> dict[str, int]:
        """The layers with the number of chains on each, as they come in the file."""
        counts: dict[str, int] = {}
        for chain in self.chains:
            counts[chain.layer] = counts.get(chain.layer, 0) + 1
        return counts

    @property
    def size(self) -> tuple[float, float]:
        """Width and height of everything, in drawing units."""
        every = np.concatenate([chain.points for chain in self.chains])
        width, height = np.ptp(every, axis=0)
        return float(width), float(height)


def read_drawing(path: Path) -> Drawing:
    """The drawing in the file at *path*. Raises :class:`DrawingRefusal`."""
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise DrawingRefusal(f"“{path.name}” is no drawing that is known here: {', '.join(sorted(READERS))}.")
    size_of(path, MOST_BYTES, DrawingRefusal)
    try:
        drawing = reader(path)
    except DrawingRefusal:
        raise
    except OSError as error:
        raise DrawingRefusal(f"“{path.name}” cannot be read ({error}).") from error
    except MemoryError:
        raise
    except Exception as error:  # the readers' libraries raise whatever a damaged file makes them
        raise DrawingRefusal(f"“{path.name}” is damaged or not what its name says ({error}).") from error
    if not drawing.chains:
        raise DrawingRefusal(f"There are no lines in “{path.name}” that could be an outline.")
    if not all(np.isfinite(chain.points).all() for chain in drawing.chains):
        raise DrawingRefusal(f"“{path.name}” has points that are not numbers.")
    if max(float(np.abs(chain.points).max()) for chain in drawing.chains) > FARTHEST:
        raise DrawingRefusal(f"“{path.name}” has points that lie {FARTHEST:.0e} units and more from its origin.")
    return drawing


def _counted(chains: Iterable[Chain]) -> tuple[Chain, ...]:
    entities, count = [], 0
    for chain in chains:
        count += len(chain.points)
        if count > MOST_POINTS:
            raise DrawingRefusal(f"The drawing has more than {MOST_POINTS} points. Leave out what is no outline.")
        if len(chain.points) > 1:
            entities.append(chain)
    return tuple(entities)


# -- DXF ---------------------------------------------------------------------------------------------------------------


def _read_dxf(path: Path) -> Drawing:
    document: Any
    try:
        document = readfile(path)
    except DXFStructureError:
        document, _ = recover_dxf(path)
    extent = _extent(document)
    finest = FINEST_SHARE * extent if extent > 0 else 0.01
    left_out: dict[str, int] = {}
    chains = _counted(_dxf_chains(document.modelspace(), finest, left_out))
    notes = tuple(f"{count} × {kind.lower()} left out: no line." for kind, count in sorted(left_out.items()))
    names = {dxf_units.MM: "mm", dxf_units.CM: "cm", dxf_units.M: "m", dxf_units.IN: "in", dxf_units.FT: "ft"}
    return Drawing(chains, names.get(document.units), notes)


def _extent(document: Any) -> float:
    from ezdxf import bbox

    box = bbox.extents(document.modelspace(), fast=True)
    return float(max(box.size.x, box.size.y)) if box.has_data else 0.0


def _dxf_chains(
    entities: Iterable[DXFGraphic], finest: float, left_out: dict[str, int], depth: int = 0
) -> Iterator[Chain]:
    for entity in entities:
        kind = entity.dxftype()
        if isinstance(entity, Insert):
            if depth >= MOST_NESTING:
                raise DrawingRefusal("The drawing's blocks are nested too deeply.")
            if entity.mcount > MOST_COPIES:
                raise DrawingRefusal(f"A block is laid down {entity.mcount} times. Leave out what is no outline.")
            for copy in entity.multi_insert() if entity.mcount > 1 else (entity,):
                yield from _dxf_chains(copy.virtual_entities(), finest, left_out, depth + 1)
        elif kind in FOLLOWED:
            course = dxf_path.make_path(entity)
            for piece in course.sub_paths():
                points = np.array([(point.x, point.y) for point in piece.flattening(finest)])
                yield Chain(points, entity.dxf.layer, piece.is_closed)
        else:
            left_out[kind] = left_out.get(kind, 0) + 1


# -- SVG ---------------------------------------------------------------------------------------------------------------


def _read_svg(path: Path) -> Drawing:
    data = path.read_bytes()
    if re.search(rb"<!(ENTITY|DOCTYPE[^>]*\[)", data, re.IGNORECASE):
        raise DrawingRefusal(f"“{path.name}” defines entities of its own; that is not read.")
    from svgelements import SVG  # slow to load

    parsed: Any = SVG.parse(io.StringIO(data.decode("utf-8-sig")), ppi=96.0, reify=True)
    chains = _counted(_svg_chains(parsed))
    # a picture whose width is given in a real length says how large one of its units is: svgelements counts in 1/96 in
    real = re.search(r"^\s*[\d.]+\s*(mm|cm|in|pt|pc)\s*$", str(parsed.values.get("width", "")))
    scale, unit = (SVG_UNIT_M / UNITS_M["mm"], "mm") if real else (1.0, None)
    turned = [
        Chain(np.column_stack([chain.points[:, 0], 0.0 - chain.points[:, 1]]) * scale, chain.layer, chain.closed)
        for chain in chains
    ]
    return Drawing(tuple(turned), unit, y_down=True)


def _svg_shapes(group: Any, labelled: str = "", named: str = "") -> Iterator[tuple[Any, str]]:
    """Every shape in *group* with its layer: the nearest group with a label, else the outermost with a name, else its
    own name."""
    from svgelements import Group, Shape

    for element in group:
        own = element.values.get("attributes", {})
        label = next((str(value) for key, value in own.items() if str(key).endswith("}label")), labelled)
        name = named or str(own.get("id") or "")
        if isinstance(element, Group):
            yield from _svg_shapes(element, label, name)
        elif isinstance(element, Shape):
            yield element, label or name or "drawing"


def _svg_chains(parsed: Any) -> Iterator[Chain]:
    from svgelements import Line as Straight
    from svgelements import Move, Path

    for element, layer in _svg_shapes(parsed):
        if element.values.get("visibility") == "hidden":
            continue
        course = element if isinstance(element, Path) else Path(element)
        for piece in course.as_subpaths():
            segments = list(Path(piece))
            points: list[tuple[float, float]] = []
            closed = False
            for segment in segments:
                if isinstance(segment, Move):
                    points = [(segment.end.x, segment.end.y)]
                elif isinstance(segment, Straight):
                    points.append((segment.end.x, segment.end.y))
                elif type(segment).__name__ == "Close":
                    closed = True
                    if segment.end is not None:
                        points.append((segment.end.x, segment.end.y))
                else:
                    rough = segment.npoint(ROUGHLY)
                    length = float(np.hypot(*np.diff(rough, axis=0).T).sum())
                    count = max(8, min(200, int(math.sqrt(length) * 2)))
                    points += [(x, y) for x, y in segment.npoint(np.arange(1, count + 1) / count)]
            yield Chain(np.array(points, dtype=np.float64).reshape(-1, 2), layer, closed)


# -- CSV ---------------------------------------------------------------------------------------------------------------


def _read_csv(path: Path) -> Drawing:
    """Two columns x and y; a heading may name the unit, ``x (mm), y (mm)``; an empty line begins another outline."""
    text = "\n".join(path.read_text(encoding="utf-8-sig").splitlines())
    separator = next((mark for mark in (";", "\t") if mark in text), ",")
    runs: list[list[tuple[float, float]]] = [[]]
    unit = None
    for number, row in enumerate(csv.reader(io.StringIO(text), delimiter=separator), 1):
        cells = [cell.strip() for cell in row if cell.strip()]
        if not cells:
            runs.append([])
            continue
        if cells[0].startswith("#"):
            continue
        try:
            decimal = [cell.replace(",", ".") if separator != "," else cell for cell in cells[:2]]
            x, y = (float(cell) for cell in decimal)
        except ValueError as error:
            if not any(runs):
                named = unit_in_heading(cells[0], "length")
                unit = named if named in UNITS_M else unit
                continue
            shown = ", ".join(cells)[:40]
            raise DrawingRefusal(f"Line {number} of “{path.name}”: two numbers are needed, found “{shown}”.") from error
        if not (math.isfinite(x) and math.isfinite(y)):
            raise DrawingRefusal(f"Line {number} of “{path.name}”: {', '.join(cells)[:40]} are not both numbers.")
        runs[-1].append((x, y))
    return Drawing(_counted(Chain(np.array(run), "points", True) for run in runs if run), unit)


READERS: dict[str, Callable[[Path], Drawing]] = {".dxf": _read_dxf, ".svg": _read_svg, ".csv": _read_csv}
