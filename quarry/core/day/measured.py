"""The weather as measured on a running day, and when it is due for a job that sprays."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from quarry.core.day.events import Event, standing
from quarry.core.day.state import DayState
from quarry.core.spraying.record import Measure, MeasureDue, measures_due


def measures_of(events: Iterable[Event]) -> list[Measure]:
    """Return every measurement of the weather that stands, in the order of its time; what was read in one moment is one."""
    found: dict[float, Measure] = {}
    for e in standing(events):
        if e.kind != "observed":
            continue
        before = found.get(e.at_s, Measure(e.at_s))
        read = [e.get(name) for name in ("wind_m_s", "gust_m_s", "from_deg", "air_c", "humidity_frac")]
        kept = (before.wind_m_s, before.gust_m_s, before.from_deg, before.air_c, before.humidity_frac)
        wind, gust, from_deg, air, humid = (a if a is not None else b for a, b in zip(read, kept, strict=True))
        found[e.at_s] = Measure(e.at_s, wind, gust, from_deg, air, humid, e.who)
    return sorted(found.values(), key=lambda m: m.at_s)


def flown_spans(state: DayState, sorties: Iterable[str]) -> list[tuple[float, float | None]]:
    """Return from when to when sorties were in the air, with what continues them; None while one is. [s]"""
    names = set(sorties)
    found: list[tuple[float, float | None]] = []
    for f in state.flights.values():
        if f.id.rstrip("+") not in names:
            continue
        if f.word == "airborne":
            found.append((f.takeoff_s, None))
        elif f.word == "landed":
            found.append((f.takeoff_s, f.landing_s))
    return found


def nothing_to_come(state: DayState, sorties: Iterable[str]) -> bool:
    """Return whether none of some sorties, or of what continues them, is in the air or still to fly."""
    names = set(sorties)
    return not any(f.id.rstrip("+") in names and f.word in ("planned", "airborne") for f in state.flights.values())


def weather_due(
    state: DayState, sorties: Sequence[str], measures: Sequence[Measure], now_s: float, *, closing: bool = False
) -> list[MeasureDue]:
    """Return when the weather of a job that sprays is to be measured, and what was; ``closing``: as if no sortie of it were to come."""
    finished = closing or state.closed_s is not None or nothing_to_come(state, sorties)
    return measures_due(flown_spans(state, sorties), finished, measures, now_s)
