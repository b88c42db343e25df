"""Hoses, fittings, clamps, dip tube and bucket against hand sums, and what is red where it does not fit."""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job import Job
from bibulon.job.edits import (
    changed,
    mirrored_job,
    revised,
    with_card,
    with_hose,
    with_line,
    with_plumbing,
    with_pot,
    without_line,
    without_manifold,
    without_pot,
)
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.held_plan import changed_since, held_plan
from bibulon.job.plumbing import BucketShape, DipTube
from bibulon.job.storage import dump, parse
from bibulon.planning.to_prepare import fittings_needed
from bibulon.plumbing.bucket import heel_kg, runs_dry_at_s
from bibulon.plumbing.edits import with_bypass, with_manifold
from bibulon.plumbing.fits import bore_verdict, clamp_for, clamp_verdict, reducer_for
from bibulon.plumbing.hose_way import tightest_bend, with_way
from bibulon.plumbing.layout import layout_of
from bibulon.plumbing.mending import with_reducers
from bibulon.plumbing.network import BUCKET, PUMP, into_first_pot, network_of
from bibulon.resin.mixing import room_kg
from bibulon.stock import shelf_card
from bibulon.stock.choice import cards_for


def hose(bore_mm: float, wall_mm: float = 2.0, **more: object) -> TubeCard:
    card = shelf_card("hose-12")
    assert isinstance(card, TubeCard)
    size = {"bore_m": bore_mm / 1000, "outer_m": (bore_mm + 2 * wall_mm) / 1000}
    return revised(card, id=f"hose-{bore_mm}", **size, **more)


def rehosed(job: Job, line: str, card: TubeCard) -> Job:
    return with_line(with_card(job, card), revised(job.line(line), hose=card.id))


def test_a_bucket_holds_what_a_frustum_does_and_the_heel_stands_under_the_notch() -> None:
    shape = BucketShape(known=True, base_m=0.24, top_m=0.30, height_m=0.30)
    by_hand = math.pi * 0.30 / 3 * (0.12**2 + 0.12 * 0.15 + 0.15**2)
    assert shape.volume_m3(0.30) == pytest.approx(by_hand) and shape.volume_m3(1.0) == pytest.approx(by_hand)
    straight = revised(shape, top_m=0.24)
    assert straight.volume_m3(0.1) == pytest.approx(math.pi * 0.12**2 * 0.1)
    job = with_plumbing(demo_job(), bucket=straight, dip=DipTube(cut="notched", opening_m=0.006))
    density = job.resin.density_kg_m3
    assert heel_kg(job) == pytest.approx(math.pi * 0.12**2 * 0.006 * density)
    full = math.pi * 0.12**2 * 0.30 * density
    assert room_kg(job) == pytest.approx(0.9 * full - job.bucket.heel_kg)
    flat = with_plumbing(job, dip=DipTube(cut="flat", opening_m=0.006))
    assert heel_kg(flat) == 0.0 and "dip-tube-flat" in {one.id for one in cautions_of(assess(flat))}
    assert heel_kg(with_plumbing(job, bucket=BucketShape())) is None, "its shape is not known"


@given(st.floats(0.05, 2), st.floats(0.05, 2), st.floats(0.05, 2), st.floats(0, 1))
def test_depth_and_volume_of_any_bucket_are_each_others_inverse(
    base_m: float, top_m: float, height_m: float, share: float
) -> None:
    shape = BucketShape(known=True, base_m=base_m, top_m=top_m, height_m=height_m)
    depth = share * height_m
    assert shape.depth_m(shape.volume_m3(depth)) == pytest.approx(depth, abs=1e-6)


def test_a_hose_fits_its_own_barb_a_softer_one_is_warmed_and_a_wide_one_slips_off() -> None:
    assert bore_verdict(hose(12), 0.012) == "fits" and bore_verdict(hose(12), None) == "fits"
    assert bore_verdict(hose(11), 0.012) == "warmed"
    assert bore_verdict(hose(11, clampable=False), 0.012) == "narrow", "a stiff one cannot be stretched"
    assert bore_verdict(hose(10), 0.012) == "narrow" and bore_verdict(hose(16), 0.012) == "wide"
    shelf = tuple(cards_for(demo_job(), FittingCard).values())
    found = reducer_for(hose(16), 0.012, shelf)
    assert found is not None and found.id == "reducer-16-12"
    assert reducer_for(hose(30), 0.012, shelf) is None


def test_a_clamp_has_to_go_round_and_to_press() -> None:
    shelf = tuple(cards_for(demo_job(), FittingCard).values())
    soft, thick = hose(12, pinch_n=100.0), hose(16, 3.0, pinch_n=220.0)
    small, large = (next(card for card in shelf if card.id == name) for name in ("clamp-16", "clamp-24"))
    assert clamp_verdict(soft, small) == "shuts" and clamp_verdict(thick, small) == "jaw"
    assert clamp_verdict(revised(thick, pinch_n=400.0), large) == "weak"
    assert clamp_for(soft, shelf).card == small and clamp_for(thick, shelf).card == large
    hard = clamp_for(revised(thick, pinch_n=400.0), shelf)
    assert hard.shuts and hard.card is not None and (hard.card.force_n or 0) >= 400
    assert clamp_for(hose(40), shelf).card is None and clamp_for(hose(12, clampable=False), shelf).verdict == "stiff"


def test_every_hose_leads_from_bucket_to_pump_and_each_end_says_how_it_fits() -> None:
    job = with_bypass(with_pot(demo_job()))
    job = with_manifold(job)
    job = with_line(job, revised(job.line("feed-2"), fed_by=job.manifolds[0].id))
    network = network_of(job)
    ends = {hose.name: (hose.start, hose.end) for hose in network.hoses}
    assert ends["feed-1"] == (BUCKET, "feed-1") and ends["feed-2"] == (job.manifolds[0].id, "feed-2")
    assert ends["vent-1"] == ("vent-1", "pot P1") and ends["pots P1 P2"] == ("pot P1", "pot P2")
    assert ends["pump"] == ("pot P2", PUMP) and ends["bypass"] == (BUCKET, "pot P1")
    assert all(one.sound for one in network.hoses), "the demo is sound"
    places = layout_of(network).places
    assert set(places) == {node.id for node in network.nodes} and len(set(places.values())) == len(places)
    assert all(places[one.start][0] < places[one.end][0] for one in network.hoses)
    wide = rehosed(job, "vent-1", hose(16, 3.0))
    wide = changed(wide, pots=(revised(wide.pots[0], barb_m=0.010), *wide.pots[1:]))
    at_pot = network_of(wide).hose("vent-1").joints[1]
    assert at_pot.verdict == "wide" and at_pot.proposed is not None and at_pot.proposed.id == "reducer-16-10"
    mended = with_reducers(wide)
    assert network_of(mended).hose("vent-1").joints[1].fits
    assert "joint-does-not-fit" not in {one.id for one in cautions_of(assess(mended))}
    assert parse(dump(mended), "mended") == mended, "reducers and their cards are kept in the file"


@settings(max_examples=40)
@given(st.lists(st.integers(0, 6), min_size=1, max_size=6), st.integers(0, 3), st.integers(1, 3), st.booleans())
def test_nothing_in_the_diagram_stands_over_anything_else(
    sources: list[int], manifolds: int, pots: int, with_a_bypass: bool
) -> None:
    job = demo_job()
    for _ in range(pots - 1):
        job = with_pot(job)
    for _ in range(manifolds):
        job = with_manifold(job)
    like, before = job.feeds[0], [line for line in job.lines if line.kind == "vent"]
    feeds = [revised(like, id=f"f{at}", label=f"F{at}", fed_by=None, turns=()) for at in range(len(sources))]
    there = [None, *(one.id for one in job.manifolds)]
    for at, source in enumerate(sources):
        known = [*there, *(feed.id for feed in feeds[:at])]
        feeds[at] = revised(feeds[at], fed_by=known[source % len(known)])
    job = changed(job, lines=(*feeds, *before))
    network = network_of(with_bypass(job) if with_a_bypass else job)
    places = layout_of(network).places
    assert set(places) == {node.id for node in network.nodes}
    for one, other in combinations(places.values(), 2):
        assert abs(one[0] - other[0]) > 0.5 or abs(one[1] - other[1]) > 0.45, places


@pytest.mark.parametrize("file", DEMO_FILES)
def test_the_demos_fit_to_the_last_joint(file: str) -> None:
    assert all(one.sound for one in network_of(demo_job(file)).hoses)


def test_what_goes_leaves_nothing_of_its_hoses_and_a_touched_joint_is_a_changed_plan() -> None:
    job = with_manifold(with_bypass(with_pot(demo_job())))
    name = job.manifolds[0].id
    job = with_plumbing(job, bypass=revised(job.plumbing.bypass, source=name))
    for one in ("feed-1", "pots P1 P2", name):
        job = with_hose(job, one, tape_turns=2)
    before = held_plan(job)
    assert changed_since(with_hose(job, "feed-2", through="film"), before) == ("hoses and fittings",)
    assert changed_since(with_plumbing(job, spare_pump=True), before) == ()
    left = without_pot(without_manifold(without_line(job, "feed-1"), name), "P1")
    assert left.plumbing.hoses == () and left.plumbing.bypass is not None and left.plumbing.bypass.source is None


def test_volume_held_counts_the_bypass_and_the_hoses_between_pots() -> None:
    job = with_pot(demo_job())
    assessed, with_one = assess(job), assess(with_bypass(job))
    bypass = with_one.job.plumbing.bypass
    assert bypass is not None
    bore = with_one.job.card(bypass.hose, TubeCard).bore_m
    more = with_one.evacuated_m3 - assessed.evacuated_m3
    assert more == pytest.approx(math.pi / 4 * bore**2 * bypass.hose_length_m)
    between = math.pi / 4 * 0.010**2 * job.plumbing.between_pots_m
    assert assessed.pots_m3 == pytest.approx(sum(pot.capacity_m3 for pot in job.pots) + between)


def test_a_bucket_runs_dry_when_what_is_over_its_heel_is_drawn() -> None:
    job = demo_job()
    times, drawn = np.array([0.0, 600.0, 1200.0]), np.array([0.0, 6.0, 9.0])
    heel = job.bucket.heel_kg
    assert runs_dry_at_s(job, times, drawn, 300.0, heel + 4.5) == pytest.approx(900.0), "3 kg to 600 s, 1.5 kg after"
    assert runs_dry_at_s(job, times, drawn, 300.0, heel + 6.5) is None, "more than is still drawn"
    assert runs_dry_at_s(job, times, drawn, 300.0, heel / 2) == pytest.approx(300.0), "it is there already"


@given(
    turn=st.floats(10, 170), first=st.floats(0.2, 3), second=st.floats(0.2, 3), heading=st.floats(0, 360),
)  # fmt: skip
def test_a_single_bend_uses_the_shorter_piece_beside_it(
    turn: float, first: float, second: float, heading: float
) -> None:
    """An arc that turns by φ begins ``R tan(φ/2)`` before its corner, and both pieces have to have that length."""
    out = math.radians(heading + turn)
    corner = (first * math.cos(math.radians(heading)), first * math.sin(math.radians(heading)))
    way = ((0.0, 0.0), corner, (corner[0] + second * math.cos(out), corner[1] + second * math.sin(out)))
    bend = tightest_bend(way)
    assert bend is not None and bend[1] == corner
    assert bend[0] == pytest.approx(min(first, second) / math.tan(math.radians(turn) / 2), rel=1e-6)


def test_a_u_turn_of_two_corners_shares_the_piece_between_them() -> None:
    """Out 1 m, aside 0.3 m, back: two right angles share 0.3 m, so the hose bends round 0.15 m; straight on, round
    nothing."""
    radius, place = tightest_bend(((0, 0), (1, 0), (1, 0.3), (0, 0.3)))
    assert radius == pytest.approx(0.15) and place in ((1, 0), (1, 0.3))
    assert tightest_bend(((0, 0), (1, 0), (2.5, 0))) is None
    assert tightest_bend(((0, 0), (1, 0), (0, 0)))[0] < 1e-6, "folded back on itself"


def test_a_hose_is_as_long_as_its_way_and_its_drop_and_is_mirrored_with_the_job(demo: Job) -> None:
    job = with_way(demo, "feed-1", ((2.1, -0.3), (3.1, -0.3)))
    assert demo.line("feed-1").points[0][1] == 0.06 and demo.bucket.below_part_m > 0
    by_hand = 0.36 + 1.0 + demo.bucket.below_part_m
    assert job.line("feed-1").hose_length_m == pytest.approx(by_hand, abs=0.01)
    assert parse(dump(job)) == job
    other = mirrored_job(job, "other")
    assert other.line("feed-1").hose_way == ((2.1, -0.3), (1.1, -0.3))
    kinked = with_way(demo, "feed-1", ((2.1, -0.02), (2.1, -0.04), (2.3, -0.04)))
    (found,) = [one for one in cautions_of(assess(kinked)) if one.id.startswith("hose-kinked")]
    assert "F1 is led round" in found.message and found.place in ((2.1, -0.02), (2.1, -0.04)), "off the part"
    assert found.fix is not None
    elbowed = found.fix.apply(kinked)
    fitted = elbowed.plumbing.hose("feed-1")
    assert (fitted.elbow, fitted.elbows) == ("elbow-12", 1) and parse(dump(elbowed)) == elbowed
    assert not [one for one in cautions_of(assess(elbowed)) if one.id.startswith("hose-kinked")]
    assert ("where hoses turn", 1) in [
        (use, count) for use, card, count in fittings_needed(network_of(elbowed)) if card and card.use == "elbow"
    ]
    assert not [one for one in cautions_of(assess(job)) if one.id.startswith("hose-kinked")]


def test_a_vent_with_a_level_of_its_own_has_a_regulator_and_a_pot_of_its_own() -> None:
    """Its hose goes to neither of the job's pots, which it does not fill either."""
    deck = demo_job()
    early = revised(deck.vents[0], id="vent-2", label="V2", points=((0.1, 0.4), (4.1, 0.4)), level_pa=50_000.0)
    job = changed(deck, lines=(*deck.lines, early))
    network = network_of(job)
    own = network.node(network.hose("vent-2").end)
    assert own.level_pa == 50_000.0 and {hose.name for hose in into_first_pot(network, job)} == {"vent-1"}
    places = layout_of(network).places
    assert places["vent-2"][0] < places[own.id][0] < places[PUMP][0] and places[own.id][1] == places["vent-2"][1]
    shared = changed(job, lines=(*deck.lines, revised(early, level_pa=None)))
    bled, all_bled = (filled(assess(one), 300).fill for one in (job, shared))
    assert bled is not None and all_bled is not None and bled.mass_error < 1e-9
    assert bled.in_own_pots_m3[-1] > 0.5 * bled.in_pots_m3[-1] > 1e-3
    assert all_bled.in_own_pots_m3[-1] == 0 and all_bled.in_catch_pots_m3[-1] == all_bled.in_pots_m3[-1]
