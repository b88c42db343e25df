"""A worker process: runs one task at a time, reports from it, can be cancelled, and has limits.

What is sent to it is the number of the task, the task and its arguments; what comes back is messages of two parts, a
kind and its content. The number of the task that is still wanted stands in shared memory, where the worker looks each
time that its task reports progress.
"""

from __future__ import annotations

import contextlib
import math
import multiprocessing
import os
import resource
import signal
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, Concatenate, Literal, ParamSpec, TypeVar

from bibulon.workers.parent_watch import end_with
from bibulon.workers.report import Cancelled, Report

LOOK_EVERY_S = 0.02
"""How often whoever waits for a task looks whether it was cancelled."""
NOTHING_WANTED = 0
DATA_PAGES = 5
"""The column of ``/proc/PID/statm`` that counts what :data:`resource.RLIMIT_DATA` limits, in pages."""
CRASHES = (-signal.SIGSEGV, -signal.SIGABRT, -signal.SIGBUS)
MOST_OF_ITS_MEMORY = 0.5
"""A worker that crashes while it holds more than this share of its limit has run out of it: libraries in C do not look
whether they were given any."""
Arguments = ParamSpec("Arguments")
Result = TypeVar("Result")
Resource = Literal["time", "memory"]


@dataclass(frozen=True)
class Limits:
    """What one task may use: seconds of processor time and bytes of memory, None for no limit."""

    processor_s: float | None = None
    memory_bytes: int | None = None


class OverLimit(Exception):
    """A task used more than its limit of a *resource*."""

    def __init__(self, resource: Resource) -> None:
        super().__init__(resource)
        self.resource = resource


class WorkerDied(Exception):
    """The worker process ended in the midst of a task."""


class WorkerProcess:
    """A process that runs one task after another and ends with this program, however that ends.

    It is started when it is first needed or by :meth:`start`, and again after it has died.
    """

    def __init__(self, name: str, limits: Limits = Limits(), niceness: int = 0, patience_s: float = math.inf) -> None:
        """*niceness* is how far it stands back for other processes. A cancelled task that does not end by itself within
        *patience_s* is killed, with the process."""
        self._name, self._limits, self._niceness, self._patience_s = name, limits, niceness, patience_s
        self._context = multiprocessing.get_context("spawn")
        self._wanted = self._context.Value("q", NOTHING_WANTED, lock=False)  # a killed worker must not hold a lock
        self._number = 0
        self._process: multiprocessing.process.BaseProcess | None = None
        self._pipe: Connection | None = None
        self._one_at_a_time = threading.Lock()
        self._closed = False
        self._most_bytes = 0
        """The most memory it was seen to hold in this task."""

    @property
    def pid(self) -> int | None:
        """Its number in the operating system; None while it does not run."""
        process = self._process
        return process.pid if process is not None and process.is_alive() else None

    def start(self) -> None:
        """Have it running. Starting takes a second or two, in which this does not wait."""
        if self.pid is not None:
            return
        self._pipe, far = self._context.Pipe()
        self._process = self._context.Process(
            target=_serve, args=(far, self._wanted, self._limits, self._niceness), name=self._name, daemon=True
        )
        self._process.start()
        far.close()

    def run(
        self,
        task: Callable[Concatenate[Report, Arguments], Result],
        report: Report,
        *arguments: Arguments.args,
        **named: Arguments.kwargs,
    ) -> Result:
        """What *task*, a function of a module, returns. Waits for it; *report* passes on what it reports.

        Raises what the task raises, :class:`OverLimit`, :class:`WorkerDied`, and
        :class:`~bibulon.workers.report.Cancelled` if *report* is cancelled meanwhile.
        """
        while not self._one_at_a_time.acquire(timeout=LOOK_EVERY_S):
            if report.cancelled:
                raise Cancelled
        try:
            if self._closed:
                raise WorkerDied
            self.start()
            self._number += 1
            self._wanted.value = self._number
            try:
                self._send((self._number, task, arguments, named))
                result: Result = self._follow(report)
            except (EOFError, OSError) as error:
                raise self._why_it_died() from error
            return result
        finally:
            self._one_at_a_time.release()

    def close(self) -> None:
        """End it for good; a task in it ends with :class:`WorkerDied`."""
        self._closed = True
        self.kill()

    def kill(self) -> None:
        """End the process; it is started again when it is next needed."""
        self._wanted.value = NOTHING_WANTED
        process = self._process  # the thread that follows a task may let go of it meanwhile
        if process is not None:
            process.kill()
            process.join()

    def _send(self, message: object) -> None:
        assert self._pipe is not None
        self._pipe.send(message)

    def _follow(self, report: Report) -> Any:
        pipe, deadline = self._pipe, math.inf
        self._most_bytes = 0
        assert pipe is not None
        while True:
            arrived = pipe.poll(LOOK_EVERY_S)
            self._most_bytes = max(self._most_bytes, self._holds_bytes())
            if report.cancelled and deadline == math.inf:
                self._wanted.value = NOTHING_WANTED
                deadline = time.monotonic() + self._patience_s
            if time.monotonic() >= deadline:
                self.kill()
                raise Cancelled
            if not arrived:
                continue
            kind, content = pipe.recv()
            if kind == "progress":
                report.progress(content, cancellable=False)
            elif kind == "result":
                report.result(content)
            elif kind == "returned":
                return content
            elif kind == "cancelled":
                raise Cancelled
            elif kind == "over":
                raise OverLimit(content)
            else:
                raise content

    def _why_it_died(self) -> Exception:
        process, self._process = self._process, None
        if process is None:
            return WorkerDied()
        process.join()
        if process.exitcode == -signal.SIGXCPU:
            return OverLimit("time")
        most = self._limits.memory_bytes
        if most is not None and process.exitcode in CRASHES and self._most_bytes > MOST_OF_ITS_MEMORY * most:
            return OverLimit("memory")
        return WorkerDied(process.exitcode)

    def _holds_bytes(self) -> int:
        """How much of what its memory limit counts the process holds now; 0 if that cannot be read."""
        if self._limits.memory_bytes is None or self._process is None:
            return 0
        with contextlib.suppress(OSError, ValueError, IndexError):
            pages = Path(f"/proc/{self._process.pid}/statm").read_text(encoding="ascii").split()
            return int(pages[DATA_PAGES]) * resource.getpagesize()
        return 0


def _serve(pipe: Connection, wanted: Any, limits: Limits, niceness: int) -> None:
    """The worker's loop."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with(os.getppid())
    os.nice(niceness)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if limits.memory_bytes is not None:
        resource.setrlimit(resource.RLIMIT_DATA, (limits.memory_bytes, limits.memory_bytes))
    with contextlib.suppress(EOFError, OSError):  # the program has ended
        while True:
            number, task, arguments, named = pipe.recv()
            if limits.processor_s is not None:
                _limit_processor_time(limits.processor_s)
            outcome = _outcome(pipe, wanted, number, task, arguments, named)
            try:
                pipe.send(outcome)
            except OSError:
                return
            except MemoryError:
                pipe.send(("over", "memory"))
            except Exception as error:  # what cannot be sent is said in words
                pipe.send(("failed", RuntimeError(str(error))))


def _limit_processor_time(seconds: float) -> None:
    """Have this process killed by SIGXCPU once it has worked for so many more *seconds*."""
    used = math.ceil(time.process_time())
    hard = resource.getrlimit(resource.RLIMIT_CPU)[1]
    resource.setrlimit(resource.RLIMIT_CPU, (used + math.ceil(seconds), hard))


def _outcome(
    pipe: Connection, wanted: Any, number: int, task: Callable[..., object], arguments: Any, named: Any
) -> tuple[str, object]:
    """The last message of a task."""

    def send(kind: str, content: object) -> None:
        try:
            pipe.send((kind, content))
        except OSError:  # nobody is left to work for
            sys.exit(1)

    report = Report(
        on_progress=lambda share: send("progress", share),
        on_result=lambda result: send("result", result),
        is_cancelled=lambda: bool(wanted.value != number),
    )
    try:
        return "returned", task(report, *arguments, **named)
    except Cancelled:
        return "cancelled", None
    except MemoryError:
        return "over", "memory"
    except Exception as error:  # it is raised again where the task was asked for
        if isinstance(error.__cause__, MemoryError):
            return "over", "memory"
        return "failed", error
