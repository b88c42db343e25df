"""Sections of the Lines bench about the plumbing: the diagram, what is chosen there, bucket and dip tube, pump."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.hose_ends import HoseEnds
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import QuantityField, column, label, tool_button
from bibulon.job.edits import changed, revised, value_at, with_card, with_plumbing, with_value
from bibulon.job.gear_cards import TubeCard
from bibulon.job.paths import JobPath
from bibulon.job.plumbing import BYPASS_HOSE
from bibulon.plumbing.bucket import heel_kg
from bibulon.plumbing.edits import with_bypass
from bibulon.plumbing.network import network_of
from bibulon.quantities import show
from bibulon.resin.mixing import room_kg
from bibulon.stock.choice import tubes_for

CUTS = [("at an angle", "at an angle"), ("notched", "notched"), ("flat", "flat")]


class PlumbingSections:
    """Plumbing on a Lines *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build_hoses(self) -> None:
        """The diagram's button, and the hoses that belong to no line."""
        self.bench.section("Plumbing")
        self.bench.watch(self._key, column(4), self._fill)

    def _key(self) -> object:
        job = self.document.job
        fits = job.cards, job.house.tube_fit_m, job.vacuum_pa, job.pair.injection.source
        placed = job.plumbing, job.lines, job.manifolds, job.pots, job.parts_together
        return placed, fits, self.document.settings.system

    def _fill(self, layout: QVBoxLayout) -> None:
        lines = {line.id for line in self.document.job.lines}
        network = network_of(self.document.job)
        if not network.hoses:
            layout.addWidget(label("None yet: hoses come with the lines.", "muted"))
        for hose in network.hoses:
            if hose.name not in lines:
                layout.addWidget(label(f"Hose {hose.label}", "figure"))
                if hose.name == BYPASS_HOSE:
                    self._bypass(layout)
                self._manifold(hose.name, layout)
                HoseEnds(self.bench, hose.name).build(layout)
        if self.document.job.feeds and self.document.job.plumbing.bypass is None:
            self.bench.button("Add bypass", self._add_bypass, into=layout)

    def _manifold(self, name: str, layout: QVBoxLayout) -> None:
        """Of a manifold on a job of several parts: whether they share it."""
        job = self.document.job
        manifold = next((manifold for manifold in job.manifolds if manifold.id == name), None)
        if manifold is None or job.parts_together == 1:
            return

        def put(each_part: bool) -> None:
            now = self.document.job
            manifolds = tuple(revised(one, each_part=each_part) if one.id == name else one for one in now.manifolds)
            self.document.edit("one manifold for each part", changed(now, manifolds=manifolds))

        def has() -> bool:
            return any(one.each_part for one in self.document.job.manifolds if one.id == name)

        hint = "Else all parts hang on this one, and what it lets through is shared."
        layout.addWidget(ToggleField("One for each part", has, put, hint))

    def _add_bypass(self) -> None:
        self.document.edit("add a bypass", with_bypass(self.document.job))

    def _bypass(self, layout: QVBoxLayout) -> None:
        job = self.document.job
        bypass = job.plumbing.bypass
        if bypass is None:
            return
        tubes = tubes_for(job, "hose")
        layout.addWidget(
            ChoiceField(
                "Bypass hose",
                lambda: [(card.name, key) for key, card in tubes.items()],
                lambda: self.document.job.plumbing.bypass.hose if self.document.job.plumbing.bypass else "",
                lambda key: self._put_bypass(tubes[key]),
            )
        )
        remove = partial(self.document.edit, "take out the bypass", with_plumbing(job, bypass=None))
        layout.addWidget(tool_button("remove", "Take out the bypass", remove))

    def _put_bypass(self, card: TubeCard) -> None:
        job = with_card(self.document.job, card)
        bypass = job.plumbing.bypass
        if bypass is not None:
            self.document.edit("bypass", with_plumbing(job, bypass=revised(bypass, hose=card.id)))

    # -- bucket, pump ------------------------------------------------------------------------------------------------

    def build_bucket(self) -> None:
        """Dip tube and bucket."""
        cut: JobPath = "plumbing/dip/cut"
        self.bench.choice("Dip tube cut", lambda: CUTS, partial(self._value, cut), partial(self._put, "dip tube", cut))
        hint = "Height over the floor of the highest point of cut or notch: below it the tube draws air."
        self.bench.quantity("Opens up to", "thickness", "plumbing/dip/opening_m", hint)
        known: JobPath = "plumbing/bucket/known"
        toggle = ToggleField(
            "Bucket measured",
            lambda: bool(self._value(known)),
            partial(self._put, "bucket", known),
            "With its shape the heel, and the room to pour, are computed.",
        )
        self.bench.add(toggle)
        self.bench.watch(self._bucket_key, column(4), self._fill_bucket)

    def _bucket_key(self) -> object:
        job = self.document.job
        return job.plumbing.bucket, job.plumbing.dip, job.bucket, job.charge.resin, self.document.settings.system

    def _fill_bucket(self, layout: QVBoxLayout) -> None:
        job, units = self.document.job, self.document.assessment.units
        shape = job.plumbing.bucket
        if not shape.known:
            return
        for name, path in (("Wide at the base", "base_m"), ("Wide at the top", "top_m"), ("High", "height_m")):
            layout.addWidget(QuantityField(self.document, name, "length", _BUCKET[path], "Inside."))
        holds = show(shape.volume_m3(shape.height_m), "volume", units)
        stays, room = heel_kg(job) or 0.0, room_kg(job) or 0.0
        text = (
            f"Holds {holds} to the brim. {show(stays, 'mass', units)} stay under the dip tube's opening; "
            f"{show(room, 'mass', units)} can be poured on the heel."
        )
        layout.addWidget(label(text, "muted"))

    def build_pump(self) -> None:
        """What stands at the pump."""
        toggles: tuple[tuple[str, JobPath, str], ...] = (
            ("Regulator before the pump", "plumbing/regulator", "It holds the vacuum at what is planned."),
            ("Spare pump at hand", "plumbing/spare_pump", "A pump that stops in mid-shot costs the part."),
        )
        for name, path, hint in toggles:
            self.bench.add(ToggleField(name, partial(self._is_on, path), partial(self._put, name.lower(), path), hint))
        hint = "Bore of the hose that its barb takes; empty: not measured."
        self.bench.quantity("Pump's barb for", "thickness", "plumbing/pump_barb_m", hint, empty="not measured")
        self.bench.quantity("Hose to pump", "distance", "plumbing/pump_hose_m")
        self.bench.choice(
            "Tube to pump", self._tubes, lambda: self.document.job.plumbing.pump_hose or "", self._put_tube
        )

    def _is_on(self, path: JobPath) -> bool:
        return bool(self._value(path))

    def _value(self, path: JobPath) -> object:
        return value_at(self.document.job, path)

    def _put(self, name: str, path: JobPath, value: object) -> None:
        self.document.edit(name, with_value(self.document.job, path, value))

    def _tubes(self) -> list[tuple[str, str]]:
        return [("as the first vent's hose", ""), *((card.name, key) for key, card in self._hoses().items())]

    def _hoses(self) -> dict[str, TubeCard]:
        return tubes_for(self.document.job, "hose")

    def _put_tube(self, key: str) -> None:
        job = with_card(self.document.job, self._hoses()[key]) if key else self.document.job
        self.document.edit("tube to the pump", with_plumbing(job, pump_hose=key or None))


_BUCKET: dict[str, JobPath] = {
    "base_m": "plumbing/bucket/base_m",
    "top_m": "plumbing/bucket/top_m",
    "height_m": "plumbing/bucket/height_m",
}
