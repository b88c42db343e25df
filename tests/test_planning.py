"""The planner's questions by hand formulas, proposed layouts, and reading a fill: maps and sections."""

from __future__ import annotations

import math
from functools import partial
from itertools import pairwise

import numpy as np
import pytest
from conftest import bare_panel
from shapely import LineString, Point, Polygon
from shapely.affinity import rotate

from bibulon.assess import assess, filled
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.flow.fill import fill
from bibulon.flow.problem import Pace, drive_pa, flow_problem
from bibulon.flow.reading import between_steps, fibre_map, pressure_map, section, thickness_map
from bibulon.flow.resin_at import resin_at
from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.job.gear_cards import TubeCard
from bibulon.job.layup import Layer
from bibulon.job.lines import AtTime, Line, WhenReached
from bibulon.job.part import Part, Region
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.compaction import fibre_fraction
from bibulon.planning.fabrics_compared import compared_fabrics
from bibulon.planning.hand import LONGEST_BRAKE_M, SHORTEST_BRAKE_M, brake, feeds_for, part_width_m, reach
from bibulon.planning.line_patterns import (
    PatternRefusal,
    with_branches,
    with_feed_all_round,
    with_stations,
    with_vent_all_round,
)
from bibulon.planning.proposal import Effort, Proposal, propose
from bibulon.planning.strategies import candidates, moved_lines, with_thick_zones_served, with_wider_tubes
from bibulon.plumbing.mending import size_differs, with_ports
from bibulon.stock import shelf_card
from bibulon.stock.choice import tubes_for


def thickening(job: Job) -> Job:
    """The panel with resin that stops after an hour and a half."""
    return with_card(job, revised(job.resin, film_gel=(revised(job.resin.film_gel[0], time_s=5400.0),)))


def test_reach_is_what_the_simulation_reaches(panel: Job) -> None:
    job = thickening(changed(bare_panel(3.0), charge=revised(panel.charge, gel_margin_s=0.0)))
    figure = reach(assess(job))
    assert figure.value is not None and "√(2·T·Δp·θ/c)" in figure.how
    result = fill(flow_problem(job, 1200, 1))
    assert result.stopped_by == "gel"
    assert result.filled_fraction * 3.0 == pytest.approx(figure.value, rel=0.02)
    assert reach(assess(changed(job, layup=()))).value is None


def test_feeds_for_a_width_and_when_they_open(panel: Job) -> None:
    assessment = assess(thickening(panel))
    length = reach(assessment).value
    assert length is not None
    plan = feeds_for(assessment, 2.2 * length)
    assert plan is not None and plan.in_turn == math.ceil(2.2**2) == 5 and plan.at_once == 2
    assert plan.spacing_m == pytest.approx(0.44 * length)
    # with resin that hardly thickens the fronts follow one another at even times, within the usable time
    assert np.diff(plan.in_turn_s) == pytest.approx(plan.in_turn_s[1], rel=1e-3)
    assert plan.in_turn_s[-1] < assessment.resin_flow.stops_s - assessment.job.charge.gel_margin_s
    assert feeds_for(assessment, 0.9 * length).in_turn == 1
    turned = changed(panel, part=Part(outline=((0, 0), (3, 3), (2.6, 3.4), (-0.4, 0.4))))
    assert part_width_m(assess(turned)) == pytest.approx(0.4 * math.sqrt(2))


def test_the_brake_keeps_to_the_house_and_says_why(demo: Job) -> None:
    figure = brake(assess(demo))
    assert figure.value is not None and SHORTEST_BRAKE_M <= figure.value <= LONGEST_BRAKE_M
    assert "two-layer theory" in figure.how
    assert brake(assess(changed(demo, media=()))).value is None


def test_a_layout_is_proposed_that_keeps_its_margin() -> None:
    """A panel wider than one feed reaches: the present layout fails, the proposed one fills in time."""
    job = thickening(bare_panel(1.1, 2.0))
    told: list[float] = []
    on_the_way: list[Proposal] = []
    found = propose(
        job,
        told.append,
        workers=2,
        effort=Effort(moves=12, moving_s=600, samples=6, risk_fills=3),
        found=on_the_way.append,
    )
    assert on_the_way and not on_the_way[0].settled and found.settled and found.tried >= on_the_way[-1].tried
    assert found.present is not None and found.present.result.fill_time_s is None
    assert found.present.filled_share is not None and found.present.filled_share < 0.5
    best = found.proposed
    assert best.keeps_margin and best.filled_share is not None and best.filled_share > found.present.filled_share
    assert told == sorted(told) and told[-1] == 1.0
    again = filled(assess(best.job), 900)
    assert again.gel_margin_s is not None and again.gel_margin_s >= job.charge.gel_margin_s


def test_candidates_work_from_the_wide_end_and_keep_the_brake(demo: Job) -> None:
    plain = tuple(layer for layer in demo.layup if layer.region is None)
    outline = ((0, 0), (2.0, 0.5), (2.0, 0.9), (0, 1.4))
    twice = tuple(revised(patch, layers=2) for patch in demo.media)
    taper = changed(demo, part=revised(demo.part, outline=outline), regions=(), layup=plain, media=twice)
    layouts = dict(candidates(taper))
    feed, vent = (layouts["edge to edge, along"].lines[k] for k in (0, 1))
    assert feed.points[0][0] < 0.1 < 1.9 < vent.points[0][0], "fed at the wide end"
    for name, job in layouts.items():
        assert {line.kind for line in job.lines} == {"feed", "vent"}, name
        for patch in job.media:
            assert (patch.card, patch.layers) == (demo.media[0].card, 2)
            xs = [x for x, _ in patch.outline]
            if name == "edge to edge, along":
                assert max(xs) <= 2.0 - SHORTEST_BRAKE_M + 0.01
        assert fill(flow_problem(job, 200, 1, pace=Pace(steps=8))).mass_error < 1e-9


@pytest.mark.parametrize("angle_deg", [0.0, 25.0])
def test_candidates_lie_where_a_planner_would_draw_them(angle_deg: float) -> None:
    """On a plain panel, turned or not: at the edges, in the middle, at equal distances; each opens after the last."""
    job, turn = thickening(bare_panel(2.0, 1.2)), partial(rotate, angle=angle_deg, origin=(0, 0))
    outline = tuple(turn(Polygon(job.part.outline)).exterior.coords)[:-1]
    job = changed(job, part=revised(job.part, outline=outline), lines=())

    def across(line: Line) -> float:
        """Where it lies between the lower and the upper long edge, checked to run along them."""
        (x0, y0), (x1, y1) = rotate(LineString(line.points), -angle_deg, origin=(0, 0)).coords
        assert y0 == pytest.approx(y1, abs=2e-4)
        clear = 0.03 if line.kind == "feed" else 0.0
        assert sorted((x0, x1)) == pytest.approx([clear, 2.0 - clear], abs=2e-4)
        return y0

    layouts = {name.removesuffix(", across"): one for name, one in candidates(job) if name.endswith("across")}
    edge, middle = layouts.pop("edge to edge"), layouts.pop("from the middle out")
    into = layouts.pop("from both edges in")
    assert sorted(across(feed) for feed in into.feeds) == pytest.approx([0.03, 1.17], abs=2e-4)
    assert [across(vent) for vent in into.vents] == pytest.approx([0.6], abs=2e-4)
    assert all(feed.opens == AtTime() for feed in into.feeds)
    (feed,), (vent,) = edge.feeds, edge.vents
    low = across(feed) < 0.6
    assert across(feed) == pytest.approx(0.03 if low else 1.17, abs=2e-4)
    assert across(vent) == pytest.approx(1.206 if low else -0.006, abs=2e-4), "half off the part, for no corner behind"
    assert across(middle.feeds[0]) == pytest.approx(0.6, abs=2e-4)
    assert sorted(across(vent) for vent in middle.vents) == pytest.approx([-0.006, 1.206], abs=2e-4)
    assert len(layouts) >= 2
    for name, laid in layouts.items():
        count = int(name.split()[0])
        places = [across(feed) if low else 1.2 - across(feed) for feed in laid.feeds]
        assert places == pytest.approx([0.03, *(1.2 * k / count for k in range(1, count))], abs=2e-4)
        assert [feed.opens for feed in laid.feeds[1:]] == [WhenReached(line=feed.id) for feed in laid.feeds[1:]]
        clamped = [turn.when.line for feed in laid.feeds for turn in feed.turns]
        assert clamped == ([feed.id for feed in laid.feeds[1:]] if "station" in name else [])
        assert laid.feeds[0].opens == AtTime() and [feed.label for feed in laid.feeds] == [
            f"F{number}" for number in range(1, count + 1)
        ]


def test_maps_read_the_fill(panel: Job) -> None:
    result = fill(flow_problem(panel, 800, 1))
    half = float(result.seen_s[result.mesh.nearest(0.7, 0.2)])
    pressure = pressure_map(result, half)
    x = result.mesh.points_m[:, 0]
    wet = (x > 0.05) & (x < 0.6)
    expected = result.problem.vent_pa + drive_pa(panel) * (1 - x / 0.7)
    assert pressure[wet] == pytest.approx(expected[wet], abs=0.06 * drive_pa(panel))
    assert np.isnan(pressure[x > 0.8]).all()
    stack = laminate_of(panel).cells[0].stack
    assert thickness_map(result) == pytest.approx(stack.laminate_thickness_m)
    assert fibre_map(result) == pytest.approx(stack.fibre_fraction)
    assert between_steps(result, result.end_s, result.saturation).mean() > 0.999, "full but for a speck"
    assert between_steps(result, 0.0, result.saturation) == pytest.approx(0.0)


def test_a_section_shows_the_layers_with_the_resin_in_them(demo: Job) -> None:
    result = fill(flow_problem(demo, 700, 2))
    found = section(result, (2.0, 0.0), (2.0, 1.4), 0.4 * result.end_s)
    assert [level.name for level in found.levels] == ["tool side", "core", "bag side", "media"]
    core = next(level for level in found.levels if level.name == "core")
    middle = len(found.stations_m) // 2
    card = demo.card("foam-grooved-perforated-25", CoreCard)
    assert core.thickness_m[middle] == pytest.approx(card.thickness_m)
    tool = found.levels[0]
    assert tool.wet_share[10] == pytest.approx(1.0, abs=0.01) and tool.wet_share[-5] == 0.0
    assert found.stations_m[-1] == pytest.approx(1.4)
    off = section(result, (9.0, 9.0), (9.5, 9.0), 0.0)
    assert off.levels == ()


def test_where_the_resin_is_at_a_moment(demo: Job) -> None:
    assessment = filled(assess(demo), 500)
    assert assessment.fill is not None
    for share in (0.0, 0.4, 1.0):
        found = resin_at(assessment.job, assessment.fill, assessment.batches, share * assessment.fill.end_s)
        poured = sum(b.mass_kg for b in assessment.batches if b.pour_s <= share * assessment.fill.end_s)
        assert found.drawn_kg + found.bucket_kg == pytest.approx(max(poured, found.drawn_kg))
        assert 0 <= found.pots_kg < found.drawn_kg + 1e-9


def test_the_charge_covers_what_the_simulation_draws(demo: Job) -> None:
    assessment = filled(assess(demo), 600)
    assert assessment.fill is not None and assessment.fill.swollen_m3 > 0.001
    drawn = assessment.fill.resin_drawn_m3 * demo.resin.density_kg_m3
    contingency = next(item.mass_kg for item in assessment.charge.items if item.name == "Contingency")
    assert drawn < assessment.charge.total_kg < drawn + contingency + 3.0
    swollen = next(item for item in assessment.charge.items if item.name == "Laminate swollen")
    assert swollen.mass_kg == pytest.approx(assessment.fill.swollen_m3 * demo.resin.density_kg_m3)
    assert "bleeds again" in swollen.how and not swollen.stays


def test_fabrics_compared_agree_with_a_sum_by_hand() -> None:
    job = bare_panel(2.0, 1.0)
    now = job.card(job.layup[0].card, FabricCard)
    other = shelf_card("glass-biax-400")
    assert isinstance(other, FabricCard) and other.price is not None
    first, second = compared_fabrics(job, job.layup[0].id, [other])
    assert first.chosen and first.card == now and first.count == job.layup[0].count
    assert second.count == max(round(first.weight_kg_m2 / other.areal_weight_kg_m2), 1)
    assert second.weight_kg_m2 == second.count * other.areal_weight_kg_m2
    # pieces 2 m long lie beside or behind one another on a roll of 1.27 m: one a metre wide on each 2 m
    cut_m2 = second.count * 2.0 * other.roll_width_m
    assert second.price == pytest.approx(other.price * cut_m2, rel=0.02)
    assert second.waste == pytest.approx(1 - second.count * 2.0 / cut_m2, abs=0.02)
    for one in (first, second):
        fraction = fibre_fraction(one.card, job.pressing_pa)
        assert one.thickness_m == pytest.approx(one.weight_kg_m2 / (one.card.fibre_density_kg_m3 * fraction))
    laid = changed(with_card(job, other), layup=(revised(job.layup[0], card=other.id, count=second.count),))
    assert second.reach_m == pytest.approx(reach(assess(laid)).value)
    with pytest.raises(KeyError):
        compared_fabrics(job, "none", [other])


def disc(radius: float) -> Job:
    round_ = tuple((float(x), float(y)) for x, y in Point(0, 0).buffer(radius, quad_segs=24).exterior.coords[:-1])
    job = bare_panel(1.0, 1.0)
    return changed(job, part=revised(job.part, outline=round_), lines=())


def test_a_feed_all_round_fills_a_disc_as_the_closed_form_says() -> None:
    """From the rim at R to r: ``t = cμ/(4TΔp)·(R² − r² − 2r² ln(R/r))``; ring and hose cost a little besides."""
    job, _ = with_feed_all_round(disc(0.5))
    assert [line.kind for line in job.lines] == ["feed", "vent"] and job.lines[0].points[0] == job.lines[0].points[-1]
    problem = flow_problem(job, nodes=2000)
    result, stack = fill(problem), laminate_of(job).cells[0].stack
    assert result.stopped_by == "filled"
    conducts = math.sqrt(float(np.linalg.det(np.array(stack.transmissivity_m3))))
    scale = stack.capacity_m * problem.resin.viscosity_pa_s / (4 * conducts * problem.drive_pa)
    for r in (0.25, 0.15):
        node = result.mesh.nearest(0.0, r)
        at = float(np.hypot(*result.mesh.points_m[node]))
        expected = scale * (0.25 - at**2 - 2 * at**2 * math.log(0.5 / at))
        assert result.half_full_s[node] == pytest.approx(expected, rel=0.05)


def test_feeds_from_station_to_station_are_clamped_as_the_next_takes_over() -> None:
    job = changed(bare_panel(2.0, 1.0), lines=())
    job, first = with_stations(job, (0.05, 0.5), (2.0, 0.5))
    feeds = [line for line in job.lines if line.kind == "feed"]
    assert feeds[0].id == first and len(feeds) >= 2 and len(job.vents) == 1
    for line in feeds:
        assert LineString(line.points).length == pytest.approx(0.94, abs=0.01), "across the part"
    result = fill(flow_problem(job, nodes=800))
    assert result.stopped_by == "filled"
    turned = [(event.line, event.action) for event in result.events]
    for one, other in pairwise(feeds):
        at = turned.index((other.id, "opened"))
        assert turned[at + 1] == (one.id, "clamped") and result.events[at].time_s == result.events[at + 1].time_s
    with pytest.raises(PatternRefusal, match="too short"):
        with_stations(job, (0.1, 0.1), (0.1, 0.12))
    with pytest.raises(PatternRefusal, match="lie on the part"):
        with_stations(job, (5.0, 5.0), (7.0, 5.0))


def test_branches_reach_both_edges_and_are_fed_by_their_spine() -> None:
    job = changed(bare_panel(2.0, 1.0), lines=())
    job, spine = with_branches(job, ((0.05, 0.5), (1.95, 0.5)))
    branches = [line for line in job.lines if line.fed_by == spine]
    assert len(branches) >= 2 and len(branches) % 2 == 0
    for branch in branches:
        (x0, y0), (x1, y1) = branch.points
        assert x0 == x1 and y0 == 0.5 and min(y1, 1 - y1) == pytest.approx(0.03, abs=1e-3)
    out, _ = with_vent_all_round(changed(job, lines=()))
    (vent,) = out.vents
    assert Polygon(vent.points).area == pytest.approx(2.0)


def test_every_strategy_of_the_trade_is_tried(demo: Job) -> None:
    names = " | ".join(name for name, _ in candidates(demo))
    for words in (
        "edge to edge", "the other way", "from the middle out", "from both edges in", "opened in turn",
        "from station to station", "vent all round", "feed all round", "spine with branches",
    ):  # fmt: skip
        assert words in names
    round_ = dict(candidates(disc(0.5)))
    radial = round_["feed in the middle, vent all round"]
    assert LineString(radial.feeds[0].points).length < 0.15, "short where the part is as wide as long"


def test_a_feed_is_moved_to_where_both_sides_fill_at_once() -> None:
    """A strip whose left part lets resin through worse than the right: fed where ``c₁·a²/T₁`` makes both sides alike.

    From a feed in the slow part, a metres from the left end, the left side takes ``θ = c₁a²/(2T₁Δp)``; to the right the
    front crosses the rest of the slow part, b, and the fast part, d: ``θ·Δp = c₁b²/(2T₁) + c₂d(b/T₁ + d/(2T₂))``.
    """
    fast = shelf_card("glass-biax-800")
    tight = [revised(way, value=way.value / 4) for way in (fast.permeability_along_m2, fast.permeability_across_m2)]
    slow = revised(fast, id="tight", permeability_along_m2=tight[0], permeability_across_m2=tight[1])
    job = with_card(bare_panel(2.0, 0.4), slow)
    left = Region(name="left", outline=((0, 0), (1, 0), (1, 0.4), (0, 0.4)))
    right = Region(name="right", outline=((1, 0), (2, 0), (2, 0.4), (1, 0.4)))
    book = (
        Layer(id="a", card=slow.id, count=3, region="left"),
        Layer(id="b", card=fast.id, count=3, region="right"),
    )
    feed, vent = job.lines
    ends = (
        revised(vent, points=((0, 0), (0, 0.4))),
        revised(vent, id="vent-2", label="V2", points=((2, 0), (2, 0.4))),
    )
    job = changed(job, regions=(left, right), layup=book)
    cells = {cell.polygon.centroid.x < 1: cell.stack for cell in laminate_of(job).cells}
    (t1, c1), (t2, c2) = ((stack.transmissivity_m3[0][0], stack.capacity_m) for stack in (cells[True], cells[False]))

    def worst(at: float) -> float:
        """The later side's θ·Δp for a feed so far from the left end."""
        here, there, way = (t1, t2, 1 - at) if at <= 1 else (t2, t1, at - 1)
        c_here, c_there = (c1, c2) if at <= 1 else (c2, c1)
        across = c_here * way**2 / (2 * here) + c_there * (way / here + 1 / (2 * there))
        return max(across, c_here * (at if at <= 1 else 2 - at) ** 2 / (2 * here))

    best = min(np.linspace(0.05, 1.95, 400), key=worst)
    assert abs(best - 1.0) > 0.15
    middle = changed(job, lines=(revised(feed, points=((1.0, 0.03), (1.0, 0.37))), *ends))
    found = propose(middle, workers=2, effort=Effort(moves=48, moving_s=600, samples=0, risk_fills=2))
    times = [layout.result.fill_time_s for layout in (found.present, found.proposed) if layout is not None]
    assert times[1] < 1.03 * times[0] * worst(float(best)) / worst(1.0)
    moved = {round(LineString(one.feeds[0].points).centroid.x, 2) for one in moved_lines(middle, 0.1)}
    assert moved == {0.9, 1.1}


def test_thick_zones_get_a_line_of_their_own() -> None:
    job = bare_panel(1.5, 0.8)
    pad = Region(name="pad", outline=((0.6, 0.3), (0.9, 0.3), (0.9, 0.5), (0.6, 0.5)))
    job = changed(
        job, regions=(pad,), layup=(*job.layup, Layer(id="pad", card=job.layup[0].card, count=9, region="pad"))
    )
    served = dict(with_thick_zones_served(job))
    assert len(served) == 2
    (feed,) = (line for line in served["with a feed at the thick zone"].feeds if line.id != "feed")
    assert LineString(feed.points).length == pytest.approx(0.3, abs=0.01) and feed.opens == WhenReached(line=feed.id)
    (vent,) = (line for line in served["with a vacuum point at the thick zone"].vents if line.id != "vent")
    assert pad.outline.polygon.contains(LineString(vent.points))
    assert not list(with_thick_zones_served(served["with a feed at the thick zone"]))


def test_lines_at_a_curved_edge_follow_it_and_media_are_offered_where_there_are_none() -> None:
    """On the dome's gore, drawn from an empty plan: vents run along its bowed sides, each about as long as they are."""
    gore = changed(demo_job(DEMO_FILES[1]), lines=(), media=())
    layouts = dict(candidates(gore))
    outline = gore.part.shape.exterior
    for vent in layouts["from the middle out, across"].vents:
        course = LineString(vent.points)
        assert course.length > 3.5, "the whole side, not a chord across a corner"
        off = [outline.distance(Point(place)) for place in course.segmentize(0.05).coords]
        assert max(off) < 0.02, "half off the edge all along"
    with_media = {name for name, job in layouts.items() if job.media}
    assert with_media == {name for name in layouts if name.endswith("with media")}
    assert {"edge to edge, across, with media", "feed in the middle, vent all round, with media"} <= with_media


def test_a_hose_that_starves_the_part_is_proposed_wider() -> None:
    """A long thin hose takes most of the pull: by Hagen–Poiseuille the next bore of the shelf lets far more through."""
    job = bare_panel(1.2, 0.8)
    thin = min((card for card in tubes_for(job, "hose").values()), key=lambda card: card.bore_m)
    job = with_card(job, thin)
    job = changed(job, lines=tuple(revised(line, hose=thin.id, hose_length_m=4.0) for line in job.lines))
    found = propose(job, workers=2, effort=Effort(moves=12, moving_s=600, samples=0, risk_fills=2))
    hoses = {line.hose for line in found.proposed.job.feeds}
    bores = [found.proposed.job.card(name, TubeCard).bore_m for name in hoses]
    assert min(bores) > thin.bore_m and "wider hose" in found.proposed.name
    assert found.present is not None and found.present.result.fill_time_s is not None
    assert found.proposed.result.fill_time_s < 0.5 * found.present.result.fill_time_s
    for _, wider in with_wider_tubes(with_ports(job)):  # what is proposed goes on its line, by a port if need be
        assert not any(size_differs(wider, line) for line in wider.feeds)
    twelve = shelf_card("hose-12")
    on_twelve = changed(with_card(job, twelve), lines=tuple(revised(line, hose=twelve.id) for line in job.lines))
    words, wider = next(iter(with_wider_tubes(on_twelve)))
    assert (words, wider.feeds[0].hose) == ("with a wider hose", "hose-16"), "clear, as it was; not the vent hose"
