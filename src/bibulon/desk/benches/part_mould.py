"""Part, second half: the mould card, its relief, and what is checked on it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, get_args

from PySide6.QtWidgets import QHBoxLayout

from bibulon.desk.benches.tick_list import CHECKED, Tick, TickList
from bibulon.desk.dialogs.files import MESH_SUFFIXES
from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import FreeField
from bibulon.job import Job
from bibulon.job.edits import changed, revised, value_at, with_value
from bibulon.job.mould import Face, Hand, Mould, MouldKind
from bibulon.job.part import Part, ReliefFigures
from bibulon.job.paths import JobPath
from bibulon.laminate.relief import height_m
from bibulon.laminate.relief_shapes import with_figures
from bibulon.mould.checks import mould_checks
from bibulon.quantity_text import parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LIST_PX = 190
HANDS = {"single": "a single part", "left": "left of a pair", "right": "right of a pair"}
ARCH = "Height of a parabola over the part's length or width; negative for a dish."
RIM = "How far the face rises towards its edge; negative where it falls."


class MouldSection:
    """What the mould is, and how it stands."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.document = bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Mould")
        self._choice("Made of", "mould/kind", [(kind, kind) for kind in get_args(MouldKind)])
        self._choice("Face", "mould/face", [(face, face) for face in get_args(Face)])
        self._choice("It is for", "mould/hand", [(HANDS[hand], hand) for hand in get_args(Hand)])
        bench.add(ToggleField(
            "Two good faces wanted", lambda: self.document.job.mould.two_good_faces,
            lambda on: self._put("faces", "mould/two_good_faces", on), "Smooth on both sides.",
        ))  # fmt: skip
        bench.text("Release", "mould/release", "Agent, and how it was put on.")
        warm = "Of its face, and of the resin in the part."
        bench.quantity("Heated to", "temperature", "mould/temperature_k", warm, empty="as the shop")
        bench.quantity(
            "Draft", "angle", "mould/draft_deg", "Of its steepest walls; below 0 where they lean over the part."
        )
        tight = "The tightest corner that fibre follows; empty if there is none."
        bench.quantity("Tightest corner", "length", "mould/corner_radius_m", tight, empty="none")
        taken_off = "Names with a comma between, in the order in which they are taken off: plug, left, right."
        bench.add(FreeField("Pieces", lambda: ", ".join(self.document.job.mould.pieces), self._take_pieces, taken_off))
        if not self.document.job.in_mould:
            ways = get_args(Mould.model_fields["pieces_sealed"].annotation)
            self._choice("Joints of pieces", "mould/pieces_sealed", [(way, way) for way in ways])
            tape = "Clean flange round the part that takes the tape."
            bench.quantity("Flange", "length", "part/flange_width_m", tape)
        bench.button("Mirrored job …", bench.desk.files.save_mirrored).setToolTip(
            "The other hand of this plan as a job of its own: outline, relief, plies, lines and media mirrored"
        )
        self._relief()
        bench.section("Before anything is laid")
        self.ticks = TickList(bench, self._checks, ("Checks on the mould", "checked"), LIST_PX)

    def _take_pieces(self, text: str) -> None:
        job, names = self.document.job, tuple(name.strip() for name in text.split(",") if name.strip())
        if len(names) == 1:
            raise ValueError("A mould in pieces has at least two. Empty: it is one.")
        self.document.edit("pieces of mould", changed(job, mould=revised(job.mould, pieces=names)))

    def _choice(self, name: str, path: JobPath, choices: list[tuple[str, object]]) -> None:
        def put(value: object) -> None:
            self._put(name.lower(), path, value)

        self.bench.choice(name, lambda: choices, lambda: value_at(self.document.job, path), put)

    def _put(self, name: str, path: JobPath, value: object) -> None:
        self.document.edit(name, with_value(self.document.job, path, value))

    def _checks(self, job: Job) -> list[Tick]:
        return [
            Tick(check.label, check.text, CHECKED, check.ticked)
            for check in mould_checks(job, self.document.assessment.units)
        ]

    def refresh(self) -> None:
        self.flat.setEnabled(bool(self.document.job.part.relief))
        self.ticks.refresh()

    # -- relief ------------------------------------------------------------------------------------------------------

    def _relief(self) -> None:
        bench = self.bench
        bench.section("Relief of the mould")
        bench.figure("Height", self._height)
        fields: list[FreeField] = []
        for name, figure, hint in (
            ("Arched along", "along_m", ARCH),
            ("Arched across", "across_m", ARCH),
            ("Rim", "edge_depth_m", RIM),
            ("Rim over", "edge_width_m", "The width over which the rim rises."),
        ):
            field = FreeField(name, partial(self._figure, figure), partial(self._take, name, figure), hint)
            fields.append(bench.add(field))
        for field in fields:  # a rim that was too steep for its width is tried again once that is more
            for other in fields:
                if other is not field:
                    field.committed.connect(other.try_again)
        row = QHBoxLayout()
        bench.button("From a mesh …", self._from_mesh, into=row)
        bench.button("Heights …", self._from_heights, into=row).setToolTip("From sections or single heights, typed in")
        self.flat = bench.button("Flat", self._make_flat, into=row)
        bench.body.addLayout(row)

    def _height(self) -> tuple[str, str]:
        part = self.document.job.part
        if not part.relief:
            return "flat", "The mould's face is level."
        made = "made from figures" if part.relief_from else "from a mesh"
        return self.bench.shown(height_m(part.relief, part.shape)), (
            f"From the lowest to the highest place; {len(part.relief)} points, {made}."
        )

    @property
    def figures(self) -> ReliefFigures:
        return self.document.job.part.relief_from or ReliefFigures()

    def _figure(self, name: str) -> str:
        part = self.document.job.part
        if part.relief and part.relief_from is None:
            return ""
        return self.bench.shown(getattr(self.figures, name)).replace("−", "-")

    def _take(self, name: str, figure: str, text: str) -> None:
        part = self.document.job.part
        if part.relief and part.relief_from is None:
            raise ValueError("The relief comes from a mesh. Make it flat first, then give it figures.")
        value = parse(text, "length", self.document.assessment.units) if text.strip() else 0.0
        self.put_relief(name.lower(), with_figures(part, revised(self.figures, **{figure: value})))

    def put_relief(self, name: str, part: Part) -> None:
        self.document.edit(name, changed(self.document.job, part=part))

    def _make_flat(self) -> None:
        self.put_relief("flat mould", revised(self.document.job.part, relief=(), relief_from=None))

    def _from_mesh(self) -> None:
        self.bench.desk.files.bring_in("A mesh of the mould's face", MESH_SUFFIXES)

    def _from_heights(self) -> None:
        from bibulon.desk.dialogs.heights import HeightsDialog

        asked = HeightsDialog(self.bench.window(), self.document.job.part, self.document.assessment.units)
        if asked.exec() and asked.part is not None:
            self.put_relief("heights of the mould", asked.part)
