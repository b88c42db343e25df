"""Any job that the schema can express: worked out whole, or refused with a reason, and the same once saved and read."""

from __future__ import annotations

import math
import re

import numpy as np
from hypothesis import assume, event, given
from hypothesis import strategies as st
from pydantic import ValidationError

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.demo import demo_job
from bibulon.figures import Figure
from bibulon.job import EVERY_PROCESS, Job
from bibulon.job.base import Point
from bibulon.job.cards import AdhesiveCard, Card, CoatCard, CoreCard, FabricCard, MediaCard, PeelPlyCard, ResinCard
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import changed, revised, with_line
from bibulon.job.flow import FlowChoices
from bibulon.job.gear_cards import TubeCard
from bibulon.job.layup import CoreLaying, CutChoices, Dart, Layer, PlyGroup
from bibulon.job.lines import (
    AtTime,
    Bucket,
    CatchPot,
    Line,
    Manifold,
    MediaPatch,
    Turn,
    WhenAtPoint,
    WhenBatchUsed,
    WhenFull,
    WhenReached,
    WhenTurned,
)
from bibulon.job.mould import Mould
from bibulon.job.pair import MouldPair, Upper
from bibulon.job.part import Bag, Part, Region, Shop, Vacuum
from bibulon.laminate.cut_list import cut_list
from bibulon.laminate.lay_list import lay_list
from bibulon.planning.hand import brake, feeds_for, part_width_m, reach
from bibulon.quantities import Units
from bibulon.record.run_list import run_list
from bibulon.stock import shelf

BY_KIND: dict[type[Card], list[Card]] = {}
for one in shelf():
    BY_KIND.setdefault(type(one), []).append(one)


def cards(kind: type[Card]) -> st.SearchStrategy[Card]:
    return st.sampled_from(BY_KIND[kind])


def numbers(low: float, high: float) -> st.SearchStrategy[float]:
    return st.floats(low, high, allow_nan=False).map(lambda x: round(x, 4))


places = st.tuples(numbers(-1.0, 4.0), numbers(-1.0, 3.0))


CENTRE = (1.5, 1.0)


@st.composite
def stars(draw, within: tuple[float, float] = (0.15, 1.5), centred: bool = False) -> tuple:
    """An outline with some corners, each seen from a place inside."""
    count = draw(st.integers(3, 9))
    x, y = CENTRE if centred else draw(st.tuples(numbers(0.5, 2.5), numbers(0.5, 1.5)))
    return tuple(
        (round(x + r * math.cos(turn), 4), round(y + r * math.sin(turn), 4))
        for k in range(count)
        for r, turn in [(draw(numbers(*within)), 2 * math.pi * k / count)]
    )


def likely_places(outline: tuple, kind: str, at: int) -> tuple:
    """Where a line may well lie: a feed in the middle, a vent along an edge."""
    x, y = CENTRE
    if kind == "feed":
        return ((x - 0.1, y - 0.05 + 0.02 * at), (x + 0.1, y - 0.05 + 0.02 * at))
    ends = outline[at % len(outline)], outline[(at + 1) % len(outline)]
    return tuple((round(x + 0.97 * (a - x), 4), round(y + 0.97 * (b - y), 4)) for a, b in ends)


@st.composite
def jobs(draw) -> Job:
    """Half of them such that resin can flow at all."""
    likely = draw(st.booleans())
    resin = draw(cards(ResinCard))
    part = Part(
        outline=draw(stars((0.4, 1.8), centred=True)),
        flange_width_m=draw(numbers(0, 0.3)),
        relief=draw(
            st.just(())
            | st.lists(places, min_size=1, max_size=8, unique=True).map(
                lambda found: tuple((x, y, round(0.3 * math.sin(3 * x + 5 * y), 4)) for x, y in found)
            )
        ),
    )
    regions = tuple(Region(name=f"r{k}", outline=draw(stars())) for k in range(draw(st.integers(0, 2))))
    carried: dict[str, Card] = {resin.id: resin}

    def of(kind: type[Card]) -> str:
        card = draw(cards(kind))
        carried[card.id] = card
        return card.id

    kinds = [FabricCard, FabricCard, CoreCard, CoatCard]
    plies = draw(st.integers(1 if likely else 0, 6))
    grouped = draw(st.booleans()) and plies > 1
    layup = tuple(
        Layer(
            id=f"p{k}",
            card=of(draw(st.sampled_from(kinds))),
            angle_deg=draw(numbers(-360, 360)),
            region=draw(st.none() | st.sampled_from([region.name for region in regions])) if regions else None,
            count=draw(st.integers(1, 3)),
            group="again" if grouped and k < 2 else None,
        )
        for k in range(plies)
    )
    names = [f"l{k}" for k in range(draw(st.integers(2 if likely else 0, 4)))]
    feeds: list[str] = []
    manifolds = (
        (Manifold(id="m", label="M1", tube=of(TubeCard), hose=of(TubeCard), length_m=draw(numbers(0.01, 3))),)
        if draw(st.booleans())
        else ()
    )
    lines = []
    for at, name in enumerate(names):
        first = likely and at < 2
        kind = ("feed", "vent")[at] if first else draw(st.sampled_from(("feed", "vent")))
        trigger = (
            st.builds(AtTime, time_s=numbers(0, 5000))
            | st.builds(WhenReached, line=st.sampled_from(names))
            | st.builds(WhenAtPoint, place=places)
            | st.builds(WhenFull, share=numbers(0, 1))
            | st.builds(WhenBatchUsed, batch=st.integers(1, 4))
            | st.builds(WhenTurned, line=st.sampled_from(names), to=st.sampled_from(("open", "clamped")))
        )
        opens = draw(st.builds(AtTime) if first else trigger)
        ways = ("open", "clamped", "throttled") if kind == "feed" else ("open", "clamped")
        turns = st.lists(st.builds(Turn, to=st.sampled_from(ways), when=trigger, share=numbers(0.05, 1)), max_size=4)
        points = draw(st.lists(places, min_size=2, max_size=4, unique=True).map(tuple))
        if likely:
            points = likely_places(part.outline, kind, at)
        above = [*feeds, *(manifold.id for manifold in manifolds)]
        lines.append(
            Line(
                id=name,
                kind=kind,
                label=name,
                points=points,
                tube=of(TubeCard),
                hose=of(TubeCard),
                hose_length_m=draw(numbers(0.01, 20)),
                port_at=0.3,
                opens=opens,
                turns=() if first else tuple(draw(turns)),
                membrane=draw(st.booleans()),
                level_pa=draw(st.none() | numbers(0, 60_000)) if kind == "vent" else None,
                fed_by=draw(st.none() | st.sampled_from(above)) if above and kind == "feed" and not first else None,
            )
        )
        if kind == "feed":
            feeds.append(name)
    media = tuple(
        MediaPatch(id=f"media{k}", card=of(MediaCard), outline=draw(stars())) for k in range(draw(st.integers(0, 2)))
    )
    return Job(
        id="any",
        name="Any job",
        part=part,
        regions=regions,
        layup=layup,
        lines=tuple(lines),
        media=media,
        groups=(PlyGroup(name="again", times=draw(st.integers(1, 3))),) if grouped else (),
        manifolds=manifolds,
        peel_ply=of(PeelPlyCard) if draw(st.booleans()) else None,
        tack=of(AdhesiveCard) if draw(st.booleans()) else None,
        core_laying=CoreLaying(chamfer=draw(numbers(0, 5)), joint_gap_m=draw(numbers(0, 0.02))),
        mould=Mould(temperature_k=None if likely else draw(numbers(280, 350))),
        process=draw(st.sampled_from(sorted(EVERY_PROCESS))),
        pair=MouldPair(
            cavity_m=draw(st.none() | numbers(0.001, 0.05)),
            upper=Upper(rigid=draw(st.booleans()), thickness_m=draw(numbers(0.001, 0.05))),
            cavity_pa=draw(numbers(0, 100_000)),
        ),
        shop=Shop(
            temperature_k=draw(numbers(288, 300) if likely else numbers(264, 333)),
            barometer_pa=draw(numbers(95_000, 105_000) if likely else numbers(50_000, 110_000)),
        ),
        vacuum=Vacuum(cavity_pa=draw(numbers(0, 20_000) if likely else numbers(0, 100_000))),
        bucket=Bucket(
            below_part_m=draw(numbers(-1, 1) if likely else numbers(-5, 9)),
            over_pressure_pa=draw(st.just(0.0) | numbers(0, 1e6)),
            rate_m3_s=draw(st.just(0.0) | numbers(0, 0.1)),
        ),
        pots=tuple(CatchPot(label=f"pot {k}", capacity_m3=draw(numbers(1e-4, 0.1))) for k in range(2)),
        flow=draw(
            st.builds(
                FlowChoices,
                thickening=st.booleans(),
                swelling=st.booleans(),
                trapped_air=st.booleans(),
                gravity=st.booleans(),
                by_batch=st.booleans(),
                core_gap_m=numbers(0, 0.01),
                edge_gap_m=numbers(0, 0.01),
            )
        ),
        bag=draw(st.builds(Bag, film_excess=numbers(0, 2), pleats=st.none() | st.integers(0, 500))),
        cutting=CutChoices(
            overlap_m=draw(numbers(0, 0.2)),
            stagger_m=draw(numbers(0, 1)),
            allowance_m=draw(numbers(0, 0.1)),
            darts=tuple(
                Dart(id=f"d{k}", tip=draw(places), mouth=draw(places), width_m=draw(numbers(0.001, 2)))
                for k in range(draw(st.integers(0, 1)))
            ),
        ),
        charge=draw(
            st.builds(
                ChargePlan,
                resin=st.just(resin.id),
                contingency=numbers(0, 1),
                bleed_kg=numbers(0, 20),
                largest_batch_kg=numbers(0.05, 50),
                pot_life_share=numbers(0.06, 1),
            )
        ),
        cards=tuple(carried.values()),
    )


@given(st.data())
def test_any_job_is_worked_out_or_refused_with_a_reason(data: st.DataObject) -> None:
    try:
        job = data.draw(jobs())
    except ValidationError:  # a dart of no length, a group broken by others: not a job
        assume(False)
        raise
    assert Job.model_validate_json(job.model_dump_json()) == job
    a = filled(assess(job, Units()), 120, levels=data.draw(st.integers(1, 2)))
    assert (a.fill is None) != (a.refusal is None)
    event("refused: " + re.split(r"[:,.]", str(a.refusal))[0][:40] if a.fill is None else f"ends: {a.fill.stopped_by}")
    if a.refusal is not None:
        assert len(str(a.refusal)) > 10 and str(a.refusal)[-1] == "."
    else:
        fill = a.fill
        assert fill is not None and fill.mass_error < 1e-6 and fill.stopped_by
        assert np.isfinite(fill.saturation).all() and fill.saturation.min() >= -1e-6
        assert fill.saturation.max() <= 1 + 1e-6
        came = fill.level_arrival_s[~np.isnan(fill.level_arrival_s)]
        assert (came >= -1e-6).all() and (came <= fill.end_s * (1 + 1e-6) + 1e-6).all()
        drains = bool(job.part.relief) and job.flow.gravity
        if not (job.flow.swelling or job.flow.trapped_air or drains):  # else what came in may leave again
            assert (np.diff(fill.in_part_m3) >= -1e-9 - 1e-6 * fill.in_part_m3.max()).all()
    told: list[str] = []
    for caution in cautions_of(a):
        told += [caution.message, caution.why, caution.remedy]
        assert caution.place is None or all(abs(c) <= 1000 for c in caution.place)
    figures = [a.fill_time, a.gel_margin, a.charge_mass, reach(a), brake(a)]
    for figure in figures:
        assert isinstance(figure, Figure)
        told += [figure.shown(a.units), figure.how]
    feeds_for(a, part_width_m(a))
    told += [f"{step.text} {step.detail}" if hasattr(step, "detail") else step.text for step in run_list(a)]
    told += [line.text for line in lay_list(job)]
    for piece in cut_list(job).pieces:
        assert piece.area_m2 > 0 and piece.length_m > 0
    assert a.bag.film_area_m2 > 0 and math.isfinite(a.charge.total_kg)
    for text in told:
        assert not re.search(r"\b(nan|inf|None)\b", text), text


ACROSS = st.sampled_from((-0.1, 0.0, 0.02, 0.05, 0.1, 0.2, 1.0, 2.0, 4.0, 4.1, 4.15, 4.2))
UP = st.sampled_from((-0.1, 0.0, 0.01, 0.02, 0.05, 0.1, 0.16, 0.2, 0.6, 0.7, 0.8, 1.4, 1.5))
PLACES = st.tuples(ACROSS, UP)
"""As a person types them: on the grid of a rule, in line with the part, its media and one another."""


@given(vent=st.tuples(PLACES, PLACES), feed=st.tuples(PLACES, PLACES), level_pa=st.sampled_from((None, 50_000.0)))
def test_every_fix_makes_a_job_of_the_job_that_it_mends(
    vent: tuple[Point, Point], feed: tuple[Point, Point], level_pa: float | None
) -> None:
    """One more vent and the first feed anywhere on the deck, under its media and off the part."""
    assume(math.dist(*vent) > 0.01 and math.dist(*feed) > 0.01)
    deck = demo_job()
    more = revised(deck.vents[0], id="vent-2", label="V2", points=vent, level_pa=level_pa)
    job = changed(with_line(deck, revised(deck.feeds[0], points=feed)), lines=(*deck.lines, more))
    for caution in cautions_of(assess(job)):
        event(caution.id)
        if caution.fix is not None:
            mended = caution.fix.apply(job)
            assert Job.model_validate_json(mended.model_dump_json()) == mended
