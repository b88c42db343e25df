"""Edits: pure functions from a Job to a new, validated Job."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from functools import cache
from itertools import pairwise
from typing import Any, TypeVar

from shapely import affinity
from shapely.geometry import LineString

from bibulon.job import Job
from bibulon.job.base import Model, Point
from bibulon.job.cards import Card
from bibulon.job.layup import JointShift, Layer, PlyGroup, laid, role_of
from bibulon.job.lines import AtTime, CatchPot, Line, MediaPatch, Trigger, WhenAtPoint, WhenReached, WhenTurned
from bibulon.job.mould import Hand
from bibulon.job.part import Region, ReliefFigures
from bibulon.job.paths import FieldPath
from bibulon.job.plumbing import Plumbing, hose_between_pots
from bibulon.job.stock_card import Counted

ModelType = TypeVar("ModelType", bound=Model)


def changed(job: Job, **fields: Any) -> Job:
    """*job* with *fields* replaced and everything checked again. Raises ``pydantic.ValidationError``."""
    return Job.model_validate({**dict(job), **fields})


def revised(model: ModelType, **fields: Any) -> ModelType:
    """*model* with *fields* replaced and checked. Raises ``pydantic.ValidationError``."""
    return type(model).model_validate({**dict(model), **fields})


def value_at(job: Job, path: FieldPath) -> Any:
    """The value at *path*: field names joined by "/"; an element of a list is named by its id, name or label.

    Raises KeyError if there is no element of that name.

    >>> from bibulon.demo import demo_job
    >>> from bibulon.job.paths import path_of
    >>> value_at(demo_job(), path_of("lines", "feed-2", "hose_length_m"))
    3.0
    """
    value: Any = job
    for step in path.split("/"):
        if isinstance(value, tuple):
            value = next((element for element in value if step in _names(element)), None)
            if value is None:
                raise KeyError(path)
        else:
            value = getattr(value, step)
    return value


def with_value(job: Job, path: FieldPath, value: Any) -> Job:
    """*job* with the value at *path* replaced (see :func:`value_at`) and everything checked again."""
    edited = _placed(job, path.split("/"), value)
    return changed(job, **{path.split("/")[0]: getattr(edited, path.split("/")[0])})


def _names(model: Any) -> tuple[str, ...]:
    return tuple(getattr(model, name) for name in _naming(model.__class__))


@cache
def _naming(kind: Any) -> tuple[str, ...]:
    """The fields of a kind of model that an element of a list is named by."""
    return tuple(name for name in ("id", "name", "label") if name in kind.model_fields)


def _placed(model: Any, steps: list[str], value: Any) -> Any:
    if not steps:
        return value
    if isinstance(model, tuple):
        return tuple(
            _placed(element, steps[1:], value) if steps[0] in _names(element) else element for element in model
        )
    if len(steps) == 1:
        return revised(model, **{steps[0]: value})
    inner = _placed(getattr(model, steps[0]), steps[1:], value)
    return model.model_copy(update={steps[0]: inner})


def new_id(prefix: str) -> str:
    """An identifier that no other object has."""
    return f"{prefix}-{uuid.uuid4().hex[:8]}"


def with_card(job: Job, card: Card) -> Job:
    """*job* carrying *card*, in place of one of the same identifier."""
    cards = tuple(card if own.id == card.id else own for own in job.cards)
    return changed(job, cards=cards if any(own.id == card.id for own in job.cards) else (*cards, card))


def with_counted(job: Job, card: str, amount: float | None) -> Job:
    """*job* with so much of *card* counted on the shelf, in the unit it is sold by; None takes the count away."""
    others = tuple(count for count in job.counted if count.card != card)
    return changed(job, counted=others if amount is None else (*others, Counted(card=card, amount=amount)))


def with_line(job: Job, line: Line) -> Job:
    """*job* with *line* added, or put in the place of the line of the same identifier."""
    lines = tuple(line if own.id == line.id else own for own in job.lines)
    return changed(job, lines=lines if any(own.id == line.id for own in job.lines) else (*lines, line))


def without_line(job: Job, identifier: str) -> Job:
    """*job* without the line; feeds that waited for it open at the start, other turns that did are left out, and those
    it fed are fed by what fed it."""
    fed_by = job.line(identifier).fed_by

    def freed(line: Line) -> Line:
        def waits(trigger: Trigger) -> bool:
            return isinstance(trigger, WhenReached | WhenTurned) and trigger.line == identifier

        if waits(line.opens):
            line = line.model_copy(update={"opens": AtTime(time_s=0.0)})
        line = line.model_copy(update={"turns": tuple(turn for turn in line.turns if not waits(turn.when))})
        return line.model_copy(update={"fed_by": fed_by}) if line.fed_by == identifier else line

    lines = tuple(freed(line) for line in job.lines if line.id != identifier)
    return changed(job, lines=lines, plumbing=_plumbing_without(job, identifier))


def without_manifold(job: Job, identifier: str) -> Job:
    """*job* without the manifold; the feeds it fed are fed from the bucket."""
    lines = tuple(revised(line, fed_by=None) if line.fed_by == identifier else line for line in job.lines)
    manifolds = tuple(manifold for manifold in job.manifolds if manifold.id != identifier)
    return changed(job, lines=lines, manifolds=manifolds, plumbing=_plumbing_without(job, identifier))


def _plumbing_without(job: Job, identifier: str) -> Plumbing:
    """The plumbing of *job* without what belongs to the hose of that line or manifold."""
    plumbing = job.plumbing
    bypass = plumbing.bypass
    if bypass is not None and bypass.source == identifier:
        bypass = revised(bypass, source=None)
    return revised(plumbing, hoses=tuple(hose for hose in plumbing.hoses if hose.id != identifier), bypass=bypass)


def with_hose(job: Job, name: str, **fields: Any) -> Job:
    """*job* with *fields* of what is chosen about the hose of that *name* replaced. Raises ``ValidationError``."""
    hose = revised(job.plumbing.hose(name), **fields)
    others = tuple(other for other in job.plumbing.hoses if other.id != name)
    return with_plumbing(job, hoses=(*others, hose))


def with_plumbing(job: Job, **fields: Any) -> Job:
    """*job* with *fields* of its plumbing replaced. Raises ``ValidationError``."""
    return changed(job, plumbing=revised(job.plumbing, **fields))


def without_pot(job: Job, label: str) -> Job:
    """*job* without the catch pot of that *label*, and what was chosen about the hoses to it."""
    pots = tuple(pot for pot in job.pots if pot.label != label)
    there = {hose_between_pots(one.label, other.label) for one, other in pairwise(pots)}
    hoses = tuple(hose for hose in job.plumbing.hoses if not hose.id.startswith("pots ") or hose.id in there)
    return changed(job, pots=pots, plumbing=revised(job.plumbing, hoses=hoses))


def with_media(job: Job, patch: MediaPatch) -> Job:
    """*job* with the media patch added or replaced."""
    media = tuple(patch if own.id == patch.id else own for own in job.media)
    return changed(job, media=media if any(own.id == patch.id for own in job.media) else (*media, patch))


def without_media(job: Job, identifier: str) -> Job:
    """*job* without the media patch."""
    return changed(job, media=tuple(patch for patch in job.media if patch.id != identifier))


def with_pot(job: Job) -> Job:
    """*job* with one catch pot more."""
    taken = {pot.label for pot in job.pots}
    label = next(f"P{number}" for number in range(1, 1000) if f"P{number}" not in taken)
    return changed(job, pots=(*job.pots, CatchPot(label=label, capacity_m3=0.01)))


def with_pair(job: Job, **fields: Any) -> Job:
    """*job* with *fields* of its pair of mould halves replaced."""
    return changed(job, pair=revised(job.pair, **fields))


def with_layup(job: Job, layers: Iterable[Layer], groups: Iterable[PlyGroup] | None = None) -> Job:
    """*job* with another ply book; entries that have left their group are of none, empty groups go."""
    kept: list[Layer] = []
    closed: set[str] = set()
    for layer in layers:
        before = kept[-1].group if kept else None
        if before is not None and layer.group != before:
            closed.add(before)
        kept.append(layer.model_copy(update={"group": None}) if layer.group in closed else layer)
    used = {layer.group for layer in kept}
    known = job.groups if groups is None else tuple(groups)
    return changed(job, layup=tuple(kept), groups=tuple(group for group in known if group.name in used))


def grouped_layup(job: Job, identifier: str) -> Job:
    """*job* with the entry of the ply book taken into one group with the entry before it, or out of its group. A new
    group is laid once: the stack stays what it was.

    Raises ValueError for the first entry of the book.
    """
    at = next(i for i, layer in enumerate(job.layup) if layer.id == identifier)
    layers = list(job.layup)
    if layers[at].group is not None:
        layers[at] = revised(layers[at], group=None)
        return with_layup(job, layers)
    if at == 0:
        raise ValueError("There is no entry before this one to group it with.")
    groups, name = job.groups, layers[at - 1].group
    if name is None:
        taken = {group.name for group in groups}
        name = next(f"group {number}" for number in range(1, 10_000) if f"group {number}" not in taken)
        groups = (*groups, PlyGroup(name=name, times=1))
        layers[at - 1] = revised(layers[at - 1], group=name)
    layers[at] = revised(layers[at], group=name)
    return with_layup(job, layers, groups)


def renamed_group(job: Job, old: str, new: str) -> Job:
    """*job* with the group called otherwise. Raises ``pydantic.ValidationError``."""
    groups = tuple(revised(group, name=new) if group.name == old else group for group in job.groups)
    layers = (layer.model_copy(update={"group": new}) if layer.group == old else layer for layer in job.layup)
    return with_layup(job, layers, groups)


def repeated_layup(job: Job, identifier: str) -> Job:
    """*job* with the entry of the ply book laid once more, right over itself."""
    layers: list[Layer] = []
    for layer in job.layup:
        layers.append(layer)
        if layer.id == identifier:
            layers.append(layer.model_copy(update={"id": new_id("ply")}))
    return with_layup(job, layers)


def mirrored_layup(job: Job) -> Job:
    """*job* with its ply book, but not its coats, mirrored above itself; a core that lies on top becomes the middle."""
    below = job.layup[:-1] if job.layup and job.is_core(job.layup[-1].card) else job.layup
    known = {card.id: card for card in job.cards}
    coats = ("surface coat", "skin coat")
    above = [
        layer.model_copy(update={"id": new_id("ply"), "group": None})
        for layer in reversed(laid(below, job.groups))
        if role_of(layer, known[layer.card]) not in coats
    ]
    return with_layup(job, (*job.layup, *above))


def _mirrored_figures(figures: ReliefFigures | None, about: float) -> ReliefFigures | None:
    if figures is None:
        return None
    sections = tuple(
        revised(section, at_m=round(about - section.at_m, 6))
        if section.across == "x"
        else revised(section, points=tuple((round(about - along, 6), z) for along, z in section.points[::-1]))
        for section in figures.sections
    )
    heights = tuple((round(about - x, 6), y, z) for x, y, z in figures.heights)
    return revised(figures, sections=sections, heights=heights)


def mirrored_job(job: Job, identifier: str) -> Job:
    """The other hand of *job*: everything on the plan mirrored left to right within the same bounds.

    It is a job of its own with that *identifier*: what was logged and tested on the first stays with the first.
    """
    xs = [x for x, _ in job.part.outline]
    about = min(xs) + max(xs)

    def there(points: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((round(about - x, 6), y) for x, y in points)

    part = revised(
        job.part,
        outline=there(job.part.outline),
        holes=tuple(there(hole) for hole in job.part.holes),
        relief=tuple((round(about - x, 6), y, z) for x, y, z in job.part.relief),
        relief_from=_mirrored_figures(job.part.relief_from, about),
    )

    def mirrored_line(line: Line) -> Line:
        def mirrored(trigger: Trigger) -> Trigger:
            if not isinstance(trigger, WhenAtPoint):
                return trigger
            return revised(trigger, place=there((trigger.place,))[0])

        turns = tuple(revised(turn, when=mirrored(turn.when)) for turn in line.turns)
        way = there(line.hose_way)
        return revised(line, points=there(line.points), hose_way=way, opens=mirrored(line.opens), turns=turns)

    other: dict[str, Hand] = {"left": "right", "right": "left", "single": "single"}
    darts = tuple(revised(dart, tip=there((dart.tip,))[0], mouth=there((dart.mouth,))[0]) for dart in job.cutting.darts)
    shifts: tuple[JointShift, ...] = ()  # strips count from the other side: :func:`other_hand` moves joints anew
    return changed(
        job,
        id=identifier,
        name=f"{job.name} (mirrored)" if job.mould.hand == "single" else job.name,
        part=part,
        mould=revised(
            job.mould,
            hand=other[job.mould.hand],
            corners=tuple(
                revised(corner, place=there((corner.place,))[0], edge=there(corner.edge))
                for corner in job.mould.corners
            ),
        ),
        regions=tuple(revised(region, outline=there(region.outline)) for region in job.regions),
        layup=tuple(
            layer.model_copy(update={"angle_deg": -layer.angle_deg if layer.angle_deg else 0.0}) for layer in job.layup
        ),
        cutting=revised(job.cutting, darts=darts, shifts=shifts, offcuts=()),  # an offcut is used once
        lines=tuple(mirrored_line(line) for line in job.lines),
        pair=revised(
            job.pair,
            fittings=tuple(revised(fitting, place=there((fitting.place,))[0]) for fitting in job.pair.fittings),
        ),
        media=tuple(revised(patch, outline=there(patch.outline)) for patch in job.media),
        pots=tuple(pot if pot.place is None else revised(pot, place=there((pot.place,))[0]) for pot in job.pots),
        charge=revised(job.charge, mixed=()),
        curing=revised(job.curing, logged=()),
        hold_tests=(),
        hunt=type(job.hunt)(),
        counted=(),
        run=(),
    )


def with_region(job: Job, region: Region, old_name: str | None = None) -> Job:
    """*job* with the region added, or put in place of *old_name*; plies follow a change of name."""
    if old_name is None:
        return changed(job, regions=(*job.regions, region))
    regions = tuple(region if own.name == old_name else own for own in job.regions)
    layup = tuple(
        layer.model_copy(update={"region": region.name}) if layer.region == old_name else layer for layer in job.layup
    )
    return changed(job, regions=regions, layup=layup)


def reshaped_region(job: Job, name: str, outline: tuple[Point, ...]) -> Job:
    """*job* with that region's edge put elsewhere."""
    region = next(region for region in job.regions if region.name == name)
    return with_region(job, revised(region, outline=outline), name)


def without_region(job: Job, name: str) -> Job:
    """*job* without the region; entries of the ply book that lay in it go too."""
    bare = with_layup(job, (layer for layer in job.layup if layer.region != name))
    return changed(bare, regions=tuple(region for region in job.regions if region.name != name))


def moved_points(points: tuple[Point, ...], dx_m: float, dy_m: float) -> tuple[Point, ...]:
    """*points* shifted, to a tenth of a millimetre."""
    return tuple((round(x + dx_m, 4), round(y + dy_m, 4)) for x, y in points)


def edge_of(outline: tuple[Point, ...], axis: int, high: bool) -> float:
    """Where the lower or upper edge of *outline* lies along an axis (0 or 1), metres."""
    values = [place[axis] for place in outline]
    return max(values) if high else min(values)


def with_edge(outline: tuple[Point, ...], axis: int, high: bool, to_m: float) -> tuple[Point, ...]:
    """*outline* stretched so that one edge comes to lie at *to_m*. Raises ValueError if no size would be left."""
    fixed, moving = edge_of(outline, axis, not high), edge_of(outline, axis, high)
    ratio = (to_m - fixed) / (moving - fixed)
    if ratio <= 0:
        raise ValueError("That would leave no size.")
    moved = [[round(fixed + (v - fixed) * ratio, 4) if i == axis else v for i, v in enumerate(p)] for p in outline]
    return tuple((x, y) for x, y in moved)


def with_length(line: Line, length_m: float) -> Line:
    """*line* scaled about its middle to a length. Raises ValueError for one that is not positive or far too large."""
    if not length_m > 0:
        raise ValueError("A line needs a length above zero.")
    shape = LineString(line.points)
    middle = shape.interpolate(0.5, normalized=True)
    ratio = length_m / shape.length
    scaled = affinity.scale(shape, ratio, ratio, origin=middle)
    return revised(line, points=tuple((round(x, 4), round(y, 4)) for x, y in scaled.coords))


def next_label(job: Job, kind: str) -> str:
    """The next free valve label: F1, F2 … for feeds, V1, V2 … for vents."""
    letter = "F" if kind == "feed" else "V"
    taken = {line.label for line in job.lines}
    number = 1
    while f"{letter}{number}" in taken:
        number += 1
    return f"{letter}{number}"
