"""The lid in its closed mould as it should be, and each mistake made on it."""

from __future__ import annotations

from collections.abc import Callable

from sound_jobs import HELD_AT, held

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job import Job
from bibulon.job.edits import changed, revised, with_card, with_line
from bibulon.job.hold import HoldTest
from bibulon.job.layup import Layer
from bibulon.job.pair import Fitting, InjectionStep, Joint, UntilMass
from bibulon.job.run import RunEvent
from bibulon.planning.mould_layouts import with_port_at
from bibulon.stock import shelf_card

CAVITY = ((0.0, 51_300.0), (60.0, 51_310.0), (150.0, 51_315.0), (300.0, 51_320.0), (450.0, 51_325.0), (600.0, 51_330.0))
FLANGE = tuple((time_s, pressure_pa - 29_000.0) for time_s, pressure_pa in CAVITY)


def both_held(cavity_pa_s: float = 0.0, flange_pa_s: float = 0.0) -> HoldTest:
    """A hold test of both spaces, that rise by so much in a second besides."""
    moved = [
        tuple((time_s, pressure_pa + rise * time_s) for time_s, pressure_pa in readings)
        for readings, rise in ((CAVITY, cavity_pa_s), (FLANGE, flange_pa_s))
    ]
    return revised(held(moved[0]), flange_readings=moved[1])


def lid() -> Job:
    """The demo's lid, both spaces held, with nothing logged."""
    return changed(demo_job(DEMO_FILES[2]), hold_tests=(both_held(),), run=())


def pair(job: Job, **fields: object) -> Job:
    return changed(job, pair=revised(job.pair, **fields))


def upper(job: Job, **fields: object) -> Job:
    return pair(job, upper=revised(job.pair.upper, **fields))


def injection(job: Job, **fields: object) -> Job:
    return pair(job, injection=revised(job.pair.injection, **fields))


def pressed(job: Job, over_pressure_pa: float, source: str = "pressure pot") -> Job:
    return injection(job, source=source, steps=(InjectionStep(over_pressure_pa=over_pressure_pa),))


def loaded(job: Job, *fabrics: str) -> Job:
    """*job* with those fabrics for its fibre."""
    for fabric in fabrics:
        job = with_card(job, shelf_card(fabric))
    layers = tuple(Layer(id=f"f{number}", card=fabric) for number, fabric in enumerate(fabrics))
    return changed(job, layup=(job.layup[0], *layers))


def lapped(job: Job) -> Job:
    """Heavy cloth off a narrow roll, lapped, in a cavity that just closes on it."""
    narrow = revised(shelf_card("glass-mat-biax-1050"), id="narrow", roll_width_m=0.5)
    job = changed(with_card(job, narrow), layup=(Layer(id="a", card="narrow"), Layer(id="b", card="narrow")))
    return pair(changed(job, cutting=revised(job.cutting, overlap_m=0.025)), cavity_m=0.00195)


def cored(job: Job) -> Job:
    job = with_card(job, shelf_card("foam-plain-5"))
    return changed(job, layup=(*job.layup, Layer(id="core", card="foam-plain-5")))


def pressed_shut(job: Job, over_pressure_pa: float) -> Job:
    """*job* between two rigid halves, injected by a machine."""
    return pressed(changed(job, process="RTM"), over_pressure_pa, "machine")


def last_entry_of_shot(number: int) -> int:
    """How many entries of the lid's log there are up to the end of that shot."""
    ends = [at for at, event in enumerate(demo_job(DEMO_FILES[2]).run, 1) if event.kind == "finished"]
    return ends[number - 1]


def arm() -> Job:
    """The lamp-post arm, its cavity held, with nothing logged."""
    return changed(demo_job(DEMO_FILES[3]), hold_tests=(held(CAVITY),), run=())


def blown(job: Job, **fields: object) -> Job:
    return pair(job, bladder=revised(job.pair.bladder, **fields))


BLADDER_MISTAKES: dict[str, Callable[[Job], Job]] = {
    "bladder-below-resin": lambda job: blown(pressed(job, 60_000.0), over_pressure_pa=30_000.0),
    "bladder-vent-shut": lambda job: blown(pressed(job, 60_000.0), over_pressure_pa=50_000.0),
    "bladder-over-rated": lambda job: blown(job, over_pressure_pa=250_000.0),
    "parting-force": lambda job: pair(job, clamp=revised(job.pair.clamp, force_n=900.0)),
    "bladder-off-girth": lambda job: blown(job, stretch=0.2),
    "plan-does-not-close": lambda job: changed(
        job, part=revised(job.part, outline=((0.0, 0.0), (1.0, 0.0), (0.5, 0.4)))
    ),
    "joint-not-sealed": lambda job: pair(job, joints=()),
    "past-its-life": lambda job: blown(job, shots=40),
}
MOULD_MISTAKES: dict[str, Callable[[Job], Job]] = {
    "mould-opens": lambda job: pressed(job, 60_000.0),
    "flange-gives": lambda job: pair(job, flange_thickness_m=0.004),
    "two-levels-one-pump": lambda job: pair(job, supply="one pump"),
    "vent-shut-opens": lambda job: pressed(job, 15_000.0),
    "flange-vacuum-low": lambda job: pair(job, flange_pa=45_000.0),
    "cavity-deeper-than-flange": lambda job: pair(job, cavity_pa=15_000.0),
    "above-the-plate": lambda job: pressed(job, 30_000.0, "bucket"),
    "upper-too-soft": lambda job: upper(pressed(job, 20_000.0), thickness_m=0.002, rib_pitch_m=None),
    "thickness-off": lambda job: pair(job, hold_pa=100_000.0),
    "cavity-height-missing": lambda job: pair(job, cavity_m=None),
    "channel-under-seal": lambda job: pair(job, channel=revised(job.pair.channel, width_m=0.07)),
    "fibre-loose": lambda job: loaded(job, "glass-mat-450"),
    "lap-doubles": lapped,
    "inlet-off-channel": lambda job: with_line(job, revised(job.line("inlet-1"), points=((0.2, 0.395), (0.2, 0.405)))),
    "inlets-uneven": lambda job: with_port_at(job, "inlet-2", (0.0, 0.6)),
    "channel-too-narrow": lambda job: pair(job, channel=revised(job.pair.channel, width_m=0.004, height_m=0.002)),
    "vent-off-last": lambda job: with_port_at(job, "vent-1", (0.2, 0.2)),
    "injected-too-warm": lambda job: injection(job, resin_temperature_k=320.0),
    "cold-slug": lambda job: injection(job, resin_temperature_k=303.15),
    "filler-settled": lambda job: injection(job, filler_share=0.3, density_kg_m3=1150.0),
    "past-its-life": lambda job: pair(job, inner_seal=revised(job.pair.inner_seal, shots=150)),
    "flange-not-held": lambda job: changed(job, hold_tests=(held(CAVITY),)),
    "spaces-leak": lambda job: changed(job, hold_tests=(both_held(0.0, 1.5),)),
    "clamps-too-weak": lambda job: pressed_shut(job, 150_000.0),
    "pressure-unusual": lambda job: injection(pressed_shut(job, 900_000.0), rated_pa=1_000_000.0),
    "skin-past-its-life": lambda job: changed(
        job, process="reusable film", bag=revised(job.bag, skin=revised(job.bag.skin, shots=80))
    ),
    "pot-without-lid": lambda job: changed(job, pots=tuple(revised(pot, lid=False) for pot in job.pots)),
    "joint-not-sealed": lambda job: pair(job, joints=(Joint(name="Vent's sleeve", sealed="on the outside only"),)),
    "shot-off-chart": lambda job: changed(job, run=demo_job(DEMO_FILES[2]).run[: last_entry_of_shot(17)]),
    "release-late": lambda job: changed(
        job, series=revised(job.series, cycle=revised(job.series.cycle, wanted_s=1800.0))
    ),
    "seal-attacked": lambda job: pair(job, outer_seal=revised(job.pair.outer_seal, stands_styrene=False)),
    "tube-off-sleeve": lambda job: pair(job, sleeve_m=0.0142),
    "dowels-close": lambda job: pair(job, fittings=(Fitting(id="d1", kind="dowel", place=(0.0, -0.1)),)),
    "clamps-apart": lambda job: pair(
        pressed_shut(job, 20_000.0),
        fittings=tuple(Fitting(id=f"c{x}", kind="clamp", place=(x, -0.1)) for x in (0.1, 0.4, 0.7)),
    ),
    "flange-read-weak": lambda job: changed(
        job,
        run=(RunEvent(number=1, at=HELD_AT, clock_s=0.0, kind="reading", label="flange", vacuum_pa=78_000.0),),
    ),
    "pump-not-proved": lambda job: changed(
        job, run=(RunEvent(number=1, at=HELD_AT, clock_s=0.0, kind="batch added", label="B1", mass_kg=5.0),)
    ),
    "cavity-too-tight": lambda job: pair(job, cavity_m=0.0037),
    "core-thicker-than-cavity": cored,
    "stop-mass-not-said": lambda job: injection(job, stop="by mass"),
    "step-never-begins": lambda job: injection(
        job, steps=(InjectionStep(until=UntilMass(mass_kg=50.0)), InjectionStep())
    ),
}
