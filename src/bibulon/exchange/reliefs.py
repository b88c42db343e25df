"""The mould's relief from a mesh file: STL or OBJ triangles, turned upright, laid under the outline and sampled.

The mould's face is a height over the plan, so a mesh that folds over itself or has an undercut is refused there.
"""

from __future__ import annotations

import io
import math
from contextlib import redirect_stdout
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Literal

import meshio
import numpy as np
from shapely import MultiPoint, Point, Polygon, box, contains_xy, get_coordinates

from bibulon.arrays import Floats, Integers
from bibulon.exchange.within import size_of
from bibulon.flow.mesh import Mesh
from bibulon.flow.raster import Canvas
from bibulon.job.base import Point as PlanPoint
from bibulon.job.places import Relief
from bibulon.laminate.relief import heights_at
from bibulon.quantities_in_words import percent
from bibulon.refusal import Refusal
from bibulon.workers.report import Progress, no_progress

Upwards = Literal["z", "y", "x", "−z", "−y", "−x"]
UPWARDS: tuple[Upwards, ...] = ("z", "y", "x", "−z", "−y", "−x")

SUFFIXES = (".stl", ".obj")
MOST_BYTES = 120_000_000
MOST_TRIANGLES = 2_000_000
SAMPLES_ALONG = 140
"""Cells of the grid along its longer side: a relief has at most 20,000 points."""
HIGHEST_M = 100.0
FARTHEST_SHARE = 50.0
"""A mesh may reach beyond the part by so many times its size."""
STEEPEST = 20.0
"""A face steeper than so much rise on one of run cannot be laid out on the plan."""
FOLD_SHARE = 1e-3
"""So much of the face may lie the wrong way round or upright before it is refused."""
OVERLAP_SHARE = 0.1
UNCOVERED_SHARE = 0.03
MOST_OWN_POINTS = 12_000
"""A mesh of more points is sampled on a grid."""
CHECKED_POINTS = 4000


LIES_OVER_ITSELF = "The mesh lies over itself: seen from above there are several faces. Keep the mould's only."


class ReliefRefusal(Refusal):
    """A mesh that cannot be the mould's face; ``place`` says where on the plan, in metres, if somewhere."""


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Surface:
    """Triangles of a file: ``points`` (n, 3) in its own units and ``triangles`` (m, 3)."""

    points: Floats
    triangles: Integers

    def size(self, upwards: Upwards) -> tuple[float, float, float]:
        """Length, width and height when *upwards* points up, in the file's units."""
        length, width, height = np.ptp(_turned(self.points, upwards), axis=0)
        return float(length), float(width), float(height)


@dataclass(frozen=True)
class Placement:
    """How a mesh lies on the plan: its unit, which of its axes points up, how far it is turned, whether it is centred
    under the outline or stays where its file has it."""

    unit_m: float
    upwards: Upwards
    turn_deg: float = 0.0
    centred: bool = True

    def laid(self, points: Floats, outline: tuple[PlanPoint, ...]) -> Floats:
        """*points* (n, 3) of the file in metres on the plan of the *outline*."""
        return self._placed(_turned(points, self.upwards), outline)

    def _placed(self, turned: Floats, outline: tuple[PlanPoint, ...]) -> Floats:
        """Points (n, 3) whose last axis points up already, in metres on the plan."""
        placed: Floats = turned * self.unit_m
        c, s = math.cos(math.radians(self.turn_deg)), math.sin(math.radians(self.turn_deg))
        placed = placed @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])
        if self.centred:
            low_x, low_y, high_x, high_y = Polygon(outline).bounds
            middle = (placed[:, :2].min(axis=0) + placed[:, :2].max(axis=0)) / 2
            placed = placed - np.array([middle[0] - (low_x + high_x) / 2, middle[1] - (low_y + high_y) / 2, 0.0])
        return placed

    def shadow(self, surface: Surface, outline: tuple[PlanPoint, ...]) -> tuple[PlanPoint, ...]:
        """The corners of the mesh's hull on the plan; none if it has no extent there."""
        corners = _hull(surface, self.upwards)
        return tuple((x, y) for x, y, _ in self._placed(corners, outline).tolist()) if len(corners) else ()


@lru_cache(maxsize=4)
def _hull(surface: Surface, upwards: Upwards) -> Floats:
    """The corners (n, 3) of the mesh's hull seen from *upwards*, in the file's units; meshes are large."""
    hull = MultiPoint(_turned(surface.points, upwards)[:, :2]).convex_hull
    corners = get_coordinates(hull.exterior) if isinstance(hull, Polygon) else np.zeros((0, 2))
    return np.column_stack([corners, np.zeros(len(corners))])


def likely_turn(surface: Surface, placement: Placement, outline: tuple[PlanPoint, ...]) -> float:
    """The quarter turn (degrees) by which the mesh's hull comes closest to that of the *outline*."""
    wanted = Polygon(outline).convex_hull

    def off(turn_deg: float) -> float:
        shadow = replace(placement, turn_deg=turn_deg, centred=True).shadow(surface, outline)
        return float(Polygon(shadow).symmetric_difference(wanted).area)

    return min((0.0, 90.0, 180.0, 270.0), key=lambda turn: round(off(turn), 6))


@dataclass(frozen=True)
class FoundRelief:
    """Points of the relief in metres on the plan, and how far the mesh's own points lie off it at most (m)."""

    relief: Relief
    deviation_m: float


def read_surface(path: Path) -> Surface:
    """The triangles in the file at *path*. Raises :class:`ReliefRefusal`."""
    if path.suffix.lower() not in SUFFIXES:
        raise ReliefRefusal(f"“{path.name}” is no mesh that is known here: {', '.join(SUFFIXES)}.")
    size = size_of(path, MOST_BYTES, ReliefRefusal)
    try:
        if path.suffix.lower() == ".stl" and not _is_whole(path, size):
            raise ReliefRefusal(f"“{path.name}” is cut short or damaged.")
        with redirect_stdout(io.StringIO()):  # the reader talks
            read = meshio.read(path)
        points = np.asarray(read.points, dtype=np.float64)
        triangles = np.concatenate([cells.data for cells in read.cells if cells.type == "triangle"]).astype(np.int64)
        quads = [cells.data for cells in read.cells if cells.type == "quad"]
        triangles = np.concatenate([triangles, *(quad[:, pick] for quad in quads for pick in ([0, 1, 2], [0, 2, 3]))])
    except ReliefRefusal:
        raise
    except (SystemExit, Exception) as error:  # the reader raises whatever a damaged file makes it, or gives up
        raise ReliefRefusal(f"“{path.name}” is damaged, empty or not what its name says.") from error
    if not np.isfinite(points).all():
        raise ReliefRefusal(f"“{path.name}” has points that are not numbers.")
    if points.shape[1] != 3 or not len(triangles) or triangles.min() < 0 or triangles.max() >= len(points):
        raise ReliefRefusal(f"“{path.name}” is damaged: its triangles name points that are not there.")
    if len(triangles) > MOST_TRIANGLES:
        raise ReliefRefusal(f"“{path.name}” has {len(triangles)} triangles; {MOST_TRIANGLES} is the most.")
    return Surface(points, triangles)


def _is_whole(path: Path, size: int) -> bool:
    """Whether an STL file has the length that its head promises or, as text, an end."""
    with path.open("rb") as file:
        head = file.read(84)
        if len(head) == 84 and size == 84 + 50 * int.from_bytes(head[80:84], "little"):
            return True
        file.seek(max(size - 400, 0))
        return head.lstrip().lower().startswith(b"solid") and b"endsolid" in file.read().lower()


def _turned(points: Floats, upwards: Upwards) -> Floats:
    """*points* with the axis *upwards* as z, the others in their turning order."""
    axis = "xyz".index(upwards[-1])
    turned = points[:, [(axis + 1) % 3, (axis + 2) % 3, axis]]
    return turned if len(upwards) == 1 else turned * (1.0, -1.0, -1.0)


def relief_of(
    surface: Surface,
    placement: Placement,
    outline: tuple[PlanPoint, ...],
    progress: Progress = no_progress,
) -> FoundRelief:
    """The relief under *outline*, of the mesh as it lies there.

    Its lowest place under the outline is height 0. *progress* is called with the share done. Raises
    :class:`ReliefRefusal`.
    """
    points, part = placement.laid(surface.points, outline), Polygon(outline)
    triangles = _under(part, points, surface.triangles)
    progress(0.1)
    corners = points[triangles]
    _refuse_walls_and_folds(corners)
    seen = float(np.abs(_normals(corners)[:, 2]).sum()) / 2
    own_area = MultiPoint(corners.reshape(-1, 3)[:, :2]).convex_hull.area
    if seen > (1 + OVERLAP_SHARE) * own_area and own_area > 0:  # before any work is done for each
        raise ReliefRefusal(LIES_OVER_ITSELF)
    progress(0.2)
    used, number = np.unique(triangles, return_inverse=True)
    own = points[used]
    mesh = Mesh(own[:, :2].copy(), number.reshape(-1, 3), np.zeros(len(triangles), dtype=np.int64), own[:, 2].copy())
    sampled = _sampled(mesh, part, seen)
    progress(0.5)
    places = own if len(own) <= MOST_OWN_POINTS else sampled
    _, once = np.unique(np.round(places[:, :2], 5), axis=0, return_index=True)
    places = places[np.sort(once)]
    under = places[contains_xy(part, places[:, 0], places[:, 1]), 2]
    edge = heights_at(_as_relief(places), np.array(outline))
    lowest = float(np.concatenate([under, edge]).min())
    places = places - np.array([0.0, 0.0, lowest])
    if np.abs(places[:, 2]).max() > HIGHEST_M:
        raise ReliefRefusal(f"The mould would be {np.abs(places[:, 2]).max():.4g} m high. Is the mesh in another unit?")
    progress(0.7)
    relief = _as_relief(np.round(places, 5))
    some = own[:: max(len(own) // CHECKED_POINTS, 1)]
    some = some[contains_xy(part, some[:, 0], some[:, 1])]
    off = np.abs(heights_at(relief, some[:, :2]) - (some[:, 2] - lowest)) if len(some) else np.zeros(1)
    return FoundRelief(relief, float(off.max()))


def _as_relief(places: Floats) -> Relief:
    """Raises ReliefRefusal."""
    try:
        return Relief((x, y, z) for x, y, z in places.tolist())
    except ValueError as error:
        raise ReliefRefusal(f"The mesh cannot be the mould's face: {error}.") from error


def _beyond_m(part: Polygon) -> float:
    """How far beyond the *part* its mould still counts."""
    low_x, low_y, high_x, high_y = part.bounds
    return 0.02 * max(high_x - low_x, high_y - low_y)


def _under(part: Polygon, points: Floats, triangles: Integers) -> Integers:
    """(m, 3) those of the *triangles* that lie under the *part*. Raises :class:`ReliefRefusal`."""
    low_x, low_y, high_x, high_y = part.bounds
    beyond, corners = _beyond_m(part), points[triangles]
    least, most = corners[..., :2].min(axis=1), corners[..., :2].max(axis=1)
    near = ((most >= (low_x - beyond, low_y - beyond)) & (least <= (high_x + beyond, high_y + beyond))).all(axis=1)
    if not near.any():
        raise ReliefRefusal(
            "The mesh does not lie under the outline. Centre it, or choose its unit, its turn and what is up."
        )
    far = max(float(np.abs(corners[near][..., :2] - np.array([low_x, low_y])).max()), 0.0)
    if far > FARTHEST_SHARE * max(high_x - low_x, high_y - low_y):
        raise ReliefRefusal(f"The mesh reaches {far:.4g} m beyond the part. Cut it to the mould's face.")
    near_triangles: Integers = triangles[near]
    return near_triangles


def _sampled(mesh: Mesh, part: Polygon, seen_m2: float) -> Floats:
    """(k, 3) the *mesh* on a grid, which has to cover the *part* once; ``seen_m2`` is the area of its triangles from
    above. Raises :class:`ReliefRefusal`."""
    picture = Canvas(mesh, SAMPLES_ALONG).draw(mesh.heights_m)
    rows, columns = picture.values.shape
    x, y = np.meshgrid(
        picture.left_m + (np.arange(columns) + 0.5) * picture.width_m / columns,
        picture.bottom_m + picture.height_m - (np.arange(rows) + 0.5) * picture.height_m / rows,
    )
    covered = ~np.isnan(picture.values)
    cell = picture.width_m / columns * picture.height_m / rows
    if seen_m2 > (1 + OVERLAP_SHARE) * (covered.sum() + 2 * (rows + columns)) * cell:
        raise ReliefRefusal(LIES_OVER_ITSELF)
    inside = part.buffer(-_beyond_m(part) / 4)  # the outline may run along the mesh's own edge
    share = float((contains_xy(inside, x, y) & covered).sum()) * cell / inside.area
    if share < 1 - UNCOVERED_SHARE:
        bare = contains_xy(inside, x, y) & ~covered
        off = inside.difference(box(*mesh.points_m.min(axis=0), *mesh.points_m.max(axis=0)))
        place = (float(x[bare][0]), float(y[bare][0])) if bare.any() else _at(off.representative_point())
        raise ReliefRefusal(f"The mesh covers only {percent(share)} of the part.", place)
    return np.column_stack([x[covered], y[covered], picture.values[covered].astype(np.float64)])


def _at(place: Point) -> PlanPoint:
    return place.x, place.y


def _normals(corners: Floats) -> Floats:
    return np.asarray(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))


def _refuse_walls_and_folds(corners: Floats) -> None:
    """Refuse triangles (m, 3, 3) that stand upright or lie the wrong way round, naming the worst place."""
    normal = _normals(corners)
    area = np.linalg.norm(normal, axis=1)
    up = normal[:, 2] * (1.0 if normal[:, 2].sum() >= 0 else -1.0)
    for wrong, message in (
        (up < -1e-9 * area, "The mesh folds back under itself here (an undercut, or the other side of a solid body)"),
        (
            np.abs(up) < area / np.hypot(1.0, STEEPEST),
            f"The mesh is steeper than {STEEPEST:g} : 1 here, an upright wall",
        ),
    ):
        if area[wrong].sum() > FOLD_SHARE * area.sum():
            worst = np.flatnonzero(wrong)[int(np.argmax(area[wrong]))]
            x, y = corners[worst, :, :2].mean(axis=0)
            raise ReliefRefusal(f"{message}. Keep only the face that the plies lie on.", (float(x), float(y)))
