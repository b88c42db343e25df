"""The shot card: what a shot in a closed mould is to be, on one page beside the press, with room for its figures."""

from __future__ import annotations

from io import BytesIO

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, SimpleDocTemplate, Spacer, Table

from bibulon.assess import Assessment
from bibulon.cautions.safety import CLOSING, DEFER, PRESSED
from bibulon.job.pair import InjectionStep, UntilMass, UntilPressure, UntilTime, UntilVolume
from bibulon.mould.shot_checks import shot_checks
from bibulon.mould.shots import chart_of, figures_for, shots_of
from bibulon.quantities import from_to, show
from bibulon.record.plan_drawing import PlanDrawing
from bibulon.record.sheet import BOLD, Sheet

MARGIN_MM = 13
PLAN_MM = (86, 62)


def shot_card_pdf(assessment: Assessment) -> bytes:
    """The card as PDF, one page of A4."""
    out = BytesIO()
    margin = MARGIN_MM * mm
    SimpleDocTemplate(
        out, pagesize=A4, leftMargin=margin, rightMargin=margin, topMargin=margin, bottomMargin=margin,
        title=f"{assessment.job.name}: shot card",
    ).build(_Card(assessment).story())  # fmt: skip
    return out.getvalue()


class _Card(Sheet):
    def story(self) -> list[Flowable]:
        job = self.job
        pressed = job.pair.injection.source != "bucket"
        settings = self.table(["Set", "To"], self.settings(), [40, 52])
        plan = PlanDrawing(self.assessment, PLAN_MM[0] * mm, PLAN_MM[1] * mm, BOLD)
        return [
            self.text(f"{job.name}: shot card", "title"),
            self.text(f"{job.shop.name} · {job.process}" if job.shop.name else job.process, "muted"),
            Spacer(1, 4),
            Table([[settings, plan]], [96 * mm, 88 * mm]),
            self.text("This shot", "head"),
            self.table(["", "Within", "Read", "", "Within", "Read"], self.figures(), [32, 34, 26, 32, 34, 26]),
            self.text("Checks", "head"),
            self.table(["", "", "Checked by"], self.checks(), [11, 143, 30]),
            Spacer(1, 4),
            self.text(" ".join((CLOSING, PRESSED) if pressed else (CLOSING,)), "muted"),
            self.text(DEFER, "muted"),
        ]

    def settings(self) -> list[list[str]]:
        job, pair = self.job, self.job.pair
        warm = pair.injection.resin_temperature_k or job.shop.temperature_k
        rows = [
            ["Flange", self.show(pair.flange_pa, "pressure")],
            ["Cavity", self.show(pair.cavity_pa, "pressure")],
            ["Until gel", self.show(pair.hold_pa, "pressure")],
            ["Resin", f"{job.resin.name}, {self.show(warm, 'temperature')}"],
            ["Charge", self.show(self.assessment.charge.total_kg, "mass")],
        ]
        for number, step in enumerate(pair.injection.steps, 1):
            rows.append([f"Step {number}, {pair.injection.source}", self.step(step)])
        fill = self.assessment.fill
        if fill is not None and fill.fill_time_s is not None:
            rows.append(["Full after about", self.show(fill.fill_time_s, "duration")])
        return rows

    def step(self, step: InjectionStep) -> str:
        pressure = self.show(step.over_pressure_pa, "pressure difference")
        if step.rate_m3_s is None:
            does = "vacuum alone" if step.over_pressure_pa == 0 else pressure
        else:
            does = f"{self.show(step.rate_m3_s, 'flow rate')}, {pressure} at most"
        until = step.until
        if isinstance(until, UntilVolume):
            return f"{does} until {self.show(until.volume_m3, 'volume')}"
        if isinstance(until, UntilMass):
            return f"{does} until {self.show(until.mass_kg, 'mass')}"
        if isinstance(until, UntilTime):
            return f"{does} until {self.show(until.time_s, 'duration')}"
        if isinstance(until, UntilPressure):
            return f"{does} until {self.show(until.over_pressure_pa, 'pressure difference')}"
        return does

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

    def checks(self) -> list[list[str]]:
        return [[check.label, check.text, ""] for check in shot_checks(self.job, self.units)]
