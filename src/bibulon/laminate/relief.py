"""The mould's relief: heights over the plan between the given points."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from scipy.interpolate import LinearNDInterpolator, NearestNDInterpolator

Floats = npt.NDArray[np.float64]


def heights_at(relief: Sequence[tuple[float, float, float]], places: Floats) -> Floats:
    """(n,) heights at *places* (n, 2) of the surface through the *relief*'s points, flat triangles between them.

    Outside them the nearest point's height counts; no points at all make a flat mould, points in one line a surface
    that is level across it.
    """
    if not relief:
        return np.zeros(len(places))
    given = np.array(relief, dtype=np.float64)
    middle = given[:, :2].mean(axis=0)
    _, size, axes = np.linalg.svd(given[:, :2] - middle, full_matrices=False)
    if len(given) < 3 or size[-1] < 1e-6 * max(float(size[0]), 1e-12):
        station, order = (given[:, :2] - middle) @ axes[0], np.argsort((given[:, :2] - middle) @ axes[0])
        return np.asarray(np.interp((places - middle) @ axes[0], station[order], given[order, 2]))
    found = LinearNDInterpolator(given[:, :2], given[:, 2])(places)
    outside = np.isnan(found)
    if outside.any():
        found[outside] = NearestNDInterpolator(given[:, :2], given[:, 2])(places[outside])
    return np.asarray(found)
