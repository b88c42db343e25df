"""The switches of the interpreter and of libraries that hold for a whole process, in one place, with their reasons.

Measured on 29 November 2026, two cores, Python 3.11, the demo job.
"""

from __future__ import annotations

import gc
import os
import sys

SWITCH_S = 0.0005
"""How long a thread keeps the interpreter. The toolkit gives it up at every call: while another thread works, a
thousand lines are painted in 247 ms at Python's own 5 ms, in 186 ms at 1 ms, 198 ms at 0.2 ms and 249 ms at 0.05 ms."""

SUPERNODAL = 1
"""How the flow's matrices are factored: small ones entry by entry, large ones block by block. The full fill on 2,000
points and four levels takes 7.3 s so, as it does with blocks alone (2), and 14.8 s entry by entry (0)."""


ONE_THREAD = ("OPENBLAS_NUM_THREADS", "1")
"""Dense algebra on one thread, for whoever has not set it otherwise. What is solved dense here is small, thousands of
times over, and its threads wait for one another: on two busy cores the triangles of a relief of 20,000 points take 16
to 100 s so, and 0.04 s on one thread; the full fill of the demo job takes 5.7 s instead of 6.4."""


def keep_algebra_on_one_thread() -> None:
    """Set :data:`ONE_THREAD`; it holds only where NumPy has not been loaded yet."""
    os.environ.setdefault(*ONE_THREAD)


def give_way_often() -> None:
    """Have threads give the interpreter up every :data:`SWITCH_S` seconds."""
    sys.setswitchinterval(SWITCH_S)


def collect_garbage_by_hand() -> None:
    """Leave the collecting of garbage to :func:`collect_garbage_if_due`.

    The interpreter collects on whatever thread happens to run when enough has been made. Objects of Qt that stand in a
    circle of references would then be taken down on a thread that is not theirs, which ends the program.
    """
    gc.disable()


def collect_garbage_if_due() -> None:
    """Collect the oldest generation whose threshold has been passed."""
    counts, thresholds = gc.get_count(), gc.get_threshold()
    for generation in (2, 1, 0):
        if counts[generation] > thresholds[generation]:
            gc.collect(generation)
            return


def set_what_stays_aside() -> None:
    """Have what is in memory now left out of the search for garbage.

    Looking through all that the window consists of takes 115 ms, a hand's tremble; without it 0.1 ms.
    """
    gc.unfreeze()
    gc.collect()
    gc.freeze()
