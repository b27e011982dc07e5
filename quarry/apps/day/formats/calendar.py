"""A day as iCalendar: flights and windows as events, calls as events of a minute with an alarm."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from quarry.apps.day.formats.calls import at, call_words, names_of
from quarry.apps.day.views.plan import PlanOfDay


def calendar(day_id: str, name: str, opens: datetime, made_at: datetime, plan: PlanOfDay, number: int) -> bytes:
    """Return the plan as iCalendar (RFC 5545)."""
    from icalendar import Alarm, Calendar, Event

    cal = Calendar()
    cal.add("prodid", "-//Gentle Quarry//day//EN")
    cal.add("version", "2.0")
    cal.add("x-wr-calname", name)
    aircraft = names_of(plan)

    def event(key: str, words: str, start: datetime, end: datetime, more: str = "") -> Any:
        e = Event()
        e.add("uid", f"{key}.{number}.{day_id}@gentle-quarry")
        e.add("dtstamp", made_at)
        e.add("summary", words)
        e.add("dtstart", start)
        e.add("dtend", end)
        if more:
            e.add("description", more)
        cal.add_component(e)
        return e

    for k, (a, b) in enumerate(plan.windows):
        event(f"window-{k}", f"Hours to fly: {name}", at(opens, a), at(opens, b))
    for f in plan.flights:
        words = f"{f.flight} {aircraft.get(f.aircraft, '')} on {f.set}"
        event(f"flight-{f.flight}", words, at(opens, f.takeoff_s), at(opens, f.landing_s))
    for k, c in enumerate(plan.calls):
        start = at(opens, c.at_s)
        e = event(f"call-{k}", call_words(c, aircraft), start, start + timedelta(minutes=1))
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", call_words(c, aircraft))
        alarm.add("trigger", timedelta(0))
        e.add_component(alarm)
    return bytes(cal.to_ical())
