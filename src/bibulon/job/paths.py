"""Paths of a job's fields, as a closed vocabulary: a slip in one is a type error.

``tests/test_storage.py`` looks that :data:`JobPath` names what the models have.
"""

from __future__ import annotations

from typing import Literal, NewType, cast, get_args

JobPath = Literal[
    "name",
    "peel_ply",
    "tack",
    "bag/excess_per_pleat_m",
    "bag/film",
    "bag/film_excess",
    "bag/pleats",
    "bag/tape",
    "bag/tape_width_m",
    "bucket/below_part_m",
    "bucket/heel_kg",
    "bucket/over_pressure_pa",
    "bucket/rate_m3_s",
    "charge/bleed_kg",
    "charge/contingency",
    "charge/gel_margin_s",
    "charge/in_hand_kg",
    "charge/largest_batch_kg",
    "charge/mix_time_s",
    "charge/pot_life_share",
    "charge/resin",
    "core_laying/chamfer",
    "core_laying/joint_gap_m",
    "cutting/allowance_m",
    "cutting/dart_stagger_m",
    "cutting/darts",
    "cutting/offcuts",
    "cutting/overlap_m",
    "cutting/shifts",
    "cutting/stagger_m",
    "flow/by_batch",
    "flow/core_gap_m",
    "flow/edge_gap_m",
    "flow/feeds_after",
    "flow/gravity",
    "flow/swelling",
    "flow/thickening",
    "flow/trapped_air",
    "flow/vents_after",
    "hold_rules/drop_pa_per_600_s",
    "hold_rules/leak_pa_m3_s",
    "hold_rules/reach_pa",
    "hold_rules/rules",
    "hold_rules/short_hold_s",
    "hold_rules/soak_s",
    "hold_rules/visible_drop_pa",
    "house/brake_m",
    "house/bucket_low_kg",
    "house/film_excess",
    "house/front_off",
    "house/high_build",
    "house/hold_age_s",
    "house/hose_waste",
    "house/hottest_k",
    "house/large_part_m2",
    "house/late_share",
    "house/mix_temperature_k",
    "house/narrow_end",
    "house/off_media_m",
    "house/open_gap_m",
    "house/overlap_least_m",
    "house/overlap_most_m",
    "house/past_core_m",
    "house/pot_reserve",
    "house/pot_rise_k",
    "house/pot_time_s",
    "house/shortest_hold_s",
    "house/slow_share",
    "house/supply_loss",
    "house/tapes_on_flange",
    "house/thick_pa_s",
    "house/tube_fit_m",
    "house/vacuum_rise_pa",
    "house/vent_reach_m",
    "house/vents_apart",
    "mould/corner_radius_m",
    "mould/draft_deg",
    "mould/face",
    "mould/hand",
    "mould/kind",
    "mould/release",
    "mould/temperature_k",
    "mould/two_good_faces",
    "pair/cavity_m",
    "pair/cavity_pa",
    "pair/channel/height_m",
    "pair/channel/profile",
    "pair/channel/width_m",
    "pair/channel_off_m",
    "pair/fixings",
    "pair/flange_m",
    "pair/flange_pa",
    "pair/heights",
    "pair/hold_pa",
    "pair/injection/density_kg_m3",
    "pair/injection/filler_density_kg_m3",
    "pair/injection/filler_share",
    "pair/injection/rated_pa",
    "pair/injection/recirculated",
    "pair/injection/resin_temperature_k",
    "pair/injection/source",
    "pair/injection/steps",
    "pair/injection/stop",
    "pair/injection/stop_kg",
    "pair/injection/vent_after",
    "pair/inner_seal/hardness_shore",
    "pair/inner_seal/kind",
    "pair/inner_seal/life_shots",
    "pair/inner_seal/shots",
    "pair/inner_seal/spring_n_m",
    "pair/life_shots",
    "pair/outer_seal/hardness_shore",
    "pair/outer_seal/kind",
    "pair/outer_seal/life_shots",
    "pair/outer_seal/shots",
    "pair/outer_seal/spring_n_m",
    "pair/seal_off_m",
    "pair/shots",
    "pair/upper/density_kg_m3",
    "pair/upper/edge",
    "pair/upper/lift",
    "pair/upper/measured_m",
    "pair/upper/measured_pa",
    "pair/upper/modulus_pa",
    "pair/upper/poisson",
    "pair/upper/rib_height_m",
    "pair/upper/rib_modulus_pa",
    "pair/upper/rib_pitch_m",
    "pair/upper/rib_width_m",
    "pair/upper/ribs_run",
    "pair/upper/rigid",
    "pair/upper/thickness_m",
    "part/flange_width_m",
    "part/holes",
    "part/outline",
    "part/relief",
    "part/relief_from",
    "series/quantity",
    "series/thickness_tolerance",
    "shop/barometer_pa",
    "shop/name",
    "shop/shift_end_s",
    "shop/shot_start_s",
    "shop/temperature_k",
    "vacuum/cavity_pa",
    "vacuum/pump_speed_m3_s",
    "vacuum/pump_ultimate_pa",
]
"""A field of the job, of one of its parts, or of a part of those."""

Part = Literal["flow", "hold_rules", "house"]
"""Parts of a job whose fields are walked one by one."""
Elements = Literal["cutting/darts", "groups", "layup", "lines", "manifolds", "pots", "regions"]
"""Lists of a job whose elements have an id, a name or a label."""
ElementField = Literal[
    "angle_deg",
    "bonded",
    "capacity_m3",
    "closes_s",
    "count",
    "hose_length_m",
    "label",
    "length_m",
    "opens/batch",
    "opens/share",
    "opens/time_s",
    "port_at",
    "region",
    "role",
    "times",
    "width_m",
]
"""Fields of elements that are edited by their path."""
ElementPath = NewType("ElementPath", str)
FieldPath = JobPath | ElementPath


def path_in(part: Part, field: str) -> JobPath:
    """The path of a *field* of that *part*. Raises KeyError if it has none of that name.

    >>> path_in("flow", "gravity")
    'flow/gravity'
    """
    path = f"{part}/{field}"
    if path not in get_args(JobPath):
        raise KeyError(path)
    return cast(JobPath, path)


def path_of(elements: Elements, name: str, field: ElementField) -> ElementPath:
    """The path of a *field* of the element of that *name*.

    >>> path_of("lines", "feed-2", "hose_length_m")
    'lines/feed-2/hose_length_m'
    """
    return ElementPath(f"{elements}/{name}/{field}")
