"""What a hose goes on and through, what shuts it and how it is led: fields for one hose of the plumbing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from pydantic import ValidationError
from PySide6.QtWidgets import QVBoxLayout

from bibulon.desk.benches.base import Bench
from bibulon.desk.widgets.choices import ChoiceField
from bibulon.desk.widgets.fields import FreeField, label
from bibulon.job.edits import with_card, with_hose
from bibulon.job.faults import explain_here
from bibulon.job.gear_cards import FittingCard
from bibulon.plumbing.fits import ClampFit, clamp_verdict
from bibulon.plumbing.hose_way import tightest_bend, with_way
from bibulon.plumbing.mending import elbow_for, with_reducers
from bibulon.plumbing.network import Hose, Joint, network_of
from bibulon.quantities import as_typed, show
from bibulon.quantities_in_words import brief
from bibulon.quantity_text import parse
from bibulon.stock.choice import cards_for

SHUTS = {
    "shuts": "shuts it",
    "stiff": "no clamp shuts this hose",
    "jaw": "opens too little to go round it",
    "weak": "presses too little to shut it",
    "nothing shuts it": "nothing on the shelf shuts it",
}


class HoseEnds:
    """Fields for the hose of that *name* on a *bench*."""

    def __init__(self, bench: Bench, name: str) -> None:
        self.bench, self.document, self.name = bench, bench.document, name

    @property
    def hose(self) -> Hose:
        return network_of(self.document.job).hose(self.name)

    def build(self, box: QVBoxLayout) -> None:
        """Put the fields into *box*."""
        hose = self.hose
        if any(joint.fitting is not None or joint.verdict == "nothing fits" for joint in self._port(hose)):
            self._build_port(box)
        if hose.clamps:
            box.addWidget(self._choice("Clamp", "clamp", self._clamps))
        if hose.side == "feed" and hose.clamps == 2:
            ways = [("at the bucket", "bucket"), ("at its port", "port")]
            box.addWidget(
                ChoiceField(
                    "Shut until then", lambda: ways, lambda: self.hose.fitted.shut_at, lambda at: self._put(shut_at=at),
                    "At its port the hose stands full of air until it is opened.",
                )
            )  # fmt: skip
        box.addWidget(
            FreeField(
                "Tightest bend",
                self._bend,
                self._put_bend,
                "Radius of the tightest bend; empty: that of its way on the plan, or wide where none is drawn.",
            )
        )
        if hose.way:
            box.addWidget(label(self._drawn(), "muted"))
            self.bench.button("Take the drawn way away", self._take_way, into=box)
        if hose.way or hose.fitted.elbows:
            box.addWidget(
                FreeField(
                    "Elbows",
                    lambda: str(self.hose.fitted.elbows),
                    self._put_elbows,
                    "Where it turns tightest; each resists as some of its bores of straight hose.",
                )
            )
            if hose.fitted.elbows:
                box.addWidget(self._choice("Elbow", "elbow", self._elbows))
        for end, joint in zip(("start", "end"), hose.joints, strict=True):
            if joint.wants_m is None and joint.reducer is None:
                continue
            name = "Reducer" if sum(one.wants_m is not None for one in hose.joints) < 2 else f"Reducer at {end}"
            box.addWidget(self._choice(name, f"reducer_at_{end}", self._reducers))
        for joint in hose.joints:
            if joint.verdict != "fits":
                box.addWidget(label(f"On {joint.words}.", "muted" if joint.fits else "error"))
        if any(joint.proposed is not None for joint in hose.joints):
            self.bench.button("Put a reducer between", self._mend, into=box)

    def _port(self, hose: Hose) -> tuple[Joint, ...]:
        """The end at the line, of a hose that has one."""
        if not any(line.id == self.name for line in self.document.job.lines):
            return ()
        return (hose.joints[1 if hose.side == "feed" else 0],)

    def _build_port(self, box: QVBoxLayout) -> None:
        ways = [("the tape", "tape"), ("the film", "film")]
        box.addWidget(
            ChoiceField(
                "Goes through", lambda: ways, lambda: self.hose.fitted.through, lambda way: self._put(through=way)
            )
        )
        if self.hose.fitted.through == "tape":
            box.addWidget(
                FreeField(
                    "Turns of tape",
                    lambda: str(self.hose.fitted.tape_turns),
                    lambda text: self._put(tape_turns=_whole(text)),
                    "Round the hose where it goes through the tape.",
                )
            )
        box.addWidget(self._choice("Port", "port", self._ports))

    def _choice(self, name: str, field: str, choices: Callable[[], list[tuple[str, str]]]) -> ChoiceField:
        return ChoiceField(
            name, choices, lambda: getattr(self.hose.fitted, field) or "", partial(self._put_card, field)
        )

    def _cards(self, use: str) -> list[FittingCard]:
        return [card for card in cards_for(self.document.job, FittingCard).values() if card.use == use]

    def _ports(self) -> list[tuple[str, str]]:
        found = network_of(self.document.job)  # what would be taken if none were chosen
        hose = found.hose(self.name)
        taken = next((joint.fitting for joint in self._port(hose) if joint.fitting is not None), None)
        fits = "what fits" if hose.fitted.port is not None or taken is None else f"{taken.name}, which fits"
        through = hose.fitted.through == "film"
        return [(fits, ""), *((card.name, card.id) for card in self._cards("port") if card.through_film == through)]

    def _clamps(self) -> list[tuple[str, str]]:
        hose = self.hose
        clamp = hose.clamp if hose.fitted.clamp is None else None
        usual = "what shuts it"
        if isinstance(clamp, ClampFit):
            usual = f"{clamp.card.name}, which shuts it" if clamp.card is not None else SHUTS[clamp.verdict]
        cards = [(f"{card.name}, {SHUTS[clamp_verdict(hose.card, card)]}", card.id) for card in self._cards("clamp")]
        return [(usual, ""), *cards]

    def _reducers(self) -> list[tuple[str, str]]:
        return [("none", ""), *((card.name, card.id) for card in self._cards("reducer"))]

    def _put_card(self, field: str, identifier: str) -> None:
        job = self.document.job
        if identifier:
            job = with_card(job, cards_for(job, FittingCard)[identifier])
        self.document.edit(
            f"{field.replace('_', ' ')} of {self.hose.label}", with_hose(job, self.name, **{field: identifier or None})
        )

    def _put(self, **fields: Any) -> None:
        try:
            self.document.edit(f"hose of {self.hose.label}", with_hose(self.document.job, self.name, **fields))
        except ValidationError as error:
            raise ValueError(explain_here(error, self.document.assessment.units)) from error

    def _bend(self) -> str:
        bend = self.hose.fitted.tightest_bend_m
        return "" if bend is None else as_typed(bend, "thickness", self.document.assessment.units)

    def _drawn(self) -> str:
        """What its way on the plan says of it."""
        hose, units = self.hose, self.document.assessment.units
        length = show(hose.length_m, "distance", units)
        bend = tightest_bend(hose.way, hose.fitted.elbows)
        if bend is None:
            return f"Drawn: {length}, {'straight but for its elbows' if hose.fitted.elbows else 'straight'}."
        return f"Drawn: {length}, tightest bend {brief(bend[0], 'thickness', units)}."

    def _elbows(self) -> list[tuple[str, str]]:
        return [("as wide as the hose", ""), *((card.name, card.id) for card in self._cards("elbow"))]

    def _put_elbows(self, text: str) -> None:
        """So many, and the elbow of the shelf that fits where none is chosen yet."""
        count, job = _whole(text or "0", "elbows"), self.document.job
        elbow = elbow_for(job, self.hose) if count and self.hose.fitted.elbow is None else None
        if elbow is None:
            self._put(elbows=count)
            return
        try:
            job = with_hose(with_card(job, elbow), self.name, elbow=elbow.id, elbows=count)
        except ValidationError as error:
            raise ValueError(explain_here(error, self.document.assessment.units)) from error
        self.document.edit(f"elbows of {self.hose.label}", job)

    def _take_way(self) -> None:
        self.document.edit(f"no way of hose {self.hose.label}", with_way(self.document.job, self.name, ()))

    def _put_bend(self, text: str) -> None:
        units = self.document.assessment.units
        self._put(tightest_bend_m=parse(text, "thickness", units) if text.strip() else None)

    def _mend(self) -> None:
        self.document.edit("put a reducer between", with_reducers(self.document.job, self.name))


def _whole(text: str, of: str = "turns") -> int:
    try:
        return int(text)
    except ValueError as error:
        raise ValueError(f"Write a whole number of {of}.") from error
