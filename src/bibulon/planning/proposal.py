"""A line layout and valve order proposed for a part, tried beside the present one.

Every layout of :mod:`bibulon.planning.strategies`, and the present one, is filled on a coarse mesh. The best few are
moved line by line, in steps that grow finer, as long as that improves them; thick zones are given lines of their own.
Then they are filled a few times with spread inputs: the surest is proposed, and studied as the plan itself is.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from bibulon.assess import assess
from bibulon.flow.ensemble import Ensemble, study
from bibulon.flow.fill import fill
from bibulon.flow.problem import PREVIEW_PACE, flow_problem
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.result import FillResult
from bibulon.job import Job
from bibulon.planning.hand import part_width_m
from bibulon.planning.strategies import candidates, moved_lines, with_thick_zones_served, with_wider_tubes
from bibulon.workers.pool import in_parallel
from bibulon.workers.report import Progress, no_progress, within

AS_IT_IS = "as it is"
MOVED = ", moved"
TRIAL_NODES = 350
RISK_NODES = 500
"""On fewer points a brake is narrower than a cell, and layouts with media seem to stay dry behind their vents."""
FINALISTS = 3
NEARLY = 0.13
"""One fill of so few tells nothing: layouts that differ by no more count as equally sure."""
FIRST_STEP = 0.12
"""Lines are moved first by this share of the part's width, then by halves of it."""
WORTH_A_TUBE = 0.1
"""A wider hose holds more resin that is thrown away: it has to save so much of the time."""
BETTER = 0.01
"""A layout that fills by less than this share sooner is no better."""
SHARES_OF_PROGRESS = (0.15, 0.55, 0.7)
"""Of the whole work, when the first trials, the moving and the choice are done."""


@dataclass(frozen=True)
class Effort:
    """How long to look: fills in which lines are moved and the time that they may take, fills of the last study (0:
    none), and spread fills by which the surest of the best is chosen."""

    moves: int = 70
    moving_s: float = 30.0
    samples: int = 16
    risk_fills: int = 8


USUAL = Effort()


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Layout:
    """A layout with what it does: ``job`` carries it."""

    name: str
    job: Job
    result: FillResult
    charge_kg: float
    risk: Ensemble | None = None
    """Its fills with spread inputs, once they were made."""

    @property
    def filled_share(self) -> float | None:
        """Share of the spread fills that are full before gel."""
        return None if self.risk is None else self.risk.filled_share

    @property
    def keeps_margin(self) -> bool:
        """Whether it fills and leaves the margin that the house asks for."""
        return self.result.margin_s is not None and self.result.margin_s >= self.job.charge.gel_margin_s

    @property
    def feeds(self) -> int:
        return len(self.job.feeds)


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Proposal:
    """The present layout (None if it cannot be filled), the one proposed, and how many were tried; while the search
    is still going on it is the best so far and not *settled*."""

    present: Layout | None
    proposed: Layout
    tried: int
    settled: bool = True


def _tried(name: str, job: Job) -> Layout | None:
    try:
        result = fill(flow_problem(job, TRIAL_NODES, 2, pace=PREVIEW_PACE))
    except FlowRefusal:
        return None
    return Layout(name, job, result, replace(assess(job), fill=result).charge.total_kg)


def _rank(layout: Layout) -> tuple[bool, float, float, float]:
    """Smaller is better: margin kept; fullest; fewest feeds; soonest full."""
    time_s = layout.result.fill_time_s
    if not layout.keeps_margin:
        return True, -layout.result.filled_fraction, -(layout.result.margin_s or -math.inf), layout.feeds
    return False, layout.feeds, time_s or math.inf, layout.charge_kg


def _better(one: Layout, than: Layout, by: float = BETTER) -> bool:
    """Whether it is worth a change, the feeds being as many."""
    if one.keeps_margin and than.keeps_margin:
        return (one.result.fill_time_s or math.inf) < (1 - by) * (than.result.fill_time_s or math.inf)
    if one.keeps_margin != than.keeps_margin:
        return one.keeps_margin
    full = one.result.filled_fraction - than.result.filled_fraction
    sooner = (one.result.margin_s or -math.inf) > (than.result.margin_s or -math.inf)
    return full > BETTER or (full > -1e-9 and sooner)


class _Search:
    """What was tried so far."""

    def __init__(self, workers: int, progress: Progress, found: Callable[[Proposal], None]) -> None:
        self.workers, self.progress, self._found = workers, progress, found
        self.tried = 0
        self.present: Layout | None = None
        self.best: Layout | None = None

    def trials(self, layouts: Sequence[tuple[str, Job]], span: tuple[float, float]) -> list[Layout | None]:
        """Each of *layouts* filled, in their order; the best so far is told as soon as there is one."""
        made: list[Layout | None] = [None] * len(layouts)
        # in processes of their own: neither the mesher nor the numerics hold up whoever asks
        for number, layout in in_parallel(_tried, layouts, self.workers, within(self.progress, span)):
            made[number] = layout
            self.take(layout)
        return made

    def take(self, layout: Layout | None) -> None:
        self.tried += 1
        if layout is None:
            return
        if layout.name == AS_IT_IS:
            self.present = layout
            if self.best is not None:
                self._found(Proposal(layout, self.best, self.tried, settled=False))
        elif self.best is None or _rank(layout) < _rank(self.best):
            self.best = layout
            self._found(Proposal(self.present, layout, self.tried, settled=False))


def propose(
    job: Job,
    progress: Progress = no_progress,
    workers: int = -1,
    effort: Effort | None = None,
    found: Callable[[Proposal], None] = lambda proposal: None,
) -> Proposal:
    """Look for a layout for *job*. *found* is told the best so far, again and again. *progress* is called with the
    share done and may raise :class:`~bibulon.workers.report.Cancelled`.

    Raises :class:`~bibulon.flow.refusal.FlowRefusal` if none can be filled.
    """
    effort = effort or USUAL
    search = _Search(workers, progress, found)
    first, moving, choosing = SHARES_OF_PROGRESS
    tried = search.trials([(AS_IT_IS, job), *candidates(job)], (0.0, first))
    layouts = [layout for layout in tried[1:] if layout is not None]
    if not layouts:
        raise FlowRefusal("No layout could be tried on this part: see what the cautions name first.")
    if not job.in_mould:
        layouts = _with_zones(search, layouts, first)
        seeds = [*sorted(layouts, key=_rank)[:FINALISTS], *([search.present] if search.present is not None else [])]
        for number, seed in enumerate(seeds):
            span = first + (moving - first) * number / len(seeds), first + (moving - first) * (number + 1) / len(seeds)
            moved = _moved(search, seed, effort.moves // len(seeds), effort.moving_s / len(seeds), span)
            if moved is not seed:
                layouts.append(moved)
    best = sorted(layouts, key=_rank)[:FINALISTS]
    best = [layout for layout in best if layout.keeps_margin == best[0].keeps_margin]
    chosen = _surest(search, best, effort.risk_fills, (moving, choosing))
    present, proposed = search.present, chosen
    if effort.samples > 0:
        both = [layout for layout in (present, proposed) if layout is not None]
        studied = [
            _studied(layout, effort.samples, workers, within(progress, (choosing, 1.0), number, len(both)))
            for number, layout in enumerate(both)
        ]
        present, proposed = (studied[0] if present is not None else None), studied[-1]
    progress(1.0)
    return Proposal(present, proposed, search.tried)


def _with_zones(search: _Search, layouts: list[Layout], at: float) -> list[Layout]:
    """*layouts*, and the best of them with lines of their own at thick zones."""
    best = min(layouts, key=_rank)
    served = [(f"{best.name}, {words}", job) for words, job in with_thick_zones_served(best.job)]
    return [*layouts, *(layout for layout in search.trials(served, (at, at)) if layout is not None)]


def _moved(search: _Search, seed: Layout, most: int, most_s: float, span: tuple[float, float]) -> Layout:
    """*seed* with its lines moved as long as that makes it better, in at most about so many fills and seconds."""
    best, left, end = seed, most, time.monotonic() + most_s
    step = FIRST_STEP * part_width_m(assess(seed.job))
    smallest = step / 8
    while step >= smallest and left > 0 and time.monotonic() < end:
        name = best.name if MOVED in best.name else f"{best.name}{MOVED}"
        moves = [(name, job) for job in moved_lines(best.job, step)]
        wider = [
            (best.name if words in best.name else f"{best.name}, {words}", job)
            for words, job in with_wider_tubes(best.job)
        ]
        if not moves and not wider:
            return best
        moved_only = len(moves)
        moves += wider
        done = [span[0] + (span[1] - span[0]) * (1 - rest / most) for rest in (left, max(left - len(moves), 0))]
        left -= len(moves)
        tried = search.trials(moves, (done[0], done[1]))
        ahead = _first_of(tried[:moved_only], best)
        wide = _first_of(tried[moved_only:], best)
        if _better(wide, best, WORTH_A_TUBE) and _rank(wide) < _rank(ahead):
            best = wide
        elif _better(ahead, best):
            best = ahead
        else:
            step /= 2
    return best


def _first_of(layouts: Sequence[Layout | None], otherwise: Layout) -> Layout:
    return min((layout for layout in layouts if layout is not None), key=_rank, default=otherwise)


def _surest(search: _Search, layouts: list[Layout], fills: int, span: tuple[float, float]) -> Layout:
    """The surest of *layouts* in so many *fills* with spread inputs; of equally sure ones the simplest."""
    if len(layouts) == 1:
        return layouts[0]
    tested: list[tuple[float, Layout]] = []
    for number, layout in enumerate(layouts):
        at = within(search.progress, span, number, len(layouts))
        risk = study(layout.job, fills, RISK_NODES, progress=at, workers=search.workers, pace=PREVIEW_PACE)
        tested.append((risk.filled_share, layout))
    most = max(share for share, _ in tested)
    return min((layout for share, layout in tested if share >= most - NEARLY), key=_rank)


def _studied(layout: Layout, samples: int, workers: int, progress: Progress) -> Layout:
    return replace(layout, risk=study(layout.job, samples, progress=progress, workers=workers))
