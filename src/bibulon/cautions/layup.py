"""Cautions about the dry stack."""

from __future__ import annotations

from collections.abc import Iterator

from shapely import LineString, Polygon, union_all
from shapely.geometry.base import BaseGeometry

from bibulon.assess import Assessment
from bibulon.cautions.places import in_cell, in_region, inside, of_card
from bibulon.cautions.registry import Finding, Mend, Rank, caution
from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard, PeelPlyCard, ResinCard
from bibulon.job.edits import changed, revised, with_card, with_layup, with_region
from bibulon.job.layup import Layer
from bibulon.laminate.joints import cut_open
from bibulon.laminate.lay_list import lay_list, strangers
from bibulon.quantities import show
from bibulon.stock import shelf

PAST_CORE_M = 0.03
"""A local ply is run so far past the core's edge."""
OVERLAP_M = (0.010, 0.030)
"""Joints usually overlap between these."""
USUAL_OVERLAP_M = 0.025
NEAR_EDGE_M = 0.002
ALONG_EDGE_SHARE = 0.25


@caution(
    "core-starves-far-skin",
    "stop",
    "layup",
    why="Resin cannot get through a core without perforations or slits: the tool-side skin stays dry.",
    remedy="Take a perforated core, or perforate this one, and count the holes as resin.",
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


def _with_peel_ply(job: Job) -> Job:
    card = next(card for card in shelf() if isinstance(card, PeelPlyCard))
    return changed(with_card(job, card), peel_ply=card.id)


@caution(
    "peel-ply-missing",
    "caution",
    "layup",
    why="Media bonds to the part if nothing lies between them and tears fibre out when it is pulled; a face to be "
    "bonded needs the clean, rough surface that peel ply leaves.",
    remedy="Put peel ply (or a release film made for it) over the whole stack.",
    mend=Mend("Lay peel ply over it", _with_peel_ply),
    of_plan=True,
)
def peel_ply_missing(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.peel_ply is not None:
        return
    if job.media:
        yield Finding("Flow media is planned with no peel ply under it.", job.media[0].outline[0])
    for region in job.regions:
        if region.bonded:
            where = inside(Polygon(region.outline))
            yield Finding(f"“{region.name}” is bonded later, with no peel ply over it.", where)


def _ends_at_core(job: Job) -> Iterator[tuple[Layer, BaseGeometry]]:
    """Local plies that end where core ends, and along what."""
    regions = {region.name: Polygon(region.outline) for region in job.regions}
    part_edge = job.part.shape.exterior
    kinds = {card.id: card for card in job.cards}
    cores = [layer.region for layer in job.layup if isinstance(kinds[layer.card], CoreCard) and layer.region]
    for layer in job.layup:
        if layer.region is None or not isinstance(kinds[layer.card], FabricCard):
            continue
        for core in cores:
            edge = regions[core].exterior.difference(part_edge.buffer(NEAR_EDGE_M))
            shared = regions[layer.region].exterior.intersection(edge.buffer(NEAR_EDGE_M))
            if edge.length and shared.length > ALONG_EDGE_SHARE * edge.length:
                yield layer, shared
                break


def _past_core(job: Job) -> Job:
    """*job* with those plies in regions of their own, wider all round."""
    for layer, _ in list(_ends_at_core(job)):
        region = next(one for one in job.regions if one.name == layer.region)
        wider = Polygon(region.outline).buffer(PAST_CORE_M, join_style="mitre", mitre_limit=2.0)
        if not isinstance(wider, Polygon):
            continue
        name = f"past {region.name}"[:60]
        if not any(one.name == name for one in job.regions):
            outline = tuple((round(x, 4), round(y, 4)) for x, y in wider.exterior.coords)
            job = with_region(job, revised(region, name=name, outline=outline))
        job = with_layup(job, (revised(one, region=name) if one.id == layer.id else one for one in job.layup))
    return job


@caution(
    "ply-stops-at-core-edge",
    "caution",
    "layup",
    why="A ply that ends at the core's edge leaves a stress riser and a channel where resin races.",
    remedy="Run local plies up onto the core or well past its edge.",
    mend=Mend("Run it 30 mm past the core", _past_core),
    of_plan=True,
)
def ply_stops_at_core(assessment: Assessment) -> Iterator[Finding]:
    cards = {card.id: card for card in assessment.job.cards}
    for layer, shared in _ends_at_core(assessment.job):
        place = shared.interpolate(0.5, normalized=True) if isinstance(shared, LineString) else shared.centroid
        name = cards[layer.card].name
        yield Finding(f"{name} in “{layer.region}” ends where the core ends.", (place.x, place.y), layer.id)


@caution(
    "part-not-covered",
    "caution",
    "layup",
    why="Bare tool inside the outline takes film and resin but no fibre: a resin-rich hole.",
    remedy="Let plies cover the whole outline, or draw the outline smaller.",
    of_plan=True,
)
def part_not_covered(assessment: Assessment) -> Iterator[Finding]:
    bare = [cell for cell in assessment.laminate.cells if cell.stack.laminate_thickness_m == 0]
    if assessment.job.layup and bare:
        area = show(sum(cell.area_m2 for cell in bare), "area", assessment.units)
        yield Finding(f"{area} of the part have no ply at all.", in_cell(max(bare, key=lambda cell: cell.area_m2)))


def _with_usual_overlap(job: Job) -> Job:
    return changed(job, cutting=revised(job.cutting, overlap_m=USUAL_OVERLAP_M))


@caution(
    "overlap-out-of-range",
    "caution",
    "layup",
    why="Too short an overlap slips open and carries no load; too long a one is a thick band that fills late.",
    remedy="Let pieces overlap by 10 to 30 mm, 25 mm as a rule, unless the designer says otherwise.",
    mend=Mend("Overlap by 25 mm", _with_usual_overlap),
    of_plan=True,
)
def overlap_out_of_range(assessment: Assessment) -> Iterator[Finding]:
    overlap = assessment.job.cutting.overlap_m
    joints = [joint for ply in assessment.plies for joint in ply.joints]
    if joints and not OVERLAP_M[0] <= overlap <= OVERLAP_M[1]:
        place = joints[0].interpolate(0.5, normalized=True)
        shown = show(overlap, "thickness", assessment.units)
        yield Finding(f"Pieces of a ply overlap by {shown}.", (place.x, place.y))


@caution(
    "joints-line-up",
    "caution",
    "layup",
    why="Joints of neighbouring plies over one another make a weak, thick band where the stack can part.",
    remedy="Move the joints, turn a ply, take a wider or narrower roll, or ask for less distance between joints.",
    mend=Mend(
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
        shown = show(worst.apart_m, "length", assessment.units)
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
    for card in assessment.job.cards:
        if not isinstance(card, ResinCard) and card.expires is not None and card.expires < assessment.on:
            lot = f", lot {card.lot}," if card.lot else ""
            said = f"{card.name}{lot} was good until {card.expires:%d %b %Y}."
            yield Finding(said, of_card(assessment.job, card.id))


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
