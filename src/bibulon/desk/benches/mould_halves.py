"""Mould: cavity, upper half, rim, seals, vacuums and lives."""

from __future__ import annotations

import math
from functools import partial
from typing import TYPE_CHECKING, Literal

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bibulon.desk.benches.mould_held import HeldSection
from bibulon.desk.benches.mould_shelf import (
    channel_choice,
    seal_choice,
    sleeve_choice,
    upper_choice,
)
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import FreeField, QuantityField, column, label, tool_button
from bibulon.desk.widgets.figure_rows import FigureRow
from bibulon.desk.work.document import Document
from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER
from bibulon.job.edits import value_at, with_pair, with_value
from bibulon.job.pair import SUPPLIES, RegionHeight
from bibulon.job.paths import JobPath
from bibulon.mould.flange import flange_gives, without_pump
from bibulon.mould.press import PressForces
from bibulon.quantities import show
from bibulon.quantity_text import parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

EDGES = {"held flat": "keeps it flat", "free to turn": "lets it turn"}
MEASURED = "A dial gauge in the middle of the closed, empty mould: counts in place of the laminate's figures."


def put_pair(document: Document, name: str, **fields: object) -> None:
    """Edit *fields* of the pair of mould halves. Raises ``pydantic.ValidationError``."""
    document.edit(name, with_pair(document.job, **fields))


def path_of_seal(seal: str, field: Literal["stands_styrene", "stands_amine", "inflatable"]) -> JobPath:
    """The path of a *field* of the "inner_seal" or the "outer_seal"."""
    inner: dict[str, JobPath] = {
        "stands_styrene": "pair/inner_seal/stands_styrene",
        "stands_amine": "pair/inner_seal/stands_amine",
        "inflatable": "pair/inner_seal/inflatable",
    }
    outer: dict[str, JobPath] = {
        "stands_styrene": "pair/outer_seal/stands_styrene",
        "stands_amine": "pair/outer_seal/stands_amine",
        "inflatable": "pair/outer_seal/inflatable",
    }
    return (inner if seal == "inner_seal" else outer)[field]


class HalvesSections:
    """The mould card of a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document
        self.heads: dict[str, QWidget] = {}
        """By what is chosen on the plan, the head of its figures."""

    @property
    def by_vacuum(self) -> bool:
        """Whether the halves are held together by vacuum in the flange."""
        return self.document.job.process in CLAMPED_BY_VACUUM

    def build(self) -> None:
        bench, blown = self.bench, self.document.job.process in WITH_BLADDER
        if not blown:
            if self.by_vacuum:
                self._upper()
            else:
                self._clamps()
            self._rim()
        bench.section("Vacuums")
        if self.by_vacuum:
            bench.quantity("In the flange", "pressure", "pair/flange_pa", "Holds the halves together.")
        if self.by_vacuum:
            bench.choice(
                "Pulled by", lambda: [(supply, supply) for supply in SUPPLIES],
                lambda: self.document.job.pair.supply, partial(self._put, "pair/supply"),
            )  # fmt: skip
            bench.quantity("Reservoir", "volume", "pair/reservoir_m3", "Behind the flange.", empty="none")
            bench.figure("If the pump stops", self._without_pump)
        bench.quantity("In the cavity", "pressure", "pair/cavity_pa", "Regulated, while the resin comes in.")
        bench.quantity("Until gel", "pressure", "pair/hold_pa", "In the cavity once the inlets are clamped.")
        bench.section("Heating")
        warm = "Of the mould's face, and of the resin in the part."
        bench.quantity("Mould heated to", "temperature", "mould/temperature_k", warm, empty="as the shop")
        bench.section("Lives, in shots")
        bench.quantity("Mould has made", "count", "pair/shots", "Before this job's log.")
        lasts = "A composite half lasts about half as long as a rigid one."
        bench.quantity("Mould lasts", "count", "pair/life_shots", lasts)
        if blown:
            bench.quantity("Bladder has made", "count", "pair/bladder/shots", "Before this job's log.")
            bench.quantity("Bladder lasts", "count", "pair/bladder/life_shots")
            return
        bench.quantity("Inner seal has", "count", "pair/inner_seal/shots")
        bench.quantity("Inner seal lasts", "count", "pair/inner_seal/life_shots")
        bench.quantity("Outer seal has", "count", "pair/outer_seal/shots")
        bench.quantity("Outer seal lasts", "count", "pair/outer_seal/life_shots")

    def build_cavity(self) -> None:
        """How high the cavity is; a bladder leaves none of its own."""
        bench = self.bench
        if self.document.job.process in WITH_BLADDER:
            return
        bench.section("Cavity")
        bench.quantity("Height", "thickness", "pair/cavity_m", "As the mould was built.", empty="not said")
        tolerance = "Share that the thickness may be off to either side."
        bench.quantity("Part within ±", "share", "series/thickness_tolerance", tolerance, empty="any")
        bench.watch(
            lambda: (self.document.job.pair.heights, self.document.job.regions, self.document.settings),
            column(4),
            self._fill_heights,
        )

    def _fill_heights(self, layout: QVBoxLayout) -> None:
        given = {entry.region for entry in self.document.job.pair.heights}
        for entry in self.document.job.pair.heights:
            row = QHBoxLayout()
            field = FreeField(
                entry.region, partial(self._height, entry.region), partial(self._put_height, entry.region), "Height."
            )
            row.addWidget(field, 1)
            remove = partial(self._without_height, entry.region)
            row.addWidget(tool_button("remove", f"No other height in {entry.region}", remove))
            layout.addLayout(row)
        for region in self.document.job.regions:
            if region.name not in given:
                self.bench.button(
                    f"Another height in {region.name}", partial(self._with_height, region.name), "", layout
                )
        if not self.document.job.regions:
            layout.addWidget(label("Steps: draw a region at Lay-up, and give its height here.", "muted"))

    def _height(self, region: str) -> str:
        height = next((entry.height_m for entry in self.document.job.pair.heights if entry.region == region), None)
        return "" if height is None else show(height, "thickness", self.document.assessment.units)

    def _put_height(self, region: str, text: str) -> None:
        height = parse(text, "thickness", self.document.assessment.units)
        put_pair(
            self.document,
            f"height in {region}",
            heights=tuple(
                RegionHeight(region=region, height_m=height) if entry.region == region else entry
                for entry in self.document.job.pair.heights
            ),
        )

    def _with_height(self, region: str) -> None:
        height = self.document.job.pair.cavity_m or 0.004
        put_pair(
            self.document,
            f"height in {region}",
            heights=(*self.document.job.pair.heights, RegionHeight(region=region, height_m=height)),
        )

    def _without_height(self, region: str) -> None:
        kept = tuple(entry for entry in self.document.job.pair.heights if entry.region != region)
        put_pair(self.document, f"height in {region}", heights=kept)

    def _clamps(self) -> None:
        bench = self.bench
        HeldSection(bench).build()
        bench.figure("Opened by", self._opened)
        bench.figure("The house asks for", self._asked)
        bench.watch(lambda: self.document.job.pair.clamp.kind, column(4), self._fill_between)

    def _fill_between(self, layout: QVBoxLayout) -> None:
        """What lies between two clamps; under a press nothing does."""
        if self.document.job.pair.clamp.kind == "press":
            return
        hint = "Of the upper half, between two clamps."
        modulus: JobPath = "pair/upper/modulus_pa"
        for widget in (
            FigureRow("They sit every", self._spacing),
            QuantityField(
                self.document, "Flange thickness", "thickness", "pair/flange_thickness_m", hint, empty="not said"
            ),
            FigureRow("Flange gives", self._gives),
            QuantityField(self.document, "Flange's modulus", "stiffness", modulus, "In bending."),
        ):
            layout.addWidget(widget)

    def _gives(self) -> tuple[str, str]:
        assessment = self.document.assessment
        found = flange_gives(assessment.job, assessment.fill, assessment.units)
        if found is None:
            return "–", "Known once its thickness is said and the mould fills; a half that does not bend does not give."
        gives = self.bench.shown(found.gives_m, "thickness")
        return f"over {gives}" if found.slack else gives, f"By {found.how}"

    def _without_pump(self) -> tuple[str, str]:
        assessment = self.document.assessment
        reading, margin = assessment.pair_reading, assessment.clamp
        if reading is None:
            return "–", "Known once both spaces were held: how fast the flange loses its vacuum tells it."
        found = without_pump(assessment.job, margin, reading.flange.rise_pa_s) if margin is not None else None
        if found is None:
            return "–", "Known once the mould fills and stays shut."
        until = self.bench.shown(found.until_pa, "pressure")
        how = f"The flange may rise to {until} before the mould opens; by the last hold test, and the reservoir."
        return ("as long as it holds" if math.isinf(found.lasts_s) else show(found.lasts_s, "duration")), how

    def _forces(self) -> PressForces | None:
        return self.document.assessment.press

    def _opened(self) -> tuple[str, str]:
        forces = self._forces()
        if forces is None:
            return "–", self.document.assessment.why_no_fill
        most, in_all = float(forces.worst_n.max()), self.bench.shown(float(forces.opening_n.max()), "force")
        how = f"As if all round were pressed apart as hard as its worst side; {in_all} in all, less air and weight."
        return self.bench.shown(most, "force"), how

    def _asked(self) -> tuple[str, str]:
        forces, clamp = self._forces(), self.document.job.pair.clamp
        if forces is None:
            return "–", self.document.assessment.why_no_fill
        number = "" if clamp.kind == "press" else f", {forces.number} {clamp.kind}"
        return f"{self.bench.shown(forces.asked_n, 'force')}{number}", "With the reserve of the house."

    def _spacing(self) -> tuple[str, str]:
        forces = self._forces()
        if forces is None:
            return "–", self.document.assessment.why_no_fill
        return self.bench.shown(forces.spacing_m, "length"), "Round the inner seal, spread evenly."

    def _upper(self) -> None:
        bench = self.bench
        bench.section("Upper half")
        bench.add(upper_choice(self.document))
        bench.add(
            ToggleField(
                "It does not bend", lambda: self.document.job.pair.upper.rigid, partial(self._put, "pair/upper/rigid"),
                "Steel, or a half in a press.",
            )
        )  # fmt: skip
        bench.quantity("Thickness", "thickness", "pair/upper/thickness_m")
        bench.quantity("Modulus", "stiffness", "pair/upper/modulus_pa", "In bending, of its laminate.")
        bench.quantity("Density", "density", "pair/upper/density_kg_m3")
        bench.quantity("Ribs every", "length", "pair/upper/rib_pitch_m", "Ribs or a frame over it.", empty="no ribs")
        bench.choice(
            "Ribs run", lambda: [(way, way) for way in ("along x", "along y", "both ways")],
            lambda: self.document.job.pair.upper.ribs_run, partial(self._put, "pair/upper/ribs_run"),
        )  # fmt: skip
        bench.quantity("Rib width", "length", "pair/upper/rib_width_m")
        bench.quantity("Rib height", "length", "pair/upper/rib_height_m")
        bench.quantity("Rib modulus", "stiffness", "pair/upper/rib_modulus_pa")
        bench.choice(
            "The flange", lambda: [(words, edge) for edge, words in EDGES.items()],
            lambda: self.document.job.pair.upper.edge, partial(self._put, "pair/upper/edge"),
        )  # fmt: skip
        bench.quantity(
            "Measured under", "pressure difference", "pair/upper/measured_pa", MEASURED, empty="not measured"
        )
        bench.quantity("Middle gave", "thickness", "pair/upper/measured_m", MEASURED)
        bench.watch(self._measured_key, column(0), self._fill_measured)
        self._toggle("The front can be seen through it", "pair/upper/clear", "So that it can be marked at Shoot.")
        bench.choice(
            "Lifted by", lambda: [("hands", "hands"), ("hoist", "hoist")], lambda: self.document.job.pair.upper.lift,
            partial(self._put, "pair/upper/lift"),
        )  # fmt: skip

    def _measured_key(self) -> tuple[float, float] | None:
        """What the middle gave and how much stiffer than by its figures that makes the upper half; None while nothing
        was measured, or the fill with it is on its way."""
        upper, fill = self.document.job.pair.upper, self.document.assessment.fill
        if upper.measured_pa is None or upper.rigid or fill is None or fill.problem.upper is None:
            return None
        return upper.measured_m, fill.problem.upper.measured_times

    def _fill_measured(self, layout: QVBoxLayout) -> None:
        if (key := self._measured_key()) is None:
            return
        gave_m, times = key
        by_figures = show(gave_m * times, "thickness", self.document.assessment.units)
        words = f"By laminate and ribs it would give {by_figures}: it was measured {times:.2g} times as stiff."
        layout.addWidget(label(words, "muted"))

    def _rim(self) -> None:
        bench = self.bench
        follows: dict[str, JobPath] = {
            "inner_seal": "pair/inner_seal/follows_m", "outer_seal": "pair/outer_seal/follows_m",
        }  # fmt: skip
        bench.section("Rim")
        bench.add(channel_choice(self.document))
        self.heads["channel"] = bench.choice(
            "Channel", lambda: [(profile, profile) for profile in ("half round", "rectangle", "none")],
            lambda: self.document.job.pair.channel.profile, partial(self._put, "pair/channel/profile"),
        )  # fmt: skip
        bench.quantity("Channel width", "length", "pair/channel/width_m", decimals=1)
        bench.quantity("Channel height", "length", "pair/channel/height_m", decimals=1)
        bench.quantity("Inner seal off part", "length", "pair/seal_off_m", "From the part's edge.")
        bench.quantity("Flange", "length", "pair/flange_m", "Between the two seals.")
        if self.by_vacuum:
            bench.quantity(
                "Flange thickness", "thickness", "pair/flange_thickness_m", "Of the upper half there.",
                empty="as the upper half",
            )  # fmt: skip
            bench.figure("Flange gives", self._gives)
        for name, seal in (("Inner seal", "inner_seal"), ("Outer seal", "outer_seal")):
            paths: tuple[JobPath, JobPath, JobPath] = (
                ("pair/inner_seal/kind", "pair/inner_seal/hardness_shore", "pair/inner_seal/spring_n_m")
                if seal == "inner_seal"
                else ("pair/outer_seal/kind", "pair/outer_seal/hardness_shore", "pair/outer_seal/spring_n_m")
            )
            bench.add(seal_choice(self.document, seal.partition("_")[0]))
            self.heads[name.lower()] = bench.text(name, paths[0], "What it is.")
            bench.quantity("Hardness, Shore A", "count", paths[1])
            bench.quantity("Pushes apart", "line force", paths[2], "By its length, when the mould is shut.")
            bench.quantity("It follows", "thickness", follows[seal], "So far apart and it still seals.")
            self._toggle("It stands styrene", path_of_seal(seal, "stands_styrene"))
            self._toggle("It stands epoxies' hardeners", path_of_seal(seal, "stands_amine"))
            self._toggle("It is blown up", path_of_seal(seal, "inflatable"), "Once the mould is shut.")
        bench.add(sleeve_choice(self.document))
        bench.quantity(
            "Sleeve's bore", "length", "pair/sleeve_m", "For the tubes of the ports.", decimals=1, empty="not said"
        )
        self._toggle("Tubes are thrown away", "pair/tubes_thrown", "After each shot: they are in its cost.")

    def _toggle(self, name: str, path: JobPath, hint: str = "") -> None:
        self.bench.add(
            ToggleField(name, lambda: bool(value_at(self.document.job, path)), partial(self._put, path), hint)
        )

    def _put(self, path: JobPath, value: object) -> None:
        job = self.document.job
        if value_at(job, path) != value:
            self.document.edit(path.rsplit("/", 1)[-1].replace("_", " "), with_value(job, path, value))
