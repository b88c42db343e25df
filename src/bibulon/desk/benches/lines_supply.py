"""Sections of the Lines bench about what lies beside the lines: flow media, manifolds, catch pots."""

from __future__ import annotations

from functools import partial
from typing import Any

from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.mould_shelf import pot_choice
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, QuantityField, column, edge_fields, label, tool_button
from bibulon.job.base import Point
from bibulon.job.cards import MediaCard
from bibulon.job.edits import (
    revised,
    value_at,
    with_card,
    with_media,
    with_pot,
    with_value,
    without_manifold,
    without_media,
    without_pot,
)
from bibulon.job.faults import explain_here
from bibulon.job.lines import (
    CatchPot,
    Manifold,
    MediaPatch,
)
from bibulon.job.paths import FieldPath, path_of
from bibulon.mould.pots import pot_key, pot_places, with_pot_at
from bibulon.plumbing.edits import with_manifold
from bibulon.quantities import as_typed, show
from bibulon.quantity_text import parse, parse_place, place_text
from bibulon.stock.choice import cards_for

BARBS = "Bore of the hose that goes on them; empty: not measured."
PLACE = "Two lengths with a comma between them."


class SupplySections:
    """Flow media, manifolds and catch pots of a Lines *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def build_manifolds(self) -> None:
        rows = column(4)
        self.bench.watch(self._manifolds_key, rows, self._fill_manifolds)

    def build_media(self) -> None:
        self.bench.section("Flow media")
        self.bench.watch(self._media_key, column(4), self._fill_media)
        self.bench.add(
            ToggleField(
                "Goes with its feed",
                lambda: self.bench.desk.plan.media_goes_along,
                self._goes_along,
                "A feed that is moved as a whole takes the media along that only it lies on.",
            )
        )

    def build_pots(self) -> None:
        self.bench.watch(lambda: self.bench.document.job.pots, column(4), self._fill_pots)

    def _goes_along(self, on: bool) -> None:
        self.bench.desk.plan.media_goes_along = on

    def _media_key(self) -> object:
        return self.bench.document.job.media, self.bench.desk.plan.chosen, self.bench.document.settings.system

    def _fill_media(self, layout: QVBoxLayout) -> None:
        units = self.bench.document.assessment.units
        for number, patch in enumerate(self.bench.document.job.media, 1):
            chosen = patch.id == self.bench.desk.plan.chosen
            xs, ys = zip(*patch.outline, strict=True)
            row = QHBoxLayout()
            pick = partial(self.bench.desk.plan.choose, "" if chosen else patch.id)
            row.addWidget(tool_button("media", f"Choose media {number}", pick, True, chosen))
            size = f"{show(max(xs) - min(xs), 'length', units)} × {show(max(ys) - min(ys), 'length', units)}"
            row.addWidget(label(size), 1)
            remove = partial(self._delete_media, patch.id)
            row.addWidget(tool_button("remove", f"Delete media {number}", remove))
            layout.addLayout(row)
            if chosen:
                self._media_details(patch, layout)
        if not self.bench.document.job.media:
            layout.addWidget(label("None.", "muted"))

    def _delete_media(self, identifier: str) -> None:
        self.bench.document.edit("delete media", without_media(self.bench.document.job, identifier))

    def _media_details(self, patch: MediaPatch, layout: QVBoxLayout) -> None:
        def reshape(outline: tuple[Point, ...]) -> None:
            self.bench.document.edit(
                "edge of media", with_media(self.bench.document.job, revised(of_job(), outline=outline))
            )

        def change(**fields: Any) -> None:
            try:
                job = with_media(self.bench.document.job, revised(of_job(), **fields))
            except ValidationError as error:
                raise ValueError(explain_here(error, units, {"stretched": "share"})) from error
            self.bench.document.edit("media", job)

        def of_job() -> MediaPatch:
            return next(kept_patch for kept_patch in self.bench.document.job.media if kept_patch.id == patch.id)

        for field in edge_fields(self.bench.document, lambda: of_job().outline, reshape):
            layout.addWidget(field)

        def cards() -> dict[str, MediaCard]:
            return cards_for(self.bench.document.job, MediaCard)

        def put(identifier: str) -> None:
            job = with_card(self.bench.document.job, cards()[identifier])
            self.bench.document.edit("media", with_media(job, revised(patch, card=identifier)))

        layout.addWidget(
            ChoiceField("Media", lambda: [(card.name, key) for key, card in cards().items()], lambda: patch.card, put)
        )

        units = self.bench.document.assessment.units
        layers = [("one layer", 1), *((f"{count} layers", count) for count in range(2, 6))]
        layout.addWidget(
            ChoiceField("Laid in", lambda: layers, lambda: of_job().layers, lambda count: change(layers=count))
        )
        layout.addWidget(
            FreeField(
                "Stretched by",
                lambda: as_typed(of_job().stretched, "share"),
                lambda text: change(stretched=parse(text, "share", units)),
                "Longer than it came off the roll: thinner, and uneven in what it lets through.",
            )
        )

    def _manifolds_key(self) -> tuple[tuple[Manifold, ...], bool]:
        return self.bench.document.job.manifolds, bool(self.bench.document.job.feeds)

    def _fill_manifolds(self, layout: QVBoxLayout) -> None:
        for manifold in self.bench.document.job.manifolds:
            row = QHBoxLayout()
            row.addWidget(label(f"Manifold {manifold.label}", "figure"), 1)
            remove = partial(self._remove_manifold, manifold.id)
            row.addWidget(tool_button("remove", f"Take out manifold {manifold.label}", remove))
            layout.addLayout(row)
            path = partial(path_of, "manifolds", manifold.id)
            for name, field in (("Length", path("length_m")), ("Hose length", path("hose_length_m"))):
                layout.addWidget(QuantityField(self.bench.document, name, "distance", field))
        if self.bench.document.job.feeds:
            self.bench.button("Add manifold", self._add_manifold, into=layout)

    def _add_manifold(self) -> None:
        self.bench.document.edit("add a manifold", with_manifold(self.bench.document.job))

    def _remove_manifold(self, identifier: str) -> None:
        self.bench.document.edit("take out a manifold", without_manifold(self.bench.document.job, identifier))

    def _fill_pots(self, layout: QVBoxLayout) -> None:
        for pot in self.bench.document.job.pots:
            row = QHBoxLayout()
            capacity = path_of("pots", pot.label, "capacity_m3")
            row.addWidget(QuantityField(self.bench.document, f"Catch pot {pot.label}", "volume", capacity), 1)
            remove = partial(self._remove_pot, pot)
            row.addWidget(tool_button("remove", f"Take out {pot.label}", remove))
            layout.addLayout(row)
            barb = path_of("pots", pot.label, "barb_m")
            layout.addWidget(
                QuantityField(
                    self.bench.document, f"Barbs of {pot.label} for", "thickness", barb, BARBS, empty="not measured"
                )
            )
            inlets = path_of("pots", pot.label, "inlets")
            layout.addWidget(
                QuantityField(
                    self.bench.document, f"Inlets of {pot.label}", "count", inlets,
                    "Hoses from the part that go on its lid.", empty="not counted",
                )
            )  # fmt: skip
            liner = path_of("pots", pot.label, "liner")
            layout.addWidget(
                ToggleField(
                    f"Liner in {pot.label}",
                    partial(self._is_on, liner),
                    partial(self._put_on, f"liner of {pot.label}", liner),
                )
            )
            if self.bench.document.job.in_mould:
                path = path_of("pots", pot.label, "lid")
                lid = ToggleField(
                    f"Lid that seals on {pot.label}",
                    partial(self._is_on, path),
                    partial(self._put_on, f"lid of {pot.label}", path),
                )
                layout.addWidget(lid)
                layout.addWidget(pot_choice(self.bench.document, pot.label))
                key = pot_key(pot)
                layout.addWidget(
                    FreeField(
                        f"{pot.label} at x, y", partial(self._pot_place, key), partial(self._move_pot, key), PLACE
                    )
                )
        self.bench.button("Add catch pot", self._add_pot, into=layout)

    def _pot_place(self, key: str) -> str:
        units = self.bench.document.assessment.units
        place = pot_places(self.bench.document.job).get(key, ())
        return place_text(place, units)

    def _move_pot(self, key: str, text: str) -> None:
        place = parse_place(text, self.bench.document.assessment.units)
        self.bench.document.edit("place of a pot", with_pot_at(self.bench.document.job, key, place))

    def _is_on(self, path: FieldPath) -> bool:
        return bool(value_at(self.bench.document.job, path))

    def _put_on(self, name: str, path: FieldPath, on: bool) -> None:
        self.bench.document.edit(name, with_value(self.bench.document.job, path, on))

    def _remove_pot(self, pot: CatchPot) -> None:
        self.bench.document.edit("catch pots", without_pot(self.bench.document.job, pot.label))

    def _add_pot(self) -> None:
        self.bench.document.edit("catch pots", with_pot(self.bench.document.job))
