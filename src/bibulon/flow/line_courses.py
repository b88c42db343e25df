"""The lines of a job as they act on the part: their courses over it, manifolds, and gaps along edges."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import cast

import numpy as np
from shapely import (
    LinearRing,
    LineString,
    MultiLineString,
    Point,
    distance,
    get_coordinates,
    get_parts,
    line_interpolate_point,
    line_locate_point,
    union_all,
)
from shapely.geometry.base import BaseGeometry
from shapely.ops import linemerge

from bibulon.arrays import Floats
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.lines import AtTime, Line, Manifold, Trigger, Turn
from bibulon.laminate.cells import GRID_M, Cell

BESIDE_PART_M = 0.1
"""A line lying at most this far off the part, as vents do half off its edge, acts at the edge."""


@dataclass(frozen=True)
class FlowLine:
    """A line as it acts on the part: its pieces on the plan, bore, hose and valve."""

    id: str
    kind: str
    pieces: tuple[tuple[PlanPoint, ...], ...]
    port: PlanPoint
    bore_m: float
    hose_bore_m: float
    hose_length_m: float
    opens: Trigger
    turns: tuple[Turn, ...]
    """What is done to its valve after it was opened, in order."""
    fed_by: str = ""
    """What the hose of a feed comes from: another feed, a manifold, or the bucket if empty."""
    membrane: bool = False
    """Whether a vent lets air through but holds resin back."""
    over_vacuum_pa: float = 0.0
    """What a vent is kept at over the vacuum of the job."""
    elbows: int = 0
    elbow_bore_m: float = 0.0
    """How many elbows there are in its hose, and how wide they are inside."""


@dataclass(frozen=True)
class FlowManifold:
    """A pipe beside the part, fed from the bucket, that feeds' hoses come from."""

    id: str
    bore_m: float
    length_m: float
    hose_bore_m: float
    hose_length_m: float
    share: float = 1.0
    """What each part has of it, where several share one."""


@dataclass(frozen=True)
class FlowGap:
    """A gap between pieces that resin races along: a slot ``width_m`` × ``height_m``."""

    pieces: tuple[tuple[PlanPoint, ...], ...]
    width_m: float
    height_m: float

    @property
    def duct_m4(self) -> float:
        """``Q·μ/(Δp/L)`` of laminar flow in a rectangular duct, ``a·b³/12·(1 − 0.63·b/a)`` with b the shorter side."""
        b, a = sorted((self.width_m, self.height_m))
        return a * b**3 / 12 * (1 - 0.63 * b / a)


def refuse_short_circuits(job: Job, lines: tuple[FlowLine, ...]) -> None:
    """Raise :class:`FlowRefusal` if a feed touches a vent."""
    shapes = [(line, _shape(line)) for line in lines]
    for feed, run in (shape for shape in shapes if shape[0].kind == "feed"):
        for vent, other in (shape for shape in shapes if shape[0].kind == "vent"):
            if run.distance(other) < 1e-3:
                place = run.intersection(other.buffer(2e-3)).representative_point()
                one, end = job.line(feed.id), job.line(vent.id).label
                raise FlowRefusal(
                    f"{one.word.capitalize()} {one.label} touches vent {end}: resin would go straight to the pot.",
                    (place.x, place.y),
                )


def flow_manifold(job: Job, manifold: Manifold) -> FlowManifold:
    tube, hose = job.card(manifold.tube, TubeCard), job.card(manifold.hose, TubeCard)
    share = job.manifolds_of(manifold) / job.parts_together
    return FlowManifold(manifold.id, tube.bore_m, manifold.length_m, hose.bore_m, manifold.hose_length_m, share)


def flow_gaps(job: Job, cells: list[Cell], part: BaseGeometry) -> Iterator[FlowGap]:
    """The gaps of the job's choices, along core edges and the part's."""
    cored = [cell for cell in cells if any(job.is_core(layer.card) for layer in cell.stack.layers)]
    if job.flow.core_gap_m > 0 and cored:
        area = union_all([cell.polygon for cell in cored])
        course = area.boundary.difference(part.boundary.buffer(GRID_M))
        height = max(cell.stack.thickness_m - cell.stack.laminate_thickness_m for cell in cored)
        yield FlowGap(_pieces(course), job.flow.core_gap_m, height)
    if job.flow.edge_gap_m > 0 and cells:
        height = max(cell.stack.laminate_thickness_m for cell in cells)
        if height > 0:
            yield FlowGap(_pieces(part.boundary), job.flow.edge_gap_m, height)


def _pieces(course: BaseGeometry) -> tuple[tuple[PlanPoint, ...], ...]:
    return tuple(
        tuple((x, y) for x, y in piece.coords)
        for piece in get_parts(course)
        if isinstance(piece, LineString) and piece.length > GRID_M
    )


def corners_of(ring: LinearRing) -> tuple[PlanPoint, ...]:
    return tuple((x, y) for x, y in ring.coords[:-1])


def _shape(line: FlowLine) -> MultiLineString:
    return MultiLineString(list(line.pieces))


def on_part(line: Line, part: BaseGeometry) -> BaseGeometry:
    """The line where it acts on the part: its course over it, or the nearest edge where it lies just beside."""
    shape = LineString(line.points)
    inside = shape.intersection(part)
    edge = cast(LineString, part.boundary)  # or several, which are asked the same
    snapped = []
    for beside in get_parts(shape.difference(part)):
        count = max(int(beside.length / 0.01), 1)
        stations = line_interpolate_point(beside, np.linspace(0, 1, count + 1), normalized=True)
        near = stations[distance(stations, edge) <= BESIDE_PART_M]
        if len(near) > 1:
            snapped.append(_along_edge(get_coordinates(line_interpolate_point(edge, line_locate_point(edge, near)))))
    pieces = [piece for piece in get_parts(inside) if isinstance(piece, LineString) and piece.length > 1e-3]
    pieces += [piece for piece in snapped if piece.length > 1e-3]
    return linemerge(pieces) if len(pieces) > 1 else (pieces[0] if pieces else LineString())


def _along_edge(places: Floats) -> LineString:
    course = LineString(places)
    simple = course.simplify(1e-5)
    return simple if isinstance(simple, LineString) else course


def flow_line(job: Job, line: Line, part: BaseGeometry) -> FlowLine:
    course = on_part(line, part)
    if course.is_empty:
        raise FlowRefusal(
            f"{line.word.capitalize()}{'' if line.is_port else ' line'} {line.label} does not lie on the part.",
            line.points[0],
        )
    port = LineString(line.points).interpolate(line.port_at, normalized=True)
    port = course.interpolate(course.project(port)) if isinstance(course, LineString) else _nearest(course, port)
    tube, hose, fitted = job.card(line.tube, TubeCard), job.card(line.hose, TubeCard), job.plumbing.hose(line.id)
    return FlowLine(
        id=line.id,
        kind=line.kind,
        pieces=tuple(tuple(piece.coords) for piece in get_parts(course)),
        port=(port.x, port.y),
        bore_m=tube.bore_m,
        hose_bore_m=hose.bore_m,
        hose_length_m=line.hose_length_m,
        opens=line.opens if line.kind == "feed" else AtTime(),
        turns=line.turns,
        fed_by=(line.fed_by or "") if line.kind == "feed" else "",
        membrane=line.membrane and line.ends_sealed and line.kind == "vent",
        over_vacuum_pa=max((line.level_pa or 0.0) - job.vacuum_pa, 0.0) if line.kind == "vent" else 0.0,
        elbows=fitted.elbows,
        elbow_bore_m=hose.bore_m if fitted.elbow is None else job.card(fitted.elbow, FittingCard).bore_m,
    )


def _nearest(course: BaseGeometry, place: Point) -> Point:
    piece = min(get_parts(course), key=lambda piece: piece.distance(place))
    nearest: Point = piece.interpolate(piece.project(place))
    return nearest
