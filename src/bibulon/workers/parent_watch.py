"""A worker process ends with the program that started it, however that ends."""

from __future__ import annotations

import os
import threading
import time

LOOK_EVERY_S = 1.0
_watching = threading.Lock()


def end_with(parent: int) -> None:
    """End this process soon after the process *parent* has gone, if that has started it; asked again, nothing more is
    begun.

    The work itself may be deep in a library for minutes, so a thread of its own looks.
    """
    if os.getppid() == parent and _watching.acquire(blocking=False):
        threading.Thread(target=_watch, args=(parent,), name="parent watch", daemon=True).start()


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(LOOK_EVERY_S)
    os._exit(1)
