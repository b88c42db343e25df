"""Resin that stands still with every feed clamped ages on; what is still to come is waited for: a batch, a vent."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import sound_jobs
from typer.testing import CliRunner

from bibulon.assess import Assessment, assess, filled
from bibulon.cautions import cautions_of
from bibulon.cli.commands import app
from bibulon.flow.fill import fill
from bibulon.flow.problem import flow_problem
from bibulon.flow.scheduled import scheduled_fill
from bibulon.job import Job
from bibulon.job.charge import PlannedBatch
from bibulon.job.edits import changed, revised
from bibulon.job.lines import AtTime, Turn
from bibulon.job.run import ALL_FEEDS, MIXING, EventKind, RunEvent, clamped_s, open_feeds
from bibulon.job.storage import save
from bibulon.planning.schedule_help import draw_of
from bibulon.record.mixed_resin import standing_batches
from bibulon.record.run_list import next_step, run_list

NODES = 400


def stopped(job: Job, from_s: float, until_s: float) -> Job:
    """With every feed clamped so long."""
    turns = (Turn(to="clamped", when=AtTime(time_s=from_s)), Turn(to="open", when=AtTime(time_s=until_s)))
    return changed(job, lines=tuple(revised(one, turns=turns) if one.kind == "feed" else one for one in job.lines))


@pytest.mark.parametrize("by_batch", [True, False])
def test_resin_ages_while_every_feed_is_clamped(by_batch: bool) -> None:
    """Rigid plies, one batch: the front is where ∫dt/μ over the times that it moves says, and gel comes no later."""
    job = sound_jobs.test_panel()
    job = changed(job, flow=revised(job.flow, swelling=False, trapped_air=False, by_batch=by_batch))
    plain = fill(flow_problem(job, 400))
    resin, third = plain.problem.resin, plain.end_s / 3
    late = fill(flow_problem(stopped(job, third, third + 1800.0), 400))
    moved = resin.fluidity_time(plain.end_s) + resin.fluidity_time(third + 1800.0) - resin.fluidity_time(third)
    ends_s = resin.time_at(moved)
    assert ends_s - plain.end_s > 1880, "thicker resin takes longer for the rest"
    assert late.end_s == pytest.approx(ends_s, rel=5e-3)
    assert late.margin_s == pytest.approx(resin.stops_s - ends_s, rel=0.01)
    assert late.mass_error < 1e-9


def followed(job: Job) -> Assessment:
    return filled(assess(job), nodes=NODES, levels=1)


def panel() -> Job:
    """In three batches and a little."""
    job = sound_jobs.test_panel()
    job = changed(job, bucket=revised(job.bucket, heel_kg=0.1))
    return changed(job, charge=revised(job.charge, largest_batch_kg=0.6))


def planned_late(job: Job, number: int, late_s: float) -> Job:
    """*job* with the batches that its fill asks for planned by hand, one of them to be mixed so much later."""
    batches = followed(job).batches
    masses = [PlannedBatch(mass_kg=batch.mass_kg) for batch in batches]
    masses[number - 1] = revised(masses[number - 1], mix_s=batches[number - 1].mix_s + late_s)
    return changed(job, charge=revised(job.charge, batches=tuple(masses)))


def test_a_batch_that_comes_late_holds_the_fill_up(tmp_path: Path) -> None:
    """It fills as if the feed had been clamped by hand for as long, and all that follows says so."""
    job = panel()
    second = followed(job).batches[1]
    late = planned_late(job, 2, 900.0)
    found = followed(late)
    (wait,) = found.fill.waits
    ready_s = second.mix_s + 900.0 + job.charge.mix_time_s
    assert (wait.batch, wait.until_s) == (2, pytest.approx(ready_s))
    assert wait.since_s == pytest.approx(second.pour_s, abs=5.0)
    batch = found.batches[1]
    assert batch.comes_late and batch.pour_s == wait.until_s
    assert batch.late_s == pytest.approx(ready_s - wait.since_s, abs=0.5)
    assert found.batches[0].used_s == pytest.approx(wait.since_s, abs=0.5), "nothing is drawn of what is not there"
    masses = tuple(revised(one, mix_s=None) for one in late.charge.batches)
    fresh = changed(late, charge=revised(late.charge, batches=masses))
    clamped = scheduled_fill(stopped(fresh, wait.since_s, wait.until_s), NODES, 1, after=True)
    assert found.fill.end_s == pytest.approx(clamped.end_s, rel=0.02)
    assert found.fill.margin_s == pytest.approx(clamped.margin_s, rel=0.02)
    assert found.fill.end_s > followed(job).fill.end_s + 800
    in_time, held_up = (draw_of(one) for one in (followed(job), found))
    assert in_time is not None and held_up is not None
    assert held_up.times_s[-1] == pytest.approx(found.fill.end_s - (wait.until_s - wait.since_s))
    assert np.diff(held_up.times_s).min() >= 0 and held_up.times_s[-1] < 1.5 * in_time.times_s[-1]
    steps = [step for step in run_list(found) if step.id in ("batch 1", "wait for B2", "mix 2", "batch 2")]
    assert [step.id for step in steps] == ["batch 1", "wait for B2", "mix 2", "batch 2"]
    assert steps[1].text == "Clamp every open feed until batch 2 is poured" and "opened again" in steps[3].detail
    save(late, path := tmp_path / "late.bibulon")
    told = json.loads(CliRunner().invoke(app, ["fill", str(path), "--json", "--nodes", str(NODES)]).output)
    assert [one["batch"] for one in told["waits"]] == [2] and told["end_s"] == pytest.approx(found.fill.end_s, rel=0.02)


def test_feeds_clamped_to_wait_for_a_batch_are_open_again_once_it_is_poured() -> None:
    """All feeds are clamped at one touch for the wait, and again at the end."""
    planned = followed(planned_late(panel(), 2, 900.0))
    steps, (wait,) = run_list(planned), planned.fill.waits
    (feed,) = planned.job.feeds
    said: list[tuple[float, EventKind, str]] = []

    def log(clock_s: float, kind: EventKind, label: str) -> str:
        """Log it; the step that is called next."""
        said.append((clock_s, kind, label))
        called = next_step(steps, logged().job.run)
        return "" if called is None else called.text

    def mass(kind: EventKind) -> dict[str, float]:
        return {"mass_kg": 0.5} if kind == "batch added" else {}

    def logged() -> Assessment:
        at = datetime(2026, 3, 1, 8, tzinfo=UTC)
        run = (
            RunEvent(
                number=number, at=at + timedelta(seconds=clock_s), clock_s=clock_s, kind=kind, label=label, **mass(kind)
            )
            for number, (clock_s, kind, label) in enumerate(said, 1)
        )
        return replace(planned, job=changed(planned.job, run=tuple(run)))

    def standing(clock_s: float) -> list[int]:
        return [one.number for one in standing_batches(logged(), datetime(2026, 3, 1, 9, tzinfo=UTC), clock_s)]

    for step in steps[: next(at for at, step in enumerate(steps) if step.id == "wait for B2")]:
        if step.label != feed.label:
            log(0.0, step.kind, step.label)
    log(0.0, "started", "")
    assert log(0.0, "valve opened", feed.label) == "Clamp every open feed until batch 2 is poured"
    assert "batch 2" in log(wait.since_s, "valve clamped", ALL_FEEDS).lower()
    log(wait.until_s - 200, "step done", MIXING.format("B2"))
    called = log(wait.until_s, "batch added", "B2")
    assert feed.label in open_feeds([feed.label], logged().job.run) and standing(wait.until_s + 60) == [2]
    while not called.startswith(f"Clamp feed {feed.label}"):
        step = next(step for step in steps if step.text == called)
        called = log(wait.until_s + 100, step.kind, step.label)
    assert len(open_feeds([feed.label], logged().job.run)) == 1
    called = log(wait.until_s + 900, "valve clamped", ALL_FEEDS)
    assert not called.startswith("Clamp") and standing(wait.until_s + 901) == []
    assert clamped_s([feed.label], logged().job.run) == wait.until_s + 900


def test_a_batch_in_time_is_waited_for_by_nobody_and_one_too_late_in_vain() -> None:
    job = panel()
    plain = followed(job).fill
    soon = followed(planned_late(job, 2, -120.0)).fill
    assert soon.waits == () and soon.end_s == pytest.approx(plain.end_s, rel=0.05)
    never = followed(planned_late(job, 2, 40_000.0)).fill
    assert never.stopped_by == "no feed open" and never.filled_fraction < 0.9
    first = followed(planned_late(job, 1, 1200.0)).fill
    assert first.waits[0].batch == 1 and first.waits[0].since_s == 0.0
    takes_s = first.end_s - first.waits[0].until_s
    assert takes_s == pytest.approx(plain.end_s, rel=0.25), "it begins so much later"
    much_later = followed(planned_late(job, 1, 30_000.0)).fill
    assert much_later.stopped_by == "filled", "what is mixed that late is fresh then"
    assert much_later.end_s - much_later.waits[0].until_s == pytest.approx(takes_s, rel=0.05)


@pytest.mark.parametrize("swelling", [True, False])
def test_air_behind_a_clamped_vent_gets_out_when_that_is_opened_again(swelling: bool) -> None:
    job = sound_jobs.test_panel()
    job = changed(job, flow=revised(job.flow, swelling=swelling))
    shut, again = Turn(to="clamped", when=AtTime(time_s=60.0)), Turn(to="open", when=AtTime(time_s=600.0))
    clamped, burst = (
        changed(job, lines=tuple(revised(one, turns=turns) if one.kind == "vent" else one for one in job.lines))
        for turns in ((shut,), (shut, again))
    )
    kept = fill(flow_problem(clamped, 300))
    assert kept.stopped_by == "trapped air"
    let_out = fill(flow_problem(burst, 300))
    assert let_out.stopped_by == "filled" and 600 <= let_out.end_s < 660
    turns = [(event.action, event.time_s) for event in let_out.events if event.line == job.vents[0].id]
    assert turns == [("clamped", pytest.approx(60.0)), ("opened", pytest.approx(600.0))]


def test_a_margin_that_a_late_batch_cost_is_not_put_down_to_anything_else() -> None:
    job = planned_late(panel(), 2, 2400.0)
    job = changed(job, charge=revised(job.charge, gel_margin_s=followed(job).fill.margin_s + 600))
    found = followed(job)
    told = {caution.id: caution.message for caution in cautions_of(found)}
    assert "margin-short" in told and found.causes[0].kind == "batch" and "fill-held-back" not in told
    share = followed(panel()).fill.end_s / found.fill.end_s
    assert found.causes[0].share == pytest.approx(share, abs=0.03)
    assert "That holds the fill back: with every batch in time the part fills in" in told["batch-comes-late"]
