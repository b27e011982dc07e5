"""A day as it was flown: its sorties, its swaps, its charges, and how it kept to its plan."""

from __future__ import annotations

import math

from quarry.apps.day.mappers.live import Reading
from quarry.apps.day.repository import FLOWN_SCHEMA, FlownCharge, FlownDay, FlownSortie, RunFrame
from quarry.core.day.events import Event, standing
from quarry.core.day.records import DayCharge
from quarry.core.day.state import DayState, Frame, share_of_whole

_LONGEST_SWAP = 2.5  # times the swap that was entered; longer was waiting or lunch


def flown_day(r: Reading) -> FlownDay:
    """Return what was flown on a day so far."""
    kept = r.kept
    sorties = _sorties(kept, r.frame, r.state, r.events)
    planned = {f.flight for f in kept.plan.flights}
    mine = [s for s in sorties if s.sortie in planned]
    return FlownDay(
        FLOWN_SCHEMA,
        kept.plan.makespan_s,
        kept.p90_s,
        max((s.landing_s for s in sorties), default=None),
        len(planned),
        sum(s.planned_s for s in mine),
        sum(s.landing_s - s.takeoff_s for s in mine),
        tuple(_swaps(kept, r.frame, r.state)),
        tuple(sorties),
        tuple(FlownCharge(c.key, c.pack, c.pack_w) for c in r.records if isinstance(c, DayCharge)),
    )


def _sorties(kept: RunFrame, frame: Frame, state: DayState, events: list[Event]) -> list[FlownSortie]:
    """Return the sorties that landed, in order of take-off."""
    who = {str(e.get("flight")): e.who for e in standing(events) if e.kind == "launched"}
    found = []
    for f in state.flights.values():
        if f.word != "landed" or not math.isfinite(f.takeoff_s) or f.landing_s <= f.takeoff_s:
            continue
        facts = kept.facts(f.id)
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
                kept.aircraft_name(f.aircraft),
                packs,
                tuple(kept.pack_ids[n] for n in packs),
                f.pack_c,
                facts.job if facts else "",
                facts.letter if facts else "",
                who.get(f.id, ""),
                planned.flight_s,
                planned.energy_frac,
                route.area_ha * share_of_whole(state, f.id) * f.done_frac if route else 0.0,
                f.work,
                route.what if route else "",
            )
        )
    return sorted(found, key=lambda s: (s.takeoff_s, s.sortie))


def _swaps(kept: RunFrame, frame: Frame, state: DayState) -> list[float]:
    entered = frame.task.swap_s / (kept.swap_times or 1.0)
    found = []
    for craft in {f.aircraft for f in state.flights.values()}:
        mine = sorted(
            (f for f in state.flights.values() if f.aircraft == craft and f.word == "landed"), key=lambda f: f.takeoff_s
        )
        gaps = [(b.takeoff_s - a.landing_s) / entered for a, b in zip(mine[:-1], mine[1:], strict=True)]
        found += [g for g in gaps if 0.0 < g <= _LONGEST_SWAP]
    return found
