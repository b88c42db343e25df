"""Where a job's bag or mould may leak, and the clamps by which its branches are shut off, for the hunt.

How readily a kind of place leaks begins with what is usual, counted as if so many leaks had been found there; every
leak that this shop has found adds one. What a kind counts is shared by its places, of tape by their length.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from random import Random

from bibulon.bag.film import BagPlan, bag_plan_of
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.hunt import LeakKind
from bibulon.job.lines import Line
from bibulon.job.words import space_word
from bibulon.vacuum.hunt import TWO_LEAKS, Belief, Branches, Cut, Isolation, LeakPlace, belief

USUAL: dict[LeakKind, float] = {
    "pleat": 8.0,
    "port": 6.0,
    "tape corner": 5.0,
    "hose joint": 5.0,
    "tape": 4.0,
    "pot": 3.0,
    "seal": 6.0,
    "sleeve": 5.0,
    "film": 2.0,
    "hose": 1.0,
    "pump valve": 1.0,
    "mould": 1.0,
}
"""Pleat roots, ports, hose entries and tape corners are where leaks are, as a rule."""
CORNER_TURN_DEG = 20.0
AT_CORNER_M = 0.05
UNSEALED = 4.0
"""Joints of a mould leak so many times as readily as its face where nobody has sealed them."""
SPACE, GAUGE_POT, BYPASS = "space", "pot", "bypass"


@dataclass(frozen=True)
class _Spot:
    id: str
    kind: LeakKind
    words: str
    section: str
    at: Point | None = None
    share: float = 1.0


def branches_of(job: Job, found_before: Iterable[LeakKind] = ()) -> Branches:
    """Sections, clamps and places of *job*; *found_before* are the kinds of leaks that the shop has found. Where the
    newest hold test was made before the feed hoses were fitted they are left out, with manifolds and the bypass."""
    bare = not job.in_mould and bool(job.hold_tests) and job.hold_tests[-1].stage == "before the feed hose"
    space = f"the {space_word(job)}"
    sections: dict[str, str] = {SPACE: space}
    cuts: list[Cut] = []
    spots = list(_of_mould(job) if job.in_mould else _of_bag(job))
    pots = [f"{GAUGE_POT} {pot.label}" for pot in job.pots] or [GAUGE_POT]
    names = [f"pot {pot.label}" for pot in job.pots] or ["the pump's side"]
    for name, words in zip(pots, names, strict=True):
        sections[name] = words
        spots.append(_Spot(f"{name} lid", "pot", f"lid and fittings of {words}", name))
    for (one, words), (other, _) in pairwise(zip(pots, names, strict=True)):
        cuts.append(Cut(f"{one}|{other}", f"the hose behind {words}", (one, other)))
    spots.append(_Spot("pump valve", "pump valve", "valve to the pump", pots[-1]))
    for manifold in () if bare else job.manifolds:
        name = f"manifold {manifold.id}"
        sections[name] = f"manifold {manifold.label}"
        spots.append(_Spot(f"{name} joints", "hose joint", f"joints of manifold {manifold.label}", name))
    known = {manifold.id for manifold in job.manifolds}
    for line in job.lines:
        if bare and line.kind == "feed":
            continue
        if line.is_branch(known):  # it hangs on another feed by a tee, with nothing to clamp between
            spots.append(_Spot(f"tee {line.id}", "hose joint", f"tee of {line.label}", SPACE, _port_of(line)))
            continue
        name = f"hose {line.id}"
        sections[name] = f"the hose of {line.label}"
        cuts.append(Cut(f"{line.id}@{SPACE}", f"{line.label} at {space}", (SPACE, name)))
        spots.append(_Spot(f"{name} itself", "hose", f"hose of {line.label}", name))
        if line.kind == "vent":
            cuts.append(Cut(f"{line.id}@{GAUGE_POT}", f"{line.label} at {names[0]}", (name, pots[0])))
            spots.append(_Spot(f"{name} end", "hose joint", f"joint of {line.label} at {names[0]}", name))
        elif line.fed_by in known:
            manifold_name = f"manifold {line.fed_by}"
            cuts.append(Cut(f"{line.id}@manifold", f"{line.label} at its manifold", (name, manifold_name)))
            spots.append(_Spot(f"{name} end", "hose joint", f"joint of {line.label} at its manifold", name))
        else:
            spots.append(_Spot(f"{name} end", "hose joint", f"clamped end of {line.label}'s hose", name))
    if job.plumbing.bypass is not None and not bare:
        label = job.plumbing.bypass.label
        sections[BYPASS] = f"bypass {label}"
        cuts.append(Cut(f"{BYPASS}@{GAUGE_POT}", f"{label} at {names[0]}", (BYPASS, pots[0])))
        spots.append(_Spot(f"{BYPASS} end", "hose joint", f"clamped end of bypass {label}", BYPASS))
    return Branches(sections, tuple(cuts), pots[-1], _weighed(spots, Counter(found_before)))


@dataclass(frozen=True)
class LeakMap:
    """Where the shop's leaks are as a rule, on one job: ``by_kind`` how many of all that were found were of each kind,
    most first; ``places`` of this job with the share of leaks to be looked for at each."""

    by_kind: tuple[tuple[LeakKind, int], ...]
    places: tuple[tuple[LeakPlace, float], ...]

    @property
    def found(self) -> int:
        return sum(count for _, count in self.by_kind)


def leak_map(job: Job, found_before: Iterable[LeakKind]) -> LeakMap:
    """Where *job* leaks as a rule, by what is usual and the kinds that the shop has found before."""
    found = tuple(found_before)
    places = branches_of(job, found).places
    whole = sum(place.weight for place in places) or 1.0
    return LeakMap(tuple(Counter(found).most_common()), tuple((place, place.weight / whole) for place in places))


def leaks_drawn(branches: Branches, seed: int) -> tuple[LeakPlace, ...]:
    """One place or two of *branches* that leak in a rehearsal, drawn by their weights; always the same for a *seed*."""
    draw = Random(seed)
    places, weights = branches.places, [place.weight for place in branches.places]
    count = 2 if draw.random() < TWO_LEAKS else 1
    drawn = dict.fromkeys(place for _ in range(count) for place in draw.choices(places, weights))
    return tuple(drawn)


def _weighed(spots: list[_Spot], found: Counter[LeakKind]) -> tuple[LeakPlace, ...]:
    shares: dict[LeakKind, float] = {}
    for spot in spots:
        shares[spot.kind] = shares.get(spot.kind, 0.0) + spot.share
    places = []
    for spot in spots:
        weight = (USUAL[spot.kind] + found[spot.kind]) * spot.share / shares[spot.kind]
        places.append(LeakPlace(spot.id, spot.words, spot.section, weight, spot.kind, spot.at))
    return tuple(places)


def _of_bag(job: Job) -> list[_Spot]:
    plan = bag_plan_of(job)
    spots = [
        _Spot(f"pleat {number}", "pleat", f"root of pleat {number}", SPACE, place)
        for number, place in enumerate(plan.pleat_places, 1)
    ]
    spots += [_Spot(f"port {line.id}", "port", f"port of {line.label}", SPACE, _port_of(line)) for line in job.lines]
    spots += _of_tube(plan) if plan.tube else _of_tape(plan)
    if plan.box is not None:
        for number, place in enumerate(plan.box.corners, 1):
            words = f"seam at corner {number} of the box"
            spots.append(_Spot(f"seam {number}", "tape", words, SPACE, place, plan.box.height_m))
    spots.append(_Spot("film", "film", "film: pinholes, tears at hard edges", SPACE))
    spots.append(_Spot("mould", "mould", "the mould itself", SPACE))
    if job.mould.pieces:
        share = 1.0 if job.mould.pieces_sealed else UNSEALED
        spots.append(_Spot("mould joints", "mould", "joints between the pieces of the mould", SPACE, None, share))
    return spots


def _of_tube(plan: BagPlan) -> list[_Spot]:
    """Places of a tube of film: tape across its two ends, and the seam along each side."""
    spots = []
    for number, course in enumerate(plan.courses, 1):
        words = f"tape across end {number} of the tube"
        spots.append(_Spot(f"tape {number}", "tape", words, SPACE, _half_way([*course]), plan.film_width_m))
    return [*spots, _Spot("seams", "tape", "seams along the tube", SPACE, None, 2 * plan.film_length_m)]


def _of_tape(plan: BagPlan) -> list[_Spot]:
    """Places of the tape round the part, and round openings that are cut out."""
    spots = []
    corners = [*_corners(plan.tape_line)]
    names = _corner_names(plan, [plan.tape_line[at] for at in corners])
    for number, at in enumerate(corners, 1):
        words = f"tape at {names[number - 1]}"
        spots.append(_Spot(f"corner {number}", "tape corner", words, SPACE, plan.tape_line[at]))
    around = len(plan.tape_line) - 1
    ends = [*corners, corners[0] + around] if corners else []
    for number, (one, other) in enumerate(pairwise(ends), 1):
        stretch = [plan.tape_line[at % around] for at in range(one, other + 1)]
        length = sum(math.dist(a, b) for a, b in pairwise(stretch))
        words = f"tape from {names[number - 1]} to {names[number % len(corners)]}"
        spots.append(_Spot(f"tape {number}", "tape", words, SPACE, _half_way(stretch), length))
    if not corners:
        spots.append(_Spot("tape", "tape", "tape, all round", SPACE, plan.tape_line[0] if plan.tape_line else None))
    for number, course in enumerate(plan.courses[1:], 1):
        length = sum(math.dist(a, b) for a, b in pairwise(course))
        spots.append(_Spot(f"opening {number}", "tape", f"tape round opening {number}", SPACE, course[0], length))
    return spots


def _corner_names(plan: BagPlan, corners: Sequence[Point]) -> list[str]:
    """What the *corners* of the tape are called: by the pleats there, numbered on the plan, if each has one."""
    numbers = []
    for corner in corners:
        apart = [math.dist(corner, pleat.place) for pleat in plan.pleats]
        nearest = min(range(len(apart)), key=apart.__getitem__, default=None)
        numbers.append(nearest if nearest is not None and apart[nearest] <= AT_CORNER_M else None)
    if None in numbers or len(set(numbers)) < len(numbers):
        return [f"corner {number}" for number in range(1, len(corners) + 1)]
    return [f"pleat {number + 1}" for number in numbers if number is not None]


def _of_mould(job: Job) -> list[_Spot]:
    ports = [line for line in job.lines if line.is_port]
    spots = [_Spot(f"port {line.id}", "sleeve", f"sleeve of {line.label}", SPACE, line.place) for line in ports]
    spots.append(_Spot("seal", "seal", "inner seal", SPACE))
    spots.append(_Spot("mould", "mould", "the mould halves themselves", SPACE))
    spots += [_Spot(f"joint {joint.name}", "seal", joint.name.lower(), SPACE) for joint in job.pair.joints]
    return spots


def _port_of(line: Line) -> Point:
    (x0, y0), (x1, y1) = line.points[0], line.points[-1]
    return x0 + (x1 - x0) * line.port_at, y0 + (y1 - y0) * line.port_at


def _corners(ring: tuple[Point, ...]) -> list[int]:
    """Numbers of the points of a closed *ring* where it turns."""
    points = ring[:-1] if len(ring) > 1 and ring[0] == ring[-1] else ring
    found = []
    for at, here in enumerate(points):
        before, after = points[at - 1], points[(at + 1) % len(points)]
        one = math.atan2(here[1] - before[1], here[0] - before[0])
        other = math.atan2(after[1] - here[1], after[0] - here[0])
        turn = abs((math.degrees(other - one) + 180) % 360 - 180)
        if turn > CORNER_TURN_DEG:
            found.append(at)
    return found


def _half_way(points: list[Point]) -> Point:
    lengths = [math.dist(a, b) for a, b in pairwise(points)]
    left = sum(lengths) / 2
    for (a, b), length in zip(pairwise(points), lengths, strict=True):
        if left <= length and length > 0:
            share = left / length
            return a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share
        left -= length
    return points[0]


def believed(job: Job, found_before: Iterable[LeakKind] = ()) -> Belief:
    """What is believed of *job*'s leaks after all that its hunt has shown."""
    hunt = job.hunt
    branches = branches_of(job, found_before)
    known = {cut.id for cut in branches.cuts}
    tests = [Isolation(frozenset(test.shut) & known, test.leaks) for test in hunt.since_last]
    mended = max((leak.at for leak in hunt.found), default=None)
    searched = [search.section for search in hunt.searched if mended is None or search.at > mended]
    there = [section for section in searched if section in branches.sections]
    return belief(branches, tests, [leak.place for leak in hunt.found], there)
