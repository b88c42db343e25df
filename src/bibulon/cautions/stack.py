"""Cautions about what lies in the stack: coats, core, fabrics and tack, and whether a closed mould closes on it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from shapely import Polygon
from shapely.ops import nearest_points

from bibulon.assess import Assessment
from bibulon.cautions.places import in_cell
from bibulon.cautions.registry import Finding, Fix, InMould, caution
from bibulon.cure.answers import too_hot
from bibulon.job import CLOSED, Job
from bibulon.job.cards import AdhesiveCard, Card, CoatCard, CoreCard, FabricCard
from bibulon.job.edits import changed, new_id, revised, with_card, with_layup
from bibulon.job.layup import Layer, role_of
from bibulon.laminate.balance import asymmetry, imbalance, in_words
from bibulon.laminate.cells import Cell
from bibulon.laminate.closed_mould import closed_at
from bibulon.laminate.compaction import fibre_fraction, ply_thickness_m
from bibulon.laminate.stack import Stack
from bibulon.mould.cavity_height import CLAMP_SHARE
from bibulon.quantities_in_words import brief, brief_each
from bibulon.resin.exotherm import peak_temperature_k
from bibulon.stock import shelf_card

VEIL_KG_M2 = 0.1
"""A fabric that weighs no more is a veil."""
SNUG_GAP_M = 0.0002
WIDEST_GAP_M = 0.05
"""Cores drawn further apart than this are meant to be apart."""
SKIN_COAT = "glass-mat-300"
OWN_HEAT_K = 5.0
"""Plies that get so much warmer than all that is round them do so by their own heat."""


def _widest(assessment: Assessment) -> Cell | None:
    """The largest cell with anything in it."""
    laid = [cell for cell in assessment.laminate.cells if cell.stack.layers]
    return max(laid, key=lambda cell: cell.area_m2, default=None)


def _each_stack(assessment: Assessment) -> list[Cell]:
    """The largest cell of every different stack."""
    largest: dict[tuple[Layer, ...], Cell] = {}
    for cell in sorted(assessment.laminate.cells, key=lambda cell: -cell.area_m2):
        if cell.stack.layers:
            largest.setdefault(cell.stack.layers, cell)
    return list(largest.values())


# -- coats and core ----------------------------------------------------------------------------------------------------


def _with_skin_coat(job: Job) -> Job:
    cards = {card.id: card for card in job.cards}
    at = max(i for i, layer in enumerate(job.layup) if isinstance(cards[layer.card], CoatCard)) + 1
    made = Layer(id=new_id("ply"), card=SKIN_COAT, role="skin coat")
    return with_layup(with_card(job, shelf_card(SKIN_COAT)), (*job.layup[:at], made, *job.layup[at:]))


@caution(
    "skin-coat-missing",
    "caution",
    "layup",
    why="Without a skin coat the weave prints through the gel coat, and vacuum draws air through its pinholes.",
    remedy="Lay a thin skin coat behind the gel coat and let it cure before the dry stack.",
    fix=Fix("Lay a skin coat", _with_skin_coat),
    of_plan=True,
)
def skin_coat_missing(assessment: Assessment) -> Iterator[Finding]:
    cards = {card.id: card for card in assessment.job.cards}
    for cell in _each_stack(assessment):
        coat = ""
        for layer in cell.stack.layers:
            role = role_of(layer, cards[layer.card])
            if role == "surface coat":
                coat = cards[layer.card].name
            elif coat and assessment.job.closed and _is_veil(cards[layer.card]):
                break  # laid into the tacky coat, it keeps the weave from printing through
            elif coat and role != "skin coat":
                first = cards[layer.card].name
                yield Finding(f"{first} lies straight on {coat}, with no skin coat between.", in_cell(cell), layer.id)
                return
            else:
                break


def _is_veil(card: Card) -> bool:
    return isinstance(card, FabricCard) and card.areal_weight_kg_m2 <= VEIL_KG_M2


def _snug(job: Job) -> Job:
    flow = revised(job.flow, core_gap_m=min(job.flow.core_gap_m, SNUG_GAP_M))
    return changed(job, flow=flow, core_laying=revised(job.core_laying, joint_gap_m=0.0))


def _core_shapes(job: Job) -> list[tuple[Layer, Polygon]]:
    """Every core of the ply book, with the area it is planned on."""
    outlines = {region.name: Polygon(region.outline) for region in job.regions}
    return [
        (layer, job.part.shape if layer.region is None else outlines[layer.region])
        for layer in job.layup
        if job.is_core(layer.card)
    ]


@caution(
    "core-gap-open",
    "caution",
    "layup",
    why="Resin races along a gap beside the core, shuts off what lies behind, and cures as a hot, brittle bead.",
    remedy="Cut the core to fit, or fill the gap with fibre or thickened resin before the bag goes on.",
    fix=Fix(
        "Plan it fitted close",
        _snug,
        lambda job: max(job.flow.core_gap_m, job.core_laying.joint_gap_m) >= job.house.open_gap_m,
    ),
    of_plan=True,
    in_mould=InMould(
        remedy="Cut the core to fit, or fill the gap with fibre or thickened resin before the mould is closed."
    ),
)
def core_gap_open(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    cores, widest = _core_shapes(job), job.house.open_gap_m
    for at, (layer, shape) in enumerate(cores):
        for other, beside in cores[:at]:
            gap = shape.distance(beside)
            if other.region != layer.region and widest <= gap <= WIDEST_GAP_M:
                here, two = nearest_points(shape, beside)
                shown = brief(gap, "thickness", assessment.units)
                place = (here.x + two.x) / 2, (here.y + two.y) / 2
                yield Finding(f"Core in “{layer.region}” lies {shown} from that in “{other.region}”.", place, layer.id)
                return
    gap = max(job.flow.core_gap_m, job.core_laying.joint_gap_m)
    if cores and gap >= widest:
        layer, shape = cores[0]
        corner = shape.exterior.interpolate(0.125, normalized=True)
        shown = brief(gap, "thickness", assessment.units)
        yield Finding(f"A gap of {shown} is planned beside the core.", (corner.x, corner.y), layer.id)


# -- fabrics -----------------------------------------------------------------------------------------------------------


@caution(
    "stack-uneven",
    "note",
    "layup",
    why="A stack that is not mirrored about its middle, or not balanced, bends or twists as it cures and cools.",
    remedy="Mirror it if the part has to stay flat; where loads ask for it as it is, let the designer say so.",
    of_plan=True,
)
def stack_uneven(assessment: Assessment) -> Iterator[Finding]:
    cell = _widest(assessment)
    if cell is None:
        return
    layers, cards = cell.stack.layers, assessment.job.cards
    if asymmetry(layers, cards) is not None or imbalance(layers, cards) is not None:
        short, _ = in_words(layers, cards)
        yield Finding(f"The stack is {short}.", in_cell(cell))


@dataclass(frozen=True)
class _Run:
    """Plies on one another without core between."""

    thickness_m: float
    resin_share: float
    against_core: bool


def _thickest_run(stack: Stack, cards: dict[str, Card], pressure_pa: float) -> _Run:
    runs: list[list[float]] = [[0.0, 0.0]]
    for layer in stack.layers:
        card = cards[layer.card]
        if isinstance(card, CoreCard):
            runs.append([0.0, 0.0])
        elif isinstance(card, FabricCard):
            fraction = fibre_fraction(card, pressure_pa)
            height = ply_thickness_m(card, fraction) * layer.count
            runs[-1][0] += height
            runs[-1][1] += (1 - fraction) * height
    height, resin = max(runs)
    return _Run(height, resin / height if height else 0.0, len(runs) > 1)


@caution(
    "stack-too-thick",
    "caution",
    "layup",
    why="A thick stack cannot lose its heat of cure: it boils, scorches or cracks, and softens core and mould.",
    remedy="Build it up in two shots, take a slower hardener, or shoot cooler; ask the resin's maker for its limit.",
)
def stack_too_thick(assessment: Assessment) -> Iterator[Finding]:
    """By the cure through the stack once that is known, and by a guess on the safe side before."""
    job, study = assessment.job, assessment.cure_study
    if study is not None and study.stacks:
        hottest = study.hottest
        around_k = max([job.shop.temperature_k, job.mould_temperature_k, *(step.to_k for step in job.curing.steps)])
        own = hottest.peak_k > max(job.house.hottest_k, around_k + OWN_HEAT_K)
        if own and not too_hot(job, study):  # what stands too little for it is a caution of its own, at Cure
            gets = brief(hottest.peak_k, "temperature", assessment.units)
            thick = brief(hottest.stack.laminate_thickness_m, "thickness", assessment.units)
            yield Finding(f"{thick} of plies in one shot get {gets} by their own heat.", hottest.place)
        return
    cards = {card.id: card for card in job.cards}
    pressure = job.shop.barometer_pa - job.vacuum_pa
    runs = [(_thickest_run(cell.stack, cards, pressure), cell) for cell in _each_stack(assessment)]
    if not runs:
        return
    run, cell = max(runs, key=lambda pair: pair[0].thickness_m)
    if run.thickness_m <= 0:
        return
    peak = peak_temperature_k(
        job.resin, job.mould_temperature_k, round(run.thickness_m, 5), round(run.resin_share, 3), run.against_core
    )
    if peak > job.house.hottest_k:
        thick, hot = brief(run.thickness_m, "thickness", assessment.units), brief(peak, "temperature", assessment.units)
        yield Finding(f"{thick} of plies in one shot may reach {hot} by their own heat.", in_cell(cell))


def _no_tack(job: Job) -> Job:
    return changed(job, tack=None)


@caution(
    "too-much-tack",
    "caution",
    "layup",
    why="Spray adhesive between every ply keeps resin from wetting them, and the plies from bonding.",
    remedy="Spray dots, not films, only where a ply would slide: on upright faces and in corners.",
    fix=Fix("Lay it without tack", _no_tack),
    of_plan=True,
)
def too_much_tack(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.tack is None:
        return
    adhesive = job.card(job.tack, AdhesiveCard)
    cards = {card.id: card for card in job.cards}
    for cell in _each_stack(assessment):
        plies = sum(layer.count for layer in cell.stack.layers if isinstance(cards[layer.card], FabricCard))
        sprayed = adhesive.areal_weight_kg_m2 * max(plies - 1, 0)
        if sprayed > adhesive.most_kg_m2:
            has, most = brief_each((sprayed, adhesive.most_kg_m2), "areal weight", assessment.units)
            yield Finding(f"Tack on every ply comes to {has} through the stack; {most} is the most.", in_cell(cell))
            return


# -- closed mould ------------------------------------------------------------------------------------------------------


@caution(
    "core-thicker-than-cavity",
    "stop",
    "layup",
    why="The upper mould rests on the core and does not seal: resin runs past the part.",
    remedy="Take thinner core, or build the mould for this one.",
    of_plan=True,
    processes=CLOSED,
)
def core_thicker_than_cavity(assessment: Assessment) -> Iterator[Finding]:
    cards = {card.id: card for card in assessment.job.cards}
    for cell in _each_stack(assessment):
        rigid = sum(
            card.thickness_m * layer.count
            for layer in cell.stack.layers
            if isinstance(card := cards[layer.card], CoreCard | CoatCard)
        )
        cavity = cell.stack.cavity_m
        if cavity is not None and rigid >= cavity:
            has, room = brief_each((rigid, cavity), "thickness", assessment.units)
            yield Finding(f"Core and coats are {has} thick; the cavity is {room}.", in_cell(cell))
            return


@caution(
    "cavity-too-tight",
    "caution",
    "layup",
    why="More fibre than the cavity closes on holds the mould open: thickness is lost and resin runs round the part.",
    remedy="Take out a ply, deepen the cavity, or clamp the mould by more than vacuum if it is built for that.",
    of_plan=True,
    processes=CLOSED,
)
def cavity_too_tight(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    pull = job.shop.barometer_pa - job.vacuum_pa
    for cell in _each_stack(assessment):
        if cell.stack.cavity_m is None:
            continue
        try:
            closed = closed_at(cell.stack.layers, job.cards, cell.stack.cavity_m)
        except ValueError:
            continue  # the core alone is too thick, and has a caution of its own
        share = brief(min(closed.fibre_fraction, 9.99), "share", assessment.units)
        if closed.pressure_pa is None:
            words = f"The cavity would press the stack to {share} fibre: it cannot close."
            if closed.fibre_fraction >= 1:
                words = "The cavity has less room than the fibre would take up without any resin: it cannot close."
            yield Finding(words, in_cell(cell), rank="stop", station="mould")
        elif closed.pressure_pa > CLAMP_SHARE * pull:
            load, has = brief_each((closed.pressure_pa, pull), "pressure difference", assessment.units)
            yield Finding(f"Closing to {share} fibre takes {load}; the vacuum pulls with {has}.", in_cell(cell))
