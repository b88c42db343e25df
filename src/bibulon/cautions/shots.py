"""Cautions about a series: a shot off its charts, a cycle that is too slow, pots, and joints that let resin out."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import CLAMPED_BY_VACUUM, IN_MOULD, WITH_BLADDER
from bibulon.job.edits import changed, revised, with_pair
from bibulon.mould.clamp import flange_needed_pa
from bibulon.mould.shots import figure_of, figures_for, odd_shots, shots_of
from bibulon.quantities_in_words import brief, brief_each

GAUGE_PA = 2_000.0
"""Gauges differ by so much."""


@caution(
    "shot-off-chart",
    "caution",
    "series",
    why="A shot that is not like the ones before has a cause: more in the pot, less fibre; slower, thicker resin.",
    remedy="Look at the part and find what was different before the next shot. Write it in a note.",
    of_plan=True,
    processes=IN_MOULD,
)
def shot_off_chart(assessment: Assessment) -> Iterator[Finding]:
    shots = shots_of(assessment.job)
    if not shots:
        return
    last = shots[-1].number
    reasons = odd_shots(assessment.job.process, shots).get(last, ())
    if reasons:
        why = listed(f"{figure.words.lower()} {reason}" for figure, reason in reasons)
        yield Finding(f"The last shot, {last}, is not like the others: {why}.")


@caution(
    "flange-read-weak",
    "caution",
    "shoot",
    why="The flange's vacuum is the clamp: with less than was planned the mould opens sooner, or is open already.",
    remedy="Do not open the inlet. Find the leak, or what the gauge counts from: the atmosphere or nothing at all.",
    processes=CLAMPED_BY_VACUUM,
)
def flange_read_weak(assessment: Assessment) -> Iterator[Finding]:
    job, margin = assessment.job, assessment.clamp
    (flange,) = (figure for figure in figures_for(job.process) if figure.name == "flange")
    read = figure_of(flange, job.shot)
    if read is None or read <= job.pair.flange_pa + GAUGE_PA:
        return
    opens = flange_needed_pa(job, margin) if margin is not None else None
    has, planned = brief_each((read, job.pair.flange_pa), "pressure", assessment.units)
    text = f"The flange was read at {has} in this shot; {planned} is planned"
    if opens is not None and read > opens:
        most = brief(opens, "pressure", assessment.units)
        yield Finding(f"{text}, and from {most} on the mould opens.", rank="stop")
    else:
        yield Finding(f"{text}.")


@caution(
    "release-late",
    "caution",
    "series",
    why="A mould that is still shut when the next shot is due holds up the shift, or is opened before it may be.",
    remedy="Warm the mould, take resin that gels sooner, add a mould or a lower half, or plan fewer shots.",
    processes=IN_MOULD,
)
def release_late(assessment: Assessment) -> Iterator[Finding]:
    wanted, cycle = assessment.job.series.cycle.wanted_s, assessment.cycle
    if wanted is None or assessment.fill is None or cycle.every_s <= wanted:
        return
    comes, planned = brief_each((cycle.every_s, wanted), "duration", assessment.units)
    release = brief(assessment.cure.release_s, "duration", assessment.units)
    text = f"A shot comes every {comes}, and one is wanted every {planned}: {cycle.held_up_by} holds it up"
    yield Finding(f"{text}. The part may be let go {release} after the start.")


@caution(
    "pot-without-lid",
    "caution",
    "mould",
    why="A pot whose lid does not seal leaks into the vacuum that draws the resin, and spills what it has caught.",
    remedy="Put a lid with a sound seal on it, and clean the seal after each shot.",
    fix=Fix(
        "Plan lids that seal",
        lambda job: changed(job, pots=tuple(revised(pot, lid=True) for pot in job.pots)),
    ),
    of_plan=True,
    processes=IN_MOULD,
)
def pot_without_lid(assessment: Assessment) -> Iterator[Finding]:
    bare = [pot.label or "the pot" for pot in assessment.job.pots if not pot.lid]
    if bare:
        yield Finding(f"No lid that seals is planned on {listed(bare)}.")


@caution(
    "joint-not-sealed",
    "caution",
    "mould",
    why="Resin takes the easy way: through a joint that is sealed on its outside only it runs round the part.",
    remedy="Seal it where the resin is, and tick it off before the mould is closed.",
    fix=Fix(
        "Seal all on the resin side",
        lambda job: with_pair(
            job, joints=tuple(revised(joint, sealed="on the resin side") for joint in job.pair.joints)
        ),
        helps=lambda job: bool(job.pair.joints),
    ),
    of_plan=True,
    processes=IN_MOULD,
)
def joint_not_sealed(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    for joint in job.pair.joints:
        if joint.sealed != "on the resin side":
            words = "not sealed" if joint.sealed == "not sealed" else "sealed on the outside only"
            yield Finding(f"{joint.name} is {words}.")
    if job.process in WITH_BLADDER and not job.pair.joints:
        yield Finding("No joint is listed yet: parting line, ends, the bladder's neck, inlet and vent.")


@caution(
    "pump-not-proved",
    "caution",
    "shoot",
    why="Resin that is mixed cannot wait for a pump that does not pull, or for a seal that has to be changed.",
    remedy="Prove the pump and its spare, hold the mould, tick that, and mix then.",
    of_plan=True,
    processes=IN_MOULD,
)
def pump_not_proved(assessment: Assessment) -> Iterator[Finding]:
    shot = assessment.job.shot
    mixed = next((at for at, event in enumerate(shot) if event.kind in ("batch added", "valve opened")), None)
    proved = next((at for at, event in enumerate(shot) if event.kind == "step done" and event.label == "hold"), None)
    if mixed is not None and (proved is None or proved > mixed):
        what = f"{shot[mixed].label} was poured" if shot[mixed].kind == "batch added" else "The first inlet was opened"
        yield Finding(f"{what} before it was ticked that pump and vacuum hold.")
