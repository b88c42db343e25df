"""The hunt for leaks of a bag or mould: what was shut off, whether it still leaked, and the leaks that were found."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AwareDatetime, Field

from bibulon.job.base import Model, Name, Point

LeakKind = Literal[
    "pleat",
    "port",
    "tape corner",
    "tape",
    "film",
    "hose joint",
    "hose",
    "pot",
    "pump valve",
    "seal",
    "sleeve",
    "mould",
]
HOW_FOUND = ("by ear", "with a listener", "by the film", "by feel", "by flooding it", "by shutting off")
HowFound = Literal["by ear", "with a listener", "by the film", "by feel", "by flooding it", "by shutting off"]
CutName = Annotated[str, Field(min_length=1, max_length=200)]


class IsolationTest(Model):
    """A hold with clamps set at the cuts named in ``shut``: whether what was left on the gauge still leaked."""

    shut: Annotated[tuple[CutName, ...], Field(max_length=200)]
    leaks: bool
    at: AwareDatetime


class FoundLeak(Model):
    """A leak that was found, and what cured it."""

    place: CutName
    """Which of the places that were looked at, by its identifier."""
    kind: LeakKind
    words: Name
    spot: Point | None = None
    how: HowFound = "by ear"
    cure: Annotated[str, Field(max_length=400)] = ""
    at: AwareDatetime


class Search(Model):
    """A section that was looked through, and no leak found in it."""

    section: CutName
    at: AwareDatetime


class LeakHunt(Model):
    """All that was done to find leaks."""

    isolations: Annotated[tuple[IsolationTest, ...], Field(max_length=1000)] = ()
    found: Annotated[tuple[FoundLeak, ...], Field(max_length=1000)] = ()
    searched: Annotated[tuple[Search, ...], Field(max_length=1000)] = ()

    @property
    def since_last(self) -> tuple[IsolationTest, ...]:
        """The tests that still count: of those before the last leak was mended only what held."""
        mended = max((leak.at for leak in self.found), default=None)
        return tuple(test for test in self.isolations if mended is None or test.at > mended or not test.leaks)
