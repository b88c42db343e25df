"""Flow levels of a stack, fills through them, and the spread of many fills."""

from __future__ import annotations

import math

import numpy as np
import pytest
from conftest import bare_panel, rectangle
from sound_jobs import across, job_of, line, plies

from bibulon.assess import assess, filled
from bibulon.flow.ensemble import inputs_of, study
from bibulon.flow.fill import fill
from bibulon.flow.problem import flow_problem
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard, PeelPlyCard
from bibulon.job.edits import changed, revised, with_card, with_media
from bibulon.laminate.cells import laminate_of
from bibulon.laminate.compaction import packed_figures
from bibulon.laminate.levels import LEVEL_NAMES, Level, merged, perforation_conductance_m
from bibulon.workers.report import Cancelled

CORE = "foam-grooved-perforated-25"


def test_levels_share_out_the_whole_stack(demo: Job) -> None:
    for cell in laminate_of(demo).cells:
        stack = cell.stack
        for count in (1, 2, 4):
            levels = merged(stack.levels, count)
            own = any(level.name == "media" for level in stack.levels) and count > 1
            assert len(levels) <= min(count + own, 4), "media are a level of their own"
            assert sum(level.capacity_m for level in levels) == pytest.approx(stack.capacity_m)
            total = np.sum([level.transmissivity_m3 for level in levels], axis=0)
            assert np.allclose(total, stack.transmissivity_m3)
        names = [level.name for level in stack.levels]
        assert names == sorted(names, key=LEVEL_NAMES.index)
        assert all(level.joint_m > 0 for level in stack.levels[:-1]) and stack.levels[-1].joint_m == 0


def test_a_core_conducts_by_its_holes(demo: Job) -> None:
    core = demo.card(CORE, CoreCard)
    wide = revised(core, perforation_diameter_m=2 * core.perforation_diameter_m)
    assert perforation_conductance_m(wide) == pytest.approx(16 * perforation_conductance_m(core))
    length = core.thickness_m - core.groove_depth_m
    one = math.pi * core.perforation_diameter_m**4 / (128 * length)
    assert perforation_conductance_m(core) == pytest.approx(one / core.perforation_pitch_m**2)
    assert perforation_conductance_m(revised(core, perforation_pitch_m=None)) == 0


@pytest.mark.parametrize("count", [1, 2])
def test_levels_are_joined_through_half_of_what_lies_between(demo: Job, count: int) -> None:
    """Skins by the ``h/Kz`` of their plies, core by its holes one sheet after another, peel ply by its card; what is
    open counts for a hundredth or two."""
    layers = tuple(revised(one, count=count) if one.id == "core-1" else one for one in demo.layup)
    demo = changed(demo, layup=layers, media=(revised(demo.media[0], outline=demo.part.outline),))
    cell = next(cell for cell in laminate_of(demo).cells if len(cell.stack.levels) == 4)
    tool, core, bag, media = cell.stack.levels
    load = (demo.shop.barometer_pa - demo.vacuum.cavity_pa,)
    cards = {card.id: card for card in demo.cards}
    resistance = {"below": 0.0, "above": 0.0}
    where = "below"
    for layer in cell.stack.layers:
        card = cards[layer.card]
        if isinstance(card, CoreCard):
            where = "above"
        elif isinstance(card, FabricCard):
            resistance[where] += layer.count * float(packed_figures(card, layer.angle_deg, load)[0][5])
    holes = perforation_conductance_m(demo.card(CORE, CoreCard)) / count
    peel = demo.card(str(demo.peel_ply), PeelPlyCard)
    through_peel = peel.permeability_through_m2.value / peel.thickness_m
    assert tool.joint_m == pytest.approx(1 / (resistance["below"] / 2 + 1 / holes), rel=0.02)
    assert core.joint_m == pytest.approx(2 / resistance["above"], rel=0.02)
    assert bag.joint_m == pytest.approx(1 / (resistance["above"] / 2 + 1 / through_peel), rel=0.02)
    assert media.joint_m == 0 and core.thickness_m == pytest.approx(count * 0.025)
    two = merged(cell.stack.levels, 2)
    assert [one.name for one in two] == ["tool side", "bag side", "media"] and two[0] == tool and two[2] == media
    assert two[1].thickness_m == pytest.approx(core.thickness_m + bag.thickness_m) and two[1].joint_m == bag.joint_m
    swollen = np.sum([one.swelling_m for one in (core, bag) if one.swelling_m], axis=0)
    assert not two[1].swelling_m or two[1].swelling_m == pytest.approx(swollen)


def test_the_fewer_ways_through_the_core_the_more_the_tool_side_lags(demo: Job) -> None:
    core = demo.card(CORE, CoreCard)

    def lag(card: CoreCard) -> float:
        result = fill(flow_problem(with_card(demo, card), 500))
        through, seen = result.arrival_at(2.1, 0.9), result.seen_at(2.1, 0.9)
        assert through is not None and seen is not None
        return through - seen

    tight = revised(core, perforation_diameter_m=core.perforation_diameter_m / 8)
    plain = revised(core, perforation_pitch_m=None)
    assert lag(plain) > lag(tight) > 2 * lag(core) > 0, "a plain core leaves only the way round its edge"


def test_the_tool_side_under_media_lags_as_with_all_levels() -> None:
    """Eight plies under media: peel ply and plies have to be crossed, whatever the levels are merged to."""
    job = job_of(
        "eight", rectangle(0, 0, 1.0, 0.4), plies("glass-biax-800", 8),
        (line("feed", "F1", across(0.03, 0.4)), line("vent", "V1", across(1.0, 0.4))),
    )  # fmt: skip
    lags = [fill(flow_problem(job, 600, levels)).lag_max_s for levels in (2, 4)]
    assert lags[0] == pytest.approx(lags[1], rel=0.1)
    found = filled(assess(job), 600).fill
    assert found is not None and found.lag_max_s == pytest.approx(lags[1], rel=0.1), "and so says the usual fill"


def test_finer_levels_agree_on_a_thin_skin() -> None:
    panel = bare_panel()
    one, two = (fill(flow_problem(panel, 800, levels)) for levels in (1, 2))
    assert two.fill_time_s == pytest.approx(one.fill_time_s, rel=0.02)


def test_a_study_is_repeatable_wide_and_ranked() -> None:
    panel = bare_panel()
    told: list[float] = []
    found = study(panel, 8, nodes=200, levels=1, progress=told.append, workers=1)
    again = study(panel, 8, nodes=200, levels=1, workers=1)
    assert np.array_equal(found.fill_time_s, again.fill_time_s)
    assert told == sorted(told) and told[-1] == 1.0
    sure = fill(flow_problem(panel, 200, 1)).fill_time_s
    low, high = found.fill_percentile_s(10), found.fill_percentile_s(90)
    assert sure is not None and low is not None and high is not None and low < sure < high
    assert found.influence[0][0].startswith("permeability"), "its spread is by far the widest"
    assert found.influence[0][1] < 0 and found.dry_chance.max() == 0 and found.filled_share == 1


def test_spread_inputs_are_those_the_job_uses(demo: Job) -> None:
    names = [one.name for one in inputs_of(demo)]
    assert len(names) == len(set(names)) and {"viscosity", "temperature", "vacuum"} <= set(names)
    assert any(name.startswith("grooves of") for name in names)
    for one in inputs_of(demo):
        assert one.change(demo, 3.0) != demo and one.change(demo, -3.0) != demo


def test_a_study_can_be_given_up_and_refuses_what_cannot_fill() -> None:
    def stop(share: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        study(bare_panel(), 4, nodes=200, levels=1, progress=stop, workers=1)
    with pytest.raises(FlowRefusal, match="vent"):
        study(changed(bare_panel(), lines=bare_panel().feeds), 4)


def test_media_laid_double_conducts_and_holds_twice_and_stretched_media_less(demo: Job) -> None:
    job = demo
    at = job.media[0].outline.polygon.representative_point()

    def media(changed_job: Job) -> Level:
        cell = laminate_of(changed_job).at(at.x, at.y)
        assert cell is not None
        return next(level for level in cell.stack.levels if level.name == "media")

    plain = media(job)
    double = media(with_media(job, revised(job.media[0], layers=2)))
    pulled = media(with_media(job, revised(job.media[0], stretched=0.25)))
    for one, ratio in ((double, 2.0), (pulled, 0.8)):
        assert one.capacity_m == pytest.approx(ratio * plain.capacity_m)
        assert np.array(one.transmissivity_m3) == pytest.approx(ratio * np.array(plain.transmissivity_m3))
