"""Jobs to core records and plans back to plain data in degrees. No rules, no queries of other apps."""

from quarry.apps.jobs.bridge.figures import (
    PLAN_VERSION,
    SORTIE_DEFAULTS,
    WORK_DEFAULTS,
    PlanError,
    Shelf,
    fingerprint,
    ground_of,
    way_m,
    with_defaults,
)
from quarry.apps.jobs.bridge.gives import set_gives
from quarry.apps.jobs.bridge.over_ground import height_at, pack_heights, terrain_grid, terrain_row, terrain_sheet
from quarry.apps.jobs.bridge.plan import homes, plan_job

__all__ = [
    "PLAN_VERSION",
    "SORTIE_DEFAULTS",
    "WORK_DEFAULTS",
    "PlanError",
    "Shelf",
    "fingerprint",
    "ground_of",
    "height_at",
    "homes",
    "pack_heights",
    "plan_job",
    "set_gives",
    "terrain_grid",
    "terrain_row",
    "terrain_sheet",
    "way_m",
    "with_defaults",
]
