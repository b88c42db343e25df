"""What to prepare as PDF: everything to buy and lay ready, hoses to cut, labels to write, the calls of the shot."""

from __future__ import annotations

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Spacer

from bibulon.assess import Assessment
from bibulon.durations import run_clock
from bibulon.planning.to_prepare import ALLOWANCE, STATION_WORDS, cost_of, needed_words, needs_of
from bibulon.plumbing.network import network_of
from bibulon.record.plumbing_drawing import PlumbingDrawing
from bibulon.record.run_list import run_list
from bibulon.record.sheet import Sheet, sheet_pdf

MARGIN_MM = 16


def prepare_pdf(assessment: Assessment) -> bytes:
    """The sheets as PDF, A4."""
    return sheet_pdf(f"{assessment.job.name}: what to prepare", _Prepare(assessment).story(), MARGIN_MM)


class _Prepare(Sheet):
    def story(self) -> list[Flowable]:
        return [
            self.text(f"{self.job.name}: what to prepare", "title"),
            self.text(
                f"{self.job.shop.name} · {self.job.process}" if self.job.shop.name else self.job.process, "muted"
            ),
            Spacer(1, 4),
            *self.needs(),
            *self.hoses(),
            *self.labels(),
            *self.calls(),
        ]

    def needs(self) -> list[Flowable]:
        needs = needs_of(self.assessment)
        rows = []
        for need in needs:
            amounts = (need.amount, need.in_hand, need.to_buy)
            texts = ["" if amount is None else needed_words(need, amount, self.units) for amount in amounts]
            price = "–" if need.again else self.show(need.price, "money")
            rows.append([STATION_WORDS[need.station], need.what, need.use, *texts, price])
        heads = ["For", "What", "", "How much", "In hand", "To buy", "Price"]
        return [
            self.text("To buy and lay ready", "head"),
            self.table(heads, rows, [15, 57, 38, 19, 18, 17, 14], right=(3, 4, 5, 6)),
            self.text(cost_of(needs, self.units)),
        ]

    def hoses(self) -> list[Flowable]:
        network = network_of(self.job)

        def at(name: str) -> str:
            node = network.node(name)
            return f"{node.kind} {node.label}" if node.kind in ("manifold", "pot") else node.label

        rows = [
            [
                hose.label,
                hose.card.name,
                f"{at(hose.start)} to {at(hose.end)}",
                self.show(hose.length_m * ALLOWANCE, "distance"),
            ]
            for hose in network.hoses
        ]
        if not rows:
            return []
        return [
            self.text("Hoses to cut, each with its label at both ends", "head"),
            PlumbingDrawing(network, self.units, A4[0] - 2 * MARGIN_MM * mm, self.style["body"].fontName),
            Spacer(1, 6),
            self.table(["Label", "Hose", "From and to", "Cut"], rows, [22, 70, 62, 24], right=(3,)),
        ]

    def labels(self) -> list[Flowable]:
        marks = [
            *(f"{line.label} ({line.word})" for line in self.job.lines),
            *(f"{manifold.label} (manifold)" for manifold in self.job.manifolds),
            *(f"{pot.label} (pot)" for pot in self.job.pots),
            *(f"B{batch.number} (bucket)" for batch in self.assessment.batches),
        ]
        if not marks:
            return []
        return [self.text("Labels to write, on valve and on part", "head"), self.text(" · ".join(marks))]

    def calls(self) -> list[Flowable]:
        rows = [
            ["" if step.due_s is None else run_clock(step.due_s), step.text, step.detail, ""]
            for step in run_list(self.assessment)
        ]
        return [
            self.text("Calls of the shot: who stands there", "head"),
            self.table(["Clock", "What is called", "When", "Who"], rows, [18, 62, 68, 30]),
        ]
