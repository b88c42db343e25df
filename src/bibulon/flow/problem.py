"""What the simulator reads of a Job, and the jobs it refuses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from shapely import LinearRing, LineString, MultiLineString, Point, Polygon, get_parts
from shapely.geometry.base import BaseGeometry
from shapely.ops import linemerge

from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.cards import TubeCard
from bibulon.job.lines import AtTime, Line, Opening
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.levels import Level, merged
from bibulon.resin.viscosity import Rheology, rheology

GRAVITY_M_S2 = 9.81
BESIDE_PART_M = 0.1
"""A line lying at most this far off the part, as vents do half off its edge, acts at the edge."""


Floats = npt.NDArray[np.float64]


class FlowRefusal(Exception):
    """A job that cannot be simulated; the message says why, ``place`` where on the plan (or None)."""

    def __init__(self, message: str, place: PlanPoint | None = None) -> None:
        super().__init__(message)
        self.place = place


@dataclass(frozen=True)
class FlowCell:
    """An area of the plan with its flow levels from the tool face."""

    outline: tuple[PlanPoint, ...]
    holes: tuple[tuple[PlanPoint, ...], ...]
    levels: tuple[Level, ...]

    @property
    def transmissivity_m3(self) -> Floats:
        """Sum over the levels, 2×2."""
        total: Floats = np.sum([np.array(level.transmissivity_m3) for level in self.levels], axis=0)
        return total


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
    opens: Opening
    closes_s: float | None


@dataclass(frozen=True)
class FlowProblem:
    """Everything a fill depends on; equal problems have equal fills."""

    cells: tuple[FlowCell, ...]
    lines: tuple[FlowLine, ...]
    drive_pa: float
    """Bucket pressure over vent pressure: ``p_atm − ρ·g·Δz − p_vent``."""
    resin: Rheology
    nodes: int
    """About how many nodes the mesh should have."""


def flow_problem(job: Job, nodes: int = 2000, levels: int = 2) -> FlowProblem:
    """The flow problem of *job* with at most so many *levels*. Raises :class:`FlowRefusal`."""
    if not job.layup:
        raise FlowRefusal("There is nothing in the ply book yet, so nothing to fill.")
    for kind, problem in (("feed", "no resin can get in"), ("vent", "the part is under no vacuum")):
        if not any(line.kind == kind for line in job.lines):
            raise FlowRefusal(f"There is no {kind} line, so {problem}. Draw one at Lines.")
    if not any(isinstance(line.opens, AtTime) for line in job.feeds):
        raise FlowRefusal("Every feed waits for resin, so none ever opens. Let one of them open at a time.")
    drive = job.shop.barometer_pa - job.resin.density_kg_m3 * GRAVITY_M_S2 * job.bucket.below_part_m
    drive -= job.vacuum.cavity_pa
    if drive <= 0:
        raise FlowRefusal("The vacuum cannot lift resin from the bucket up to the part: raise the bucket.")
    resin = rheology(job.resin, job.shop.temperature_k)
    if resin.stops_s <= 0:
        raise FlowRefusal("At the shop's temperature this resin is too thick to flow. Warm the shop or take another.")
    cells = []
    for cell in laminate_of(job).cells:
        tensor = cell.stack.transmissivity_m3
        flowing = _flowing(merged(cell.stack.levels, levels))
        if tensor[0][0] + tensor[1][1] <= 0 or not flowing:
            place = cell.polygon.representative_point()
            raise FlowRefusal(
                f"At {place.x:.2f}, {place.y:.2f} m there is no fibre or media for resin to flow through.",
                (place.x, place.y),
            )
        cells.append(
            FlowCell(
                _corners(cell.polygon.exterior),
                tuple(_corners(ring) for ring in cell.polygon.interiors),
                flowing,
            )
        )
    part = Polygon(job.part.outline)
    lines = tuple(_flow_line(job, line, part) for line in job.lines)
    for feed in lines:
        for vent in lines:
            if feed.kind == "feed" and vent.kind == "vent" and _shape(feed).distance(_shape(vent)) < 1e-3:
                place = _shape(feed).intersection(_shape(vent).buffer(2e-3)).representative_point()
                raise FlowRefusal(
                    f"Feed {job.line(feed.id).label} touches vent {job.line(vent.id).label}: "
                    "resin would go straight to the pot.",
                    (place.x, place.y),
                )
    return FlowProblem(tuple(cells), lines, drive, resin, nodes)


def _flowing(levels: tuple[Level, ...]) -> tuple[Level, ...]:
    """*levels* without those that hold nothing."""
    return tuple(level for level in levels if level.capacity_m > 0)


def _corners(ring: LinearRing) -> tuple[PlanPoint, ...]:
    return tuple((x, y) for x, y in ring.coords[:-1])


def _shape(line: FlowLine) -> MultiLineString:
    return MultiLineString(list(line.pieces))


def on_part(line: Line, part: Polygon) -> BaseGeometry:
    """The line where it acts on the part: its course over it, or the nearest edge where it lies just beside."""
    shape = LineString(line.points)
    inside = shape.intersection(part)
    edge = part.exterior
    snapped = []
    for beside in get_parts(shape.difference(part)):
        count = max(int(beside.length / 0.01), 1)
        stations = [beside.interpolate(i / count, normalized=True) for i in range(count + 1)]
        near = [edge.interpolate(edge.project(place)) for place in stations if edge.distance(place) <= BESIDE_PART_M]
        if len(near) > 1:
            snapped.append(_along_edge(near))
    pieces = [piece for piece in get_parts(inside) if isinstance(piece, LineString) and piece.length > 1e-3]
    pieces += [piece for piece in snapped if piece.length > 1e-3]
    return linemerge(pieces) if len(pieces) > 1 else (pieces[0] if pieces else LineString())


def _along_edge(places: list[Point]) -> LineString:
    course = LineString([(place.x, place.y) for place in places])
    simple = course.simplify(1e-5)
    return simple if isinstance(simple, LineString) else course


def _flow_line(job: Job, line: Line, part: Polygon) -> FlowLine:
    course = on_part(line, part)
    if course.is_empty:
        raise FlowRefusal(
            f"{line.kind.capitalize()} line {line.label} does not lie on the part.",
            line.points[0],
        )
    port = LineString(line.points).interpolate(line.port_at, normalized=True)
    port = course.interpolate(course.project(port)) if isinstance(course, LineString) else _nearest(course, port)
    tube, hose = job.card(line.tube, TubeCard), job.card(line.hose, TubeCard)
    return FlowLine(
        id=line.id,
        kind=line.kind,
        pieces=tuple(tuple(piece.coords) for piece in get_parts(course)),
        port=(port.x, port.y),
        bore_m=tube.bore_m,
        hose_bore_m=hose.bore_m,
        hose_length_m=line.hose_length_m,
        opens=line.opens if line.kind == "feed" else AtTime(),
        closes_s=line.closes_s if line.kind == "feed" else None,
    )


def _nearest(course: BaseGeometry, place: Point) -> Point:
    piece = min(get_parts(course), key=lambda one: one.distance(place))
    nearest: Point = piece.interpolate(piece.project(place))
    return nearest
