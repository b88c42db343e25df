"""What is checked for every shot in a closed mould, step by step, and what the log of this shot says was."""

from __future__ import annotations

from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER, Job
from bibulon.job.checks import Check, checked
from bibulon.mould.fittings import clamp_count
from bibulon.quantities import Units, show


def shot_checks(job: Job, units: Units) -> tuple[Check, ...]:
    """What there is to check for a shot of *job*, with the ticks of this shot that fit."""
    pair = job.pair
    by_vacuum = job.process in CLAMPED_BY_VACUUM
    flange, cavity, held = (show(at, "pressure", units) for at in (pair.flange_pa, pair.cavity_pa, pair.hold_pa))
    lift = "a hoist, nobody under it" if pair.upper.lift == "hoist" else "two people"
    warm = (
        ""
        if pair.injection.resin_temperature_k is None
        else (f", hose at {show(pair.injection.resin_temperature_k, 'temperature', units)}")
    )
    clamps = "" if pair.clamp.kind == "press" else f"all {clamp_count(job)} {pair.clamp.kind} shut"
    watched = "the stop by itself tried" if pair.injection.by_itself else "somebody at the pot"
    blows_up = [name for name, seal in (("inner", pair.inner_seal), ("outer", pair.outer_seal)) if seal.inflatable]
    inner, outer = (f"{seal.hardness_shore:g}" for seal in (pair.inner_seal, pair.outer_seal))
    soft = inner if inner == outer else f"inner {inner}, outer {outer}"
    joints = tuple(
        (f"J{number}", f"Close: {joint.name}, sealed on the resin side") for number, joint in enumerate(pair.joints, 1)
    )
    if job.process in WITH_BLADDER:
        blown = show(pair.bladder.over_pressure_pa, "pressure difference", units, 0)
        blows = pair.bladder.over_pressure_pa > 0
        steps = (
            ("K1", "Moulds: outer mould clean and released; bladder blown up by itself, tight, no worn spot"),
            ("K2", "Load: fibre round the bladder by template, laps staggered, nothing nipped at the parting line"),
            ("K3", "Load: inlet and vent free, no fibre over them; the bladder has an air path of its own"),
            ("K4", "Load: no breather cloth or gap that resin could run along past the part"),
            ("K5", "Close: two people, fingers clear, fibre clear of the parting line"),
            *joints,
            ("K6", f"Close: {clamps or 'press shut'}, then the bladder to {blown}" if blows else "Close: bladder open"),
            ("K7", f"Close: cavity at {cavity}, pot empty with its lid on"),
            ("K8", "Hold: cavity held; the bladder holds its pressure with the hose shut" if blows else
             "Hold: cavity held, it does not move"),
            ("K9", f"Resin: mixed through{warm}"),
            ("K10", "Inject: vent open; somebody at the bladder's gauge clamps the inlet if it falls"),
            ("K11", f"Hold: inlets clamped, cavity at {held} and the bladder blown up until gel" if blows else
             f"Hold: inlets clamped, cavity at {held} until gel"),
            ("K12", "Open: exotherm past, bladder let off before any clamp is opened; part weighed, pot weighed"),
        )  # fmt: skip
        return checked(job.shot, steps)
    steps = (
        ("K1", f"Moulds: both halves clean and released, seals without cuts or swelling, {soft} Shore A, dowels in"),
        ("K2", "Moulds: gel coat tacky, not wet" if any("gel-coat" in layer.card for layer in job.layup) else ""),
        ("K3", "Load: fibre by template, pressed into every radius, laps where they are planned"),
        ("K4", "Load: flange wiped clear of fibres, port tubes flush with the cavity's face"),
        ("K5", f"Close: upper half down on its dowels by {lift}, fingers clear"),
        *joints,
        ("K13", f"Close: {' and '.join(blows_up)} seal blown up" if blows_up else ""),
        ("K6", f"Close: flange at {flange} or better" if by_vacuum else f"Close: {clamps or 'press shut'}"),
        ("K7", f"Close: cavity at {cavity}, pot empty with its lid on"),
        ("K8", "Hold: both spaces held, neither moves" if by_vacuum else "Hold: cavity held, it does not move"),
        ("K9", f"Resin: mixed through{', filler in suspension' if pair.injection.filler_share else ''}{warm}"),
        ("K10", f"Inject: gauge of the supply watched, vent open, {watched}"),
        ("K11", f"Hold: inlets clamped, cavity at {held} until gel"),
        ("K12", "Open: exotherm past, vacuum off, tubes out, sprue pinched off; part weighed, pot weighed"),
    )
    return checked(job.shot, steps)
