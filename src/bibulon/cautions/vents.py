"""Cautions about how lines lie: whether air finds its way to a vent, and whether lines come off again."""

from __future__ import annotations

from collections.abc import Iterator

from shapely import LineString, union_all

from bibulon.assess import Assessment
from bibulon.cautions.peel_ply import with_peel_ply
from bibulon.cautions.places import middle_of
from bibulon.cautions.registry import Finding, Fix, caution
from bibulon.job import UNDER_FILM, Job
from bibulon.job.cards import MediaCard
from bibulon.job.edits import changed, revised
from bibulon.job.gear_cards import TubeCard
from bibulon.job.lines import Line
from bibulon.quantities_in_words import brief

CLEAR_M = 0.001
"""The film closes over a gap between a track and the fibre that is wider than this."""
ON_BARE_FIBRE_M = 0.05
"""A line on less bare fibre than this is cut out."""


def _off_part(job: Job) -> list[tuple[Line, float]]:
    """The vents that lie wholly beside the part, and how far off it their tubes end."""
    found = []
    for vent in job.vents:
        gap = LineString(vent.points).distance(job.part.shape) - job.card(vent.tube, TubeCard).outer_m / 2
        if gap > CLEAR_M and not vent.is_port:
            found.append((vent, gap))
    return found


def _with_mesh(job: Job) -> Job:
    off = {vent.id for vent, _ in _off_part(job) if vent.bridge == "nothing"}
    return changed(job, lines=tuple(revised(line, bridge="mesh") if line.id in off else line for line in job.lines))


@caution(
    "vent-locks-off",
    "caution",
    "lines",
    why="Between a track that lies off the fibre and the part the film comes down on the flange and seals itself: the "
    "vent draws, the gauge is content, and the part is under no vacuum.",
    remedy="Lay the track half on the part, or run a strip of mesh or the peel ply from the part to it all along.",
    fix=Fix("Run a strip of mesh to it", _with_mesh, lambda job: _with_mesh(job) != job),
    of_plan=True,
    processes=UNDER_FILM,
)
def vent_locks_off(assessment: Assessment) -> Iterator[Finding]:
    for vent, gap in _off_part(assessment.job):
        if vent.bridge == "nothing":
            off = brief(gap, "thickness", assessment.units)
            text = f"Vent {vent.label} lies {off} off the part, and nothing is planned that leads the air across."
            yield Finding(text, middle_of(LineString(vent.points)), vent.id)


@caution(
    "air-through-peel-ply-only",
    "note",
    "lines",
    why="The edge of the peel ply lets air through, but slowly, and no more at all once resin is in it: it holds resin "
    "back from the track, and air too.",
    remedy="Give the pump longer before the hold test. A strip of mesh pulls at once, and lets resin through.",
    of_plan=True,
    processes=UNDER_FILM,
)
def air_through_peel_ply_only(assessment: Assessment) -> Iterator[Finding]:
    vents = [vent for vent, _ in _off_part(assessment.job)]
    if vents and len(vents) == len(assessment.job.vents) and all(vent.bridge == "peel ply" for vent in vents):
        labels = ", ".join(vent.label for vent in vents)
        yield Finding(
            f"Air leaves the part only along the edge of the peel ply, to {labels}.",
            middle_of(LineString(vents[0].points)),
        )


def _with_ends_sealed(job: Job) -> Job:
    return changed(job, lines=tuple(revised(line, ends_sealed=True) if line.membrane else line for line in job.lines))


@caution(
    "membrane-ends-open",
    "caution",
    "lines",
    why="Resin gets in at the open ends of a membrane line and runs to the pot inside it, as in any vent.",
    remedy="Fold its ends over and tape them, or weld them; the hose goes in through a sealed joint.",
    fix=Fix("Seal its ends", _with_ends_sealed),
    of_plan=True,
    processes=UNDER_FILM,
)
def membrane_ends_open(assessment: Assessment) -> Iterator[Finding]:
    for vent in assessment.job.vents:
        if vent.membrane and not vent.ends_sealed:
            text = f"The ends of membrane line {vent.label} are open: it is reckoned as a vent that takes resin."
            yield Finding(text, vent.points[0], vent.id)


@caution(
    "line-on-bare-fibre",
    "caution",
    "lines",
    why="Resin bonds a line to fibre that nothing covers: pulled off, it takes fibre with it, or stays in the part.",
    remedy="Lay peel ply, or media with release film, under it.",
    fix=Fix("Lay peel ply over the part", with_peel_ply),
    of_plan=True,
    processes=UNDER_FILM,
)
def line_on_bare_fibre(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    released = [patch.outline.polygon for patch in job.media if job.card(patch.card, MediaCard).releases]
    bare = union_all(
        [
            cell.polygon
            for cell in assessment.laminate.cells
            if cell.stack.laminate_thickness_m > 0 and cell.stack.peel_ply_m == 0
        ]
    ).difference(union_all(released))
    for line in job.lines:
        on_bare = LineString(line.points).intersection(bare.buffer(-CLEAR_M))
        if not line.is_port and on_bare.length > ON_BARE_FIBRE_M:
            long = brief(on_bare.length, "length", assessment.units)
            at = on_bare.representative_point()
            text = f"{line.kind.capitalize()} {line.label} lies {long} on fibre with nothing to release it."
            yield Finding(text, (at.x, at.y), line.id)
