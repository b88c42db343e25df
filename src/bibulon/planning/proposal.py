"""A line layout and valve order proposed for a part, tried beside the present one.

Candidates follow the trade's strategies over the part's tightest rectangle: edge to edge, feeds opened in turn,
from the middle out, each along and across. Every one is filled on a coarse mesh; the simplest few that fill with
their gel margin kept are filled a few times with spread inputs, and so is the present layout: the surest is proposed.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from shapely import LineString, Polygon, get_coordinates, get_parts
from shapely.geometry.base import BaseGeometry

from bibulon.assess import assess
from bibulon.flow.ensemble import study
from bibulon.flow.fill import fill
from bibulon.flow.problem import PREVIEW_PACE, flow_problem
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, new_id
from bibulon.job.lines import AtTime, Line, MediaPatch, Trigger, WhenReached
from bibulon.planning.hand import brake, feeds_for
from bibulon.planning.mould_layouts import mould_candidates
from bibulon.stock.choice import with_line_cards
from bibulon.workers.pool import in_parallel
from bibulon.workers.report import Progress, no_progress

INSET_M = 0.03
"""Feeds keep this far from the part's edge; vents reach it, lest a corner stays dry behind their ends."""
HALF_OFF_M = 0.006
MOST_FEEDS = 6
TRIAL_NODES = 350
RISK_FILLS, RISK_NODES = 12, 250
FINALISTS = 3
NEARLY = 0.05
SHORTEST_LINE_M = 0.05
SMALLEST_PATCH_M2 = 0.005


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Layout:
    """A layout with what it does: ``job`` carries it; ``filled_share`` of the spread fills are full before gel."""

    name: str
    job: Job
    result: FillResult
    charge_kg: float
    filled_share: float | None = None

    @property
    def keeps_margin(self) -> bool:
        """Whether it fills and leaves the margin that the house asks for."""
        return self.result.margin_s is not None and self.result.margin_s >= self.job.charge.gel_margin_s

    @property
    def feeds(self) -> int:
        return len(self.job.feeds)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Proposal:
    """The present layout (None if it cannot be filled), the one proposed, and how many were tried."""

    present: Layout | None
    proposed: Layout
    tried: int


@dataclass(frozen=True)
class _Axes:
    """The part's tightest rectangle: a corner and unit vectors along and across with their lengths."""

    corner: np.ndarray
    along: np.ndarray
    across: np.ndarray
    length_m: float
    width_m: float


def _axes(shape: Polygon) -> list[_Axes]:
    """Seen so that flow goes across, over the shorter and then over the longer side."""
    p = get_coordinates(shape.minimum_rotated_rectangle)[:4]
    axes = []
    for a, b, d in ((p[0], p[1], p[3]), (p[1], p[2], p[0])):
        length, width = float(np.linalg.norm(b - a)), float(np.linalg.norm(d - a))
        axes.append(_Axes(a, (b - a) / length, (d - a) / width, length, width))
    return sorted(axes, key=lambda way: way.width_m)


def _course(shape: Polygon, axes: _Axes, share: float, kind: str) -> tuple[Point, ...] | None:
    """The line over the part at a share of its width, along its edge at 0 and 1; None where there is none.

    A feed stays on the part, a vent at an edge lies half off it.
    """
    clear = INSET_M if kind == "feed" else 1e-3
    station = min(max(share * axes.width_m, clear), axes.width_m - clear)
    start = axes.corner + axes.across * station
    reach = axes.along * axes.length_m
    whole = LineString([start - reach, start + 2 * reach]).intersection(shape)
    pieces = [piece for piece in get_parts(whole) if isinstance(piece, LineString)]
    if not pieces:
        return None
    longest = max(pieces, key=lambda piece: piece.length)
    inset = min(INSET_M, longest.length / 8) if kind == "feed" else 0.0
    if longest.length - 2 * inset < SHORTEST_LINE_M:
        return None
    ends = [longest.interpolate(inset), longest.interpolate(longest.length - inset)]
    beyond = share * axes.width_m - station + (2 * share - 1) * HALF_OFF_M if kind == "vent" else 0.0
    off = axes.across * beyond
    return tuple((round(end.x + off[0], 4), round(end.y + off[1], 4)) for end in ends)


def _laid(job: Job, feeds: list[tuple[Point, ...]], vents: list[tuple[Point, ...]]) -> Job:
    """*job* with these lines for its own; feeds after the first open when resin has passed them."""
    lines: list[Line] = []
    for kind, courses in (("feed", feeds), ("vent", vents)):
        like = next((line for line in job.lines if line.kind == kind), None)
        job, tube, hose = with_line_cards(job, kind)
        for number, course in enumerate(courses, 1):
            identifier = new_id(kind)
            opens: Trigger = WhenReached(line=identifier) if kind == "feed" and number > 1 else AtTime()
            lines.append(
                Line(
                    id=identifier,
                    kind="feed" if kind == "feed" else "vent",
                    label=f"{kind[0].upper()}{number}",
                    points=course,
                    tube=tube,
                    hose=hose,
                    hose_length_m=like.hose_length_m if like else 2.0,
                    membrane=like.membrane if like else False,
                    opens=opens,
                )
            )
    laid = changed(job, lines=tuple(lines))
    return changed(laid, media=_media(laid)) if job.media else laid


def _media(job: Job) -> tuple[MediaPatch, ...]:
    """The media of *job* laid anew: over the part but for the brake before every vent."""
    card = job.media[0].card
    short = brake(assess(job)).value or 0.06
    area: BaseGeometry = job.part.shape
    for vent in job.vents:
        area = area.difference(LineString(vent.points).buffer(short))
    patches = []
    for piece in get_parts(area):
        feeds = any(LineString(feed.points).intersects(piece) for feed in job.feeds)
        if not isinstance(piece, Polygon) or piece.area < SMALLEST_PATCH_M2 or not feeds:
            continue
        corners = tuple((round(x, 4), round(y, 4)) for x, y in get_coordinates(piece.exterior.simplify(0.005))[:-1])
        patches.append(MediaPatch(id=new_id("media"), card=card, outline=corners))
    return tuple(patches)


def candidates(job: Job) -> Iterator[tuple[str, Job]]:
    """Layouts for the part, each with its name in the trade's words."""
    if job.closed:
        yield from mould_candidates(job)
        return
    shape = job.part.shape
    for axes, way in zip(_axes(shape), ("across", "along"), strict=True):
        edges = [_course(shape, axes, share, "feed") for share in (0.0, 1.0)]
        if edges[0] is None or edges[1] is None:
            continue
        # from the wide end toward the narrow end
        turned = LineString(edges[1]).length > LineString(edges[0]).length + 1e-3
        shares = (1.0, 0.0) if turned else (0.0, 1.0)
        feed, vent = edges[int(shares[0])], _course(shape, axes, shares[1], "vent")
        vents = [_course(shape, axes, share, "vent") for share in (0.0, 1.0)]
        if feed is None or vent is None:
            continue
        yield f"edge to edge, {way}", _laid(job, [feed], [vent])
        middle = _course(shape, axes, 0.5, "feed")
        if middle is not None:
            yield f"from the middle out, {way}", _laid(job, [middle], [vent for vent in vents if vent is not None])
        hand = feeds_for(assess(job), axes.width_m)
        least = min(max(hand.in_turn if hand else 2, 2), MOST_FEEDS)
        for count in sorted({2, least, min(least + 1, MOST_FEEDS)}):
            stations = [shares[0] + (shares[1] - shares[0]) * k / count for k in range(count)]
            courses = [_course(shape, axes, station, "feed") for station in stations]
            known = [course for course in courses if course is not None]
            if len(known) == count:
                yield f"{count} feeds opened in turn, {way}", _laid(job, known, [vent])


def _tried(name: str, job: Job) -> Layout | None:
    try:
        result = fill(flow_problem(job, TRIAL_NODES, 2, pace=PREVIEW_PACE))
    except FlowRefusal:
        return None
    return Layout(name, job, result, replace(assess(job), fill=result).charge.total_kg)


def _rank(layout: Layout) -> tuple[bool, float, float, float]:
    """Smaller is better: margin kept; fullest; fewest feeds; soonest full."""
    time_s = layout.result.fill_time_s
    if not layout.keeps_margin:
        return True, -layout.result.filled_fraction, -(layout.result.margin_s or -math.inf), layout.feeds
    return False, layout.feeds, time_s or math.inf, layout.charge_kg


def _with_risk(layout: Layout, workers: int, progress: Progress) -> Layout:
    ensemble = study(layout.job, RISK_FILLS, RISK_NODES, progress=progress, workers=workers, pace=PREVIEW_PACE)
    return Layout(layout.name, layout.job, layout.result, layout.charge_kg, ensemble.filled_share)


def propose(job: Job, progress: Progress = no_progress, workers: int = -1) -> Proposal:
    """Try layouts for *job*. *progress* is called with the share done, again and again, and may raise
    :class:`~bibulon.workers.report.Cancelled`. Raises :class:`~bibulon.flow.refusal.FlowRefusal` if none can be filled.
    """
    every = [("as it is", job), *candidates(job)]
    # in processes of their own: neither the mesher nor the numerics hold up whoever asks
    tried = dict(in_parallel(_tried, every, workers, lambda share: progress(0.6 * share)))
    present, layouts = tried[0], [layout for _, layout in sorted(tried.items())[1:] if layout is not None]
    if not layouts:
        raise FlowRefusal("No layout could be tried on this part: see what the cautions name first.")
    best = sorted(layouts, key=_rank)[:FINALISTS]
    best = [layout for layout in best if layout.keeps_margin == best[0].keeps_margin]
    rivals = [*best, present] if present is not None else best

    def progress_of_study(before: int, share: float) -> None:
        progress(0.6 + 0.4 * (before + share) / len(rivals))

    tested = [_with_risk(layout, workers, partial(progress_of_study, before)) for before, layout in enumerate(rivals)]
    if present is not None:
        present = tested.pop()
    # the surest of them; as good as equally sure, the simplest
    surest = max(layout.filled_share or 0.0 for layout in tested)
    sure = [layout for layout in tested if (layout.filled_share or 0.0) >= surest - NEARLY]
    progress(1.0)
    return Proposal(present, min(sure, key=_rank), len(layouts))
