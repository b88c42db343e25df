"""Cautions about the mould and its corners, and about debulking."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.assess import Assessment
from bibulon.cautions.places import in_cell, in_region
from bibulon.cautions.registry import Finding, Fix, Rank, caution
from bibulon.job import UNDER_FILM, Job
from bibulon.job.base import Point
from bibulon.job.edits import changed, revised
from bibulon.laminate.cells import Cell
from bibulon.laminate.corner import CornerAt, corner_move, corners_of
from bibulon.laminate.lay_list import lay_list
from bibulon.mould.checks import mould_checks
from bibulon.quantities_in_words import brief


@caution(
    "mould-unchecked",
    "caution",
    "part",
    why="A mould that leaks, sticks or is cold cannot be put right once fibre lies on it.",
    remedy="Walk the list at Part and tick each line, or take the plies up again.",
    of_plan=True,
)
def mould_unchecked(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    left = [check for check in mould_checks(job, assessment.units) if check.ticked is None]
    if left and any(event.kind == "ply laid" for event in job.run):
        count = "one check on the mould is" if len(left) == 1 else f"{len(left)} checks on the mould are"
        yield Finding(f"Plies are laid and {count} not ticked, {left[0].label} first.", in_region(job, None))


def _with_joints_sealed(job: Job) -> Job:
    return changed(job, mould=revised(job.mould, pieces_sealed="on the resin side"))


@caution(
    "pieces-not-sealed",
    "caution",
    "part",
    why="Air comes in through every joint of a mould in pieces, and resin that runs into one locks them together.",
    remedy="Seal the joints where the resin is, with tape or a bead under the release, and prove the mould by itself.",
    fix=Fix("Plan them sealed on the resin side", _with_joints_sealed),
    of_plan=True,
    processes=UNDER_FILM,
)
def pieces_not_sealed(assessment: Assessment) -> Iterator[Finding]:
    mould = assessment.job.mould
    if len(mould.pieces) > 1 and mould.pieces_sealed != "on the resin side":
        how = "not sealed" if mould.pieces_sealed == "not sealed" else "sealed on the outside only"
        text = f"The joints between the {len(mould.pieces)} pieces of the mould are {how}."
        yield Finding(text, in_region(assessment.job, None))


@caution(
    "draft-locks",
    "stop",
    "part",
    why="Walls that lean over the part hold it: it comes off in no direction, and is broken out of a ruined mould.",
    remedy="Make the mould in pieces and list the order in which they come off, or open its walls.",
    of_plan=True,
)
def draft_locks(assessment: Assessment) -> Iterator[Finding]:
    mould = assessment.job.mould
    if mould.face != "flat" and mould.draft_deg < 0 and len(mould.pieces) < 2:
        leans = brief(abs(mould.draft_deg), "angle", assessment.units)
        text = f"The mould's walls lean over the part by {leans}, and it is in one piece."
        yield Finding(text, in_region(assessment.job, None))


def _cut_to_outline(job: Job) -> Job:
    return changed(job, cutting=revised(job.cutting, allowance_m=0.0))


@caution(
    "fibre-on-flange",
    "caution",
    "layup",
    why="One stray fibre under the sealing tape is a leak for as long as the bag is on.",
    remedy="Cut the pieces to the outline, tape the flange before fibre goes down, and wipe it clear.",
    fix=Fix("Cut to the outline", _cut_to_outline),
    of_plan=True,
    processes=UNDER_FILM,
)
def fibre_on_flange(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    allowance, flange = job.cutting.allowance_m, job.part.flange_width_m
    wanted = job.house.tapes_on_flange * job.bag.tape_width_m
    tape_from = (flange - job.bag.tape_width_m) / 2
    if not job.layup or allowance <= 0:
        return
    stands = brief(allowance, "length", assessment.units)
    if allowance > tape_from:
        under = brief(max(tape_from, 0.0), "length", assessment.units)
        text = f"Pieces stand {stands} over the edge, and the tape lies {under} from it: fibre gets under the tape."
        yield Finding(text, job.part.outline[0], rank="stop")
    elif flange - allowance < wanted <= flange:
        left = brief(max(flange - allowance, 0.0), "length", assessment.units)
        yield Finding(f"Pieces stand {stands} over the edge and leave {left} of the flange.", job.part.outline[0])


def _thickest_along(assessment: Assessment, corner: CornerAt) -> tuple[Cell, Point] | None:
    """The thickest stack that lies over *corner*, and where; None where none does."""
    found = [(cell, place) for place in corner.places if (cell := assessment.laminate.at(*place)) is not None]
    return max(found, key=lambda pair: pair[0].stack.laminate_thickness_m, default=None)


@caution(
    "corner-too-tight",
    "caution",
    "layup",
    why="Fabric that cannot slide into a corner bridges it, and the gap fills with resin that cracks later. On a male "
    "corner it piles up into wrinkles.",
    remedy="Open the radius, cut the plies at the corner and lap them, or lay less in one go.",
    of_plan=True,
)
def corner_too_tight(assessment: Assessment) -> Iterator[Finding]:
    job = assessment.job
    cells = assessment.laminate.cells
    if not cells or not job.layup:
        return
    thickest = max(cells, key=lambda cell: cell.stack.laminate_thickness_m)
    for corner in corners_of(job.mould):
        cell, spot = _thickest_along(assessment, corner) or (thickest, in_cell(thickest))
        stack = cell.stack
        shown = brief(corner.radius_m, "length", assessment.units)
        pressed_pa = job.shop.barometer_pa - job.vacuum_pa
        try:
            move = corner_move(stack.layers, job.cards, pressed_pa, corner.radius_m, corner.turn_deg, corner.male)
        except ValueError:
            thick = brief(stack.laminate_thickness_m, "thickness", assessment.units)
            yield Finding(f"The stack packs to {thick}, more than the radius of {corner.name}, {shown}.", spot)
            continue
        if move.each_ply:
            gap = brief(move.gap_m / max(move.plies, 1), "thickness", assessment.units)
            what = "piles up" if corner.male else "stands off"
            text = f"Round {corner.name} of {shown} the cloth {what} by {gap} even if debulked after every ply."
            yield Finding(text, spot)


@caution(
    "debulk-missing",
    "caution",
    "layup",
    why="A thick stack laid loose moves as the bag comes down: it wrinkles, and bridges every corner.",
    remedy="Put film over what is laid, draw vacuum, press the plies home, and tick the debulk.",
    of_plan=True,
    processes=UNDER_FILM,
)
def debulk_missing(assessment: Assessment) -> Iterator[Finding]:
    lines = lay_list(assessment.job)
    last = max((i for i, line in enumerate(lines) if line.laid is not None and not line.debulk), default=-1)
    missed = [line for line in lines[: last + 1] if line.debulk and line.laid is None]
    if missed:
        corners = corners_of(assessment.job.mould)
        tightest = min((corner.radius_m for corner in corners), default=None)
        where = f", with a corner of {brief(tightest, 'length', assessment.units)}" if tightest is not None else ""
        rank: Rank | None = "stop" if any(event.kind == "started" for event in assessment.job.shot) else None
        labels = ", ".join(line.label for line in missed[:6])
        place = in_region(assessment.job, missed[0].region)
        yield Finding(f"Laid on without debulking{where}: {labels}.", place, rank=rank)
