"""What papers say of a mould that is shut all round: its settings, checks, joints, lives and shots, as rows."""

from __future__ import annotations

from bibulon.job import CLAMPED_BY_VACUUM, WITH_BLADDER
from bibulon.mould.fittings import clamp_count
from bibulon.mould.injection import step_words
from bibulon.mould.lives import lives_of
from bibulon.mould.shot_checks import shot_checks
from bibulon.mould.shots import figures_for, odd_shots, shots_of
from bibulon.quantities import show
from bibulon.record.sheet import Sheet

MOST_SHOTS = 60
"""So many of the last shots stand on the traveller; the file of shots has all."""


def settings_rows(sheet: Sheet) -> list[list[str]]:
    """What vacuums, resin and supply are set to, and how long the fill takes."""
    job, pair, a = sheet.job, sheet.job.pair, sheet.assessment
    warm = pair.injection.resin_temperature_k or job.shop.temperature_k
    rows = []
    if job.process in CLAMPED_BY_VACUUM:
        rows.append(["Flange", sheet.show(pair.flange_pa, "pressure")])
    elif job.process in WITH_BLADDER:
        rows.append(["Bladder", f"{sheet.show(pair.bladder.over_pressure_pa, 'pressure difference')} over"])
    else:
        rows.append(["Clamps", f"{clamp_count(job)} {pair.clamp.kind}" if pair.clamp.kind != "press" else "press"])
    rows += [
        ["Cavity", sheet.show(pair.cavity_pa, "pressure")],
        ["Until gel", sheet.show(pair.hold_pa, "pressure")],
        ["Resin", f"{job.resin.name}, {sheet.show(warm, 'temperature')}"],
        ["Charge", sheet.show(a.charge.total_kg, "mass")],
    ]
    for number, step in enumerate(pair.injection.steps, 1):
        rows.append([f"Step {number}, {pair.injection.source}", step_words(step, sheet.units)])
    if a.fill is not None and a.fill.fill_time_s is not None:
        rows.append(["Full after about", sheet.show(a.fill.fill_time_s, "duration")])
    return rows


def check_rows(sheet: Sheet, done: bool) -> list[list[str]]:
    """The checks of a shot, with room for who checks; if *done* with what the log of this shot says was."""
    rows = []
    for check in shot_checks(sheet.job, sheet.units):
        ticked = check.ticked if done else None
        rows.append([check.label, check.text, f"{ticked.at:%d %b %H:%M} {ticked.by}".strip() if ticked else ""])
    return rows


def life_rows(sheet: Sheet) -> list[list[str]]:
    """What wears out, with the shots it has made and is good for."""
    return [[life.name, str(life.made), str(life.shots), str(life.left)] for life in lives_of(sheet.job)]


def shot_rows(sheet: Sheet) -> tuple[list[str], list[list[str]]]:
    """Heads and rows of the last shots, those that deserve a look marked."""
    job = sheet.job
    figures, shots = figures_for(job.process), shots_of(job)
    odd = odd_shots(job.process, shots)
    rows = []
    for shot in shots[-MOST_SHOTS:]:
        flagged = {figure.name for figure, _ in odd.get(shot.number, ())}
        row = [str(shot.number), shot.at.strftime("%d %b %H:%M")]
        for figure in figures:
            value = shot.figures[figure.name]
            text = "" if value is None else show(value, figure.kind, sheet.units)
            row.append(f"{text} !" if figure.name in flagged else text)
        rows.append(row)
    return ["Shot", "Begun", *(figure.words for figure in figures)], rows
