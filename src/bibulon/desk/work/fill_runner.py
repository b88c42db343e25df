"""Fills off the interface thread: one worker process, newest question first, stale ones cancelled.

The worker answers a live question (a line under the hand) on a coarse mesh only, a settled one on the coarse and then
the fine mesh. A process keeps the mesher's global state and the numerics away from the window.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import resource
import threading
import time
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection
from typing import Any

from PySide6.QtCore import QObject, Signal

from bibulon.arrays import Floats
from bibulon.desk.work.apart import BEHIND_THE_HAND
from bibulon.fineness import FULL_LEVELS, FULL_NODES, PREVIEW_NODES
from bibulon.flow.causes import Cause
from bibulon.flow.raster import Canvas, Grid
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.edits import revised
from bibulon.parent_watch import end_with
from bibulon.remembered import Newest

PROGRESS_EVERY_S = 0.1
MOST_DEATHS = 3
ANSWERS_KEPT = 6
"""Each takes some 20 MB."""
MOST_WORK_S, MOST_MEMORY_BYTES = 1200.0, 4_000_000_000
"""Processor time and memory that one fill may take."""
FINE_PICTURE, COARSE_PICTURE = 900, 300


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Face:
    """The front as seen from one side: arrival times at the mesh's points, their picture and their contours."""

    times_s: Floats
    grid: Grid
    contours: tuple[tuple[float, Floats], ...]


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class FillAnswer:
    """A fill with the pictures of it: resin ``through`` to the last level, ``seen`` under the film, and a ``canvas``
    for whatever else is to be seen of it."""

    result: FillResult
    through: Face
    seen: Face
    canvas: Canvas
    final: bool = True
    causes: tuple[Cause, ...] = ()
    """What holds the fill back; looked for in full fills only."""


def _picture(result: FillResult, final: bool) -> FillAnswer:
    from bibulon.flow.contours import contour, round_levels

    levels = round_levels(result.end_s)
    canvas = Canvas(result.mesh, COARSE_PICTURE)
    front = Canvas(result.mesh, FINE_PICTURE) if final else canvas

    def face(times_s: Floats) -> Face:
        lines = tuple((level, contour(result.mesh, times_s, level)) for level in levels)
        return Face(times_s, front.draw(times_s), lines)

    return FillAnswer(result, face(result.arrival_s), face(result.seen_s), canvas, final)


def _serve(pipe: Connection, newest: Any, nodes: tuple[int, int]) -> None:
    """The worker's loop."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_DATA, (MOST_MEMORY_BYTES, MOST_MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    end_with(os.getppid())
    os.nice(BEHIND_THE_HAND)
    answers = _Answers()
    while True:
        try:
            number, job, live = pipe.recv()
        except (EOFError, OSError):
            return
        if number == newest.value:
            try:
                _answer(pipe, newest, number, job, live, nodes, answers)
            except OSError:  # the window has gone
                return


class _Answers:
    """The newest full answers, so that a job that comes back, as by undo, has its fill at once."""

    def __init__(self) -> None:
        self._kept = Newest[Job, FillAnswer](ANSWERS_KEPT)

    @staticmethod
    def _plan(job: Job) -> Job:
        """*job* without what was logged, which no fill reads and which grows."""
        return job.model_copy(update={"run": (), "hold_tests": ()})

    def get(self, job: Job) -> FillAnswer | None:
        return self._kept.get(self._plan(job))

    def put(self, job: Job, answer: FillAnswer) -> None:
        self._kept.put(self._plan(job), answer)


def _answer(
    pipe: Connection,
    newest: Any,
    number: int,
    job: Job,
    live: bool,
    nodes: tuple[int, int],
    answers: _Answers,
) -> None:
    """Answer one question: a coarse fill, and unless it is a live one the fine fill after it; a job that was answered
    lately has the same answer at once.

    A coarse fill is let through even when it is stale (under a moving hand something has to be shown); a fine one is
    dropped. Under the hand trapped air is left out, which takes half the time.
    """
    from bibulon.flow.causes import causes_of
    from bibulon.flow.fill import Cancelled, fill
    from bibulon.flow.problem import PREVIEW_PACE, FlowRefusal, flow_problem
    from bibulon.flow.scheduled import scheduled_fill

    told, begun_s = 0.0, time.process_time()

    def progress(share: float) -> None:
        nonlocal told
        if time.monotonic() - told > PROGRESS_EVERY_S:
            told = time.monotonic()
            pipe.send(("progress", number, share))

    def progress_while_wanted(share: float) -> None:
        if number != newest.value:
            raise Cancelled
        if time.process_time() - begun_s > MOST_WORK_S:
            raise FlowRefusal(
                f"The fill of this job takes more than {MOST_WORK_S / 60:.0f} minutes of computing. Use fewer lines, "
                "regions or heights, or follow it with the command line: bibulon fill."
            )
        progress(share)

    if not live and (known := answers.get(job)) is not None:
        pipe.send(("answer", number, known))
        pipe.send(("causes", number, known.causes))
        return
    try:
        asked = job.model_copy(update={"flow": revised(job.flow, trapped_air=False)}) if live else job
        coarse = fill(flow_problem(asked, nodes[0], pace=PREVIEW_PACE), progress)
        pipe.send(("answer", number, _picture(coarse, final=False)))
        if not live:
            fine = scheduled_fill(job, nodes[1], FULL_LEVELS, after=True, progress=progress_while_wanted)
            answer = _picture(fine, final=True)
            pipe.send(("answer", number, answer))
            try:
                causes = causes_of(job, fine, progress_while_wanted)  # where a margin is missed: a second more
            except FlowRefusal:  # more work than a fill is given: the fill itself stands
                causes = ()
            answers.put(job, replace(answer, causes=causes))
            pipe.send(("causes", number, causes))
    except Cancelled:
        return
    except FlowRefusal as refusal:
        pipe.send(("refused", number, (str(refusal), refusal.place)))
    except MemoryError:
        words = f"The fill of this job takes more than {MOST_MEMORY_BYTES / 1e9:.0f} GB of memory. Use fewer lines."
        pipe.send(("refused", number, (words, None)))
    except Exception as error:  # the window must hear of anything that went wrong in here
        pipe.send(("refused", number, (f"The fill could not be computed ({error}).", None)))


class FillRunner(QObject):
    """Asks the worker and hands its answers to the interface thread."""

    answered = Signal(object)
    causes_found = Signal(object)
    """What holds the last full fill back, a tuple of causes; empty where nothing does."""
    refused = Signal(str, object)
    progressed = Signal(float)
    settled = Signal()
    """The newest question has its full answer."""
    _heard = Signal(object)

    def __init__(self, parent: QObject | None = None, nodes: tuple[int, int] = (PREVIEW_NODES, FULL_NODES)) -> None:
        """Fills on about so many mesh points: the coarse and the fine ones."""
        super().__init__(parent)
        self._nodes = nodes
        context = multiprocessing.get_context("spawn")
        self._newest = context.Value("q", 0, lock=False)  # a worker that gives way must not hold a lock
        self._context = context
        self._number = 0
        self._live = False
        self._closed = False
        self._heard.connect(self._hear)
        self._asked = threading.Condition()
        self._question: tuple[int, Job, bool] | None = None
        """What is to be sent to the worker: sending waits while that is at work, and so has a thread of its own."""
        self._start()
        self._sender = threading.Thread(target=self._send, name="fill questions", daemon=True)
        self._sender.start()

    def _start(self) -> None:
        self._pipe, far = self._context.Pipe()
        self._process = self._context.Process(
            target=_serve, args=(far, self._newest, self._nodes), name="fill", daemon=True
        )
        self._process.start()
        far.close()
        self._listener = threading.Thread(target=self._listen, args=(self._pipe,), name="fill answers", daemon=True)
        self._listener.start()

    def _send(self) -> None:
        while True:
            with self._asked:
                self._asked.wait_for(lambda: self._question is not None or self._closed)
                if self._closed or self._question is None:
                    return
                question, self._question, pipe = self._question, None, self._pipe
            with contextlib.suppress(OSError, ValueError):  # the worker has died: the listener hears of it
                pipe.send(question)

    def _listen(self, pipe: Connection) -> None:
        while True:
            try:
                message = pipe.recv()
            except (EOFError, OSError):
                message = None
            if self._closed:
                return
            try:
                self._heard.emit((pipe, message))
            except RuntimeError:
                return
            if message is None:
                return

    @property
    def busy(self) -> bool:
        return self._busy

    _busy = False
    _deaths = 0
    _shown = 0

    def ask(self, job: Job, live: bool = False) -> None:
        """Compute the fill of *job*; an earlier question is dropped."""
        self._number += 1
        self._live = live
        self._busy = True
        self._job = job
        self._newest.value = self._number
        self._put((self._number, job, live))

    def _put(self, question: tuple[int, Job, bool] | None) -> None:
        with self._asked:
            self._question = question
            self._asked.notify()

    def _restart(self) -> None:
        if self._closed:
            return
        self._process.kill()
        self._start()
        self._put((self._number, self._job, self._live))

    def _hear(self, heard: tuple[Connection, tuple[str, int, Any] | None]) -> None:
        pipe, message = heard
        if pipe is not self._pipe or self._closed:
            return
        if message is None:  # the worker died: start another and ask again, but not for ever
            self._deaths += 1
            if self._deaths > MOST_DEATHS:
                self._busy = False
                self.refused.emit("The simulator keeps stopping. Save the job and start the program again.", None)
                self.settled.emit()
            elif self._busy:
                self._restart()
            else:
                self._start()
            return
        self._deaths = 0
        what, number, content = message
        if number != self._number:
            if what == "answer" and self._live and number > self._shown:
                self._shown = number
                self.answered.emit(content)  # a little behind the hand, but moving
            return
        if what == "progress":
            self.progressed.emit(content)
            return
        self._shown = number
        if what == "refused":
            self._busy = False
            self.refused.emit(*content)
            self.settled.emit()
        elif what == "causes":
            self._busy = False
            self.causes_found.emit(content)
            self.settled.emit()
        else:
            self._busy = not self._live
            self.answered.emit(content)
            if self._live:
                self.settled.emit()

    def close(self) -> None:
        """End the worker."""
        self._closed = True
        self._put(None)
        self._newest.value = -1
        self._process.terminate()
        self._process.join(2)
        for thread in (self._sender, self._listener):  # none may speak through this object once it is gone
            thread.join(2)
        self._pipe.close()
