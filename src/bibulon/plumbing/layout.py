"""Where the parts of a plumbing diagram stand, for the screen and for paper: columns from bucket to pump."""

from __future__ import annotations

from dataclasses import dataclass

from bibulon.plumbing.network import BUCKET, PUMP, REGULATOR, Network

PART_COLUMNS = 0.7
FEED_COLUMNS = 1.5
OWN_COLUMNS = 0.8
"""Room for the part between feeds and vents, a hose of a feed, and one to a regulator of one vent alone, in columns of
the vent side."""


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
    manifolds = [node.id for node in network.nodes if node.kind == "manifold"]
    vents = [node.id for node in network.nodes if node.kind == "vent"]

    def depth(name: str) -> int:
        source = fed_from.get(name, BUCKET)
        return 1 if source == BUCKET else 1 + depth(source)

    def root(name: str) -> int:
        """Which manifold a feed hangs on in the end, by its number; −1 for the bucket."""
        source = fed_from.get(name, BUCKET)
        if source in manifolds:
            return manifolds.index(source)
        return -1 if source == BUCKET else root(source)

    # what hangs on one manifold stands together, so that it stands beside them and over nothing else
    feeds = sorted((node.id for node in network.nodes if node.kind == "feed"), key=root)
    idle = [name for name in manifolds if name not in fed_from.values()]
    rows = max(len(feeds) + len(idle), len(vents), 1)
    places: dict[str, tuple[float, float]] = {}

    def spread(names: list[str]) -> list[float]:
        return [(at + 0.5) * rows / len(names) for at in range(len(names))]

    beside = [*feeds, *idle]
    for name, row in zip(beside, spread(beside), strict=True):
        places[name] = depth(name) * FEED_COLUMNS, row
    deepest = max((column for column, _ in places.values()), default=FEED_COLUMNS if manifolds else 0.0)
    for name in manifolds:
        fed = [places[feed][1] for feed in feeds if fed_from.get(feed) == name]
        places[name] = FEED_COLUMNS, sum(fed) / len(fed) if fed else places[name][1]
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
    own = [node for node in network.nodes if node.level_pa is not None]
    for node in own:  # beside its vent
        places[node.id] = at + OWN_COLUMNS, places[node.subject][1]
    at += OWN_COLUMNS if own else 0.0
    for node in network.nodes:
        if node.kind == "pot" or node.id in (REGULATOR, PUMP):
            at += 1.0
            places[node.id] = at, rows / 2
    return DiagramLayout(places, part, max(at, 1.0), float(rows))
