"""What lies on the plan, in words for those who have the screen read to them."""

from __future__ import annotations

from collections.abc import Iterator

from bibulon.cautions import Caution
from bibulon.desk.plan.things import hose_id
from bibulon.job import Job
from bibulon.job.base import Point
from bibulon.mould.pots import pot_places
from bibulon.quantities import Units, show


def spoken_objects(job: Job, cautions: tuple[Caution, ...], units: Units) -> Iterator[tuple[str, str, Point]]:
    """Identifier, words and place of everything on the plan."""

    def at(place: Point) -> str:
        return f"at {show(place[0], 'length', units)}, {show(place[1], 'length', units)}"

    for line in job.lines:
        if line.hose_way:
            yield hose_id(line), f"Hose of {line.label}, to {at(line.hose_way[-1])[3:]}", line.hose_way[-1]
        ends = f"from {at(line.points[0])[3:]} to {at(line.points[-1])[3:]}"
        yield line.id, f"{line.word.capitalize()}{'' if line.is_port else ' line'} {line.label}, {ends}", line.points[0]
    for fitting in job.pair.fittings if job.in_mould else ():
        yield fitting.id, f"{fitting.kind.capitalize()} {fitting.label}, {at(fitting.place)}", fitting.place
    for key, stands in pot_places(job).items():
        yield key, f"Catch {key}, {at(stands)}", stands
    for number, patch in enumerate(job.media, 1):
        yield patch.id, f"Flow media {number}, {len(patch.outline)} corners, {at(patch.outline[0])}", patch.outline[0]
    for region in job.regions:
        place = region.outline.polygon.representative_point()
        yield region.name, f"Region {region.name}, {at((place.x, place.y))}", (place.x, place.y)
    for number, hole in enumerate(job.part.holes, 1):
        yield f"hole {number}", f"Hole {number}, {at(hole[0])}", hole[0]
    for caution in cautions:
        if caution.place is not None:
            yield caution.id, f"{caution.rank.capitalize()}: {caution.message} {at(caution.place)}", caution.place
