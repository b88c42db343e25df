"""Shoot: the batches that stand mixed, how old each is, and how long it may still be used."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import column, label
from bibulon.durations import run_clock

SOON_S = 300.0
"""With less left a batch is shown in red."""


class MixedSection:
    """A line for each batch that stands mixed, on a *bench*: it counts down."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._left: dict[int, tuple[QLabel, QLabel]] = {}
        self._refresh = bench.watch(self._key, column(2), self._fill)

    def _key(self) -> tuple[tuple[int, bool], ...]:
        return tuple((one.number, one.left_s < SOON_S) for one in self.bench.desk.run.standing())

    def _fill(self, layout: QVBoxLayout) -> None:
        self._left = {}
        standing = self.bench.desk.run.standing()
        if not standing:
            return
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(0)
        for at, head in enumerate(("Stands mixed", "For", "To be used up in")):
            grid.addWidget(label(head, "muted", wrap=False), 0, at)
        for row, one in enumerate(standing, 1):
            age = label("", "figure", wrap=False)
            left = label("", "error" if one.left_s < SOON_S else "figure", wrap=False)
            for at, shown in enumerate((label(f"B{one.number}", "figure", wrap=False), age, left)):
                grid.addWidget(shown, row, at)
            self._left[one.number] = age, left
        grid.setColumnStretch(2, 1)
        layout.addLayout(grid)
        self._count()

    def tick(self) -> None:
        """Count on: lines come and go with the batches that stand."""
        self._refresh()
        self._count()

    def _count(self) -> None:
        for one in self.bench.desk.run.standing():
            if one.number not in self._left:
                continue
            age, left = self._left[one.number]
            age.setText(run_clock(one.age_s))
            left.setText(run_clock(one.left_s) if one.left_s > 0 else "over its time")
