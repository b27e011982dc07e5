"""A day as it was flown: its sorties, its swaps, its charges, and how it kept to its plan."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.day.bridge.live import Reading
from quarry.apps.day.models import DayRun
from quarry.core.base.shapes import plain
from quarry.core.day.events import Event, standing
from quarry.core.day.records import DayCharge
from quarry.core.day.state import DayState, Frame, share_of_whole

SCHEMA = 1  # of what is kept with a run; one of another number is made anew from the events
_LONGEST_SWAP = 2.5  # times the swap that was entered; longer was waiting or lunch


@dataclass(frozen=True, slots=True)
class FlownSortie:
    """A sortie that landed, with what was planned of it. Times are seconds from the day's opening."""

    sortie: str
    key: str
    takeoff_s: float
    landing_s: float
    to_frac: float | None
    aircraft_id: str
    aircraft: str
    packs: tuple[str, ...]
    pack_ids: tuple[str, ...]
    pack_c: float | None
    job_id: str
    letter: str
    who: str
    planned_s: float
    planned_frac: float
    hectares: float
    work: float | None
    what: str


@dataclass(frozen=True, slots=True)
class FlownCharge:
    """A charge that ended: the event at its end, the pack, and the power into it. [W]"""

    key: str
    pack: str
    pack_w: float


@dataclass(frozen=True, slots=True)
class FlownDay:
    """What was flown on a day and how it kept to its plan: last landing, the one promised for nine days in ten, time in the air.

    ``swaps``: times from a landing to the next take-off of the same aircraft, in times of the swap that was entered.
    """

    schema: int
    planned_finish_s: float
    promised_s: float | None
    finish_s: float | None
    planned_sorties: int
    planned_air_s: float
    air_s: float
    swaps: tuple[float, ...]
    sorties: tuple[FlownSortie, ...]
    charges: tuple[FlownCharge, ...]


_FLOWN = TypeAdapter(FlownDay)


def flown_day(r: Reading) -> FlownDay:
    """Return what was flown on a day so far."""
    run = r.run
    sorties = _sorties(run, r.frame, r.state, r.events)
    planned = {f["flight"] for f in run.frame["plan"]["flights"]}
    mine = [s for s in sorties if s.sortie in planned]
    return FlownDay(
        SCHEMA,
        run.frame["plan"]["makespan_s"],
        run.frame.get("p90_s"),
        max((s.landing_s for s in sorties), default=None),
        len(planned),
        sum(s.planned_s for s in mine),
        sum(s.landing_s - s.takeoff_s for s in mine),
        tuple(_swaps(run, r.frame, r.state)),
        tuple(sorties),
        tuple(FlownCharge(c.key, c.pack, c.pack_w) for c in r.records if isinstance(c, DayCharge)),
    )


def flown_plain(day: FlownDay) -> Any:
    """Return what was flown as it is kept with its run."""
    return plain(day)


def flown_from(kept: Any) -> FlownDay | None:
    """Return what is kept with a run; None where nothing is, or where another version kept it."""
    if not kept or kept.get("schema") != SCHEMA:
        return None
    return _FLOWN.validate_python(kept)


def _sorties(run: DayRun, frame: Frame, state: DayState, events: list[Event]) -> list[FlownSortie]:
    """Return the sorties that landed, in order of take-off."""
    names = {a["id"]: a["name"] for a in run.frame["aircraft"]}
    who = {str(e.get("flight")): e.who for e in standing(events) if e.kind == "launched"}
    found = []
    for f in state.flights.values():
        if f.word != "landed" or not math.isfinite(f.takeoff_s) or f.landing_s <= f.takeoff_s:
            continue
        facts = run.frame["flights"].get(f.id.rstrip("+"), {})
        route = frame.routes.get(f.id.rstrip("+"))
        planned = state.sorties[f.id]
        packs = frame.members.get(f.set, ())
        found.append(
            FlownSortie(
                f.id,
                f.key,
                f.takeoff_s,
                f.landing_s,
                f.left_frac if math.isfinite(f.left_frac) else None,
                f.aircraft,
                names.get(f.aircraft, ""),
                packs,
                tuple(run.frame["pack_ids"][n] for n in packs),
                f.pack_c,
                facts.get("job", ""),
                facts.get("letter", ""),
                who.get(f.id, ""),
                planned.flight_s,
                planned.energy_frac,
                route.area_ha * share_of_whole(state, f.id) * f.done_frac if route else 0.0,
                f.work,
                route.what if route else "",
            )
        )
    return sorted(found, key=lambda s: (s.takeoff_s, s.sortie))


def _swaps(run: DayRun, frame: Frame, state: DayState) -> list[float]:
    entered = frame.task.swap_s / float(run.frame.get("swap_times", 1.0) or 1.0)
    found = []
    for craft in {f.aircraft for f in state.flights.values()}:
        mine = sorted(
            (f for f in state.flights.values() if f.aircraft == craft and f.word == "landed"), key=lambda f: f.takeoff_s
        )
        gaps = [(b.takeoff_s - a.landing_s) / entered for a, b in zip(mine[:-1], mine[1:], strict=True)]
        found += [g for g in gaps if 0.0 < g <= _LONGEST_SWAP]
    return found
