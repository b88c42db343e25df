"""The relief as light and shade on the plan: slopes towards the upper left are lit, those away from it lie in shade."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage
from shapely import Polygon

from bibulon.desk.work.background import Background
from bibulon.job.base import Point
from bibulon.job.part import Part
from bibulon.job.places import Relief
from bibulon.laminate.relief import heights_at

LONGEST = 220
LIGHT = np.array([-0.5, 0.6, 0.62])
"""From where the light comes, on the plan and up."""
STEEPER, STEEPEST = 2.0, 0.9
"""Slopes are drawn so much steeper than they are, so that a shallow camber can be seen; but nearly all of them no
steeper than this, so that a deep mould is not all shade."""
DARKEST = 110


class ReliefShade(QObject):
    """Keeps the shade of the relief that was asked for last; it is drawn beside the window's work."""

    ready = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._part: Part | None = None
        self._image: QImage | None = None
        self._work = Background(lambda report, part: shaded(part.relief, part.outline), self)
        self._work.finished.connect(self._take)

    def of(self, part: Part) -> QImage | None:
        """The picture for *part*; None while it is drawn, or if the mould is flat."""
        if not part.relief:
            return None
        if self._part is not None and self._part.relief is part.relief and self._part.outline is part.outline:
            return self._image
        self._work.start(part)
        return None

    def _take(self, part: Part, image: QImage) -> None:
        self._part, self._image = part, image
        self.ready.emit()


def shaded(relief: Relief, outline: tuple[Point, ...]) -> QImage:
    """A picture over the bounds of *outline*, to be laid over what is there: white where lit, black where shaded."""
    low_x, low_y, high_x, high_y = Polygon(outline).bounds
    step = max(high_x - low_x, high_y - low_y) / LONGEST
    columns, rows = (max(int(np.ceil(side / step)), 2) for side in (high_x - low_x, high_y - low_y))
    x, y = np.meshgrid(np.linspace(low_x, high_x, columns), np.linspace(high_y, low_y, rows))
    heights = heights_at(relief, np.column_stack([x.ravel(), y.ravel()])).reshape(rows, columns)
    down, across = np.gradient(heights, (high_y - low_y) / (rows - 1), (high_x - low_x) / (columns - 1))
    steep = float(np.percentile(np.hypot(across, down), 95))
    drawn = min(STEEPER, STEEPEST / max(steep, 1e-9))
    normal = np.stack([-across * drawn, down * drawn, np.ones_like(heights)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    light = (normal @ (LIGHT / np.linalg.norm(LIGHT))) - LIGHT[2] / np.linalg.norm(LIGHT)
    pixels = np.zeros((rows, columns, 4), dtype=np.uint8)
    pixels[..., :3] = np.where(light > 0, 255, 20)[..., None]
    pixels[..., 3] = np.clip(np.abs(light) * 2 * DARKEST, 0, DARKEST)
    return QImage(pixels.tobytes(), columns, rows, 4 * columns, QImage.Format.Format_RGBA8888).copy()
