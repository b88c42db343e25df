"""What is checked on the mould before anything is laid, and what the log says was."""

from __future__ import annotations

from collections.abc import Callable

from bibulon.job import Job
from bibulon.job.checks import Check, checked
from bibulon.quantities import Units, show

LITTLE_DRAFT_DEG = 1.5

Words = Callable[[Job, Units], str]
"""What to check on a job's mould; "" where that does not arise."""


def _when(wanted: Callable[[Job], bool], text: str) -> Words:
    return lambda job, units: text if wanted(job) else ""


def _right_mould(job: Job, units: Units) -> str:
    whole = "this part" if job.mould.hand == "single" else "this hand of the pair"
    return f"This is the mould for {whole}"


def _warm(job: Job, units: Units) -> str:
    if job.mould.temperature_k is None:
        return ""
    return f"Mould at {show(job.mould.temperature_k, 'temperature', units)} all over, measured on its face"


def _draft(job: Job, units: Units) -> str:
    if job.mould.face == "flat" or job.mould.draft_deg >= LITTLE_DRAFT_DEG:
        return ""
    draft = show(job.mould.draft_deg, "angle", units)
    if job.mould.draft_deg < 0:
        return f"Draft of {draft}: it comes off in pieces, in the order that is listed, each one tried"
    return f"Draft of {draft} only: how the part comes off is settled"


def _released(job: Job, units: Units) -> str:
    with_what = f" with {job.mould.release}" if job.mould.release else ""
    return f"Released{with_what}, coats counted, dry"


def _where_it_seals(job: Job, units: Units) -> str:
    if job.in_mould:
        return "Seals, their grooves and the joints free of release, fibre and old resin"
    return "No release where the sealing tape goes: flange wiped back to bare"


def _joints(job: Job, units: Units) -> str:
    if len(job.mould.pieces) < 2:
        return ""
    return f"Joints of the {len(job.mould.pieces)} pieces closed, sealed on the resin side, bolts in order"


CHECKS: tuple[tuple[str, Words], ...] = (
    ("M1", _right_mould),
    ("M2", lambda job, units: "Face and flange clean, nothing standing up"),
    ("M3", _released),
    ("M4", _where_it_seals),
    ("M5", lambda job, units: "The mould itself proved air-tight"),
    ("M6", _warm),
    ("M7", _draft),
    ("M8", _when(lambda job: job.mould.kind == "foam",
                 "Foam sealed; it springs back when the vacuum is let go and can grip the part")),
    ("M9", _when(lambda job: job.mould.kind == "glass plate",
                 "Glass borne all over and guarded: a plate under vacuum can implode")),
    ("M10", _when(lambda job: job.mould.kind == "wood or board", "Board sealed all round: raw edges leak for hours")),
    ("M11", _when(lambda job: job.mould.two_good_faces and not job.in_mould,
                  "Second face ready: film and media alone leave a rough one")),
    ("M12", _when(lambda job: job.closed,
                  "Upper mould, seals and clamps tried with nothing in it")),
    ("M13", _joints),
)  # fmt: skip


def mould_checks(job: Job, units: Units) -> tuple[Check, ...]:
    """What there is to check on the mould of *job*, with the ticks of the log that fit."""
    return checked(job.run, ((label, words(job, units)) for label, words in CHECKS))
