"""Mould: the two halves, whether they stay shut, what the part comes to, and the ports."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.line_card import line_card
from bibulon.desk.benches.lines_planning import PlanningSections
from bibulon.desk.benches.lines_supply import SupplySections
from bibulon.desk.benches.mould_bladder import BladderSections, JointsSection
from bibulon.desk.benches.mould_clamp import ClampSections
from bibulon.desk.benches.mould_fittings import FittingsSection
from bibulon.desk.benches.mould_halves import HalvesSections
from bibulon.desk.benches.mould_injection import InjectionSection
from bibulon.desk.benches.mould_shot import ShotSection
from bibulon.desk.benches.valve_turns import ValveSection, valve_key
from bibulon.desk.plan.maps import MAPS
from bibulon.desk.widgets import icons
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, QuantityField, TextField, column, label, tool_button
from bibulon.desk.widgets.figure_rows import FigureRow, shown_figure
from bibulon.job import WITH_BLADDER
from bibulon.job.edits import revised, with_card, with_line, without_line
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.job.pair import MouldPair
from bibulon.job.paths import path_of
from bibulon.mould.clamp import (
    off_at_gel,
)
from bibulon.planning.mould_layouts import with_port_at
from bibulon.quantities import show
from bibulon.quantities_in_words import percent, percent_each, signed_share
from bibulon.quantity_text import parse_place, place_text
from bibulon.stock.choice import tubes_for

SENSE_M2 = 2.0
SIGHT_PX = 160
"""What is brought into sight comes with so much below it."""


class MouldBench(Bench):
    """What holds the mould shut, and what the shot makes of it."""

    long = True

    def build(self) -> None:
        self._chosen = ""
        self.figure("Fill", self._fill_time)
        blown = self.document.job.process in WITH_BLADDER
        self.figure(
            "Bladder presses by" if blown else "Stays shut by",
            shown_figure(self.document, lambda: self.document.assessment.stays_shut),
        )
        self.figure("Part at gel", self._at_gel)
        self.figure("Fibre", self._fibre)
        self.figure("To have ready", shown_figure(self.document, lambda: self.document.assessment.charge_mass))
        self.figure("A shot every", self._cycle)
        self.choice("Plan shows", self._maps, lambda: self.desk.plan.map.name, self.desk.plan.set_map)
        self.clamp = ClampSections(self)
        self.clamp.build()
        if blown:
            self.bladder = BladderSections(self)
            self.bladder.build()
        self.shot = ShotSection(self)
        self.shot.build()
        self.halves = HalvesSections(self)
        self.halves.build_cavity()
        self._build_ports()
        self.fittings = FittingsSection(self)
        self.fittings.build()
        self.halves.build()
        self.injection = InjectionSection(self)
        self.injection.build()
        self.joints = JointsSection(self)
        self.joints.build()

    def _build_ports(self) -> None:
        self.section("Inlets and vents")
        row = QHBoxLayout()
        for icon, text, tool in (("inlet", "Inlet", "inlet"), ("vent", "Vent", "vent port")):
            button = self.button(text, partial(self.desk.plan.set_tool, tool), into=row)
            icons.put(button, icon)
            button.setToolTip(f"Put {'an inlet' if icon == 'inlet' else 'a vent'} in the mould")
        self.body.addLayout(row)
        self.watch(self._ports_key, column(6), self._fill_ports)
        SupplySections(self).build_pots()
        if self.document.job.closed:
            self.planning = PlanningSections(self)
            self.planning.build_proposal()

    def refresh(self) -> None:
        super().refresh()
        if self._chosen != self.desk.plan.chosen:
            self._chosen = self.desk.plan.chosen
            head = self.halves.heads.get(self._chosen)
            if head is not None:  # the figures of what was chosen on the plan come into sight
                self.ensureWidgetVisible(head, 0, SIGHT_PX)
        fields = self.findChildren(FreeField) + self.findChildren(QuantityField) + self.findChildren(TextField)
        for field in (*fields, *self.findChildren(FigureRow)):
            field.refresh()
        self.clamp.draw()

    @property
    def pair(self) -> MouldPair:
        return self.document.job.pair

    def _maps(self) -> list[tuple[str, str]]:
        return [(kind.words, kind.name) for kind in MAPS if kind.offered(self.document)]

    # -- figures -----------------------------------------------------------------------------------------------------

    def _cycle(self) -> tuple[str, str]:
        cycle = self.document.assessment.cycle
        every = show(cycle.every_s, "duration")
        return every, f"Held up by {cycle.held_up_by}; its steps are at Series."

    def _fill_time(self) -> tuple[str, str]:
        text, how = shown_figure(self.document, lambda: self.document.assessment.fill_time)()
        usual = show(SENSE_M2, "area", self.document.assessment.units)
        return text, f"{how} A check of sense: by vacuum alone {usual} of mat often take 10 to 15 minutes."

    def _at_gel(self) -> tuple[str, str]:
        if self.document.job.process in WITH_BLADDER:
            thick = self.document.assessment.laminate.total.thickness_m
            how = "Under the bladder's pressure; no mould half holds its thickness."
            return (self.shown(thick, "thickness"), how) if thick > 0 else ("–", "Nothing lies in the mould yet.")
        fill = self.document.assessment.fill
        off = off_at_gel(fill) if fill is not None else None
        if off is None:
            rigid = fill is not None and fill.upper is None
            return (
                ("as built", "The upper half does not bend.") if rigid else ("–", self.document.assessment.why_no_fill)
            )
        tolerance = self.document.job.series.thickness_tolerance
        asked = "" if tolerance is None else f" ± {percent_each(tolerance)[0]} is asked."
        low, high = (signed_share(value, 1) for value in off)
        text = low if low == high else f"{low} to {high}"
        return text, f"Thickness against the cavity as it was built, when the resin stops.{asked}"

    def _fibre(self) -> tuple[str, str]:
        shares = [cell.stack.fibre_fraction for cell in self.document.assessment.laminate.cells if cell.stack.layers]
        if not shares:
            return "–", "Nothing lies in the cavity yet."
        low, high = percent(min(shares), 1), percent(max(shares), 1)
        how = "at the height the cavity was built to" if self.document.job.closed else "under the bladder"
        return low if low == high else f"{low} to {high}", f"Fibre by volume {how}."

    # -- ports -------------------------------------------------------------------------------------------------------

    def _ports_key(self) -> object:
        job = self.document.job
        ports = tuple((line.id, line.label, line.hose, line.is_port, valve_key(line)) for line in job.lines)
        return ports, self.desk.plan.chosen, self.document.settings.system

    def _fill_ports(self, layout: QVBoxLayout) -> None:
        for line in self.document.job.lines:
            layout.addWidget(self._card(line, line.id == self.desk.plan.chosen))
        if not self.document.job.lines:
            layout.addWidget(label("None yet. Put an inlet and a vent, or draw lines at Lines.", "muted"))

    def _card(self, line: Line, open_: bool) -> QFrame:
        frame, box, head = line_card(line, line.word, open_, self.desk.plan.choose)
        head.addWidget(label(f"{line.label or '?'}  {_kind_of(line)}", "figure"), 1)
        remove = partial(self._delete, line)
        head.addWidget(tool_button("remove", f"Delete {line.label}", remove))
        box.addLayout(head)
        if open_ and line.is_port:
            self._details(line, box)
        elif open_:
            box.addWidget(label("A line: its figures are at Lines.", "muted"))
        return frame

    def _delete(self, line: Line) -> None:
        self.document.edit(f"delete {line.label}", without_line(self.document.job, line.id))

    def _details(self, line: Line, box: QVBoxLayout) -> None:
        path = partial(path_of, "lines", line.id)
        box.addWidget(TextField(self.document, "Label", path("label"), "On the valve and on the plan."))
        box.addWidget(
            FreeField(
                "Place x, y", partial(self._place, line.id), partial(self._move, line.id), "Two lengths with a comma."
            )
        )
        cards = tubes_for(self.document.job, "hose")
        box.addWidget(
            ChoiceField(
                "Hose",
                lambda: [(card.name, key) for key, card in cards.items()],
                lambda: line.hose,
                partial(self._take_hose, line.id, cards),
            )
        )
        box.addWidget(QuantityField(self.document, "Hose length", "distance", path("hose_length_m")))
        ValveSection(self, line.id).build(box)

    def _place(self, identifier: str) -> str:
        return place_text(self.document.job.line(identifier).place, self.document.assessment.units)

    def _move(self, identifier: str, text: str) -> None:
        place = parse_place(text, self.document.assessment.units)
        self.document.edit("place of port", with_port_at(self.document.job, identifier, place))

    def _take_hose(self, identifier: str, cards: dict[str, TubeCard], hose: str) -> None:
        job = with_card(self.document.job, cards[hose])
        line = revised(job.line(identifier), hose=hose, tube=hose)
        self.document.edit(f"hose of {line.label}", with_line(job, line))


def _kind_of(line: Line) -> str:
    if not line.is_port:
        return f"{line.kind} line"
    return line.word
