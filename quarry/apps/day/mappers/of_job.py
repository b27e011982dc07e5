"""What a day flew of one job: its sorties that landed, which part of its route each flew, and the routes as they were planned."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from quarry.apps.day.mappers.live import Reading
from quarry.apps.day.models import Day, LandedSortie
from quarry.core.day.state import share_of_whole
from quarry.core.dayplan.inputs import Route


@dataclass(frozen=True, slots=True)
class SortieOfJob:
    """A sortie that landed: when, and which part of its route it flew, from ``from_frac`` to ``to_frac`` of its lines' length."""

    day: Day
    sortie: str
    took_off_at: datetime
    landed_at: datetime
    from_frac: float
    to_frac: float
    route: Route | None
    aircraft: str
    packs: list[str]
    who: str
    air_c: float | None


@dataclass(frozen=True, slots=True)
class FlownOfJob:
    """What was flown of a job on one day, and the routes of all its sorties; ``over``: nothing of it is still to fly."""

    day: Day
    sorties: list[SortieOfJob]
    routes: dict[str, Route]
    over: bool


def flown_of_job(r: Reading, job_id: str, landed: Iterable[LandedSortie]) -> FlownOfJob:
    """Return what a day flew of a job."""
    state, rows = r.state, {row.sortie: row for row in landed}
    mine = {name for name, f in r.kept.flights.items() if f.job == job_id}
    still = any(f.id.rstrip("+") in mine and f.word in ("planned", "airborne") for f in state.flights.values())
    sorties = []
    for f in state.flights.values():
        row = rows.get(f.id)
        if row is None:
            continue
        part = share_of_whole(state, f.id)
        sorties.append(
            SortieOfJob(
                r.run.day,
                f.id,
                row.took_off_at,
                row.took_off_at + timedelta(seconds=row.landing_s - row.takeoff_s),
                1.0 - part,
                1.0 - part + part * f.done_frac,
                r.kept.routes.get(f.id.rstrip("+")),
                row.aircraft_name,
                list(row.packs),
                row.who,
                row.air_c,
            )
        )
    routes = {name: route for name, route in r.kept.routes.items() if name in mine}
    return FlownOfJob(r.run.day, sorted(sorties, key=lambda s: s.took_off_at), routes, not still)
