"""Edits of a job, by subject: each takes a job and returns another that shares what did not change."""

from even_step.core.job.edits.bodies import bodies_of, joined_again, split_off, with_bodies_hidden
from even_step.core.job.edits.by_hand import with_post, without_hand
from even_step.core.job.edits.change import with_part
from even_step.core.job.edits.copies import added, copied, cut_loose, removed, with_copies, with_mark
from even_step.core.job.edits.lining import Side, aligned, distributed
from even_step.core.job.edits.means import in_order, on_machine, with_material, with_recipe
from even_step.core.job.edits.pins import with_pin, with_pin_changed, with_set_aside, without_pin, without_set_aside
from even_step.core.job.edits.places import Pair, in_the_middle, laid_at, moved, on_grid, placed_at, without_places
from even_step.core.job.edits.poses import in_unit, mirrored, posed_as, posed_by, sized, sized_by, turned
from even_step.core.job.edits.settings import (
    with_setting,
    with_setting_of_parts,
    without_settings,
    without_settings_of_parts,
)
from even_step.core.job.edits.step_curve import smoothed, with_knot, without_curve, without_knot
from even_step.core.job.edits.zones import (
    ZoneStep,
    with_setting_of_zone,
    with_zone,
    with_zone_at,
    with_zone_changed,
    with_zone_in_steps,
    with_zone_over,
    without_settings_of_zone,
    without_zone,
    zone_of,
)

__all__ = [
    "Pair",
    "Side",
    "ZoneStep",
    "added",
    "aligned",
    "bodies_of",
    "copied",
    "cut_loose",
    "distributed",
    "in_order",
    "in_the_middle",
    "in_unit",
    "joined_again",
    "laid_at",
    "mirrored",
    "moved",
    "on_grid",
    "on_machine",
    "placed_at",
    "posed_as",
    "posed_by",
    "removed",
    "sized",
    "sized_by",
    "smoothed",
    "split_off",
    "turned",
    "with_bodies_hidden",
    "with_copies",
    "with_knot",
    "with_mark",
    "with_material",
    "with_part",
    "with_pin",
    "with_pin_changed",
    "with_post",
    "with_recipe",
    "with_set_aside",
    "with_setting",
    "with_setting_of_parts",
    "with_setting_of_zone",
    "with_zone",
    "with_zone_at",
    "with_zone_changed",
    "with_zone_in_steps",
    "with_zone_over",
    "without_curve",
    "without_hand",
    "without_knot",
    "without_pin",
    "without_places",
    "without_set_aside",
    "without_settings",
    "without_settings_of_parts",
    "without_settings_of_zone",
    "without_zone",
    "zone_of",
]
