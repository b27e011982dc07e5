"""Days to the core's rotation and back to plain data."""

from quarry.apps.day.bridge.course import course_told
from quarry.apps.day.bridge.facts import changes, facts_of
from quarry.apps.day.bridge.flown import FlownDay, FlownSortie, flown_day, flown_from, flown_plain
from quarry.apps.day.bridge.live import (
    PORT,
    EventRefused,
    Reading,
    check,
    event_of,
    frame_of,
    frozen,
    kept_plan,
    planned,
    read_run,
    record_figures,
    state_of,
    summary,
    told,
)
from quarry.apps.day.bridge.packing import packing_list
from quarry.apps.day.bridge.pins import SCHOOLS, check_pins, check_schools, pin_words, seconds
from quarry.apps.day.bridge.plan import (
    Gate,
    Known,
    PlanError,
    Roster,
    fingerprint,
    first_plan,
    gate_of,
    keep,
    plan_from,
    roster,
    rotation_from,
)
from quarry.apps.day.bridge.rehearsal import better_answers, check_fault, faults_told, memory_of, rehearsal_told, step, world_of
from quarry.apps.day.bridge.search import better_plan, with_insight
from quarry.apps.day.views import PlanOfDay
from quarry.core.day.records import DayCharge, DayFlight
from quarry.core.day.replan import Replanned
from quarry.core.day.triggers import BEGINS_EARLY_S, LONG_PLAYS, turns_over
from quarry.core.defaults import BENCH, ELEVATION, PACK_START, REST_AFTER_CHARGE, REST_AFTER_FLIGHT, SWAP

DAY_DEFAULTS = (SWAP, REST_AFTER_FLIGHT, REST_AFTER_CHARGE, ELEVATION, BENCH)
START_FRAC = PACK_START.value

__all__ = [
    "DAY_DEFAULTS",
    "START_FRAC",
    "EventRefused",
    "PORT",
    "check",
    "event_of",
    "frame_of",
    "frozen",
    "kept_plan",
    "planned",
    "state_of",
    "summary",
    "told",
    "turns_over",
    "LONG_PLAYS",
    "BEGINS_EARLY_S",
    "Reading",
    "read_run",
    "record_figures",
    "FlownSortie",
    "Replanned",
    "DayCharge",
    "DayFlight",
    "better_answers",
    "course_told",
    "check_fault",
    "faults_told",
    "memory_of",
    "rehearsal_told",
    "step",
    "world_of",
    "SCHOOLS",
    "Gate",
    "Known",
    "PlanError",
    "Roster",
    "better_plan",
    "changes",
    "check_pins",
    "check_schools",
    "facts_of",
    "fingerprint",
    "first_plan",
    "FlownDay",
    "flown_day",
    "flown_from",
    "flown_plain",
    "packing_list",
    "pin_words",
    "roster",
    "keep",
    "plan_from",
    "gate_of",
    "PlanOfDay",
    "rotation_from",
    "seconds",
    "with_insight",
]
