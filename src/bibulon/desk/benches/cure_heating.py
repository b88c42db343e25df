"""Cure: ramps and holds of a heated mould or an oven."""

from __future__ import annotations

import math
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.cure.answers import demould_s, post_cure
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.durations import clock_time
from bibulon.job.curing import Heats, HeatStep
from bibulon.job.edits import changed, revised
from bibulon.quantities import QuantityKind
from bibulon.quantity_text import parse, parse_moment

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

HEATS: tuple[tuple[str, Heats], ...] = (("the mould", "mould"), ("an oven", "oven"))
FIELDS: tuple[tuple[str, str, QuantityKind], ...] = (
    ("To", "to_k", "temperature"),
    ("Ramp over", "ramp_s", "duration"),
    ("Hold for", "hold_s", "duration"),
)
QUARTER_S = 900.0
NEW_TO_K = {"mould": 323.15, "oven": 333.15}


class HeatingSection:
    """Built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Ramps and holds")
        self.rows = column(4)
        bench.watch(self._key, self.rows, self._fill)
        row = QHBoxLayout()
        bench.button("Heat the mould", partial(self._add, "mould"), into=row)
        bench.button("Post-cure in an oven", partial(self._add, "oven"), into=row).setToolTip(
            "Once the part is demoulded, with the hold that brings the glass transition that is wanted"
        )
        bench.body.addLayout(row)
        begins = FreeField(
            "Heating begins", self._begins, self._set_begins,
            "Time of day, or how long after the first feed is opened as 6 h.",
        )  # fmt: skip
        begins.editor.setPlaceholderText("end of the fill")
        bench.add(begins)

    def _begins(self) -> str:
        job = self.document.job
        return "" if job.curing.begins_s is None else clock_time(job.shot_start_s + job.curing.begins_s)

    def _set_begins(self, text: str) -> None:
        job, units = self.document.job, self.document.assessment.units
        begins_s = parse_moment(text, job.shot_start_s, units) if text.strip() else None
        self.document.edit("when heating begins", changed(job, curing=revised(job.curing, begins_s=begins_s)))

    def _key(self) -> object:
        return self.document.job.curing.steps, self.document.settings

    def _fill(self, layout: QVBoxLayout) -> None:
        steps = self.document.job.curing.steps
        if not steps:
            layout.addWidget(label("None: the part cures at the temperature of the mould and the shop.", "muted"))
        for at, step in enumerate(steps):
            row = QHBoxLayout()
            what = "Mould" if step.heats == "mould" else "Oven"
            row.addWidget(label(f"{at + 1}  {what}", "figure"), 1)
            row.addWidget(tool_button("remove", f"Delete step {at + 1}", partial(self._put, "delete a step", at, None)))
            layout.addLayout(row)
            ends = partial(self._get, at, "heats"), partial(self._set, at, "heats")
            layout.addWidget(ChoiceField(f"Heats, step {at + 1}", lambda: list(HEATS), *ends))
            for name, of, kind in FIELDS:
                layout.addWidget(self._field(at, name, of, kind))

    def _field(self, at: int, name: str, of: str, kind: QuantityKind) -> FreeField:
        def take(text: str) -> None:
            self._set(at, of, parse(text, kind, self.document.assessment.units))

        return FreeField(f"{name}, step {at + 1}", lambda: self.bench.shown(self._get(at, of), kind), take)

    def _get(self, at: int, of: str) -> Any:
        steps = self.document.job.curing.steps
        return getattr(steps[min(at, len(steps) - 1)], of)

    def _set(self, at: int, of: str, value: object) -> None:
        self._put(
            f"{of.split('_')[0]} of step {at + 1}", at, revised(self.document.job.curing.steps[at], **{of: value})
        )

    def _put(self, words: str, at: int, step: HeatStep | None) -> None:
        job = self.document.job
        steps = list(job.curing.steps)
        steps[at : at + 1] = [] if step is None else [step]
        self.document.edit(words, changed(job, curing=revised(job.curing, steps=tuple(steps))))

    def _add(self, heats: Heats) -> None:
        job = self.document.job
        before = [step.to_k for step in job.curing.steps if step.heats == heats]
        step = HeatStep(heats=heats, to_k=before[-1] + 15.0 if before else NEW_TO_K[heats])
        curing = job.curing
        if heats == "oven" and not before and (study := self.document.assessment.cure_study) is not None:
            if hold := post_cure(job, study):
                step = revised(step, to_k=hold.hold_k, hold_s=QUARTER_S * math.ceil(hold.hold_s / QUARTER_S))
            if not curing.steps and curing.begins_s is None and math.isfinite(demould_s(job, study)):
                curing = revised(curing, begins_s=QUARTER_S * math.ceil(demould_s(job, study) / QUARTER_S))
        self.document.edit("a ramp and a hold", changed(job, curing=revised(curing, steps=(*curing.steps, step))))
