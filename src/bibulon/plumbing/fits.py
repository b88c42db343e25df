"""Whether a hose fits what it is put on, and whether a clamp shuts it.

Sizes are told by the bore of the hose that goes on a barb. Soft hose that is a little narrower goes on once its end is
warmed; one that is wider slips off or sucks air past.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from bibulon.job.gear_cards import FittingCard, TubeCard

FITS_M = 0.0006
"""A barb fits a hose that is as wide to within this."""
WARMED = 0.1
"""A clampable hose narrower by this share goes on with its end warmed."""

FitVerdict = Literal["fits", "warmed", "wide", "narrow", "nothing fits", "other way in"]
ClampVerdict = Literal["shuts", "stiff", "jaw", "weak", "nothing shuts it"]
UNFIT: frozenset[FitVerdict] = frozenset({"wide", "narrow", "nothing fits", "other way in"})


@dataclass(frozen=True)
class ClampFit:
    """The clamp on a hose, None where the shelf has none that shuts it, and whether it does."""

    card: FittingCard | None
    verdict: ClampVerdict

    @property
    def shuts(self) -> bool:
        return self.verdict == "shuts"


def bore_verdict(hose: TubeCard, wants_m: float | None, tolerance_m: float = FITS_M) -> FitVerdict:
    """How *hose* goes on a barb for hoses of the bore *wants_m*; one that nobody measured is taken to fit."""
    if wants_m is None or abs(hose.bore_m - wants_m) <= tolerance_m:
        return "fits"
    if hose.bore_m > wants_m:
        return "wide"
    return "warmed" if hose.clampable and hose.bore_m >= wants_m * (1 - WARMED) - 1e-9 else "narrow"


def reducer_verdict(hose: TubeCard, reducer: FittingCard, wants_m: float | None) -> FitVerdict:
    """How *hose* goes on one end of *reducer* whose other end goes, by a piece of hose, on a barb for *wants_m*."""
    ends = reducer.fits_bore_m, reducer.other_fits_bore_m or reducer.fits_bore_m
    ways = [
        bore_verdict(hose, near) for near, far in (ends, ends[::-1]) if wants_m is None or abs(far - wants_m) <= FITS_M
    ]
    if "fits" in ways:
        return "fits"
    return ways[0] if ways else bore_verdict(hose, wants_m)


def reducer_for(hose: TubeCard, wants_m: float, shelf: Iterable[FittingCard]) -> FittingCard | None:
    """The reducer of *shelf* between *hose* and a barb for hoses of the bore *wants_m*, the widest inside."""
    found = [
        card for card in shelf if card.use == "reducer" and reducer_verdict(hose, card, wants_m) in ("fits", "warmed")
    ]
    return max(found, key=lambda card: card.bore_m, default=None)


def clamp_verdict(hose: TubeCard, clamp: FittingCard) -> ClampVerdict:
    """Whether *clamp* shuts *hose*: it has to go round it and press as hard as it takes; what no card says is taken
    to do."""
    if not hose.clampable:
        return "stiff"
    if clamp.bore_m < hose.outer_m - FITS_M:
        return "jaw"
    if clamp.force_n is not None and hose.pinch_n is not None and clamp.force_n < hose.pinch_n:
        return "weak"
    return "shuts"


def clamp_for(hose: TubeCard, shelf: Iterable[FittingCard]) -> ClampFit:
    """The smallest clamp of *shelf* that shuts *hose*."""
    if not hose.clampable:
        return ClampFit(None, "stiff")
    found = [card for card in shelf if card.use == "clamp" and clamp_verdict(hose, card) == "shuts"]
    card = min(found, key=lambda card: (card.bore_m, card.force_n or 0.0), default=None)
    return ClampFit(card, "nothing shuts it" if card is None else "shuts")
