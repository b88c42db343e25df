"""Shoot: what somebody sees. Bubbles, told apart by how they come, and how deep the bucket stands."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal

from PySide6.QtWidgets import QVBoxLayout

from bibulon.cautions.bubbles import WAYS, BubbleCause, BubblesSeen, bubbles_told
from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.durations import run_clock
from bibulon.plumbing.bucket import mass_kg, runs_dry_at_s
from bibulon.quantities import show
from bibulon.quantity_text import parse
from bibulon.remembered import ByIdentity


class BubblesSection:
    """How bubbles come on a *bench*, what they are by that, and what to do; *guarded* writes to the log."""

    def __init__(self, bench: Bench, guarded: Callable[[Callable[[], None]], bool]) -> None:
        self.bench, self.document, self.guarded = bench, bench.document, guarded
        self.way: BubblesSeen | Literal[""] = ""

    def build(self) -> None:
        self.bench.choice(
            "Bubbles", lambda: [("none", ""), *((way, way) for way in WAYS)], lambda: self.way, self._show,
            "How they come says what they are.",
        )  # fmt: skip
        self.bench.watch(self._key, column(3), self._fill)

    def _show(self, way: BubblesSeen | Literal[""]) -> None:
        self.way = way
        self.bench.refresh()

    def _key(self) -> object:
        return self.way, ByIdentity(self.document.assessment) if self.way else None

    def _fill(self, layout: QVBoxLayout) -> None:
        if self.way:
            told = bubbles_told(self.document.assessment, self.way, self.bench.desk.run.latest("vacuum"))
            layout.addWidget(label(told.cause, "figure"))
            layout.addWidget(label(f"{told.because} {told.do}"))
            self.bench.button("Log it", partial(self._log, self.way, told), into=layout)

    def _log(self, way: BubblesSeen, told: BubbleCause) -> None:
        text = f"Bubbles {way}: {told.cause[:1].lower()}{told.cause[1:]}."
        if self.guarded(lambda: self.bench.desk.run.log("note", text=text)):
            self._show("")


class BucketSection:
    """How deep the resin stands in the bucket of a *bench*, and how long it lasts; *guarded* writes to the log."""

    def __init__(self, bench: Bench, guarded: Callable[[Callable[[], None]], bool]) -> None:
        self.bench, self.document, self.guarded = bench, bench.document, guarded
        self.lasts = ""
        """How long the bucket lasts, as it was measured last."""

    def build(self) -> None:
        hint = "How deep the resin stands in it: how long it lasts."
        field = self.bench.add(FreeField("Bucket stands", lambda: "", self._take, hint))
        field.editor.setPlaceholderText("depth of resin")
        self.bench.watch(lambda: self.lasts, column(3), self._fill)

    def _fill(self, layout: QVBoxLayout) -> None:
        if self.lasts:
            layout.addWidget(label(self.lasts, "figure"))
            self.bench.button("Log the depth", self._log, into=layout)

    def _log(self) -> None:
        if self.guarded(lambda: self.bench.desk.run.log("note", text=self.lasts)):
            self.lasts = ""
            self.bench.refresh()

    def _take(self, text: str) -> None:
        job, assessment, clock = self.document.job, self.document.assessment, self.bench.desk.run.clock_s
        depth_m = parse(text, "thickness", assessment.units)
        shape = job.plumbing.bucket
        if not shape.known:
            raise ValueError("Say at Lines how wide and high this bucket is.")
        if not 0 <= depth_m <= shape.height_m:
            high = show(shape.height_m, "length", assessment.units)
            raise ValueError(f"This bucket is {high} high.")
        mass = mass_kg(job, depth_m) or 0.0
        times, drawn = assessment.drawn_curve
        dry_s = runs_dry_at_s(job, times, drawn, clock, mass)
        until = "lasts until the end as planned" if dry_s is None else f"is down to its heel at {run_clock(dry_s)}"
        depth = show(depth_m, "length", assessment.units)
        self.lasts = f"{depth} deep: {show(mass, 'mass', assessment.units)} in the bucket, which {until}."
        self.bench.refresh()
