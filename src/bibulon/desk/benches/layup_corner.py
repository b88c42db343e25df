"""Lay-up: what the stack does in a corner."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bibulon.desk.widgets.fields import FreeField
from bibulon.laminate.corner import CornerMove, corner_move
from bibulon.quantity_text import parse

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

FIRST_RADIUS_M, FIRST_TURN_DEG = 0.015, 90.0


class CornerSection:
    """A radius and a turn, and how far the thickest stack bridges or piles up there."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.turn_deg = FIRST_TURN_DEG
        self._radius_m: float | None = None
        self._male: bool | None = None

    @property
    def radius_m(self) -> float:
        """What was typed, else the mould's tightest corner."""
        return self._radius_m or self.bench.document.job.mould.corner_radius_m or FIRST_RADIUS_M

    @property
    def male(self) -> bool:
        """What was chosen, else as the mould's face is."""
        return self._male if self._male is not None else self.bench.document.job.mould.face == "male"

    def build(self) -> None:
        bench = self.bench
        bench.section("In a corner")
        bench.add(FreeField("Radius", lambda: self.bench.shown(self.radius_m, "length"), self._take_radius))
        bench.add(FreeField("Turns by", lambda: f"{self.turn_deg:g}°", self._take_turn, "90° for a square corner."))
        ways = [("inside corner (female)", False), ("outside corner (male)", True)]
        bench.choice("It is an", lambda: ways, lambda: self.male, self._take_way)
        bench.figure("Loose, packed", self._thickness)
        bench.figure("Has to slide", lambda: self._figure("slide"))
        bench.figure("Stands off or piles up", lambda: self._figure("gap"))
        bench.figure("Debulk", lambda: self._figure("goes"))

    def _take_radius(self, text: str) -> None:
        radius = parse(text, "length", self.bench.document.assessment.units)
        if radius <= 0:
            raise ValueError("A radius has to be above zero.")
        self._radius_m = radius
        self.bench.refresh()

    def _take_turn(self, text: str) -> None:
        turn = parse(text, "angle", self.bench.document.assessment.units)
        self._move(turn)
        self.turn_deg = turn
        self.bench.refresh()

    def _take_way(self, male: bool) -> None:
        self._male = male
        self.bench.refresh()

    def _move(self, turn_deg: float) -> CornerMove | None:
        """The move of the thickest stack; None if nothing is laid. Raises ValueError."""
        assessment = self.bench.document.assessment
        job, cells = assessment.job, assessment.laminate.cells
        if not cells or not job.layup:
            return None
        thickest = max(cells, key=lambda cell: cell.stack.laminate_thickness_m)
        pressure = job.shop.barometer_pa - job.vacuum_pa
        return corner_move(thickest.stack.layers, job.cards, pressure, self.radius_m, turn_deg, self.male)

    def _found(self) -> tuple[CornerMove | None, str]:
        try:
            return self._move(self.turn_deg), ""
        except ValueError as error:
            return None, str(error)

    def _thickness(self) -> tuple[str, str]:
        move, wrong = self._found()
        if move is None:
            return "–", wrong
        texts = (self.bench.shown(move.loose_m, "thickness"), self.bench.shown(move.packed_m, "thickness"))
        return ", ".join(
            texts
        ), "The fabrics of the thickest stack, smoothed down by hand and under the planned vacuum."

    def _figure(self, which: str) -> tuple[str, str]:
        move, wrong = self._found()
        if move is None:
            return "too tight" if wrong else "–", wrong
        if which == "slide":
            return self.bench.shown(move.slide_m, "thickness"), "θ · (loose − packed): what the outermost ply needs."
        if which == "gap":
            word = (
                "It piles up as a wrinkle." if self.male else "Where it cannot slide it spans the corner so far off it."
            )
            return self.bench.shown(move.gap_m, "thickness"), word
        if self.bench.document.job.closed:
            return "by hand, every ply", "The upper half does not push fibre into a corner."
        if move.goes == 1:
            return "once, with the bag", "Bridging so small closes as the bag comes down."
        if move.each_ply:
            return "after every ply", "Even so each moves more than half a millimetre: push every one home by hand."
        return f"in {move.goes} goes", "So that no go moves more than half a millimetre; push each ply home first."
