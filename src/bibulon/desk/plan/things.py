"""The kinds of object on the plan, and what lies under the pointer."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from shapely import LineString, Polygon
from shapely import Point as Place

from bibulon.desk.plan.frame import Frame
from bibulon.desk.work.large_jobs import is_large
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.job.edits import (
    changed,
    moved_points,
    reshaped_region,
    revised,
    with_line,
    with_media,
    without_line,
    without_media,
    without_region,
)
from bibulon.job.lines import Line
from bibulon.job.places import places_of
from bibulon.laminate.corner import along_edge
from bibulon.laminate.joints import joint_id, plies_of, ply_of_joint, with_joint_shift, with_joints_moved
from bibulon.laminate.relief_shapes import with_outline
from bibulon.mould.fittings import (
    channel_pulled,
    channel_stepped,
    seal_pulled,
    seal_ring,
    seal_stepped,
    with_fitting_at,
    without_fitting,
)
from bibulon.mould.pots import pot_places, with_pot_at, without_pot
from bibulon.planning.mould_layouts import with_port_at
from bibulon.plumbing.hose_way import measured, way_of, with_way

GRAB_PX = 9.0
HALF_FITTING_M = 0.005


@dataclass(frozen=True)
class Grip:
    """What was taken hold of: an object, and the number of its point or None for the whole."""

    kind: str
    id: str
    point: int | None


@dataclass(frozen=True)
class Kind:
    """A kind of object on the plan: how its points are read and put back, and how it is removed."""

    points: Callable[[Job], dict[str, tuple[Point, ...]]]
    put: Callable[[Job, str, tuple[Point, ...]], Job]
    remove: Callable[[Job, str], Job] | None
    closed: bool = True
    whole: bool = True
    """It can be moved as a whole; otherwise only its points can."""
    cornered: bool = False
    """Del takes away the corner that is held, not the whole."""
    shaped: bool = True
    """Its points can be moved; otherwise only the whole can."""
    grows: bool = True
    """It can be given more corners."""
    pull: Callable[[Job, str, Point], Job] | None = None
    """What follows the pointer by its distance, as a line all round does, instead of being moved."""
    step: Callable[[Job, str, float], Job] | None = None
    """The same from the keyboard: so many metres out."""


def _put_line(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    return with_line(job, measured(job, revised(job.line(identifier), points=points)))


def _hose_ways(job: Job) -> dict[str, tuple[Point, ...]]:
    """The drawn ways of hoses, without their ports."""
    return {hose_id(line): way_of(line) for line in job.lines if line.hose_way}


def hose_id(line: Line) -> str:
    """What the hose of *line* is called among the objects of the plan."""
    return f"hose {line.id}"


def _put_hose_way(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    return with_way(job, identifier.removeprefix("hose "), points[1:])


def media_of_feed(job: Job, identifier: str) -> dict[str, tuple[Point, ...]]:
    """The outlines of the media that the feed of that identifier, and no other, lies on."""
    lies_on = {
        patch.id: {feed.id for feed in job.feeds if LineString(feed.points).intersects(Polygon(patch.outline))}
        for patch in job.media
    }
    return {patch.id: patch.outline for patch in job.media if lies_on[patch.id] == {identifier}}


def with_media_moved(job: Job, outlines: dict[str, tuple[Point, ...]], dx: float, dy: float) -> Job:
    """*job* with its media moved from those *outlines* by so much."""
    for identifier, outline in outlines.items():
        job = _put_media(job, identifier, moved_points(outline, dx, dy))
    return job


def _put_port(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    (x0, y0), (x1, y1) = points[0], points[-1]
    return with_port_at(job, identifier, ((x0 + x1) / 2, (y0 + y1) / 2))


def _put_media(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    patch = next(patch for patch in job.media if patch.id == identifier)
    return with_media(job, revised(patch, outline=points))


def _put_region(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    return reshaped_region(job, identifier, points)


def _put_outline(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    return changed(job, part=with_outline(job.part, points))


def _holes(job: Job) -> dict[str, tuple[Point, ...]]:
    return {f"hole {number}": hole for number, hole in enumerate(job.part.holes, 1)}


def _put_hole(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    holes = tuple(points if name == identifier else hole for name, hole in _holes(job).items())
    return changed(job, part=revised(job.part, holes=holes))


def _without_hole(job: Job, identifier: str) -> Job:
    holes = tuple(hole for name, hole in _holes(job).items() if name != identifier)
    return changed(job, part=revised(job.part, holes=holes))


def _joints(job: Job) -> dict[str, tuple[Point, ...]]:
    if is_large(job) and not plies_of.known(job):
        return {}  # they are being worked out, and the hand is not to wait for them
    return {
        joint_id(ply, number): tuple((x, y) for x, y in joint.coords)
        for ply in plies_of(job)
        for number, joint in enumerate(ply.joints)
    }


def _put_joint(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    (x, y), (was_x, was_y) = points[0], _joints(job)[identifier][0]
    return with_joints_moved(job, identifier, x - was_x, y - was_y)


def _darts(job: Job) -> dict[str, tuple[Point, ...]]:
    return {dart.id: (dart.mouth, dart.tip) for dart in job.cutting.darts}


def _put_dart(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    darts = tuple(
        revised(dart, mouth=points[0], tip=points[1]) if dart.id == identifier else dart for dart in job.cutting.darts
    )
    return changed(job, cutting=revised(job.cutting, darts=darts))


def _without_dart(job: Job, identifier: str) -> Job:
    darts = tuple(dart for dart in job.cutting.darts if dart.id != identifier)
    return changed(job, cutting=revised(job.cutting, darts=darts))


def _corners(job: Job) -> dict[str, tuple[Point, ...]]:
    return {
        corner.label: tuple((corner.place[0] + side * HALF_FITTING_M, corner.place[1]) for side in (-1, 1))
        for corner in job.mould.corners
        if not corner.edge
    }


def _corner_edges(job: Job) -> dict[str, tuple[Point, ...]]:
    return {corner.label: corner.edge for corner in job.mould.corners if corner.edge}


def _put_corner_edge(job: Job, label: str, points: tuple[Point, ...]) -> Job:
    corners = tuple(revised(one, **along_edge(points)) if one.label == label else one for one in job.mould.corners)
    return changed(job, mould=revised(job.mould, corners=corners))


def _put_corner(job: Job, label: str, points: tuple[Point, ...]) -> Job:
    (x0, y0), (x1, y1) = points[0], points[-1]
    place = ((x0 + x1) / 2, (y0 + y1) / 2)
    corners = tuple(revised(one, place=place) if one.label == label else one for one in job.mould.corners)
    return changed(job, mould=revised(job.mould, corners=corners))


def _without_corner(job: Job, label: str) -> Job:
    corners = tuple(one for one in job.mould.corners if one.label != label)
    return changed(job, mould=revised(job.mould, corners=corners))


def _fittings(job: Job) -> dict[str, tuple[Point, ...]]:
    return {
        fitting.id: ((fitting.place[0] - HALF_FITTING_M, fitting.place[1]),
                     (fitting.place[0] + HALF_FITTING_M, fitting.place[1]))
        for fitting in job.pair.fittings if job.in_mould
    }  # fmt: skip


def _pots(job: Job) -> dict[str, tuple[Point, ...]]:
    return {key: ((x - HALF_FITTING_M, y), (x + HALF_FITTING_M, y)) for key, (x, y) in pot_places(job).items()}


def _put_pot(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    (x0, y0), (x1, y1) = points[0], points[-1]
    return with_pot_at(job, identifier, ((x0 + x1) / 2, (y0 + y1) / 2))


def _put_fitting(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    (x0, y0), (x1, y1) = points[0], points[-1]
    return with_fitting_at(job, identifier, ((x0 + x1) / 2, (y0 + y1) / 2))


def _seals(job: Job) -> dict[str, tuple[Point, ...]]:
    if not job.closed:
        return {}
    return {
        name: tuple((x, y) for x, y in seal_ring(job, name).exterior.coords) for name in ("inner seal", "outer seal")
    }


def _channel(job: Job) -> dict[str, tuple[Point, ...]]:
    if not job.closed or job.pair.channel.profile == "none":
        return {}
    return {"channel": (*job.part.outline, job.part.outline[0])}


def _unmoved(job: Job, identifier: str, points: tuple[Point, ...]) -> Job:
    return job


KINDS = {
    "dart": Kind(_darts, _put_dart, _without_dart, closed=False, grows=False),
    "joint": Kind(
        _joints,
        _put_joint,
        lambda job, identifier: with_joint_shift(job, ply_of_joint(job, identifier), None),
        closed=False,
        shaped=False,
        grows=False,
    ),
    "port": Kind(
        lambda job: {line.id: line.points for line in job.lines if line.is_port},
        _put_port,
        without_line,
        closed=False,
        shaped=False,
        grows=False,
    ),
    "corner": Kind(_corners, _put_corner, _without_corner, closed=False, shaped=False, grows=False),
    "corner edge": Kind(_corner_edges, _put_corner_edge, _without_corner, closed=False),
    "pot": Kind(_pots, _put_pot, without_pot, closed=False, shaped=False, grows=False),
    "fitting": Kind(_fittings, _put_fitting, without_fitting, closed=False, shaped=False, grows=False),
    "seal": Kind(_seals, _unmoved, None, closed=False, shaped=False, grows=False, pull=seal_pulled, step=seal_stepped),
    "channel": Kind(
        _channel,
        _unmoved,
        None,
        closed=False,
        shaped=False,
        grows=False,
        pull=lambda job, identifier, to: channel_pulled(job, to),
        step=lambda job, identifier, by_m: channel_stepped(job, by_m),
    ),
    "line": Kind(
        lambda job: {line.id: line.points for line in job.lines if not line.is_port},
        _put_line,
        without_line,
        closed=False,
    ),
    "hose": Kind(
        _hose_ways,
        _put_hose_way,
        lambda job, identifier: with_way(job, identifier.removeprefix("hose "), ()),
        closed=False,
    ),
    "media": Kind(lambda job: {patch.id: patch.outline for patch in job.media}, _put_media, without_media),
    "region": Kind(lambda job: {region.name: region.outline for region in job.regions}, _put_region, without_region),
    "hole": Kind(_holes, _put_hole, _without_hole, cornered=True),
    "outline": Kind(lambda job: {"outline": job.part.outline}, _put_outline, None, whole=False, cornered=True),
}


def nearest(points: tuple[Point, ...], at: Point, but: int | None = None) -> int:
    """The number of the one of *points* that lies nearest, *but* that one."""
    away = ((places_of(points) - at) ** 2).sum(axis=1)
    if but is not None:
        away[but] = np.inf
    return int(np.argmin(away))


def grip_at(job: Job, frame: Frame, at: Point, chosen: str, kinds: tuple[str, ...]) -> Grip | None:
    """What of *kinds* lies under *at*: a point of the chosen object first, then whole objects in their order."""
    reach = GRAB_PX / frame.scale
    place = Place(at)
    for name in kinds:
        kind = KINDS[name]
        for identifier, points in kind.points(job).items():
            if kind.shaped and (identifier == chosen or not kind.whole):
                near = nearest(points, at)
                if math.dist(points[near], at) <= reach:
                    return Grip(name, identifier, near)
    for name in kinds:
        kind = KINDS[name]
        for identifier, points in kind.points(job).items():
            shape = Polygon(points) if kind.closed else LineString(points)
            if kind.whole and shape.distance(place) <= (0 if kind.closed else reach):
                return Grip(name, identifier, None)
    return None


def edge_at(job: Job, frame: Frame, at: Point, kinds: tuple[str, ...]) -> tuple[Grip, Point] | None:
    """The edge of what of *kinds* lies under *at*: where in its points a new one would come, and the place on it."""
    reach = GRAB_PX / frame.scale
    for name in kinds:
        if not KINDS[name].grows:
            continue
        for identifier, points in KINDS[name].points(job).items():
            places = places_of(points)
            starts = places if KINDS[name].closed else places[:-1]
            way = np.roll(places, -1, axis=0)[: len(starts)] - starts
            long = np.maximum((way**2).sum(axis=1), 1e-12)
            share = np.clip(((at - starts) * way).sum(axis=1) / long, 0, 1)
            spots = starts + share[:, None] * way
            off = np.hypot(*(spots - at).T)
            from_ends = np.minimum(np.hypot(*(starts - at).T), np.hypot(*(starts + way - at).T))
            off[from_ends <= reach] = np.inf  # there the corner is meant
            number = int(np.argmin(off))
            if off[number] <= reach:
                x, y = spots[number].tolist()
                return Grip(name, identifier, number + 1), (round(x, 4), round(y, 4))
    return None


def points_of(job: Job, grip: Grip) -> tuple[Point, ...]:
    return KINDS[grip.kind].points(job)[grip.id]


def with_points(job: Job, grip: Grip, points: tuple[Point, ...]) -> Job:
    return KINDS[grip.kind].put(job, grip.id, points)
