"""Calls in words, as on the screen and on paper."""

from __future__ import annotations

from datetime import datetime

from quarry.apps.day.fields import later
from quarry.apps.day.views.plan import CallOut, PlanOfDay
from quarry.apps.printed import isolated


def call_words(c: CallOut, aircraft: dict[str, str]) -> str:
    """Return one call in words."""
    name, member, packs = (isolated(n) for n in (aircraft.get(c.aircraft, ""), c.member, c.set))
    return {
        "on_port": f"{member} on port {c.port}",
        "off_port": f"{member} off port {c.port}",
        "fit": f"{packs} into {name}",
        "launch": f"Launch {c.flight}, {name}",
        "turn_back": f"Turn back {c.flight}, latest",
        "land": f"{c.flight} lands, {packs} to rest",
        "refuel": f"Refuel {packs}: off, cool, fill",
    }[c.kind]


def names_of(plan: PlanOfDay) -> dict[str, str]:
    """Return aircraft by id."""
    return {a.id: a.name for a in plan.aircraft}


def at(opens: datetime, seconds: float) -> datetime:
    """Return the moment of a time of the plan."""
    return later(opens, round(seconds))
