"""What puts faults of the plumbing right: reducers, ports and elbows of the shelf, clamps that shut."""

from __future__ import annotations

from bibulon.job import Job
from bibulon.job.edits import with_card, with_hose
from bibulon.job.gear_cards import FittingCard, TubeCard
from bibulon.job.lines import Line
from bibulon.plumbing.fits import bore_verdict, clamp_for
from bibulon.plumbing.hose_way import tightest_bend
from bibulon.plumbing.network import Hose, network_of
from bibulon.stock.choice import cards_for

MOST_ELBOWS = 20


def with_reducers(job: Job, name: str | None = None) -> Job:
    """*job* with a reducer at every joint that the shelf has one for, or at those of the hose *name* only."""
    for hose in network_of(job).hoses:
        if name is not None and hose.name != name:
            continue
        for joint, field in zip(hose.joints, ("reducer_at_start", "reducer_at_end"), strict=True):
            if joint.proposed is None:
                continue
            job = with_hose(with_card(job, joint.proposed), hose.name, **{field: joint.proposed.id})
            if joint.proposed_port is not None:
                job = with_hose(with_card(job, joint.proposed_port), hose.name, port=joint.proposed_port.id)
    return job


def reducers_help(job: Job) -> bool:
    """Whether the shelf has a reducer for a joint of *job* that does not fit."""
    return any(joint.proposed is not None for hose in network_of(job).hoses for joint in hose.joints)


def size_differs(job: Job, line: Line) -> bool:
    """Whether the hose of *line* goes straight on it, and neither over it nor into it nor bore to bore."""
    hose, tube, most = job.card(line.hose, TubeCard), job.card(line.tube, TubeCard), job.house.tube_fit_m
    off = (abs(hose.bore_m - tube.outer_m), abs(hose.outer_m - tube.bore_m), abs(hose.bore_m - tube.bore_m))
    return job.plumbing.hose(line.id).port is None and min(off) > most


def with_ports(job: Job) -> Job:
    """*job* with a port of the shelf, under the film, for each hose whose line has another size and that one fits."""
    ports = [card for card in cards_for(job, FittingCard).values() if card.use == "port" and not card.through_film]
    for line in job.lines:
        hose = job.card(line.hose, TubeCard)
        port = next((port for port in ports if bore_verdict(hose, port.fits_bore_m) == "fits"), None)
        if size_differs(job, line) and port is not None:
            job = with_hose(with_card(job, port), line.id, port=port.id)
    return job


def ports_help(job: Job) -> bool:
    """Whether ports of the shelf put hoses of *job* right that go on no line."""
    return with_ports(job) != job


def with_elbows(job: Job, name: str | None = None) -> Job:
    """*job* with as many elbows of the shelf as it takes that its feeds' hoses do not kink on their drawn ways, or that
    of the hose *name* does not."""
    for hose in network_of(job).hoses:
        least, elbow = hose.card.least_bend_m, elbow_for(job, hose)
        if hose.side == "vent" if name is None else hose.name != name:
            continue
        if not hose.kinks or least is None or elbow is None or hose.fitted.tightest_bend_m is not None:
            continue
        for count in range(hose.fitted.elbows + 1, MOST_ELBOWS + 1):
            bend = tightest_bend(hose.way, count)
            if bend is None or bend[0] >= least:
                job = with_hose(with_card(job, elbow), hose.name, elbow=elbow.id, elbows=count)
                break
    return job


def elbow_for(job: Job, hose: Hose) -> FittingCard | None:
    """The elbow of the shelf that *hose* goes over."""
    cards = [card for card in cards_for(job, FittingCard).values() if card.use == "elbow"]
    return next((card for card in cards if bore_verdict(hose.card, card.fits_bore_m) == "fits"), None)


def elbows_help(job: Job) -> bool:
    """Whether elbows take the kinks out of hoses of *job*."""
    return with_elbows(job) != job


def with_sound_clamps(job: Job) -> Job:
    """*job* with clamps that shut their hoses in place of those chosen that do not, as far as the shelf has them."""
    for hose in weak_clamps(job):
        found = clamp_for(hose.card, cards_for(job, FittingCard).values())
        if found.card is not None:
            job = with_hose(with_card(job, found.card), hose.name, clamp=found.card.id)
    return job


def weak_clamps(job: Job) -> tuple[Hose, ...]:
    """Hoses of *job* that could be shut, and that their clamp does not shut."""
    return tuple(
        hose
        for hose in network_of(job).hoses
        if hose.clamp is not None and not hose.clamp.shuts and hose.clamp.verdict != "stiff"
    )


def clamps_help(job: Job) -> bool:
    """Whether the shelf has a better clamp for one of those."""
    return with_sound_clamps(job) != job
