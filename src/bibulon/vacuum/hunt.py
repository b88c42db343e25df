"""The hunt for a leak: which branches to shut next, and where to look, from what was shut and whether it still leaked.

What is under vacuum falls into sections that clamps part from one another, a tree or nearly one; the gauge sits on one
of them. A test with some clamps shut sees the sections that are left joined to the gauge. Belief is Bayes' rule over
one leak or two, each at one of the places with its own weight; the next test is the one whose answer is expected to
take most from the entropy of which sections leak, less a little for each clamp that has to be set.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

import numpy as np

from bibulon.arrays import Flags, Floats
from bibulon.job.hunt import LeakKind

TWO_LEAKS = 0.25
"""How often there is a second leak."""
MISREAD = 0.01
"""How often a gauge is read wrongly, or a clamp does not quite shut."""
CLAMP_BITS = 0.02
"""What setting one clamp more has to be worth."""
LEAST_BITS = 0.05
"""A test that is expected to tell less is not asked for."""
SURE = 0.9
MOST_CUTS = 12
"""With more clamps not every way to set them is gone through."""
OVERLOOKED = 0.2
"""How often a leak is not found where it is looked for."""
MENDED_WEIGHT = 0.2
"""What a place that was mended counts for after that."""


@dataclass(frozen=True)
class LeakPlace:
    """A place that may leak: in words, in which section, how readily, of what kind, and where on the plan."""

    id: str
    words: str
    section: str
    weight: float
    kind: LeakKind = "hose"
    at: tuple[float, float] | None = None


@dataclass(frozen=True)
class Cut:
    """Where a clamp parts two sections."""

    id: str
    words: str
    between: tuple[str, str]


@dataclass(frozen=True)
class Branches:
    """Sections by name with their words, the clamps between them, the one that the gauge sits on, and all places."""

    sections: dict[str, str]
    cuts: tuple[Cut, ...]
    gauge: str
    places: tuple[LeakPlace, ...]

    def joined(self, shut: frozenset[str]) -> frozenset[str]:
        """The sections that stay joined to the gauge with those cuts shut."""
        seen, ahead = {self.gauge}, [self.gauge]
        while ahead:
            here = ahead.pop()
            for cut in self.cuts:
                if cut.id not in shut and here in cut.between:
                    other = cut.between[1] if cut.between[0] == here else cut.between[0]
                    if other not in seen:
                        seen.add(other)
                        ahead.append(other)
        return frozenset(seen)

    def round_of(self, joined: frozenset[str]) -> frozenset[str]:
        """The cuts that part *joined* from all else: no others have to be shut."""
        return frozenset(cut.id for cut in self.cuts if (cut.between[0] in joined) != (cut.between[1] in joined))

    @cached_property
    def choices(self) -> tuple[frozenset[str], ...]:
        """The sets of cuts that are worth shutting, each by what it parts from the gauge."""
        chosen: dict[frozenset[str], frozenset[str]] = {}
        for shut in self._ways():
            joined = self.joined(shut)
            chosen.setdefault(joined, self.round_of(joined))
        return tuple(chosen.values())

    def _ways(self) -> Iterator[frozenset[str]]:
        names = [cut.id for cut in self.cuts]
        most = len(names) if len(names) <= MOST_CUTS else 2
        for count in range(1, most + 1):
            for some in combinations(names, count):
                yield frozenset(some)
        if len(names) > MOST_CUTS:
            weights = dict.fromkeys(self.sections, 0.0)
            for place in self.places:
                weights[place.section] += place.weight
            for kept in range(2, len(self.sections)):  # the likeliest that hang on to one another stay joined
                joined = {self.gauge}
                while len(joined) < kept:
                    beside = {
                        other
                        for cut in self.cuts
                        if (cut.between[0] in joined) != (cut.between[1] in joined)
                        for other in cut.between
                        if other not in joined
                    }
                    if not beside:
                        break
                    joined.add(max(beside, key=lambda name: (weights[name], name)))
                yield self.round_of(frozenset(joined))


@dataclass(frozen=True)
class Isolation:
    """A test with clamps shut, and whether what was left joined to the gauge still leaked."""

    shut: frozenset[str]
    leaks: bool


@dataclass(frozen=True)
class Belief:
    """What is believed of the leaks: chances (H,) of the pairs of places (H, 2), the same twice for one leak."""

    branches: Branches
    pairs: np.ndarray
    chances: Floats

    @property
    def of_places(self) -> dict[str, float]:
        """The chance that each place leaks, by its identifier."""
        count = len(self.branches.places)
        chances = np.bincount(self.pairs[:, 0], self.chances, count)
        second = self.pairs[:, 1] != self.pairs[:, 0]
        chances += np.bincount(self.pairs[second, 1], self.chances[second], count)
        return {place.id: float(chance) for place, chance in zip(self.branches.places, chances, strict=True)}

    @property
    def of_sections(self) -> dict[str, float]:
        """The chance that there is a leak in each section."""
        names = list(self.branches.sections)
        leaking = self._leaking(names)
        return {name: float(chance) for name, chance in zip(names, self.chances @ leaking, strict=True)}

    def _leaking(self, names: Sequence[str]) -> np.ndarray:
        """(H, S) whether a section leaks under each pair."""
        index = {name: at for at, name in enumerate(names)}
        section = np.array([index[place.section] for place in self.branches.places])
        leaking = np.zeros((len(self.pairs), len(names)))
        rows = np.arange(len(self.pairs))
        for column in (0, 1):
            leaking[rows, section[self.pairs[:, column]]] = 1.0
        return leaking

    def expected_bits(self, shut: frozenset[str]) -> float:
        """What the answer to a test with those cuts shut is expected to tell of which sections leak: the entropy of the
        answer, less that of misreading it."""
        seen = _leaks_in(self.branches, self.pairs, self.branches.joined(shut))
        share = float(self.chances @ np.where(seen, 1 - MISREAD, MISREAD))
        return _bits(share) - _bits(MISREAD)


def belief(
    branches: Branches,
    isolations: Sequence[Isolation] = (),
    mended: Sequence[str] = (),
    searched: Sequence[str] = (),
) -> Belief:
    """Belief after the *isolations*, all since the last mend; places in *mended* leak again more seldom, and sections
    in *searched* were looked through and nothing found, each as often as it stands there."""
    weights = np.array([place.weight * (MENDED_WEIGHT if place.id in mended else 1.0) for place in branches.places])
    weights = weights / weights.sum()
    count = len(weights)
    first, second = np.triu_indices(count)
    chances = np.where(first == second, (1 - TWO_LEAKS) * weights[first], 0.0)
    both = np.where(first == second, 0.0, 2 * weights[first] * weights[second])
    total = both.sum()
    chances = chances + (TWO_LEAKS * both / total if total > 0 else 0.0)
    pairs = np.column_stack([first, second])
    for isolation in isolations:
        seen = _leaks_in(branches, pairs, branches.joined(isolation.shut))
        chances = chances * np.where(seen == isolation.leaks, 1 - MISREAD, MISREAD)
    for section in searched:
        chances = chances * np.where(_leaks_in(branches, pairs, frozenset({section})), OVERLOOKED, 1.0)
    return Belief(branches, pairs, np.asarray(chances / chances.sum(), dtype=np.float64))


def next_isolation(believed: Belief) -> frozenset[str] | None:
    """The cuts to shut for the next test; None if no test tells much more, or one section is all but sure."""
    if max(believed.of_sections.values(), default=1.0) >= SURE:
        return None
    choices = believed.branches.choices
    if not choices:
        return None
    worth = [believed.expected_bits(shut) - CLAMP_BITS * len(shut) for shut in choices]
    best = int(np.argmax(worth))
    return choices[best] if worth[best] >= LEAST_BITS else None


def _leaks_in(branches: Branches, pairs: np.ndarray, sections: frozenset[str]) -> Flags:
    """(H,) whether any of the leaks of each of the *pairs* lies in those *sections*."""
    inside = np.array([place.section in sections for place in branches.places])
    return np.asarray(inside[pairs].any(axis=1))


def _bits(share: float) -> float:
    share = min(max(share, 1e-12), 1 - 1e-12)
    return float(-share * np.log2(share) - (1 - share) * np.log2(1 - share))
