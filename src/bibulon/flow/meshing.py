"""Triangles over the part whose edges lie on cells and lines, finer where it pays.

Meshing is done by gmsh, which keeps global state: a lock makes one mesh at a time.
"""

from __future__ import annotations

import math
import signal
import threading
from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise

import gmsh
import numpy as np
from shapely import (
    LineString,
    MultiLineString,
    Point,
    Polygon,
    STRtree,
    coverage_simplify,
    distance,
    dwithin,
    get_coordinates,
    get_parts,
    linestrings,
    points,
    polygonize,
    prepare,
    set_precision,
    union_all,
)
from shapely.geometry.base import BaseGeometry

from bibulon.arrays import Floats
from bibulon.flow.mesh import Mesh
from bibulon.laminate.cells import GRID_M

Fine = tuple[BaseGeometry, float]
"""A place where the mesh is to be finer, and the size of its triangles there."""
_LOCK = threading.Lock()
_FRONTAL_DELAUNAY = 6
_MANY_CORNERS = 400
TOO_MANY = 2.2
INTEGRATION_PRECISION = 1e-5
"""Of the sizes along a curve; the mesher's own 1e-9 takes two thirds of its time and moves no point that matters."""
FINE = 0.3
"""Where it pays the mesh is finer, down to this share of its size,"""
CLASSES = 0.1
"""Lines that lie close are finer in classes of so much of the size."""
GROWTH = 0.25
"""and grows by so much with the distance."""
FINEST = 0.5
"""Where lines lie close the mesh is finer, down to this share of its size."""


def mesh_plan(
    cells: Sequence[Polygon],
    courses: Sequence[MultiLineString],
    ports: Sequence[tuple[float, float]],
    size_m: float,
    nodes: int,
    fine: Sequence[Fine] = (),
) -> Mesh:
    """Mesh the *cells* with triangles of *size_m* so that their borders and the *courses* are edges and the *ports*
    nodes, finer along the lines and at the corners that lie in the *fine* places, and coarser if that would make many
    more than so many *nodes*.

    Raises ``RuntimeError`` if the mesher fails.
    """
    shapes = list(cells)
    if sum(len(get_coordinates(shape)) for shape in shapes) > _MANY_CORNERS:
        shapes = list(coverage_simplify(shapes, size_m / 20))
    courses = [split_at(course, ports) for course in courses]
    borders = [set_precision(shape.boundary, GRID_M) for shape in shapes]
    linework = union_all([*borders, *(set_precision(course, GRID_M) for course in courses)], grid_size=GRID_M)
    faces = [face for face in get_parts(polygonize(get_parts(linework))) if face.area > GRID_M**2]
    owners = STRtree(shapes).query_nearest([face.representative_point() for face in faces], all_matches=False)[1]
    inside = [
        (face, int(owner))
        for face, owner in zip(faces, owners, strict=True)
        if shapes[int(owner)].distance(face.representative_point()) < GRID_M
    ]
    on_borders = union_all([face.boundary for face, _ in inside])
    loose = [
        piece
        for piece in get_parts(linework)
        if piece.length > GRID_M and on_borders.distance(piece.interpolate(0.5, normalized=True)) > GRID_M / 10
    ]
    with _LOCK:
        return _mesh_faces(inside, loose, size_m, fine, nodes)


def split_at(course: MultiLineString, ports: Sequence[tuple[float, float]]) -> MultiLineString:
    """*course* with a corner at every port that lies on it."""
    pieces = []
    for piece in get_parts(course):
        stations = {piece.project(Point(port)) for port in ports if piece.distance(Point(port)) < GRID_M}
        stations |= {piece.project(Point(corner)) for corner in piece.coords}
        stations |= {0.0, piece.length}
        corners = [piece.interpolate(station) for station in sorted(stations)]
        pieces.append(LineString([(corner.x, corner.y) for corner in corners]))
    return MultiLineString(pieces)


def _mesh_faces(
    faces: list[tuple[Polygon, int]], loose: list[LineString], size_m: float, fine: Sequence[Fine], nodes: int
) -> Mesh:
    _begin_afresh()
    try:
        mesh = _meshed(faces, loose, size_m, fine)
        many = len(mesh.points_m) / nodes
        if many > TOO_MANY:  # many lines lie close: the rest of the part makes up for it
            coarser = math.sqrt(many)
            mesh = _meshed(faces, loose, size_m * coarser, [(place, least_m * coarser) for place, least_m in fine])
        return mesh
    except Exception as error:
        raise RuntimeError(f"the mesher gave up on this outline ({error})") from error
    finally:
        gmsh.clear()


def _meshed(faces: list[tuple[Polygon, int]], loose: list[LineString], size_m: float, fine: Sequence[Fine]) -> Mesh:
    sizes = _sizes(faces, loose, size_m)
    surfaces = _build(faces, loose, size_m, sizes)
    _refine(fine, sizes, size_m)
    gmsh.model.mesh.generate(2)
    return _read(surfaces)


def _refine(fine: Sequence[Fine], sizes: dict[tuple[int, int], float], size_m: float) -> None:
    """Let the mesh be finer round the lines and points of the model that lie in each *fine* place, and round lines that
    are finer themselves by the *sizes* at their ends."""
    ends = {tag: _ends(tag) for _, tag in gmsh.model.getEntities(1)}
    middles = {tag: Point(both.mean(axis=0)) for tag, both in ends.items()}
    corners = {tag: Point(gmsh.model.getValue(0, tag, [])[:2]) for _, tag in gmsh.model.getEntities(0)}
    own = {tag: float(np.mean([sizes.get(_key(x, y), size_m) for x, y in both])) for tag, both in ends.items()}
    groups: list[tuple[list[int], list[int], float]] = []
    for place, least_m in _in_classes(fine, size_m):
        prepare(place)
        curves = [tag for tag, middle in middles.items() if dwithin(place, middle, 2 * GRID_M)]
        groups.append((curves, [tag for tag, at in corners.items() if dwithin(place, at, 2 * GRID_M)], least_m))
    for low in np.arange(FINEST, 1.0 - CLASSES / 2, CLASSES) * size_m:
        groups.append(
            ([tag for tag, own_size in own.items() if low <= own_size < low + CLASSES * size_m], [], float(low))
        )
    field, grown = gmsh.model.mesh.field, []
    for curves, places, least_m in groups:
        if not curves and not places:
            continue
        away = field.add("Distance")
        field.setNumbers(away, "CurvesList", curves)
        field.setNumbers(away, "PointsList", places)
        longest = max((float(np.linalg.norm(ends[tag][1] - ends[tag][0])) for tag in curves), default=0.0)
        field.setNumber(away, "Sampling", max(int(2 * longest / least_m), 2))
        grown.append(field.add("Threshold"))
        for name, value in (
            ("InField", away),
            ("SizeMin", least_m),
            ("SizeMax", size_m),
            ("DistMin", 0.0),
            ("DistMax", (size_m - least_m) / GROWTH),
        ):
            field.setNumber(grown[-1], name, value)
    if grown:
        least = field.add("Min")
        field.setNumbers(least, "FieldsList", grown)
        field.setAsBackgroundMesh(least)
    gmsh.option.setNumber("Mesh.MeshSizeMin", min([size_m * FINEST, *(least_m for _, least_m in fine)]))


def _in_classes(fine: Sequence[Fine], size_m: float) -> list[Fine]:
    """The places that want nearly the same size as one: the mesher asks every field at every step along every curve."""
    classes: dict[int, list[Fine]] = defaultdict(list)
    for place, least_m in fine:
        classes[math.floor(math.log(least_m / size_m) / math.log1p(CLASSES))].append((place, least_m))
    return [
        (union_all([place for place, _ in pairs]), min(least_m for _, least_m in pairs)) for pairs in classes.values()
    ]


def _key(x: float, y: float) -> tuple[int, int]:
    return round(x / GRID_M), round(y / GRID_M)


def _ends(curve: int) -> Floats:
    """(2, 2) the ends of a straight curve of the model."""
    low, high = gmsh.model.getParametrizationBounds(1, curve)
    return np.asarray(gmsh.model.getValue(1, curve, [low[0], high[0]])).reshape(2, 3)[:, :2]


def _begin_afresh() -> None:
    """Start the mesher anew: with what an earlier mesh leaves in it, equal outlines would get unequal meshes."""
    if gmsh.isInitialized():
        gmsh.finalize()
    gmsh.initialize(argv=[], readConfigFiles=False, interruptible=False)
    _keep_broken_pipes_harmless()
    gmsh.option.setNumber("General.Terminal", 0)
    gmsh.option.setNumber("General.NumThreads", 1)


def _keep_broken_pipes_harmless() -> None:
    """Undo the mesher's setting that a broken pipe kills the process (only the main thread may, and it must)."""
    if threading.current_thread() is threading.main_thread() and hasattr(signal, "SIGPIPE"):
        signal.signal(signal.SIGPIPE, signal.SIG_IGN)


def _sizes(faces: list[tuple[Polygon, int]], loose: list[LineString], size_m: float) -> dict[tuple[int, int], float]:
    """The size at every corner: no more than the way to the next line or border of another area."""
    courses = [*(ring for face, _ in faces for ring in (face.exterior, *face.interiors)), *loose]
    corners = [get_coordinates(course) for course in courses]
    owner = np.repeat(np.arange(len(courses)), [len(corner) for corner in corners])
    places = np.concatenate(corners)
    pairs_ = np.flatnonzero(owner[1:] == owner[:-1])
    sides = np.asarray(linestrings(np.stack([places[pairs_], places[pairs_ + 1]], axis=1)))
    at = np.asarray(points(places))
    corner, side = STRtree(sides).query(at, predicate="dwithin", distance=size_m)
    other = owner[corner] != owner[pairs_][side]
    corner, side = corner[other], side[other]
    away = distance(at[corner], sides[side])
    least = np.full(len(places), size_m)
    np.minimum.at(least, corner, np.where(away > 2 * GRID_M, away, size_m))
    sizes: dict[tuple[int, int], float] = {}
    for (x, y), size in zip(places, np.maximum(least, size_m * FINEST), strict=True):
        key = _key(x, y)
        sizes[key] = min(float(size), sizes.get(key, size_m))
    return sizes


def _build(
    faces: list[tuple[Polygon, int]], loose: list[LineString], size_m: float, sizes: dict[tuple[int, int], float]
) -> list[tuple[int, int]]:
    """Put the faces into the mesher; returns ``(surface, cell)`` pairs."""
    gmsh.clear()
    gmsh.model.add("plan")
    for option, value in (
        ("MeshSizeMin", size_m * FINEST),
        ("MeshSizeMax", size_m),
        ("MeshSizeExtendFromBoundary", 0),
        ("MeshSizeFromPoints", 1),
        ("Algorithm", _FRONTAL_DELAUNAY),
        ("LcIntegrationPrecision", INTEGRATION_PRECISION),
    ):
        gmsh.option.setNumber(f"Mesh.{option}", value)
    geo = gmsh.model.geo
    places: dict[tuple[int, int], int] = {}
    segments: dict[tuple[int, int], int] = {}

    def place(x: float, y: float) -> int:
        key = _key(x, y)
        if key not in places:
            places[key] = geo.addPoint(x, y, 0.0, sizes.get(key, size_m))
        return places[key]

    def curve(coordinates: Sequence[Sequence[float]]) -> list[int]:
        tags = []
        corners = [place(x, y) for x, y in coordinates]
        for start, end in pairwise(corners):
            if start == end:
                continue
            key = (min(start, end), max(start, end))
            if key not in segments:
                segments[key] = geo.addLine(*key)
            tags.append(segments[key] if key[0] == start else -segments[key])
        return tags

    surfaces = []
    for face, cell in faces:
        loops = [geo.addCurveLoop(curve(list(ring.coords))) for ring in (face.exterior, *face.interiors)]
        surfaces.append((geo.addPlaneSurface(loops), cell))
    embedded = [
        (abs(tag), surfaces[next(i for i, (face, _) in enumerate(faces) if face.distance(middle) == 0)][0])
        for piece in loose
        if any(face.distance(middle := piece.interpolate(0.5, normalized=True)) == 0 for face, _ in faces)
        for tag in curve(list(piece.coords))
    ]
    geo.synchronize()
    for tag, surface in embedded:
        gmsh.model.mesh.embed(1, [tag], 2, surface)
    return surfaces


def _read(surfaces: list[tuple[int, int]]) -> Mesh:
    tags, coordinates, _ = gmsh.model.mesh.getNodes()
    number = np.full(int(tags.max()) + 1, -1, dtype=np.int64)
    triangles, owners = [], []
    for surface, cell in surfaces:
        corners = gmsh.model.mesh.getElementsByType(2, surface)[1].reshape(-1, 3)
        triangles.append(corners)
        owners.append(np.full(len(corners), cell, dtype=np.int64))
    corners = np.concatenate(triangles).astype(np.int64)
    used = np.unique(corners)
    number[used] = np.arange(len(used))
    where = np.empty(int(tags.max()) + 1, dtype=np.int64)
    where[tags.astype(np.int64)] = np.arange(len(tags))
    places = coordinates.reshape(-1, 3)[where[used], :2]
    return Mesh(np.ascontiguousarray(places), number[corners], np.concatenate(owners), np.zeros(len(places)))


def mesh_size_m(area_m2: float, nodes: int, fine_m: float = 0.0) -> float:
    """Edge length of nearly equilateral triangles for about *nodes* nodes on *area_m2*, where the mesh is finer on both
    sides of lines *fine_m* long.

    With s from ``f·S`` on a line to S at ``W = (1 − f) S/growth`` beside it, ``∫ 1/s² − 1/S²`` over both sides is
    ``2 (1 − f)²/(f·growth·S)`` for each metre of line.
    """
    per_point = 2 / math.sqrt(3)
    a, b = per_point * area_m2, per_point * fine_m * 2 * (1 - FINE) ** 2 / (FINE * GROWTH)
    return (b + math.sqrt(b**2 + 4 * nodes * a)) / (2 * nodes)
