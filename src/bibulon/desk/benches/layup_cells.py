"""Lay-up: the stacks of the plan, and what the chosen one comes to."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from bibulon.desk.widgets.fields import column, label
from bibulon.job.base import Point
from bibulon.laminate.balance import in_words
from bibulon.laminate.cells import Cell, Laminate
from bibulon.laminate.closed_mould import closed_at
from bibulon.laminate.compaction import HAND_PA
from bibulon.laminate.cost import Cost, stack_cost
from bibulon.laminate.stack import Stack
from bibulon.quantities_in_words import from_to, percent, show_power
from bibulon.remembered import ByIdentity

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

MOST_LISTED = 12
"""So many stacks are listed, the largest; the others on a click on the plan."""
CLOSED_WORDS = "The load that the clamp has to hold, over the area of these cells."


class CellsSection:
    """One line for each stack; the chosen one stands open and its cells are marked on the plan."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.chosen: Stack | None = None
        self._groups: tuple[Laminate, list[list[Cell]]] | None = None

    def build(self) -> None:
        self.bench.section("Cells")
        self.rows = column(3)
        self.bench.watch(self._key, self.rows, self._fill)

    def groups(self) -> list[list[Cell]]:
        """Cells by stack (flow media apart), the largest area first."""
        laminate = self.bench.document.assessment.laminate
        if self._groups is None or self._groups[0] is not laminate:
            by_stack: dict[tuple[str, ...], list[Cell]] = {}
            for cell in laminate.cells:
                by_stack.setdefault(tuple(layer.id for layer in cell.stack.layers), []).append(cell)
            groups = sorted(by_stack.values(), key=lambda cells: -sum(cell.area_m2 for cell in cells))
            self._groups = laminate, groups
        return self._groups[1]

    def _key(self) -> object:
        laminate, job = self.bench.document.assessment.laminate, self.bench.document.job
        chosen = self.chosen.layers if self.chosen is not None else None
        return ByIdentity(laminate), self.bench.document.settings, chosen, job.cards

    def touch(self, place: Point) -> None:
        """Choose the stack at *place*."""
        cell = self.bench.document.assessment.laminate.at(*place)
        self.choose(cell.stack if cell is not None else None)

    def choose(self, stack: Stack | None) -> None:
        """Open the figures of *stack*; of none."""
        same = self.chosen is not None and stack is not None and self.chosen.layers == stack.layers
        self.chosen = None if same else stack
        self.bench.refresh()

    def refresh(self) -> None:
        """Mark the chosen stack's cells on the plan; a stack that is no longer there is chosen no longer."""
        mine = [cells for cells in self.groups() if self._is_chosen(cells)]
        if not mine:
            self.chosen = None
        self.bench.desk.plan.set_marked_cells(tuple(cell.polygon for cells in mine for cell in cells))

    def _is_chosen(self, cells: list[Cell]) -> bool:
        if self.chosen is None:
            return False
        layers = tuple(layer.id for layer in cells[0].stack.layers)
        return tuple(layer.id for layer in self.chosen.layers) == layers

    def _fill(self, layout: QVBoxLayout) -> None:
        groups = self.groups()
        listed = [cells for at, cells in enumerate(groups) if at < MOST_LISTED or self._is_chosen(cells)]
        for cells in listed:
            stack, area = cells[0].stack, sum(cell.area_m2 for cell in cells)
            line = (
                f"{self.bench.shown(area, 'area')}: {self.bench.shown(stack.thickness_m, 'thickness')}, "
                f"Vf {percent(stack.fibre_fraction)}, {self.bench.shown(stack.areal_weight_kg_m2, 'areal weight')}"
            )
            chosen = self._is_chosen(cells)
            button = QPushButton(line)
            button.setProperty("role", "row")
            button.setCheckable(True)
            button.setChecked(chosen)
            button.setToolTip("Its figures, and its cells on the plan")
            button.clicked.connect(lambda _=False, of_row=stack: self.choose(of_row))
            layout.addWidget(button)
            if chosen:
                layout.addWidget(self._details(cells, area))
        if len(groups) > len(listed):
            layout.addWidget(label(f"and {len(groups) - len(listed)} smaller stacks: click one on the plan", "muted"))

    def _details(self, cells: list[Cell], area: float) -> QFrame:
        frame = QFrame()
        frame.setProperty("role", "card")
        box = QVBoxLayout(frame)
        box.setContentsMargins(9, 7, 9, 7)
        box.setSpacing(3)
        for name, value, how in self.figures(cells[0].stack, area):
            row = QHBoxLayout()
            row.addWidget(label(name), 1)
            shown = label(value, "figure", wrap=False)
            row.addWidget(shown)
            for widget in (row.itemAt(0).widget(), shown):
                widget.setToolTip(how)
            box.addLayout(row)
        words, how = in_words(cells[0].stack.layers, self.bench.document.assessment.job.cards)
        if cells[0].stack.layers:
            note = label(f"The stack is {words}.", "muted")
            note.setToolTip(how)
            box.addWidget(note)
        return frame

    def figures(self, stack: Stack, area: float) -> list[tuple[str, str, str]]:
        """Name, value and explanation of each figure of *stack* over an *area*."""
        s = stack.fibre_fraction_spread
        beside = stack.thickness_m - stack.laminate_thickness_m
        spread = from_to(*(self.bench.shown(beside + stack.laminate_thickness_m * f, "thickness") for f in (1 / s, s)))
        low, high = (percent(min(one, 1.0), 1) for one in (stack.fibre_fraction / s, stack.fibre_fraction * s))
        by_hand = self.bench.shown(HAND_PA, "pressure difference")
        job = self.bench.document.job
        packed = "In the cavity" if job.closed else "Under the bladder" if job.in_mould else "Under film"
        return [
            ("Loose, smoothed by hand", self.bench.shown(stack.loose_m, "thickness"), f"Packed by about {by_hand}."),
            (packed, self.bench.shown(stack.thickness_m, "thickness"), f"One standard deviation: {spread}."),
            ("Fibre by volume", percent(stack.fibre_fraction, 1), f"One standard deviation: {low} to {high}."),
            ("Fibre by weight", percent(stack.fibre_weight_fraction, 1), "Of the laminate, without core and coats."),
            ("Areal weight", self.bench.shown(stack.areal_weight_kg_m2, "areal weight"),
             f"Dry, with core and coats; × or ÷ {stack.weight_spread:.2f}."),
            ("Mass, dry", self.bench.shown(stack.areal_weight_kg_m2 * area, "mass"), "Over the area of these cells."),
            ("Resin it takes", self.bench.shown(stack.capacity_m * area, "volume"), "Voids, core, media and peel ply."),
            *self._flow_figures(stack),
            *self._cost_figures(stack_cost(self.bench.document.assessment.job, stack), area),
            *self._closed_figures(stack, area),
        ]  # fmt: skip

    def _flow_figures(self, stack: Stack) -> list[tuple[str, str, str]]:
        along, across = sorted(np.linalg.eigvalsh(np.array(stack.transmissivity_m3)), reverse=True)
        factor = math.exp(stack.log_spread)
        through = (
            "shut by the core"
            if math.isinf(stack.through_resistance_m)
            else show_power(stack.through_resistance_m, "/m")
        )
        return [
            ("Conducts best", show_power(along, "m³"),
             f"Transmissivity Σ K·h along its best direction, with grooves and media; × or ÷ {factor:.2f}."),
            ("Conducts worst", show_power(across, "m³"), f"Square to that; × or ÷ {factor:.2f}."),
            ("Resists through", through, f"Σ h/Kz of the plies; × or ÷ {stack.through_spread:.2f}."),
        ]  # fmt: skip

    def _cost_figures(self, cost: Cost, area: float) -> list[tuple[str, str, str]]:
        how = "Materials as laid and the resin that stays in them; waste and consumables come on top."
        if cost.unpriced:
            how += " Without a price: " + ", ".join(cost.unpriced) + "."
        more = " and more" if cost.unpriced else ""
        return [
            ("Materials per m²", self.bench.shown(cost.amount, "money") + more, how),
            ("Materials", self.bench.shown(cost.amount * area, "money") + more, how),
        ]

    def _closed_figures(self, stack: Stack, area: float) -> list[tuple[str, str, str]]:
        cavity = stack.cavity_m
        if cavity is None or not stack.layers:
            return []
        try:
            closed = closed_at(stack.layers, self.bench.document.assessment.job.cards, cavity)
        except ValueError as error:
            return [("In the cavity", "too thick", str(error))]
        share = ("Fibre in the cavity", percent(closed.fibre_fraction, 1), "Σ w/(ρ·h) at the cavity's height.")
        if closed.pressure_pa is None:
            return [share, ("To close it", "does not close", "No load packs the fibre so far.")]
        load = closed.pressure_pa * area / 1000
        text = f"{self.bench.shown(closed.pressure_pa, 'pressure difference')}, {load:.3g} kN"
        return [share, ("To close it", text if closed.pressure_pa else "lies loose", CLOSED_WORDS)]
