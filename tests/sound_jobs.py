"""Sound jobs of many kinds: every caution on one of them is a false alarm, unless it is argued here."""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import UTC, date, datetime

from conftest import clamped_at, rectangle
from shapely import LineString, Polygon, box, unary_union

from bibulon.demo import DEMO_FILES, demo_job
from bibulon.job import Job
from bibulon.job.cards import PeelPlyCard
from bibulon.job.charge import ChargePlan
from bibulon.job.edits import changed, revised
from bibulon.job.hold import HoldTest
from bibulon.job.layup import Layer
from bibulon.job.lines import AtTime, Bucket, CatchPot, Line, MediaPatch, WhenReached
from bibulon.job.mould import Mould
from bibulon.job.part import Part, Region, ReliefFigures, Shop
from bibulon.job.templates import disc, ell, trapezium
from bibulon.laminate.relief_shapes import with_figures
from bibulon.stock import shelf, shelf_card

DAY = date(2026, 3, 2)
HELD_AT = datetime(2026, 3, 2, 8, 0, tzinfo=UTC)
GOOD = ((0.0, 3000.0), (60.0, 3031.0), (120.0, 3049.0), (240.0, 3064.0), (480.0, 3071.0), (900.0, 3074.0))
Points = tuple[tuple[float, float], ...]


def held(readings: tuple[tuple[float, float], ...] = GOOD, **more: object) -> HoldTest:
    given = {"id": "hold", "stage": "with the feed hose", "taken_at": HELD_AT, "readings": readings}
    return HoldTest(**{**given, **more})


def line(kind: str, label: str, points: Points, **more: object) -> Line:
    tube = "spiral-12" if kind == "feed" else "vent-spiral-12"
    given = {"tube": tube, "hose": "hose-12", "hose_length_m": 1.5}
    return Line(id=label.lower(), kind=kind, label=label, points=points, **{**given, **more})


def job_of(
    name: str,
    outline: Points,
    layers: tuple[Layer, ...],
    lines: tuple[Line, ...],
    regions: tuple[Region, ...] = (),
    resin: str = "epoxy-slow",
    celsius: float = 25.0,
    **more: object,
) -> Job:
    """A job whose media covers the part but for the brake before the vents, with all else as the trade does it."""
    part = more.pop("part", None) or Part(outline=outline, flange_width_m=0.12)
    peel_ply = next(card for card in shelf() if isinstance(card, PeelPlyCard))
    used = {layer.card for layer in layers} | {one.tube for one in lines} | {one.hose for one in lines}
    cards = (*(shelf_card(one) for one in sorted(used)), shelf_card(resin), shelf_card("media-knitted"), peel_ply)
    vents = unary_union([LineString(one.points) for one in lines if one.kind == "vent"])
    cover = Polygon(outline).difference(vents.buffer(0.0605))
    if any(one.interiors for one in getattr(cover, "geoms", [cover])):  # laid round a vent in two pieces
        west, south, east, north = cover.bounds
        middle = (west + east) / 2
        halves = [cover.intersection(box(*one)) for one in ((west, south, middle, north), (middle, south, east, north))]
    else:
        halves = [cover]
    shapes = [one for half in halves for one in getattr(half, "geoms", [half]) if one.area > 1e-3]
    patches = tuple(
        MediaPatch(id=f"media-{at}", card="media-knitted", outline=tuple(shape.exterior.coords)[:-1])
        for at, shape in enumerate(shapes)
    )
    area = Polygon(outline).area
    given = {
        "bucket": Bucket(below_part_m=0.5, heel_kg=0.2),
        "pots": tuple(CatchPot(label=f"P{at}", capacity_m3=0.01 + area / 200) for at in (1, 2)),
        "shop": Shop(temperature_k=celsius + 273.15, shot_start_s=9.5 * 3600, shift_end_s=21 * 3600),
        "hold_tests": (held(),),
        "charge": ChargePlan(resin=resin, largest_batch_kg=4.0, gel_margin_s=600.0),
        "peel_ply": peel_ply.id,
    }
    return Job(
        id=name.replace(" ", "-"), name=name, part=part, layup=layers, lines=lines, media=patches, regions=regions,
        cards=cards, **{**given, **more},
    )  # fmt: skip


def plies(card: str, count: int, **more: object) -> tuple[Layer, ...]:
    return (Layer(id=f"{card}-{more.get('region', 'all')}-{more.get('angle_deg', 0)}", card=card, count=count, **more),)


def across(x: float, width: float, inset: float = 0.0) -> Points:
    return ((x, inset), (x, width - inset))


def deck() -> Job:
    job = demo_job()
    warm = revised(job.shop, temperature_k=298.15)
    return changed(job, hold_tests=(held(),), layup=job.layup[:-1], shop=warm)


def gore() -> Job:
    job = demo_job(DEMO_FILES[1])
    return changed(job, hold_tests=(held(),), shop=revised(job.shop, temperature_k=298.15))


def test_panel() -> Job:
    lines = (line("feed", "F1", across(0.03, 0.4)), line("vent", "V1", across(0.6, 0.4)))
    return job_of("test panel", rectangle(0, 0, 0.6, 0.4), plies("glass-biax-600", 4), lines)


def carbon_plate() -> Job:
    lines = (line("feed", "F1", across(0.03, 0.5)), line("vent", "V1", across(1.0, 0.5)))
    return job_of("carbon plate", rectangle(0, 0, 1.0, 0.5), plies("carbon-biax-400", 8), lines)


def disc_from_the_centre() -> Job:
    outline = disc(1.2, 1.2)
    ring = tuple((0.6 + 0.6 * math.cos(a / 36 * math.pi), 0.6 + 0.6 * math.sin(a / 36 * math.pi)) for a in range(73))
    lines = (line("feed", "F1", ((0.57, 0.6), (0.63, 0.6))), line("vent", "V1", ring))
    return job_of("disc", outline, plies("glass-biax-800", 4), lines)


def perimeter_to_centre() -> Job:
    ring = ((0.03, 0.03), (1.17, 0.03), (1.17, 0.77), (0.03, 0.77), (0.03, 0.03))
    lines = (line("feed", "F1", ring), line("vent", "V1", ((0.4, 0.4), (0.8, 0.4))))
    return job_of("perimeter", rectangle(0, 0, 1.2, 0.8), plies("glass-biax-800", 4), lines)


def ell_shape() -> Job:
    # fed along the outer sides of both legs, drawn off along the inner ones: the front crosses each leg
    lines = (
        line("feed", "F1", ((1.2, 0.03), (0.03, 0.03), (0.03, 1.0))),
        line("vent", "V1", ((1.2, 0.48), (0.48, 0.48), (0.48, 1.0))),
    )
    return job_of("L", ell(1.2, 1.0), plies("glass-biax-800", 3), lines)


def deep_bath() -> Job:
    part = Part(outline=rectangle(0, 0, 1.4, 0.7), flange_width_m=0.12)
    part = with_figures(part, ReliefFigures(edge_depth_m=0.3, edge_width_m=0.2))
    lines = (line("feed", "F1", ((0.25, 0.35), (1.15, 0.35))), line("vent", "V1", (*rectangle(0, 0, 1.4, 0.7), (0, 0))))
    return job_of("bath", part.outline, plies("glass-biax-800", 3), lines, part=part)


def tall_wall() -> Job:
    heights = ((0.0, 0.0, 0.0), (2.0, 0.0, 0.0), (0.0, 0.5, 1.5), (2.0, 0.5, 1.5))
    part = Part(outline=rectangle(0, 0, 2.0, 0.5), flange_width_m=0.12, relief=heights)
    lines = (line("feed", "F1", ((0.0, 0.03), (2.0, 0.03))), line("vent", "V1", ((0.0, 0.5), (2.0, 0.5))))
    return job_of("wall", part.outline, plies("glass-biax-800", 4), lines, part=part)


def with_insert() -> Job:
    """A pad of twelve more plies with the feed over it."""
    pad = Region(name="pad", outline=rectangle(0.6, 0.1, 0.9, 0.5))
    layers = (*plies("glass-biax-800", 4), *plies("glass-biax-800", 6, region="pad", angle_deg=90))
    lines = (
        line("feed", "F1", across(0.75, 0.6)), line("vent", "V1", across(0.0, 0.6)),
        line("vent", "V2", across(1.5, 0.6)),
    )  # fmt: skip
    return job_of("insert", rectangle(0, 0, 1.5, 0.6), layers, lines, regions=(pad,))


def cored_all_over() -> Job:
    layers = (
        *plies("glass-biax-800", 2), Layer(id="core", card="foam-grooved-perforated-25"),
        Layer(id="top", card="glass-biax-800", count=2),
    )  # fmt: skip
    lines = (line("feed", "F1", across(0.03, 1.0)), line("vent", "V1", across(1.4, 1.0)))
    return job_of("cored", rectangle(0, 0, 1.4, 1.0), layers, lines)


def two_cores_butted() -> Job:
    """Cores of two kinds that share an edge, together on the whole part."""
    left = Region(name="left", outline=rectangle(0, 0, 0.8, 0.8))
    right = Region(name="right", outline=rectangle(0.8, 0, 1.6, 0.8))
    layers = (
        *plies("glass-biax-800", 2),
        Layer(id="light", card="foam-grooved-perforated-25", region="left"),
        Layer(id="dense", card="foam-grooved-perforated-25", region="right"),
        Layer(id="top", card="glass-biax-800", count=2),
    )
    lines = (line("feed", "F1", across(0.03, 0.8)), line("vent", "V1", across(1.6, 0.8)))
    return job_of("two cores", rectangle(0, 0, 1.6, 0.8), layers, lines, regions=(left, right))


def flume() -> Job:
    """60 m long: fed along one side through twelve hoses, drawn off along the other."""
    feeds = tuple(
        line("feed", f"F{at + 1}", ((at * 5.0, 0.03), (at * 5.0 + 5.0, 0.03)), tube="spiral-20", hose="hose-16")
        for at in range(12)
    )
    vents = tuple(line("vent", f"V{at + 1}", ((at * 20.0, 1.0), (at * 20.0 + 20.0, 1.0))) for at in range(3))
    charge = ChargePlan(resin="epoxy-extra-slow", largest_batch_kg=20.0, gel_margin_s=600.0, mix_time_s=120.0)
    return job_of("flume", rectangle(0, 0, 60.0, 1.0), plies("glass-biax-800", 3), (*feeds, *vents),
                  resin="epoxy-extra-slow", charge=charge)  # fmt: skip


def tapered() -> Job:
    outline = trapezium(1.2, 0.6)
    ys = [y for x, y in outline if x == 1.2]
    lines = (line("feed", "F1", across(0.03, 0.6, 0.01)), line("vent", "V1", ((1.2, min(ys)), (1.2, max(ys)))))
    return job_of("tapered", outline, plies("glass-biax-800", 3), lines)


def station_to_station() -> Job:
    """Feeds one after another, each opened when resin has passed it."""
    opens = (AtTime(), WhenReached(line="f2"), WhenReached(line="f3"))
    feeds = tuple(line("feed", f"F{at + 1}", across(0.03 + 0.9 * at, 1.0), opens=opens[at]) for at in range(3))
    lines = (*feeds, line("vent", "V1", across(2.7, 1.0)))
    return job_of("stations", rectangle(0, 0, 2.7, 1.0), plies("glass-biax-800", 4), lines)


def vinyl_ester_hatch() -> Job:
    lines = (line("feed", "F1", across(0.03, 0.6)), line("vent", "V1", across(0.8, 0.6)))
    return job_of(
        "hatch", rectangle(0, 0, 0.8, 0.6), plies("glass-biax-800", 4), lines, resin="vinyl-ester", celsius=21
    )


def gel_coated_cover() -> Job:
    coat, skin = Layer(id="coat", card="gel-coat-polyester"), Layer(id="skin", card="glass-mat-300", role="skin coat")
    lines = (line("feed", "F1", across(0.03, 0.5)), line("vent", "V1", across(0.8, 0.5)))
    layers = (coat, skin, *plies("glass-biax-800", 3))
    return job_of("cover", rectangle(0, 0, 0.8, 0.5), layers, lines, resin="polyester", celsius=20)


def membrane_vents() -> Job:
    lines = (
        line("feed", "F1", across(0.03, 0.6)), line("vent", "V1", across(1.0, 0.6), membrane=True),
        line("vent", "V2", ((0.4, 0.6), (0.7, 0.6)), membrane=True),
    )  # fmt: skip
    return job_of("membrane", rectangle(0, 0, 1.0, 0.6), plies("glass-biax-800", 3), lines)


def heated_mould() -> Job:
    lines = (line("feed", "F1", across(0.03, 0.5)), line("vent", "V1", across(0.9, 0.5)))
    return job_of("heated", rectangle(0, 0, 0.9, 0.5), plies("carbon-twill-400", 4), lines,
                  mould=Mould(temperature_k=303.15))  # fmt: skip


def early_vent_clamped() -> Job:
    """An outlet near the feed that is clamped as planned once it shows resin."""
    lines = (
        line("feed", "F1", across(0.03, 0.8)), line("vent", "V1", across(1.6, 0.8)),
        line("vent", "V2", ((0.3, 0.8), (0.5, 0.8)), turns=clamped_at(300.0)),
    )  # fmt: skip
    return job_of("early vent", rectangle(0, 0, 1.6, 0.8), plies("glass-biax-800", 3), lines)


def local_plies_past_the_core() -> Job:
    core = Region(name="core", outline=rectangle(0.3, 0.2, 1.2, 0.6))
    past = Region(name="past core", outline=rectangle(0.25, 0.15, 1.25, 0.65))
    layers = (
        *plies("glass-biax-800", 2), Layer(id="core", card="foam-grooved-perforated-25", region="core"),
        Layer(id="local", card="glass-biax-600", region="past core"), Layer(id="top", card="glass-biax-800", count=2),
    )  # fmt: skip
    job = job_of("local plies", rectangle(0, 0, 1.5, 0.8), layers,
                 (line("feed", "F1", across(0.03, 0.8)), line("vent", "V1", across(1.5, 0.8))),
                 regions=(core, past))  # fmt: skip
    return changed(job, flow=revised(job.flow, core_gap_m=0.0002), core_laying=revised(job.core_laying, chamfer=3.0))


SOUND: dict[str, Callable[[], Job]] = {
    made.__name__: made
    for made in (
        deck, gore, test_panel, carbon_plate, disc_from_the_centre, perimeter_to_centre, ell_shape, deep_bath,
        tall_wall, with_insert, cored_all_over, two_cores_butted, flume, tapered, station_to_station, vinyl_ester_hatch,
        gel_coated_cover, membrane_vents, heated_mould, early_vent_clamped, local_plies_past_the_core,
    )
}  # fmt: skip
