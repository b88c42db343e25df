"""Cautions about film, pleats and flange."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, caution
from bibulon.quantities import show

TAPE_WIDTHS_ON_FLANGE = 4.0


@caution(
    "too-few-pleats",
    "caution",
    "bag",
    why="Film that is not taken up in pleats bridges in corners or runs out where the edge turns.",
    remedy="Plan at least the pleats that the excess film needs, one at every corner.",
    of_plan=True,
)
def too_few_pleats(assessment: Assessment) -> Iterator[Finding]:
    bag = assessment.bag
    if bag.pleats_planned < bag.pleats_needed:
        excess = show(bag.excess_m, "length", assessment.units)
        yield Finding(f"{bag.pleats_planned} pleats planned; {excess} of excess film need {bag.pleats_needed}.")


@caution(
    "film-too-small",
    "caution",
    "bag",
    why="Film stretched over a line or a corner springs back and pools resin, or lifts the tape.",
    remedy="Cut the film with 30 % more area than the taped surface.",
    of_plan=True,
)
def film_too_small(assessment: Assessment) -> Iterator[Finding]:
    excess = assessment.job.bag.film_excess
    if excess < 0.15:
        yield Finding(f"The film is planned with only {excess:.0%} more area than the taped surface.")


@caution(
    "flange-narrow",
    "caution",
    "bag",
    why="Tape needs clean, unreleased flange with room for pleats and for the vent beside the part.",
    remedy="Widen the flange, or bag on a plate under the mould.",
    of_plan=True,
)
def flange_narrow(assessment: Assessment) -> Iterator[Finding]:
    flange, tape = assessment.job.part.flange_width_m, assessment.job.bag.tape_width_m
    if flange < TAPE_WIDTHS_ON_FLANGE * tape:
        has, wants = (show(one, "length", assessment.units) for one in (flange, TAPE_WIDTHS_ON_FLANGE * tape))
        yield Finding(f"The flange is {has} wide; tape and pleats want {wants}.")
