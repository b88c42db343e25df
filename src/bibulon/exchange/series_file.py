"""The shots of a series as CSV, in SI units."""

from __future__ import annotations

import csv
import io

from bibulon.job import Job
from bibulon.mould.shots import FIGURES, odd_shots, shots_of

HEADS = {
    "pot": "pot_kg",
    "shot mass": "shot_kg",
    "fill time": "fill_s",
    "flange": "flange_pa",
    "cavity": "cavity_pa",
    "resin temperature": "resin_k",
    "part weight": "part_kg",
}


def series_csv(job: Job) -> str:
    """A row for each shot: number, when, its figures (absolute pressures), why it deserves a look, notes."""
    shots = shots_of(job)
    odd = odd_shots(shots)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["shot", "begun", *(HEADS[figure.name] for figure in FIGURES), "look", "note"])
    for shot in shots:
        look = "; ".join(f"{figure.words}: {reason}" for figure, reason in odd.get(shot.number, ()))
        figures = [shot.figures[figure.name] for figure in FIGURES]
        shown = ["" if value is None else f"{value:.6g}" for value in figures]
        writer.writerow([shot.number, shot.at.isoformat(), *shown, look, shot.note])
    return out.getvalue()
