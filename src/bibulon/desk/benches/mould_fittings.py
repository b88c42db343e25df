"""Mould: clamps, dowels and gauges that sit on the mould."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, get_args

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.mould_halves import put_pair
from bibulon.desk.widgets import icons
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job import CLAMPED_BY_FORCE
from bibulon.job.edits import revised
from bibulon.job.pair import Fitting, FittingKind
from bibulon.mould.fittings import clamp_count, clamps_spread, fitting_of, gauge_pa, with_fitting_at, without_fitting
from bibulon.quantities import show
from bibulon.quantity_text import parse_place, place_text

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

KINDS: tuple[FittingKind, ...] = get_args(FittingKind)
PLACE = "Two lengths with a comma."


class FittingsSection:
    """What sits on the mould of a *bench*: how many of each, and the chosen one's figures."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("On the mould")
        row = QHBoxLayout()
        for kind in KINDS:
            button = bench.button(kind.capitalize(), partial(bench.desk.plan.set_tool, kind), into=row)
            icons.put(button, kind)
            button.setToolTip(f"Put a {kind} on the plan")
        bench.body.addLayout(row)
        bench.watch(
            lambda: (self.document.job.pair, bench.desk.plan.chosen, bench.desk.plan.time_s, self.document.settings,
                     self.document.assessment.fill, self.document.assessment.why_no_fill),
            column(4), self._fill,
        )  # fmt: skip

    def _fill(self, layout: QVBoxLayout) -> None:
        fittings = self.document.job.pair.fittings
        said = [
            f"{count} {kind}{'' if count == 1 else 's'}"
            for kind in KINDS
            if (count := sum(fitting.kind == kind for fitting in fittings))
        ]
        words = ", ".join(said) + "." if said else "None on the plan yet: then the number of clamps typed counts."
        layout.addWidget(label(words, "muted"))
        count = clamp_count(self.document.job)
        if self.document.job.pair.clamp.kind != "press" or self.document.job.process not in CLAMPED_BY_FORCE:
            self.bench.button(f"Spread {count} clamps evenly", partial(self._spread, count), "", layout)
        press = self.document.assessment.press
        if press is not None and press.number > count:
            words = f"Spread the {press.number} clamps that the house asks for"
            self.bench.button(words, partial(self._spread, press.number), "", layout)
        chosen = next((fitting for fitting in fittings if fitting.id == self.bench.desk.plan.chosen), None)
        if chosen is not None:
            self._card(chosen, layout)
        for fitting in fittings:
            if fitting.kind == "gauge" and fitting is not chosen:
                layout.addWidget(label(self._gauge(fitting)))

    def _spread(self, count: int) -> None:
        self.document.edit("spread clamps", clamps_spread(self.document.job, count))

    def _card(self, fitting: Fitting, layout: QVBoxLayout) -> None:
        row = QHBoxLayout()
        row.addWidget(label(f"{fitting.label or '?'}  {fitting.kind}", "figure"), 1)
        row.addWidget(tool_button("remove", f"Take off {fitting.label}", partial(self._remove, fitting)))
        layout.addLayout(row)
        layout.addWidget(
            FreeField("Its label", partial(self._label, fitting.id), partial(self._rename, fitting.id), "On the plan.")
        )
        layout.addWidget(
            FreeField("Sits at x, y", partial(self._place, fitting.id), partial(self._move, fitting.id), PLACE)
        )
        if fitting.kind == "gauge":
            layout.addWidget(label(self._gauge(fitting)))

    def _gauge(self, fitting: Fitting) -> str:
        a = self.document.assessment
        if a.fill is None:
            return a.why_no_fill
        time_s = self.bench.desk.plan.time_s
        at = a.fill.end_s if time_s is None else time_s
        value = gauge_pa(a.fill, fitting.place, at)
        if value is None:
            return f"{fitting.label} does not lie on the part."
        return f"{fitting.label} would show {show(value, 'pressure', a.units)} after {show(at, 'duration', a.units)}."

    def _remove(self, fitting: Fitting) -> None:
        self.document.edit(f"take off {fitting.label}", without_fitting(self.document.job, fitting.id))

    def _label(self, identifier: str) -> str:
        return fitting_of(self.document.job, identifier).label

    def _rename(self, identifier: str, text: str) -> None:
        renamed = tuple(
            revised(fitting, label=text.strip()) if fitting.id == identifier else fitting
            for fitting in self.document.job.pair.fittings
        )
        put_pair(self.document, "label of a fitting", fittings=renamed)

    def _place(self, identifier: str) -> str:
        return place_text(fitting_of(self.document.job, identifier).place, self.document.assessment.units)

    def _move(self, identifier: str, text: str) -> None:
        place = parse_place(text, self.document.assessment.units)
        self.document.edit("place of a fitting", with_fitting_at(self.document.job, identifier, place))
