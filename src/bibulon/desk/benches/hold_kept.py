"""Hold, third part: the tests that were kept, and the house rules that judge them."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QVBoxLayout,
)

from bibulon.desk.widgets.fields import column, label, tool_button
from bibulon.desk.widgets.rank_mark import RankMark
from bibulon.job.edits import changed, revised
from bibulon.job.hold import HoldTest, Rule
from bibulon.job.paths import path_in
from bibulon.quantities import QuantityKind, show
from bibulon.vacuum.hold import RULES
from bibulon.vacuum.two_spaces import read_pair

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench

LIMITS: dict[Rule, tuple[tuple[str, QuantityKind, str], ...]] = {
    "no visible drop": (
        ("Visible drop", "pressure difference", "visible_drop_pa"),
        ("Held for", "duration", "short_hold_s"),
    ),
    "drop per time": (("Drop in 10 min, {area}", "pressure difference", "drop_pa_per_600_s"),),
    "pressure reached": (("Reach", "pressure", "reach_pa"),),
    "long soak": (("Soak", "duration", "soak_s"),),
    "leak rate": (("Leak allowed", "leak rate", "leak_pa_m3_s"),),
}


class KeptTests:
    """The kept tests of a Hold *bench*, and its rules."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        self.bench.watch(self._kept_key, column(4), self._fill_kept)

    def build_rules(self) -> None:
        self.bench.section("House rules")
        self.bench.watch(lambda: (self.document.job.hold_rules, self.document.settings), column(2), self._fill_rules)

    def _kept_key(self) -> object:
        assessment = self.document.assessment
        return (
            tuple((test, verdict.passed, verdict.leak_pa_m3_s) for test, verdict in assessment.hold_verdicts),
            self.document.settings.system,
        )

    def _fill_kept(self, layout: QVBoxLayout) -> None:
        units = self.document.assessment.units
        for test, verdict in self.document.assessment.hold_verdicts:
            frame = QFrame()
            frame.setProperty("role", "card")
            row = QHBoxLayout(frame)
            row.setContentsMargins(8, 6, 6, 6)
            mark = ("settled" if verdict.passed else "stop") if verdict.rules else "caution"
            row.addWidget(RankMark(mark, 18), 0, Qt.AlignmentFlag.AlignTop)
            texts = column(1)
            says = ("Passed" if verdict.passed else "Failed") if verdict.rules else "Not judged"
            texts.addWidget(label(f"{says}: {test.stage}", "figure"))
            when = test.taken_at.strftime("%d %b %H:%M")
            length = show(test.readings[-1][0], "duration")
            leak = show(verdict.leak_pa_m3_s, "leak rate", units)
            texts.addWidget(label(f"{when}, {length}, {len(test.readings)} readings, leak {leak}", "muted"))
            pair = read_pair(test, self.document.job.hold_rules)
            if pair is not None:
                texts.addWidget(label(pair.text(units)))
            for rule in verdict.rules:
                if not rule.passed:
                    texts.addWidget(label(f"{rule.rule}: {rule.text}"))
            row.addLayout(texts, 1)
            remove = tool_button("remove", f"Take out the test of {when}", partial(self._remove, test))
            row.addWidget(remove, 0, Qt.AlignmentFlag.AlignTop)
            layout.addWidget(frame)
        if not self.document.job.hold_tests:
            layout.addWidget(label("No test kept yet.", "muted"))
            return
        touched = QPushButton("Something was touched")
        touched.setAutoDefault(False)
        touched.setToolTip("Log that something was moved since the last test: it has to be held again")
        touched.clicked.connect(lambda _=False: self._touched())
        layout.addWidget(touched, 0, Qt.AlignmentFlag.AlignLeft)

    def _touched(self) -> None:
        text, taken = QInputDialog.getText(
            self.bench, "Something was touched", "What was touched or moved since the last test?"
        )
        if not taken:
            return
        try:
            self.bench.desk.run.log("bag touched", text=text.strip())
        except OSError as error:
            self.bench.desk.show_message(f"This was NOT logged ({error.strerror or error}). Write it down.")

    def _remove(self, test: HoldTest) -> None:
        kept = tuple(kept_test for kept_test in self.document.job.hold_tests if kept_test != test)
        self.document.edit("remove hold test", changed(self.document.job, hold_tests=kept))

    def _fill_rules(self, layout: QVBoxLayout) -> None:
        chosen = self.document.job.hold_rules.rules
        area = show(1.0, "area", self.document.assessment.units)
        for rule in RULES:
            if rule == "pressure reached" and self.document.job.in_mould:
                continue  # the cavity is regulated to less than all the vacuum there is
            box = QCheckBox(rule)
            box.setChecked(rule in chosen)
            box.toggled.connect(lambda on, name=rule: self._choose_rule(name, on))
            layout.addWidget(box)
            if rule in chosen:
                for name, kind, field in LIMITS[rule]:
                    self.bench.quantity(name.format(area=area), kind, path_in("hold_rules", field), into=layout)

    def _choose_rule(self, rule: Rule, on: bool) -> None:
        rules = self.document.job.hold_rules
        chosen = tuple(name for name in RULES if (on if name == rule else name in rules.rules))
        self.document.edit("house rules", changed(self.document.job, hold_rules=revised(rules, rules=chosen)))
