"""Many fills of one plan with its inputs spread: how sure is the fill time, where may it stay dry, what matters most.

Each card's permeabilities are log-normal with the card's own spread, the viscosity with the resin's; temperature and
vacuum are normal. Samples are quasi-random (scrambled Sobol points, seeded), so a few dozen tell much. The fills run
through joblib: choosing another of its backends sends the same study to other machines.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.stats import norm, qmc, rankdata

from bibulon.arrays import Floats
from bibulon.flow.fill import fill
from bibulon.flow.mesh import Mesh
from bibulon.flow.problem import FULL_PACE, PREVIEW_PACE, Pace, fed_resin, flow_problem, with_fed
from bibulon.flow.refusal import FlowRefusal
from bibulon.flow.scheduled import batches_in
from bibulon.job import Job
from bibulon.job.cards import CoreCard, FabricCard, MediaCard
from bibulon.job.edits import changed, revised, with_card
from bibulon.job.stock_card import Measured
from bibulon.resin.batches import Poured, planned_for
from bibulon.workers.pool import in_parallel
from bibulon.workers.report import Progress, no_progress

TEMPERATURE_SPREAD_K = 1.5
"""Class default: shop, mould and resin together, one standard deviation."""
VACUUM_SPREAD_PA = 500.0
"""Class default of the vacuum that is really reached, one standard deviation."""
SUSPECTED_GAP_M = 0.0005
"""Class default where plies meet a core edge and nobody has said how wide a gap is left: the median."""
GAP_SPREAD = 2.0
"""Log-normal spread of a gap's width, as a factor."""
SEED = 20
SAMPLES = 32
"""Fills of a study where nothing else is asked for."""

Change = Callable[[Job, float], Job]


@dataclass(frozen=True)
class Input:
    """Something uncertain: its name in words and what a job becomes when it lies *z* standard deviations off."""

    name: str
    change: Change


@dataclass(frozen=True, eq=False)  # arrays know no plain equality
class Ensemble:
    """What a study found.

    ``fill_time_s`` (n,) NaN where the part did not fill; ``drawn_m3`` (n,); ``dry_chance`` (points,) share of the fills
    in which a point of ``mesh`` stayed dry; ``influence`` the rank correlation of each input with the fill time,
    greatest first.
    """

    mesh: Mesh
    fill_time_s: Floats
    drawn_m3: Floats
    dry_chance: Floats
    influence: tuple[tuple[str, float], ...]

    @property
    def filled_share(self) -> float:
        """Share of the fills that filled the part."""
        return float(1 - np.isnan(self.fill_time_s).mean())

    def fill_percentile_s(self, percent: float) -> float | None:
        """Fill time that so many percent of the fills stay below; None where those did not fill."""
        time_s = float(
            np.percentile(np.where(np.isnan(self.fill_time_s), np.inf, self.fill_time_s), percent, method="higher")
        )
        return time_s if math.isfinite(time_s) else None

    def drawn_percentile_m3(self, percent: float) -> float:
        """Resin drawn that so many percent of the fills stay below."""
        return float(np.percentile(self.drawn_m3, percent))


def _scaled(measured: Measured, factor: float) -> Measured:
    return revised(measured, value=measured.value * factor)


def _permeability(card: FabricCard | MediaCard) -> Change:
    def change(job: Job, z: float) -> Job:
        if isinstance(card, MediaCard):
            factor = card.permeability_m2.spread**z
            return with_card(job, revised(card, permeability_m2=_scaled(card.permeability_m2, factor)))
        factor = card.permeability_along_m2.spread**z
        names = ("permeability_along_m2", "permeability_across_m2", "permeability_through_m2")
        return with_card(job, revised(card, **{name: _scaled(getattr(card, name), factor) for name in names}))

    return change


def _grooves(card: CoreCard) -> Change:
    def change(job: Job, z: float) -> Job:
        # a duct conducts with the cube of its depth: the spread of the flow is put into the depth
        depth = min(card.groove_depth_m * card.conduction_spread ** (z / 3), card.thickness_m)
        return with_card(job, revised(card, groove_depth_m=depth))

    return change


def _viscosity(job: Job, z: float) -> Job:
    factor = job.resin.viscosity_spread**z
    points = tuple(revised(point, viscosity_pa_s=point.viscosity_pa_s * factor) for point in job.resin.viscosity)
    return with_card(job, revised(job.resin, viscosity=points))


def _temperature(job: Job, z: float) -> Job:
    kelvin = min(max(job.shop.temperature_k + TEMPERATURE_SPREAD_K * z, 263.15), 333.15)
    mould = job.mould
    if mould.temperature_k is not None:
        mould = revised(mould, temperature_k=mould.temperature_k + kelvin - job.shop.temperature_k)
    return changed(job, shop=revised(job.shop, temperature_k=kelvin), mould=mould)


def _vacuum(job: Job, z: float) -> Job:
    if job.in_mould:
        pair = revised(job.pair, cavity_pa=max(job.pair.cavity_pa + VACUUM_SPREAD_PA * z, 0.0))
        return changed(job, pair=pair)
    return changed(job, vacuum=revised(job.vacuum, cavity_pa=max(job.vacuum.cavity_pa + VACUUM_SPREAD_PA * z, 0.0)))


def _gap(name: str, suspected_m: float) -> Change:
    def change(job: Job, z: float) -> Job:
        width = (getattr(job.flow, name) or suspected_m) * GAP_SPREAD**z
        return changed(job, flow=revised(job.flow, **{name: width}))

    return change


def inputs_of(job: Job) -> tuple[Input, ...]:
    """The uncertain inputs of *job*."""
    used = {layer.card for layer in job.layup} | {patch.card for patch in job.media}
    inputs = []
    for card in job.cards:
        if card.id in used and isinstance(card, FabricCard | MediaCard):
            inputs.append(Input(f"permeability of {card.name}", _permeability(card)))
        elif card.id in used and isinstance(card, CoreCard) and card.grooves != "none":
            inputs.append(Input(f"grooves of {card.name}", _grooves(card)))
    if job.flow.core_gap_m > 0 or any(job.is_core(layer.card) and layer.region for layer in job.layup):
        inputs.append(Input("gap beside the core", _gap("core_gap_m", SUSPECTED_GAP_M)))
    if job.flow.edge_gap_m > 0:
        inputs.append(Input("gap along the edge", _gap("edge_gap_m", 0.0)))
    return (
        *inputs,
        Input("viscosity", _viscosity),
        Input("temperature", _temperature),
        Input("vacuum", _vacuum),
    )


@dataclass(frozen=True)
class _Outcome:
    fill_time_s: float
    drawn_m3: float
    dry: Floats
    mesh: Mesh


def _outcome(job: Job, nodes: int, levels: int, pace: Pace, planned: tuple[Poured, ...]) -> _Outcome | None:
    try:
        problem = flow_problem(job, nodes, levels, pace=pace)
        if problem.fed is not None and planned:
            problem = with_fed(job, problem, fed_resin(job, planned))
        result = fill(problem)
    except FlowRefusal:
        return None
    time = math.nan if result.fill_time_s is None else result.fill_time_s
    return _Outcome(time, result.resin_drawn_m3, np.isnan(result.arrival_s).astype(np.float64), result.mesh)


def _planned(job: Job, nodes: int) -> tuple[Poured, ...]:
    """The batches by the draw of a coarse fill of the plan as it stands: they are mixed by it whatever then happens."""
    coarse = fill(flow_problem(job, nodes, 1, pace=PREVIEW_PACE))
    batches = batches_in(job, coarse)
    return planned_for(job, batches) if batches else ()


def study(
    job: Job,
    samples: int,
    nodes: int = 700,
    levels: int = 2,
    progress: Progress = no_progress,
    workers: int = -1,
    pace: Pace = FULL_PACE,
) -> Ensemble:
    """Fill *job* so many times with its inputs spread, on *workers* processes (−1: one for each core).

    joblib's own ``parallel_config(backend=…)`` round the call sends the fills to another backend's workers.

    *progress* is called with the share done, again and again, and may raise
    :class:`~bibulon.workers.report.Cancelled`. Raises
    :class:`~bibulon.flow.refusal.FlowRefusal` if the job cannot be filled at all.
    """
    planned = _planned(job, nodes)
    inputs = inputs_of(job)
    power = max(math.ceil(math.log2(max(samples, 2))), 1)
    points = qmc.Sobol(len(inputs), seed=SEED).random_base2(power)[:samples]
    scores: Floats = norm.ppf(np.clip(points, 1e-6, 1 - 1e-6))
    jobs = []
    for row in scores:
        varied = job
        for spread_input, z in zip(inputs, row, strict=True):
            varied = spread_input.change(varied, float(z))
        jobs.append(varied)
    arguments = [(varied, nodes, levels, pace, planned) for varied in jobs]
    outcomes = sorted(in_parallel(_outcome, arguments, workers, progress), key=lambda pair: pair[0])
    numbers = [number for number, outcome in outcomes if outcome is not None]
    done = [outcome for _, outcome in outcomes if outcome is not None]
    if not done:
        raise FlowRefusal("None of the spread fills could be computed.")
    times = np.array([outcome.fill_time_s for outcome in done])
    late = rankdata(np.where(np.isnan(times), np.inf, times))
    used = scores[numbers]
    influence = []
    for at, spread_input in enumerate(inputs):
        varies = np.ptp(late) > 0 and len(done) > 2
        influence.append((spread_input.name, float(np.corrcoef(rankdata(used[:, at]), late)[0, 1]) if varies else 0.0))
    return Ensemble(
        mesh=done[0].mesh,
        fill_time_s=times,
        drawn_m3=np.array([outcome.drawn_m3 for outcome in done]),
        dry_chance=np.mean([outcome.dry for outcome in done], axis=0),
        influence=tuple(sorted(influence, key=lambda pair: -abs(pair[1]))),
    )
