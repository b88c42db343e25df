"""Cautions about what wears: seals, sleeves, and lives of moulds, seals, bladders and skins."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import inside
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import CLOSED, IN_MOULD, REUSABLE
from bibulon.job.gear_cards import TubeCard
from bibulon.mould.lives import lives_of, with_worn_out_new
from bibulon.quantities_in_words import brief_each

SLEEVE_TIGHT_M, SLEEVE_LOOSE_M = 1e-4, 5e-4
NEW_ONES = Fix("It is changed: count anew", with_worn_out_new)


def worn_out(assessment: Assessment) -> Iterator[Finding]:
    """What has made the shots it is good for."""
    for life in lives_of(assessment.job):
        if not life.left:
            text = f"The {life.name} has made {life.made} shots of the {life.shots} it is good for."
            yield Finding(text, inside(assessment.job.part.shape))


# -- seals and sleeves -------------------------------------------------------------------------------------------------


@caution(
    "seal-attacked",
    "caution",
    "mould",
    why="A seal that the resin attacks swells, sticks and leaks after a few shots.",
    remedy="Take a seal that stands this resin, or count its life in a few shots.",
    of_plan=True,
    processes=CLOSED,
)
def seal_attacked(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    styrene = job.resin.chemistry != "epoxy"
    for name, seal in (("inner", job.pair.inner_seal), ("outer", job.pair.outer_seal)):
        if not (seal.stands_styrene if styrene else seal.stands_amine):
            what = "styrene" if styrene else "an epoxy's hardener"
            kind = f" ({seal.kind})" if seal.kind else ""
            yield Finding(f"The {name} seal{kind} does not stand {what}.")


@caution(
    "tube-off-sleeve",
    "caution",
    "mould",
    why="A tube that is loose in its sleeve lets air in beside it; one that is too thick does not go through.",
    remedy="Take tube and sleeve that fit each other.",
    of_plan=True,
    processes=IN_MOULD,
)
def tube_off_sleeve(assessment: Assessment) -> Iterator[Finding]:
    job, sleeve = assessment.job, assessment.job.pair.sleeve_m
    for line in job.lines if sleeve is not None else ():
        outer = job.card(line.hose, TubeCard).outer_m
        if line.is_port and sleeve is not None and not -SLEEVE_TIGHT_M <= sleeve - outer <= SLEEVE_LOOSE_M:
            tube, bore = brief_each((outer, sleeve), "thickness", assessment.units)
            text = f"The tube of {line.label} is {tube} outside, and its sleeve {bore} inside."
            yield Finding(text, line.place, line.id)
            return


# -- lives -------------------------------------------------------------------------------------------------------------


@caution(
    "past-its-life",
    "caution",
    "mould",
    why="What is worn leaks or bursts when resin is in, and a tired mould takes the surface with it.",
    remedy="Change what is worn, or have the mould looked at, and set its count anew.",
    fix=NEW_ONES,
    of_plan=True,
    processes=IN_MOULD,
)
def past_its_life(assessment: Assessment) -> Iterator[Finding]:
    yield from worn_out(assessment)


@caution(
    "skin-past-its-life",
    "caution",
    "bag",
    why="A skin that has been through too many shots tears at its corners, and a tear shows only once resin runs.",
    remedy="Look it over against the light, mend or change it, and set its count anew.",
    fix=NEW_ONES,
    of_plan=True,
    processes=REUSABLE,
)
def skin_past_its_life(assessment: Assessment) -> Iterator[Finding]:
    yield from worn_out(assessment)
