"""Work in a process of its own: pure Python on a large job would hold the interface up from any thread."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import TypeVar, TypeVarTuple, cast

from bibulon.assess import assess
from bibulon.bag.film import BagPlan
from bibulon.cautions import found_of_plan
from bibulon.cautions.registry import Found
from bibulon.job import Job
from bibulon.job.layup import Offcut
from bibulon.laminate.cells import Laminate
from bibulon.laminate.cut_list import CutList, cut_list, left_over
from bibulon.laminate.joints import Ply
from bibulon.parent_watch import end_with
from bibulon.quantities import Units

Tell = Callable[[float], None]
"""Is told how far a piece of work is, as a share."""
Given = TypeVarTuple("Given")
Made = TypeVar("Made")


BEHIND_THE_HAND = 5
"""How far the window's own process goes before those that work for it, where there are too few processors for all."""


class Helper:
    """A process that does one thing at a time; it ends with the program, however that ends."""

    def __init__(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, far = context.Pipe()
        self._process = context.Process(target=_serve, args=(far,), name="helper", daemon=True)
        self._process.start()
        far.close()

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    def do(self, work: Callable[..., object], given: tuple[object, ...], tell: Tell) -> object:
        """What *work* makes. Raises what it raises, and EOFError or OSError if the process has died."""
        self._pipe.send((work, given))
        while True:
            what, content = self._pipe.recv()
            if what == "share":
                try:
                    tell(content)
                except BaseException:  # nobody wants it any more
                    self._process.kill()
                    raise
            elif what == "failed":
                raise content
            else:
                return content


def _serve(pipe: Connection) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with(os.getppid())
    os.nice(BEHIND_THE_HAND)
    while True:
        try:
            work, given = pipe.recv()
        except (EOFError, OSError):
            return  # the program has ended
        try:
            answer = ("made", work(lambda share: pipe.send(("share", share)), *given))
        except OSError:
            return
        except Exception as error:  # it is raised again where it was asked for
            answer = ("failed", error)
        try:
            pipe.send(answer)
        except OSError:
            return


_helper: Helper | None = None
_one_at_a_time = threading.Lock()


def apart(tell: Tell, work: Callable[[Tell, *Given], Made], *given: *Given) -> Made:
    """What *work*, a function of a module, makes, in the helper process; here if that has died. Waits for it, and
    *tell* is told how far it is."""
    global _helper
    with _one_at_a_time:
        try:
            if _helper is None or not _helper.alive:
                _helper = Helper()
            return cast(Made, _helper.do(work, given, tell))
        except (EOFError, OSError):
            _helper = None
    return work(tell, *given)


@dataclass(frozen=True)
class Ready:
    """What follows from a job before it is filled."""

    laminate: Laminate
    plies: tuple[Ply, ...]
    bag: BagPlan
    of_plan: Found


def ready(tell: Tell, job: Job, units: Units) -> Ready:
    """Work all of it out."""
    made = assess(job, units)
    laminate = made.laminate
    tell(0.3)
    plies = made.plies
    tell(0.6)
    bag = made.bag
    return Ready(laminate, plies, bag, found_of_plan(made, lambda share: tell(0.65 + 0.35 * share)))


def cut(tell: Tell, job: Job, prefix: str) -> tuple[CutList, tuple[Offcut, ...]]:
    """The cut list, and what of the cloth is left in pieces worth keeping."""
    found = cut_list(job, lambda share: tell(0.9 * share))
    return found, left_over(found, prefix)
