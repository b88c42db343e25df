"""The hardeners of a resin, or the doses of its catalyst, side by side for one job: which is the surest."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

from bibulon.assess import assess
from bibulon.cure.answers import demould_s
from bibulon.cure.study import cure_study, wet_part
from bibulon.fineness import FULL_LEVELS, PREVIEW_NODES
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.scheduled import batches_in, scheduled_fill
from bibulon.job import Job
from bibulon.job.cards import ResinCard
from bibulon.job.dosing import dose_of
from bibulon.job.edits import changed, revised, with_card
from bibulon.quantities import show
from bibulon.quantities_in_words import percent
from bibulon.resin.cure import shift_ends_s
from bibulon.workers.report import Progress, no_progress, within

FILL_SHARE = 0.8
"""Of the work for a hardener: the rest is its cure."""
FAR_APART = 1.3
"""Two doses of which one is so many times the other have one between them compared."""


@dataclass(frozen=True)
class Hardener:
    """A resin with one of its hardeners, or with one dose of its catalyst (a share of the mass of all else)."""

    card: ResinCard
    dose: float | None = None

    @property
    def name(self) -> str:
        if self.dose is None or self.card.dose is None:
            return self.card.name
        return f"{self.card.name}, {percent(self.dose, 2)} {self.card.dose.component.lower()}"

    def is_in(self, job: Job) -> bool:
        """Whether *job* is planned with it."""
        same = self.card.id == job.charge.resin
        return same and (self.dose is None or math.isclose(self.dose, dose_of(job.resin), rel_tol=1e-6))

    def taken(self, job: Job) -> Job:
        """*job* with it; warmed components stay as they are, for the resin is the same."""
        return changed(
            with_card(job, self.card), charge=revised(job.charge, resin=self.card.id, dose=self.dose, batches=())
        )


def doses_of(card: ResinCard, planned: float) -> tuple[float, ...]:
    """Doses of a catalyst to be compared: the maker's least and most, the card's own, what is *planned*, and what lies
    between where two are far apart; none for a resin without a dose."""
    if card.dose is None:
        return ()
    known = sorted({round(one, 6) for one in (card.dose.least, dose_of(card), planned, card.dose.most)})
    between = [(low + high) / 2 for low, high in pairwise(known) if high > FAR_APART * low]
    return tuple(sorted([*known, *between]))


def hardeners_of(job: Job, cards: tuple[ResinCard, ...]) -> tuple[Hardener, ...]:
    """What is compared: each of the *cards*, one that is dosed at each of its doses."""
    planned = dose_of(job.resin)
    return tuple(
        Hardener(card, dose)
        for card in cards
        for dose in doses_of(card, planned if card.id == job.charge.resin else dose_of(card)) or (None,)
    )


@dataclass(frozen=True)
class HardenerRow:
    """The job with one hardener: fill, margin, batches, gel, vacuum off, demould and the hottest place.

    Times are on the run clock. ``refusal`` says why there is no fill."""

    hardener: Hardener
    fill_s: float | None = None
    margin_s: float | None = None
    batches: int = 0
    in_time: bool = False
    gel_s: float = math.inf
    vacuum_off_s: float = math.inf
    demould_s: float = math.inf
    peak_k: float = 0.0
    refusal: str = ""


@dataclass(frozen=True)
class Hardeners:
    """Hardeners side by side; ``surest`` is the index of the one that is (None: none will do), and ``reason`` why."""

    rows: tuple[HardenerRow, ...]
    surest: int | None
    reason: str


def compare_hardeners(
    job: Job, hardeners: tuple[Hardener, ...], progress: Progress = no_progress, nodes: int = PREVIEW_NODES
) -> Hardeners:
    """*job* filled on about so many *nodes*, and cured, with each of the *hardeners*. Raises what *progress* raises to
    cancel."""
    rows = []
    for at, hardener in enumerate(hardeners):
        rows.append(_with_hardener(job, hardener, nodes, within(progress, (0.0, 1.0), at, len(hardeners))))
    slack = [_slack(row, job) for row in rows]
    best = max(range(len(rows)), key=lambda at: slack[at], default=None)
    if best is None or slack[best] == -math.inf:
        return Hardeners(tuple(rows), None, "The part fills with none of them.")
    row = rows[best]
    assert row.margin_s is not None
    left_s = shift_ends_s(job) - row.vacuum_off_s
    shift = f"{show(abs(left_s), 'duration')} {'before' if left_s >= 0 else 'after'} the end of the shift"
    margin = f"{show(row.margin_s, 'duration')} of margin ({show(job.charge.gel_margin_s, 'duration')} asked)"
    pots = "every batch is used up in time" if row.in_time else "a batch gels before it is used up"
    kept = f"{margin}, vacuum off {shift}, {pots}"
    if slack[best] < 0:
        return Hardeners(tuple(rows), None, f"None keeps everything. The nearest, {row.hardener.name}: {kept}.")
    return Hardeners(tuple(rows), best, f"It keeps everything, with the most room where that is least: {kept}.")


def _with_hardener(job: Job, hardener: Hardener, nodes: int, progress: Progress) -> HardenerRow:
    trial = hardener.taken(job)
    try:
        fill = scheduled_fill(trial, nodes, FULL_LEVELS, progress=within(progress, (0.0, FILL_SHARE)))
    except FlowRefusal as refusal:
        return HardenerRow(hardener, refusal=str(refusal))
    batches = batches_in(trial, fill)
    study = cure_study(
        trial, wet_part(fill), replace(assess(trial), fill=fill).last_mixed, within(progress, (FILL_SHARE, 1.0))
    )
    made = replace(assess(trial), fill=fill, cure_found=study)
    return HardenerRow(
        hardener,
        fill.fill_time_s,
        made.gel_margin_s,
        len(batches),
        all(batch.in_time for batch in batches),
        study.last_gel_s,
        study.vacuum_off_s,
        demould_s(trial, study),
        study.hottest.peak_k,
        "" if fill.fill_time_s is not None else "the part does not fill",
    )


def _slack(row: HardenerRow, job: Job) -> float:
    """How much room there is at what is tightest, each in a measure of its own: 0 for just enough."""
    if row.refusal or row.margin_s is None or row.fill_s is None:
        return -math.inf
    asked = max(job.charge.gel_margin_s, 60.0)
    return min(
        (row.margin_s - asked) / asked,
        (shift_ends_s(job) - row.vacuum_off_s) / 3600.0,
        (job.house.hottest_k - row.peak_k) / 10.0,
        1.0 if row.in_time else -1.0,
    )
