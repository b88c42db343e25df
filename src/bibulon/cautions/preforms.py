"""Cautions about preforms: weighed, tried in the mould, and laid only then."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import in_region
from bibulon.cautions.registry import Finding, caution
from bibulon.job import Job
from bibulon.job.layup import PlyGroup, Preform
from bibulon.laminate.lay_list import lay_list, preform_text
from bibulon.laminate.preform import preform_weight_kg
from bibulon.quantities_in_words import brief_each

MOST_OFF = 0.05
"""Cloth differs by so much from its card, and cutting by a little; more is a ply too many or too few."""


def _preforms(job: Job) -> Iterator[tuple[PlyGroup, Preform, str | None]]:
    for group in job.groups:
        if group.preform is not None:
            yield group, group.preform, next(layer.region for layer in job.layup if layer.group == group.name)


@caution(
    "preform-weight-off",
    "caution",
    "layup",
    why="A preform that is too heavy has a ply too many or too much binder, one too light a ply too few: the cavity is "
    "filled otherwise than planned, and nobody sees it from outside.",
    remedy="Count its plies at a cut edge, and weigh the binder that was put on. Correct it, or make it again.",
    of_plan=True,
)
def preform_weight_off(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    for group, preform, region in _preforms(job):
        should = preform_weight_kg(job, group)
        if preform.weighed_kg is not None and abs(preform.weighed_kg - should) > MOST_OFF * should:
            is_, planned = brief_each((preform.weighed_kg, should), "mass", assessment.units)
            yield Finding(f"Preform “{group.name}” weighs {is_}; it should weigh {planned}.", in_region(job, region))


@caution(
    "preform-does-not-fit",
    "stop",
    "layup",
    why="What does not lie in the mould by itself is pressed there by film or upper half: it bridges, shears, and "
    "leaves gaps beside it that resin runs along.",
    remedy="Trim it, warm it and press it into the mould until it has set, or make it again.",
    of_plan=True,
)
def preform_does_not_fit(assessment: Assessment) -> Iterator[Finding]:
    for group, preform, region in _preforms(assessment.job):
        if preform.fits == "does not fit":
            text = f"Preform “{group.name}” was tried in the mould and does not fit."
            yield Finding(text, in_region(assessment.job, region))


@caution(
    "preform-unchecked",
    "caution",
    "layup",
    why="Once more is laid over it a preform can be neither weighed nor moved.",
    remedy="Take it out, weigh it, and try it in the mould; then lay it.",
    of_plan=True,
)
def preform_unchecked(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    laid = {line.text for line in lay_list(job) if line.laid is not None}
    for group, preform, region in _preforms(job):
        missing = [
            word
            for word, lacks in (("weighed", preform.weighed_kg is None), ("tried", preform.fits == "not tried"))
            if lacks
        ]
        if missing and preform_text(job, group) in laid:
            text = f"Preform “{group.name}” is laid and was not {' nor '.join(missing)}."
            yield Finding(text, in_region(job, region))
