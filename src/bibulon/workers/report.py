"""What a running task reports, and how it learns that its result is no longer wanted.

>>> report = Report(on_progress=print)
>>> report.progress(0.5)
0.5
>>> Report(is_cancelled=lambda: True).progress(0.5)
Traceback (most recent call last):
bibulon.workers.report.Cancelled
"""

from __future__ import annotations

import time
from collections.abc import Callable

REPORT_EVERY_S = 0.1
Progress = Callable[[float], None]
"""Is called with the share done, again and again, and raises :class:`Cancelled` to end the work."""


class Cancelled(Exception):
    """The result of a task is no longer wanted."""


def no_progress(share: float) -> None:
    """The progress of work that nobody follows."""


def within(progress: Progress, span: tuple[float, float], number: int = 0, count: int = 1) -> Progress:
    """The progress of that *number*, from 0, of *count* equal parts of what lies in the *span* of shares of some work.

    >>> within(print, (0.5, 1.0), 1, 2)(0.5)
    0.875
    """
    low, high = span
    return lambda share: progress(low + (high - low) * (number + share) / count)


class Report:
    """Passes on the progress and the results of one task, and says whether it was cancelled."""

    def __init__(
        self,
        on_progress: Progress = no_progress,
        on_result: Callable[[object], None] = lambda result: None,
        is_cancelled: Callable[[], bool] = lambda: False,
    ) -> None:
        self._on_progress, self._on_result, self._is_cancelled = on_progress, on_result, is_cancelled
        self._reported_at = -REPORT_EVERY_S

    @property
    def cancelled(self) -> bool:
        return self._is_cancelled()

    def progress(self, share: float, cancellable: bool = True) -> None:
        """Report the *share* done, passed on at most every tenth of a second, and at the end.

        Raises :class:`Cancelled` if the task was cancelled, unless this part of it is not *cancellable*.
        """
        if cancellable and self._is_cancelled():
            raise Cancelled
        if share >= 1.0 or time.monotonic() - self._reported_at >= REPORT_EVERY_S:
            self._reported_at = time.monotonic()
            self._on_progress(share)

    def result(self, result: object) -> None:
        """Pass on a result before the task is over."""
        self._on_result(result)
