"""The simulator against closed forms, and properties that must hold for any layout."""

from __future__ import annotations

import numpy as np
import pytest
from conftest import bare_panel, clamped_at, rectangle
from hypothesis import given, settings
from hypothesis import strategies as st

from bibulon.assess import assess, filled
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.flow.assembly import build_network
from bibulon.flow.contours import contour, joined, round_levels
from bibulon.flow.fill import fill
from bibulon.flow.network import pipe_conductance_m3, pipe_volume_m3
from bibulon.flow.problem import flow_problem
from bibulon.flow.raster import Canvas
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import FillResult
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.cards import CoreCard, ResinCard
from bibulon.job.edits import changed, revised, with_card, with_hose, with_line, with_region
from bibulon.job.flow import FlowChoices
from bibulon.job.gear_cards import TubeCard
from bibulon.job.layup import Layer
from bibulon.job.lines import AtTime, Line, Manifold, MediaPatch, Turn, WhenReached, WhenTurned
from bibulon.job.part import Part, Region
from bibulon.laminate.cells import laminate_of
from bibulon.planning.to_prepare import needs_of
from bibulon.resin.charge import charge_of
from bibulon.stock import shelf_card
from bibulon.workers.report import Cancelled


def run(job: Job, nodes: int = 800, levels: int = 2) -> FillResult:
    return fill(flow_problem(job, nodes, levels))


def edge_time(job: Job, x: float) -> float:
    """``t = c·μ·x²/(2·T·Δp)``, the one-dimensional edge fill."""
    stack = laminate_of(job).cells[0].stack
    problem = flow_problem(job)
    return (
        stack.capacity_m * problem.resin.viscosity_pa_s * x**2 / (2 * stack.transmissivity_m3[0][0] * problem.drive_pa)
    )


def test_edge_fill_agrees_with_the_hand_formula(panel: Job) -> None:
    result = run(panel, 1500)
    assert result.stopped_by == "filled"
    assert result.fill_time_s == pytest.approx(edge_time(panel, 1.0), rel=0.01)
    for x in (0.2, 0.4, 0.6, 0.8, 0.95):
        assert result.seen_at(x, 0.2) == pytest.approx(edge_time(panel, x), rel=0.012), x
        assert result.arrival_at(x, 0.2) == pytest.approx(edge_time(panel, x), rel=0.04), x


def test_edge_fill_converges_with_the_mesh(panel: Job) -> None:
    errors = [abs(run(panel, nodes).fill_time_s / edge_time(panel, 1.0) - 1) for nodes in (150, 2400)]
    assert max(errors) < 0.006


def test_the_demo_panel_bare_agrees_with_the_hand_formula(demo: Job) -> None:
    """Without core, media and the second feed, edge to edge over 1.4 m."""
    fed = revised(demo.line("feed-1"), points=((0.0, 0.0), (4.2, 0.0)), hose_length_m=0.2)
    slow = revised(demo.resin, thickening_time_s=1e9, flow_limit_pa_s=1e3)
    slow = revised(slow, film_gel=tuple(revised(point, time_s=1e8) for point in slow.film_gel))
    job = changed(demo, layup=(demo.layup[1], demo.layup[-1]), regions=(), media=(), lines=(fed, demo.line("vent-1")))
    job = changed(with_card(job, slow), flow=FlowChoices(swelling=False, by_batch=False))
    result = run(job, 1500)
    assert result.fill_time_s == pytest.approx(edge_time(job, 1.4), rel=0.02)


def test_hose_resistance_in_series(panel: Job) -> None:
    """``t = μ·c·W·(x·R + x²/(2·T·W))/Δp`` with the hose's ``R``, plus the time to fill the hose itself."""
    thin = revised(panel.card("wide-hose", TubeCard), bore_m=0.0025, outer_m=0.004)
    job = with_card(panel, thin)
    job = with_line(job, revised(job.line("feed"), hose_length_m=2.0))
    stack, problem = laminate_of(job).cells[0].stack, flow_problem(job)
    resistance = 1 / pipe_conductance_m3(0.0025, 2.0)
    mu, dp, width = problem.resin.viscosity_pa_s, problem.drive_pa, 0.4
    time = mu * stack.capacity_m * width * (resistance + 1 / (2 * stack.transmissivity_m3[0][0] * width)) / dp
    hose = pipe_volume_m3(0.0025, 2.0) * mu * resistance / (2 * dp)
    spiral = pipe_volume_m3(0.009, 0.4) * mu * resistance / dp
    assert run(job, 1500).fill_time_s == pytest.approx(time + hose + spiral, rel=0.01)
    assert time > 1.2 * edge_time(job, 1.0)
    # three elbows, 2.2 mm inside, resist as 3 × 12.5 × 2.2 mm of pipe of that bore, between hose and line
    job = with_card(job, revised(shelf_card("elbow-6"), id="small", bore_m=0.0022, fits_bore_m=0.0025))
    job = with_hose(job, "feed", elbow="small", elbows=3)
    elbows = 1 / pipe_conductance_m3(0.0022, 3 * 12.5 * 0.0022)
    time += mu * stack.capacity_m * width * elbows / dp + spiral / resistance * elbows
    assert run(job, 1500).fill_time_s == pytest.approx(time + hose + spiral, rel=0.01)
    assert elbows > 0.05 * resistance, "it is seen"


def test_parts_that_share_a_manifold_share_what_it_lets_through(panel: Job) -> None:
    """Three parts on one thin hose: each fills as behind three times its resistance; with one each, as if alone."""
    thin = revised(panel.card("wide-hose", TubeCard), id="thin", name="Thin hose", bore_m=0.003, outer_m=0.005)
    manifold = Manifold(id="m", label="M1", tube="wide-hose", hose="thin", length_m=0.01, hose_length_m=2.0)
    alone = changed(with_card(panel, thin), manifolds=(manifold,))
    alone = with_line(alone, revised(alone.line("feed"), fed_by="m", hose_length_m=0.05))
    three = changed(alone, bag=revised(alone.bag, parts=3))
    each = changed(three, manifolds=(revised(manifold, each_part=True),))
    stack, problem = laminate_of(alone).cells[0].stack, flow_problem(alone)
    mu, dp, width = problem.resin.viscosity_pa_s, problem.drive_pa, 0.4
    resistance, bore_m3 = 1 / pipe_conductance_m3(0.003, 2.0), pipe_volume_m3(0.003, 2.0)

    def by_hand(parts: int) -> float:
        behind = stack.capacity_m * width + pipe_volume_m3(0.009, 0.4) + pipe_volume_m3(0.019, 0.05)
        own = stack.capacity_m * width / (2 * stack.transmissivity_m3[0][0] * width)
        return mu / dp * (parts * resistance * behind + own + resistance * bore_m3 / 2)

    assert run(alone, 1200).fill_time_s == pytest.approx(by_hand(1), rel=0.015)
    assert run(three, 1200).fill_time_s == pytest.approx(by_hand(3), rel=0.015)
    assert run(each, 1200).fill_time_s == pytest.approx(run(alone, 1200).fill_time_s, rel=1e-9)
    hoses = {item.name: item.mass_kg for item in charge_of(three).items}["Hoses"]
    more = {item.name: item.mass_kg for item in charge_of(each).items}["Hoses"] - hoses
    assert more == pytest.approx(2 * bore_m3 * three.resin.density_kg_m3)
    needed = [{need.what: need.amount for need in needs_of(assess(job))} for job in (three, each)]
    assert needed[1][thin.name] == pytest.approx(3 * needed[0][thin.name])


def test_two_fabrics_in_series(panel: Job) -> None:
    """Half the way slow: ``t = μ/Δp·[c₁x₁²/(2T₁) + c₂·(x₂·x₁/T₁ + x₂²/(2T₂))]``."""
    job = with_region(panel, Region(name="thick", outline=rectangle(0.5, 0, 1.0, 0.4)))
    job = with_card(job, revised(job.cards[0], id="other", name="other", areal_weight_kg_m2=1.6, fibre_fraction=0.4))
    job = changed(job, layup=(*job.layup, Layer(id="more", card="other", region="thick")))
    first, second = sorted((cell for cell in laminate_of(job).cells), key=lambda cell: cell.polygon.centroid.x)
    t1, t2 = (cell.stack.transmissivity_m3[0][0] for cell in (first, second))
    c1, c2 = first.stack.capacity_m, second.stack.capacity_m
    problem = flow_problem(job)
    time = problem.resin.viscosity_pa_s / problem.drive_pa
    time *= c1 * 0.5**2 / (2 * t1) + c2 * (0.5 * 0.5 / t1 + 0.5**2 / (2 * t2))
    assert run(job, 1500).fill_time_s == pytest.approx(time, rel=0.01)


def test_a_unidirectional_ply_is_slower_across() -> None:
    along = bare_panel(fabric="glass-uni-600")
    across = changed(along, layup=(revised(along.layup[0], angle_deg=90.0),))
    assert run(across).fill_time_s / run(along).fill_time_s == pytest.approx(3.0, rel=0.01)


def test_thickening_resin_is_slower_by_the_fluidity_clock(panel: Job) -> None:
    rigid = edge_time(panel, 1.0)
    job = with_card(panel, revised(panel.resin, thickening_time_s=rigid * 2))
    tau, age = flow_problem(job).resin.thickening_s, job.charge.mix_time_s  # as old as that when it is poured
    expected = -tau * np.log(1 - rigid * np.exp(age / tau) / tau)
    assert run(job, 1500).fill_time_s == pytest.approx(expected, rel=0.01)


def test_gel_stops_the_front_and_reports_the_dry_area(panel: Job) -> None:
    gel = edge_time(panel, 0.5)
    job = with_card(panel, revised(panel.resin, film_gel=(revised(panel.resin.film_gel[0], time_s=gel),)))
    job = changed(job, shop=revised(job.shop, temperature_k=job.resin.film_gel[0].temperature_k))
    gel_share = np.sqrt((gel - job.charge.mix_time_s) / edge_time(job, 1.0))
    result = run(job, 1500)
    assert result.stopped_by == "gel"
    assert result.fill_time_s is None
    assert result.filled_fraction == pytest.approx(gel_share, rel=0.01)
    assert result.dry_area_m2 == pytest.approx(0.4 * (1 - gel_share), rel=0.02)
    assert result.arrival_at(0.9, 0.2) is None


def second_feed(job: Job, x: float, **more: object) -> Job:
    line = revised(job.line("feed"), id="second", label="F2", points=((x, 0.0), (x, 0.4)), **more)
    return with_line(job, line)


def test_a_feed_opened_when_resin_has_passed_it(panel: Job) -> None:
    """Until it opens the front is that of one feed; then it starts anew from there."""
    job = second_feed(panel, 0.5, opens=WhenReached(line="second"))
    result = run(job, 1500)
    (opened,) = (event.time_s for event in result.events if event.line == "second")
    bore = pipe_volume_m3(0.009, 0.4) / 0.4
    stack, problem = laminate_of(job).cells[0].stack, flow_problem(job)
    to_line = edge_time(job, 0.5)
    to_line += problem.resin.viscosity_pa_s * bore * 0.5 / (stack.transmissivity_m3[0][0] * problem.drive_pa)
    assert opened == pytest.approx(to_line, rel=0.03)
    assert result.fill_time_s == pytest.approx(opened + edge_time(job, 0.5), rel=0.02)
    assert result.fill_time_s < 0.6 * edge_time(job, 1.0)


def test_timed_valves_act_on_time(panel: Job) -> None:
    quarter = edge_time(panel, 0.5)
    job = with_line(panel, revised(panel.line("feed"), turns=clamped_at(quarter)))
    clamped = run(job, 1500)
    assert clamped.stopped_by == "no feed open"
    assert clamped.end_s == pytest.approx(quarter)
    assert clamped.filled_fraction == pytest.approx(0.5, rel=0.01)
    never = run(second_feed(job, 0.3, opens=AtTime(time_s=2 * quarter)))
    assert never.stopped_by == "no feed open", "a feed clamped before it is opened stays shut"
    job = second_feed(job, 0.3, opens=AtTime(time_s=2 * quarter), turns=())
    late = run(job, 1500)
    assert late.stopped_by == "filled"
    assert [(event.line, event.action) for event in late.events] == [
        ("feed", "opened"), ("feed", "clamped"), ("second", "opened"),
    ]  # fmt: skip
    assert late.events[-1].time_s == pytest.approx(2 * quarter)


def test_fibre_behind_the_vent_stays_dry(panel: Job) -> None:
    job = with_line(panel, revised(panel.line("vent"), points=((0.7, 0.0), (0.7, 0.4))))
    result = run(job, levels=1)
    assert result.stopped_by == "dry area behind the vents"
    assert result.filled_fraction == pytest.approx(0.7, abs=0.03)
    assert result.in_pots_m3[-1] >= 0
    assert result.mass_error < 1e-9


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda job: changed(job, lines=(job.line("feed"),)), "no vent line"),
        (lambda job: changed(job, lines=(job.line("vent"),)), "no feed line"),
        (lambda job: changed(job, layup=()), "ply book"),
        (lambda job: with_line(job, revised(job.line("vent"), points=((0.0, 0.0), (0.0, 0.4)))), "touches vent"),
        (lambda job: with_line(job, revised(job.line("vent"), points=((3.0, 0.0), (3.0, 1.0)))), "not lie on the part"),
        (
            lambda job: changed(
                job, bucket=revised(job.bucket, below_part_m=8.0), vacuum=revised(job.vacuum, cavity_pa=2e4)
            ),
            "raise the bucket",
        ),
        (lambda job: with_line(job, revised(job.line("feed"), opens=WhenReached(line="vent"))), "Every feed waits"),
    ],
)
def test_impossible_jobs_are_refused_with_a_reason(panel: Job, change: object, says: str) -> None:
    with pytest.raises(FlowRefusal, match=says):
        run(change(panel))


def test_bare_core_has_nowhere_to_flow(demo: Job) -> None:
    core = next(layer for layer in demo.layup if demo.card("foam-grooved-perforated-25", CoreCard).id == layer.card)
    with pytest.raises(FlowRefusal, match="no fibre or media") as refusal:
        closed = revised(
            demo.card(core.card, CoreCard), grooves="none", perforation_pitch_m=None, surface_uptake_kg_m2=0
        )
        run(changed(with_card(demo, closed), layup=(revised(core, region=None),), media=()))
    assert refusal.value.place is not None


def test_awkward_outlines_run() -> None:
    """A long hull, a comb, a part with lines that cross and a vent half off the edge."""
    hull = bare_panel(60.0, 8.0)
    comb = [(0.0, 0.0), (1.0, 0.0)]
    for tooth in range(5, 0, -1):
        comb += [(tooth * 0.2, 0.4), (tooth * 0.2 - 0.1, 0.4), (tooth * 0.2 - 0.1, 0.1), (tooth * 0.2 - 0.2, 0.1)]
    comb[-1] = (0.0, 0.4)
    panel = bare_panel()
    crossing = second_feed(panel, 0.5)
    crossing = with_line(
        crossing, revised(crossing.line("second"), id="third", label="F3", points=((0.3, 0.1), (0.8, 0.3)))
    )
    toothed = changed(panel, part=Part(outline=tuple(comb)))
    toothed = with_line(toothed, revised(toothed.line("vent"), points=((1.02, -0.02), (1.02, 0.42))))
    for job in (hull, crossing, toothed):
        result = run(job, 600)
        assert result.mass_error < 1e-9
        assert result.filled_fraction > 0.3


def test_a_stale_fill_can_be_cancelled(panel: Job) -> None:
    def stop(share: float) -> None:
        if share > 0.3:
            raise Cancelled

    with pytest.raises(Cancelled):
        fill(flow_problem(panel, 400), stop)


@settings(max_examples=25)
@given(
    ends=st.lists(st.tuples(st.floats(0.02, 0.98), st.floats(0.02, 0.38)), min_size=4, max_size=6),
    angle=st.floats(0, 180),
    opens=st.floats(0, 3000),
)
def test_any_layout_conserves_resin_and_stays_in_bounds(
    ends: list[tuple[float, float]], angle: float, opens: float
) -> None:
    job = bare_panel(fabric="glass-uni-600")
    job = changed(job, layup=(revised(job.layup[0], angle_deg=angle),))
    places = [(round(x, 3), round(y, 3)) for x, y in ends]
    feed, vent = job.line("feed"), job.line("vent")
    try:
        lines = [revised(feed, points=tuple(places[:2])), revised(vent, points=tuple(places[2:4]))]
        if len(places) == 6:
            more = revised(feed, id="more", label="F2", points=tuple(places[4:]), opens=AtTime(time_s=opens))
            lines.append(more)
        result = run(changed(job, lines=tuple(lines)), 300)
    except (ValueError, FlowRefusal):
        return
    assert result.mass_error < 1e-9
    assert result.saturation.min() >= -1e-6 and result.saturation.max() <= 1 + 1e-6
    drive = result.problem.drive_pa
    assert result.pressure_pa.min() >= -1e-3 * drive and result.pressure_pa.max() <= drive * (1 + 1e-3)
    assert (np.diff(result.saturation, axis=0) >= -1e-6).all(), "a full place never empties"
    assert (np.diff(result.times_s) >= 0).all()
    reached = ~np.isnan(result.arrival_s)
    assert (result.arrival_s[reached] <= result.end_s * (1 + 1e-9)).all()


def test_pictures_of_a_field(panel: Job) -> None:
    result = run(panel)
    x = result.mesh.points_m[:, 0]
    segments = contour(result.mesh, x, 0.5)
    assert np.allclose(segments[..., 0], 0.5)
    assert np.linalg.norm(segments[:, 0] - segments[:, 1], axis=1).sum() == pytest.approx(0.4)
    grid = Canvas(result.mesh, 200).draw(x)
    columns = (np.arange(grid.values.shape[1]) + 0.5) * grid.width_m / grid.values.shape[1]
    assert np.nanmax(np.abs(grid.values - columns)) < 1e-6
    assert np.isnan(grid.values).mean() < 0.02
    assert round_levels(3345) == [600, 1200, 1800, 2400, 3000]


def test_resin_card_changes_reach_the_front(panel: Job) -> None:
    thick = revised(
        panel.resin, viscosity=tuple(revised(p, viscosity_pa_s=2 * p.viscosity_pa_s) for p in panel.resin.viscosity)
    )
    assert isinstance(thick, ResinCard)
    assert run(with_card(panel, thick)).fill_time_s == pytest.approx(2 * run(panel).fill_time_s, rel=1e-3)


def test_lines_keep_their_kind() -> None:
    with pytest.raises(ValueError, match="two different points"):
        Line(id="a", kind="feed", label="F", points=((0, 0), (0, 0)), tube="t", hose="h")


@given(turn=st.floats(0, 6.28), level=st.floats(0.3, 0.9))
def test_contours_join_into_lines_of_the_same_length(turn: float, level: float) -> None:
    """A straight front is one line across the panel; a round one closes into a ring."""
    mesh = build_network(flow_problem(bare_panel(), 400, 1)).mesh
    x, y = (mesh.points_m - (0.5, 0.2)).T
    straight = np.cos(turn) * x + np.sin(turn) * y
    for values, at in ((straight, 0.05), (np.hypot(x, y), 0.18 * level)):
        segments = contour(mesh, values, at)
        (line,) = joined(segments)
        whole = np.hypot(*(segments[:, 1] - segments[:, 0]).T).sum()
        assert np.hypot(*np.diff(line, axis=0).T).sum() == pytest.approx(whole, rel=1e-5)
    assert line[0] == pytest.approx(line[-1]), "a ring ends where it begins"
    assert joined(contour(mesh, straight, 9.0)) == []


def test_a_fill_whose_steps_do_not_settle_is_given_up_with_the_reason(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = filled(assess(bare_panel()), 200)
    assert sound.fill is not None and len(sound.fill.times_s) < 200, "far fewer steps than are allowed"
    monkeypatch.setattr("bibulon.flow.fill.MOST_STEPS", 8)
    given_up = filled(assess(bare_panel()), 200)
    assert given_up.fill is None and "do not settle" in str(given_up.refusal)


def test_a_valve_is_clamped_and_opened_again_and_goes_by_another(panel: Job) -> None:
    """Half way in, clamped for as long again, opened: the front stands still meanwhile, for √-law time it goes on."""
    quarter, whole = edge_time(panel, 0.5), edge_time(panel, 1.0)
    turns = (Turn(to="clamped", when=AtTime(time_s=quarter)), Turn(to="open", when=AtTime(time_s=2 * quarter)))
    again = run(with_line(panel, revised(panel.line("feed"), turns=turns)), 1500)
    assert again.stopped_by == "filled"
    assert [event.action for event in again.events] == ["opened", "clamped", "opened"]
    assert again.fill_time_s == pytest.approx(whole + quarter, rel=0.01)
    # a second feed half way along takes over once resin has passed it; the first is clamped when it does
    taken = second_feed(panel, 0.5, opens=WhenReached(line="second"))
    taken = with_line(taken, revised(taken.line("feed"), turns=(Turn(to="clamped", when=WhenTurned(line="second")),)))
    result = run(taken, 1500)
    (opened,) = (event.time_s for event in result.events if event.line == "second")
    assert [(event.line, event.action, event.time_s) for event in result.events[1:]] == [
        ("second", "opened", opened), ("feed", "clamped", opened),
    ]  # fmt: skip
    both = run(second_feed(panel, 0.5, opens=WhenReached(line="second")), 1500)
    assert result.fill_time_s == pytest.approx(both.fill_time_s, rel=0.01), "what is behind it is full already"


def test_a_throttled_hose_passes_its_share(panel: Job) -> None:
    """Resin waits for the hose and for the laminate, one after the other: of that, the hose's part grows as 1/share."""
    thin = revised(panel.card(panel.line("feed").hose, TubeCard), id="thin-hose", bore_m=0.0012, outer_m=0.004)
    line = revised(panel.line("feed"), hose=thin.id, hose_length_m=3.0)
    job = with_line(with_card(panel, thin), line)
    free = run(job)
    held = run(with_line(job, revised(line, turns=(Turn(to="throttled", share=0.25),))))
    assert held.events[1].action == "throttled" and held.events[1].time_s == 0.0
    laminate_s = edge_time(panel, 1.0)
    assert held.fill_time_s - laminate_s == pytest.approx(4 * (free.fill_time_s - laminate_s), rel=0.01)


def test_a_vent_is_opened_again(panel: Job) -> None:
    """Clamped, the air ahead holds the front; opened again, it goes on to the end."""
    vent = panel.line("vent")
    quarter = edge_time(panel, 0.5)
    shut = run(with_line(panel, revised(vent, turns=clamped_at(quarter / 4))))
    turns = (*clamped_at(quarter / 4), Turn(to="open", when=AtTime(time_s=quarter)))
    opened = run(with_line(panel, revised(vent, turns=turns)))
    assert opened.stopped_by == "filled"
    assert [event.action for event in opened.events if event.line == "vent"] == ["clamped", "opened"]
    assert shut.fill_time_s is None or opened.fill_time_s <= shut.fill_time_s * 1.001
    with pytest.raises(ValueError, match="not throttled"):
        revised(vent, turns=(Turn(to="throttled"),))


def test_a_flat_panel_is_followed_until_its_resin_stops() -> None:
    """Resin that bleeds after the fill leaves older and younger behind: it is followed all the same."""
    job = bare_panel(4.2, 1.4, "glass-biax-600", 6)
    feed, vent = job.feeds[0], job.vents[0]
    hose, spiral = shelf_card("hose-16"), shelf_card("spiral-12")
    courses = ((0.03, 0.7), (4.17, 0.7)), ((0.0, 1.4), (4.2, 1.4)), ((0.0, 0.0), (4.2, 0.0))
    lines = tuple(
        revised(like, id=name, label=name, points=course, hose=hose.id, tube=spiral.id, hose_length_m=2.5)
        for like, name, course in zip((feed, vent, vent), ("F1", "V1", "V2"), courses, strict=True)
    )
    media = shelf_card("media-knitted")
    over = MediaPatch(id="media", card=media.id, outline=rectangle(0.0, 0.094, 4.2, 1.306))
    for card in (hose, spiral, media, shelf_card("epoxy-slow")):
        job = with_card(job, card)
    job = changed(job, lines=lines, media=(over,), flow=FlowChoices(), charge=revised(job.charge, largest_batch_kg=8.0))
    found = scheduled_fill(job, 2000, 4, after=True)
    assert found.stopped_by == "filled" and found.after is not None and found.after.whole


def test_a_long_way_to_gel_down_a_slope_is_called_off_at_once_and_ends() -> None:
    """A feed down the middle of the dome gore, clamped when it is full: it drains in ever smaller steps. A newer
    question does not wait for that; with none the fill is told as far as it was followed."""
    gore = demo_job(DEMO_FILES[1])
    feed, vent = gore.feeds[0], gore.vents[0]
    mid = revised(feed, points=((3.9848, 0.5853), (0.03, 0.5853)), hose_way=())
    sides = [tuple((x, 1.1705 - y if low else y) for x, y in vent.points) for low in (False, True)]
    vents = tuple(revised(vent, id=f"v{at}", label=f"V{at}", points=side, hose_way=()) for at, side in enumerate(sides))
    problem = flow_problem(changed(gore, lines=(mid, *vents), media=()), 200, 2, after=True)
    found = fill(problem)
    assert found.stopped_by == "filled" and found.after is not None
    assert not found.after.whole and found.end_s < found.after.times_s[-1]
    assert abs(found.after.mass_error) < 1e-6 and found.after.bled_m3 > 0

    told: list[float] = []

    def called_off(share: float) -> None:
        told.append(share)
        if share >= 1.0:  # it is full
            raise Cancelled

    with pytest.raises(Cancelled):
        fill(problem, called_off)
    assert len(told) > 20
