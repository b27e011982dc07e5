"""A running day: frozen plan and events to the core's state, plan, calls and alerts, and back to plain data."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.day.bridge.plan import Roster
from quarry.apps.day.models import DayEvent, DayRun, DayTelemetry
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.day.alerts import Bounds, Telemetry, Watch, alerts_of, load_now_w, planned_work
from quarry.core.day.calls import DayCall, calls_from
from quarry.core.day.debrief import debrief
from quarry.core.day.events import Event, check_event, standing
from quarry.core.day.remainder import frac_now
from quarry.core.day.replan import Replanned, replan
from quarry.core.day.resume import resume_at
from quarry.core.day.state import DayState, Frame, Route, charge_now, fold, share_of_whole
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.people import PeopleLimits

EventRefused = CoreError
_TASK = TypeAdapter(RotationTask)
_ROTATION = TypeAdapter(Rotation)
_ROUTE = TypeAdapter(Route)
_PEOPLE = TypeAdapter(PeopleLimits)
_GUST_FRESH_S = 1800.0
_PORT_FRESH_S = 180.0
PORT = "port "
LONG_PLAYS = 400  # how often the worker plays the rest of a day, while the crew already goes by the first answer
# What may turn a plan over; what only moves its times is followed.
TURNING = {
    "landed",
    "tested",
    "pack_out",
    "pack_back",
    "port_dead",
    "port_back",
    "power_out",
    "power_back",
    "hold",
    "gate",
    "dropped",
    "undo",
    "answer",
}


def frozen(r: Roster, plan: dict[str, Any], to_test: list[str]) -> dict[str, Any]:
    """Return everything of a plan that a running day goes by, as plain data.

    ``to_test``: names of packs that the care list wants tried under load.
    """
    mine = {m.pack.name for members in r.members.values() for m in members}
    return {
        "task": plain(r.task),
        "members": {s: [m.pack.name for m in members] for s, members in r.members.items()},
        "pack_ids": {m.pack.name: str(m.pack_id) for members in r.members.values() for m in members},
        "planned_set": {f["flight"]: f["set"] for f in plan["flights"]},
        "fixed_s": {f: facts["fixed_s"] for f, facts in r.flights.items()},
        "turn_backs_s": {k: v for k, v in r.turn_backs_s.items() if math.isfinite(v)},
        "flights": r.flights,
        "aircraft": r.aircraft,
        "gates": plan["gates"],
        "plan": plan["rotation"],
        "air_c": r.supply.get("air_c"),
        "routes": r.routes,
        "to_test": [n for n in to_test if n in mine],
        "refuel_s": {s["name"]: s["refuel_s"] for s in plan["supply"]["each"] if s.get("refuel_s")},
        "people": plain(r.known.limits),
        "p90_s": (plan.get("chance") or {}).get("p90_s"),
        "swap_times": r.known.swap.get("factor", 1.0),
        "fallbacks": {g["letter"]: g["fallbacks"] for g in plan["gates"]},
    }


def frame_of(run: DayRun) -> Frame:
    """Return the core's frame of a running day."""
    kept = run.frame
    return Frame(
        _TASK.validate_python(kept["task"]),
        {s: tuple(names) for s, names in kept["members"].items()},
        kept["planned_set"],
        kept["fixed_s"],
        {name: _ROUTE.validate_python(told) for name, told in kept.get("routes", {}).items()},
        tuple(kept.get("to_test", ())),
        {name: tuple(times) for name, times in kept.get("refuel_s", {}).items()},
        preflight=True,
    )


def rotation_of(kept: dict[str, Any]) -> Rotation:
    """Return a kept schedule as the core's."""
    return _ROTATION.validate_python(kept)


def event_of(row: DayEvent, opens_s: float) -> Event:
    """Return an event with its time from the day's opening; ``opens_s`` is the opening as a timestamp."""
    return Event(row.key, row.kind, row.at.timestamp() - opens_s, row.by.full_name or row.by.username, row.figures)


def check(key: str, kind: str, figures: dict[str, Any]) -> None:
    """Raise `EventRefused` at the figure that cannot be."""
    check_event(Event(key, kind, 0.0, "", figures))


def state_of(frame: Frame, events: Iterable[Event]) -> DayState:
    """Return the state of a running day."""
    return fold(frame, events)


def planned(run: DayRun, frame: Frame, state: DayState, now_s: float, *, anew: bool, plays: int | None = None) -> Replanned:
    """Return the plan from now on: the kept one at its true times, or, where asked for or needed, another."""
    return replan(frame, state, rotation_of(run.current), now_s, anew=anew, plays=plays)


def kept_plan(had: Replanned, before: dict[str, Any]) -> dict[str, Any]:
    """Return what is kept of a plan: what has begun or is flown stays in it, so that the whole day can be drawn."""
    if had.plan is None:
        return before
    ahead = plain(had.plan)
    names = {f["flight"] for f in ahead["flights"]}
    past = [f for f in before["flights"] if f["flight"] not in names and f["flight"] not in had.left_out]
    return ahead | {"flights": [*past, *ahead["flights"]]}


def told(
    run: DayRun,
    frame: Frame,
    state: DayState,
    had: Replanned,
    now_s: float,
    telemetry: list[DayTelemetry],
    events: list[Event],
    opens_s: float,
    watch: Watch,
) -> dict[str, Any]:
    """Return a running day as a screen shows it."""
    kept = run.frame
    calls = calls_from(frame, state, had.task, had.plan, now_s, kept["turn_backs_s"], kept["air_c"])
    air = tuple(
        Telemetry(**({"flight": t.flight, "at_s": t.at.timestamp() - opens_s} | t.figures))
        for t in telemetry
        if not t.flight.startswith(PORT)
    )
    read = {t.flight.removeprefix(PORT): t for t in telemetry if t.flight.startswith(PORT)}
    gust = gust_now(kept, events, now_s)
    alerts = alerts_of(
        frame, state, now_s, turn_backs_s=kept["turn_backs_s"], telemetry=air, bounds=_bounds(kept), gust=gust, watch=watch
    )
    letters = {a["id"]: a["name"] for a in kept["aircraft"]}
    return {
        "now_s": now_s,
        "revision": run.revision,
        "plan_number": run.plan_number,
        "planned_at_s": run.planned_at_s,
        "finish_s": max(
            [f.landing_s for f in state.flights.values() if f.word == "landed"] + [had.plan.makespan_s if had.plan else 0.0]
        ),
        "planned_finish_s": kept["plan"]["makespan_s"],
        "problem": had.problem,
        "changes": run.changes[-12:],
        "calls": [_call(c, letters) for c in calls[:40]],
        "alerts": [plain(a) for a in alerts],
        "flights": [_flight(frame, kept, state, name, now_s) for name in state.flights],
        "packs": [{"id": kept["pack_ids"][name]} | _pack(frame, state, name, now_s) for name in sorted(state.packs)],
        "ports": _ports(frame, state, now_s, read, opens_s),
        "aircraft": kept["aircraft"],
        "gates": kept["gates"],
        "gust": list(gust) if gust else None,
        "gate_closed_until_s": None if state.gate_closed_until_s <= now_s else _finite(state.gate_closed_until_s, 9e6),
        "gate_words": state.gate_words,
        "hold_until_s": state.hold_until_s if state.hold_until_s > now_s else None,
        "power_out": state.power_out_s is not None,
        "load_w": load_now_w(frame, state),
        "can_give_w": frame.task.site_power_w,
        "questions": [plain(q) for q in state.questions],
        "oddities": state.oddities,
        "telemetry": [plain(t) for t in air],
        "closed": state.closed_s is not None,
        "events": len(events),
        "fallbacks": kept["fallbacks"],
    }


def gust_now(kept: dict[str, Any], events: list[Event], now_s: float) -> tuple[float, float] | None:
    """Return the gust that was measured last, if it is fresh, and the strictest limit of the day's jobs."""
    limits = [g["limit_m_s"] for g in kept["gates"] if g["limit_m_s"] is not None]
    seen = [
        e
        for e in standing(events)
        if e.kind == "observed" and e.get("gust_m_s") is not None and 0 <= now_s - e.at_s <= _GUST_FRESH_S
    ]
    if not limits or not seen:
        return None
    return float(max(seen, key=lambda e: e.at_s).get("gust_m_s")), min(limits)


def _bounds(kept: dict[str, Any]) -> Bounds:
    """Return the reserve that every sortie of the day keeps at the least, and the highest floor of a cell among its packs."""
    facts = kept["flights"].values()
    return Bounds(
        min(f["reserve_frac"] for f in facts),
        max(f["floor_v"] for f in facts),
        people=_PEOPLE.validate_python(kept.get("people", {})),
        air_c=kept["air_c"],
    )


def _finite(value: float, instead: float) -> float:
    return value if math.isfinite(value) else instead


def _call(c: DayCall, letters: dict[str, str]) -> dict[str, Any]:
    return plain(c) | {"aircraft_name": letters.get(c.aircraft, "")}


def _flight(frame: Frame, kept: dict[str, Any], state: DayState, name: str, now_s: float) -> dict[str, Any]:
    f = state.flights[name]
    route = frame.routes.get(name.rstrip("+"))
    done = _done_by(frame, state, name, now_s)
    # The place on the whole sortie: what was done before this part of it, and this part as far as it came.
    mine = share_of_whole(state, name)
    point = resume_at(route, 1.0 - mine + mine * done) if route and done is not None else None
    facts = kept["flights"].get(name.rstrip("+"), {})
    times = {k: getattr(f, k) if math.isfinite(getattr(f, k)) else None for k in ("takeoff_s", "landing_s", "left_frac")}
    return {
        "id": f.id,
        "aircraft": f.aircraft,
        "word": f.word,
        "set": f.set,
        **times,
        "lowest_v": f.lowest_v,
        "pack_c": f.pack_c,
        "done_frac": f.done_frac,
        "resume": f.resume,
        "job": facts.get("job", ""),
        "letter": facts.get("letter", ""),
        "key": f.key,
        "length_s": state.sorties[name].flight_s,
        "expected_frac": _expected(frame, state, name),
        "done_by_now": round(done, 3) if done is not None else None,
        "resume_words": point.words() if point else "",
        "work": f.work,
        "planned_work": round(planned_work(frame, state, name), 1),
        "work_what": route.what if route else "",
    }


def _done_by(frame: Frame, state: DayState, name: str, now_s: float) -> float | None:
    """Return the share of its lines that a sortie has done: by the clock while it is in the air, as told after it."""
    f = state.flights[name]
    if f.word == "landed":
        return f.done_frac if f.done_frac < 1.0 else None
    if f.word != "airborne":
        return None
    whole = state.sorties[name].flight_s
    fixed = min(frame.fixed_s.get(name.rstrip("+"), 0.25 * whole), 0.9 * whole)
    return min(1.0, max(0.0, (now_s - f.takeoff_s - fixed / 2) / (whole - fixed)))


def _expected(frame: Frame, state: DayState, name: str) -> float | None:
    """Return with what share a sortie in the air is to land: what its weakest pack took up less what it takes."""
    f = state.flights[name]
    if f.word != "airborne":
        return None
    up = min(state.packs[n].frac for n in frame.members[f.set])
    return max(0.0, up - state.sorties[name].energy_frac)


def _pack(frame: Frame, state: DayState, name: str, now_s: float) -> dict[str, Any]:
    p = state.packs[name]
    flying = next((f.id for f in state.flights.values() if f.word == "airborne" and f.set == p.set), "")
    return {
        "name": name,
        "set": p.set,
        "word": p.word,
        "frac": round(frac_now(frame, state, p, now_s), 4),
        "port": p.port,
        "flight": flying,
        "flights": p.flights,
        "why": p.why,
        "resting_until_s": p.landed_s + frame.task.rest_after_flight_s
        if math.isfinite(p.landed_s) and p.word == "rest"
        else None,
        "pack_c": p.pack_c,
    }


def _ports(frame: Frame, state: DayState, now_s: float, read: dict[str, DayTelemetry], opens_s: float) -> list[dict[str, Any]]:
    found = []
    for n, _ in enumerate(frame.ports(), start=1):
        on = state.on_port(n)
        told = read.get(str(n))
        # What a charger said before this pack came, or long ago, is not told of it.
        fresh = told is not None and on is not None and 0 <= now_s - (told.at.timestamp() - opens_s) <= _PORT_FRESH_S
        figures = told.figures if told is not None and fresh else {}
        found.append(
            {
                "port": n,
                "dead": n in state.dead_ports,
                "pack": on.name if on else "",
                "frac": round(charge_now(frame, on, now_s), 4) if on else None,
                "pack_v": figures.get("pack_v"),
                "into_a": figures.get("into_a"),
            }
        )
    return found


def summary(run: DayRun, frame: Frame, state: DayState) -> dict[str, Any]:
    """Return how a day went, for its last page."""
    b = _bounds(run.frame)
    d = debrief(frame, state, rotation_of(run.frame["plan"]), reserve_frac=b.reserve_frac, floor_v=b.floor_v)
    return {
        "flown_s": d.flown_s if math.isfinite(d.flown_s) else None,
        "planned_s": d.planned_s,
        "hindsight_s": d.hindsight_s,
        "waits": [plain(w) for w in d.waits],
        "risky": list(d.risky),
        "sorties": d.sorties,
    }


def records_of(run: DayRun, frame: Frame, state: DayState, events: list[Event]) -> list[dict[str, Any]]:
    """Return what the records of packs are told of a day: flights and charges, each with the event that it comes from."""
    names = {a["id"]: a["name"] for a in run.frame["aircraft"]}
    found: list[dict[str, Any]] = []
    begun: dict[str, Event] = {}
    before: list[Event] = []
    for e in events:
        was = fold(frame, before)
        before.append(e)
        if e.kind == "on_port" and str(e.get("pack")) in state.packs:
            begun[str(e.get("pack"))] = e
        elif e.kind == "off_port" and str(e.get("pack")) in begun:
            on, name = begun.pop(str(e.get("pack"))), str(e.get("pack"))
            after = fold(frame, before).packs[name].frac
            figures = {
                "from_frac": round(was.packs[name].frac, 3),
                "to_frac": round(after, 3),
                "mode": was.packs[name].mode[:30],
                "port": f"port {on.get('port')}",
            }
            if e.at_s - on.at_s >= 30:
                figures["charged_s"] = e.at_s - on.at_s
            if figures["from_frac"] <= figures["to_frac"]:
                found.append({"pack": name, "kind": "charge", "at_s": e.at_s, "key": e.key, "figures": figures})
    for f in state.flights.values():
        if f.word != "landed" or not 20.0 <= f.landing_s - f.takeoff_s <= 4 * 3600.0:
            continue
        for name in frame.members.get(f.set, ()):
            start = fold(frame, [e for e in events if e.at_s <= f.takeoff_s]).packs[name].frac
            figures = {"flown_s": f.landing_s - f.takeoff_s, "to_frac": f.left_frac, "aircraft": names.get(f.aircraft, "")}
            if start >= f.left_frac:
                figures["from_frac"] = round(start, 3)
            if f.pack_c is not None:
                figures["most_c"] = f.pack_c
            found.append({"pack": name, "kind": "flight", "at_s": f.landing_s, "key": f.key, "figures": figures})
    return sorted(found, key=lambda x: x["at_s"])
