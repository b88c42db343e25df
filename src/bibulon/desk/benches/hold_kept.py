"""Hold, third part: the tests that were kept."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QVBoxLayout,
)

from bibulon.desk.widgets.fields import column, label, tool_button
from bibulon.desk.widgets.rank_mark import RankMark
from bibulon.job.edits import changed
from bibulon.job.hold import HoldTest
from bibulon.quantities import show
from bibulon.vacuum.two_spaces import read_pair

if TYPE_CHECKING:
    from bibulon.desk.benches.base import Bench


class KeptTests:
    """The kept tests of a Hold *bench*."""

    def __init__(self, bench: Bench) -> None:
        self.bench, self.document = bench, bench.document

    def build(self) -> None:
        self.bench.watch(self._kept_key, column(4), self._fill_kept)

    def _kept_key(self) -> object:
        assessment = self.document.assessment
        return (
            tuple((test, verdict.rules, verdict.leak_pa_m3_s) for test, verdict in assessment.hold_verdicts),
            assessment.hold_figures,
            assessment.area_together_m2,
            self.document.settings,
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
            pair = read_pair(test, self.document.assessment.hold_figures, self.document.assessment.area_together_m2)
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
