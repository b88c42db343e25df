"""Cautions about hold tests and vacuum."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, caution
from bibulon.quantities import show

NEARLY_ATMOSPHERE = 0.5


@caution(
    "hold-not-done",
    "caution",
    "hold",
    why="A leak draws air into the laminate until gel; it cannot be mended once resin is in.",
    remedy="Hold the vacuum, isolated from the pump, and enter the readings at Hold.",
)
def hold_not_done(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.job.hold_tests:
        yield Finding("No hold test has been entered.")


@caution(
    "hold-not-repeated",
    "caution",
    "hold",
    why="Fitting the feed hose opens new joints: the test before it says nothing of them.",
    remedy="Hold again with the feed hose fitted and clamped.",
)
def hold_not_repeated(assessment: Assessment) -> Iterator[Finding]:
    tests = assessment.hold_verdicts
    if tests and tests[-1][0].stage == "before the feed hose":
        yield Finding("The last hold test was done before the feed hose was fitted.")


@caution(
    "hold-failed",
    "stop",
    "hold",
    why="A bag that does not hold is not infused: the dry materials cost more than the search.",
    remedy="Find the leak (pleat roots, ports, tape corners, hose entries), mend it and hold again.",
)
def hold_failed(assessment: Assessment) -> Iterator[Finding]:
    if not assessment.hold_verdicts:
        return
    test, verdict = assessment.hold_verdicts[-1]
    for rule in verdict.rules:
        if not rule.passed:
            yield Finding(f"The last hold test ({test.stage}) fails “{rule.rule}”: {rule.text}.", subject=test.id)


@caution(
    "gauge-misread",
    "caution",
    "hold",
    why="A vacuum gauge that counts down from atmosphere, read as absolute, hides a bag that is nearly full of air.",
    remedy="Check whether the gauge shows absolute pressure or vacuum, and set it for the readings.",
)
def gauge_misread(assessment: Assessment) -> Iterator[Finding]:
    for test, _ in assessment.hold_verdicts:
        lowest = min(pressure for _, pressure in test.readings)
        if lowest > NEARLY_ATMOSPHERE * assessment.job.shop.barometer_pa:
            reading = show(lowest, "pressure", assessment.units)
            yield Finding(
                f"A hold test ({test.stage}) never gets below {reading}: absolute was perhaps meant as gauge.",
                subject=test.id,
            )


@caution(
    "pump-cannot-reach",
    "caution",
    "hold",
    why="With the measured leak open the pump never gets down to the planned vacuum.",
    remedy="Mend the leak, or use a pump of more speed.",
)
def pump_cannot_reach(assessment: Assessment) -> Iterator[Finding]:
    base = assessment.pump_base_pa
    if base is not None and base > assessment.job.vacuum.cavity_pa:
        reach, planned = (show(one, "pressure", assessment.units) for one in (base, assessment.job.vacuum.cavity_pa))
        yield Finding(f"The pump can reach {reach} with the measured leak; the plan counts on {planned}.")


@caution(
    "resin-boils",
    "caution",
    "hold",
    why="Under too deep a vacuum the resin itself gases: bubbles everywhere that no vent takes away.",
    remedy="Regulate the vacuum to a pressure that the resin's data sheet allows.",
)
def resin_boils(assessment: Assessment) -> Iterator[Finding]:
    planned, lowest = assessment.job.vacuum.cavity_pa, assessment.job.resin.lowest_pressure_pa
    if planned < lowest:
        plan, limit = (show(one, "pressure", assessment.units) for one in (planned, lowest))
        yield Finding(f"The planned vacuum of {plan} is below the {limit} at which {assessment.job.resin.name} gases.")
