"""The shots of a series as CSV, in SI units."""

from __future__ import annotations

import csv
import io

from bibulon.job import Job
from bibulon.mould.shots import figures_for, odd_shots, shots_of

HEADS = {
    "pot": "pot_kg",
    "shot mass": "shot_kg",
    "fill time": "fill_s",
    "flange": "flange_pa",
    "cavity": "cavity_pa",
    "bladder": "bladder_pa",
    "resin temperature": "resin_k",
    "part weight": "part_kg",
}


def series_csv(job: Job) -> str:
    """A row for each shot: number, when, its figures (absolute pressures), why it deserves a look, notes."""
    shots = shots_of(job)
    odd, figures = odd_shots(job.process, shots), figures_for(job.process)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["shot", "begun", *(HEADS[figure.name] for figure in figures), "look", "note"])
    for shot in shots:
        look = "; ".join(f"{figure.words}: {reason}" for figure, reason in odd.get(shot.number, ()))
        values = [shot.figures[figure.name] for figure in figures]
        shown = ["" if value is None else f"{value:.6g}" for value in values]
        writer.writerow([shot.number, shot.at.isoformat(), *shown, look, shot.note])
    return out.getvalue()
