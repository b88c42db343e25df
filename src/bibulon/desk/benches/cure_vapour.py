"""Cure: how deep the vacuum may be before the resin boils, during the fill and after it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QVBoxLayout

from bibulon.cure.answers import safe_vacuum
from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.fields import column, label


class VapourSection:
    """The deepest vacuum on a *bench*, told anew whenever *key* changes."""

    def __init__(self, bench: Bench, key: Callable[[], object]) -> None:
        self.bench, self.key = bench, key

    def build(self) -> None:
        self.bench.section("Vacuum against vapour")
        self.bench.watch(self.key, column(2), self._fill)

    def _fill(self, layout: QVBoxLayout) -> None:
        job = self.bench.document.job
        safe = safe_vacuum(job, self.bench.document.assessment.cure_study)
        if safe is None:
            layout.addWidget(label("The card says nothing of what boils: ask the maker.", "muted"))
            return
        for words, at_k, deepest in (
            ("during the fill", safe.filling_k, safe.filling_pa), ("after it, to gel", safe.after_k, safe.after_pa),
        ):  # fmt: skip
            pressure, warm = self.bench.shown(deepest, "pressure"), self.bench.shown(at_k, "temperature")
            boils = job.vacuum_pa < deepest
            text = f"No deeper than {pressure} {words}, at {warm}."
            if boils:
                text += f" Planned: {self.bench.shown(job.vacuum_pa, 'pressure')}."
            layout.addWidget(label(text, "error" if boils and job.resin.boiling else ""))
        if safe.boiling.assumed:
            layout.addWidget(label(f"Assumed: {safe.boiling.assumed}.", "muted"))
