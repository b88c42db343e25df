"""Cure: afterwards. How a green part is warmed before it is handled, and what becomes of the resin that is left."""

from __future__ import annotations

import math

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import column, label
from bibulon.durations import clock_time
from bibulon.quantities_in_words import brief, brief_on_scale
from bibulon.record.run_list import green_words


class AfterwardsSection:
    """The part off its mould, and the pots beside it."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def build(self) -> None:
        self.bench.section("Afterwards")
        self.words = column(3)
        self.bench.watch(self._key, self.words, self._fill)

    def _key(self) -> object:
        document = self.bench.document
        return document.assessment.cure_study, document.assessment.fill, document.job, document.settings

    def _clock(self, time_s: float) -> str:
        return clock_time(self.bench.document.job.shot_start_s + time_s)

    def _fill(self, layout: QVBoxLayout) -> None:
        assessment = self.bench.document.assessment
        if assessment.cure_study is not None and assessment.cure_study.stacks:
            layout.addWidget(label(green_words(assessment)))
        if assessment.fill is None:
            layout.addWidget(label("What is left of the resin follows from the fill, which is not known yet.", "muted"))
            return
        if not assessment.leftovers:
            layout.addWidget(label("Next to no resin is left in bucket and catch pots.", "muted"))
        for left in assessment.leftovers:
            mass = brief_on_scale(left.mass_kg, "mass", assessment.units)
            hot = brief(left.peak_k, "temperature", assessment.units)
            if not left.runs_away:
                layout.addWidget(label(f"{mass} left {left.where}: no warmer than {hot} by itself.", "muted"))
                continue
            cold = "not cold in a day"
            if math.isfinite(left.cold_s):
                cold = f"cold from {self._clock(left.cold_s)}"
            text = (
                f"{mass} left {left.where}: about {hot} at {self._clock(left.peak_s)} by itself, {cold}. "
                f"{'Pots stand in water' if left.under_vacuum else 'Out of the shop'} by {self._clock(left.out_by_s)}"
            )
            if left.spread_m is not None:
                text += f", or spread out at once, no deeper than {self.bench.shown(left.spread_m, 'length')}"
            layout.addWidget(label(f"{text}.", "error"))
        if any(left.runs_away for left in assessment.leftovers):
            words = "What gets so hot smokes and cracks, and pieces fly: keep off until it is cold."
            layout.addWidget(label(words, "muted"))
