"""Files from outside are read by a process of their own that has so much processor time and memory and no more.

A small file may ask for any amount of work: blocks within blocks, copies of copies. Where the budget is used up the
process ends and the file is refused in plain words; whatever else its libraries do stays in there too.
"""

from __future__ import annotations

import logging
import warnings
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from bibulon.refusal import Refusal
from bibulon.workers.process import Limits, OverLimit, WorkerDied, WorkerProcess
from bibulon.workers.report import Report

SECONDS, SECONDS_PER_MB = 5, 2.0
"""Processor time: for any file, and more for each megabyte of it."""
MEMORY_BYTES = 1_000_000_000
Read = TypeVar("Read")


class TooMuch(Refusal):
    """Reading a file takes more work or memory than it is given."""


def size_of(path: Path, most_bytes: int, refusal: type[Refusal]) -> int:
    """The size (bytes) of the file at *path*. Raises *refusal* if it cannot be read, is empty or larger than that."""
    try:
        size = path.stat().st_size
    except OSError as error:
        raise refusal(f"“{path.name}” cannot be read ({error.strerror or error}).") from error
    if size == 0:
        raise refusal(f"“{path.name}” is empty.")
    if size > most_bytes:
        raise refusal(f"“{path.name}” has {size / 1e6:.0f} MB; more than {most_bytes / 1e6:.0f} MB is not read.")
    return size


def read_within(
    read: Callable[[Path], Read], path: Path, report: Report | None = None, seconds: float = SECONDS
) -> Read:
    """What *read*, a function of a module, returns for the file at *path*, in so many *seconds* of processor time at
    most (and more for a large file).

    Raises what *read* raises, :class:`TooMuch`, and :class:`~bibulon.workers.report.Cancelled` if *report* is
    cancelled meanwhile.
    """
    try:
        size_mb = path.stat().st_size / 1e6
    except OSError:
        size_mb = 0.0  # the reader says why
    limit_s = round(seconds + SECONDS_PER_MB * size_mb)
    reader = WorkerProcess("reader", Limits(limit_s, MEMORY_BYTES), patience_s=0.0)
    try:
        return reader.run(_read_quietly, report or Report(), read, path)
    except OverLimit as over:
        amount = f"{limit_s} s of work" if over.resource == "time" else f"{MEMORY_BYTES / 1e9:.0f} GB of memory"
        why = f"reading it takes more than {amount}. Leave out all that is not the part."
    except WorkerDied:
        why = "its reader broke down. It is damaged or not what its name says."
    finally:
        reader.close()
    raise TooMuch(f"“{path.name}” was given up: {why}")


def _read_quietly(report: Report, read: Callable[[Path], Read], path: Path) -> Read:
    logging.disable()  # what libraries say of a damaged file is for their authors
    warnings.simplefilter("ignore")
    return read(path)
