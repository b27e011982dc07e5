"""A running day: frozen plan and events to the core's state, plan, calls and alerts, and back to plain data."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from quarry.apps.day.bridge.plan import Roster
from quarry.apps.day.models import DayEvent, DayPack, DayRun, DayTelemetry
from quarry.apps.day.views import PlanOfDay
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.day.alerts import Bounds, Telemetry, Watch, alerts_of, load_now_w, planned_work
from quarry.core.day.calls import DayCall, calls_from
from quarry.core.day.debrief import debrief
from quarry.core.day.events import Event, check_event
from quarry.core.day.freshness import gust_now, port_is_fresh
from quarry.core.day.progress import done_frac, expected_frac
from quarry.core.day.records import DayCharge, DayFlight, fold_with_records
from quarry.core.day.remainder import frac_now
from quarry.core.day.replan import Replanned, replan
from quarry.core.day.resume import resume_at
from quarry.core.day.state import DayState, Frame, Route, charge_now, fold, share_of_whole
from quarry.core.day.triggers import GATE_LOOK_S, NOT_NOW_S
from quarry.core.packs.alarms import FlightLevels, flight_levels
from quarry.core.rotation.model import Rotation, RotationTask
from quarry.core.rotation.people import PeopleLimits

EventRefused = CoreError
_TASK = TypeAdapter(RotationTask)
_ROTATION = TypeAdapter(Rotation)
_ROUTE = TypeAdapter(Route)
_PEOPLE = TypeAdapter(PeopleLimits)
PORT = "port "


def frozen(r: Roster, plan: PlanOfDay, to_test: list[str], alarms: dict[str, Any]) -> dict[str, Any]:
    """Return everything of a plan that a running day goes by, as plain data.

    ``to_test``: names of packs that the care list wants tried under load; ``alarms``: by id of the pack the levels set for it.
    """
    mine = {m.pack.name for members in r.members.values() for m in members}
    return {
        "task": plain(r.task),
        "members": {s: [m.pack.name for m in members] for s, members in r.members.items()},
        "chargers": [{"id": str(c.pk), "name": c.name} for c in r.chargers],
        "pack_ids": {m.pack.name: str(m.pack_id) for members in r.members.values() for m in members},
        "planned_set": {f.flight: f.set for f in plan.flights},
        "fixed_s": {f: facts.fixed_s for f, facts in r.flights.items()},
        "turn_backs_s": {k: v for k, v in r.turn_backs_s.items() if math.isfinite(v)},
        "flights": plain(r.flights),
        "aircraft": plain(r.aircraft),
        "gates": plain(plan.gates),
        "plan": plan.rotation,
        "air_c": r.supply.air_c,
        "routes": plain(r.routes),
        "to_test": [n for n in to_test if n in mine],
        "refuel_s": {s.name: s.refuel_s for s in plan.supply.each if s.refuel_s},
        "people": plain(r.known.limits),
        "p90_s": plan.chance.p90_s if plan.chance else None,
        "swap_times": r.known.swap.get("factor", 1.0),
        "fallbacks": {g.letter: g.fallbacks for g in plan.gates},
        "levels": {s: plain(_levels(members, alarms)) for s, members in r.members.items()},
    }


def _levels(members: list[DayPack], alarms: dict[str, Any]) -> FlightLevels:
    """Return the strictest levels of the packs of a set."""
    each = [flight_levels(chemistry_of(m.pack.model.chemistry), m.pack.model.cells, alarms.get(str(m.pack_id))) for m in members]
    strictest = max(each, key=lambda x: x.now_v)
    return FlightLevels(max(x.soon_v for x in each), strictest.now_v, strictest.whose)


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
        levels={s: FlightLevels(**told) for s, told in kept.get("levels", {}).items()},
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


@dataclass(frozen=True, slots=True)
class Reading:
    """A running day at a moment: its events folded once, with what they tell the records of packs."""

    run: DayRun
    frame: Frame
    events: list[Event]
    state: DayState
    records: list[DayCharge | DayFlight]
    now_s: float


def read_run(run: DayRun, events: list[Event], now_s: float) -> Reading:
    """Return a running day as it stands after its events."""
    frame = frame_of(run)
    state, records = fold_with_records(frame, events)
    return Reading(run, frame, events, state, records, now_s)


def planned(r: Reading, *, anew: bool, plays: int | None = None) -> Replanned:
    """Return the plan from now on: the kept one at its true times, or, where asked for or needed, another."""
    return replan(r.frame, r.state, rotation_of(r.run.current), r.now_s, anew=anew, plays=plays)


def kept_plan(had: Replanned, before: dict[str, Any]) -> dict[str, Any]:
    """Return what is kept of a plan: what has begun or is flown stays in it, so that the whole day can be drawn."""
    if had.plan is None:
        return before
    ahead = plain(had.plan)
    names = {f["flight"] for f in ahead["flights"]}
    past = [f for f in before["flights"] if f["flight"] not in names and f["flight"] not in had.left_out]
    return {**ahead, "flights": [*past, *ahead["flights"]]}


def told(r: Reading, had: Replanned, telemetry: list[DayTelemetry], opens_s: float, watch: Watch) -> dict[str, Any]:
    """Return a running day as a screen shows it."""
    run, frame, state, events, now_s = r.run, r.frame, r.state, r.events, r.now_s
    kept = run.frame
    calls = calls_from(frame, state, had.task, had.plan, now_s, kept["turn_backs_s"], kept["air_c"])
    air = tuple(
        Telemetry(**({"flight": t.flight, "at_s": t.at.timestamp() - opens_s} | t.figures))
        for t in telemetry
        if not t.flight.startswith(PORT)
    )
    read = {t.flight.removeprefix(PORT): t for t in telemetry if t.flight.startswith(PORT)}
    gust = gust_now([g["limit_m_s"] for g in kept["gates"] if g["limit_m_s"] is not None], events, now_s)
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
        "not_now_s": NOT_NOW_S,
        "gate_look_s": GATE_LOOK_S,
        "gap_frac": watch.gap_frac,
        "events": len(events),
        "fallbacks": kept["fallbacks"],
    }


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
    return {**plain(c), "aircraft_name": letters.get(c.aircraft, "")}


def _flight(frame: Frame, kept: dict[str, Any], state: DayState, name: str, now_s: float) -> dict[str, Any]:
    f = state.flights[name]
    route = frame.routes.get(name.rstrip("+"))
    done = done_frac(frame, state, name, now_s)
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
        "expected_frac": expected_frac(frame, state, name),
        "done_by_now": round(done, 3) if done is not None else None,
        "resume_words": point.words() if point else "",
        "work": f.work,
        "planned_work": round(planned_work(frame, state, name), 1),
        "work_what": route.what if route else "",
    }


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
        fresh = told is not None and on is not None and port_is_fresh(now_s, told.at.timestamp() - opens_s)
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


def summary(r: Reading) -> dict[str, Any]:
    """Return how a day went, for its last page."""
    b = _bounds(r.run.frame)
    d = debrief(r.frame, r.state, rotation_of(r.run.frame["plan"]), reserve_frac=b.reserve_frac, floor_v=b.floor_v)
    return {
        "flown_s": d.flown_s if math.isfinite(d.flown_s) else None,
        "planned_s": d.planned_s,
        "hindsight_s": d.hindsight_s,
        "waits": [plain(w) for w in d.waits],
        "risky": list(d.risky),
        "sorties": d.sorties,
    }


def record_figures(run: DayRun, r: DayCharge | DayFlight) -> dict[str, Any]:
    """Return the figures of a record of a pack from what a day tells of it."""
    if isinstance(r, DayCharge):
        # Runs from before chargers were named in their frame know them by number alone.
        known = run.frame.get("chargers", [])
        charger = known[int(r.charger) - 1] if r.charger.isdigit() and 0 < int(r.charger) <= len(known) else None
        figures: dict[str, Any] = {
            "from_frac": round(r.from_frac, 3),
            "to_frac": round(r.to_frac, 3),
            "mode": r.rate[:30],
            "port": f"port {r.port}",
            "charger_id": charger["id"] if charger else "",
            "pack_w": r.pack_w,
            "charged_s": r.charged_s,
        }
    else:
        names = {a["id"]: a["name"] for a in run.frame["aircraft"]}
        figures = {
            "flown_s": r.flown_s,
            "from_frac": None if r.from_frac is None else round(r.from_frac, 3),
            "to_frac": r.to_frac,
            "aircraft": names.get(r.aircraft, ""),
            "most_c": r.pack_c,
        }
    return {k: v for k, v in figures.items() if v not in (None, "")}
