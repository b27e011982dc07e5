"""Days to the core's records, and what the core answers to what screens show."""

from quarry.apps.day.mappers.course import to_course
from quarry.apps.day.mappers.flown import flown_day, landed_sorties, looks_of, record_keys, told_by
from quarry.apps.day.mappers.inputs import DayPolicy, PlannedJob, card_need, day_inputs, gate_of
from quarry.apps.day.mappers.live import (
    PORT,
    DayHead,
    EventRefused,
    FleetNow,
    Reading,
    cells_of,
    check,
    current_json,
    event_of,
    fleet_now,
    frozen,
    hold_s,
    joined,
    known_on_day,
    least_v,
    planned,
    read_run,
    recent_json,
    record_figures,
    sprayed_by,
    state_of,
    to_live,
    to_summary,
)
from quarry.apps.day.mappers.of_job import FlownOfJob, SortieOfJob, flown_of_job
from quarry.apps.day.mappers.plan import PlanError, Roster, fingerprint, first_plan, to_plan
from quarry.apps.day.mappers.rehearsal import better_answers, fault_kinds, fault_of, memory_of, play, to_rehearsal, world_of
from quarry.apps.day.mappers.search import better_plan, with_insight
from quarry.core.day.events import Event, standing
from quarry.core.day.records import DayCharge, DayFlight
from quarry.core.day.replan import Replanned
from quarry.core.day.triggers import BEGINS_EARLY_S, LONG_PLAYS, SEARCH_S, turns_over
from quarry.core.dayplan.differences import HourWord, PlanInput, changes, plan_inputs
from quarry.core.dayplan.packing_list import packing_list
from quarry.core.dayplan.task import day_task
from quarry.core.defaults import BENCH, ELEVATION, PACK_START, REST_AFTER_CHARGE, REST_AFTER_FLIGHT, SWAP

DAY_DEFAULTS = (SWAP, REST_AFTER_FLIGHT, REST_AFTER_CHARGE, ELEVATION, BENCH)
START_FRAC = PACK_START.value

__all__ = [
    "BEGINS_EARLY_S",
    "DAY_DEFAULTS",
    "LONG_PLAYS",
    "PORT",
    "SEARCH_S",
    "START_FRAC",
    "DayCharge",
    "DayFlight",
    "DayHead",
    "Event",
    "FleetNow",
    "FlownOfJob",
    "SortieOfJob",
    "flown_of_job",
    "joined",
    "EventRefused",
    "HourWord",
    "PlanError",
    "PlanInput",
    "PlannedJob",
    "Reading",
    "Replanned",
    "Roster",
    "better_answers",
    "better_plan",
    "cells_of",
    "changes",
    "check",
    "current_json",
    "DayPolicy",
    "day_inputs",
    "day_task",
    "event_of",
    "fault_kinds",
    "fault_of",
    "fingerprint",
    "first_plan",
    "fleet_now",
    "flown_day",
    "frozen",
    "card_need",
    "gate_of",
    "hold_s",
    "known_on_day",
    "landed_sorties",
    "least_v",
    "looks_of",
    "memory_of",
    "packing_list",
    "plan_inputs",
    "planned",
    "play",
    "read_run",
    "sprayed_by",
    "standing",
    "recent_json",
    "record_figures",
    "record_keys",
    "state_of",
    "to_course",
    "to_live",
    "to_plan",
    "to_rehearsal",
    "to_summary",
    "told_by",
    "turns_over",
    "with_insight",
    "world_of",
]
