"""Where the parts of a plumbing diagram stand, for the screen and for paper: columns from bucket to pump."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.plumbing.network import BUCKET, PUMP, REGULATOR, Network

PART_COLUMNS = 0.7
FEED_COLUMNS = 1.5
"""The room that the part takes between feeds and vents, and a hose of a feed, in columns of the vent side."""


@dataclass(frozen=True)
class DiagramLayout:
    """Places of nodes in columns and rows, the edges of the part between them, and how many of each there are."""

    places: dict[str, tuple[float, float]]
    part: tuple[float, float] | None
    """Left and right edge of the part; None without lines."""
    columns: float
    rows: float


def layout_of(network: Network) -> DiagramLayout:
    """Places for the nodes of *network*: each right of what feeds it, the part between feeds and vents."""
    fed_from = {hose.end: hose.start for hose in network.hoses if hose.side == "feed"}
    feeds = [node.id for node in network.nodes if node.kind == "feed"]
    vents = [node.id for node in network.nodes if node.kind == "vent"]
    manifolds = [node.id for node in network.nodes if node.kind == "manifold"]
    rows = max(len(feeds), len(vents), 1)
    places: dict[str, tuple[float, float]] = {}

    def depth(name: str) -> int:
        source = fed_from.get(name, BUCKET)
        return 1 if source == BUCKET else 1 + depth(source)

    def spread(names: list[str]) -> list[float]:
        return [(at + 0.5) * rows / len(names) for at in range(len(names))]

    for name, row in zip(feeds, spread(feeds), strict=True):
        places[name] = depth(name) * FEED_COLUMNS, row
    deepest = max((column for column, _ in places.values()), default=FEED_COLUMNS if manifolds else 0.0)
    for name, row in zip(manifolds, spread(manifolds), strict=True):
        fed = [places[feed][1] for feed in feeds if fed_from.get(feed) == name]
        places[name] = FEED_COLUMNS, sum(fed) / len(fed) if fed else row
    from_bucket = [places[name][1] for name, source in fed_from.items() if source == BUCKET]
    at = deepest
    if any(node.id == BUCKET for node in network.nodes):
        places[BUCKET] = 0.0, sum(from_bucket) / len(from_bucket) if from_bucket else rows / 2
    part = None
    if feeds or vents:
        part = at + 0.45, at + 0.45 + PART_COLUMNS
        at += PART_COLUMNS + 0.9
    for name, row in zip(vents, spread(vents), strict=True):
        places[name] = at, row
    for node in network.nodes:
        if node.kind == "pot" or node.id in (REGULATOR, PUMP):
            at += 1.0
            places[node.id] = at, rows / 2
    return DiagramLayout(places, part, max(at, 1.0), float(rows))
