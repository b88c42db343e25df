"""The traveller: the job on paper, as PDF, with plan, ply book, charge sheet, hold tests, run log and signatures."""

from __future__ import annotations

import math
from base64 import b64decode
from io import BytesIO
from typing import Any

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    Image,
    KeepTogether,
    PageTemplate,
    Spacer,
    TableStyle,
)

from bibulon.assess import Assessment
from bibulon.cautions import cautions_of
from bibulon.cautions.safety import DEFER, POT_EXOTHERM, safety_notes
from bibulon.cure.answers import demould_s, load_s, trim_s
from bibulon.durations import clock_time, run_clock
from bibulon.job.cards import CoatCard, CoreCard, FabricCard
from bibulon.job.dosing import dose_weighed
from bibulon.job.layup import role_of
from bibulon.job.lines import AtTime
from bibulon.mould.checks import mould_checks
from bibulon.quantities import show
from bibulon.quantities_in_words import brief, brief_on_scale, from_to, percent, signed_share
from bibulon.record.mould_papers import check_rows, life_rows, settings_rows, shot_rows
from bibulon.record.plan_drawing import PlanDrawing
from bibulon.record.run_list import opened_s, trigger_in_words, turns_in_words
from bibulon.record.run_log import log_rows
from bibulon.record.sheet import FACE, MUTED, Sheet
from bibulon.resin.weighed import weighed_off

PICTURE_MM = 78


class _Traveller(Sheet):
    def story(self) -> list[Flowable]:
        return [
            *self.title(),
            *self.plan(),
            *self.cautions(),
            *self.mould(),
            *self.ply_book(),
            *self.lines(),
            *self.charge(),
            *self.holds(),
            *self.shots(),
            *self.log(),
            *self.photographs(),
            *self.signatures(),
        ]

    def title(self) -> list[Flowable]:
        a = self.assessment
        facts = [
            ["Process", self.job.process, "Fill", a.fill_time.shown(self.units)],
            ["Part", self.show(a.laminate.total.area_m2, "area"), "Gel margin", a.gel_margin.shown(self.units)],
            ["Dry mass", self.show(a.laminate.total.dry_mass_kg, "mass"), "Charge", a.charge_mass.shown(self.units)],
            ["Shop", f"{self.show(self.job.shop.temperature_k, 'temperature')}, barometer "
             f"{show(self.job.shop.barometer_pa, 'pressure difference', self.units, 0)}",
             "Planned vacuum", self.show(self.job.vacuum_pa, "pressure")],
        ]  # fmt: skip
        return [
            self.text(self.job.name, "title"),
            self.text(" · ".join(filter(None, ("Traveller", self.job.shop.name))), "muted"),
            Spacer(1, 4),
            self.table(["", "", "", ""], facts, [25, 70, 35, 50]),
        ]

    def plan(self) -> list[Flowable]:
        return [Spacer(1, 8), PlanDrawing(self.assessment, 180 * mm, 85 * mm, FACE)]

    def cautions(self) -> list[Flowable]:
        cautions = cautions_of(self.assessment)
        rows = [[caution.rank.upper(), caution.message, caution.remedy] for caution in cautions]
        notes = dict.fromkeys((*safety_notes(self.job, "layup"), *safety_notes(self.job, "shoot"), POT_EXOTHERM, DEFER))
        return [
            self.text("Cautions", "head"),
            self.table(["Rank", "What", "Remedy"], rows, [20, 85, 75]) if rows else self.text("None found."),
            Spacer(1, 4),
            *(self.text(note, "muted") for note in notes),
        ]

    def mould(self) -> list[Flowable]:
        mould, cavity = self.job.mould, self.job.pair.cavity_m
        facts = [
            f"{mould.kind}, {mould.face}",
            *([f"{mould.hand} of a pair"] if mould.hand != "single" else []),
            *([f"comes apart in this order: {', '.join(mould.pieces)}"] if mould.pieces else []),
            *([f"released with {mould.release}"] if mould.release else []),
            f"at {self.show(self.job.mould_temperature_k, 'temperature')}",
            *([f"cavity {self.show(cavity, 'thickness')}"] if self.job.closed and cavity is not None else []),
        ]
        rows = []
        for check in mould_checks(self.job, self.units):
            when = check.ticked.at.strftime("%d %b %H:%M") if check.ticked else ""
            rows.append([check.label, check.text, when, check.ticked.by if check.ticked else ""])
        return [
            self.text("Mould", "head"),
            self.text(", ".join(facts) + "."),
            Spacer(1, 2),
            self.table(["", "Before anything is laid", "Checked", "By"], rows, [10, 110, 30, 30]),
            *(self.shut_mould() if self.job.in_mould else []),
        ]

    def shut_mould(self) -> list[Flowable]:
        """Settings, joints and lives of a mould that is shut all round."""
        joints = [[joint.name, joint.sealed, ""] for joint in self.job.pair.joints]
        return [
            Spacer(1, 6),
            self.table(["Set", "To"], settings_rows(self), [60, 120]),
            *([Spacer(1, 6), self.table(["Joint", "Sealed", "Checked by"], joints, [80, 60, 40])] if joints else []),
            Spacer(1, 6),
            self.table(["Wears out", "Shots made", "Good for", "Left"], life_rows(self), [80, 35, 35, 30]),
        ]

    def shots(self) -> list[Flowable]:
        """The checks of this shot and the shots before it, where a job is shot again and again."""
        if not self.job.in_mould:
            return []
        heads, rows = shot_rows(self)
        width = 142 / (len(heads) - 2)
        return [
            self.text("Checks of this shot", "head"),
            self.table(["", "", "Checked"], check_rows(self, done=True), [11, 129, 40]),
            self.text("Shots", "head"),
            self.table(heads, rows, [12, 26, *(width for _ in heads[2:])])
            if rows
            else self.text("None has been logged."),
            *([self.text("! deserves a look: off its chart.", "muted")] if rows else []),
        ]

    def ply_book(self) -> list[Flowable]:
        cards = {card.id: card for card in self.job.cards}
        groups = {group.name: group for group in self.job.groups}
        rows = []
        for number, layer in enumerate(self.job.layup, 1):
            card = cards[layer.card]
            weight = ""
            if isinstance(card, FabricCard | CoatCard):
                weight = self.show(card.areal_weight_kg_m2, "areal weight")
            elif isinstance(card, CoreCard):
                weight = self.show(card.thickness_m, "thickness")
            angle = show(layer.angle_deg, "angle", self.units)
            count = f"{layer.count} ×"
            if layer.group is not None:
                group = groups[layer.group]
                count += f" in {group.name}, which is laid {group.times} ×"
                if group.preform is not None:
                    count += " as a preform"
                    if group.preform.weighed_kg is not None:
                        count += f" of {self.show(group.preform.weighed_kg, 'mass')}"
            role = role_of(layer, card)
            name = card.name if role in ("ply", "core", "surface coat") else f"{card.name} ({role})"
            rows.append([str(number), name, weight, angle, layer.region or "whole part", count, ""])
        return [
            self.text("Ply book, from the tool face", "head"),
            self.table(["", "Material", "", "Angle", "Region", "Count", "Laid by"], rows, [8, 62, 25, 15, 28, 26, 16]),
        ]

    def lines(self) -> list[Flowable]:
        opened = opened_s(self.assessment)
        rows = []
        for line in self.job.lines:
            if line.kind == "vent":
                when = "open from the start"
            else:
                when = trigger_in_words(self.assessment, line.opens)
                if line.id in opened and not isinstance(line.opens, AtTime):
                    when += f" (about {run_clock(opened[line.id])})"
            turned = turns_in_words(self.assessment, line)
            hose = self.show(line.hose_length_m, "distance")
            rows.append([line.label, line.word, hose, f"{when}, {turned}" if turned else when])
        return [
            self.text("Lines and valves", "head"),
            self.table(["Label", "Line", "Hose", "What is done to its valve"], rows, [20, 25, 30, 105]),
        ]

    def charge(self) -> list[Flowable]:
        charge = self.assessment.charge
        items = [[item.name, item.how, self.show(item.mass_kg, "mass")] for item in charge.items]
        items.append(["Total", "", self.show(charge.total_kg, "mass")])
        parts = sum(component.parts_by_weight for component in self.job.resin.components)
        heads = [f"{component.name} by weight" for component in self.job.resin.components]
        batches = [
            [
                f"B{batch.number}",
                self.show(batch.mass_kg, "mass"),
                *(
                    self.show(batch.mass_kg * component.parts_by_weight / parts, "mass")
                    for component in self.job.resin.components
                ),
                clock_time(self.job.shot_start_s + batch.mix_s),
                clock_time(self.job.shot_start_s + batch.usable_until_s),
                "",
            ]
            for batch in self.assessment.batches
        ]
        width = 76 / len(heads)
        return [
            self.text(f"Charge: {self.job.resin.name}", "head"),
            self.table(["Where it goes", "How it came about", "Mass"], items, [50, 105, 25], right=(2,)),
            Spacer(1, 6),
            self.table(
                ["Batch", "Mass", *heads, "Mix at", "Use by", "Mixed by"],
                batches,
                [14, 22, *(width for _ in heads), 20, 20, 28],
            ),
            *self.weighed(),
            *self.cure(),
        ]

    def weighed(self) -> list[Flowable]:
        """Batches as they were mixed, where somebody has written it down."""
        mixed = self.job.mixed
        if not mixed:
            return []
        names = [component.name for component in self.job.resin.components]
        dosed = self.job.resin.dose is not None
        rows = [
            [
                f"B{record.number}",
                *(self.show(mass, "mass") for mass in record.masses_kg),
                self.show(record.temperature_k, "temperature"),
                record.mixed_at,
                signed_share(weighed_off(self.job.resin, record.masses_kg), 1),
                *([percent(dose_weighed(self.job.resin, record.masses_kg) or 0.0, 2)] if dosed else []),
            ]
            for record in mixed
            if len(record.masses_kg) == len(names)
        ]
        return [
            self.text("As weighed", "head"),
            self.table(
                ["", *names, "Mix at", "Mixed", "Ratio off", *(["Dose"] if dosed else [])],
                rows,
                [14, *((92 if dosed else 110) / len(names) for _ in names), 20, 20, 20, *([18] if dosed else [])],
            ),
        ]

    def cure(self) -> list[Flowable]:
        """What the cure comes to, and the ramps and holds that are planned."""
        plan, study, start = self.assessment.cure, self.assessment.cure_study, self.job.shot_start_s
        rows = [
            ["Last gel", clock_time(start + plan.gel_s)],
            ["Vacuum off, not before", clock_time(start + plan.release_s)],
        ]
        if study is not None and study.stacks:
            times = (
                ("Demould", demould_s(self.job, study)), ("Trim", trim_s(self.job, study)),
                ("Fit to be loaded", load_s(self.job, study)),
            )  # fmt: skip
            rows += [
                [name, clock_time(start + time) if math.isfinite(time) else "not by itself"] for name, time in times
            ]
            rows.append(["Hottest in the cure", self.show(study.hottest.peak_k, "temperature")])
        for left in self.assessment.leftovers:
            mass = brief_on_scale(left.mass_kg, "mass", self.assessment.units)
            hot = brief(left.peak_k, "temperature", self.assessment.units)
            what = "in water" if left.under_vacuum else "out of the shop"
            out = f"; {what} by {clock_time(start + left.out_by_s)}" if left.runs_away else ""
            rows.append([f"Left {left.where}", f"{mass}, up to about {hot}{out}"])
        for number, step in enumerate(self.job.curing.steps, 1):
            heats = "oven" if step.heats == "oven" else "mould"
            ramp, hold = show(step.ramp_s, "duration"), show(step.hold_s, "duration")
            rows.append([f"Step {number}: {heats}", f"{self.show(step.to_k, 'temperature')}, ramp {ramp}, hold {hold}"])
        return [self.text("Cure", "head"), self.table(["", ""], rows, [60, 120])]

    def holds(self) -> list[Flowable]:
        rows = []
        for test, verdict in self.assessment.hold_verdicts:
            low, high = verdict.leak_band_pa_m3_s
            leak, least, most = (self.show(leak_rate, "leak rate") for leak_rate in (verdict.leak_pa_m3_s, low, high))
            band = f"{leak} ({from_to(least, most)})"
            rules = "; ".join(
                f"{rule.rule}: {'pass' if rule.passed else 'FAIL'}, {rule.text}" for rule in verdict.rules
            )
            rows.append(
                [
                    test.taken_at.strftime("%Y-%m-%d %H:%M"),
                    test.stage,
                    band,
                    "pass" if verdict.passed else "FAIL",
                    rules,
                ]
            )
        return [
            self.text("Hold tests", "head"),
            self.table(["Taken", "Stage", "Leak (95 % band)", "Verdict", "House rules"], rows, [26, 28, 45, 16, 65])
            if rows
            else self.text("None entered."),
        ]

    def log(self) -> list[Flowable]:
        rows = [
            [str(row.number or ""), row.at.strftime("%d %b %H:%M:%S"), row.clock, row.what, row.details]
            for row in log_rows(self.job.shot if self.job.in_mould else self.job.run, self.assessment.units)
        ]
        return [
            self.text("Run log of this shot" if self.job.in_mould else "Run log", "head"),
            self.table(["", "Time", "Clock", "What", "Details"], rows, [10, 32, 18, 44, 76])
            if rows
            else self.text("No shot has been run."),
        ]

    def photographs(self) -> list[Flowable]:
        pictures: list[Flowable] = []
        for event in self.job.run:
            if event.kind == "photographed" and event.photograph:
                try:
                    picture = Image(BytesIO(b64decode(event.photograph)), lazy=0)
                except (OSError, ValueError):  # a job from elsewhere may carry what is no picture
                    continue
                ratio = min(PICTURE_MM * mm / picture.drawWidth, PICTURE_MM * mm / picture.drawHeight)
                picture.drawWidth, picture.drawHeight = picture.drawWidth * ratio, picture.drawHeight * ratio
                words = f"{event.label} {event.text}, {event.at:%d %b %H:%M}" + (f", {event.by}" if event.by else "")
                pictures.append(KeepTogether([picture, self.text(words, "muted"), Spacer(1, 5)]))
        return [self.text("Photographs", "head"), *pictures] if pictures else []

    def signatures(self) -> list[Flowable]:
        rows = [["Laid up", "", ""], ["Hold test", "", ""], ["Shot led", "", ""], ["Released", "", ""]]
        table = self.table(["Signatures", "Name", "Date and signature"], rows, [35, 65, 80])
        table.setStyle(TableStyle([("BOTTOMPADDING", (0, 1), (-1, -1), 14)]))
        return [KeepTogether([Spacer(1, 10), table])]


def traveller_pdf(assessment: Assessment) -> bytes:
    """The traveller of a job as PDF."""
    stream = BytesIO()
    traveller = _Traveller(assessment)

    def foot(canvas: Any, document: Any) -> None:
        canvas.setFont(FACE, 8)
        canvas.setFillColor(MUTED)
        canvas.drawString(15 * mm, 9 * mm, f"{assessment.job.name} · planning figures, not approval")
        canvas.drawRightString(A4[0] - 15 * mm, 9 * mm, f"Page {document.page}")

    document = BaseDocTemplate(
        stream, pagesize=A4, title=f"Traveller: {assessment.job.name}", author="Bibulon", leftMargin=15 * mm,
        rightMargin=15 * mm, topMargin=14 * mm, bottomMargin=16 * mm,
    )  # fmt: skip
    frame = Frame(15 * mm, 16 * mm, A4[0] - 30 * mm, A4[1] - 30 * mm, 0, 0, 0, 0)
    document.addPageTemplates(PageTemplate("page", [frame], onPage=foot))
    document.build(traveller.story())
    return stream.getvalue()
