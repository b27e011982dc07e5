"""Jobs to core records, and plans back to what screens show, in degrees. No rules, no queries of other apps."""

from quarry.apps.jobs.mappers.control import control_view, proposed_control
from quarry.apps.jobs.mappers.dose_map import dose_strips
from quarry.apps.jobs.mappers.homes import areas_by_home
from quarry.apps.jobs.mappers.light import sun_of
from quarry.apps.jobs.mappers.over_ground import DRAWING, height_at, pack_heights, terrain_grid, terrain_row, terrain_view
from quarry.apps.jobs.mappers.overlap import overlap_of, remedies_of
from quarry.apps.jobs.mappers.places import place_from
from quarry.apps.jobs.mappers.plan import compare_homes, plan_job
from quarry.apps.jobs.mappers.routes import rest_of, sortie_route
from quarry.apps.jobs.mappers.strips import strips_of
from quarry.apps.jobs.mappers.usable import Flights, flights_of, usable_sets, ways_m_s
from quarry.apps.jobs.mappers.work import (
    PLAN_VERSION,
    PlanError,
    Shelf,
    area_ha,
    blown_towards,
    fingerprint,
    ground_of,
    stops_of,
    way_m,
)
from quarry.core.ground.take_off import home_for
from quarry.core.sorties.waypoints import SortieRoute
from quarry.core.spraying.kept_clear import KeptClear

__all__ = [
    "DRAWING",
    "PLAN_VERSION",
    "Flights",
    "flights_of",
    "KeptClear",
    "PlanError",
    "blown_towards",
    "stops_of",
    "strips_of",
    "Shelf",
    "SortieRoute",
    "area_ha",
    "areas_by_home",
    "compare_homes",
    "control_view",
    "dose_strips",
    "fingerprint",
    "ground_of",
    "height_at",
    "home_for",
    "overlap_of",
    "pack_heights",
    "place_from",
    "proposed_control",
    "plan_job",
    "remedies_of",
    "rest_of",
    "sortie_route",
    "sun_of",
    "terrain_grid",
    "terrain_row",
    "terrain_view",
    "usable_sets",
    "ways_m_s",
    "way_m",
]
