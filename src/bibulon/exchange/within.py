"""Files from outside are read by a process of their own that has so much processor time and memory and no more.

A small file may ask for any amount of work: blocks within blocks, copies of copies. Where the budget is used up the
process ends and the file is refused in plain words; whatever else its libraries do stays in there too.
"""

from __future__ import annotations

import logging
import math
import multiprocessing
import os
import resource
import signal
import warnings
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

from bibulon.parent_watch import end_with

SECONDS, SECONDS_PER_MB = 5, 2.0
"""Processor time: for any file, and more for each megabyte of it."""
MEMORY_BYTES = 1_000_000_000
LOOK_EVERY_S = 0.1
Read = TypeVar("Read")


class TooMuch(ValueError):
    """Reading a file takes more work or memory than it is given; the message is for the user."""


def read_within(
    read: Callable[[Path], Read], path: Path, go_on: Callable[[], None] = lambda: None, seconds: float = SECONDS
) -> Read:
    """What *read*, a function of a module, makes of the file at *path*, in so many *seconds* of processor time at most
    (and more for a large file).

    *go_on* is called now and then and may raise to give up. Raises what *read* raises, and :class:`TooMuch`.
    """
    try:
        size_mb = path.stat().st_size / 1e6
    except OSError:
        size_mb = 0.0  # the reader says why
    limit = round(seconds + SECONDS_PER_MB * size_mb)
    context = multiprocessing.get_context("spawn")
    near, far = context.Pipe(duplex=False)
    process = context.Process(target=_serve, args=(far, read, path, limit), name="reader", daemon=True)
    process.start()
    far.close()
    try:
        while not near.poll(LOOK_EVERY_S):
            go_on()
        what, content = near.recv()
    except (EOFError, OSError):
        process.join()
        raise TooMuch(f"“{path.name}” was given up: {_why(process.exitcode, limit)}") from None
    finally:
        process.kill()
        process.join()
        near.close()
    if what == "failed":
        raise content
    made: Read = content
    return made


def _why(code: int | None, limit: int) -> str:
    if code in (-signal.SIGXCPU, -signal.SIGKILL):
        return f"reading it takes more than {limit} s of work. Leave out all that is not the part."
    if code == MEMORY_CODE:
        return f"reading it takes more than {MEMORY_BYTES / 1e9:.0f} GB of memory. Leave out all that is not the part."
    return "its reader broke down. It is damaged or not what its name says."


MEMORY_CODE = 77


def _serve(pipe: Connection, read: Callable[[Path], Any], path: Path, limit: int) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with(os.getppid())
    used = math.ceil(sum(os.times()[:2]))
    resource.setrlimit(resource.RLIMIT_CPU, (used + limit, used + limit + 1))
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    logging.disable()  # what libraries say of a damaged file is for their authors
    warnings.simplefilter("ignore")
    try:
        answer = ("made", read(path))
    except MemoryError:
        os._exit(MEMORY_CODE)
    except Exception as error:
        if isinstance(error.__cause__, MemoryError):
            os._exit(MEMORY_CODE)
        answer = ("failed", error)
    try:
        pipe.send(answer)
    except OSError:
        return
