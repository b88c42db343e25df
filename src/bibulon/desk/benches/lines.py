"""Lines: feed and vent lines with their valves, media, bucket and pots, in figures."""

from __future__ import annotations

from functools import partial
from typing import get_args

from pydantic import ValidationError
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout
from shapely import LineString

from bibulon.desk.benches.base import Bench
from bibulon.desk.benches.hose_air import HoseAirMap
from bibulon.desk.benches.hose_ends import HoseEnds
from bibulon.desk.benches.line_card import line_card
from bibulon.desk.benches.lines_planning import PlanningSections
from bibulon.desk.benches.lines_supply import SupplySections
from bibulon.desk.benches.plumbing import PlumbingSections
from bibulon.desk.benches.valve_turns import ValveSection
from bibulon.desk.plan.maps import MAPS
from bibulon.desk.widgets import icons
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, QuantityField, TextField, column, label, tool_button
from bibulon.desk.widgets.figure_rows import shown_figure
from bibulon.durations import run_clock
from bibulon.flow.result import STOP_WORDS
from bibulon.job.edits import (
    revised,
    with_card,
    with_length,
    with_line,
    without_line,
)
from bibulon.job.faults import explain_here
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import (
    Line,
)
from bibulon.job.paths import path_of
from bibulon.job.words import presses_word
from bibulon.laminate.relief import developed_length_m
from bibulon.quantities import show
from bibulon.quantities_in_words import show_full
from bibulon.quantity_text import parse, parse_place, place_text
from bibulon.stock.choice import tubes_for


class LinesBench(Bench):
    """Everything that feeds and evacuates."""

    long = True

    def build(self) -> None:
        self.hose_air = HoseAirMap(self)
        self._opened: tuple[tuple[str, int], ...] = ()
        self.figure("Fill", shown_figure(self.document, lambda: self.document.assessment.fill_time))
        self.figure("Ends", self._ending)
        self.figure("Tool side lags", self._lag)
        self.choice("Plan shows", self._maps, lambda: self.desk.plan.map.name, self.desk.plan.set_map)
        row = QHBoxLayout()
        in_mould = self.document.job.in_mould
        tools = (("feed", "Feed", "feed"), ("vent", "Vent", "vent"), ("media", "Media", "media"))
        for icon, text, tool in tools[:2] if in_mould else tools:
            button = self.button(text, partial(self.desk.plan.set_tool, tool), into=row)
            icons.put(button, icon)
            button.setToolTip(f"Draw a {text.lower()} on the plan ({text[0]})")
        self.body.addLayout(row)
        self.planning = PlanningSections(self)
        if not in_mould:
            self.planning.build_questions()
        self.planning.build_sure()
        self.section("Lines")
        self.lines = column(6)
        self.watch(self._structure, self.lines, self._fill_lines)
        self.supply = SupplySections(self)
        self.supply.build_manifolds()
        self.plumbing = PlumbingSections(self)
        self.plumbing.build_hoses()
        if in_mould:
            self._build_pump()
            self.planning.build_effects()
            return
        self.supply.build_media()
        self.section("Bucket, vacuum, pots")
        self.quantity("Bucket below part", "length", "bucket/below_part_m", "Negative if it stands above the part.")
        self.plumbing.build_bucket()
        self.quantity("Vacuum planned", "pressure", "vacuum/cavity_pa", "Pressure under the film.")
        self.quantity("Pump reaches", "pressure", "vacuum/pump_ultimate_pa", "Its ultimate vacuum.", decimals=1)
        self.quantity("Pump speed", "pump speed", "vacuum/pump_speed_m3_s")
        self.figure("Pulled down in", shown_figure(self.document, lambda: self.document.assessment.pump_down))
        pot = "Over the atmosphere, in a pressure pot, or the most a machine gives. 0: an open bucket."
        self.quantity("Pressure on resin", "pressure difference", "bucket/over_pressure_pa", pot)
        self.quantity("Machine holds", "flow rate", "bucket/rate_m3_s", "0: the vacuum or the pot draws what it may.")
        self.plumbing.build_pump()
        self.supply.build_pots()
        self.planning.build_effects()

    def _build_pump(self) -> None:
        self.section("Pump")
        self.quantity("Pump reaches", "pressure", "vacuum/pump_ultimate_pa", "Its ultimate vacuum.", decimals=1)
        self.quantity("Pump speed", "pump speed", "vacuum/pump_speed_m3_s")
        self.figure("Pulled down in", shown_figure(self.document, lambda: self.document.assessment.pump_down))

    def _ending(self) -> tuple[str, str]:
        fill = self.document.assessment.fill
        if fill is None:
            return "–", str(self.document.assessment.refusal or "")
        if fill.fill_time_s is not None:
            return "filled", f"{STOP_WORDS['filled']}."
        return f"{show_full(fill.filled_fraction)} full", f"{STOP_WORDS[fill.stopped_by]}."

    def _lag(self) -> tuple[str, str]:
        fill = self.document.assessment.fill
        if fill is None or self.document.moving:  # under the hand all levels are filled as one
            return "–", ""
        how = f"Longest wait from resin under the {presses_word(self.document.job)} to resin through."
        return f"up to {show(fill.lag_max_s, 'duration')}", how

    def _maps(self) -> list[tuple[str, str]]:
        return [(kind.words, kind.name) for kind in MAPS if kind.offered(self.document)]

    # -- lines -------------------------------------------------------------------------------------------------------

    def _structure(self) -> object:
        job = self.document.job
        if not self.document.moving:  # under the hand the times change all the while: they follow when it rests
            events = self.document.assessment.fill.events if self.document.assessment.fill else ()
            self._opened = tuple((event.line, round(event.time_s)) for event in events)
        simple = tuple(
            (
                line.id, line.label, line.kind, line.tube, line.hose, line.opens, line.turns, line.membrane,
                line.hose_way, line.fed_by, line.level_pa,
            )
            for line in job.lines
        )  # fmt: skip
        return (
            simple,
            job.cards,
            job.vacuum_pa,
            job.manifolds,
            job.plumbing,
            job.pots,
            job.house.tube_fit_m,
            job.pair.injection.source,
            self._opened,
            self.hose_air.key(),
            self.desk.plan.chosen,
            self.document.settings.system,
        )

    def refresh(self) -> None:
        self.hose_air.refresh()
        super().refresh()
        for field in self.findChildren(FreeField) + self.findChildren(QuantityField) + self.findChildren(TextField):
            field.refresh()

    def _fill_lines(self, layout: QVBoxLayout) -> None:
        for line in self.document.job.lines:
            layout.addWidget(self._card(line, line.id == self.desk.plan.chosen))
        if not self.document.job.lines:
            layout.addWidget(label("No lines yet. Draw a feed and a vent.", "muted"))

    def _card(self, line: Line, open_: bool) -> QFrame:
        frame, box, head = line_card(line, line.word, open_, self.desk.plan.choose)
        named = line.word if line.is_port else f"{line.kind} line"
        head.addWidget(label(f"{line.label or '?'}  {named}", "figure"), 1)
        head.addWidget(label(self._when(line), "muted", wrap=False))
        remove = partial(self._delete, line)
        head.addWidget(tool_button("remove", f"Delete {line.label}", remove))
        box.addLayout(head)
        if open_:
            self._details(line, box)
        return frame

    def _delete(self, line: Line) -> None:
        self.document.edit(f"delete {line.label}", without_line(self.document.job, line.id))

    def _when(self, line: Line) -> str:
        if line.kind == "vent":
            return "holds resin" if line.membrane else ("" if line.turns else "always open")
        fill = self.document.assessment.fill
        opened = next((event.time_s for event in fill.events if event.line == line.id), None) if fill else None
        return "not opened" if opened is None else f"opens {run_clock(opened)}"

    def _details(self, line: Line, box: QVBoxLayout) -> None:
        path = partial(path_of, "lines", line.id)
        box.addWidget(TextField(self.document, "Label", path("label"), "On the valve and on the plan."))
        if not line.is_port:
            self._course(line, box)
        box.addWidget(self._tube("Hose", line, "hose", "hose"))
        box.addWidget(QuantityField(self.document, "Hose length", "distance", path("hose_length_m")))
        HoseEnds(self, line.id).build(box)
        self.hose_air.build(line.id, box)
        if not line.is_port:
            box.addWidget(QuantityField(self.document, "Port at", "share", path("port_at"), "Of the line's length."))
        if line.kind == "feed":
            self._source(line, box)
        else:
            box.addWidget(
                ToggleField(
                    "Membrane: lets air through, holds resin",
                    lambda: self.document.job.line(line.id).membrane,
                    partial(self._put, line.id, "membrane"),
                )
            )
            if line.membrane:
                box.addWidget(
                    ToggleField(
                        "Its ends are sealed",
                        lambda: self.document.job.line(line.id).ends_sealed,
                        partial(self._put, line.id, "ends_sealed"),
                        "Resin gets in at open ends, and runs to the pot inside the membrane.",
                    )
                )
            box.addWidget(
                QuantityField(
                    self.document,
                    "Kept at",
                    "pressure",
                    path("level_pa"),
                    "By a regulator of its own, no deeper than the vacuum of the job.",
                    empty="the vacuum of the job",
                )
            )
            if line.level_pa is not None and line.level_pa < self.document.job.vacuum_pa:
                vacuum = self.shown(self.document.job.vacuum_pa, "pressure")
                box.addWidget(label(f"No deeper than the vacuum of the job, {vacuum}: it counts as that.", "error"))
            if not self.document.job.in_mould and not line.is_port:
                ways = [(way, way) for way in get_args(Line.model_fields["bridge"].annotation)]
                box.addWidget(
                    ChoiceField(
                        "From part to it leads",
                        lambda: ways,
                        lambda: self.document.job.line(line.id).bridge,
                        partial(self._put, line.id, "bridge"),
                        "Where it lies off the part, the film comes down between and seals unless something holds it "
                        "open.",
                    )
                )
        ValveSection(self, line.id).build(box)

    def _course(self, line: Line, box: QVBoxLayout) -> None:
        box.addWidget(FreeField("Length", lambda: self._length(line.id), lambda text: self._lengthen(line.id, text)))
        for number in (0, -1):
            name = "From x, y" if number == 0 else "To x, y"
            box.addWidget(
                FreeField(
                    name,
                    partial(self._end, line.id, number),
                    partial(self._move_end, line.id, number),
                    "In the shop's length unit, or with units: 120 mm, 60 mm",
                )
            )
        box.addWidget(self._tube("Line", line, "tube", f"{line.kind} line"))

    def _source(self, line: Line, box: QVBoxLayout) -> None:
        box.addWidget(
            ChoiceField(
                "Fed from",
                lambda: self._sources(line),
                lambda: self.document.job.line(line.id).fed_by or "",
                lambda key: self._put(line.id, "fed_by", key or None),
            )
        )

    def _put(self, identifier: str, field: str, value: object) -> None:
        line = self.document.job.line(identifier)
        try:
            self.document.edit(f"{line.label}", with_line(self.document.job, revised(line, **{field: value})))
        except ValidationError as error:
            why = explain_here(error, self.document.assessment.units)
            self.desk.show_message(f"{line.label} stays as it was. {why}")

    def _sources(self, line: Line) -> list[tuple[str, str]]:
        job = self.document.job
        manifolds = [(f"manifold {manifold.label}", manifold.id) for manifold in job.manifolds]
        return [("the bucket", ""), *manifolds, *((feed.label, feed.id) for feed in job.feeds if feed.id != line.id)]

    def _length(self, identifier: str) -> str:
        return show(self._on_mould(identifier), "length", self.document.assessment.units)

    def _on_mould(self, identifier: str) -> float:
        job = self.document.job
        return developed_length_m(job.part.relief, job.line(identifier).points)

    def _lengthen(self, identifier: str, text: str) -> None:
        length = parse(text, "length", self.document.assessment.units)
        job = self.document.job
        line = job.line(identifier)
        on_plan = length * LineString(line.points).length / self._on_mould(identifier)
        self.document.edit("length of line", with_line(job, with_length(line, on_plan)))

    def _end(self, identifier: str, number: int) -> str:
        return place_text(self.document.job.line(identifier).points[number], self.document.assessment.units)

    def _move_end(self, identifier: str, number: int, text: str) -> None:
        line = self.document.job.line(identifier)
        points = list(line.points)
        points[number] = parse_place(text, self.document.assessment.units)
        self.document.edit("end of line", with_line(self.document.job, revised(line, points=tuple(points))))

    def _tube(self, name: str, line: Line, field: str, use: str) -> ChoiceField:
        def cards() -> dict[str, TubeCard]:
            return tubes_for(self.document.job, use)

        def put(identifier: str) -> None:
            job = with_card(self.document.job, cards()[identifier])
            self.document.edit(f"{name.lower()} of {line.label}", with_line(job, revised(line, **{field: identifier})))

        return ChoiceField(
            name, lambda: [(card.name, key) for key, card in cards().items()], lambda: getattr(line, field), put
        )
