"""The house rules: the figures by which cautions judge a plan and a run, of this job and of new ones."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bibulon.desk.widgets.fields import QuantityField, column, label
from bibulon.desk.work.document import Document
from bibulon.job.edits import changed
from bibulon.job.house import HouseRules
from bibulon.job.paths import path_in
from bibulon.quantities import QuantityKind

SIZE = (860, 660)

Section = tuple[str, tuple[tuple[str, QuantityKind, str], ...]]
FIELDS: tuple[tuple[Section, ...], ...] = (
    (
        (
            "Lay-up",
            (
                ("Overlap, least", "length", "overlap_least_m"),
                ("Overlap, most", "length", "overlap_most_m"),
                ("Plies past core", "length", "past_core_m"),
                ("Open gap", "thickness", "open_gap_m"),
                ("Hottest stack", "temperature", "hottest_k"),
                ("High build", "factor", "high_build"),
                ("Slow fabric", "share", "slow_share"),
                ("Late tool side", "share", "late_share"),
            ),
        ),
        (
            "Bag and hold",
            (
                ("Film excess", "share", "film_excess"),
                ("Flange", "factor", "tapes_on_flange"),
                ("Shortest hold", "duration", "shortest_hold_s"),
                ("Oldest hold", "duration", "hold_age_s"),
            ),
        ),
        (
            "Closed mould",
            (
                ("Flange pulls", "pressure difference", "flange_vacuum_pa"),
                ("Clamps give", "factor", "clamp_reserve"),
                ("RTM, usually to", "pressure difference", "usual_pressure_pa"),
                ("RTM, seldom over", "pressure difference", "seldom_pressure_pa"),
                ("Rim full after", "share", "rim_share"),
                ("Inlets apart", "factor", "rim_uneven"),
                ("Filled resin off", "share", "filler_off"),
            ),
        ),
    ),
    (
        (
            "Lines",
            (
                ("Brake", "length", "brake_m"),
                ("Feed off media", "length", "off_media_m"),
                ("Reach of a vent", "length", "vent_reach_m"),
                ("Vents apart", "share", "vents_apart"),
                ("Narrow end", "share", "narrow_end"),
                ("Lost in hoses", "share", "supply_loss"),
                ("Hose fit", "thickness", "tube_fit_m"),
                ("Hose waste", "share", "hose_waste"),
                ("Large part", "area", "large_part_m2"),
                ("Pot reserve", "factor", "pot_reserve"),
                ("Pump-down", "duration", "pump_down_s"),
            ),
        ),
        (
            "Resin and run",
            (
                ("Thick resin", "viscosity", "thick_pa_s"),
                ("Life in the pot", "duration", "pot_time_s"),
                ("Mix off by", "temperature difference", "mix_temperature_k"),
                ("Mix ratio off by", "share", "ratio_off"),
                ("Off the mould at", "temperature difference", "green_over_k"),
                ("Trimmed at", "temperature difference", "trim_over_k"),
                ("Pot warmer by", "temperature difference", "pot_rise_k"),
                ("Bucket low", "mass", "bucket_low_kg"),
                ("Vacuum lost", "pressure difference", "vacuum_rise_pa"),
                ("Front off plan", "share", "front_off"),
            ),
        ),
    ),
)
"""In two columns: sections, and of each field its name, the kind of figure and which rule it is."""


class HouseWindow(QDialog):
    """Every house rule in a field of its own; each edit is one of the job's and can be undone."""

    def __init__(self, parent: QWidget | None, document: Document, keep: Callable[[HouseRules], None]) -> None:
        """*keep* takes the rules that new jobs are to have."""
        super().__init__(parent)
        self.document, self._keep = document, keep
        self.setWindowTitle("House rules")
        self.resize(*SIZE)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 16, 18, 16)
        layout.setSpacing(10)
        layout.addWidget(label("House rules", "title"))
        layout.addWidget(
            label("Cautions judge by these figures. They belong to this job; it began with the trade's usual ones.")
        )
        self.fields: list[QuantityField] = []
        layout.addWidget(self._columns(), 1)
        self.notes_text = label("", "muted")
        layout.addWidget(self.notes_text)
        row = QHBoxLayout()
        self._button("Usual figures", self._reset, row)
        self._button("Use for new jobs", self._use_for_new, row)
        row.addStretch(1)
        self._button("Close", self.accept, row)
        layout.addLayout(row)

    def _columns(self) -> QScrollArea:
        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 10, 0)
        row.setSpacing(28)
        for sections in FIELDS:
            side = column(6)
            for title, fields in sections:
                side.addWidget(label(title.upper(), "section"))
                for name, kind, rule in fields:
                    hint = (HouseRules.model_fields[rule].description or "").strip()
                    field = QuantityField(self.document, name, kind, path_in("house", rule), hint)
                    field.committed.connect(self._refresh)
                    self.fields.append(field)
                    side.addWidget(field)
                    side.addWidget(label(hint, "muted"))
            side.addStretch(1)
            row.addLayout(side, 1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(body)
        return area

    def _button(self, text: str, do: Callable[[], object], row: QHBoxLayout) -> None:
        made = QPushButton(text)
        made.setAutoDefault(False)
        made.clicked.connect(lambda _=False: do())
        row.addWidget(made)

    def _refresh(self) -> None:
        self.notes_text.setText("")
        for field in self.fields:
            field.refresh()

    def _reset(self) -> None:
        self.document.edit("house rules", changed(self.document.job, house=HouseRules()))
        self._refresh()

    def _use_for_new(self) -> None:
        self._keep(self.document.job.house)
        self.notes_text.setText("New jobs begin with these figures.")
