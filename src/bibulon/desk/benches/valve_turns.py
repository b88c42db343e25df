"""The valve of a line at a bench: when it is opened, and all that is done to it after."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from pydantic import ValidationError
from PySide6.QtWidgets import QVBoxLayout
from shapely import LineString

from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, label
from bibulon.job.edits import revised, with_line
from bibulon.job.faults import explain_here
from bibulon.job.lines import (
    ACTIONS,
    AtTime,
    Line,
    Trigger,
    Turn,
    ValveState,
    WhenAtPoint,
    WhenBatchUsed,
    WhenFull,
    WhenReached,
    WhenTurned,
)
from bibulon.quantities import as_typed, show
from bibulon.quantity_text import parse, parse_place

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

FIRST = -1
"""The number of the first opening, before the turns."""
LATER_S = 300.0
PLACE = "Two lengths with a comma between them."


def valve_key(line: Line) -> object:
    """What the rows about a valve are made anew for: not for a figure typed into one of them."""
    return line.opens.kind, tuple((turn.to, turn.when.kind) for turn in line.turns)


class ValveSection:
    """The rows about the valve of the line *identifier* of a *bench*."""

    def __init__(self, bench: Bench, identifier: str) -> None:
        self.bench, self.document, self.identifier = bench, bench.document, identifier

    @property
    def line(self) -> Line:
        return self.document.job.line(self.identifier)

    def build(self, box: QVBoxLayout) -> None:
        line = self.line
        if line.kind == "feed":
            self._trigger_rows(box, FIRST, "Opened", "At")
        for number, turn in enumerate(line.turns):
            self._turn_rows(box, number, turn)
        if not line.turns:
            box.addWidget(label("Clamped at the end." if line.kind == "feed" else "Open until the end.", "muted"))
        again = self.bench.button("Then …", self._add, into=box)
        again.setToolTip("What is done to this valve after that: clamped, opened again, throttled")
        again.setAccessibleName(f"Then …, for {line.label}")

    # -- one turn ----------------------------------------------------------------------------------------------------

    def _turn_rows(self, box: QVBoxLayout, number: int, turn: Turn) -> None:
        words = ACTIONS[turn.to]
        count = "" if len(self.line.turns) == 1 else f" {number + 1}"
        ways = [("clamped", "clamped"), ("opened again", "open")]
        if self.line.kind == "feed":
            ways.append(("throttled", "throttled"))
        ways.append(("nothing", ""))
        box.addWidget(
            ChoiceField(f"Then{count}", lambda: ways, lambda: self.line.turns[number].to, partial(self._put_to, number))
        )
        if turn.to == "throttled":
            box.addWidget(
                FreeField(
                    f"Lets through{count}",
                    lambda: as_typed(self.line.turns[number].share, "share"),
                    lambda text: self._put_turn(number, share=parse(text, "share", self.document.assessment.units)),
                    "Of what the open hose carries.",
                )
            )
        self._trigger_rows(box, number, f"When{count}", f"{words.capitalize()} at{count}")

    def _trigger_rows(self, box: QVBoxLayout, number: int, name: str, at: str) -> None:
        box.addWidget(
            ChoiceField(name, self._triggers, lambda: _key_of(self._trigger(number)), partial(self._choose, number))
        )
        trigger, units = self._trigger(number), self.document.assessment.units
        if isinstance(trigger, WhenReached | WhenTurned):
            return
        texts: dict[type[Trigger], tuple[str, str]] = {
            AtTime: (at, "On the run clock."),
            WhenFull: ("Share full", "Of all pores."),
            WhenBatchUsed: ("Batch number", ""),
            WhenAtPoint: ("Place x, y", PLACE),
        }
        title, hint = texts[type(trigger)]
        if number != FIRST and title != at and len(self.line.turns) > 1:
            title = f"{title} {number + 1}"

        def shown() -> str:
            now = self._trigger(number)
            if isinstance(now, AtTime):
                return as_typed(now.time_s, "duration")
            if isinstance(now, WhenFull):
                return as_typed(now.share, "share")
            if isinstance(now, WhenBatchUsed):
                return str(now.batch)
            places = now.place if isinstance(now, WhenAtPoint) else ()
            return ", ".join(show(value, "length", units) for value in places).replace("−", "-")

        box.addWidget(FreeField(title, shown, partial(self._type, number), hint))

    def _triggers(self) -> list[tuple[str, str]]:
        others = [line for line in self.document.job.lines if line.id != self.identifier]
        return [
            ("by the clock", "clock"),
            *((f"when resin passes {line.label}", f"passes {line.id}") for line in self.document.job.lines),
            ("when resin is at a place", "place"),
            ("when so much is full", "full"),
            ("when a batch is used up", "batch"),
            *((f"when {line.label} is {ACTIONS[to]}", f"{to} {line.id}") for line in others for to in _turned(line)),
        ]

    def _trigger(self, number: int) -> Trigger:
        return self.line.opens if number == FIRST else self.line.turns[number].when

    # -- edits -------------------------------------------------------------------------------------------------------

    def _edit(self, **fields: object) -> None:
        line = self.line
        try:
            made = with_line(self.document.job, revised(line, **fields))
        except ValidationError as error:
            raise ValueError(explain_here(error, self.document.assessment.units)) from error
        self.document.edit(f"valve of {line.label}", made)

    def _put_turn(self, number: int, **fields: object) -> None:
        turns = tuple(revised(turn, **fields) if at == number else turn for at, turn in enumerate(self.line.turns))
        self._edit(turns=turns)

    def _put_to(self, number: int, to: str) -> None:
        if to:
            self._put_turn(number, to=to)
        else:
            self._edit(turns=tuple(turn for at, turn in enumerate(self.line.turns) if at != number))

    def _put_trigger(self, number: int, trigger: Trigger) -> None:
        if number == FIRST:
            self._edit(opens=trigger)
        else:
            self._put_turn(number, when=trigger)

    def _choose(self, number: int, key: str) -> None:
        what, _, identifier = key.partition(" ")
        middle = LineString(self.line.points).interpolate(0.5, normalized=True)
        made: dict[str, Callable[[], Trigger]] = {
            "clock": lambda: AtTime(time_s=0.0 if number == FIRST else self._after()),
            "passes": lambda: WhenReached(line=identifier),
            "place": lambda: WhenAtPoint(place=(round(middle.x, 3), round(middle.y, 3))),
            "full": lambda: WhenFull(share=0.5),
            "batch": lambda: WhenBatchUsed(batch=1),
            "open": lambda: WhenTurned(line=identifier, to="open"),
            "clamped": lambda: WhenTurned(line=identifier, to="clamped"),
            "throttled": lambda: WhenTurned(line=identifier, to="throttled"),
        }
        self._put_trigger(number, made[what]())

    def _type(self, number: int, text: str) -> None:
        trigger, units = self._trigger(number), self.document.assessment.units
        if isinstance(trigger, AtTime):
            self._put_trigger(number, AtTime(time_s=parse(text, "duration", units)))
        elif isinstance(trigger, WhenFull):
            self._put_trigger(number, WhenFull(share=parse(text, "share", units)))
        elif isinstance(trigger, WhenBatchUsed):
            self._put_trigger(number, WhenBatchUsed(batch=round(parse(text, "count", units))))
        elif isinstance(trigger, WhenAtPoint):
            self._put_trigger(number, WhenAtPoint(place=parse_place(text, units)))

    def _after(self) -> float:
        """A time some minutes after the last that is planned for this valve."""
        triggers = (self.line.opens, *(turn.when for turn in self.line.turns))
        return max((one.time_s for one in triggers if isinstance(one, AtTime)), default=0.0) + LATER_S

    def _add(self) -> None:
        turns = self.line.turns
        is_open = not turns or turns[-1].to != "clamped"
        self._edit(turns=(*turns, Turn(to="clamped" if is_open else "open", when=AtTime(time_s=self._after()))))


def _turned(line: Line) -> tuple[ValveState, ...]:
    """What may be done to a line's valve that another waits for."""
    return ("open", "clamped", "throttled") if line.kind == "feed" else ("clamped", "open")


def _key_of(trigger: Trigger) -> str:
    if isinstance(trigger, WhenReached):
        return f"passes {trigger.line}"
    if isinstance(trigger, WhenTurned):
        return f"{trigger.to} {trigger.line}"
    keys: dict[type[Trigger], str] = {AtTime: "clock", WhenAtPoint: "place", WhenFull: "full", WhenBatchUsed: "batch"}
    return keys[type(trigger)]
