"""Days to the core's rotation and back to plain data."""

from quarry.apps.day.bridge.course import course_told
from quarry.apps.day.bridge.facts import changes, facts_of
from quarry.apps.day.bridge.flown import flown, kept_to, swaps
from quarry.apps.day.bridge.lists import packing_list
from quarry.apps.day.bridge.live import (
    LONG_PLAYS,
    PORT,
    TURNING,
    EventRefused,
    check,
    event_of,
    frame_of,
    frozen,
    kept_plan,
    planned,
    records_of,
    state_of,
    summary,
    told,
)
from quarry.apps.day.bridge.pins import SCHOOLS, check_pins, check_schools, pin_words
from quarry.apps.day.bridge.plan import Gate, Known, PlanError, Roster, fingerprint, first_plan, roster, rotation_from, seconds
from quarry.apps.day.bridge.rehearsal import better_answers, check_fault, faults_told, memory_of, rehearsal_told, step, world_of
from quarry.apps.day.bridge.search import better_plan, with_insight

__all__ = [
    "EventRefused",
    "LONG_PLAYS",
    "PORT",
    "TURNING",
    "check",
    "event_of",
    "frame_of",
    "frozen",
    "kept_plan",
    "planned",
    "records_of",
    "state_of",
    "summary",
    "told",
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
    "flown",
    "kept_to",
    "packing_list",
    "pin_words",
    "roster",
    "rotation_from",
    "seconds",
    "swaps",
    "with_insight",
]
