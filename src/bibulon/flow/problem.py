"""What the simulator reads of a Job, and the jobs it refuses."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from shapely import LinearRing, LineString, MultiLineString, Point, get_parts, union_all
from shapely.geometry.base import BaseGeometry
from shapely.ops import linemerge

from bibulon.arrays import Floats
from bibulon.flow.cavity import closed_problem, supply_pa
from bibulon.flow.stage import GRAVITY_M_S2, FlowChannel, FlowSeam, Stage, WarmResin
from bibulon.flow.upper_half import UpperHalfProblem
from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.base import StationId
from bibulon.job.cards import TubeCard
from bibulon.job.lines import AtTime, Line, Manifold, Trigger, Turn
from bibulon.job.places import FLAT, Relief
from bibulon.laminate.cells import GRID_M, Cell, laminate_of
from bibulon.laminate.levels import Level, LevelName, merged
from bibulon.refusal import Refusal
from bibulon.resin.batches import even_batch_kg
from bibulon.resin.charge import charge_of
from bibulon.resin.viscosity import Rheology, poured, rheology

NEVER_S = 1e9
BESIDE_PART_M = 0.1
"""A line lying at most this far off the part, as vents do half off its edge, acts at the edge."""


class FlowRefusal(Refusal):
    """A job that cannot be simulated; the message says why, ``place`` where on the plan (or None), ``station`` where
    it is mended (None: where the lines are)."""

    def __init__(self, message: str, place: PlanPoint | None = None, station: StationId | None = None) -> None:
        super().__init__(message, place)
        self.station = station


@dataclass(frozen=True)
class Pace:
    """How finely a fill is followed in time."""

    steps: int = 24
    """In about so many steps the part fills."""
    growth: float = 2.0
    """A step is at most so many times as long as the one before."""
    longer: float = 1.0
    """A front slows down: the next step may be so much longer than the last one's gain asks for."""
    last_share: float = 0.6
    """A step takes at most so much of what is still dry, while that is enough for a pocket."""
    tolerance: float = 1e-3
    """A triggered valve is opened within this share of the elapsed time."""
    linear_share: float = 0.05
    """Pressures about which swelling is linearised are met within this share of the film's: those found are then some
    twenty times nearer to where more of it would lead."""


FULL_PACE = Pace()
PREVIEW_PACE = Pace(steps=9, growth=3.0, longer=1.2, last_share=0.85, tolerance=0.016, linear_share=0.08)
"""For a picture while the hand still moves, and for trials that are only compared with each other."""


@dataclass(frozen=True)
class FlowCell:
    """An area of the plan with its flow levels from the tool face."""

    outline: tuple[PlanPoint, ...]
    holes: tuple[tuple[PlanPoint, ...], ...]
    levels: tuple[Level, ...]
    laminate_m: float = 0.0
    """Thickness of the plies under full vacuum."""
    fibre_m: float = 0.0
    """Volume of fibre per area."""
    layers: tuple[tuple[LevelName, float], ...] = ()
    """What lies over one another from the tool face, however the levels are merged, with its thickness (m)."""
    built_m: float = 0.0
    """Height that the cavity was built to; 0 under film."""

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
    opens: Trigger
    turns: tuple[Turn, ...]
    """What is done to its valve after it was opened, in order."""
    fed_by: str = ""
    """What the hose of a feed comes from: another feed, a manifold, or the bucket if empty."""
    membrane: bool = False
    """Whether a vent lets air through but holds resin back."""


@dataclass(frozen=True)
class FlowManifold:
    """A pipe beside the part, fed from the bucket, that feeds' hoses come from."""

    id: str
    bore_m: float
    length_m: float
    hose_bore_m: float
    hose_length_m: float


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


@dataclass(frozen=True)
class FlowProblem:
    """Everything a fill depends on; equal problems have equal fills."""

    cells: tuple[FlowCell, ...]
    lines: tuple[FlowLine, ...]
    drive_pa: float
    """Pressure of the supply over the vent's at the lowest face, ``p_atm + p_pot − ρ·g·Δz − p_vent``; a machine's at
    most."""
    resin: Rheology
    nodes: int
    """About how many nodes the mesh should have."""
    vent_pa: float = 0.0
    """Absolute pressure at the vents, and of gas that resin cuts off from them."""
    film_pa: float = 0.0
    """What the film presses with where there is no resin, ``p_atm − p_vent``; 0: the laminate does not swell."""
    trapped_air: bool = False
    gaps: tuple[FlowGap, ...] = ()
    after: bool = False
    """Whether to go on until the resin stops once the part is full."""
    feeds_stay_open: bool = False
    vents_shut: bool = False
    manifolds: tuple[FlowManifold, ...] = ()
    rate_m3_s: float = 0.0
    """What a machine brings, as long as that takes no more than the drive; 0: whatever the drive brings."""
    relief: Relief = FLAT
    density_kg_m3: float = 0.0
    """Of resin that feels its weight inside the part; 0: gravity is left out."""
    batches_m3: tuple[float, ...] = ()
    """Resin is poured in batches of these volumes, each ageing from its own pouring, any more like the last; none: all
    ages from the start."""
    heel_m3: float = 0.0
    """What is left in the bucket when the next batch is poured."""
    pace: Pace = FULL_PACE
    channel: FlowChannel | None = None
    """Round the rim of a closed mould."""
    seam: FlowSeam | None = None
    """Where a part that is developed flat closes on itself."""
    stages: tuple[Stage, ...] = ()
    """The steps of an injection, ``drive_pa`` being the greatest of theirs; none: the drive and the rate above."""
    stop_m3: float = math.inf
    """All feeds are clamped when so much has been drawn."""
    hold_pa: float = 0.0
    """Pressure of the vents over that during the fill, once the feeds are clamped."""
    upper: UpperHalfProblem | None = None
    """The upper half of a closed mould that gives."""
    warm: WarmResin | None = None
    """None where resin comes in at the mould's temperature."""

    @property
    def swells(self) -> bool:
        """Whether there is more room where resin carries load."""
        return self.film_pa > 0 or self.upper is not None

    def used_up_m3(self, batches: int) -> float:
        """What has been drawn when so many *batches* are used up, down to the heel."""
        more = max(batches - len(self.batches_m3), 0)
        poured = sum(self.batches_m3[:batches]) + more * (self.batches_m3[-1] if more else 0.0)
        return max(poured - self.heel_m3, 0.0)


def flow_problem(
    job: Job, nodes: int = 2000, levels: int = 2, after: bool = False, pace: Pace = FULL_PACE
) -> FlowProblem:
    """The flow problem of *job* with at most so many *levels*, on to gel if *after*. Raises :class:`FlowRefusal`."""
    _refuse_what_cannot_fill(job)
    drive, resin = _drive_that_lifts_pa(job), _resin_that_flows(job)
    laminate = laminate_of(job)
    covered = [cell for cell in laminate.cells if cell.stack.layers or cell.stack.media_m > 0]
    cells = tuple(_flow_cell(cell, levels) for cell in covered)
    _refuse_what_does_not_close(job, covered)
    mould = closed_problem(job, covered, [cell.levels for cell in cells]) if job.in_mould else None
    if mould is not None:
        cells = tuple(replace(cell, levels=on) for cell, on in zip(cells, mould.levels, strict=True))
    part = job.part.shape if len(covered) == len(laminate.cells) else union_all([cell.polygon for cell in covered])
    lines = tuple(_flow_line(job, line, part) for line in job.lines)
    _refuse_short_circuits(job, lines)
    return FlowProblem(
        cells=cells,
        lines=lines,
        drive_pa=drive,
        resin=resin,
        nodes=nodes,
        vent_pa=job.vacuum_pa,
        film_pa=job.pressing_pa if job.flow.swelling and not job.closed else 0.0,
        trapped_air=job.flow.trapped_air,
        gaps=tuple(_gaps(job, covered, part)),
        after=after,
        feeds_stay_open=job.flow.feeds_after == "open",
        vents_shut=job.pair.injection.vent_after == "clamped" if job.in_mould else job.flow.vents_after == "shut",
        manifolds=tuple(_manifold(job, manifold) for manifold in job.manifolds),
        rate_m3_s=0.0 if job.in_mould else job.bucket.rate_m3_s,
        relief=job.part.relief,
        density_kg_m3=job.resin.density_kg_m3 if job.flow.gravity and job.part.relief else 0.0,
        batches_m3=(_batch_m3(job),) if job.flow.by_batch else (),
        heel_m3=job.bucket.heel_kg / job.resin.density_kg_m3,
        pace=pace,
        channel=mould.channel if mould else None,
        seam=mould.seam if mould else None,
        stages=mould.stages if mould else (),
        stop_m3=mould.stop_m3 if mould else math.inf,
        hold_pa=max(job.pair.hold_pa - job.pair.cavity_pa, 0.0) if mould else 0.0,
        upper=mould.upper if mould else None,
        warm=mould.warm if mould else None,
    )


def _refuse_what_cannot_fill(job: Job) -> None:
    if not job.layup:
        raise FlowRefusal("There is nothing in the ply book yet, so nothing to fill.", station="layup")
    for kind, problem in (("feed", "no resin can get in"), ("vent", "the part is under no vacuum")):
        if any(line.kind == kind for line in job.lines):
            continue
        if job.in_mould:
            raise FlowRefusal(f"There is no {'inlet' if kind == 'feed' else kind}, so {problem}. Put one at Mould.")
        raise FlowRefusal(f"There is no {kind} line, so {problem}. Draw one at Lines.")
    if not any(isinstance(line.opens, AtTime) for line in job.feeds):
        raise FlowRefusal("Every feed waits for resin, so none ever opens. Let one of them open at a time.")
    if job.in_mould and job.vacuum_pa > job.shop.barometer_pa:
        raise FlowRefusal(
            "In the cavity there is to be more pressure than the barometer shows: plan a vacuum.", station="mould"
        )
    if job.vacuum_pa > job.shop.barometer_pa:
        raise FlowRefusal("Under the film there is to be more pressure than the barometer shows: plan a vacuum.")


def _refuse_what_does_not_close(job: Job, cells: list[Cell]) -> None:
    if not job.closed:
        return
    for cell in cells:
        at = cell.polygon.representative_point()
        if cell.stack.cavity_m is None:
            raise FlowRefusal("The cavity has no height yet: type it at Mould.", station="mould")
        if cell.stack.fibre_load_pa is None:
            raise FlowRefusal(
                f"At {at.x:.2f}, {at.y:.2f} m the stack does not go into the cavity, however hard it is pressed.",
                (at.x, at.y),
                "mould",
            )


def _drive_that_lifts_pa(job: Job) -> float:
    drive = drive_pa(job)
    if drive <= 0 and job.in_mould:
        raise FlowRefusal(
            "Neither the vacuum nor the supply brings resin up to the mould: raise the bucket or press it.",
            station="mould",
        )
    if drive <= 0:
        raise FlowRefusal("The vacuum cannot lift resin from the bucket up to the part: raise the bucket.")
    return drive


def _resin_that_flows(job: Job) -> Rheology:
    """The resin of *job* from its pouring on, at the mould's temperature."""
    resin = poured(rheology(job.resin, job.mould_temperature_k), job.charge.mix_time_s)
    if not job.flow.thickening:
        resin = replace(resin, thickening_s=NEVER_S, flow_limit_s=NEVER_S)
    if resin.stops_s <= 0:
        raise FlowRefusal(
            "At the mould's temperature this resin is too thick to flow. Warm the mould or take another.",
            station="charge",
        )
    return resin


def _flow_cell(cell: Cell, levels: int) -> FlowCell:
    """*cell* with its stack merged into at most so many *levels*. Raises :class:`FlowRefusal` if nothing can
    flow there."""
    tensor = cell.stack.transmissivity_m3
    flowing = _flowing(merged(cell.stack.levels, levels))
    if tensor[0][0] + tensor[1][1] <= 0 or not flowing:
        place = cell.polygon.representative_point()
        raise FlowRefusal(
            f"At {place.x:.2f}, {place.y:.2f} m there is no fibre or media for resin to flow through.",
            (place.x, place.y),
            "layup",
        )
    return FlowCell(
        _corners(cell.polygon.exterior),
        tuple(_corners(ring) for ring in cell.polygon.interiors),
        flowing,
        cell.stack.laminate_thickness_m,
        cell.stack.fibre_fraction * cell.stack.laminate_thickness_m,
        tuple((level.name, level.thickness_m) for level in cell.stack.levels),
        cell.stack.cavity_m or 0.0,
    )


def _refuse_short_circuits(job: Job, lines: tuple[FlowLine, ...]) -> None:
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


def _batch_m3(job: Job) -> float:
    """The volume of the planned batches, all alike."""
    kg = even_batch_kg(charge_of(job).total_kg, job.charge.largest_batch_kg)
    return kg / job.resin.density_kg_m3


def _manifold(job: Job, manifold: Manifold) -> FlowManifold:
    tube, hose = job.card(manifold.tube, TubeCard), job.card(manifold.hose, TubeCard)
    return FlowManifold(manifold.id, tube.bore_m, manifold.length_m, hose.bore_m, manifold.hose_length_m)


def drive_pa(job: Job) -> float:
    """What drives the resin of *job* at the height of the part's lowest face, over the vent's pressure."""
    head = job.resin.density_kg_m3 * GRAVITY_M_S2 * job.bucket.below_part_m
    if job.in_mould:
        return max(supply_pa(job, step.over_pressure_pa) for step in job.pair.injection.steps)
    return job.shop.barometer_pa + job.bucket.over_pressure_pa - head - job.vacuum_pa


def _gaps(job: Job, cells: list[Cell], part: BaseGeometry) -> Iterator[FlowGap]:
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


def _flowing(levels: tuple[Level, ...]) -> tuple[Level, ...]:
    """*levels* without those that hold nothing."""
    return tuple(level for level in levels if level.capacity_m > 0)


def _corners(ring: LinearRing) -> tuple[PlanPoint, ...]:
    return tuple((x, y) for x, y in ring.coords[:-1])


def _shape(line: FlowLine) -> MultiLineString:
    return MultiLineString(list(line.pieces))


def on_part(line: Line, part: BaseGeometry) -> BaseGeometry:
    """The line where it acts on the part: its course over it, or the nearest edge where it lies just beside."""
    shape = LineString(line.points)
    inside = shape.intersection(part)
    edge = part.boundary
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


def _flow_line(job: Job, line: Line, part: BaseGeometry) -> FlowLine:
    course = on_part(line, part)
    if course.is_empty:
        raise FlowRefusal(
            f"{line.word.capitalize()}{'' if line.is_port else ' line'} {line.label} does not lie on the part.",
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
        turns=line.turns,
        fed_by=(line.fed_by or "") if line.kind == "feed" else "",
        membrane=line.membrane and line.kind == "vent",
    )


def _nearest(course: BaseGeometry, place: Point) -> Point:
    piece = min(get_parts(course), key=lambda piece: piece.distance(place))
    nearest: Point = piece.interpolate(piece.project(place))
    return nearest
