"""Mould: what brings the resin in, step by step, and what is done once it has come."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.mould_halves import put_pair
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job.edits import changed, revised, value_at, with_value
from bibulon.job.filling import filler_volume_share, thicker_by, without_filler
from bibulon.job.pair import (
    Injection,
    InjectionStep,
    Source,
    Until,
    UntilEnd,
    UntilMass,
    UntilPressure,
    UntilTime,
    UntilVolume,
)
from bibulon.job.paths import JobPath
from bibulon.mould.shot_mass import shot_mass
from bibulon.planning.mould_recipe import recipe_for
from bibulon.quantities import QuantityKind, show
from bibulon.quantities_in_words import brief, percent
from bibulon.quantity_text import parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

UNTIL: dict[str, tuple[Callable[[InjectionStep], Until], str, QuantityKind]] = {
    "until the end": (lambda step: UntilEnd(), "", "count"),
    "until a volume": (lambda step: UntilVolume(volume_m3=0.001), "volume_m3", "volume"),
    "until a mass": (lambda step: UntilMass(mass_kg=1.0), "mass_kg", "mass"),
    "until a time": (lambda step: UntilTime(time_s=60.0), "time_s", "duration"),
    "until a pressure": (
        lambda step: UntilPressure(over_pressure_pa=step.over_pressure_pa), "over_pressure_pa", "pressure difference",
    ),
}  # fmt: skip
"""What may end a step: how one is begun, its field and what that counts in."""
UNTIL_WORDS = {"volume": "Volume", "mass": "Mass", "duration": "Ends at", "pressure difference": "To pressure"}
FIRST_RATE_M3_S = 2e-5
SOURCES: tuple[tuple[str, tuple[Source, bool]], ...] = (
    ("bucket", ("bucket", False)),
    ("pressure pot", ("pressure pot", False)),
    ("machine that mixes at its head", ("machine", True)),
    ("machine that draws from a pot", ("machine", False)),
)
"""What brings the resin, and whether that mixes it as it comes."""


class InjectionSection:
    """Source, recipe, resin and end of the injection of a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    @property
    def injection(self) -> Injection:
        return self.document.job.pair.injection

    def build(self) -> None:
        bench = self.bench
        bench.section("Injection")
        bench.choice(
            "From", lambda: list(SOURCES), self._source,
            self._choose_source,
        )  # fmt: skip
        bench.watch(self._source_key, column(4), self._fill_source)
        bench.watch(self._steps_key, column(5), self._fill_steps)
        tip = "From the present fill: as fast as the mould holds with its vent shut, and gentle at the end"
        bench.button("Propose a recipe", self._propose).setToolTip(tip)
        warm = "Where it leaves the hose."
        bench.quantity("Resin at", "temperature", "pair/injection/resin_temperature_k", warm, empty="as the shop")
        bench.add(
            ToggleField(
                "Recirculated until the hose is warm", lambda: self.injection.recirculated,
                partial(self._put, "pair/injection/recirculated"), "Else a cold slug comes first.",
            )
        )  # fmt: skip
        bench.quantity("Filler", "share", "pair/injection/filler_share", "By mass of the filled resin.")
        bench.quantity("Filler's density", "density", "pair/injection/filler_density_kg_m3")
        bench.quantity(
            "Thicker by", "factor", "pair/injection/filler_thickens", "Times as thick as without, by a cup.",
            empty="by its volume",
        )  # fmt: skip
        bench.figure("Filled resin", self._filled)
        measured = "Of the filled resin, weighed in a known volume."
        bench.quantity("Density measured", "density", "pair/injection/density_kg_m3", measured, empty="not yet")
        bench.choice(
            "Stopped", lambda: [("when the vent shows resin", "at the vent"), ("by mass", "by mass")],
            lambda: self.injection.stop, self._stop,
        )  # fmt: skip
        bench.add(
            ToggleField(
                "It stops by itself", lambda: self.injection.by_itself, partial(self._put, "pair/injection/by_itself"),
                "By a sensor at the vent or the meter; else somebody watches it.",
            )
        )  # fmt: skip
        bench.quantity("Shot mass", "mass", "pair/injection/stop_kg", "Resin in, to stop at.", empty="not set")
        bench.choice(
            "Then the vent", lambda: [("is held until gel", "held"), ("is clamped", "clamped")],
            lambda: self.injection.vent_after, partial(self._put, "pair/injection/vent_after"),
        )  # fmt: skip

    def _stop(self, by: str) -> None:
        """Stop at the vent, or by mass: by that at which the word is to be given, where none was typed."""
        edited = with_value(self.document.job, "pair/injection/stop", by)
        fill = self.document.assessment.fill
        if by == "by mass" and self.injection.stop_kg is None and fill is not None and fill.fill_time_s is not None:
            mass_kg = round(shot_mass(self.document.job, fill).stop_kg, 3)
            edited = with_value(edited, "pair/injection/stop_kg", mass_kg)
        self.document.edit("when the shot is stopped", edited)

    def _filled(self) -> tuple[str, str]:
        job, injection = self.document.job, self.injection
        resin = job.resin
        if injection.filler_share <= 0:
            return "no filler", "Then the resin is as its card has it."
        plain = without_filler(resin)
        share = filler_volume_share(injection.filler_share, injection.filler_density_kg_m3, plain.density_kg_m3)
        times = injection.filler_thickens or thicker_by(share)
        how = "as measured" if injection.filler_thickens else "by the law of stiff grains; a cup tells it better"
        words = f"Filler takes {percent(share)} of the volume; {how}. Fine fabric filters it out of the resin."
        return f"{self.bench.shown(resin.density_kg_m3, 'density')}, {times:.2g} × as thick", words

    def _source_key(self) -> object:
        injection = self.injection
        return injection.source, injection.rated_pa, self.document.job.bucket, self.document.settings

    def _fill_source(self, layout: QVBoxLayout) -> None:
        """Where an open bucket stands, or what a vessel under pressure is built for."""
        bench = self.bench
        if self.injection.source == "bucket":
            bench.quantity("Bucket below mould", "length", "bucket/below_part_m", into=layout)
            return
        rated = "The most over the atmosphere that its plate allows."
        bench.quantity("Rated for", "pressure difference", "pair/injection/rated_pa", rated, into=layout, decimals=0)

    def _source(self) -> tuple[Source, bool]:
        return self.injection.source, self.document.job.mixed_as_it_comes

    def _choose_source(self, source: tuple[Source, bool]) -> None:
        job, (kind, at_head) = self.document.job, source
        injection = revised(self.injection, source=kind, mixed_at_head=at_head or kind != "machine")
        self.document.edit("source of the resin", changed(job, pair=revised(job.pair, injection=injection)))

    def _put(self, path: JobPath, value: object) -> None:
        job = self.document.job
        if value_at(job, path) != value:
            self.document.edit(path.rsplit("/", 1)[-1].replace("_", " "), with_value(job, path, value))

    # -- the recipe --------------------------------------------------------------------------------------------------

    def _steps_key(self) -> object:
        steps = tuple((step.rate_m3_s is None, step.until.kind) for step in self.injection.steps)
        return steps, self.document.settings

    def _fill_steps(self, layout: QVBoxLayout) -> None:
        steps = self.injection.steps
        for number, step in enumerate(steps):
            head = QHBoxLayout()
            head.addWidget(label(f"Step {number + 1}", "figure"), 1)
            if len(steps) > 1:
                head.addWidget(tool_button("remove", f"Take out step {number + 1}", partial(self._remove, number)))
            layout.addLayout(head)
            last = number == len(steps) - 1
            self._step_fields(layout, number, step, last)
        self.bench.button("Add a step before the last", self._add, "", layout)

    def _step_fields(self, layout: QVBoxLayout, number: int, step: InjectionStep, last: bool) -> None:
        layout.addWidget(
            ChoiceField(
                "Holds", lambda: [("a pressure", False), ("a rate", True)],
                lambda: self._step(number).rate_m3_s is not None, partial(self._by_rate, number),
            )
        )  # fmt: skip
        if step.rate_m3_s is not None:
            layout.addWidget(self._figure(number, "Rate", "rate_m3_s", "flow rate", ""))
        words = "Over the atmosphere." if step.rate_m3_s is None else "The most that it may take over the atmosphere."
        layout.addWidget(self._figure(number, "Pressure", "over_pressure_pa", "pressure difference", words))
        if last:
            layout.addWidget(label("Until the shot is over.", "muted"))
            return
        kinds = [kind for kind in UNTIL if kind != "until the end"]
        layout.addWidget(
            ChoiceField(
                "Lasts", lambda: [(kind, kind) for kind in kinds], lambda: self._step(number).until.kind,
                partial(self._until, number),
            )
        )  # fmt: skip
        _, name, kind = UNTIL[step.until.kind]
        layout.addWidget(
            FreeField(
                UNTIL_WORDS[kind],
                partial(self._until_shown, number, name, kind),
                partial(self._put_until, number, name, kind),
            )
        )

    def _step(self, number: int) -> InjectionStep:
        steps = self.injection.steps
        return steps[min(number, len(steps) - 1)]

    def _put_step(self, number: int, step: InjectionStep) -> None:
        steps = self.injection.steps
        revised_steps = (*steps[:number], step, *steps[number + 1 :])
        put_pair(self.document, f"step {number + 1}", injection=revised(self.injection, steps=revised_steps))

    def _figure(self, number: int, name: str, field: str, kind: QuantityKind, hint: str) -> FreeField:
        def shown() -> str:
            value: Any = getattr(self._step(number), field)
            return "" if value is None else show(value, kind, self.document.assessment.units)

        def take(text: str) -> None:
            value = parse(text, kind, self.document.assessment.units)
            self._put_step(number, revised(self._step(number), **{field: value}))

        return FreeField(name, shown, take, hint)

    def _by_rate(self, number: int, on: bool) -> None:
        step = self._step(number)
        until = step.until
        if not on and isinstance(until, UntilPressure):
            until = UntilTime(time_s=60.0)
        self._put_step(number, revised(step, rate_m3_s=FIRST_RATE_M3_S if on else None, until=until))

    def _until(self, number: int, kind: str) -> None:
        step = self._step(number)
        if kind == "until a pressure" and step.rate_m3_s is None:
            self.bench.desk.show_message("A step that holds a pressure cannot last until a pressure. Give it a rate.")
            self.bench.refresh()
            return
        self._put_step(number, revised(step, until=UNTIL[kind][0](step)))

    def _until_shown(self, number: int, name: str, kind: QuantityKind) -> str:
        value = getattr(self._step(number).until, name, None)
        return "" if value is None else show(value, kind, self.document.assessment.units)

    def _put_until(self, number: int, name: str, kind: QuantityKind, text: str) -> None:
        value = parse(text, kind, self.document.assessment.units)
        step = self._step(number)
        self._put_step(number, revised(step, until=revised(step.until, **{name: value})))

    def _propose(self) -> None:
        a = self.document.assessment
        if a.fill is None:
            self.bench.desk.show_message(f"A recipe is proposed from a fill. {a.why_no_fill}")
            return
        recipe = recipe_for(a.job, a.fill)
        if recipe.job != self.document.job:
            self.document.edit("recipe", recipe.job)
        if recipe.presses_pa <= 0:
            said = "The vacuum alone: the mould holds no pressure worth having with its vent shut."
        else:
            most = brief(recipe.presses_pa, "pressure difference", a.units)
            said = f"Up to {most} over the atmosphere, which stays shut even with the vent shut; half of it at the end."
        self.bench.desk.show_message(said)

    def _add(self) -> None:
        steps, last = self.injection.steps, self.injection.steps[-1]
        before = revised(last, until=UntilTime(time_s=60.0))
        put_pair(self.document, "a step", injection=revised(self.injection, steps=(*steps[:-1], before, last)))

    def _remove(self, number: int) -> None:
        kept = [step for at, step in enumerate(self.injection.steps) if at != number]
        kept[-1] = revised(kept[-1], until=UntilEnd())
        put_pair(self.document, f"take out step {number + 1}", injection=revised(self.injection, steps=tuple(kept)))
