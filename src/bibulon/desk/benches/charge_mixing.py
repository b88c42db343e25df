"""Charge: the mixing desk. Components and their warmth, the dose of a catalyst, what to weigh for each batch, and what
was weighed."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from bibulon.desk.benches.charge_section import ChargeSection
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.durations import clock_time
from bibulon.job.charge import MixedBatch
from bibulon.job.dosing import dose_fit, dose_of
from bibulon.job.edits import changed, revised
from bibulon.job.resin_card import Component
from bibulon.quantities import QuantityKind, Units, scale_kind, show, show_measure, show_measures
from bibulon.quantities_in_words import percent
from bibulon.quantity_text import QuantityError, cells_of, parse, parse_clock_time
from bibulon.resin.batches import Batch
from bibulon.resin.data_range import Of, guessed
from bibulon.resin.mixing import (
    measures_of,
    mixed_temperature_k,
    pot_of,
    ratios_disagree,
    warm_component_to_k,
)
from bibulon.resin.pot_life import pot_life_s
from bibulon.resin.viscosity import fresh_viscosity_pa_s
from bibulon.resin.weighed import dose_off, dose_words, ratio_words, weighed_off

THIN_PA_S = 0.1
"""No infusion resin has to be thinner at use."""
SAME_RATIO = 0.02
WARMEST_COMPONENT_K = 333.15


def _mass_of(text: str, kind: QuantityKind, component: Component, units: Units) -> float:
    """What is typed of a *component*: a mass, or a volume in a measuring cup, by its density."""
    try:
        return parse(text, kind, units)
    except QuantityError as refused:
        try:
            volume_m3 = parse(text, "volume", units)
        except QuantityError:
            raise refused from None
        return volume_m3 * component.density_kg_m3


class MixingSection(ChargeSection):
    """Warmth of the components, what to weigh, and what was weighed."""

    def build(self) -> None:
        bench = self.bench
        bench.section("Mixing")
        self.fields = column(4)
        bench.watch(self._components_key, self.fields, self._fill_fields)
        bench.figure("Mix comes to", self._mixed)
        bench.figure("Viscosity of the mix", self._viscosity)
        bench.figure("A pot of the largest batch lasts", self._pot_life)
        self.helps = column(2)
        bench.watch(self.key, self.helps, self._fill_helps)
        self.weigh = column(3)
        bench.watch(self.key, self.weigh, self._fill_weigh)
        self.mixed = column(3)
        bench.watch(self.key, self.mixed, self._fill_mixed)

    def _components_key(self) -> object:
        """What the fields show: no more, so that nothing is built anew under a typing hand."""
        job = self.document.job
        return job.resin, job.charge.component_k, job.charge.dose, job.mould_temperature_k, self.document.settings

    # -- components --------------------------------------------------------------------------------------------------

    def _fill_fields(self, layout: QVBoxLayout) -> None:
        for at, component in enumerate(self.document.job.resin.components):
            field = FreeField(
                f"{component.name} is at", partial(self._warmth, at), partial(self._set_warmth, at),
                "How warm it is when it is mixed; empty: as the shop.",
            )  # fmt: skip
            field.editor.setPlaceholderText("as the shop")
            layout.addWidget(field)
        if self.document.job.resin.dose is not None:
            field = FreeField("Dose of catalyst", self._dose, self._set_dose, "By weight of the resin.")
            layout.addWidget(field)
            layout.addWidget(label(self._dose_words(), "muted"))

    def _warmth(self, at: int) -> str:
        given = self.document.job.charge.component_k
        value = given[at] if at < len(given) else None
        return "" if value is None else self.bench.shown(value, "temperature").replace("−", "-")

    def _set_warmth(self, at: int, text: str) -> None:
        job = self.document.job
        value = parse(text, "temperature", self.document.assessment.units) if text.strip() else None
        given = [*job.charge.component_k, *[None] * len(job.resin.components)][: len(job.resin.components)]
        given[at] = value
        self.document.edit("warmth of a component", changed(job, charge=revised(job.charge, component_k=tuple(given))))

    def _dose(self) -> str:
        return percent(dose_of(self.document.job.resin), 2)

    def _set_dose(self, text: str) -> None:
        job = self.document.job
        dose = job.resin.dose
        if dose is None:
            return
        value = parse(text, "share", self.document.assessment.units) if text.strip() else None
        if value is not None and not dose.least <= value <= dose.most:
            raise QuantityError(f"The maker's range is {percent(dose.least, 2)} to {percent(dose.most, 2)}.")
        self.document.edit("dose of catalyst", changed(job, charge=revised(job.charge, dose=value)))

    def _dose_words(self) -> str:
        job = self.document.job
        dose = job.resin.dose
        assert dose is not None
        low, high = percent(dose.least, 1), percent(dose.most, 1)
        words = f"Within the maker's {low} to {high}, chosen for the temperature, never to hurry."
        fit = dose_fit(job.resin)
        if fit is not None:
            least, most = (fit.gel_s(one, job.mould_temperature_k) for one in (dose.least, dose.most))
            words += f" At the mould's temperature a thin layer gels in {show(least, 'duration')} with the least, in "
            words += f"{show(most, 'duration')} with the most."
        return words

    # -- figures -----------------------------------------------------------------------------------------------------

    def _mixed(self) -> tuple[str, str]:
        how = "Σ m·c·T / Σ m·c of the components; measure the mix, not the drums."
        return self.bench.shown(mixed_temperature_k(self.document.job), "temperature"), how

    def _viscosity(self) -> tuple[str, str]:
        job = self.document.job
        value = fresh_viscosity_pa_s(job.resin, mixed_temperature_k(job))
        low, high = (self.bench.shown(one, "viscosity") for one in (THIN_PA_S, job.house.thick_pa_s))
        shown = self._trusted(self.bench.shown(value, "viscosity"), "viscosity and gel")
        return shown, f"Of the fresh mix in its pot; infusion aims at {low} to {high}."

    def _pot_life(self) -> tuple[str, str]:
        job = self.document.job
        batches = self.document.assessment.batches
        mass = max((one.mass_kg for one in batches), default=job.charge.largest_batch_kg)
        life = pot_life_s(job.resin, mixed_temperature_k(job), mass, pot_of(job))
        how = (
            "By the heat balance of the pot, from the fitted cure."
            if job.resin.cure is not None
            else "By the sheet's pot life, for the mass and the pot: the card has no fitted cure."
        )
        lasts = self._trusted(show(life, "duration"), "pot life")
        return f"{lasts} ({self.bench.shown(mass, 'mass')})", how

    def _trusted(self, text: str, of: Of) -> str:
        """A figure at the temperature of the mix, with a word where the card has no data there."""
        job = self.document.job
        return f"{text}, guessed" if guessed(job.resin, of, mixed_temperature_k(job)) else text

    def _fill_helps(self, layout: QVBoxLayout) -> None:
        """Which component to warm, how far, where the mix is too thick; and what that costs."""
        job = self.document.job
        resin, now_k, aim = job.resin, mixed_temperature_k(job), job.house.thick_pa_s
        viscosity = fresh_viscosity_pa_s(resin, now_k)
        if viscosity <= aim:
            return
        wanted_k = now_k
        while fresh_viscosity_pa_s(resin, wanted_k) > aim and wanted_k < resin.highest_temperature_k:
            wanted_k += 0.25
        heaviest = max(range(len(resin.components)), key=lambda at: resin.components[at].parts_by_weight)
        to_k = warm_component_to_k(job, heaviest, wanted_k)
        name = resin.components[heaviest].name
        if to_k > WARMEST_COMPONENT_K or wanted_k >= resin.highest_temperature_k:
            layout.addWidget(
                label("No warmth within the card makes the mix thin enough: take a thinner system.", "muted")
            )
            return
        mass = max((one.mass_kg for one in self.document.assessment.batches), default=job.charge.largest_batch_kg)
        now, then = (pot_life_s(resin, at, mass, pot_of(job)) for at in (now_k, wanted_k))
        warm, mix, kg = (self.bench.shown(to_k, "temperature"), self.bench.shown(wanted_k, "temperature"),
                         self.bench.shown(mass, "mass"))  # fmt: skip
        words = f"{name} at {warm} makes the mix {mix} and {self.bench.shown(aim, 'viscosity')}; a pot of {kg} then "
        words += f"lasts {show(then, 'duration')} instead of {show(now, 'duration')}."
        layout.addWidget(label(words, "muted"))

    # -- weighing ----------------------------------------------------------------------------------------------------

    def _fill_weigh(self, layout: QVBoxLayout) -> None:
        job, assessment = self.document.job, self.document.assessment
        resin, units = job.resin, assessment.units
        off = ratios_disagree(resin)
        if abs(off) > SAME_RATIO:
            layout.addWidget(
                label(
                    f"By volume the card's ratio is {percent(off)} off that by weight: ask the maker which is right.",
                    "error",
                )
            )
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        for at, component in enumerate(resin.components, 1):
            grid.addWidget(label(component.name, "muted"), 0, at)
        batches = assessment.batches
        groups: list[tuple[str, float]] = []
        for batch in batches:
            if groups and abs(groups[-1][1] - batch.mass_kg) < 5e-4:
                groups[-1] = (f"{groups[-1][0].split('–')[0]}–B{batch.number}", batch.mass_kg)
            else:
                groups.append((f"B{batch.number}", batch.mass_kg))
        if len(batches) != 1:
            groups.append(("All", assessment.charge.total_kg))
        small: list[str] = []
        measures = [measures_of(resin, mass) for _, mass in groups]
        for row, (name, _) in enumerate(groups, 1):
            grid.addWidget(label(name, "figure", wrap=False), row, 0, Qt.AlignmentFlag.AlignTop)
            small += [f"{name}: {one.small} of {one.name}." for one in measures[row - 1] if one.small]
        for at, of_one in enumerate(zip(*measures, strict=True), 1):
            masses = show_measures([one.mass_kg for one in of_one], "mass", units)
            volumes = show_measures([one.volume_m3 for one in of_one], "volume", units)
            for row, (mass_text, volume_text) in enumerate(zip(masses, volumes, strict=True), 1):
                grid.addWidget(label(f"{mass_text}\n{volume_text}", wrap=False), row, at)
        layout.addLayout(grid)
        layout.addWidget(label("On the scale; the volume under it is for a measuring cup.", "muted"))
        for words in small:
            layout.addWidget(label(words, "muted"))

    # -- what was weighed --------------------------------------------------------------------------------------------

    def _fill_mixed(self, layout: QVBoxLayout) -> None:
        job = self.document.job
        batches = self.document.assessment.batches
        if not batches:
            return
        names = ", ".join(one.name.lower() for one in job.resin.components)
        layout.addWidget(label("As weighed", "figure"))
        units = self.document.assessment.units
        example = [show_measure(one.mass_kg, "mass", units) for one in measures_of(job.resin, batches[0].mass_kg)]
        example.append(self.bench.shown(mixed_temperature_k(job), "temperature"))
        example.append(clock_time(job.shot_start_s + batches[0].mix_s))
        asked = f"For each batch: {names}; temperature of the mix; time of day from which. {'; '.join(example)}. "
        asked += "Fill, margin and the batches to come are reckoned with it."
        layout.addWidget(label(asked, "muted"))
        for batch in batches:
            field = FreeField(
                f"B{batch.number}", partial(self._as_weighed, batch), partial(self._set_weighed, batch),
                "What stood on the scale, as on the mixing sheet; a volume is brought to mass by the card's density.",
            )  # fmt: skip
            layout.addWidget(field)
            if said := self._judged(batch):
                layout.addWidget(label(said[0], said[1]))

    def _record(self, batch: Batch) -> MixedBatch | None:
        return next((one for one in self.document.job.mixed if one.number == batch.number), None)

    def _as_weighed(self, batch: Batch) -> str:
        record = self._record(batch)
        if record is None:
            return ""
        cells = [show_measure(mass, "mass", self.document.assessment.units) for mass in record.masses_kg]
        if record.temperature_k is not None:
            cells.append(self.bench.shown(record.temperature_k, "temperature"))
        if record.mixed_at:
            cells.append(record.mixed_at)
        return "; ".join(cells)

    def _set_weighed(self, batch: Batch, text: str) -> None:
        job, units = self.document.job, self.document.assessment.units
        shot = job.shot_number
        others = tuple(one for one in job.charge.mixed if (one.shot, one.number) != (shot, batch.number))
        if not text.strip():
            self.document.edit(f"batch {batch.number}", changed(job, charge=revised(job.charge, mixed=others)))
            return
        cells = [cell.strip() for cell in text.split(";")] if ";" in text else cells_of(text)
        count = len(job.resin.components)
        if len(cells) < count:
            raise QuantityError(f"{count} masses are needed, one for each component; there are {len(cells)}.")
        planned = measures_of(job.resin, batch.mass_kg)
        components = zip(cells, planned, job.resin.components, strict=False)
        masses = tuple(
            _mass_of(cell, scale_kind(one.mass_kg, "mass", units), component, units)
            for cell, one, component in components
        )
        if any(mass <= 0 for mass in masses):
            raise QuantityError("A component cannot have weighed nothing.")
        temperature = parse(cells[count], "temperature", units) if len(cells) > count else None
        mixed_at = cells[count + 1] if len(cells) > count + 1 else ""
        if mixed_at:
            parse_clock_time(mixed_at)  # refused here, at the field
        record = MixedBatch(
            shot=shot, number=batch.number, masses_kg=masses, temperature_k=temperature,
            mixed_at=mixed_at,
        )  # fmt: skip
        mixed = tuple(sorted((*others, record), key=lambda one: (one.shot, one.number)))
        self.document.edit(f"batch {batch.number}", changed(job, charge=revised(job.charge, mixed=mixed)))

    def _judged(self, batch: Batch) -> tuple[str, str] | None:
        """What is to be said of a batch as it was weighed."""
        record, job = self._record(batch), self.document.job
        if record is None:
            return None
        resin, units = job.resin, self.document.assessment.units
        if wrong := ratio_words(resin, record.masses_kg, job.house.ratio_off, units):
            return f"B{batch.number}: {wrong}. Set the pot aside: it may never cure.", "error"
        if abs(dose_off(resin, record.masses_kg)) > job.house.ratio_off:
            return dose_words(job, record, units), "error"
        off = weighed_off(resin, record.masses_kg) or dose_off(resin, record.masses_kg)
        right = [f"ratio within {percent(abs(off), 1)}"]
        if record.temperature_k is not None:
            warmer = record.temperature_k - mixed_temperature_k(job)
            if abs(warmer) > job.house.mix_temperature_k:
                off_by = show(abs(warmer), "temperature difference", units)
                how = "warmer" if warmer > 0 else "colder"
                return f"B{batch.number}: the mix is {off_by} {how} than the plan counts on.", "error"
            right.append("as warm as planned")
        return f"B{batch.number}: {', '.join(right)}.", "muted"
