"""Layouts proposed for ten outlines against the best drawn by hand: ``python bench/proposals.py [NAME …]``.

Each outline carries glass under flow media, with a slow epoxy. The hand's layouts follow the rules of the trade: feed
the wide end, work toward the narrow one; feeds from station to station over long parts; vents all round a feed in the
middle of wide ones. Printed: feeds, minutes to fill and to spare before the margin, and the share of spread fills that
are full in time; seconds to the first layout that keeps its margin, and to the end.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

from run import head, panel, row
from shapely import Point, Polygon, box
from shapely.affinity import scale

from bibulon.flow.ensemble import study
from bibulon.flow.fill import fill
from bibulon.flow.problem import PREVIEW_PACE, flow_problem
from bibulon.job import Job
from bibulon.job.edits import changed, revised, with_card
from bibulon.job.layup import Layer
from bibulon.job.lines import MediaPatch
from bibulon.planning.line_patterns import with_feed_all_round, with_stations, with_vent_all_round
from bibulon.planning.proposal import AS_IT_IS, TRIAL_NODES, Effort, Layout, Proposal, propose
from bibulon.planning.strategies import with_media_laid
from bibulon.stock import shelf_card

Hand = Callable[[Job], Job]


def over(shape: Polygon) -> Job:
    """A job over *shape* (m) without lines."""
    bare = panel()
    media, resin = shelf_card("media-knitted"), shelf_card("epoxy-slow")
    outline = tuple(shape.exterior.coords)[:-1]
    holes = tuple(tuple(ring.coords)[:-1] for ring in shape.interiors)
    job = with_card(with_card(bare, media), resin)
    return changed(
        job,
        part=revised(bare.part, outline=outline, holes=holes),
        layup=(Layer(id="ply", card="glass-biax-800", count=6),),
        media=(MediaPatch(id="media", card=media.id, outline=outline),),
        lines=(),
    )


def stations(*way: tuple[float, float]) -> Hand:
    return lambda job: with_stations(job, way[0], way[1])[0]


def middle_out(job: Job) -> Job:
    return with_vent_all_round(job)[0]


def edge_in(job: Job) -> Job:
    return with_feed_all_round(job)[0]


def outlines() -> dict[str, tuple[Polygon, tuple[Hand, ...]]]:
    disc = Point(0, 0).buffer(0.9, quad_segs=16)
    ell = box(0, 0, 2.4, 0.8).union(box(0, 0, 0.8, 2.0))
    tee = box(0, 1.2, 2.4, 1.9).union(box(0.9, 0, 1.5, 1.2))
    bow = box(0, 0, 2.2, 1.6).difference(box(0.7, 0.7, 1.5, 1.6))
    return {
        "strip": (box(0, 0, 4.0, 0.6), (stations((2.0, 0.03), (2.0, 0.6)), middle_out)),
        "square": (box(0, 0, 1.6, 1.6), (stations((0.03, 0.8), (1.6, 0.8)), middle_out)),
        "wide panel": (box(0, 0, 3.0, 2.0), (stations((1.5, 0.03), (1.5, 2.0)), middle_out)),
        "disc": (disc, (middle_out, edge_in)),
        "ellipse": (scale(disc, 1.6, 0.8), (middle_out, edge_in)),
        "taper": (
            Polygon([(0, 0), (2.6, 0.5), (2.6, 0.9), (0, 1.4)]),
            (stations((0.03, 0.7), (2.6, 0.7)), stations((1.2, 0.25), (1.2, 1.15))),
        ),
        "ell": (ell, (middle_out, edge_in)),
        "tee": (tee, (middle_out, edge_in)),
        "bow": (bow, (middle_out, edge_in)),
        "hole": (
            Polygon(box(0, 0, 2.0, 1.4).exterior, [box(0.8, 0.5, 1.2, 0.9).exterior.coords]),
            (stations((0.03, 0.7), (2.0, 0.7)), middle_out),
        ),
    }


def figures(layout: Layout) -> tuple[object, ...]:
    fill_s, margin_s = layout.result.fill_time_s, layout.result.margin_s
    full = "not full" if fill_s is None else f"{fill_s / 60:.0f}"
    spare = "–" if margin_s is None else f"{(margin_s - layout.job.charge.gel_margin_s) / 60:.0f}"
    sure = "–" if layout.filled_share is None else f"{layout.filled_share:.0%}"
    return layout.feeds, full, spare, sure


def best_by_hand(job: Job, hands: tuple[Hand, ...]) -> Layout:
    """The hand's best layout, judged as those that are proposed."""
    judged = []
    for hand in hands:
        drawn = with_media_laid(hand(job))
        result = fill(flow_problem(drawn, TRIAL_NODES, 2, pace=PREVIEW_PACE))
        judged.append(Layout(AS_IT_IS, drawn, result, 0.0, study(drawn, Effort().samples)))
    return max(judged, key=lambda layout: (layout.filled_share or 0.0, layout.keeps_margin, -layout.feeds))


def main() -> None:
    head(
        "outline",
        "hand: feeds",
        "min",
        "spare",
        "sure",
        "proposed: feeds",
        "min",
        "spare",
        "sure",
        "first s",
        "all s",
        "what",
    )
    for name, (shape, hands) in outlines().items():
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        job = over(shape)
        hand = best_by_hand(job, hands)
        began, first_s = time.perf_counter(), [0.0]

        def found(so_far: Proposal, began: float = began, first_s: list[float] = first_s) -> None:
            if so_far.proposed.keeps_margin and not first_s[0]:
                first_s[0] = time.perf_counter() - began

        proposal = propose(hand.job, found=found)
        took = time.perf_counter() - began
        best = proposal.proposed
        row(name, *figures(hand), *figures(best), first_s[0], took, best.name)


if __name__ == "__main__":
    main()
