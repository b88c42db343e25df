"""Many calls spread over worker processes through joblib, one batch at a time, given up as soon as the caller wishes.

joblib's workers are shared by all who ask for them, and to break off one batch would break off the others. So batches
wait for one another, and one that is given up is left to end by itself: what it has begun is finished, no more begun.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from queue import Empty, SimpleQueue
from threading import Event, Lock, Thread
from typing import Any, Generic, TypeVar

from joblib import Parallel, delayed

from bibulon.parent_watch import end_with

ASK_EVERY_S = 0.1
Made = TypeVar("Made")
_one_batch = Lock()


def in_parallel(
    call: Callable[..., Made], given: Sequence[tuple[Any, ...]], workers: int, go_on: Callable[[], None]
) -> Iterator[tuple[int, Made]]:
    """What *call* makes of each of the *given* arguments, with its number, as it is done.

    On so many *workers* (−1: one for each core) of joblib's active backend. *go_on* is called every little while and
    may raise to give up. Raises what *call* raises.
    """
    batch = _Batch(call, given, workers)
    try:
        while not _one_batch.acquire(timeout=ASK_EVERY_S):
            go_on()
        Thread(target=batch.run, name="batch", daemon=True).start()
        for _ in given:
            while (done := batch.next_done()) is None:
                go_on()
            yield done
    finally:
        batch.given_up.set()


class _Batch(Generic[Made]):
    def __init__(self, call: Callable[..., Made], given: Sequence[tuple[Any, ...]], workers: int) -> None:
        self.given_up = Event()
        self._call, self._given = call, given
        self._done: SimpleQueue[tuple[int, Made] | Exception] = SimpleQueue()
        try:  # here, for joblib keeps the backend that was chosen by thread
            self._parallel = Parallel(n_jobs=workers, return_as="generator_unordered")
        except ValueError:  # a backend that gives everything back at the end
            self._parallel = Parallel(n_jobs=workers)

    def run(self) -> None:
        try:
            for done in self._parallel(self._calls()):
                self._done.put(done)
        except Exception as error:  # to be raised where it is waited for
            self._done.put(error)
        finally:
            _one_batch.release()

    def _calls(self) -> Iterator[Any]:
        for number, given in enumerate(self._given):
            if self.given_up.is_set():
                return
            yield delayed(_numbered)(number, self._call, given, os.getpid())

    def next_done(self) -> tuple[int, Made] | None:
        """The next that is done; None if it is being waited for."""
        try:
            done = self._done.get(timeout=ASK_EVERY_S)
        except Empty:
            return None
        if isinstance(done, Exception):
            raise done
        return done


def _numbered(number: int, call: Callable[..., Made], given: tuple[Any, ...], asker: int) -> tuple[int, Made]:
    end_with(asker)
    return number, call(*given)
