"""Lay-up: the mould's corners, each at its place, found from the heights or put in by hand."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from pydantic import ValidationError
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout
from shapely import LineString

from bibulon.desk.widgets.choices import ToggleField
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job.edits import changed, revised
from bibulon.job.faults import explain_here
from bibulon.job.mould import Corner
from bibulon.laminate.corner import along_edge, corner_move, corners_of
from bibulon.laminate.found_corners import LEAST_TURN_DEG, TIGHT_M, found_corners
from bibulon.quantities import QuantityKind, Units, show
from bibulon.quantity_text import parse, parse_place, place_text
from bibulon.remembered import ByIdentity

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

NEW_RADIUS_M = 0.01
NEW_EDGE_M = 0.2


class CornersSection:
    """The list of corners, built into a *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.desk, self.document = bench, bench.desk, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Corners of the mould")
        self.rows = column(4)
        bench.watch(self._key, self.rows, self._fill)
        row = QHBoxLayout()
        bench.button("Find them", self._find, into=row).setToolTip(
            "Looks through the mould's heights for places where its face turns sharply."
        )
        bench.button("Add a corner", self._add, into=row)
        bench.body.addLayout(row)

    def _key(self) -> object:
        job = self.document.job
        return (
            job.mould.corners,
            self.desk.plan.chosen,
            ByIdentity(self.document.assessment.laminate),
            self.document.settings,
        )

    def _fill(self, layout: QVBoxLayout) -> None:
        corners = self.document.job.mould.corners
        if not corners:
            layout.addWidget(label("None listed. The tightest corner typed at Part counts, if there is one.", "muted"))
        for corner in corners:
            chosen = corner.label == self.desk.plan.chosen
            row = QHBoxLayout()
            pick = partial(self.desk.plan.choose, "" if chosen else corner.label)
            row.addWidget(tool_button("select", f"Choose corner {corner.label}", pick, True, chosen))
            row.addWidget(label(f"{corner.label}  {self._what(corner)}", "figure"), 1)
            remove = partial(self._put, "delete corner", corner, None)
            row.addWidget(tool_button("remove", f"Delete corner {corner.label}", remove))
            layout.addLayout(row)
            layout.addWidget(label(self._says(corner), "muted"))
            if chosen:
                self._details(corner, layout)

    def _what(self, corner: Corner) -> str:
        side = "inside" if corner.inside else "outside"
        if corner.edge:
            side = f"{side}, {self.bench.shown(LineString(corner.edge).length)} long"
        return f"{side}, {self.bench.shown(corner.radius_m)}, {corner.turn_deg:.0f}°"

    def _says(self, corner: Corner) -> str:
        """What the stack that lies there does in it."""
        assessment = self.document.assessment
        job = self.document.job  # which may have a corner more than the one that was assessed last
        (at,) = (one for one in corners_of(job.mould) if one.name == f"corner {corner.label}")
        cells = [cell for place in at.places if (cell := assessment.laminate.at(*place)) is not None]
        cell = max(cells, key=lambda cell: cell.stack.laminate_thickness_m, default=None)
        if cell is None or not cell.stack.layers:
            return "No plies lie here."
        pressed_pa = job.shop.barometer_pa - job.vacuum_pa
        try:
            move = corner_move(
                cell.stack.layers, job.cards, pressed_pa, corner.radius_m, corner.turn_deg, not corner.inside
            )
        except ValueError as error:
            return str(error)
        gap = self.bench.shown(move.gap_m, "thickness")
        does = f"Cloth that cannot slide {'stands off' if corner.inside else 'piles up'} by {gap}"
        if job.closed:
            return f"{does}; the upper half does not push it home."
        if move.each_ply:
            return f"{does}; debulk after every ply, and push each home by hand."
        goes = "it closes with the bag" if move.goes == 1 else f"debulk in {move.goes} goes"
        return f"{does}; {goes}."

    def _details(self, corner: Corner, layout: QVBoxLayout) -> None:
        def field(name: str, of: str, kind: QuantityKind) -> FreeField:
            def take(text: str) -> None:
                self._put(name.lower(), corner, {of: parse(text, kind, self._units())})

            return FreeField(name, lambda: show(getattr(corner, of), kind, self._units()), take)

        layout.addWidget(field("Corner radius", "radius_m", "length"))
        layout.addWidget(field("Corner turns by", "turn_deg", "angle"))
        if corner.edge:
            for number, name in ((0, "Edge from x, y"), (-1, "Edge to x, y")):
                ends = partial(self._end, corner, number), partial(self._move_end, corner, number)
                layout.addWidget(FreeField(name, *ends))
        else:
            layout.addWidget(FreeField("Corner at x, y", partial(self._place, corner), partial(self._move, corner)))
        layout.addWidget(
            ToggleField("Runs along an edge", lambda: bool(corner.edge), lambda on: self._run_along(corner, on))
        )
        layout.addWidget(
            ToggleField(
                "Inside (female): fibre is pushed into it",
                lambda: corner.inside,
                lambda on: self._put("side of corner", corner, {"inside": on}),
            )
        )

    def _units(self) -> Units:
        return self.document.assessment.units

    def _place(self, corner: Corner) -> str:
        return place_text(corner.place, self._units())

    def _move(self, corner: Corner, text: str) -> None:
        self._put("place of corner", corner, {"place": parse_place(text, self._units())})

    def _end(self, corner: Corner, number: int) -> str:
        return place_text(corner.edge[number], self._units())

    def _move_end(self, corner: Corner, number: int, text: str) -> None:
        edge = list(corner.edge)
        edge[number] = parse_place(text, self._units())
        self._put("edge of corner", corner, along_edge(tuple(edge)))

    def _run_along(self, corner: Corner, on: bool) -> None:
        x, y = corner.place
        self._put(
            "edge of corner", corner, along_edge(((x - NEW_EDGE_M / 2, y), (x + NEW_EDGE_M / 2, y)) if on else ())
        )

    def _put(self, words: str, corner: Corner, fields: dict[str, object] | None) -> None:
        """*corner* with other *fields*, or without it."""
        kept = []
        for one in self.document.job.mould.corners:
            if one.label != corner.label:
                kept.append(one)
            elif fields is not None:
                kept.append(revised(one, **fields))
        self._edit(words, tuple(kept))

    def _edit(self, words: str, corners: tuple[Corner, ...]) -> None:
        job = self.document.job
        self.document.edit(words, changed(job, mould=revised(job.mould, corners=corners)))

    def _find(self) -> None:
        job = self.document.job
        if not job.part.relief:
            self.desk.show_message("The mould has no heights yet, so no corners show. Give them at Part.")
            return
        found = found_corners(job.part)
        if not found:
            self.desk.show_message(
                "The heights show no corner tighter than "
                f"{self.bench.shown(TIGHT_M)} that turns by {LEAST_TURN_DEG:g}° or more."
            )
            return
        self._edit("corners found", found)

    def _add(self) -> None:
        job = self.document.job
        place = job.part.shape.representative_point()
        taken = {corner.label for corner in job.mould.corners}
        name = next(name for number in range(1, 1000) if (name := f"R{number}") not in taken)
        radius = job.mould.corner_radius_m or NEW_RADIUS_M
        new = Corner(label=name, place=(round(place.x, 3), round(place.y, 3)), radius_m=radius)
        try:
            self._edit("corner", (*job.mould.corners, new))
        except ValidationError as error:
            self.desk.show_message(f"No corner was added. {explain_here(error, self.document.assessment.units)}")
            return
        self.desk.plan.choose(name)
