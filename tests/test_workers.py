"""Tasks in a worker process: results, progress, cancelling, limits, death. Batches over a pool: whole,
each with its number; cancelled without harm to others."""

from __future__ import annotations

import math
import os
import threading
import time
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st
from joblib import parallel_config

from bibulon.flow.refusal import FlowRefusal
from bibulon.workers.pool import in_parallel
from bibulon.workers.process import Limits, OverLimit, WorkerDied, WorkerProcess
from bibulon.workers.report import Cancelled, Report


def squared(x: int) -> int:
    return x * x


def after(seconds: float, x: int) -> int:
    time.sleep(seconds)
    return x


def refused(x: int) -> int:
    if x == 3:
        raise ValueError("three is refused")
    return x


def whereabouts(x: int) -> int:
    return os.getpid()


@given(st.lists(st.integers(-1000, 1000), max_size=30))
def test_all_come_back_each_with_its_number(numbers: list[int]) -> None:
    found = dict(in_parallel(squared, [(x,) for x in numbers], 1))
    assert [found[k] for k in range(len(numbers))] == [x * x for x in numbers]


def test_one_that_is_given_up_lets_the_others_end_whole() -> None:
    """Two ask at once; the first is given up while its first call still runs, and is out of it before that ends."""
    found: list[tuple[int, int]] = []
    first_runs = threading.Event()
    second = threading.Thread(target=lambda: found.extend(in_parallel(after, [(0.01, x) for x in range(12)], 2)))

    def give_up(share: float) -> None:
        if not second.is_alive():
            second.start()
            first_runs.set()
            return
        raise Cancelled

    begun = time.monotonic()
    with pytest.raises(Cancelled):
        list(in_parallel(after, [(1.0, x) for x in range(40)], 2, give_up))
    left = time.monotonic() - begun
    second.join(60)
    assert first_runs.is_set() and sorted(found) == [(x, x) for x in range(12)]
    assert left < time.monotonic() - begun, "given up before the others could begin"


def test_what_fails_is_raised_where_it_is_waited_for_and_the_next_batch_runs() -> None:
    with pytest.raises(ValueError, match="three is refused"):
        list(in_parallel(refused, [(x,) for x in range(6)], 2))
    assert dict(in_parallel(squared, [(2,), (5,)], 2)) == {0: 4, 1: 25}


def test_the_calls_go_to_the_workers_that_are_chosen_round_it() -> None:
    given = [(x,) for x in range(4)]
    assert os.getpid() not in dict(in_parallel(whereabouts, given, 2)).values()
    for backend in ("threading", "sequential"):
        with parallel_config(backend=backend):
            assert set(dict(in_parallel(whereabouts, given, 2)).values()) == {os.getpid()}


# -- one worker process ----------------------------------------------------------------------------------------------


@pytest.fixture
def worker() -> Iterator[WorkerProcess]:
    made = WorkerProcess("test", Limits(processor_s=20.0), patience_s=math.inf)
    yield made
    made.close()


def count_to(report: Report, last: int, pace_s: float = 0.0) -> int:
    for number in range(last):
        report.result(number)
        report.progress(number / last)
        time.sleep(pace_s)
    return os.getpid()


def refuse(report: Report, at: tuple[float, float]) -> None:
    raise FlowRefusal("There is no way through.", at)


def end_abruptly(report: Report) -> None:
    os._exit(3)


def unsendable(report: Report) -> object:
    return lambda: None


def hold_on(report: Report) -> None:
    time.sleep(3600)


def work_on(report: Report) -> None:
    while True:
        pass


def test_a_task_reports_results_in_order_and_returns(worker: WorkerProcess) -> None:
    results: list[object] = []
    assert worker.run(count_to, Report(on_result=results.append), 5) == worker.pid != os.getpid()
    assert results == list(range(5))


def test_what_a_task_raises_is_raised_with_its_place(worker: WorkerProcess) -> None:
    with pytest.raises(FlowRefusal, match="no way through") as refused:
        worker.run(refuse, Report(), (1.0, 2.0))
    assert refused.value.place == (1.0, 2.0)
    with pytest.raises(RuntimeError):
        worker.run(unsendable, Report())
    assert worker.run(count_to, Report(), 1) == worker.pid, "and it goes on working"


def test_a_cancelled_task_ends_by_itself_and_its_process_stays(worker: WorkerProcess) -> None:
    results: list[object] = []
    report = Report(on_result=results.append, is_cancelled=lambda: len(results) > 2)
    with pytest.raises(Cancelled):
        worker.run(count_to, report, 100_000, 0.01)
    pid = worker.pid
    assert len(results) < 90_000 and worker.run(count_to, Report(), 1) == pid


def test_a_cancelled_task_that_does_not_listen_is_killed() -> None:
    worker = WorkerProcess("test", patience_s=0.0)
    with pytest.raises(Cancelled):
        worker.run(hold_on, Report(is_cancelled=lambda: True))
    assert worker.pid is None and worker.run(count_to, Report(), 1) == worker.pid
    worker.close()
    with pytest.raises(WorkerDied):
        worker.run(count_to, Report(), 1)


def test_a_worker_that_dies_or_takes_too_long_is_said_so_and_replaced() -> None:
    worker = WorkerProcess("test", Limits(processor_s=1.0))
    with pytest.raises(WorkerDied):
        worker.run(end_abruptly, Report())
    with pytest.raises(OverLimit) as over:
        worker.run(work_on, Report())
    assert over.value.resource == "time" and worker.run(count_to, Report(), 1) == worker.pid
    worker.close()
