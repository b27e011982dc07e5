"""Time limits of people: how long a day may be, and how long anybody works without a break."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.base.settings import Setting
from quarry.core.base.sources import PRACTICE, WORKING_TIME

_H = 3600.0


@dataclass(frozen=True, slots=True)
class PeopleLimits:
    """The longest day from opening to the last landing, the longest spell without a break, and what counts as one."""

    day_h: float = 10.0
    spell_h: float = 6.0
    break_min: float = 15.0


_L = PeopleLimits()
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "people.day_h",
        "People",
        "Longest day, first task to last landing",
        _L.day_h,
        "tired people miss calls; driving and packing come on top. Eleven hours of rest in each day are law in one place",
        "h",
        low=2.0,
        high=16.0,
        source=PRACTICE,
    ),
    Setting(
        "people.spell_h",
        "People",
        "Longest spell without a break",
        _L.spell_h,
        "a break is law in one place when a day is longer than six hours; yours may ask for more",
        "h",
        low=1.0,
        high=12.0,
        source=WORKING_TIME,
    ),
    Setting(
        "people.break_min",
        "People",
        "What counts as a break",
        _L.break_min,
        "long enough to sit and eat, with nothing in the air",
        "min",
        low=5.0,
        high=120.0,
        source=PRACTICE,
    ),
)
Spans = tuple[tuple[float, float], ...]


def within(windows: Spans, limits: PeopleLimits | None = None, begins_s: float = 0.0) -> Spans:
    """Return the windows of a day as far as people's longest day reaches from their first task; times from the day's opening. [s]"""
    last = begins_s + (limits or _L).day_h * _H
    return tuple((a, min(b, last)) for a, b in windows if a < last)


def long_spells(spells: Sequence[tuple[float, float]], limits: PeopleLimits | None = None) -> Spans:
    """Return the stretches of work, as from a first launch to a landing, that are longer than anybody should go on.

    ``spells`` are the flights of the day as (from, to); what lies between two of them counts as a break from
    ``break_min`` on. [s]
    """
    known = limits or _L
    found: list[tuple[float, float]] = []
    begin = end = None
    for a, b in [*sorted(spells), (float("inf"), float("inf"))]:
        if end is None or begin is None:
            begin, end = a, b
        elif a - end >= known.break_min * 60.0:
            if end - begin > known.spell_h * _H:
                found.append((begin, end))
            begin, end = a, b
        else:
            end = max(end, b)
    return tuple(found)
