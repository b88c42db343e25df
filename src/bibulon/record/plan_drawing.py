"""The plan on paper: outline with sizes, regions, media, lines with labels, pleats and front contours."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from reportlab.lib import colors
from reportlab.platypus import Flowable
from shapely import LineString

from bibulon.appearance import LIGHT
from bibulon.arrays import Floats
from bibulon.assess import Assessment
from bibulon.flow.contours import contour, round_levels
from bibulon.job.base import Point
from bibulon.plumbing.hose_way import way_of
from bibulon.quantities import show

FEED, VENT, INK, MUTED, MEDIA, PLUM = (
    colors.HexColor(code) for code in (LIGHT.feed, LIGHT.vent, LIGHT.ink, LIGHT.muted, "#EFE3C8", "#9A5A2A")
)

LABEL_PT = (24.0, 8.0)
"""Texts of contours keep so far apart."""


class PlanDrawing(Flowable):
    """The plan scaled into a box of *width* × *height* points."""

    def __init__(self, assessment: Assessment, width: float, height: float, face: str) -> None:
        super().__init__()
        self.assessment, self.width, self.height, self.face = assessment, width, height, face

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        return self.width, self.height

    def draw(self) -> None:
        job = self.assessment.job
        points = np.array(
            [*job.part.outline, *(place for line in job.lines for place in (*line.points, *line.hose_way))]
        )
        low, high = points.min(axis=0), points.max(axis=0)
        margin = 26.0
        scale = min(
            (self.width - 2 * margin) / (high - low)[0], (self.height - 2 * margin) / max((high - low)[1], 1e-6)
        )
        self._low, self._scale = low, scale
        self._shift = (
            (self.width - scale * (high - low)[0]) / 2,
            (self.height - scale * (high - low)[1]) / 2,
        )
        canvas = self.canv
        for patch in job.media if not job.in_mould else ():
            self._outline(patch.outline, fill=MEDIA)
        canvas.setDash(2, 2)
        for region in job.regions:
            self._outline(region.outline, stroke=MUTED)
        canvas.setDash()
        self._contours()
        for outline in (job.part.outline, *job.part.holes):
            self._outline(outline, stroke=INK, width=1.4)
        for line in job.lines:
            if line.hose_way:
                canvas.setStrokeColor(FEED if line.kind == "feed" else VENT)
                canvas.setLineWidth(0.8)
                path = canvas.beginPath()
                path.moveTo(*self._at(way_of(line)[0]))
                for place in line.hose_way:
                    path.lineTo(*self._at(place))
                canvas.drawPath(path)
        for line in job.lines:
            self._line(line.points, line.kind, line.label)
        self._sizes(low, high)

    def _at(self, place: Point) -> tuple[float, float]:
        return (
            self._shift[0] + (place[0] - float(self._low[0])) * self._scale,
            self._shift[1] + (place[1] - float(self._low[1])) * self._scale,
        )

    def _outline(
        self,
        outline: tuple[Point, ...],
        stroke: colors.Color | None = None,
        fill: colors.Color | None = None,
        width: float = 0.6,
    ) -> None:
        path = self.canv.beginPath()
        path.moveTo(*self._at(outline[0]))
        for place in outline[1:]:
            path.lineTo(*self._at(place))
        path.close()
        if stroke is not None:
            self.canv.setStrokeColor(stroke)
            self.canv.setLineWidth(width)
        if fill is not None:
            self.canv.setFillColor(fill)
        self.canv.drawPath(path, stroke=stroke is not None, fill=fill is not None)

    def _contours(self) -> None:
        fill = self.assessment.fill
        if fill is None:
            return
        self.canv.setLineWidth(0.4)
        self.canv.setStrokeColor(PLUM)
        self.canv.setFillColor(PLUM)
        self.canv.setFont(self.face, 6)
        taken = [self._at(line.place) for line in self.assessment.job.lines]
        for level in round_levels(fill.end_s):
            segments = contour(fill.mesh, fill.arrival_s, level)
            for start, end in segments:
                self.canv.line(*self._at((start[0], start[1])), *self._at((end[0], end[1])))
            self._label(segments, show(level, "duration"), taken)

    def _label(self, segments: Floats, text: str, taken: list[tuple[float, float]]) -> None:
        """Say *text* once beside a contour, as near to its middle as leaves room for the texts that are there."""
        middles = segments.mean(axis=1)
        order = np.argsort(((middles - middles.mean(axis=0)) ** 2).sum(axis=1)) if len(segments) else ()
        for number in order:
            x, y = self._at((float(middles[number][0]), float(middles[number][1])))
            if all(abs(x - other_x) > LABEL_PT[0] or abs(y - other_y) > LABEL_PT[1] for other_x, other_y in taken):
                taken.append((x, y))
                self.canv.drawString(x + 2, y + 1, text)
                return

    def _line(self, points: tuple[Point, ...], kind: str, label: str) -> None:
        canvas = self.canv
        canvas.setStrokeColor(FEED if kind == "feed" else VENT)
        canvas.setLineWidth(1.8)
        if kind == "vent":
            canvas.setDash(5, 3)
        for start, end in pairwise(points):
            canvas.line(*self._at(start), *self._at(end))
        canvas.setDash()
        middle = LineString(points).interpolate(0.5, normalized=True)
        x, y = self._at((middle.x, middle.y))
        canvas.setFillColor(colors.white)
        canvas.setLineWidth(0.8)
        canvas.roundRect(x - 11, y - 6, 22, 12, 5, stroke=1, fill=1)
        canvas.setFillColor(INK)
        canvas.setFont(self.face, 8)
        canvas.drawCentredString(x, y - 3, label)

    def _sizes(
        self, low: np.ndarray[tuple[int], np.dtype[np.float64]], high: np.ndarray[tuple[int], np.dtype[np.float64]]
    ) -> None:
        outline = np.array(self.assessment.job.part.outline)
        length, width = outline.max(axis=0) - outline.min(axis=0)
        units = self.assessment.units
        self.canv.setFillColor(MUTED)
        self.canv.setFont(self.face, 8)
        left, bottom = self._at((float(low[0]), float(low[1])))
        right, top = self._at((float(high[0]), float(high[1])))
        self.canv.drawCentredString((left + right) / 2, bottom - 14, show(float(length), "length", units))
        self.canv.saveState()
        self.canv.translate(left - 16, (bottom + top) / 2)
        self.canv.rotate(90)
        self.canv.drawCentredString(0, 0, show(float(width), "length", units))
        self.canv.restoreState()
