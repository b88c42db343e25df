"""Cautions about the dry stack."""

from __future__ import annotations

from collections.abc import Iterator

from shapely import Polygon, union_all
from shapely.geometry.base import BaseGeometry

from bibulon.assess import Assessment
from bibulon.cautions.peel_ply import with_peel_ply
from bibulon.cautions.places import in_cell, in_region, inside, listed, middle_of, of_card
from bibulon.cautions.registry import Finding, Fix, InMould, Rank, caution
from bibulon.job import UNDER_FILM, Job
from bibulon.job.cards import CoreCard, FabricCard, MediaCard, ResinCard
from bibulon.job.edits import changed, revised, with_card, with_layup, with_region
from bibulon.job.layup import Layer
from bibulon.job.places import ring_of
from bibulon.laminate.core import lets_resin_through
from bibulon.laminate.corner import SMALL_GAP_M, stands_off_core_m
from bibulon.laminate.joints import cut_open
from bibulon.laminate.lay_list import lay_list, strangers
from bibulon.quantities_in_words import brief, brief_each, from_to
from bibulon.stock.choice import cards_for

USUAL_OVERLAP_M = 0.025
NEAR_EDGE_M = 0.002
ALONG_EDGE_SHARE = 0.25
USUAL_BEVEL = 3.0
"""Run over rise of a core's edge that plies run down."""
SMALLEST_BARE_M2 = 1e-4
HOLE_M, HOLES_EVERY_M = 0.002, 0.05
"""Usual perforation of a core."""
SAME_DENSITY = 0.3
MOST_OF_ID, MOST_OF_NAME = 60, 180


def _perforated(job: Job) -> Job:
    """Every core that lets no resin through in its perforated form: the shelf's of the same cut, thickness and about
    the same density, or else the card itself with holes."""
    cores = cards_for(job, CoreCard)
    layers = list(job.layup)
    for at, layer in enumerate(layers):
        core = cores.get(layer.card)
        if core is None or lets_resin_through(core):
            continue
        like = [
            card
            for card in cores.values()
            if lets_resin_through(card)
            and (card.grooves, card.thickness_m) == (core.grooves, core.thickness_m)
            and abs(card.density_kg_m3 / core.density_kg_m3 - 1) < SAME_DENSITY
        ]
        drilled = revised(
            core,
            id=f"{core.id[:MOST_OF_ID]}-perforated",
            name=f"{core.name[:MOST_OF_NAME]}, perforated",
            perforation_pitch_m=HOLES_EVERY_M,
            perforation_diameter_m=HOLE_M,
        )
        card = [*like, drilled][0]
        layers[at], job = revised(layer, card=card.id), with_card(job, card)
    return with_layup(job, layers)


@caution(
    "core-starves-far-skin",
    "stop",
    "layup",
    why="Resin cannot get through a core without perforations or slits: the tool-side skin stays dry.",
    remedy="Take a perforated core, or perforate this one, and count the holes as resin.",
    fix=Fix("Take it perforated", _perforated),
    of_plan=True,
)
def core_starves(assessment: Assessment) -> Iterator[Finding]:
    for cell in assessment.laminate.cells:
        if cell.stack.starved_side:
            core = next(
                card
                for layer in cell.stack.layers
                for card in assessment.job.cards
                if card.id == layer.card and isinstance(card, CoreCard)
            )
            yield Finding(f"{core.name} lets no resin through to the plies beneath it.", in_cell(cell))
            return


@caution(
    "peel-ply-missing",
    "caution",
    "layup",
    why="Media bonds to the part if nothing lies between them and tears fibre out when it is pulled; a face to be "
    "bonded needs the clean, rough surface that peel ply leaves.",
    remedy="Put peel ply (or a release film made for it) over the whole stack.",
    fix=Fix("Lay peel ply over it", with_peel_ply),
    of_plan=True,
    processes=UNDER_FILM,
)
def peel_ply_missing(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    laid = [cell for cell in assessment.laminate.cells if cell.stack.laminate_thickness_m > 0]
    bare = union_all([cell.polygon for cell in laid if cell.stack.peel_ply_m == 0])
    held = [patch for patch in job.media if not job.card(patch.card, MediaCard).releases]
    under = _first_over(bare, [Polygon(patch.outline) for patch in held])
    bonded = [region for region in job.regions if region.bonded]
    later = _first_over(bare, [Polygon(region.outline) for region in bonded])
    phrases = []
    if under is not None:
        phrases.append("Flow media is planned with no peel ply under it")
    if later is not None:
        phrases.append(f"“{bonded[later[0]].name}” is bonded later, with no peel ply over it")
    if phrases:
        found = later or under
        assert found is not None
        yield Finding(f"{'; '.join(phrases)}.", inside(found[1]))


def _first_over(bare: BaseGeometry, shapes: list[Polygon]) -> tuple[int, BaseGeometry] | None:
    """The first of *shapes* that lies over some of the *bare* area, and what lies over it."""
    for number, shape in enumerate(shapes):
        common = shape.intersection(bare)
        if common.area > SMALLEST_BARE_M2:
            return number, common
    return None


def _ends_at_core(job: Job) -> Iterator[tuple[Layer, BaseGeometry]]:
    """Local plies that end where core ends or not far enough past it, and along what."""
    near = job.house.past_core_m - NEAR_EDGE_M
    regions = {region.name: Polygon(region.outline) for region in job.regions}
    part_edge = job.part.shape.exterior
    kinds = {card.id: card for card in job.cards}
    cores = [layer.region for layer in job.layup if isinstance(kinds[layer.card], CoreCard) and layer.region]
    for layer in job.layup:
        if layer.region is None or not isinstance(kinds[layer.card], FabricCard):
            continue
        for core in cores:
            edge = regions[core].exterior.difference(part_edge.buffer(NEAR_EDGE_M))
            ply = regions[layer.region].exterior.difference(part_edge.buffer(NEAR_EDGE_M))
            # what runs up onto the core by as much is as good as what runs past its edge
            shared = ply.intersection(edge.buffer(near, cap_style="flat"))
            if edge.length and shared.length > ALONG_EDGE_SHARE * edge.length:
                yield layer, shared
                break


def core_of(job: Job, edge: BaseGeometry) -> Polygon:
    """The core region whose edge lies next to *edge*."""
    shapes = [
        Polygon(region.outline)
        for region in job.regions
        if any(layer.region == region.name and job.is_core(layer.card) for layer in job.layup)
    ]
    return min(shapes, key=lambda shape: shape.exterior.distance(edge))


def _bevelled(job: Job) -> Job:
    return changed(job, core_laying=revised(job.core_laying, chamfer=USUAL_BEVEL))


@caution(
    "core-edge-bridges",
    "caution",
    "layup",
    why="Cloth, and the film over it, span the foot of a steep core edge: what fills up there is bare resin, which "
    "gets hot, cracks and prints through.",
    remedy="Bevel the core at its edges, so that the plies run down it.",
    fix=Fix(f"Bevel its edges 1 in {USUAL_BEVEL:g}", _bevelled, lambda job: job.core_laying.chamfer < USUAL_BEVEL),
    of_plan=True,
    processes=UNDER_FILM,
)
def core_edge_bridges(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    outlines = {region.name: region.outline.polygon for region in job.regions}
    inner = job.part.shape.exterior.buffer(NEAR_EDGE_M)
    for at, core in enumerate(job.layup):
        if core.region is None or not job.is_core(core.card):
            continue
        beside = [
            outlines[other.region].buffer(NEAR_EDGE_M + job.core_laying.joint_gap_m)
            for other in job.layup
            if other.region not in (None, core.region) and job.is_core(other.card)
        ]
        edge = outlines[core.region].exterior.difference(union_all([inner, *beside]))
        over = [
            layer
            for layer in job.layup[at + 1 :]
            if layer.region is None or outlines[layer.region].intersection(edge).length > ALONG_EDGE_SHARE * edge.length
        ]
        if edge.is_empty or not over:
            continue
        thickness = job.card(core.card, CoreCard).thickness_m * core.count
        bevel = job.core_laying.chamfer
        gap = stands_off_core_m(over, job.cards, job.pressing_pa, thickness, bevel)
        if gap <= SMALL_GAP_M:
            continue
        off, high = brief_each((gap, thickness), "thickness", assessment.units)
        shape = "square" if bevel == 0 else f"bevelled 1 in {bevel:g}"
        text = f"Over the edge of “{core.region}”, {high} high and {shape}, the plies stand off its foot by {off}."
        yield Finding(text, middle_of(edge))


def _past_core(job: Job) -> Job:
    """*job* with those plies in regions of their own, wider all round."""
    for layer, shared in list(_ends_at_core(job)):
        region = next(region for region in job.regions if region.name == layer.region)
        wider = (
            Polygon(region.outline)
            .union(core_of(job, shared))
            .buffer(job.house.past_core_m, join_style="mitre", mitre_limit=2.0)
        )
        if (outline := ring_of(wider)) is None:
            continue
        name = f"past {region.name}"[:60]
        if not any(region.name == name for region in job.regions):
            job = with_region(job, revised(region, name=name, outline=outline))
        job = with_layup(job, (revised(entry, region=name) if entry.id == layer.id else entry for entry in job.layup))
    return job


@caution(
    "ply-stops-at-core-edge",
    "caution",
    "layup",
    why="A ply that ends at the core's edge leaves a stress riser and a channel where resin races.",
    remedy="Run local plies up onto the core or well past its edge.",
    fix=Fix("Run it well past the core", _past_core),
    of_plan=True,
)
def ply_stops_at_core(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    cards = {card.id: card for card in job.cards}
    edges = list(_ends_at_core(job))
    if not edges:
        return
    layer, shared = edges[0]
    place = middle_of(shared)
    core = core_of(job, shared)
    distance_m = core.exterior.distance(shared)
    away = brief(distance_m, "length", assessment.units)
    where = "where the core ends" if distance_m < NEAR_EDGE_M else f"{away} from the edge of the core"
    names = listed(cards[entry.card].name for entry, _ in edges)
    ends = "ends" if len(edges) == 1 else "end"
    yield Finding(f"{names} in “{layer.region}” {ends} {where}.", place, layer.id)


@caution(
    "part-not-covered",
    "caution",
    "layup",
    why="Bare tool inside the outline takes film and resin but no fibre: a resin-rich hole.",
    remedy="Let plies cover the whole outline, or draw the outline smaller.",
    of_plan=True,
    in_mould=InMould(why="Bare mould inside the outline takes resin but no fibre: a resin-rich hole."),
)
def part_not_covered(assessment: Assessment) -> Iterator[Finding]:
    bare = [cell for cell in assessment.laminate.cells if cell.stack.laminate_thickness_m == 0]
    if assessment.job.layup and bare:
        area = brief(sum(cell.area_m2 for cell in bare), "area", assessment.units)
        yield Finding(f"{area} of the part have no ply at all.", in_cell(max(bare, key=lambda cell: cell.area_m2)))


def _with_usual_overlap(job: Job) -> Job:
    return changed(job, cutting=revised(job.cutting, overlap_m=USUAL_OVERLAP_M))


@caution(
    "overlap-out-of-range",
    "caution",
    "layup",
    why="Too short an overlap slips open and carries no load; too long a one is a thick band that fills late.",
    remedy="Let pieces overlap by 25 mm as a rule, unless the designer says otherwise.",
    fix=Fix("Overlap by 25 mm", _with_usual_overlap),
    of_plan=True,
)
def overlap_out_of_range(assessment: Assessment) -> Iterator[Finding]:
    overlap, house = assessment.job.cutting.overlap_m, assessment.job.house
    joints = [joint for ply in assessment.plies for joint in ply.joints]
    if joints and not house.overlap_least_m <= overlap <= house.overlap_most_m:
        place = joints[0].interpolate(0.5, normalized=True)
        shown, low, high = brief_each(
            (overlap, house.overlap_least_m, house.overlap_most_m), "thickness", assessment.units
        )
        yield Finding(
            f"Pieces of a ply overlap by {shown}; the house rule is {from_to(low, high)}.", (place.x, place.y)
        )


@caution(
    "joints-line-up",
    "caution",
    "layup",
    why="Joints of neighbouring plies over one another make a weak, thick band where the stack can part.",
    remedy="Move the joints, turn a ply, take a wider or narrower roll, or ask for less distance between joints.",
    fix=Fix(
        "Let the joints be chosen",
        lambda job: changed(job, cutting=revised(job.cutting, shifts=())),
        lambda job: bool(job.cutting.shifts),
    ),
    of_plan=True,
)
def joints_line_up(assessment: Assessment) -> Iterator[Finding]:
    wanted = assessment.job.cutting.stagger_m
    near = [ply for ply in assessment.plies if ply.joints and ply.apart_m < wanted * (1 - 1e-6)]
    if near:
        worst = min(near, key=lambda ply: ply.apart_m)
        place = worst.joints[0].interpolate(0.5, normalized=True)
        shown = brief(worst.apart_m, "length", assessment.units)
        yield Finding(f"Joints of ply P{worst.number} lie {shown} from those of a ply below it.", (place.x, place.y))


@caution(
    "dart-not-cut",
    "caution",
    "layup",
    why="A dart closes only where it opens at the edge of its piece; one right through it cuts the piece in two.",
    remedy="Draw it from the edge of the cloth to a tip inside the piece, or move the joints.",
    of_plan=True,
)
def dart_not_cut(assessment: Assessment) -> Iterator[Finding]:
    left = [
        (ply, piece.intersection(union_all(ply.darts)))
        for ply in assessment.plies
        if ply.darts
        for piece in ply.pieces
        if cut_open(piece, ply.darts) is None
    ]
    if left:
        named = ", ".join(dict.fromkeys(f"P{ply.number}" for ply, _ in left))
        place = left[0][1].representative_point()
        yield Finding(f"Darts that run through a piece or end inside it are not cut: {named}.", (place.x, place.y))


@caution(
    "material-out-of-date",
    "caution",
    "layup",
    why="Binders, tack and prepared fabrics age on the shelf; what was sound may no longer wet out or hold.",
    remedy="Take a fresh lot, or have the maker or whoever answers for quality extend this one.",
    of_plan=True,
)
def material_out_of_date(assessment: Assessment) -> Iterator[Finding]:
    old = [
        card
        for card in assessment.job.cards
        if not isinstance(card, ResinCard) and card.expires is not None and card.expires < assessment.on
    ]
    if old:
        said = listed(
            f"{card.name}{f', lot {card.lot},' if card.lot else ''} was good until {card.expires:%d %b %Y}"
            for card in old
        )
        yield Finding(f"{said}.", of_card(assessment.job, old[0].id))


@caution(
    "ply-count-differs",
    "caution",
    "layup",
    why="Nothing is wet yet: a ply too many or too few can still be put right, and never again after.",
    remedy="Count the plies on the tool against the book, and tick or take up what differs.",
    of_plan=True,
)
def ply_count_differs(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    lines, odd = lay_list(job), strangers(job)
    lines = tuple(line for line in lines if not line.debulk)
    laid = sum(line.laid is not None for line in lines)
    if odd:
        labels = ", ".join(event.label for event in odd[:6])
        yield Finding(f"Ticked as laid, but not so in the book: {labels}.", in_region(job, None))
    rank: Rank | None = "stop" if any(event.kind == "started" for event in job.shot) else None
    if 0 < laid < len(lines):
        first = next(line for line in lines if line.laid is None)
        missing = len(lines) - laid
        text = f"{missing} of {len(lines)} plies and cores are not ticked, {first.label} first."
        yield Finding(text, in_region(job, first.region), rank=rank)
