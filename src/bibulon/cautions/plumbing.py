"""Cautions about the ends of hoses, their clamps and their way; dip tube, bucket and bypass."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress

from shapely import LineString

from bibulon.assess import Assessment
from bibulon.cautions.places import listed
from bibulon.cautions.registry import Finding, Fix, Rank, caution
from bibulon.flow.network import pipe_volume_m3
from bibulon.job import UNDER_FILM, Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised, with_hose, with_plumbing
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.job.plumbing import BYPASS_HOSE, DipTube
from bibulon.plumbing.bucket import heel_kg, opening_for_heel_m
from bibulon.plumbing.edits import with_bypass
from bibulon.plumbing.mending import (
    clamps_help,
    elbows_help,
    reducers_help,
    weak_clamps,
    with_elbows,
    with_reducers,
    with_sound_clamps,
)
from bibulon.plumbing.network import Hose, inlets_short, into_first_pot, network_of
from bibulon.quantities_in_words import brief, brief_each
from bibulon.resin.mixing import room_kg

WEEPS = {"jaw": "opens too little to go round it", "weak": "presses too little to shut it"}
PLUG_M = 0.0015
"""A port open wider than its hose by more than this keeps a plug of resin."""


def _place(job: Job, hose: Hose) -> Point | None:
    """Where *hose* is on the plan: at its line, if it is that of one, else at the first line on its side."""
    near = [line for line in job.lines if line.id == hose.name]
    near += [line for line in job.lines if line.kind == ("vent" if hose.side == "vent" else "feed")]
    return near[0].points[0] if near else None


@caution(
    "joint-does-not-fit",
    "caution",
    "lines",
    why="A hose that does not fit its barb slips off under vacuum, or sucks air past it into the part.",
    remedy="Take hose and fitting of one size, or put a reducer between them.",
    fix=Fix("Put reducers of the shelf between them", with_reducers, reducers_help),
    of_plan=True,
)
def joint_does_not_fit(assessment: Assessment) -> Iterator[Finding]:
    job, units = assessment.job, assessment.units
    for hose in network_of(job).hoses:
        for joint in hose.joints:
            if joint.fits:
                continue
            own = brief(hose.card.bore_m, "thickness", units)
            if joint.verdict == "nothing fits":
                text = f"Hose {hose.label} has {own} bore, and no port on the shelf fits it"
                yield Finding(f"{text}.", _place(job, hose), hose.name, rank="note", remedy="Buy one in time.")
                continue
            if joint.verdict == "other way in":
                way = "through the film" if hose.fitted.through == "film" else "under the film"
                text = f"Hose {hose.label} goes through the {hose.fitted.through}; {joint.on} is not made to sit {way}"
                remedy = "Take a port that is made for it, or lead the hose the other way."
                yield Finding(f"{text}.", _place(job, hose), hose.name, remedy=remedy)
                continue
            wants = joint.wants_m if joint.wants_m is not None else hose.card.bore_m
            own, other = brief_each((hose.card.bore_m, wants), "thickness", units)
            sizes = f"has {own} bore, and {joint.on} takes {other}"
            if joint.reducer is not None:
                sizes = f"has {own} bore, and {joint.reducer.name} does not join it to {joint.on} for {other}"
            yield Finding(f"Hose {hose.label} {sizes}.", _place(job, hose), hose.name)


@caution(
    "clamp-does-not-shut",
    "caution",
    "lines",
    why="A clamp that does not shut its hose weeps: the bucket empties into the part, or the bag loses its vacuum.",
    remedy="Take a clamp whose jaw goes round the hose and that presses hard enough; try it on a piece of the hose.",
    fix=Fix("Take clamps of the shelf that shut", with_sound_clamps, clamps_help),
    of_plan=True,
)
def clamp_does_not_shut(assessment: Assessment) -> Iterator[Finding]:
    for hose in weak_clamps(assessment.job):
        clamp = hose.clamp
        if clamp is None:
            continue
        outer = brief(hose.card.outer_m, "thickness", assessment.units)
        if clamp.card is None:
            text = f"No clamp on the shelf shuts hose {hose.label}, {hose.card.name}, {outer} outside"
        elif clamp.verdict == "weak" and hose.card.pinch_n is not None and clamp.card.force_n is not None:
            wants, has = brief_each((hose.card.pinch_n, clamp.card.force_n), "force", assessment.units)
            text = f"Hose {hose.label} takes {wants} to shut; {clamp.card.name} presses with {has}"
        else:
            text = f"On hose {hose.label}, {outer} outside, {clamp.card.name} {WEEPS[clamp.verdict]}"
        yield Finding(f"{text}.", _place(assessment.job, hose), hose.name)


@caution(
    "hose-kinked",
    "caution",
    "lines",
    why="A kink in a feed hose throttles it, and nothing at the bucket shows it.",
    remedy="Lead the hose in a wider bend, or put an elbow there.",
    fix=Fix("Put elbows of the shelf there", with_elbows, elbows_help),
    of_plan=True,
)
def hose_kinked(assessment: Assessment) -> Iterator[Finding]:
    for hose in network_of(assessment.job).hoses:
        bend, least = hose.bend, hose.card.least_bend_m
        if hose.kinks and bend is not None and least is not None:
            radius_m, place = bend
            is_bent, stands = brief_each((radius_m, least), "thickness", assessment.units)
            text = f"Hose {hose.label} is led round {is_bent}; {hose.card.name} kinks below {stands}"
            remedy = "" if hose.side != "vent" else "Only air goes through it: a kink slows the pump down, no more."
            rank: Rank | None = None if hose.side != "vent" else "note"
            at = place or _place(assessment.job, hose)
            yield Finding(f"{text}.", at, hose.name, rank=rank, remedy=remedy, beside_part=place is not None)


def _wound(job: Job) -> Job:
    for hose in _bare(job):
        job = with_hose(job, hose.name, tape_turns=1)
    return job


def _bare(job: Job) -> tuple[Hose, ...]:
    return tuple(
        hose
        for hose in network_of(job).hoses
        if hose.fitted.through == "tape"
        and hose.fitted.tape_turns == 0
        and any(joint.fitting is not None and joint.fitting.use == "port" for joint in hose.joints)
    )


@caution(
    "hose-bare-in-tape",
    "caution",
    "lines",
    why="Tape closes on a flat face, not round a hose: beside a bare hose two channels stay open.",
    remedy="Wind a turn of tape round the hose, and press it into the tape below and the film above.",
    fix=Fix("Wind a turn of tape round them", _wound, lambda job: bool(_bare(job))),
    of_plan=True,
    processes=UNDER_FILM,
)
def hose_bare_in_tape(assessment: Assessment) -> Iterator[Finding]:
    bare = _bare(assessment.job)
    if bare:
        goes = "goes" if len(bare) == 1 else "go"
        text = f"Hose {listed(hose.label for hose in bare)} {goes} through the tape without a turn of tape round it."
        yield Finding(text, _place(assessment.job, bare[0]), bare[0].name)


@caution(
    "port-wider-than-hose",
    "note",
    "lines",
    why="Resin cures to a plug in a port that is open wider than its hose, and cannot be pulled out through it.",
    remedy="Take a port of the hose's size, or count it as lost with the shot.",
    of_plan=True,
)
def port_wider_than_hose(assessment: Assessment) -> Iterator[Finding]:
    for hose in network_of(assessment.job).hoses:
        for joint in hose.joints:
            port = joint.fitting
            if hose.side == "feed" and port is not None and port.bore_m > hose.card.bore_m + PLUG_M:
                is_open, own = brief_each((port.bore_m, hose.card.bore_m), "thickness", assessment.units)
                text = f"{joint.on[:1].upper()}{joint.on[1:]} is open {is_open} wide, its hose {own}."
                yield Finding(text, _place(assessment.job, hose), hose.name)


@caution(
    "dip-tube-flat",
    "caution",
    "lines",
    why="A tube that is cut flat seals itself to the bucket's floor: the feed stops, and it looks like a slow fill.",
    remedy="Cut its end at an angle or notch it; the height of the cut is the heel that stays in the bucket.",
    fix=Fix(
        "Notch it, as high as the heel that is counted",
        lambda job: with_plumbing(job, dip=DipTube(cut="notched", opening_m=opening_for_heel_m(job))),
    ),
    of_plan=True,
)
def dip_tube_flat(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.feeds and _draws_from_a_bucket(job) and job.plumbing.dip.cut == "flat":
        yield Finding("The dip tube is cut flat and stands on the bucket's floor.", job.feeds[0].points[0])


def _draws_from_a_bucket(job: Job) -> bool:
    return job.bucket.rate_m3_s <= 0 and not (job.in_mould and job.pair.injection.source == "machine")


@caution(
    "heel-under-dip-tube",
    "caution",
    "charge",
    why="The dip tube draws air as soon as its opening stands out of the resin, and the bubbles end in the part.",
    remedy="Count what stays below the opening as the heel, or cut the notch lower.",
    fix=Fix(
        "Count it as the heel",
        lambda job: changed(job, bucket=revised(job.bucket, heel_kg=round(heel_kg(job) or 0.0, 3))),
    ),
    of_plan=True,
)
def heel_under_dip_tube(assessment: Assessment) -> Iterator[Finding]:
    job, below = assessment.job, heel_kg(assessment.job)
    if below is None or not job.feeds or not _draws_from_a_bucket(job) or below <= job.bucket.heel_kg * 1.02 + 0.005:
        return
    opening = brief(job.plumbing.dip.draws_air_at_m, "thickness", assessment.units)
    stays, counted = brief_each((below, job.bucket.heel_kg), "mass", assessment.units)
    text = f"With an opening {opening} over the floor {stays} stay in this bucket; {counted} are counted as the heel."
    yield Finding(text, job.feeds[0].points[0])


@caution(
    "batch-overfills-bucket",
    "caution",
    "charge",
    why="A batch is poured before the one in the bucket is used up: what finds no room stands in its pot and warms.",
    remedy="Take a larger bucket, or smaller batches.",
)
def batch_overfills_bucket(assessment: Assessment) -> Iterator[Finding]:
    job, room = assessment.job, room_kg(assessment.job)
    if room is None or not assessment.batches or not _draws_from_a_bucket(job):
        return
    largest = max(assessment.batches, key=lambda batch: batch.mass_kg)
    if largest.mass_kg > room + 0.005:
        batch, left = brief_each((largest.mass_kg, room), "mass", assessment.units)
        yield Finding(f"Batch {largest.number} weighs {batch}; the bucket has room for {left} over its heel.")


@caution(
    "bypass-weeps",
    "caution",
    "lines",
    why="A bypass that weeps empties the bucket past the part, straight into the pot.",
    remedy="Put two clamps on it that shut its hose, one at each end, and look at it when the feed is opened.",
    fix=Fix(
        "Put two clamps on it",
        lambda job: with_plumbing(job, bypass=revised(job.plumbing.bypass, clamps=2)) if job.plumbing.bypass else job,
        lambda job: job.plumbing.bypass is not None and job.plumbing.bypass.clamps < 2,
    ),
    of_plan=True,
)
def bypass_weeps(assessment: Assessment) -> Iterator[Finding]:
    bypass = assessment.job.plumbing.bypass
    hose = next((hose for hose in network_of(assessment.job).hoses if hose.name == BYPASS_HOSE), None)
    if bypass is None or hose is None:
        return
    if bypass.clamps < 2:
        has = "no clamp" if bypass.clamps == 0 else "one clamp only"
        yield Finding(f"Bypass {bypass.label} has {has}.", _place(assessment.job, hose))
    elif not hose.card.clampable:
        yield Finding(f"No clamp shuts bypass {bypass.label}, {hose.card.name}.", _place(assessment.job, hose))


@caution(
    "bypass-missing",
    "caution",
    "lines",
    why="What is to be drawn off once the part is full has no way to the pots, and stays in the part.",
    remedy="Add a bypass from the feeds' side to the first pot, or let the feeds be clamped.",
    fix=Fix(
        "Add a bypass",
        with_bypass,
        lambda job: bool(job.feeds) and job.plumbing.bypass is None,
    ),
    of_plan=True,
)
def bypass_missing(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.flow.feeds_after == "to the pots" and job.feeds and job.plumbing.bypass is None:
        text = "The feeds go to the pots by a bypass once the part is full, and there is none."
        yield Finding(text, job.feeds[0].points[0])


def _with_inlets(job: Job) -> Job:
    wants = len(into_first_pot(network_of(job), job))
    return changed(job, pots=(revised(job.pots[0], inlets=wants), *job.pots[1:]))


@caution(
    "pot-inlets-short",
    "note",
    "lines",
    why="Hoses teed together before a pot pull on one another: a vent that resin has come to fills the other's hose, "
    "and neither can be clamped or read alone.",
    remedy="Take a pot with an inlet for each vent, or put a tee in and clamp each vent before it.",
    fix=Fix("Plan a pot with that many inlets", _with_inlets, lambda job: bool(job.pots)),
    of_plan=True,
)
def pot_inlets_short(assessment: Assessment) -> Iterator[Finding]:
    job, network = assessment.job, network_of(assessment.job)
    if inlets_short(network, job) == 0:
        return
    pot, hoses = job.pots[0], into_first_pot(network, job)
    names = listed([hose.label for hose in hoses])
    inlets = "one inlet" if pot.inlets == 1 else f"{pot.inlets} inlets"
    yield Finding(f"Pot {pot.label} has {inlets}, and {names} go to it.", _place(job, hoses[-1]), hoses[-1].name)


def _late(assessment: Assessment) -> tuple[tuple[Line, float], ...]:
    """Feeds that are shut at their port and opened where resin stands already, each with when."""
    job, fill = assessment.job, assessment.fill
    if fill is None:
        return ()
    opened: dict[str, float] = {}
    for event in fill.events:
        if event.action == "opened":
            opened.setdefault(event.line, event.time_s)
    late = []
    for line in job.feeds:
        if line.id not in opened or job.plumbing.hose(line.id).shut_at != "port":
            continue
        x, y = LineString(line.points).interpolate(line.port_at, normalized=True).coords[0]
        with suppress(ValueError):  # off the part, where resin comes only by the line itself
            seen = fill.seen_at(x, y)
            if seen is not None and seen < opened[line.id] - 1.0:
                late.append((line, opened[line.id]))
    return tuple(late)


def _shut_at_bucket(job: Job) -> Job:
    for line in job.feeds:
        if job.plumbing.hose(line.id).shut_at == "port":
            job = with_hose(job, line.id, shut_at="bucket")
    return job


@caution(
    "air-in-late-hose",
    "caution",
    "lines",
    why="The hose stands full of air until it is opened: that goes into resin that is there already, and stays in it.",
    remedy="Shut it at the bucket, so that the vacuum empties it, or draw resin up to its port before the shot.",
    fix=Fix(
        "Shut hoses at the bucket",
        _shut_at_bucket,
        lambda job: any(job.plumbing.hose(line.id).shut_at == "port" for line in job.feeds),
    ),
)
def air_in_late_hose(assessment: Assessment) -> Iterator[Finding]:
    job, units = assessment.job, assessment.units
    for line, time_s in _late(assessment):
        volume = pipe_volume_m3(job.card(line.hose, TubeCard).bore_m, line.hose_length_m)
        holds, when = brief(volume, "volume", units), brief(time_s, "duration", units)
        text = f"Hose {line.label} is shut at its port until {when}, with {holds} of air in it."
        yield Finding(text, line.points[0], line.id)
