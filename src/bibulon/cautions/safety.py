"""Cautions about hurting people, shown where the work is done. Planning figures, not approval."""

from __future__ import annotations

from bibulon.job import CLAMPED_BY_FORCE, WITH_BLADDER, Job
from bibulon.job.base import StationId

DEFER = (
    "Bibulon gives planning figures, not approval. Data sheets, local rules and qualified people decide; structural "
    "or pressure-bearing use needs a qualified engineer."
)

_BY_STATION: dict[StationId, tuple[str, ...]] = {
    "part": (DEFER,),
    "layup": ("Cutting dry fibre: dust and sharps. Gloves, glasses, extraction; no bare skin.",),
    "hold": ("Pots and glass plates under vacuum can implode: rated vessels, guards, glasses.",),
    "cure": ("Laminate, media and pot leftovers may still be hot or sharp. Waste resin is hazardous until cured.",),
}

CLOSING = (
    "Fingers clear when the upper half comes down: two people or a hoist, nobody under it. Flange vacuum pulls it the "
    "last bit by itself."
)
CLOSING_BY_FORCE = (
    "Fingers clear when the upper half comes down: by a hoist or a press, nobody under it or between the halves. "
    "Clamps stay on until the pressure is off."
)
PRESSED = (
    "Pots and machines under pressure: rated, with a relief valve, never above their plate; let off before they are "
    "opened. Moulds under pressure are designed by qualified people."
)

BLOWN_UP = (
    "Two people close the mould, fingers clear of its edges. A bladder is blown up only in a mould that is clamped, "
    "by a regulator with a relief valve; nobody leans over its joints."
)

HOT = "Part, mould and pot leftovers may still be hot or sharp. Waste resin is hazardous until cured."

_BY_CHEMISTRY: dict[str, str] = {
    "epoxy": "Amine hardeners and epoxies sensitise skin: gloves and glasses, and wash with soap, never solvent.",
    "vinyl ester": "Organic peroxide: eye hazard, never neat into or near cobalt accelerator. Styrene vapour: "
    "ventilate, no ignition sources, respirator as the sheet says.",
    "polyester": "Organic peroxide: eye hazard, never neat into or near cobalt accelerator. Styrene vapour: "
    "ventilate, no ignition sources, respirator as the sheet says.",
}

POT_EXOTHERM = "A pot that warms up fumes and can burn: carry it outdoors, never into a bin."


def safety_notes(job: Job, station: StationId) -> tuple[str, ...]:
    """The notes to show at *station* for this job's materials."""
    notes = _BY_STATION.get(station, ())
    if job.in_mould and station == "cure":
        notes = (HOT,)
    if job.closed and station in ("mould", "shoot"):
        notes = (*notes, CLOSING_BY_FORCE if job.process in CLAMPED_BY_FORCE else CLOSING)
    if job.process in WITH_BLADDER and station in ("mould", "shoot"):
        notes = (*notes, BLOWN_UP)
    if job.in_mould and station in ("mould", "shoot") and job.pair.injection.source != "bucket":
        notes = (*notes, PRESSED)
    if station in ("charge", "shoot"):
        notes = (*notes, _BY_CHEMISTRY[job.resin.chemistry], POT_EXOTHERM)
    return notes
