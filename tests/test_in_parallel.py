"""Batches spread over worker processes: whole, in number; given up without harm to others; errors told."""

from __future__ import annotations

import os
import threading
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st
from joblib import parallel_config

from bibulon.flow.fill import Cancelled
from bibulon.flow.in_parallel import in_parallel


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


def nothing() -> None:
    pass


@given(st.lists(st.integers(-1000, 1000), max_size=30))
def test_all_come_back_each_with_its_number(numbers: list[int]) -> None:
    found = dict(in_parallel(squared, [(x,) for x in numbers], 1, nothing))
    assert [found[k] for k in range(len(numbers))] == [x * x for x in numbers]


def test_one_that_is_given_up_lets_the_others_end_whole() -> None:
    """Two ask at once; the first is given up while its first call still runs, and is out of it before that ends."""
    found: list[tuple[int, int]] = []
    first_runs = threading.Event()
    second = threading.Thread(
        target=lambda: found.extend(in_parallel(after, [(0.01, x) for x in range(12)], 2, nothing))
    )

    def give_up() -> None:
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
        list(in_parallel(refused, [(x,) for x in range(6)], 2, nothing))
    assert dict(in_parallel(squared, [(2,), (5,)], 2, nothing)) == {0: 4, 1: 25}


def test_the_calls_go_to_the_workers_that_are_chosen_round_it() -> None:
    given = [(x,) for x in range(4)]
    assert os.getpid() not in dict(in_parallel(whereabouts, given, 2, nothing)).values()
    for backend in ("threading", "sequential"):
        with parallel_config(backend=backend):
            assert set(dict(in_parallel(whereabouts, given, 2, nothing)).values()) == {os.getpid()}
