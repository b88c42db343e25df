"""The mixing sheet as PDF: for each batch what to weigh, when, and room to write what was weighed."""

from __future__ import annotations

from reportlab.platypus import Flowable, Spacer

from bibulon.assess import Assessment
from bibulon.cautions.safety import safety_notes
from bibulon.durations import clock_time
from bibulon.job.dosing import dose_of
from bibulon.quantities import show, show_measure, show_measures
from bibulon.quantities_in_words import percent
from bibulon.record.sheet import Sheet, sheet_pdf
from bibulon.resin.batches import out_after_s
from bibulon.resin.mixing import component_temperatures_k, measures_of, mixed_temperature_k
from bibulon.resin.pot import OUT_AT_RISE_K

MARGIN_MM = 16


def mixing_sheet_pdf(assessment: Assessment) -> bytes:
    """The sheet as PDF, A4."""
    return sheet_pdf(f"{assessment.job.name}: mixing sheet", _MixingSheet(assessment).story(), MARGIN_MM)


class _MixingSheet(Sheet):
    def story(self) -> list[Flowable]:
        job, resin = self.job, self.job.resin
        lot = f", lot {resin.lot}" if resin.lot else ""
        return [
            self.text(f"{job.name}: mixing sheet", "title"),
            self.text(f"{resin.name}{lot} · {self.show(self.assessment.charge.total_kg, 'mass')} in all", "muted"),
            Spacer(1, 4),
            *self.warmth(),
            *self.batches(),
            *self.written(),
            Spacer(1, 6),
            self.text(
                "Weigh to the figure, mix until no streaks are left, scrape walls and floor. Measure the mix, not the "
                "drums. A ratio that is off by more than the house allows is set aside: it may never cure. Gloves and "
                "eyes covered; data sheets and local rules come first.", "muted",
            ),
            *(self.text(note, "muted") for note in safety_notes(job, "charge")),
        ]  # fmt: skip

    def warmth(self) -> list[Flowable]:
        resin = self.job.resin
        parts = sum(one.parts_by_weight for one in resin.components)
        rows = [
            [
                component.name, f"{component.parts_by_weight:g}", percent(component.parts_by_weight / parts, 1),
                "–" if component.parts_by_volume is None else f"{component.parts_by_volume:g}",
                self.show(warm, "temperature"), "",
            ]
            for component, warm in zip(resin.components, component_temperatures_k(self.job), strict=True)
        ]  # fmt: skip
        mixed = self.show(mixed_temperature_k(self.job), "temperature")
        pot = "shallow trays" if self.job.charge.pot_shape == "tray" else "buckets"
        bath = self.job.charge.bath_k
        stands = f"{pot} in a bath of {self.show(bath, 'temperature')}" if bath is not None else f"{pot} in air"
        return [
            self.text("Components", "head"),
            self.table(
                ["", "Parts by weight", "Of the mix", "Parts by volume", "Planned at", "Was at"], rows,
                [56, 28, 24, 28, 22, 20], right=(1, 2, 3, 4), row_mm=8,
            ),
            Spacer(1, 3),
            self.text(f"The mix comes to {mixed}. Batches stand in {stands}.{self.dose()}"),
        ]  # fmt: skip

    def dose(self) -> str:
        resin = self.job.resin
        if resin.dose is None:
            return ""
        low, high = percent(resin.dose.least, 2), percent(resin.dose.most, 2)
        planned = percent(dose_of(resin), 2)
        return f" {resin.dose.component}: {planned} of what it is stirred into; the maker's range is {low} to {high}."

    def batches(self) -> list[Flowable]:
        job, start, units = self.job, self.job.shot_start_s, self.units
        names = [component.name for component in job.resin.components]
        rows = []
        measures = [measures_of(job.resin, batch.mass_kg) for batch in self.assessment.batches]
        columns = [
            [
                f"{mass} ({volume}){f', {one.small}' if one.small else ''}"
                for one, mass, volume in zip(
                    column,
                    show_measures([one.mass_kg for one in column], "mass", units),
                    show_measures([one.volume_m3 for one in column], "volume", units),
                    strict=True,
                )
            ]
            for column in zip(*measures, strict=True)
        ]
        for batch, weigh in zip(self.assessment.batches, zip(*columns, strict=True), strict=True):
            out = clock_time(start + batch.mix_s + out_after_s(job, batch))
            rows.append(
                [
                    f"B{batch.number}", self.show(batch.mass_kg, "mass"), *weigh, clock_time(start + batch.mix_s),
                    clock_time(start + batch.pour_s), clock_time(start + batch.usable_until_s), out,
                ]
            )  # fmt: skip
        each = 78 / max(len(names), 1)
        return [
            self.text("Weigh (by volume in brackets), mix, pour", "head"),
            self.table(
                ["", "Batch", *names, "Mix from", "Pour at", "Use by", "Out by"], rows,
                [10, 20, *[each] * len(names), 17, 17, 17, 17], right=(1,),
            ),
            Spacer(1, 3),
            self.text(
                f"Out by: {OUT_AT_RISE_K:.0f} K over the mix, too thick, or at the end of its pot "
                f"life, if it stands full. Shot starts "
                f"{clock_time(start)}; {show(job.charge.mix_time_s, 'duration')} to mix one.", "muted",
            ),
        ]  # fmt: skip

    def written(self) -> list[Flowable]:
        names = [component.name for component in self.job.resin.components]
        done = {record.number: record for record in self.job.mixed}
        rows = []
        for batch in self.assessment.batches:
            record = done.get(batch.number)
            masses = (
                [show_measure(mass, "mass", self.units) for mass in record.masses_kg] if record else [""] * len(names)
            )
            warm = self.show(record.temperature_k, "temperature") if record and record.temperature_k else ""
            rows.append([f"B{batch.number}", *masses, record.mixed_at if record else "", warm, "", ""])
        each = 78 / max(len(names), 1)
        return [
            self.text("As it was", "head"),
            self.table(
                ["", *names, "Mixed from", "Mix was", "Poured at", "Who"], rows,
                [10, *[each] * len(names), 22, 20, 22, 26], row_mm=8,
            ),
        ]  # fmt: skip
