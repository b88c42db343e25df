"""The worker behind the moving hand: what is shown while a line is dragged, and what happens when the worker dies."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest
from driving import run_apart

from bibulon.demo import demo_job
from bibulon.desk.work.fill_answers import FillAnswer
from bibulon.desk.work.fill_runner import FillRunner
from bibulon.flow.causes import Cause
from bibulon.job import Job
from bibulon.job.edits import revised, with_card, with_line
from bibulon.stock import shelf_card
from bibulon.workers.process import Limits


def with_feed_at(y_m: float) -> Job:
    job = demo_job()
    feed = job.line("feed-2")
    return with_line(job, revised(feed, points=tuple((x, y_m) for x, _ in feed.points)))


@pytest.fixture
def answers(qtbot, runner: FillRunner) -> Iterator[list[FillAnswer]]:
    """What the runner shows from here on."""
    if runner.busy:
        qtbot.waitSignal(runner.settled, timeout=240_000).wait()
    shown: list[FillAnswer] = []
    runner.answered.connect(shown.append)
    yield shown
    runner.answered.disconnect(shown.append)


def fed_at(answer: FillAnswer) -> float:
    return next(line.port[1] for line in answer.result.problem.lines if line.id == "feed-2")


def test_a_picture_a_little_behind_the_hand_is_shown(qtbot, runner: FillRunner, answers: list[FillAnswer]) -> None:
    """The hand moves on while a front is worked out: that front is shown all the same, and then the newest."""
    with qtbot.waitSignal(runner.progressed, timeout=240_000):
        runner.ask(with_feed_at(0.6), live=True)
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        runner.ask(with_feed_at(0.8), live=True)
    assert [fed_at(answer) for answer in answers] == pytest.approx([0.6, 0.8])
    assert not any(answer.final for answer in answers)


def test_when_the_hand_stops_the_full_answer_follows(qtbot, runner: FillRunner, answers: list[FillAnswer]) -> None:
    runner.ask(with_feed_at(0.6), live=True)
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        runner.ask(with_feed_at(0.7))
    last = [answer for answer in answers if fed_at(answer) == pytest.approx(0.7)]
    assert [answer.final for answer in last] == [False, True]
    assert len(last[1].result.mesh.points_m) > len(last[0].result.mesh.points_m)
    assert last[1].result.after is not None and last[1].result.stopped_by == "filled"


def test_a_job_that_comes_back_has_its_fill_at_once(qtbot, runner: FillRunner, answers: list[FillAnswer]) -> None:
    """As by undo: the same answer, with no fill begun."""
    for y_m in (0.62, 0.64, 0.62):
        began: list[float] = []
        runner.progressed.connect(began.append)
        with qtbot.waitSignal(runner.settled, timeout=240_000):
            runner.ask(with_feed_at(y_m))
        runner.progressed.disconnect(began.append)
    first, last = (answer for answer in answers if answer.final and fed_at(answer) == pytest.approx(0.62))
    assert not began and (first.result.times_s == last.result.times_s).all()


def test_a_slow_fill_is_shown_before_what_holds_it_back_is_known(
    qtbot, runner: FillRunner, answers: list[FillAnswer]
) -> None:
    job = demo_job()
    thin = revised(shelf_card("hose-6"), id="thin")
    job = with_card(job, thin)
    for feed in job.feeds:
        job = with_line(job, revised(feed, hose=thin.id, hose_length_m=12.0))
    told: list[tuple[Cause, ...]] = []
    shown_before: list[bool] = []
    runner.causes_found.connect(told.append)
    runner.causes_found.connect(lambda _: shown_before.append(answers[-1].final))
    with qtbot.waitSignal(runner.settled, timeout=120_000):
        runner.ask(job)
    runner.causes_found.disconnect()
    assert shown_before == [True] and told[0][0].kind == "hose"


def test_an_earlier_full_answer_is_dropped_for_a_newer_question(
    qtbot, runner: FillRunner, answers: list[FillAnswer]
) -> None:
    with qtbot.waitSignal(runner.progressed, timeout=240_000):
        runner.ask(with_feed_at(0.6))
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        runner.ask(with_feed_at(0.9))
    assert not any(answer.final for answer in answers if fed_at(answer) < 0.65)
    assert answers[-1].final and fed_at(answers[-1]) == pytest.approx(0.9)


def test_a_worker_that_is_killed_is_started_again_and_answers(
    qtbot, runner: FillRunner, answers: list[FillAnswer]
) -> None:
    with qtbot.waitSignal(runner.progressed, timeout=240_000):
        runner.ask(with_feed_at(0.75))
    os.kill(runner.worker.pid, signal.SIGKILL)
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        pass
    assert answers[-1].final and fed_at(answers[-1]) == pytest.approx(0.75)


def test_a_job_that_cannot_be_filled_says_where(qtbot, runner: FillRunner, answers: list[FillAnswer]) -> None:
    job = demo_job()
    feed = job.line("feed-2")
    astray = with_line(job, revised(feed, points=((20.0, 20.0), (21.0, 20.0))))
    told: list[tuple[str, object]] = []
    runner.refused.connect(lambda refusal: told.append((str(refusal), refusal.place)))
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        runner.ask(astray)
    assert told and "F2" in told[0][0] and not answers
    with qtbot.waitSignal(runner.settled, timeout=240_000):
        runner.ask(job)
    assert answers[-1].final, "and a job that can be is filled after it"


CLOSING = """
import gc, threading, time
from bibulon.demo import demo_job
from bibulon.desk.app import make_app
from bibulon.desk.work.fill_runner import FillRunner
if __name__ == "__main__":
    app, job = make_app(), demo_job()
    for turn in range(20):
        runner = FillRunner(nodes=(250, 300))
        runner.ask(job, live=True)
        end = time.monotonic() + 0.02 * (turn % 12)
        while time.monotonic() < end:
            app.processEvents()
        runner.close()
        left = [one.name for one in threading.enumerate() if one.name == "background"]
        assert not left, left
        del runner
        gc.collect()
    print("closed")
"""


def test_closing_at_any_moment_is_no_trouble(tmp_path: Path) -> None:
    """The threads that listen for answers must not speak through a runner that is going."""
    ended = run_apart(tmp_path, CLOSING)
    assert ended.returncode == 0 and ended.stdout.endswith("closed\n"), ended.stderr


@pytest.mark.parametrize(
    ("limits", "words"),
    [
        (Limits(processor_s=1.0, memory_bytes=4_000_000_000), "takes more than 0 minutes of computing"),
        (Limits(processor_s=600.0, memory_bytes=700_000_000), "takes more than 1 GB of memory"),
    ],
)
def test_a_fill_that_takes_too_much_is_given_up_in_words(qtbot, limits: Limits, words: str) -> None:
    """It is the worker's own process that is held to the limits; the next question has a worker again."""
    runner = FillRunner(nodes=(250, 60_000), limits=limits)
    said: list[str] = []
    final: list[bool] = []
    runner.refused.connect(lambda refusal: said.append(str(refusal)))
    runner.answered.connect(lambda answer: final.append(answer.final))
    try:
        with qtbot.waitSignal(runner.settled, timeout=240_000):
            runner.ask(demo_job())
        assert len(said) == 1 and words in said[0] and not any(final)
        with qtbot.waitSignal(runner.answered, timeout=240_000):
            runner.ask(demo_job(), live=True)
    finally:
        runner.close()
