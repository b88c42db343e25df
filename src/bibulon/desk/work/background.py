"""The bridge from work beside the interface to Qt: a task runs in a thread, and its report becomes signals."""

from __future__ import annotations

import atexit
import threading
from collections.abc import Callable
from functools import cache

from PySide6.QtCore import QObject, Signal

from bibulon.refusal import Refusal
from bibulon.workers.report import Cancelled, Report

_running: set[Background] = set()
"""Those whose thread is at work: they outlive their owner, so that the thread never emits through what is gone."""


ENDS_IN_S = 5.0
"""At its end the program waits so long for work to hear that it is cancelled."""


def any_under_way() -> bool:
    """Whether any work runs beside the interface."""
    return bool(_running)


@cache
def _end_with_the_program() -> None:
    """Have whatever runs at the program's end cancelled before Qt takes down what it would emit through."""
    atexit.register(_end_all)  # called when the first work begins: Qt, loaded by then, is taken down after it


def _end_all() -> None:
    under_way = tuple(_running)
    for work in under_way:
        work.blockSignals(True)
        work.cancel()
    for work in under_way:
        work.wait(ENDS_IN_S)


class ThreadEnd(QObject):
    """Says that the thread of a :class:`Background` has nothing left to do, also when that is heard of no more."""

    reached = Signal()


class Background(QObject):
    """Runs one *task* at a time for an *owner*, always for the newest request.

    The task is a function ``task(report, request, …)``; the computing itself is done in worker processes. A request
    made while an earlier one is under way cancels that and follows it, unless told otherwise. When the owner goes, the
    work is cancelled and emits nothing more. Listeners should be methods of QObjects, which Qt forgets when they go.
    """

    progressed = Signal(float)
    delivered = Signal(object, object)
    """The request and a result on the way."""
    finished = Signal(object, object)
    """The request and what the task returned for it."""
    failed = Signal(object, object)
    """The request and the exception that the task raised for it."""
    ended = Signal(str)
    """All that was requested is over, with a message if the last one failed."""

    def __init__(
        self,
        task: Callable[..., object],
        owner: QObject,
        refusal: type[Exception] = Refusal,
        interrupts: bool = True,
    ) -> None:
        """*refusal* is what *task* raises with a message for the user. Where a newer request does not interrupt the one
        under way, that is finished first, so that something is seen even while requests go on coming."""
        super().__init__()
        self._task, self._refusal, self._interrupts = task, refusal, interrupts
        self._lock = threading.Lock()
        self._cancelled = threading.Event()
        self._next: tuple[object, dict[str, object]] | None = None
        self._thread: threading.Thread | None = None
        self._over = True
        self._thread_end = ThreadEnd()
        self._thread_end.reached.connect(self._release)
        owner.destroyed.connect(self._owner_is_gone)

    @property
    def busy(self) -> bool:
        return not self._over

    def start(self, request: object, **more: object) -> None:
        """Run the task for *request*, whatever is under way."""
        with self._lock:
            self._next = request, more
            if self.busy:
                if self._interrupts:
                    self._cancelled.set()
                return
            self._over = False
        _running.add(self)
        _end_with_the_program()
        self._thread = threading.Thread(target=self._run, name="background", daemon=True)
        self._thread.start()

    def wait(self, most_s: float | None = None) -> None:
        """Wait for what is under way, at most so long."""
        if (thread := self._thread) is not None:
            thread.join(most_s)

    def cancel(self) -> None:
        with self._lock:
            self._next = None
            self._cancelled.set()

    def _owner_is_gone(self) -> None:
        self.blockSignals(True)
        self.cancel()

    def _release(self) -> None:
        if not self.busy:  # else begun again meanwhile
            self.wait()  # its thread must not be the last that holds this object
            _running.discard(self)

    def _run(self) -> None:
        message = ""
        while True:
            with self._lock:
                if self._next is None:
                    self._over = True
                    break
                request, self._next = self._next, None
                self._cancelled.clear()
            message = self._run_one(*request)
        self.ended.emit(message)
        self._thread_end.reached.emit()

    def _run_one(self, request: object, more: dict[str, object]) -> str:
        """The message, if it fails."""
        report = Report(
            on_progress=self.progressed.emit,
            on_result=lambda result: self.delivered.emit(request, result),
            is_cancelled=self._cancelled.is_set,
        )
        try:
            self.finished.emit(request, self._task(report, request, **more))
        except Cancelled:
            pass
        except self._refusal as refusal:
            self.failed.emit(request, refusal)
            return str(getattr(refusal, "strerror", None) or refusal)
        except Exception as error:  # the window must hear of anything that went wrong in here
            self.failed.emit(request, error)
            return f"This could not be worked out ({error})."
        return ""
