"""What is checked on the bag while it goes on, and what the log says was."""

from __future__ import annotations

from bibulon.job import WITH_PLEATS, Job
from bibulon.job.checks import Check, checked

TAPE, PLEATS, HALF_WAY, ROOTS = "T1", "T2", "T3", "T4"
SLOWLY, PULLED, HOLES = "T5", "T6", "T7"

SHEET_CLOSING = (
    (TAPE, "Tape closed all round on bare flange, corners overlapped, no fibre under it"),
    (PLEATS, "A pleat at every corner and where something stands up: {standing}"),
    (ROOTS, "Pleat roots, hose entries and tape corners pressed; the last pleat reversed to close"),
)
BOX_CLOSING = (
    SHEET_CLOSING[0],
    (PLEATS, "Corners of the box over those of the mould, its seams closed; film left loose at {standing}"),
    SHEET_CLOSING[2],
)
TUBE_CLOSING = (
    (TAPE, "Tape closed across both ends of the tube and along its seams, no fibre under it"),
    (PLEATS, "Film left loose where something stands up: {standing}"),
    (ROOTS, "Seams, hose entries and the corners of both ends pressed; no sharp edge of the mould against the film"),
)
SKIN_CHECKS = (
    ("S1", "Skin looked over: no cut, no tear at corners and ports, no swelling"),
    ("S2", "Seal and flange wiped, no fibre under the seal"),
    ("S3", "Looked at half-way through drawing down: nothing bridges, no line has shifted"),
)
"""Of a film that is used again."""


def bag_checks(job: Job) -> tuple[Check, ...]:
    """What there is to check on the bag of *job*, with the ticks of the log that fit."""
    if job.process not in WITH_PLEATS:
        return checked(job.run, SKIN_CHECKS)
    standing = ", ".join(line.label for line in job.lines[:12]) or "every port"
    closing = {"sheet": SHEET_CLOSING, "tube": TUBE_CLOSING, "box": BOX_CLOSING}[job.bag.shape]
    return checked(
        job.run,
        (
            *((label, text.format(standing=standing)) for label, text in closing),
            (SLOWLY, "Drawn down slowly at partial vacuum, film worked into the corners from the middle outwards"),
            (HALF_WAY, "Stopped half-way: pleats moved, nothing bridges, no line has shifted"),
            (PULLED, "Drawn to full vacuum; no film stretched over a line, where resin would pool"),
            (HOLES, "Holes over ports through the film cut last, and sealed"),
        ),
    )
