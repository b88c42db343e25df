"""Lay-up: groups of the ply book that are made as preforms, weighed, and tried in the mould."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any, get_args

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.job.edits import changed, revised
from bibulon.job.layup import PlyGroup, Preform
from bibulon.laminate.preform import preform_weight_kg
from bibulon.quantities import show
from bibulon.quantity_text import parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class PreformSection:
    """The groups, and what is made of them, built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        self.bench.section("Preforms")
        self.bench.watch(self._key, column(4), self._fill)

    def _key(self) -> object:
        job = self.document.job
        return job.groups, job.layup if job.groups else (), job.part if job.groups else None, self.document.settings

    def _fill(self, layout: QVBoxLayout) -> None:
        groups = self.document.job.groups
        if not groups:
            layout.addWidget(label("Group plies in the book above to make one piece of them with binder.", "muted"))
        for group in groups:
            name = f"“{group.name}” is made as a preform"
            layout.addWidget(ToggleField(name, partial(bool, group.preform), partial(self._make, group)))
            if group.preform is not None:
                self._details(group, group.preform, layout)

    def _details(self, group: PlyGroup, preform: Preform, layout: QVBoxLayout) -> None:
        units = self.document.assessment.units
        should = show(preform_weight_kg(self.document.job, group), "mass", units)
        each = f" each of {group.times}" if group.times > 1 else ""
        layout.addWidget(label(f"Should weigh {should}{each}, with its binder.", "figure"))

        def binder(text: str) -> None:
            self._put(group, "binder of preform", binder_share=parse(text, "share", units))

        def weighed(text: str) -> None:
            self._put(group, "weight of preform", weighed_kg=parse(text, "mass", units) if text.strip() else None)

        layout.addWidget(
            FreeField(
                "Binder", lambda: show(preform.binder_share, "share", units), binder, "Share of the fibre's weight."
            )
        )
        layout.addWidget(
            FreeField(
                "Weighed",
                lambda: "" if preform.weighed_kg is None else show(preform.weighed_kg, "mass", units),
                weighed,
                "What it shows on the scale, once it is made.",
            )
        )
        ways = [(way, way) for way in get_args(Preform.model_fields["fits"].annotation)]
        layout.addWidget(
            ChoiceField(
                "In the mould",
                lambda: ways,
                lambda: preform.fits,
                lambda way: self._put(group, "fit of preform", fits=way),
            )
        )

    def _make(self, group: PlyGroup, on: bool) -> None:
        self._edit("preform" if on else "no preform", revised(group, preform=Preform() if on else None))

    def _put(self, group: PlyGroup, words: str, **fields: Any) -> None:
        now = next(one for one in self.document.job.groups if one.name == group.name)
        if now.preform is not None:
            self._edit(words, revised(now, preform=revised(now.preform, **fields)))

    def _edit(self, words: str, group: PlyGroup) -> None:
        job = self.document.job
        groups = tuple(group if one.name == group.name else one for one in job.groups)
        self.document.edit(words, changed(job, groups=groups))
