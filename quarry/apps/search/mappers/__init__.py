"""Searches to the core's shares, reports and effort, and back to what screens show."""

from quarry.apps.jobs.mappers import Flights, terrain_grid
from quarry.apps.search.mappers.effort import (
    SWAP_S,
    Asked,
    Flyer,
    asked_of,
    first_light,
    light_notes,
    lit_frac,
    next_out,
    night_notes,
)
from quarry.apps.search.mappers.reporting import checked_report, report_out
from quarry.apps.search.mappers.standing import (
    SearchError,
    SearchGround,
    StandingOf,
    check_clue,
    check_figures,
    ground_of,
    parts_of,
    segments_out,
    share_of,
    standing_of,
    width_of,
)
from quarry.apps.search.mappers.template import FirstPattern, first_figures, job_figures, net_fields, parted_fields
from quarry.apps.search.mappers.trials import kind_table, trial_of
from quarry.core.ground.coordinates import written
from quarry.core.ground.search import detection_frac
from quarry.core.ground.terrain import TerrainGrid
from quarry.core.search.assumed_widths import assumed_width_m
from quarry.core.search.next_sorties import Choices, choices

__all__ = [
    "SWAP_S",
    "light_notes",
    "lit_frac",
    "Asked",
    "Flights",
    "TerrainGrid",
    "assumed_width_m",
    "check_clue",
    "check_figures",
    "share_of",
    "terrain_grid",
    "Choices",
    "FirstPattern",
    "Flyer",
    "SearchError",
    "SearchGround",
    "StandingOf",
    "asked_of",
    "checked_report",
    "choices",
    "detection_frac",
    "first_figures",
    "first_light",
    "ground_of",
    "job_figures",
    "kind_table",
    "net_fields",
    "next_out",
    "night_notes",
    "parted_fields",
    "parts_of",
    "report_out",
    "segments_out",
    "standing_of",
    "trial_of",
    "width_of",
    "written",
]
