"""The shot card: what a shot in a closed mould is to be, on one page beside the press, with room for its figures."""

from __future__ import annotations

from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Spacer, Table

from bibulon.assess import Assessment
from bibulon.cautions.safety import DEFER, safety_notes
from bibulon.mould.shots import chart_of, figures_for, shots_of
from bibulon.quantities import show
from bibulon.quantities_in_words import from_to
from bibulon.record.mould_papers import check_rows, settings_rows
from bibulon.record.plan_drawing import PlanDrawing
from bibulon.record.sheet import BOLD, Sheet, sheet_pdf

MARGIN_MM = 13
PLAN_MM = (86, 62)


def shot_card_pdf(assessment: Assessment) -> bytes:
    """The card as PDF, one page of A4."""
    return sheet_pdf(f"{assessment.job.name}: shot card", _Card(assessment).story(), MARGIN_MM)


class _Card(Sheet):
    def story(self) -> list[Flowable]:
        job = self.job
        settings = self.table(["Set", "To"], settings_rows(self), [40, 52])
        plan = PlanDrawing(self.assessment, PLAN_MM[0] * mm, PLAN_MM[1] * mm, BOLD)
        return [
            self.text(f"{job.name}: shot card", "title"),
            self.text(f"{job.shop.name} · {job.process}" if job.shop.name else job.process, "muted"),
            Spacer(1, 4),
            Table([[settings, plan]], [96 * mm, 88 * mm]),
            self.text("This shot", "head"),
            self.table(["", "Within", "Read", "", "Within", "Read"], self.figures(), [32, 34, 26, 32, 34, 26]),
            self.text("Checks", "head"),
            self.table(["", "", "Checked by"], check_rows(self, done=False), [11, 143, 30]),
            Spacer(1, 4),
            *(self.text(note, "muted") for note in (*safety_notes(job, "mould"), DEFER)),
        ]

    def figures(self) -> list[list[str]]:
        """The figures of a shot with the limits of the shop's own shots, two in a row."""
        shots = shots_of(self.job)
        cells = []
        for figure in figures_for(self.job.process):
            chart = chart_of(figure, shots)
            within = ""
            if chart is not None and chart.low is not None and chart.high is not None:
                low, high = (show(bound, figure.kind, self.units) for bound in (max(chart.low, 0.0), chart.high))
                within = from_to(low, high)
            cells.append([figure.words, within, ""])
        cells += [["", "", ""]] * (len(cells) % 2)
        return [[*cells[at], *cells[at + 1]] for at in range(0, len(cells), 2)]
