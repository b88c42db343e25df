"""Mould: the bladder inside a hollow part, and the joints that resin could leave by."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bibulon.desk.benches.mould_halves import put_pair
from bibulon.desk.benches.mould_held import HeldSection
from bibulon.desk.widgets.choices import ChoiceField, ToggleField
from bibulon.desk.widgets.fields import FreeField, column, label, tool_button
from bibulon.job import WITH_BLADDER
from bibulon.job.edits import revised
from bibulon.job.pair import Joint
from bibulon.mould.bladder import girth_of, hollow_mass, most_over_pa, parting_force_n, pressure_lost
from bibulon.quantities_in_words import brief, from_to, signed_share

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

SEALED = {"on the resin side": "resin side", "on the outside only": "outside only", "not sealed": "not at all"}
USUAL = ("Parting line", "Ends of the part", "Bladder's neck", "Inlet", "Vent")


class BladderSections:
    """The bladder's card of a *bench*, and what it may be asked."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        bench = self.bench
        bench.section("Bladder")
        over = "Over the atmosphere, by its own gauge. 0: it is open to it."
        bench.quantity("Blown up to", "pressure difference", "pair/bladder/over_pressure_pa", over, decimals=0)
        made_for = "The most that bladder and outer mould are made for."
        bench.quantity("Made for", "pressure difference", "pair/bladder/rated_pa", made_for, decimals=0)
        bench.quantity("Its girth", "length", "pair/bladder/girth_m", "Round it, lying easy.", empty="not said")
        bench.quantity("It stretches by", "share", "pair/bladder/stretch", "Before it tears.")
        bench.add(
            ToggleField(
                "The plan's long sides are one line", lambda: self.document.job.pair.bladder.wraps, self._wraps,
                "The part is developed flat round its section: resin passes from one long side to the other.",
            )
        )  # fmt: skip
        bench.figure("The part is round", self._girth)
        bench.figure("Part weighs", self._weighs)
        bench.figure("Parts the mould with", self._force)
        bench.figure("If it loses pressure", self._lost)
        bench.watch(lambda: (self.document.job.pair, self.document.settings), column(4), self._fill_answer)
        HeldSection(bench).build()

    def _wraps(self, on: bool) -> None:
        put_pair(self.document, "how the part closes", bladder=revised(self.document.job.pair.bladder, wraps=on))

    def _girth(self) -> tuple[str, str]:
        girth = girth_of(self.document.job)
        if girth is None:
            return "–", "The plan has no two long straight sides that are one line of the part."
        low, high = (self.bench.shown(at, "length") for at in (girth.narrowest_m, girth.widest_m))
        return (low if low == high else from_to(low, high)), "Across the plan between its two long sides."

    def _weighs(self) -> tuple[str, str]:
        mass = hollow_mass(self.document.job)
        if mass is None:
            return "–", "Its girth and its laminate are not known yet."
        hollow, solid = (self.bench.shown(kg, "mass") for kg in (mass.hollow_kg, mass.solid_kg))
        return hollow, f"With its resin; solid it would weigh {solid}."

    def _force(self) -> tuple[str, str]:
        how = "About: its pressure on the part seen from above, taken as round."
        return self.bench.shown(parting_force_n(self.document.job), "force"), how

    def _lost(self) -> tuple[str, str]:
        lost = pressure_lost(self.document.job)
        if lost is None:
            return "–", "Nothing lies in the mould yet."
        lifts = "The resin, pressed as planned, lifts it off the mould." if lost.lifts else ""
        return f"{signed_share(lost.thicker, 0)} thick", f"With the atmosphere in the bladder. {lifts}".strip()

    def _fill_answer(self, layout: QVBoxLayout) -> None:
        most = most_over_pa(self.document.job)
        injection = self.document.job.pair.injection
        row = QHBoxLayout()
        text = brief(most, "pressure difference", self.document.assessment.units)
        said = f"Injection: up to {text} over the atmosphere stays under the bladder, even with the vent shut."
        row.addWidget(label(said), 1)
        planned = max(step.over_pressure_pa for step in injection.steps)
        if planned > most:
            use = self.bench.button("Use it", partial(self._use, most), into=row)
            use.setAccessibleName(f"Use it: {said}")
        layout.addLayout(row)

    def _use(self, most_pa: float) -> None:
        injection = self.document.job.pair.injection
        steps = tuple(
            revised(step, over_pressure_pa=min(step.over_pressure_pa, most_pa))
            if step.until.kind != "until a pressure"
            else step
            for step in injection.steps
        )
        put_pair(self.document, "injection pressure", injection=revised(injection, steps=steps))


class JointsSection:
    """The joints of the mould of a *bench*, each with the side that it is sealed on."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    @property
    def joints(self) -> tuple[Joint, ...]:
        return self.document.job.pair.joints

    def build(self) -> None:
        self.bench.section("Joints")
        words = "Beside the seals." if self.document.job.process not in WITH_BLADDER else "All there are."
        self.bench.body.addWidget(label(f"{words} Each is sealed where the resin is, and ticked at Shoot.", "muted"))
        self.bench.watch(lambda: (self.joints, self.document.settings), column(4), self._fill)

    def _fill(self, layout: QVBoxLayout) -> None:
        for number, joint in enumerate(self.joints):
            row = QHBoxLayout()
            name = f"Joint {number + 1}"
            row.addWidget(FreeField(name, partial(self._name, number), partial(self._rename, number)), 1)
            row.addWidget(tool_button("remove", f"Take out {joint.name}", partial(self._remove, number)))
            layout.addLayout(row)
            layout.addWidget(
                ChoiceField(
                    "Sealed", lambda: [(words, side) for side, words in SEALED.items()],
                    partial(self._side, number), partial(self._seal, number),
                )
            )  # fmt: skip
        self.bench.button("Add a joint", self._add, "", layout)
        if not self.joints:
            self.bench.button("List the usual ones", self._usual, "", layout)

    def _joint(self, number: int) -> Joint:
        return self.joints[min(number, len(self.joints) - 1)]

    def _name(self, number: int) -> str:
        return self._joint(number).name

    def _side(self, number: int) -> str:
        return self._joint(number).sealed

    def _put(self, name: str, joints: tuple[Joint, ...]) -> None:
        put_pair(self.document, name, joints=joints)

    def _rename(self, number: int, text: str) -> None:
        if not text.strip():
            raise ValueError("Say what joint it is, or take it out.")
        self._put("name of a joint", self._with(number, revised(self._joint(number), name=text.strip())))

    def _seal(self, number: int, side: str) -> None:
        if side != self._side(number):
            self._put("seal of a joint", self._with(number, revised(self._joint(number), sealed=side)))

    def _with(self, number: int, joint: Joint) -> tuple[Joint, ...]:
        return (*self.joints[:number], joint, *self.joints[number + 1 :])

    def _add(self) -> None:
        self._put("a joint", (*self.joints, Joint(name=f"Joint {len(self.joints) + 1}", sealed="not sealed")))

    def _usual(self) -> None:
        self._put("the usual joints", tuple(Joint(name=name, sealed="not sealed") for name in USUAL))

    def _remove(self, number: int) -> None:
        self._put("take out a joint", tuple(joint for at, joint in enumerate(self.joints) if at != number))
