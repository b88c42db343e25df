"""The shots of a series, their charts, and the cycle."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from mould_jobs import lid
from pypdf import PdfReader

from bibulon.assess import assess, filled
from bibulon.cautions import cautions_of
from bibulon.demo import DEMO_FILES, demo_job
from bibulon.exchange.series_file import series_csv
from bibulon.job import Job
from bibulon.job.edits import changed, revised, with_pair
from bibulon.job.gear_cards import TubeCard
from bibulon.job.run import ALL_FEEDS, EventKind, RunEvent
from bibulon.job.storage import dump, parse
from bibulon.mould.cycle import Cycle, cycle_of
from bibulon.mould.lives import lives_of
from bibulon.mould.shots import FIGURES, Shot, chart_of, charts_of, odd_shots, shots_of
from bibulon.planning.cycles_by_warmth import cycles_by_warmth
from bibulon.record.run_list import run_list
from bibulon.record.shot_card import shot_card_pdf
from bibulon.resin.viscosity import film_gel_s

POT = FIGURES[0]


def shot(number: int, pot_kg: float) -> Shot:
    return Shot(number, datetime(2026, 10, 5, tzinfo=UTC), {figure.name: None for figure in FIGURES} | {"pot": pot_kg})


def with_shots(job: Job, *pots_kg: float | None) -> Job:
    """*job* with a shot logged for each of those grams in the pot; None: not weighed."""
    events: list[tuple[EventKind, str, dict[str, float]]] = []
    for pot in pots_kg:
        events += [("started", "", {}), ("valve opened", "I1", {}), ("valve clamped", ALL_FEEDS, {})]
        events += [("reading", "pot", {"mass_kg": pot})] if pot is not None else []
        events += [("finished", "", {}), ("new run", "", {})]
    at = datetime(2026, 10, 5, 8, 30, tzinfo=UTC)
    return changed(job, run=tuple(
        RunEvent(number=number, at=at + timedelta(minutes=number), clock_s=7.0 * number, kind=kind, label=label, **more)
        for number, (kind, label, more) in enumerate(events, 1)
    ))  # fmt: skip


def test_the_demo_has_forty_shots_and_the_two_odd_ones_stand_out() -> None:
    job = demo_job(DEMO_FILES[2])
    shots = shots_of(job)
    assert len(shots) == 40 and set(odd_shots("light RTM", shots)) == {17, 31}
    assert "clamped late" in shots[16].note
    rows = list(csv.reader(io.StringIO(series_csv(job))))
    assert len(rows) == 41 and rows[17][rows[0].index("look")]
    assert float(rows[1][rows[0].index("pot_kg")]) == pytest.approx(shots[0].figures["pot"])


def test_limits_are_those_of_the_textbook() -> None:
    """Median ± 3.145 median ranges, ranges at 3.865 of them."""
    values = [10.0, 12.0, 11.0, 9.0, 10.0, 13.0, 12.0]
    chart = chart_of(POT, [shot(number, value) for number, value in enumerate(values, 1)])
    assert chart is not None and chart.low is not None and chart.range_limit is not None
    ranges = np.abs(np.diff(values))
    assert chart.middle == 11.0 and chart.ranges == tuple(ranges)
    assert chart.high == pytest.approx(11.0 + 3.145 * np.median(ranges))
    assert chart.range_limit == pytest.approx(3.865 * np.median(ranges))


def test_too_few_shots_have_no_limits_and_none_is_called_odd() -> None:
    shots = [shot(number, value) for number, value in enumerate([1.0, 1.0, 9.0, 1.0], 1)]
    chart = chart_of(POT, shots)
    assert chart is not None and chart.high is None and not odd_shots("light RTM", shots)


def test_a_slow_drift_is_seen_though_no_shot_is_beyond_the_limits() -> None:
    rng = np.random.default_rng(5)
    values = [*(100 + rng.normal(0, 2, 20)), *(103.2 + rng.uniform(-1.5, 1.5, 12))]
    odd = odd_shots("light RTM", [shot(number, float(value)) for number, value in enumerate(values, 1)])
    assert any(reason == "eight on one side" for reasons in odd.values() for _, reason in reasons)


@given(st.lists(st.floats(0.01, 10.0), min_size=5, max_size=60))
def test_the_unit_and_the_zero_change_no_judgement(values: list[float]) -> None:
    plain = chart_of(POT, [shot(number, round(value, 2)) for number, value in enumerate(values, 1)])
    other = chart_of(POT, [shot(number, round(value, 2) * 2 + 1) for number, value in enumerate(values, 1)])
    assert plain is not None and other is not None
    assert {n for n, why in plain.looks.items() if why == "eight on one side"} <= set(other.looks)
    assert plain.low is not None and other.low is not None
    assert other.low == pytest.approx(plain.low * 2 + 1, abs=1e-6)


def test_a_shot_counts_once_it_was_begun_and_ended() -> None:
    job = with_shots(lid(), 0.08, None, 0.09)
    assert [one.figures["pot"] for one in shots_of(job)] == [0.08, None, 0.09]
    under_way = changed(job, run=(*job.run, job.run[0].model_copy(update={"number": 999})))
    assert len(shots_of(under_way)) == 3
    assert len(charts_of(job.process, shots_of(job))) == 2  # pot and fill time


def test_a_seal_that_is_changed_in_mid_series_is_counted_from_the_next_shot_on() -> None:
    job = with_shots(lid(), *[0.08] * 40)
    job = with_pair(job, shots=580, inner_seal=revised(job.pair.inner_seal, shots=10, life_shots=45))
    assert {life.name: life.left for life in lives_of(job)} == {"mould": 0, "inner seal": 0, "outer seal": 80}
    worn = next(caution for caution in cautions_of(assess(job)) if caution.id == "past-its-life")
    assert worn.fix is not None
    job = worn.fix.apply(job)
    assert {life.name: (life.made, life.left) for life in lives_of(job)} == {
        "mould": (0, 600), "inner seal": (0, 45), "outer seal": (220, 80),
    }  # fmt: skip
    assert "past-its-life" not in {caution.id for caution in cautions_of(assess(job))}
    last = job.run[-1]
    later = [
        event.model_copy(update={"number": last.number + event.number, "at": event.at + timedelta(days=1)})
        for event in job.run[:12]
    ]
    job = parse(dump(changed(job, run=(*job.run, *later))))
    assert [life.made for life in lives_of(job)] == [2, 2, 222]


def test_the_fill_time_is_that_of_the_inlets_until_the_last_of_them_is_shut() -> None:
    """Not of the vent, that is shut later on; and an inlet that is shut and opened again is not done."""
    job = lid()
    vent = job.vents[0].label
    said: tuple[tuple[float, EventKind, str], ...] = (
        (0, "started", ""), (0, "valve opened", "I1"), (4, "valve opened", "I2"), (300, "valve clamped", ALL_FEEDS),
        (330, "valve opened", "I2"), (360, "valve clamped", "I2"), (500, "valve clamped", vent), (600, "finished", ""),
    )  # fmt: skip
    at = datetime(2026, 10, 5, 8, 30, tzinfo=UTC)

    def fills_s(*said: tuple[float, EventKind, str]) -> list[float | None]:
        events = (
            RunEvent(number=number, at=at + timedelta(seconds=clock), clock_s=clock, kind=kind, label=label)
            for number, (clock, kind, label) in enumerate(said, 1)
        )
        return [one.figures["fill time"] for one in shots_of(changed(job, run=tuple(events)))]

    assert fills_s(*said) == [360.0]
    assert fills_s(*said[:3], *said[6:]) == [None], "nobody shut the inlets"
    assert fills_s(*said[:3], said[6]) == [], "with its vent shut alone it has not ended"
    each = ((280.0, "valve clamped", "I1"), (310.0, "valve clamped", "I2"))
    assert fills_s(*said[:3], *each, said[6]) == [310.0]


def test_one_inlet_starts_the_clock_and_the_other_is_opened_with_it() -> None:
    opened = {step.label: step.detail for step in run_list(assess(lid())) if step.kind == "valve opened"}
    assert opened == {"I1": "This starts the clock.", "I2": "Together with I1."}


def test_a_cold_day_lengthens_the_cycle_and_a_warm_one_shortens_it() -> None:
    """Also where the cure has been followed through the stack, which is that of today."""
    a = filled(assess(lid()), 300)
    assert a.cure_study is not None and a.fill is not None

    def cured_s(cycle: Cycle) -> float:
        return next(step.duration_s for step in cycle.steps if step.name == "Gel and cure")

    (cold, cold_k), (warm, _) = cycles_by_warmth(a)
    resin, now_k = a.job.resin, a.job.mould_temperature_k
    stands_s = (a.cure.release_s - a.last_mixed.mixed_s) * film_gel_s(resin, cold_k) / film_gel_s(resin, now_k)
    assert cured_s(cold) == pytest.approx(a.last_mixed.mixed_s + stands_s - a.fill.end_s)
    assert 1.2 * cured_s(warm) < cured_s(a.cycle) < cured_s(cold) / 1.2


@pytest.mark.parametrize(
    ("lowers", "people", "every_s", "holder"),
    [
        (1, 2, 7020.0, "the lower half"),
        (2, 2, 3660.0, "the upper half"),
        (9, 1, 3660.0, "the upper half"),
    ],
)
def test_the_cycle_is_held_up_by_what_is_busy_longest(lowers: int, people: int, every_s: float, holder: str) -> None:
    """By hand: upper half 300 + 420 + 120 + 2220 + 600, lower half 600 + 1860 + 900 more, hands all but gel coat and
    cure."""
    job = lid()
    plan = revised(job.series.cycle, lowers=lowers, people=people, gel_coat_s=1860.0, shift_s=8 * 3600.0)
    job = changed(job, series=revised(job.series, cycle=plan))
    cycle = cycle_of(job, 120.0, 2220.0)
    assert cycle.every_s == pytest.approx(every_s) and cycle.held_up_by == holder
    assert cycle.shots_per_shift == int(8 * 3600 / every_s)
    assert cycle.with_another >= cycle.shots_per_shift


def test_moulds_of_a_hollow_part_share_no_half() -> None:
    job = demo_job(DEMO_FILES[3])
    plan = revised(job.series.cycle, lowers=2, people=9, shift_s=8 * 3600.0)
    cycle = cycle_of(changed(job, series=revised(job.series, cycle=plan)), 240.0, 4800.0)
    whole_s = plan.clean_s + plan.gel_coat_s + plan.load_s + plan.close_s + plan.vacuum_s + plan.open_s + 5040.0
    assert cycle.every_s == pytest.approx(whole_s / 2) and cycle.held_up_by == "the mould"
    assert cycle.with_another == int(8 * 3600 / (whole_s / 3))


def test_the_cost_of_a_shot_is_hands_moulds_and_thrown_tubes() -> None:
    job = lid()
    tube = job.card("hose-16", TubeCard).price
    assert tube is not None
    plan = revised(job.series.cycle, labour_per_h=50.0, mould_price=6000.0)
    job = changed(job, series=revised(job.series, cycle=plan))
    cycle = cycle_of(job, 60.0, 3600.0)
    hands_h = (plan.clean_s + plan.load_s + plan.close_s + plan.vacuum_s + 60.0 + plan.open_s) / 3600
    assert cycle.cost_per_shot == pytest.approx(50.0 * hands_h + 6000.0 / job.pair.life_shots + 3 * 1.2 * tube)


def test_the_shot_card_is_one_page_with_settings_limits_and_checks() -> None:
    a = filled(assess(demo_job(DEMO_FILES[2])), 300, levels=1)
    (page,) = PdfReader(io.BytesIO(shot_card_pdf(a))).pages
    text = page.extract_text().replace("\n", " ")
    for words in (
        "Seed-hopper lid",
        "233 mbar abs",
        "513 mbar abs",
        "Grams in the pot",
        "fingers clear",
        "relief valve",
    ):
        assert (words in text) == (words != "relief valve"), words
    chart = chart_of(POT, shots_of(a.job))
    assert chart is not None and chart.high is not None
    assert f"to {chart.high * 1000:.0f} g" in text


def test_a_jump_within_the_limits_deserves_a_look_where_it_ends_far_out() -> None:
    values = [0.100, 0.102, 0.099, 0.101, 0.100, 0.098, 0.101, 0.099, 0.0955, 0.1045, 0.100, 0.101, 0.099]
    chart = chart_of(POT, [shot(number, value) for number, value in enumerate(values, 1)])
    assert chart is not None and chart.high is not None and chart.range_limit is not None
    assert chart.low is not None and chart.low < min(values) and max(values) < chart.high
    assert chart.ranges[8] > chart.range_limit
    assert chart.looks == {10: "far from the one before"}
