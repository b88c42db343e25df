"""What the simulator reads of a Job, and the jobs it refuses."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from shapely import union_all

from bibulon.arrays import Floats
from bibulon.flow.cavity import closed_problem, supply_pa, warm_resin
from bibulon.flow.fed_resin import FedBatch, FedResin
from bibulon.flow.line_courses import (
    FlowGap,
    FlowLine,
    FlowManifold,
    corners_of,
    flow_gaps,
    flow_line,
    flow_manifold,
    refuse_short_circuits,
)
from bibulon.flow.refusal import FlowRefusal, MixedTooEarly
from bibulon.flow.self_heating import relaxes_in_s, resin_heat_share, until_stopped
from bibulon.flow.stage import GRAVITY_M_S2, FlowChannel, FlowSeam, Stage, WarmResin
from bibulon.flow.upper_half import UpperHalfProblem
from bibulon.job import Job
from bibulon.job.base import Point as PlanPoint
from bibulon.job.dosing import dosed
from bibulon.job.lines import AtTime
from bibulon.job.places import FLAT, Relief
from bibulon.laminate.cells import Cell, laminate_of
from bibulon.laminate.levels import Level, LevelName, merged
from bibulon.quantities import show
from bibulon.resin.batches import Poured, planned_for
from bibulon.resin.card_law import law_of
from bibulon.resin.law import faster_than
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot import fresh_course, pot_course
from bibulon.resin.rheology import Rheology, poured, rheology

NEVER_S = 1e9
STOPS_AT_ONCE_S = 1.0
"""Resin that would flow for less than this from its pouring on is too old to be poured."""
HARDLY_WARM_K = 0.5
"""Resin that is off the mould's temperature by less is not followed as warm."""


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
    quick_mesh: bool = False
    """On a mesh of one size, made in a tenth of the time."""
    swollen_by: float | None = None
    """The laminate stands everywhere as under so much of the film's pressure, and does not move; None: it swells as the
    resin's pressure lets it."""


FULL_PACE = Pace()
PREVIEW_PACE = Pace(steps=9, growth=3.0, longer=1.2, last_share=0.85, tolerance=0.016, linear_share=0.08)
"""For a picture while the hand still moves, and for trials that are only compared with each other."""
LIVE_PACE = replace(PREVIEW_PACE, steps=7, tolerance=0.04, quick_mesh=True, swollen_by=0.75)
"""For a front that follows the hand."""


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
    feeds_to_pots: tuple[str, ...] = ()
    """Feeds that a bypass joins to the pots once the part is full."""
    manifolds: tuple[FlowManifold, ...] = ()
    rate_m3_s: float = 0.0
    """What a machine brings, as long as that takes no more than the drive; 0: whatever the drive brings."""
    relief: Relief = FLAT
    density_kg_m3: float = 0.0
    """Of resin that feels its weight inside the part; 0: gravity is left out."""
    fed: FedResin | None = None
    """Batches that each age and warm in their pots and in the part; None: all is poured at the start, and ages at the
    mould's temperature."""
    poured_at_s: float = 0.0
    """How old resin is when it is poured, where it does not come in batches."""
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
    """None where resin comes in at the mould's temperature and stays at it."""
    warms_itself: bool = False
    """Whether the thickest laminate warms by the cure of resin in it."""

    @property
    def swells(self) -> bool:
        """Whether there is more room where resin carries load."""
        return self.film_pa > 0 or self.upper is not None


def flow_problem(
    job: Job, nodes: int = 2000, levels: int = 2, after: bool = False, pace: Pace = FULL_PACE
) -> FlowProblem:
    """The flow problem of *job* with at most so many *levels*, on to gel if *after*. Raises :class:`FlowRefusal`."""
    _refuse_what_cannot_fill(job)
    drive = _drive_that_lifts_pa(job)
    fed = fed_resin(job, planned_for(job, None)) if job.flow.by_batch else None
    resin = _resin_that_flows(job, fed)
    laminate = laminate_of(job)
    covered = [cell for cell in laminate.cells if cell.stack.layers or cell.stack.media_m > 0]
    cells = tuple(_flow_cell(cell, levels) for cell in covered)
    _refuse_what_does_not_close(job, covered)
    mould = closed_problem(job, covered, [cell.levels for cell in cells]) if job.in_mould else None
    warms_itself = fed is not None and _warms_itself(fed, cells, job.in_mould)
    if mould is not None:
        cells = tuple(replace(cell, levels=on) for cell, on in zip(cells, mould.levels, strict=True))
    part = job.part.shape if len(covered) == len(laminate.cells) else union_all([cell.polygon for cell in covered])
    lines = tuple(flow_line(job, line, part) for line in job.lines)
    refuse_short_circuits(job, lines)
    return FlowProblem(
        cells=cells,
        lines=lines,
        drive_pa=drive,
        resin=resin,
        nodes=nodes,
        vent_pa=job.vacuum_pa,
        film_pa=job.pressing_pa if job.flow.swelling and not job.closed else 0.0,
        trapped_air=job.flow.trapped_air,
        gaps=tuple(flow_gaps(job, covered, part)),
        after=after,
        feeds_stay_open=job.flow.feeds_after == "open",
        feeds_to_pots=tuple(line.id for line in job.feeds_to_pots),
        vents_shut=job.pair.injection.vent_after == "clamped" if job.in_mould else job.flow.vents_after == "shut",
        manifolds=tuple(flow_manifold(job, manifold) for manifold in job.manifolds),
        rate_m3_s=0.0 if job.in_mould else job.bucket.rate_m3_s,
        relief=job.part.relief,
        density_kg_m3=job.resin.density_kg_m3 if job.flow.gravity and job.part.relief else 0.0,
        fed=fed,
        poured_at_s=job.stands_mixed_s,
        pace=pace,
        channel=mould.channel if mould else None,
        seam=mould.seam if mould else None,
        stages=mould.stages if mould else (),
        stop_m3=mould.stop_m3 if mould else math.inf,
        hold_pa=max(job.pair.hold_pa - job.pair.cavity_pa, 0.0) if mould else 0.0,
        upper=mould.upper if mould else None,
        warm=_warm(job, fed, warms_itself),
        warms_itself=warms_itself,
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


def _resin_that_flows(job: Job, fed: FedResin | None) -> Rheology:
    """The resin of *job* from its pouring on, at the mould's temperature."""
    age_s = fed.at(1, 0.0)[0] if fed is not None else job.stands_mixed_s
    resin = poured(rheology(job.resin, job.mould_temperature_k), age_s)
    if not job.flow.thickening:
        resin = replace(resin, thickening_s=NEVER_S, flow_limit_s=NEVER_S, growth=())
    fresh = rheology(job.resin, job.mould_temperature_k)
    if resin.stops_s < STOPS_AT_ONCE_S <= fresh.stops_s and fed is not None:
        stands = show(fed.batches[0].poured_at_s, "duration")
        if job.weighed and job.weighed[0].known_since(job.charge.mix_time_s) is not None:
            raise FlowRefusal(
                f"Batch 1 stands mixed for {stands} before the first feed is opened, and is too thick to flow by then. "
                "Set it outdoors and mix anew, and write at Charge when that was.",
                station="charge",
            )
        raise MixedTooEarly(
            f"The first batch stands mixed for {stands} before it is poured, and is too thick to flow by then. More "
            "hands and scales, larger batches or a slower hardener have it poured fresher; Charge says what is enough.",
            station="charge",
        )
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
        corners_of(cell.polygon.exterior),
        tuple(corners_of(ring) for ring in cell.polygon.interiors),
        flowing,
        cell.stack.laminate_thickness_m,
        cell.stack.fibre_fraction * cell.stack.laminate_thickness_m,
        tuple((level.name, level.thickness_m) for level in cell.stack.levels),
        cell.stack.cavity_m or 0.0,
    )


def fed_resin(job: Job, batches: Sequence[Poured]) -> FedResin:
    """Of *job*, whose *batches* are for all parts that are shot together; what a machine mixes as it comes is one batch
    that stays fresh."""
    law, pot, mixed_k = law_of(job.resin), pot_of(job), mixed_temperature_k(job)
    density = job.resin.density_kg_m3
    if job.mixed_as_it_comes:
        fed: tuple[FedBatch, ...] = (FedBatch(math.inf, 0.0, fresh_course(mixed_k)),)
    else:
        laws = [law_of(dosed(job.resin, batch.dose)) for batch in batches]
        fed = tuple(
            FedBatch(
                batch.mass_kg / density / job.parts_together,
                batch.age_s,
                pot_course(of, density, batch.mass_kg, batch.mixed_k, pot),
                faster_than(law, of, job.mould_temperature_k),
                batch.ready_s,
            )
            for batch, of in zip(batches, laws, strict=True)
        )
    if not job.flow.thickening:
        law = replace(law, growth=0 * law.growth, flow_limit_pa_s=math.inf, heat_j_kg=0.0)
    heel_m3 = 0.0 if job.mixed_as_it_comes else job.bucket.heel_kg / density / job.parts_together
    from_pot = not (job.in_mould and job.pair.injection.resin_temperature_k is not None)
    return FedResin(law, job.mould_temperature_k, fed, heel_m3, from_pot, fresh=job.mixed_as_it_comes)


def with_fed(job: Job, problem: FlowProblem, fed: FedResin) -> FlowProblem:
    """The *problem* of *job* with these batches."""
    warm = _warm(job, fed, problem.warms_itself)
    return replace(problem, fed=fed, resin=_resin_that_flows(job, fed), warm=warm)


def _warm(job: Job, fed: FedResin | None, warms_itself: bool) -> WarmResin | None:
    """Resin that comes as warm as its pot or its heater, or warms in the part; None where nothing is worth
    following."""
    given = warm_resin(job) if job.in_mould else None
    if given is not None or fed is None:
        return given
    if not warms_itself and not (fed.from_pot and fed.off_k >= HARDLY_WARM_K):
        return None
    return WarmResin(fed.at(1, 0.0)[1] if fed.from_pot else 0.0, both_faces=job.in_mould)


def _warms_itself(fed: FedResin, cells: Sequence[FlowCell], both_faces: bool) -> bool:
    """Whether resin that fills the thickest of *cells* as soon as it is mixed warms before it stops."""
    plies = [cell for cell in cells if cell.laminate_m > 0]
    if not plies or fed.still.stops_s <= 0:
        return False
    thickness = np.array([max(cell.laminate_m, cell.built_m) for cell in plies])
    fibre = np.array([cell.fibre_m / cell.laminate_m for cell in plies]).clip(0.0, 0.9)
    nothing = np.zeros(len(plies))
    alone = until_stopped(
        fed, nothing, nothing + 1, nothing, relaxes_in_s(thickness, both_faces), resin_heat_share(fibre)
    )
    return float(alone.most_k.max()) >= HARDLY_WARM_K


def drive_pa(job: Job) -> float:
    """What drives the resin of *job* at the height of the part's lowest face, over the vent's pressure."""
    head = job.resin.density_kg_m3 * GRAVITY_M_S2 * job.bucket.below_part_m
    if job.in_mould:
        return max(supply_pa(job, step.over_pressure_pa) for step in job.pair.injection.steps)
    return job.shop.barometer_pa + job.bucket.over_pressure_pa - head - job.vacuum_pa


def _flowing(levels: tuple[Level, ...]) -> tuple[Level, ...]:
    """*levels* without those that hold nothing."""
    return tuple(level for level in levels if level.capacity_m > 0)
