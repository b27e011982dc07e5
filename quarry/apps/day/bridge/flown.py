"""A day as it was flown: its sorties, its swaps, and how it kept to its plan."""

from __future__ import annotations

import math
from typing import Any

from quarry.apps.day.models import DayRun
from quarry.core.day.events import Event, standing
from quarry.core.day.state import DayState, Frame, share_of_whole

Plain = dict[str, Any]


def flown(run: DayRun, frame: Frame, state: DayState, events: list[Event]) -> list[Plain]:
    """Return the sorties that landed, in order of take-off, each with what was planned of it."""
    names = {a["id"]: a["name"] for a in run.frame["aircraft"]}
    who = {str(e.get("flight")): e.who for e in standing(events) if e.kind == "launched"}
    found = []
    for f in state.flights.values():
        if f.word != "landed" or not math.isfinite(f.takeoff_s) or f.landing_s <= f.takeoff_s:
            continue
        facts = run.frame["flights"].get(f.id.rstrip("+"), {})
        route = frame.routes.get(f.id.rstrip("+"))
        planned = state.sorties[f.id]
        packs = list(frame.members.get(f.set, ()))
        found.append(
            {
                "sortie": f.id,
                "key": f.key,
                "takeoff_s": f.takeoff_s,
                "landing_s": f.landing_s,
                "to_frac": f.left_frac if math.isfinite(f.left_frac) else None,
                "aircraft_id": f.aircraft,
                "aircraft": names.get(f.aircraft, ""),
                "packs": packs,
                "pack_ids": [run.frame["pack_ids"][n] for n in packs],
                "pack_c": f.pack_c,
                "job_id": facts.get("job", ""),
                "letter": facts.get("letter", ""),
                "who": who.get(f.id, ""),
                "planned_s": planned.flight_s,
                "planned_frac": planned.energy_frac,
                "hectares": route.area_ha * share_of_whole(state, f.id) * f.done_frac if route else 0.0,
                "work": f.work,
                "what": route.what if route else "",
            }
        )
    return sorted(found, key=lambda x: (x["takeoff_s"], x["sortie"]))


def swaps(run: DayRun, frame: Frame, state: DayState) -> list[float]:
    """Return the time from each landing to the next take-off of the same aircraft over the swap that was entered.

    What took more than two and a half times as long was waiting or lunch, not a swap.
    """
    entered = frame.task.swap_s / float(run.frame.get("swap_times", 1.0) or 1.0)
    found = []
    for craft in {f.aircraft for f in state.flights.values()}:
        mine = sorted(
            (f for f in state.flights.values() if f.aircraft == craft and f.word == "landed"), key=lambda f: f.takeoff_s
        )
        gaps = [(b.takeoff_s - a.landing_s) / entered for a, b in zip(mine[:-1], mine[1:], strict=True)]
        found += [g for g in gaps if 0.0 < g <= 2.5]
    return found


def kept_to(run: DayRun, sorties: list[Plain]) -> Plain:
    """Return how a day kept to its plan: last landing, the one promised for nine days in ten, minutes in the air."""
    by_plan = {f["flight"]: f for f in run.frame["plan"]["flights"]}
    mine = [s for s in sorties if s["sortie"] in by_plan]
    return {
        "planned_finish_s": run.frame["plan"]["makespan_s"],
        "promised_s": run.frame.get("p90_s"),
        "finish_s": max((s["landing_s"] for s in sorties), default=None),
        "planned_sorties": len(by_plan),
        "sorties": len(sorties),
        "planned_air_s": sum(s["planned_s"] for s in mine),
        "air_s": sum(s["landing_s"] - s["takeoff_s"] for s in mine),
    }
