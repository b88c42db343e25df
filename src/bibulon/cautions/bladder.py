"""Cautions about a bladder inside a hollow part."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import inside
from bibulon.cautions.registry import Finding, caution
from bibulon.durations import run_clock
from bibulon.job import WITH_BLADDER
from bibulon.mould.bladder import bladder_margin, girth_of, most_over_pa, parting_force_n
from bibulon.mould.press import clamps_give_n
from bibulon.quantities_in_words import brief, brief_each

TOO_LARGE = 0.08
"""A bladder larger round than the part by more than this share folds."""


@caution(
    "bladder-below-resin",
    "stop",
    "mould",
    why="Resin that presses as hard as the bladder lifts the fibre off the mould and runs past it, inside the part.",
    remedy="Blow the bladder up further, as far as it and the mould are made for, or inject with less.",
    processes=WITH_BLADDER,
)
def bladder_below_resin(assessment: Assessment) -> Iterator[Finding]:
    if assessment.fill is None:
        return
    margin = bladder_margin(assessment.job, assessment.fill)
    least, when_s = margin.worst
    if least < 0:
        over = brief(-least, "pressure difference", assessment.units)
        yield Finding(f"{run_clock(when_s)} into the shot resin presses {over} harder than the bladder.", margin.place)


@caution(
    "bladder-vent-shut",
    "note",
    "mould",
    why="With the vent shut, or full of resin, the whole part comes to the pressure of the supply.",
    remedy="Keep the vent open until the inlet is clamped, or inject with less than the bladder has.",
    of_plan=True,
    processes=WITH_BLADDER,
)
def bladder_vent_shut(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    planned = max(step.over_pressure_pa for step in job.pair.injection.steps)
    if planned > most_over_pa(job):
        has, most = brief_each((planned, most_over_pa(job)), "pressure difference", assessment.units)
        yield Finding(f"{has} over the atmosphere is planned for the resin, and the bladder has {most}.")


@caution(
    "bladder-over-rated",
    "stop",
    "mould",
    why="A bladder or a mould blown up beyond what it is made for bursts.",
    remedy="Blow it up to less. Moulds under pressure are designed by qualified people.",
    of_plan=True,
    processes=WITH_BLADDER,
)
def bladder_over_rated(assessment: Assessment) -> Iterator[Finding]:
    bladder = assessment.job.pair.bladder
    if bladder.over_pressure_pa > bladder.rated_pa:
        figures = (bladder.over_pressure_pa, bladder.rated_pa)
        has, most = brief_each(figures, "pressure difference", assessment.units)
        yield Finding(f"The bladder is to have {has} over the atmosphere; it and the mould are made for {most}.")


@caution(
    "parting-force",
    "stop",
    "mould",
    why="The bladder pushes the halves of the outer mould apart; through a gap the laminate is pinched and resin jets.",
    remedy="Set more clamps or stronger ones, or blow it up to less. Such moulds are designed by qualified people.",
    of_plan=True,
    processes=WITH_BLADDER,
)
def parting_force(assessment: Assessment) -> Iterator[Finding]:
    job, clamp = assessment.job, assessment.job.pair.clamp
    given = clamps_give_n(job)
    if given < job.house.clamp_reserve * parting_force_n(job):
        opens, held = brief_each((parting_force_n(job), given), "force", assessment.units)
        holds = "the press holds" if clamp.kind == "press" else f"{clamp.kind} hold"
        yield Finding(f"The bladder parts the mould with about {opens}; {holds} {held}, too little reserve.")


@caution(
    "bladder-off-girth",
    "caution",
    "mould",
    why="A bladder that is too small bridges the corners and bursts there; one too large folds, and the folds print.",
    remedy="Take a bladder that is a little smaller round than the part, with stretch to spare.",
    of_plan=True,
    processes=WITH_BLADDER,
)
def bladder_off_girth(assessment: Assessment) -> Iterator[Finding]:
    bladder, girth = assessment.job.pair.bladder, girth_of(assessment.job)
    if bladder.girth_m is None or girth is None:
        return
    reach = bladder.girth_m * (1 + bladder.stretch)
    if reach < girth.widest_m:
        most, needs = brief_each((reach, girth.widest_m), "length", assessment.units)
        yield Finding(f"Round it the bladder stretches to {most}; the part takes {needs} at its widest.")
    if bladder.girth_m > girth.narrowest_m * (1 + TOO_LARGE):
        has, takes = brief_each((bladder.girth_m, girth.narrowest_m), "length", assessment.units)
        yield Finding(f"The bladder is {has} round; at its narrowest the part takes {takes}, so that it folds.")


@caution(
    "plan-does-not-close",
    "caution",
    "part",
    why="A hollow part developed flat has two long sides that are one line of it; without them resin ends at both.",
    remedy="Draw the part developed flat round its section, or say at Mould that it does not close on itself.",
    of_plan=True,
    processes=WITH_BLADDER,
)
def plan_does_not_close(assessment: Assessment) -> Iterator[Finding]:
    if assessment.job.pair.bladder.wraps and girth_of(assessment.job) is None:
        place = inside(assessment.job.part.shape)
        yield Finding("The outline has no two long straight sides that could be one line of the part.", place)
