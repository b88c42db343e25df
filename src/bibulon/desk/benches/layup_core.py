"""Lay-up: how core is fitted, and how resin comes to the far skin."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.widgets.fields import FreeField, column, label
from bibulon.job.cards import CoreCard
from bibulon.job.edits import with_value
from bibulon.laminate.core import (
    cut_pattern,
    duct_conductance_m4,
    groove_volume_m,
    joint_volume_m,
    lets_resin_through,
    perforation_volume_m,
)
from bibulon.quantity_text import QuantityError, parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class CoreSection:
    """Shown where there is core in the book: its ways for resin, the bevel, the joints and the gap at its edge."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def build(self) -> None:
        self.rows = column(5)
        self.bench.watch(self._key, self.rows, self._fill)

    def _cores(self) -> list[CoreCard]:
        job = self.bench.document.job
        used = {layer.card for layer in job.layup}
        return [card for card in job.cards if isinstance(card, CoreCard) and card.id in used]

    def _key(self) -> object:
        job = self.bench.document.job
        density, settings = job.resin.density_kg_m3, self.bench.document.settings
        return tuple(self._cores()), job.core_laying, job.flow.core_gap_m, density, settings

    def _fill(self, layout: QVBoxLayout) -> None:
        cores, bench = self._cores(), self.bench
        if not cores:
            return
        layout.addWidget(label("CORE", "section"))
        for core in cores:
            layout.addWidget(label(core.name, "figure"))
            layout.addWidget(label(self.ways(core), "muted"))
        joint = "Left between sheets of core, and filled by resin."
        gap = "Resin races along it. 0: none."
        layout.addWidget(FreeField("Bevel", self._bevel, self._take_bevel, "Run over rise at its edges: 3 for 1 in 3."))
        bench.quantity("Gap at joints", "thickness", "core_laying/joint_gap_m", joint, into=layout)
        bench.quantity("Gap at its edge", "thickness", "flow/core_gap_m", gap, into=layout)

    def _bevel(self) -> str:
        run = self.bench.document.job.core_laying.chamfer
        return f"1 in {run:g}" if run else "square"

    def _take_bevel(self, text: str) -> None:
        word = text.strip().lower().removeprefix("1 in ").removeprefix("1:")
        try:
            run = 0.0 if word in ("square", "none", "") else parse(word, "angle", self.bench.document.assessment.units)
        except QuantityError as error:
            raise QuantityError("Write a bevel like 1 in 3, or square.") from error
        self.bench.document.edit("bevel", with_value(self.bench.document.job, "core_laying/chamfer", run))

    def ways(self, core: CoreCard) -> str:
        """How resin passes along and through *core*, and what it takes, in words."""
        parts = [
            f"{self.bench.shown(core.thickness_m, 'thickness')} at {self.bench.shown(core.density_kg_m3, 'density')}."
        ]
        if core.grooves != "none":
            sides = (core.groove_width_m, core.groove_depth_m)
            size = " × ".join(self.bench.shown(side, "thickness") for side in sides)
            cut = cut_pattern(core).removesuffix(" and perforated").capitalize()
            parts.append(f"{cut}, {size} every {self.bench.shown(core.groove_pitch_m, 'length')}.")
        if core.perforation_pitch_m is not None:
            hole, pitch = (
                self.bench.shown(core.perforation_diameter_m, "thickness"),
                self.bench.shown(core.perforation_pitch_m, "length"),
            )
            parts.append(f"Resin reaches the far skin through {hole} holes every {pitch}.")
        elif lets_resin_through(core):
            parts.append("Resin reaches the far skin through its slits.")
        else:
            parts.append("No way through it to the far skin: plies beneath stay dry.")
        laying, density = self.bench.document.job.core_laying, self.bench.document.job.resin.density_kg_m3
        taken = (groove_volume_m(core) + perforation_volume_m(core) + joint_volume_m(core, laying)) * density
        parts.append(f"It takes {self.bench.shown(taken + core.surface_uptake_kg_m2, 'areal weight')} of resin.")
        if laying.joint_gap_m > 0:
            slot = duct_conductance_m4(core.thickness_m, laying.joint_gap_m) / core.sheet_width_m
            groove = duct_conductance_m4(core.groove_width_m, core.groove_depth_m) / core.groove_pitch_m
            if core.grooves == "none" or slot > groove:
                parts.append("Its joints lead more resin than its grooves.")
        return " ".join(parts)
