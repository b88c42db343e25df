"""Resin, pots and cure against closed forms and fine references: worst errors as shares."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from scipy.integrate import quad, solve_ivp
from verification import Case

from bibulon.assess import assess, filled
from bibulon.demo import demo_job
from bibulon.flow.fed_resin import FedBatch, FedResin
from bibulon.flow.fill import fill
from bibulon.flow.problem import Pace, flow_problem
from bibulon.flow.self_heating import DIFFUSIVITY_M2_S, FIBRE_HEAT_J_M3_K, RESIN_HEAT_J_M3_K
from bibulon.job import Job
from bibulon.job.charge import PlannedBatch
from bibulon.job.edits import changed, revised, with_card
from bibulon.job.layup import Layer
from bibulon.job.part import Part
from bibulon.laminate.cells import laminate_of
from bibulon.resin.card_law import law_of
from bibulon.resin.law import isothermal
from bibulon.resin.mixing import mixed_temperature_k
from bibulon.resin.pot import Pot, pot_course
from bibulon.resin.through_thickness import Around, Slab, cure_through
from bibulon.stock import shelf_card

AT_K = 298.15
LAW = law_of(demo_job().resin)
ONE = (1600,)
"""These are measured once: no mesh makes their error."""


def nth_order(nodes: int) -> float:
    """``dα/dt = k(1 − α)ⁿ``: ``α = 1 − [1 + (n − 1)kt]^(1/(1 − n))``."""
    law = replace(LAW, ln_k2=-100.0, ln_k1=math.log(3e-5), slope1_k=0.0, n=1.5)
    times = np.array([1e3, 1e4, 5e4, 2e5])
    found = np.array([float(law.aged(AT_K, 0.0, time)) for time in times])
    exact = 1 - (1 + 0.5 * 3e-5 * times) ** -2.0
    return float(np.abs(found / exact - 1).max())


def kamal(nodes: int) -> float:
    """Kamal and Sourour at one temperature against a fine ordinary equation, and the time to a degree of cure."""
    law = replace(LAW, ln_k1=math.log(2e-6), slope1_k=0.0, ln_k2=math.log(2.5e-4), slope2_k=0.0, m=0.8, n=1.3)

    def rate(_: float, cure: np.ndarray) -> np.ndarray:
        return (2e-6 + 2.5e-4 * np.maximum(cure, 0) ** 0.8) * (1 - cure) ** 1.3

    reference = solve_ivp(rate, (0, 4e4), [0.0], rtol=1e-11, atol=1e-14, dense_output=True)
    times = np.array([2e3, 8e3, 2e4, 4e4])
    found = np.array([float(law.aged(AT_K, 0.0, time)) for time in times])
    exact = reference.sol(times)[0]
    back = law.time_to(AT_K, float(exact[2]))
    return float(max(np.abs(found / exact - 1).max(), abs(back / 2e4 - 1)))


def adiabatic(nodes: int) -> float:
    """A pot that loses nothing warms by ``H/c``."""
    law = replace(LAW, ln_k1=math.log(1e-3), slope1_k=0.0, ln_k2=-100.0)
    course = pot_course(law, 1100.0, 1e12, AT_K, Pot(air_k=AT_K))
    risen = float(course.temperature_k[-1]) - AT_K
    return abs(risen / (law.adiabatic_rise_k * float(course.cure[-1])) - 1)


def pot_first_order(nodes: int) -> float:
    """Cure of the first order at a rate that no warmth changes, in a pot that loses heat:
    ``T − T₀ = ΔT k/(s − k)·(e^(−kt) − e^(−st))``, ``s = UA/(mc)``."""
    k, mass = 2e-4, 2.0
    law = replace(LAW, ln_k1=math.log(k), slope1_k=0.0, ln_k2=-100.0, n=1.0)
    pot = Pot(air_k=AT_K)
    course = pot_course(law, 1100.0, mass, AT_K, pot)
    s = pot.loss_w_k(mass / 1100.0) / (mass * law.heat_capacity_j_kg_k)
    times = course.times_s
    exact = law.adiabatic_rise_k * k / (s - k) * (np.exp(-k * times) - np.exp(-s * times))
    return float(np.abs(course.temperature_k - AT_K - exact).max() / exact.max())


def semenov(nodes: int) -> float:
    """Cure of order nought: by Semenov a pot runs away where ``ψ = (E/T²)·m H k/(U A)`` is over 1/e. The share by which
    the ψ between a pot that does and one that does not is off 1/e."""
    slope, k = 60_000.0, 1e-8
    law = replace(LAW, ln_k1=math.log(k) + slope / AT_K, slope1_k=slope, ln_k2=-100.0, n=0.0, heat_j_kg=4e8)
    pot = Pot(air_k=AT_K)

    def psi(mass: float) -> float:
        return slope / AT_K**2 * mass * law.heat_j_kg * k / pot.loss_w_k(mass / 1100.0)

    def runs_away(mass: float) -> bool:
        return pot_course(law, 1100.0, mass, AT_K, pot).hottest_k > AT_K + 4 * AT_K**2 / slope

    low, high = 1e-4, 10.0
    for _ in range(24):
        middle = math.sqrt(low * high)
        low, high = (low, middle) if runs_away(middle) else (middle, high)
    return abs(psi(math.sqrt(low * high)) * math.e - 1)


def slab(places: int) -> tuple[Slab, ...]:
    return (Slab("plies", 0.02, 0.35, 1.9e6, 0.45 * 1100.0, places),)


def fourier(nodes: int) -> float:
    """A slab that does not cure, both faces held: Fourier's series in its middle and through it."""
    places = max(nodes // 40, 10)
    law = replace(LAW, ln_k1=-150.0, ln_k2=-150.0)
    hot = Around(AT_K + 40, 1e9, AT_K + 40, 1e9)
    course = cure_through(law, slab(places), lambda _: hot, 0.0, 1200.0, (AT_K,), 0.0)
    z, time = course.z_m / 0.02, course.times_s[-1]
    diffusivity = 0.35 / 1.9e6
    odd = np.arange(1, 60, 2)
    series = (4 / (odd * np.pi)) * np.exp(-((odd * np.pi / 0.02) ** 2) * diffusivity * time)
    exact = 1 - np.sin(np.outer(z, odd * np.pi)) @ series
    return float(np.abs((course.temperature_k[-1] - AT_K) / 40 - exact).max())


def reacting_slab(nodes: int) -> float:
    """The peak of a slab that cures between held faces, on so many places, against four times as many."""
    held = Around(AT_K, 200.0, AT_K, 10.0)

    def peak(places: int) -> float:
        end_s = 6 * LAW.time_to(AT_K, LAW.gel_cure)
        return cure_through(LAW, slab(places), lambda _: held, 0.0, end_s, (AT_K,), 0.0).peak_k

    places = max(nodes // 40, 10)
    return abs((peak(places) - AT_K) / (peak(4 * places) - AT_K) - 1)


def lines_of(nodes: int) -> float:
    """The same slab as an ordinary equation of its own, written anew here, on the same places: method of lines."""
    places = max(nodes // 40, 10)
    step, lost = 0.02 / places, (200.0, 10.0)

    def slopes(_: float, state: np.ndarray) -> np.ndarray:
        warm, done = np.split(state, 2)
        rate = LAW.rate_as_glass(warm, done)
        inside = np.concatenate([[0.0], np.diff(warm) * 0.35 / step, [0.0]])
        faces = [1 / (1 / h + step / 2 / 0.35) for h in lost]
        inside[0], inside[-1] = (warm[0] - AT_K) * faces[0], -(warm[-1] - AT_K) * faces[1]
        return np.concatenate([np.diff(inside) / (1.9e6 * step) + 0.45 * 1100 * LAW.heat_j_kg / 1.9e6 * rate, rate])

    end_s = 3 * LAW.time_to(AT_K, LAW.gel_cure)
    start = np.concatenate([np.full(places, AT_K), np.zeros(places)])
    reference = solve_ivp(slopes, (0, end_s), start, method="BDF", rtol=1e-8, atol=1e-8, dense_output=True)
    held = Around(AT_K, 200.0, AT_K, 10.0)
    course = cure_through(LAW, slab(places), lambda _: held, 0.0, end_s, (AT_K,), 0.0)
    warm, done = np.split(reference.sol(course.times_s), 2)
    hot = float(warm.max()) - AT_K
    return float(max(np.abs(course.temperature_k - warm.T).max() / hot, np.abs(course.cure - done.T).max()))


def mixed_by_hand(nodes: int) -> float:
    """``T = Σ m c T / Σ m c``: 100 parts at 30 °C and 30 of another heat at 20 °C."""
    job = demo_job()
    resin, hardener = job.resin.components
    card = revised(job.resin, components=(revised(resin, heat_j_kg_k=1700.0), revised(hardener, heat_j_kg_k=2200.0)))
    job = changed(job, cards=tuple(card if one.id == card.id else one for one in job.cards))
    job = changed(job, charge=revised(job.charge, component_k=(303.15, 293.15)))
    exact = (100 * 1700 * 303.15 + 30 * 2200 * 293.15) / (100 * 1700 + 30 * 2200)
    assert assess(job).job is job
    return abs(mixed_temperature_k(job) / exact - 1)


def fluidity_of_a_parcel(nodes: int) -> float:
    """``∫ dt/μ`` of resin mixed at 23 °C, which stands twenty minutes in a pot that warms and then lies in a mould of
    28 °C: against the ordinary equation of α and T, written out."""
    mould_k, law = 301.15, LAW
    pot = pot_course(law, 1100.0, 3.0, 296.15, Pot(air_k=296.15))
    fed = FedResin(law, mould_k, (FedBatch(1.0, 1200.0, pot),))
    age, _ = fed.at(1, 0.0)
    found = float(fed.flown(np.array(age + 1500.0)) - fed.flown(np.array(age)))
    loss = Pot(air_k=296.15).loss_w_k(3.0 / 1100.0) / (3.0 * law.heat_capacity_j_kg_k)

    def in_pot(_: float, state: np.ndarray) -> list[float]:
        rate = float(law.rate(state[0], state[1]))
        return [law.adiabatic_rise_k * rate - loss * (state[0] - 296.15), rate]

    poured = solve_ivp(in_pot, (0, 1200.0), [296.15, 0.0], rtol=1e-10, atol=1e-12).y[1, -1]
    laid = solve_ivp(
        lambda _, state: [float(law.rate(mould_k, state[0])), float(law.fluidity(mould_k, state[0]))],
        (0, 1500.0), [poured, 0.0], rtol=1e-10, atol=1e-12,
    )  # fmt: skip
    return abs(found / float(laid.y[1, -1]) - 1)


def flows_as_the_card(nodes: int) -> float:
    """A card without constants: e-fold thickening to the flow limit, and gel at the film gel time, in closed form."""
    job = demo_job()
    at_k = job.resin.film_gel[0].temperature_k
    still = LAW
    course = isothermal(still, at_k)
    fresh = math.exp(still.ln_fresh + still.fresh_slope_k / at_k)
    limit_s = job.resin.thickening_time_s * math.log(job.resin.flow_limit_pa_s / fresh)
    middle = float(np.interp(0.5 * limit_s, course.times_s, course.fluidity))
    exact = 1 / (fresh * math.exp(0.5 * limit_s / job.resin.thickening_time_s))
    gel = quad(lambda cure: 1 / float(still.rate(at_k, cure)), 0, still.gel_cure)[0]
    return max(abs(course.stops_s / limit_s - 1), abs(middle / exact - 1), abs(gel / 18_000.0 - 1) / 10)


def strip_of_batches(heel_kg: float) -> Job:
    """Eight plies 1 m long and nothing on them, fed along one end by batches of 0.25 kg in trays, each poured on the
    heel of the one before."""
    job = demo_job()
    ply = next(layer for layer in job.layup if not job.is_core(layer.card))
    feed, vent = job.feeds[0], job.vents[0]
    batches = tuple(PlannedBatch(mass_kg=0.25) for _ in range(12))
    return changed(
        job,
        part=Part(outline=((0.0, 0.0), (1.0, 0.0), (1.0, 0.2), (0.0, 0.2))),
        layup=(Layer(id="p", card=ply.card, count=8),),
        regions=(),
        media=(),
        peel_ply=None,
        bucket=revised(job.bucket, heel_kg=heel_kg),
        charge=revised(job.charge, pot_shape="tray", batches=batches),
        lines=(
            revised(feed, points=((0.0, 0.0), (0.0, 0.2)), port_at=0.5, hose_length_m=0.1),
            revised(vent, points=((1.0, 0.0), (1.0, 0.2)), port_at=0.5),
        ),
    )


def front_of_batches(nodes: int) -> float:
    """In a strip what fills the end is the first batch, however fresh those after it are: as old as it was when it was
    poured, and by all of the fill since."""
    fill = filled(assess(strip_of_batches(0.0)), nodes, levels=1).fill
    assert fill is not None and fill.problem.fed is not None and fill.margin_s is not None
    fed = fill.problem.fed
    aged_s = float(fed.still.times_s[-1]) - fill.margin_s
    return abs(aged_s / (fed.at(1, 0.0)[0] + fill.end_s) - 1)


def thick_strip() -> Job:
    """Sixty millimetres of plies half a metre long, which a machine fills slowly with resin that is poured once."""
    job = strip_of_batches(0.0)
    resin = shelf_card("epoxy-extra-slow")
    job = with_card(job, resin)
    return changed(
        job,
        part=Part(outline=((0.0, 0.0), (0.5, 0.0), (0.5, 0.2), (0.0, 0.2))),
        layup=(Layer(id="p", card=job.layup[0].card, count=129),),
        lines=tuple(revised(line, points=tuple((x / 2, y) for x, y in line.points)) for line in job.lines),
        bucket=revised(job.bucket, rate_m3_s=7e-7),
        charge=revised(job.charge, resin=resin.id, batches=(), largest_batch_kg=40.0),
        flow=revised(job.flow, swelling=False),
    )


def warms_on_its_way(nodes: int) -> float:
    """Resin that ages and warms by its own cure while it is pushed through a thick strip at a constant rate, against
    parcels that move a cell of a fine strip at each step: its excess well behind the front of heat, root mean square as
    a share of the greatest, and all the heat in the strip."""
    job, cells = thick_strip(), 4000
    result = fill(replace(flow_problem(job, nodes, levels=1), pace=Pace(steps=100)))
    fed, stack = result.problem.fed, laminate_of(job).cells[0].stack
    assert fed is not None
    packed, law, mould_k = stack.fibre_fraction, fed.law, job.mould_temperature_k
    tau = 4 * stack.laminate_thickness_m**2 / (math.pi**2 * DIFFUSIVITY_M2_S)
    share = 1 / (1 + FIBRE_HEAT_J_M3_K / RESIN_HEAT_J_M3_K * packed / (1 - packed))
    still = isothermal(law, mould_k)

    def slopes(_: float, state: np.ndarray) -> np.ndarray:
        excess, age = np.split(state, 2)
        faster = law.rate(mould_k + excess, law.gel_cure / 2) / law.rate(mould_k, law.gel_cure / 2)
        cures = np.interp(age, middles_s, rates_s)
        return np.concatenate([share * law.adiabatic_rise_k * cures * faster - excess / tau, faster])

    middles_s = (still.times_s[1:] + still.times_s[:-1]) / 2
    rates_s = np.diff(still.cure) / np.diff(still.times_s)
    in_lines_s = float(result.in_lines_m3[-1]) / job.bucket.rate_m3_s
    excess, age, step = np.zeros(cells), np.zeros(cells), result.end_s / cells
    for at in range(cells):
        came_s, came_k = fed.at(1, (at + 0.5) * step - in_lines_s)
        moved = excess.copy()
        moved[1:] = excess[1:] + share * (excess[:-1] - excess[1:])
        moved[0] += share * (came_k - excess[0])
        age[1:] = age[:-1].copy()
        age[0], wet = came_s + in_lines_s, at + 1
        state = np.concatenate([moved[:wet], age[:wet]])
        state += step * slopes(0.0, state)
        excess[:wet], age[:wet] = np.split(state, 2)
    x = result.mesh.points_m[result.place, 0]
    exact = np.interp(x, (np.arange(cells) + 0.5) * 0.5 / cells, excess)
    passed = (x > 0.02) & (x < 0.3 * share)
    off = math.sqrt(float(((result.excess_k - exact)[passed] ** 2).mean())) / excess.max()
    heat = float((result.excess_k * result.node_area_m2).sum() / result.node_area_m2.sum())
    return max(off, abs(heat / float(excess.mean()) - 1))


RESIN_CASES = (
    Case("cure of the n-th order, isothermal", "`α = 1 − [1 + (n−1)kt]^(1/(1−n))`", nth_order, ONE),
    Case("Kamal and Sourour, isothermal", "ordinary equation", kamal, ONE),
    Case("pot without loss", "`ΔT = (H/c)·α`", adiabatic, ONE),
    Case("pot, cure of the first order", "`ΔT k/(s−k)(e^(−kt) − e^(−st))`", pot_first_order, ONE),
    Case("pot that runs away", "Semenov: `ψ = 1/e`", semenov, ONE),
    Case("slab that does not cure", "Fourier's series", fourier),
    Case("slab that cures, own equation", "method of lines, written anew", lines_of, ONE),
    Case("slab that cures, places", "the same on four times as many places", reacting_slab, (400, 1600)),
    Case("temperature of the mix", "`Σ m c T / Σ m c`", mixed_by_hand, ONE),
    Case("fluidity of a parcel with a history", "ordinary equation of α and T", fluidity_of_a_parcel, ONE),
    Case("front of a strip, in batches", "age when first poured + time of the fill", front_of_batches, (400, 1600)),
    Case("thick strip that warms itself", "parcels on a fine strip, ordinary equation", warms_on_its_way, (400, 1600)),
    Case("card without constants of cure", "`μ = μ₀ e^(t/τ)`, gel of the film", flows_as_the_card, ONE),
)
