"""Cautions about the dry stack."""

from __future__ import annotations

from collections.abc import Iterator

from shapely import LineString, Polygon
from shapely.ops import unary_union

from bibulon.assess import Assessment
from bibulon.cautions.registry import Finding, caution
from bibulon.job.cards import CoreCard, FabricCard
from bibulon.quantities import show

NEAR_EDGE_M = 0.002
ALONG_EDGE_SHARE = 0.25


@caution(
    "core-starves-far-skin",
    "stop",
    "layup",
    why="Resin cannot get through a core without perforations or slits: the tool-side skin stays dry.",
    remedy="Take a perforated core, or perforate this one, and count the holes as resin.",
)
def core_starves(assessment: Assessment) -> Iterator[Finding]:
    for cell in assessment.laminate.cells:
        if cell.stack.starved_side:
            place = cell.polygon.representative_point()
            core = next(
                card
                for layer in cell.stack.layers
                for card in assessment.job.cards
                if card.id == layer.card and isinstance(card, CoreCard)
            )
            yield Finding(f"{core.name} lets no resin through to the plies beneath it.", (place.x, place.y))
            return


@caution(
    "peel-ply-missing",
    "caution",
    "layup",
    why="Media bonds to the part if nothing lies between them, and tears fibre out when it is pulled.",
    remedy="Put peel ply (or a release film made for it) over the whole stack.",
)
def peel_ply_missing(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    if job.media and job.peel_ply is None:
        yield Finding("Flow media is planned with no peel ply under it.", job.media[0].outline[0])


@caution(
    "ply-stops-at-core-edge",
    "caution",
    "layup",
    why="A ply that ends at the core's edge leaves a stress riser and a channel where resin races.",
    remedy="Run local plies up onto the core or well past its edge.",
)
def ply_stops_at_core(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    regions = {region.name: Polygon(region.outline) for region in job.regions}
    part_edge = Polygon(job.part.outline).exterior
    kinds = {card.id: card for card in job.cards}
    cores = [layer.region for layer in job.layup if isinstance(kinds[layer.card], CoreCard) and layer.region]
    for layer in job.layup:
        if layer.region is None or not isinstance(kinds[layer.card], FabricCard):
            continue
        for core in cores:
            edge = regions[core].exterior.difference(part_edge.buffer(NEAR_EDGE_M))
            shared = regions[layer.region].exterior.intersection(edge.buffer(NEAR_EDGE_M))
            if edge.length and shared.length > ALONG_EDGE_SHARE * edge.length:
                place = shared.interpolate(0.5, normalized=True) if isinstance(shared, LineString) else shared.centroid
                name = kinds[layer.card].name
                yield Finding(f"{name} in “{layer.region}” ends where the core ends.", (place.x, place.y), layer.id)


@caution(
    "part-not-covered",
    "caution",
    "layup",
    why="Bare tool inside the outline takes film and resin but no fibre: a resin-rich hole.",
    remedy="Let plies cover the whole outline, or draw the outline smaller.",
)
def part_not_covered(assessment: Assessment) -> Iterator[Finding]:
    bare = [cell for cell in assessment.laminate.cells if cell.stack.laminate_thickness_m == 0]
    if assessment.job.layup and bare:
        place = unary_union([cell.polygon for cell in bare]).representative_point()
        area = show(sum(cell.area_m2 for cell in bare), "area", assessment.units)
        yield Finding(f"{area} of the part have no ply at all.", (place.x, place.y))
