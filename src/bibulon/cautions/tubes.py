"""Cautions about hoses and the sizes of what they are put on."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.flow.causes import tightest_feed
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import revised, with_card, with_line
from bibulon.job.gear_cards import TubeCard
from bibulon.plumbing.mending import ports_help, size_differs, with_ports
from bibulon.quantities_in_words import brief
from bibulon.stock.choice import cards_for

WIDE_ENOUGH = 1.3
"""A hose so many times as wide lets three times as much through."""


@caution(
    "hose-not-clampable",
    "caution",
    "lines",
    why="A tube that a clamp cannot shut leaks all day, and cannot be closed when the bucket runs dry.",
    remedy="Take a hose that the clamp in use can shut, at least for the stretch under the clamp.",
    of_plan=True,
)
def hose_clampable(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    stiff = [line for line in job.lines if not job.card(line.hose, TubeCard).clampable]
    if stiff:
        hose = job.card(stiff[0].hose, TubeCard)
        labels, cannot = listed(line.label for line in stiff), "cannot be clamped"
        of = f"hose of {labels}, {hose.name}," if len(stiff) == 1 else f"hoses of {labels} ({hose.name})"
        yield Finding(f"The {of} {cannot}.", stiff[0].points[0], stiff[0].id)


@caution(
    "tube-sizes-differ",
    "caution",
    "lines",
    why="A hose that does not fit its line slips off under vacuum or sucks air past it.",
    remedy="Take hose and line of one size, or choose the port that the hose goes on.",
    fix=Fix("Put ports of the shelf between them", with_ports, ports_help),
    of_plan=True,
)
def tube_sizes_differ(assessment: Assessment) -> Iterator[Finding]:
    job, units = assessment.job, assessment.units
    off: list[tuple[str, Point, str]] = []
    for line in job.lines:
        if size_differs(job, line):
            bore = brief(job.card(line.hose, TubeCard).bore_m, "thickness", units)
            on = f"a hose of {bore} bore on {job.card(line.tube, TubeCard).name}"
            off.append((f"{line.label} has {on}", line.points[0], line.id))
    if off:
        more = f", and so on at {len(off) - 1} more" if len(off) > 1 else ""
        yield Finding(f"{off[0][0]}{more}.", off[0][1], off[0][2])


def supply_loss(assessment: Assessment) -> float | None:
    """The share of the pull that hoses and feed lines take, as the mean over the fill; None without a fill."""
    fill = assessment.fill
    if fill is None or len(fill.times_s) < 3 or fill.problem.drive_pa <= 0 or assessment.job.bucket.rate_m3_s > 0:
        return None
    steps = np.diff(fill.times_s)
    left = np.clip(fill.pressure_pa.max(axis=1)[1:] / fill.problem.drive_pa, 0.0, 1.0)
    return float(1 - (left * steps).sum() / steps.sum())


def _with_wider_hose(job: Job) -> Job:
    """*job* with a wider clampable hose on its tightest feed, the narrowest of the shelf that lets three times as much
    through, else the widest; with a port where it goes on its line no more."""
    feed = tightest_feed(job)
    own = job.card(feed.hose, TubeCard)
    wider = sorted(
        (
            card
            for card in cards_for(job, TubeCard).values()
            if card.use == "hose" and card.clampable and card.bore_m > own.bore_m
        ),
        key=lambda card: (
            card.bore_m < WIDE_ENOUGH * own.bore_m,
            card.material != own.material,
            abs(card.bore_m - WIDE_ENOUGH * own.bore_m),
        ),
    )
    if not wider:
        return job
    return with_ports(with_line(with_card(job, wider[0]), revised(feed, hose=wider[0].id)))


@caution(
    "hose-restricts-flow",
    "caution",
    "lines",
    why="A thin or long hose eats up the pull before it reaches the part, and no medium makes up for it.",
    remedy="Take a wider hose, stand the bucket nearer, or feed by two hoses. Half the bore lets a sixteenth through.",
    fix=Fix("Take a wider hose", _with_wider_hose, lambda job: bool(job.feeds) and _with_wider_hose(job) != job),
)
def hose_restricts_flow(assessment: Assessment) -> Iterator[Finding]:
    job, loss = assessment.job, supply_loss(assessment)
    cause = next((cause for cause in assessment.causes if cause.kind == "hose"), None)
    if loss is None or not job.feeds or (loss <= job.house.supply_loss and cause is None):
        return
    feed = tightest_feed(job)
    hose = job.card(feed.hose, TubeCard)
    bore, length = (
        brief(hose.bore_m, "thickness", assessment.units),
        brief(feed.hose_length_m, "distance", assessment.units),
    )
    share = brief(loss, "share", assessment.units)
    text = f"The hose of {feed.label} ({length}, {bore} bore) and its line take {share} of the pull"
    if cause is not None and cause is assessment.causes[0]:
        text += f"; with a usual hose the part fills in {brief(cause.share, 'share', assessment.units)} of the time"
    yield Finding(f"{text}.", feed.points[0], feed.id)
