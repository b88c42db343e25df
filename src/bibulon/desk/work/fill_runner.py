"""Fills for the interface, computed by one worker process: the newest question first, stale ones cancelled."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from bibulon.desk.work.background import Background
from bibulon.desk.work.fill_answers import FillAnswer, fill_answers
from bibulon.desk.work.helper_process import NICENESS
from bibulon.fineness import FULL_NODES, PREVIEW_NODES
from bibulon.flow.causes import Cause
from bibulon.flow.refusal import FlowRefusal
from bibulon.job import Job
from bibulon.workers.process import Limits, OverLimit, WorkerDied, WorkerProcess
from bibulon.workers.report import Cancelled, Report

MOST_DEATHS = 3
LIMITS = Limits(processor_s=1200.0, memory_bytes=4_000_000_000)
"""What one fill may use."""


@dataclass(frozen=True)
class Question:
    """The fill of *job* asked for; a *live* one while the hand moves."""

    number: int
    job: Job
    live: bool


class FillRunner(QObject):
    """Asks the worker and hands its answers to the interface thread."""

    answered = Signal(object)
    causes_found = Signal(object)
    """What holds the last full fill back, a tuple of causes; empty where nothing does."""
    refused = Signal(object)
    progressed = Signal(float)
    settled = Signal()
    """The newest question has its full answer."""

    def __init__(
        self,
        parent: QObject | None = None,
        nodes: tuple[int, int] = (PREVIEW_NODES, FULL_NODES),
        limits: Limits = LIMITS,
    ) -> None:
        """Fills on about so many mesh points: the coarse and the full ones."""
        super().__init__(parent)
        self._nodes, self._limits = nodes, limits
        self._newest: Question | None = None
        self._shown = self._fully_shown = 0
        self._closed = self._busy = False
        self.worker = WorkerProcess("fill", limits, niceness=NICENESS)
        self.worker.start()
        self._work = Background(self._answer, self)
        self._work.progressed.connect(self._pass_progress)
        self._work.delivered.connect(self._show)
        self._work.finished.connect(self._finish)
        self._work.failed.connect(self._fail)

    @property
    def busy(self) -> bool:
        return self._busy

    def ask(self, job: Job, live: bool = False) -> None:
        """Compute the fill of *job*; an earlier question is dropped."""
        number = 1 if self._newest is None else self._newest.number + 1
        self._newest = Question(number, job, live)
        self._busy = True
        self._work.start(self._newest)

    def close(self) -> None:
        """End the worker and wait for the thread that listens to it."""
        self._closed = True
        self._work.cancel()
        self.worker.close()
        self._work.wait()

    def _answer(self, report: Report, question: Question) -> tuple[Cause, ...]:
        """In a thread: ask the worker, and again if it dies, but not for ever."""
        for _ in range(MOST_DEATHS):
            try:
                return self.worker.run(fill_answers, report, question.job, question.live, self._nodes)
            except OverLimit as over:
                raise FlowRefusal(self._too_much(over)) from over
            except WorkerDied:
                if self._closed or report.cancelled:
                    raise Cancelled from None
        raise FlowRefusal("The simulator keeps stopping. Save the job and start the program again.")

    def _too_much(self, over: OverLimit) -> str:
        if over.resource == "memory":
            return f"The fill of this job takes more than {(self._limits.memory_bytes or 0) / 1e9:.0f} GB of memory. " \
                "Use fewer lines."  # fmt: skip
        return (
            f"The fill of this job takes more than {(self._limits.processor_s or 0) / 60:.0f} minutes of computing. "
            "Use fewer lines, regions or heights, or follow it with the command line: bibulon fill."
        )

    # -- on the interface thread -------------------------------------------------------------------------------------

    def _pass_progress(self, share: float) -> None:
        if not self._closed:
            self.progressed.emit(share)

    def _show(self, question: Question, answer: FillAnswer) -> None:
        newest = self._newest
        if self._closed or newest is None:
            return
        a_little_late = newest.live and not answer.final and question.number > self._shown  # but moving with the hand
        if question is not newest and not a_little_late:
            return
        self._shown = question.number
        if answer.final:
            self._fully_shown = question.number
        self.answered.emit(answer)

    def _finish(self, question: Question, causes: tuple[Cause, ...]) -> None:
        if self._closed or question is not self._newest:
            return
        self._busy = False
        if not question.live:
            self.causes_found.emit(causes)
        self.settled.emit()

    def _fail(self, question: Question, error: Exception) -> None:
        if self._closed or question is not self._newest:
            return
        self._busy = False
        if question.number == self._fully_shown:  # the fill itself stands; only its causes could not be looked for
            self.causes_found.emit(())
        elif isinstance(error, FlowRefusal):
            self.refused.emit(error)
        else:
            self.refused.emit(FlowRefusal(f"The fill could not be computed ({error})."))
        self.settled.emit()
