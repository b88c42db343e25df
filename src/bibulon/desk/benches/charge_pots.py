"""Charge: pots. What batches stand in, how warm each gets by itself, and when it has to be out of the shop."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from bibulon.desk.benches.charge_section import ChargeSection
from bibulon.desk.widgets.curves_chart import Curve, CurvesChart, Drawn, Mark
from bibulon.desk.widgets.fields import column, label
from bibulon.durations import clock_time
from bibulon.job.edits import changed, revised
from bibulon.job.resin_card import PotShape
from bibulon.quantities import number_shown, show, unit_shown
from bibulon.resin.batches import Batch, course_of, out_after_s
from bibulon.resin.card_law import law_of
from bibulon.resin.mixing import mixed_temperature_k, pot_of
from bibulon.resin.pot import OUT_AT_RISE_K, PotCourse, pot_course

SHAPES: tuple[tuple[str, PotShape], ...] = (("buckets, as deep as wide", "bucket"), ("wide shallow trays", "tray"))
MOST_CURVES = 4


class PotsSection(ChargeSection):
    """What batches stand in, how warm they get there, and when they have to be out."""

    def build(self) -> None:
        bench = self.bench
        bench.section("Pots")
        bench.choice("Batches stand in", lambda: list(SHAPES), lambda: self.document.job.charge.pot_shape, self._shape)
        bench.quantity("Water bath at", "temperature", "charge/bath_k", "Empty: in the shop's air.", empty="in air")
        self.chart = CurvesChart("Temperature of each batch in its pot", 170)
        bench.body.addWidget(self.chart)
        self.words = column(2)
        bench.watch(self.key, self.words, self._fill)

    def _shape(self, shape: PotShape) -> None:
        job = self.document.job
        self.document.edit("pots", changed(job, charge=revised(job.charge, pot_shape=shape)))

    def _largest(self) -> PotCourse:
        """Of the largest batch that is allowed."""
        job = self.document.job
        mass_kg, mixed_k = job.charge.largest_batch_kg, mixed_temperature_k(job)
        return pot_course(law_of(job.resin), job.resin.density_kg_m3, mass_kg, mixed_k, pot_of(job))

    def _fill(self, layout: QVBoxLayout) -> None:
        job, units = self.document.job, self.document.assessment.units
        batches = self.document.assessment.batches
        kinds: dict[object, list[Batch]] = {}
        for batch in batches:
            kinds.setdefault((f"{batch.mass_kg:.3g}", round(batch.mixed_k, 1), batch.dose), []).append(batch)
        pots = [(course_of(job, alike[0]), alike) for alike in list(kinds.values())[:MOST_CURVES]]
        curves, marks, worst_s = [], [], 0.0
        for course, alike in pots or [(self._largest(), [])]:
            life = course.life_s if math.isfinite(course.life_s) else float(course.times_s[-1])
            used_s = max((batch.used_s - batch.mix_s for batch in alike), default=0.0)
            worst_s = max(worst_s, min(max(1.1 * used_s, 1.05 * life), float(course.times_s[-1])))
            name = " ".join(f"B{batch.number}" for batch in alike[:1]) or "largest"
            name = name if len(alike) < 2 else f"{name}–B{alike[-1].number}"
            curves.append((course, name))
            if used_s:
                marks.append(Mark(used_s / 60, f"{name} used up", upright=True))
        drawn = [
            Curve(
                course.times_s[(until := course.times_s <= worst_s)] / 60,
                np.array([number_shown(float(k), "temperature", units) for k in course.temperature_k[until]]),
                name,
            )
            for course, name in curves
        ]
        self.chart.draw(Drawn(drawn, marks[:2]), "min since mixing", unit_shown("temperature", units))
        start = job.shot_start_s
        if batches:
            grid = QGridLayout()
            grid.setHorizontalSpacing(10)
            grid.setVerticalSpacing(1)
            for at, head in enumerate(("", "When used up", "Out of the shop by")):
                grid.addWidget(label(head, "muted"), 0, at)
            for row, batch in enumerate(batches, 1):
                warm = float(course_of(job, batch).at(batch.used_s - batch.mix_s)[0])
                texts = (
                    f"B{batch.number}",
                    self.bench.shown(warm, "temperature"),
                    clock_time(start + batch.mix_s + out_after_s(job, batch)),
                )
                for at, text in enumerate(texts):
                    grid.addWidget(label(text, "" if at else "figure", wrap=False), row, at)
            layout.addLayout(grid)
            over = show(OUT_AT_RISE_K, "temperature difference", units)
            words = f"Out by: {over} over the mix, too thick, or at the end of the sheet's pot life."
            layout.addWidget(label(words, "muted"))
        if not batches:
            layout.addWidget(label("Batches follow from the fill, which is not known yet.", "muted"))
        layout.addWidget(label(f"A pot that warms by itself is swapped, not watched. {self._assumed()}", "muted"))

    def _assumed(self) -> str:
        assumed = law_of(self.document.job.resin).assumed
        return f"Assumed: {'; '.join(assumed)}." if assumed else ""
