"""Many calls of one function spread over worker processes through joblib, one batch at a time.

joblib's workers are shared by all who ask for them, and to break off one batch would break off the others. So batches
wait for one another, and a cancelled one is left to end by itself: what it has begun is finished, no more begun.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from queue import Empty, SimpleQueue
from threading import Event, Lock, Thread
from typing import Any, Generic, TypeVar

from joblib import Parallel, delayed

from bibulon.workers.parent_watch import end_with
from bibulon.workers.report import Progress, no_progress

LOOK_EVERY_S = 0.1
Made = TypeVar("Made")
_one_batch = Lock()


def in_parallel(
    call: Callable[..., Made],
    arguments: Sequence[tuple[Any, ...]],
    workers: int,
    progress: Progress = no_progress,
) -> Iterator[tuple[int, Made]]:
    """What *call* returns for each of the *arguments*, with its number, in the order in which they are done.

    On so many *workers* (−1: one for each core) of joblib's active backend. *progress* is called with the share done
    every tenth of a second and may raise :class:`~bibulon.workers.report.Cancelled`. Raises what *call* raises.
    """
    batch = _Batch(call, arguments, workers)
    try:
        while not _one_batch.acquire(timeout=LOOK_EVERY_S):
            progress(0.0)
        Thread(target=batch.run, name="batch", daemon=True).start()
        for number_done in range(len(arguments)):
            while (done := batch.next_done()) is None:
                progress(number_done / len(arguments))
            progress((number_done + 1) / len(arguments))
            yield done
    finally:
        batch.cancelled.set()


class _Batch(Generic[Made]):
    def __init__(self, call: Callable[..., Made], arguments: Sequence[tuple[Any, ...]], workers: int) -> None:
        self.cancelled = Event()
        self._call, self._arguments = call, arguments
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
        for number, given in enumerate(self._arguments):
            if self.cancelled.is_set():
                return
            yield delayed(_numbered)(number, self._call, given, os.getpid())

    def next_done(self) -> tuple[int, Made] | None:
        """The next that is done; None if it is being waited for."""
        try:
            done = self._done.get(timeout=LOOK_EVERY_S)
        except Empty:
            return None
        if isinstance(done, Exception):
            raise done
        return done


def _numbered(number: int, call: Callable[..., Made], given: tuple[Any, ...], asker: int) -> tuple[int, Made]:
    end_with(asker)
    return number, call(*given)
