"""The yardstick: the textbook march, which fills one control volume at a time.

Each round solves the pressure on the full nodes, takes the flow into the nodes at the front, and moves the clock to the
moment at which the first of them is full. Kept to be measured against; the program does not use it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse.linalg import splu

from bibulon.arrays import Floats
from bibulon.flow.network import Network
from bibulon.flow.problem import FlowProblem


@dataclass(frozen=True)
class March:
    """``arrival`` (N,) on the fluidity clock (1/Pa), when a node is half full, and the number of solves."""

    arrival: Floats
    solves: int


def march(problem: FlowProblem, network: Network) -> March:
    """Fill a network whose feeds are all open from the start and whose vents are never reached before the end."""
    matrix = network.edges.matrix
    matrix = matrix.tocsr()
    capacity, count = network.capacity_m3, len(network.capacity_m3)
    buckets = np.array([network.bucket])
    fixed = np.zeros(count, dtype=bool)
    fixed[buckets] = fixed[network.vent_nodes] = True
    pressure = np.zeros(count)
    pressure[buckets] = problem.drive_pa
    filled, arrival, clock, solves = np.zeros(count), np.full(count, np.nan), 0.0, 0
    full = capacity <= 0
    while True:
        inner = np.flatnonzero(full & ~fixed)
        if len(inner):
            block = matrix[inner][:, inner].tocsc()
            load = -(matrix[inner] @ np.where(fixed, pressure, 0.0))
            pressure[inner] = splu(block, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}).solve(load)
            solves += 1
        flow = -(matrix @ pressure)
        front = np.flatnonzero(~full & ~fixed & (flow > 1e-30))
        if not len(front):
            return March(arrival, solves)
        waits = (capacity[front] - filled[front]) / flow[front]
        wait = float(waits.min())
        before = filled[front]
        filled[front] += flow[front] * wait
        half = capacity[front] / 2
        passed = np.isnan(arrival[front]) & (filled[front] >= half)
        arrival[front[passed]] = clock + ((half - before) / flow[front])[passed]
        clock += wait
        done = front[waits <= wait * (1 + 1e-9)]
        full[done] = True
