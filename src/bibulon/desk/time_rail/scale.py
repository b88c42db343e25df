"""The clock of the time rail on the screen."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Scale:
    """From ``start_s`` at ``left`` to ``end_s`` at ``right``, in pixels."""

    start_s: float
    end_s: float
    left: float
    right: float

    def x(self, time_s: float) -> float:
        return self.left + (time_s - self.start_s) / (self.end_s - self.start_s) * (self.right - self.left)

    def time(self, x: float) -> float:
        return self.start_s + (x - self.left) / (self.right - self.left) * (self.end_s - self.start_s)
