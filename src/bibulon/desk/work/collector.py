"""Python's garbage is collected on the interface's thread alone.

The interpreter collects on whatever thread happens to run when enough has been made. Objects of Qt that stand in a
circle of references would then be taken down on a thread that is not theirs, which ends the program.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

EVERY_MS = 100


class Collector(QObject):
    """Collects what the interpreter would have collected by itself, from a timer of the interface."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(collect_if_due)
        self._timer.start(EVERY_MS)


def collect_if_due() -> None:
    """Collect the oldest generation whose threshold has been passed."""
    counts, thresholds = gc.get_count(), gc.get_threshold()
    for generation in (2, 1, 0):
        if counts[generation] > thresholds[generation]:
            gc.collect(generation)
            return
