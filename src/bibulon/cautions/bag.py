"""Cautions about film, pleats, tape and flange."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.bag.checks import PLEATS, TAPE, bag_checks
from bibulon.bag.slack import BRIDGES_BELOW, film_slack
from bibulon.bag.together import bagged_part
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import WITH_PLEATS, Job
from bibulon.job.cards import FilmCard, TapeCard
from bibulon.job.edits import changed, revised
from bibulon.quantities_in_words import brief, brief_each


def _as_many_as_needed(job: Job) -> Job:
    return changed(job, bag=revised(job.bag, pleats=None))


AS_MANY = Fix("Plan as many as it needs", _as_many_as_needed, lambda job: job.bag.pleats is not None)


@caution(
    "too-few-pleats",
    "caution",
    "bag",
    why="Film that is not taken up in pleats bridges in corners or runs out where the edge turns.",
    remedy="Plan at least the pleats that the excess film needs, one at every corner.",
    fix=AS_MANY,
    of_plan=True,
    processes=WITH_PLEATS,
)
def too_few_pleats(assessment: Assessment) -> Iterator[Finding]:
    bag = assessment.bag
    if bag.pleats_planned < bag.pleats_for_film:
        excess = brief(bag.excess_m, "length", assessment.units)
        yield Finding(
            f"{bag.pleats_planned} pleats planned; {excess} of excess film need {bag.pleats_for_film}.",
            bag.tape_line[0],
        )


@caution(
    "port-without-pleat",
    "caution",
    "bag",
    why="Film without a pleat beside a port or a line that stands up is stretched over it: it bridges, or lifts the "
    "tape.",
    remedy="Plan a pleat at every corner and beside every port, and tick it at Bag when it is there.",
    fix=AS_MANY,
    processes=WITH_PLEATS,
)
def port_without_pleat(assessment: Assessment) -> Iterator[Finding]:
    bag, job = assessment.bag, assessment.job
    if bag.pleats_for_film <= bag.pleats_planned < bag.corners + bag.ports:
        left = job.lines[max(bag.pleats_planned - bag.corners, 0)]
        corners = f"{bag.corners} corners and " if bag.corners else ""
        text = f"{bag.pleats_planned} pleats planned for {corners}{bag.ports} ports: none is left for {left.label}."
        yield Finding(text, left.points[0], left.id)
    elif _left_out(job, PLEATS):
        place = job.lines[0].points[0] if job.lines else None
        yield Finding("The pleats at corners and ports are not ticked at Bag.", place)


@caution(
    "tape-not-closed",
    "caution",
    "bag",
    why="A gap in the tape, or a corner that is butted and not overlapped, leaks from the first minute to gel.",
    remedy="Walk once round the tape, press it at corners and hose entries, and tick it at Bag.",
    processes=WITH_PLEATS,
)
def tape_not_closed(assessment: Assessment) -> Iterator[Finding]:
    if _left_out(assessment.job, TAPE):
        yield Finding("Nobody has ticked that the tape is closed all round.", assessment.bag.tape_line[0])


def _left_out(job: Job, label: str) -> bool:
    """Whether work went on past that check on the bag: others are ticked, a test failed with it open, or the shot is
    under way."""
    checks = {check.label: check.ticked for check in bag_checks(job)}
    if checks[label] is not None:
        return False
    begun = any(event.kind == "started" for event in job.shot)
    return any(tick is not None for tick in checks.values()) or (begun and not job.hold_tests)


@caution(
    "film-too-small",
    "caution",
    "bag",
    why="Film stretched over a line or a corner springs back and pools resin, or lifts the tape.",
    remedy="Cut the film larger: 30 % more area than the taped surface is usual.",
    fix=Fix(
        "Cut it by the house rule",
        lambda job: changed(job, bag=revised(job.bag, film_excess=job.house.film_excess)),
    ),
    of_plan=True,
    processes=WITH_PLEATS,
)
def film_too_small(assessment: Assessment) -> Iterator[Finding]:
    excess, wanted = assessment.job.bag.film_excess, assessment.job.house.film_excess
    if excess < wanted - 1e-6:
        has, asked = brief_each((excess, wanted), "share", assessment.units)
        text = f"The film has {has} more area than the taped surface; the house rule is {asked}."
        yield Finding(text, assessment.bag.tape_line[0])


@caution(
    "flange-narrow",
    "caution",
    "bag",
    why="Tape needs clean, unreleased flange with room for pleats and for the vent beside the part.",
    remedy="Widen the flange, or bag on a plate under the mould.",
    of_plan=True,
    processes=WITH_PLEATS,
)
def flange_narrow(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    flange, wanted = job.part.flange_width_m, job.house.tapes_on_flange * job.bag.tape_width_m
    if flange < wanted - 1e-6:
        has, wants = brief_each((flange, wanted), "length", assessment.units)
        yield Finding(f"The flange is {has} wide; tape and pleats want {wants}.", assessment.bag.tape_line[0])


@caution(
    "film-or-tape-too-hot",
    "stop",
    "bag",
    why="Film beyond its temperature goes soft and holes, tape lets go: the vacuum is lost before gel.",
    remedy="Take film and tape that are made for it, or work cooler; their data sheets have the say.",
    of_plan=True,
    processes=WITH_PLEATS,
)
def film_or_tape_too_hot(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    temperature = max(job.shop.temperature_k, job.mould_temperature_k)
    own: list[FilmCard | TapeCard] = []
    if job.bag.film is not None:
        own.append(job.card(job.bag.film, FilmCard))
    if job.bag.tape is not None:
        own.append(job.card(job.bag.tape, TapeCard))
    too_hot = [card for card in own if temperature > card.highest_temperature_k]
    if too_hot:
        card = min(too_hot, key=lambda material: material.highest_temperature_k)
        is_, most = brief_each((temperature, card.highest_temperature_k), "temperature", assessment.units)
        yield Finding(f"It is {is_} at the bag; {card.name} is good to {most}.", assessment.bag.tape_line[0])


@caution(
    "film-cold",
    "caution",
    "bag",
    why="Cold film is stiff: it tears where it is folded, and does not go into corners.",
    remedy="Bring film and shop to warmth, and let the roll lie there overnight.",
    of_plan=True,
    processes=WITH_PLEATS,
)
def film_cold(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    film = job.card(job.bag.film, FilmCard) if job.bag.film is not None else None
    if film is not None and job.shop.temperature_k < film.lowest_temperature_k - 1e-6:
        is_, least = brief_each((job.shop.temperature_k, film.lowest_temperature_k), "temperature", assessment.units)
        yield Finding(f"The shop is at {is_}; {film.name} is stiff below {least}.", assessment.bag.tape_line[0])


@caution(
    "film-bridges",
    "caution",
    "bag",
    why="Film that is too short over a hollow spans it or stretches into it: resin pools under it, and it may burst.",
    remedy="Plan more pleats beside it, or a larger film, and look there half-way through drawing down.",
    fix=Fix(
        "Plan film and pleats as it needs",
        lambda job: changed(
            job,
            bag=revised(job.bag, pleats=None, film_excess=max(job.bag.film_excess, job.house.film_excess)),
        ),
    ),
    of_plan=True,
    processes=WITH_PLEATS,
)
def film_bridges(assessment: Assessment) -> Iterator[Finding]:
    relief = bagged_part(assessment.job).relief
    if not relief:
        return  # on a flat mould there is no hollow to span
    slack = film_slack(relief, assessment.bag)
    if slack.least < BRIDGES_BELOW:
        short = brief(-slack.least, "share", assessment.units)
        yield Finding(f"The film is {short} too short over the mould here.", slack.tightest)
