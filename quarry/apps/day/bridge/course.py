"""The course of a running day as plain data, in the shape in which a planned day is drawn."""

from __future__ import annotations

from typing import Any

from quarry.apps.day.bridge.live import Reading, rotation_of
from quarry.core.base.shapes import plain
from quarry.core.day.course import course
from quarry.core.day.replan import Replanned
from quarry.core.day.state import DayState
from quarry.core.rotation.timeline import Bed


def course_told(r: Reading, had: Replanned) -> dict[str, Any]:
    """Return what happened and what is planned from now on: sorties, packs, load; and the sorties as first planned."""
    frame, state, events, now_s, kept = r.frame, r.state, r.events, r.now_s, r.run.frame
    first = rotation_of(kept["plan"])
    ahead = list(had.plan.flights) if had.plan else []
    ends = [w[1] for w in frame.task.windows or ()] + [first.makespan_s, now_s, *(f.landing_s for f in ahead)]
    length = max(ends)
    done = [f for f in state.flights.values() if f.word in ("airborne", "landed")]
    flights = [
        _flight(kept, f.id, f.aircraft, f.set, f.takeoff_s, f.landing_s if f.word == "landed" else _lands(state, f.id, now_s))
        | {"happened": True}
        for f in done
    ]
    flights += [_flight(kept, f.flight, f.aircraft, f.set, f.takeoff_s, f.landing_s) | {"happened": False} for f in ahead]
    for told in flights:
        left = state.flights[told["flight"]].left_frac
        told["landing_frac"] = left if left == left else told["landing_frac"]  # noqa: PLR0124 - not yet read
    drawn = course(frame, events, had, now_s, length)
    return {
        "now_s": now_s,
        "length_s": length,
        "windows": [list(w) for w in frame.task.windows or ()],
        "finish_s": max([f["landing_s"] for f in flights], default=now_s),
        "flights": flights,
        "ghosts": [plain(f) for f in first.flights],
        "waits": [plain(w) for w in had.plan.waits] if had.plan else [],
        "aircraft": kept["aircraft"],
        "gates": kept["gates"],
        "can_give_w": frame.task.site_power_w,
        "load": [[round(t), round(w, 1)] for t, w in drawn.load],
        "packs": [
            {
                "id": kept["pack_ids"][p.name],
                "name": p.name,
                "set": p.set,
                "mates": "",
                "grounded": "",
                "why": p.why,
                "beds": [_bed(b, True) for b in p.past] + [_bed(b, False) for b in p.ahead],
            }
            for p in drawn.packs
        ],
    }


def _lands(state: DayState, name: str, now_s: float) -> float:
    return max(now_s, state.flights[name].takeoff_s + state.sorties[name].flight_s)


def _flight(kept: dict[str, Any], name: str, aircraft: str, on: str, up_s: float, down_s: float) -> dict[str, Any]:
    facts = kept["flights"].get(name.rstrip("+"), {})
    return {k: facts.get(k) for k in ("job", "letter", "number", "landing_frac")} | {
        "flight": name,
        "aircraft": aircraft,
        "set": on,
        "takeoff_s": up_s,
        "landing_s": down_s,
    }


def _bed(b: Bed, happened: bool) -> dict[str, Any]:
    return {
        "state": b.state,
        "start_s": b.start_s,
        "end_s": b.end_s,
        "label": b.label,
        "curve": [[round(t, 1), round(f, 4)] for t, f in b.curve],
        "c": None,
        "happened": happened,
    }
