"""The cycle of a closed mould: its steps for one upper half and some lower ones, what holds it up, what it costs.

An upper half is busy from closing to opening; a lower one from cleaning until its part is out; hands are busy with all
but gel coat and cure. With n lower halves a shot comes every ``max(upper, lower/n, hands/people)``: the longest of the
three holds the cycle up. Moulds of hollow parts share no half, and a shot comes every ``max(mould/n, hands/people)``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from bibulon.job import WITH_BLADDER, Job
from bibulon.job.gear_cards import TubeCard

Holder = Literal["the upper half", "the lower half", "the mould", "the people"]


@dataclass(frozen=True)
class CycleStep:
    """A step of one shot: from ``start_s`` for ``duration_s``, whether it holds the upper half, and hands."""

    name: str
    start_s: float
    duration_s: float
    upper: bool
    hands: bool


@dataclass(frozen=True)
class Cycle:
    """The steps of one shot, and what comes of them over a shift with so many lower halves."""

    steps: tuple[CycleStep, ...]
    shares_upper: bool
    """Whether there is one upper half for all lower ones; else ``lowers`` counts whole moulds."""
    lowers: int
    every_s: float
    held_up_by: Holder
    longest: str
    """The step that takes longest of what holds it up."""
    shots_per_shift: int
    with_another: int
    """Shots a shift with one more of them."""
    cost_per_shot: float | None
    """Labour, moulds and thrown tubes by the shot; None where nobody has said what labour costs."""


def tubes_cost(job: Job) -> float:
    """What the tubes of the ports cost that are thrown away with a shot, by the prices on their cards."""
    if not job.pair.tubes_thrown:
        return 0.0
    ports = [line for line in job.lines if line.is_port]
    return sum((job.card(port.hose, TubeCard).price or 0.0) * port.hose_length_m for port in ports)


def shift_of(job: Job) -> float:
    """How long a shift of the series is: as it was said, else from the planned start of the shot to the shift's end."""
    said = job.series.cycle.shift_s
    return max(job.shop.shift_left_s, 0.0) if said is None else said


def cycle_of(job: Job, inject_s: float, cure_s: float) -> Cycle:
    """The cycle of *job* whose injection takes *inject_s* and whose resin cures in *cure_s*."""
    plan = job.series.cycle
    rows = (
        ("Clean and release", plan.clean_s, False, True),
        ("Gel coat", plan.gel_coat_s, False, False),
        ("Load", plan.load_s, False, True),
        ("Close", plan.close_s, True, True),
        ("Vacuum and hold test", plan.vacuum_s, True, True),
        ("Inject", inject_s, True, True),
        ("Gel and cure", cure_s, True, False),
        ("Open and take out", plan.open_s, True, True),
    )
    steps, at = [], 0.0
    for name, duration, upper, hands in rows:
        steps.append(CycleStep(name, at, duration, upper, hands))
        at += duration
    shift_s = shift_of(job)
    shares_upper = job.process not in WITH_BLADDER
    every, holder = _every(steps, plan.lowers, plan.people, shares_upper)
    another, _ = _every(steps, plan.lowers + 1, plan.people, shares_upper)
    among = [
        step
        for step in steps
        if holder in ("the lower half", "the mould") or (step.upper if holder == "the upper half" else step.hands)
    ]
    longest = max(among, key=lambda step: step.duration_s).name
    cost = None
    if plan.labour_per_h is not None:
        hands_s = sum(step.duration_s for step in steps if step.hands)
        cost = plan.labour_per_h * hands_s / 3600
        if plan.mould_price is not None:
            cost += plan.mould_price / job.pair.life_shots
        cost += tubes_cost(job)
    return Cycle(
        steps=tuple(steps),
        shares_upper=shares_upper,
        lowers=plan.lowers,
        every_s=every,
        held_up_by=holder,
        longest=longest,
        shots_per_shift=_shots(shift_s, every),
        with_another=_shots(shift_s, another),
        cost_per_shot=cost,
    )


def _every(steps: list[CycleStep], moulds: int, people: int, shares_upper: bool) -> tuple[float, Holder]:
    """How often a shot comes, and what it waits for longest."""
    whole = sum(step.duration_s for step in steps) / moulds
    hands = sum(step.duration_s for step in steps if step.hands) / people
    times: list[tuple[float, Holder]] = [(whole, "the lower half" if shares_upper else "the mould")]
    if shares_upper:
        times.append((sum(step.duration_s for step in steps if step.upper), "the upper half"))
    return max(*times, (hands, "the people"), key=lambda pair: pair[0])


def _shots(shift_s: float, every_s: float) -> int:
    """Shots in a shift that goes on where the one before left off."""
    return int(shift_s / every_s + 1e-9) if every_s > 0 else 0
