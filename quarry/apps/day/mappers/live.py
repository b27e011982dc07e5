"""A running day: frozen plan and events to the core's state, plan, calls and alerts, and back to what screens show."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter

from quarry.apps.day.mappers.plan import Roster, aircraft_view
from quarry.apps.day.models import DayEvent, DayRun, DayTelemetry
from quarry.apps.day.repository import ChargerName, RunFrame, changes_of, frame_of, rotation_from
from quarry.apps.day.views.live import (
    FoundOut,
    KnownValue,
    LiveAircraft,
    LiveCall,
    LiveFlight,
    LiveOut,
    LivePack,
    LivePort,
    SummaryOut,
    WeatherDue,
)
from quarry.apps.day.views.plan import DayAircraftOut, PlanOfDay, WaitOut
from quarry.apps.policy.mappers import OwnValues, cold, pack_policy
from quarry.apps.policy.mappers import watch as watch_of
from quarry.core.base.errors import CoreError
from quarry.core.base.naming import short_names
from quarry.core.base.shapes import plain
from quarry.core.day.alerts import Bounds, PortReading, SprayStop, Telemetry, alerts_of, load_now_w, planned_work
from quarry.core.day.calls import DayCall, calls_from
from quarry.core.day.debrief import debrief
from quarry.core.day.events import Event, check_event
from quarry.core.day.freshness import gust_now, inversion_now, port_is_fresh, wind_now
from quarry.core.day.measured import measures_of, weather_due
from quarry.core.day.progress import done_frac, expected_frac
from quarry.core.day.readings import Sample, held_v, keep
from quarry.core.day.records import DayCharge, DayFlight, fold_with_records
from quarry.core.day.remainder import frac_now
from quarry.core.day.replan import Replanned, replan
from quarry.core.day.resume import resume_at
from quarry.core.day.state import DayState, Frame, charge_now, fold, planned_landing_s, share_of_whole
from quarry.core.day.triggers import GATE_LOOK_S, NOT_NOW_S
from quarry.core.dayplan.inputs import PackInput
from quarry.core.ground.coordinates import written
from quarry.core.packs.alarms import FlightLevels, LevelsSet, flight_levels
from quarry.core.spraying.kept_clear import stopped_by
from quarry.core.spraying.still_air import AirSigns, inverted

EventRefused = CoreError
PORT = "port "
SPRAYED = "litres"  # what a route of spraying is counted in
_CHANGES_SHOWN = 12
_CALLS_SHOWN = 40
_FIGURES = TypeAdapter(Telemetry)
_READING = TypeAdapter(PortReading)
KeptSample = tuple[float, float | None, float | None, float | None]
_RECENT = TypeAdapter(list[KeptSample])


def frozen(r: Roster, plan: PlanOfDay, to_test: Sequence[str], alarms: Mapping[str, LevelsSet], own: OwnValues) -> RunFrame:
    """Return everything of a plan that a running day goes by.

    ``to_test``: names of packs that the care list wants tried under load; ``alarms``: by id of the pack the levels set for it;
    ``own``: what the company set itself.
    """
    day = r.day
    known = {p.name: p.id for members in day.members.values() for p in members}
    return RunFrame(
        task=day.task,
        members={s: tuple(p.name for p in members) for s, members in day.members.items()},
        chargers=[ChargerName(c.id, c.name) for c in day.chargers],
        pack_ids=known,
        planned_set={f.flight: f.set for f in plan.flights},
        fixed_s={f: figures.fixed_s for f, figures in day.flights.items()},
        turn_backs_s={k: v for k, v in day.turn_backs_s.items() if math.isfinite(v)},
        flights=day.flights,
        aircraft=[aircraft_view(a) for a in day.aircraft],
        gates=plan.gates,
        plan=plan.rotation,
        air_c=day.supply.air_c,
        routes=day.routes,
        to_test=tuple(n for n in to_test if n in known),
        refuel_s={s.name: tuple(s.refuel_s) for s in plan.supply.each if s.refuel_s},
        people=day.inputs.learned.people,
        p90_s=plan.chance.p90_s if plan.chance else None,
        p50_s=plan.chance.p50_s if plan.chance else None,
        scatter=day.inputs.learned.scatter.scatter,
        swap_times=day.inputs.learned.swap_ratio,
        fallbacks={g.letter: g.fallbacks for g in plan.gates},
        levels={s: _levels(members, alarms, own) for s, members in day.members.items()},
        spots={g.letter: g.spots for g in plan.gates},
    )


def joined(kept: RunFrame, r: Roster, job_id: str) -> tuple[RunFrame, list[str]]:
    """Return what a running day goes by with a job that joins it, and the sorties that are new; the rest stays as it was."""
    new = [f for f in r.day.task.flights if r.day.flights[f.id].job == job_id and f.id not in kept.flights]
    names = [f.id for f in new]
    frame = replace(
        kept,
        task=replace(kept.task, flights=(*kept.task.flights, *new)),
        fixed_s=kept.fixed_s | {n: r.day.flights[n].fixed_s for n in names},
        turn_backs_s=kept.turn_backs_s | {n: s for n in names if math.isfinite(s := r.day.turn_backs_s[n])},
        flights=kept.flights | {n: r.day.flights[n] for n in names},
        routes=kept.routes | {n: r.day.routes[n] for n in names},
        gates=[*kept.gates, *(g for g in r.gates if g.job_id == job_id)],
        fallbacks=kept.fallbacks | {g.letter: g.fallbacks for g in r.gates if g.job_id == job_id},
        spots=kept.spots | {g.letter: g.spots for g in r.gates if g.job_id == job_id},
    )
    return frame, names


def _levels(members: Sequence[PackInput], alarms: Mapping[str, LevelsSet], own: OwnValues) -> FlightLevels:
    """Return the strictest levels of the packs of a set."""
    each = [flight_levels(p.chemistry, p.cells, alarms.get(p.id), own) for p in members]
    strictest = max(each, key=lambda x: x.now_v)
    return replace(strictest, soon_v=max(x.soon_v for x in each))


def event_of(row: DayEvent, opens_s: float) -> Event:
    """Return an event with its time from the day's opening; ``opens_s`` is the opening as a timestamp."""
    return Event(row.key, row.kind, row.at.timestamp() - opens_s, row.by.full_name or row.by.username, row.figures)


def check(key: str, kind: str, figures: Mapping[str, Any]) -> None:
    """Raise `EventRefused` at the figure that cannot be."""
    check_event(Event(key, kind, 0.0, "", figures))


def state_of(frame: Frame, events: Iterable[Event]) -> DayState:
    """Return the state of a running day."""
    return fold(frame, events)


@dataclass(frozen=True, slots=True)
class Reading:
    """A running day at a moment: its frame read and its events folded once, with what they tell the records of packs."""

    run: DayRun
    kept: RunFrame
    frame: Frame
    events: list[Event]
    state: DayState
    records: list[DayCharge | DayFlight]
    now_s: float


def read_run(run: DayRun, events: list[Event], now_s: float) -> Reading:
    """Return a running day as it stands after its events."""
    kept = frame_of(run)
    frame = kept.core()
    state, records = fold_with_records(frame, events)
    return Reading(run, kept, frame, events, state, records, now_s)


def planned(r: Reading, *, anew: bool, plays: int | None = None, search_s: float = 0.0) -> Replanned:
    """Return the plan from now on: the kept one at its true times, or, where asked for or needed, another."""
    return replan(r.frame, r.state, rotation_from(r.run.current), r.now_s, anew=anew, plays=plays, search_s=search_s)


def current_json(replanned: Replanned, before: Any) -> Any:
    """Return what is kept of a plan: what has begun or is flown stays in it, so that the whole day can be drawn."""
    if replanned.plan is None:
        return before
    ahead = {f.flight for f in replanned.plan.flights}
    past = tuple(f for f in rotation_from(before).flights if f.flight not in ahead and f.flight not in replanned.left_out)
    return plain(replace(replanned.plan, flights=(*past, *replanned.plan.flights)))


@dataclass(frozen=True, slots=True)
class DayHead:
    """What a screen shows of a day beside its run."""

    day_id: UUID
    name: str
    opens: datetime
    closes: datetime
    time_zone: str
    rehearsal_of: UUID | None
    searches: bool = False


def _stops(kept: RunFrame, wind: tuple[float, float] | None, inversion: str) -> list[SprayStop]:
    """Return the jobs that spray and whose sensitive places a wind blows towards, or all of them where the air is inverted."""
    found = []
    for g in kept.gates:
        flights = tuple(name for name, f in kept.flights.items() if f.letter == g.letter)
        places = stopped_by(g.stops, *wind) if wind is not None else []
        if places:
            remedy = "fly another job, wait until it turns, or plan this one for it"
            found.append(SprayStop(g.letter, flights, f"wind towards {', '.join(places)}", "the distances of the job", remedy))
        if inversion and sprayed_by(kept, g.letter):
            found.append(
                SprayStop(g.letter, flights, inversion, "no spraying in an inversion", "wait until air mixes, and measure again")
            )
    return found


def to_live(r: Reading, replanned: Replanned, telemetry: list[DayTelemetry], day: DayHead, own: OwnValues) -> LiveOut:
    """Return a running day as a screen shows it; ``own``: what the company set itself."""
    run, kept, frame, state, now_s = r.run, r.kept, r.frame, r.state, r.now_s
    watch = watch_of(own)
    opens_s = day.opens.timestamp()
    calls = calls_from(frame, state, replanned.task, replanned.plan, now_s, kept.turn_backs_s, kept.air_c)
    air = tuple(_from_the_air(t, opens_s, cells_of(r, t.flight)) for t in telemetry if not t.flight.startswith(PORT))
    ports = {reading.port: reading for t in telemetry if (reading := _of_a_port(t, opens_s)) is not None}
    gust = gust_now([g.limit_m_s for g in kept.gates if g.limit_m_s is not None], r.events, now_s)
    wind = wind_now(r.events, now_s)
    inversion = _inversion(r)
    alerts = alerts_of(
        frame,
        state,
        now_s,
        turn_backs_s=kept.turn_backs_s,
        telemetry=air,
        bounds=_bounds(kept, own),
        gust=gust,
        stops=_stops(kept, wind, inversion),
        watch=watch,
    )
    landed = [f.landing_s for f in state.flights.values() if f.word == "landed"]
    return LiveOut(
        day_id=day.day_id,
        name=day.name,
        opens_at=day.opens,
        closes_at=day.closes,
        time_zone=day.time_zone,
        now_s=now_s,
        not_now_s=NOT_NOW_S,
        gate_look_s=GATE_LOOK_S,
        gap_frac=watch.gap_frac,
        revision=run.revision,
        plan_number=run.plan_number,
        planned_at_s=run.planned_at_s,
        finish_s=max([*landed, replanned.plan.makespan_s if replanned.plan else 0.0]),
        planned_finish_s=kept.plan.makespan_s,
        problem=replanned.problem,
        changes=changes_of(run)[-_CHANGES_SHOWN:],
        calls=[_call(c, kept) for c in calls[:_CALLS_SHOWN]],
        alerts=list(alerts),
        flights=[_flight(r, name) for name in state.flights],
        packs=[_pack(r, name, short) for name, short in sorted(short_names(state.packs).items())],
        ports=[_port(r, n, ports.get(n)) for n, _ in enumerate(frame.ports(), start=1)],
        aircraft=[_aircraft(r, a, replanned) for a in kept.aircraft],
        gates=kept.gates,
        gust=gust,
        wind=wind,
        gate_closed_until_s=None if state.gate_closed_until_s <= now_s else _finite(state.gate_closed_until_s, 9e6),
        gate_words=state.gate_words,
        hold_until_s=state.hold_until_s if state.hold_until_s > now_s else None,
        power_out=state.power_out_s is not None,
        load_w=load_now_w(frame, state),
        can_give_w=frame.task.site_power_w,
        questions=list(state.questions),
        oddities=list(state.oddities),
        telemetry=list(air),
        closed=state.closed_s is not None,
        events=len(r.events),
        fallbacks=kept.fallbacks,
        speed=run.speed,
        rehearsal_of=day.rehearsal_of,
        weather_due=_weather_due(r),
        inversion=inversion,
        searches=day.searches,
        found=_found(state),
    )


def _found(state: DayState) -> FoundOut | None:
    if not math.isfinite(state.found_s):
        return None
    return FoundOut(state.found_s, state.found_words, written(*state.found_place) if state.found_place else [])


@dataclass(frozen=True, slots=True)
class FleetNow:
    """What a running day leaves of packs and aircraft once all that it still plans is flown.

    By the name of a pack: its charge, and when it may fly or charge [s from now]; those out of the day are not in it. By the
    id of an aircraft: when it is free [s from now].
    """

    charge: dict[str, tuple[float, float]]
    free_s: dict[str, float]


def fleet_now(r: Reading, replanned: Replanned) -> FleetNow:
    """Return the packs and aircraft of a running day as its plan leaves them."""
    task, plan = replanned.task, replanned.plan
    charge: dict[str, tuple[float, float]] = {}
    for s in task.sets:
        frac, at_s = min(s.starts()), s.from_s
        for f in plan.flights if plan is not None else ():
            if f.set == s.id and f.landing_s >= at_s:
                takes = next((x.energy_frac for x in task.flights if x.id == f.flight), 0.0)
                frac, at_s = max(0.0, 1.0 - takes), f.landing_s + task.rest_after_flight_s
        for c in plan.charges if plan is not None else task.begun:
            if c.set == s.id and c.end_s >= at_s:
                frac, at_s = c.to_frac, c.end_s + task.rest_after_charge_s
        charge |= {name: (frac, max(0.0, at_s - r.now_s)) for name in r.kept.core().members[s.id]}
    free = {a.id: max(0.0, a.from_s - r.now_s) for a in task.aircraft}
    for f in plan.flights if plan is not None else ():
        free[f.aircraft] = max(free.get(f.aircraft, 0.0), f.landing_s + task.swap_of(f.aircraft) - r.now_s)
    return FleetNow(charge, free)


def sprayed_by(kept: RunFrame, letter: str) -> list[str]:
    """Return the sorties of a job that sprays; none of another kind of work."""
    return [n for n, f in kept.flights.items() if f.letter == letter and n in kept.routes and kept.routes[n].what == SPRAYED]


def _weather_due(r: Reading) -> list[WeatherDue]:
    measures = measures_of(r.events)
    found = []
    for g in r.kept.gates:
        for d in weather_due(r.state, sprayed_by(r.kept, g.letter), measures, r.now_s):
            taken = d.taken.at_s if d.taken is not None else None
            lacks = d.taken.lacks if d.taken is not None else []
            found.append(WeatherDue(g.letter, d.words, d.at_s, taken, d.due, d.missed, lacks))
    return found


def _inversion(r: Reading) -> str:
    """Return why the air is inverted as it was measured at two heights within the last half hour; empty where it is not."""
    found = inversion_now(r.events, r.now_s)
    if found is None or not any(sprayed_by(r.kept, g.letter) for g in r.kept.gates):
        return ""
    is_so, _, words = inverted(AirSigns(rise_k=found))
    return words if is_so else ""


def cells_of(r: Reading, flight: str) -> int:
    """Return the cells in series of the packs that a sortie flies on; 0 where that is not known."""
    f = r.state.flights.get(flight)
    levels = r.frame.levels.get(f.set) if f is not None else None
    return levels.cells_count if levels is not None else 0


def _from_the_air(row: DayTelemetry, opens_s: float, cells_count: int = 0) -> Telemetry:
    read = _FIGURES.validate_python({"flight": row.flight, "at_s": row.at.timestamp() - opens_s} | row.figures)
    if read.lowest_v is None and read.cells_v:
        read = replace(read, lowest_v=min(read.cells_v))
    return replace(read, recent=tuple(_sample(kept, opens_s, cells_count) for kept in _RECENT.validate_python(row.recent)))


def _sample(kept: KeptSample, opens_s: float, cells_count: int) -> Sample:
    at, lowest_v, total_v, left_frac = kept
    mean_v = total_v / cells_count if total_v is not None and cells_count else None
    return Sample(at - opens_s, lowest_v if lowest_v is not None else mean_v, left_frac)


def hold_s(own: OwnValues) -> float:
    """Return for how long a cell must have stayed at a level before it counts. [s]"""
    return watch_of(own).hold_s


def recent_json(row: DayTelemetry | None, at: datetime, figures: Mapping[str, Any]) -> Any:
    """Return the readings to keep with a new one: what was read of volts and charge in the last minute and a half."""
    kept = {s[0]: s for s in _RECENT.validate_python(row.recent)} if row is not None else {}
    cells = figures.get("cells_v")
    lowest_v = figures.get("lowest_v", min(cells) if cells else None)
    newest = Sample(at.timestamp())
    kept[newest.at_s] = (newest.at_s, lowest_v, figures.get("total_v"), figures.get("left_frac"))
    older = [Sample(t) for t in sorted(kept) if t < newest.at_s]
    return [kept[s.at_s] for s in keep(older, newest)]


def least_v(row: DayTelemetry | None, recent: Any, cells_count: int, hold_s: float) -> float | None:
    """Return the lowest that a cell has held so far in a flight, with the newest readings. [V]"""
    held = held_v([_sample(s, 0.0, cells_count) for s in _RECENT.validate_python(recent)], hold_s)
    seen = [v for v in (held, row.least_v if row is not None else None) if v is not None]
    return min(seen, default=None)


def _of_a_port(row: DayTelemetry, opens_s: float) -> PortReading | None:
    if not row.flight.startswith(PORT):
        return None
    number = int(row.flight.removeprefix(PORT))
    return _READING.validate_python({"port": number, "at_s": row.at.timestamp() - opens_s} | row.figures)


def _bounds(kept: RunFrame, own: OwnValues) -> Bounds:
    """Return the reserve that every sortie of the day keeps at the least, and the highest floor of a cell among its packs."""
    figures = kept.flights.values()
    return Bounds(
        min(f.reserve_frac for f in figures),
        max(f.floor_v for f in figures),
        people=kept.people,
        air_c=kept.air_c,
        min_frac=pack_policy(own).floor_frac,
        cold=cold(own),
    )


def _finite(value: float, instead: float) -> float:
    return value if math.isfinite(value) else instead


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _call(c: DayCall, kept: RunFrame) -> LiveCall:
    name = kept.aircraft_name(c.aircraft)
    return LiveCall(**{f.name: getattr(c, f.name) for f in fields(DayCall)}, aircraft_name=name)


def _flight(r: Reading, name: str) -> LiveFlight:
    frame, state = r.frame, r.state
    f = state.flights[name]
    route = frame.routes.get(name.rstrip("+"))
    done = done_frac(frame, state, name, r.now_s)
    # The place on the whole sortie: what was done before this part of it, and this part as far as it came.
    part = share_of_whole(state, name)
    point = resume_at(route, 1.0 - part + part * done) if route and done is not None else None
    figures = r.kept.figures(name)
    return LiveFlight(
        id=f.id,
        aircraft=f.aircraft,
        word=f.word,
        set=f.set,
        takeoff_s=_known(f.takeoff_s),
        landing_s=_known(f.landing_s),
        left_frac=_known(f.left_frac),
        lowest_v=f.lowest_v,
        pack_c=f.pack_c,
        done_frac=f.done_frac,
        resume=f.resume,
        job=figures.job if figures else "",
        letter=figures.letter if figures else "",
        key=f.key,
        length_s=state.sorties[name].flight_s,
        expected_frac=expected_frac(frame, state, name),
        done_by_now=round(done, 3) if done is not None else None,
        resume_words=point.words() if point else "",
        resume_at=(round(point.lon_deg, 7), round(point.lat_deg, 7)) if point else None,
        number=figures.number if figures else None,
        homing_s=_known(f.homing_s),
        emergency_s=_known(f.emergency_s),
        lands_s=planned_landing_s(frame, state, f) if f.word == "airborne" else None,
        work=f.work,
        planned_work=round(planned_work(frame, state, name), 1),
        work_what=route.what if route else "",
    )


def _pack(r: Reading, name: str, short: str) -> LivePack:
    state = r.state
    p = state.packs[name]
    rests = math.isfinite(p.landed_s) and p.word == "rest"
    return LivePack(
        id=r.kept.pack_ids[name],
        name=name,
        set=p.set,
        word=p.word,
        frac=round(frac_now(r.frame, state, p, r.now_s), 4),
        port=p.port,
        flight=next((f.id for f in state.flights.values() if f.word == "airborne" and f.set == p.set), ""),
        flights=p.flights,
        why=p.why,
        resting_until_s=p.landed_s + r.frame.task.rest_after_flight_s if rests else None,
        pack_c=p.pack_c,
        charges_on=_charges_on(r, name),
        short=short,
    )


def known_on_day(r: Reading, telemetry: list[DayTelemetry], pack_ids: set[str], opens: datetime) -> dict[str, KnownValue]:
    """Return what a running day tells of the numbers that a preflight list of some of its packs asks for."""
    names = [name for name, pack_id in r.kept.pack_ids.items() if pack_id in pack_ids]
    packs = [r.state.packs[name] for name in names]
    if not packs or len(packs) != len(pack_ids):
        return {}
    weakest = min(packs, key=lambda p: frac_now(r.frame, r.state, p, r.now_s))
    frac = round(frac_now(r.frame, r.state, weakest, r.now_s), 3)
    found = {"charge_frac": KnownValue(frac, f"{weakest.name} on the running day", now=True)}
    up = next((f.id for f in r.state.flights.values() if f.word == "airborne" and f.set == packs[0].set), "")
    t = next((_from_the_air(row, opens.timestamp()) for row in telemetry if up and row.flight == up), None)
    if t is None:
        return found
    words = f"from the aircraft, {max(0.0, r.now_s - t.at_s):.0f} s ago"
    read = {"charge_frac": t.left_frac, "pack_c": t.pack_c, "satellites_count": t.satellites}
    found |= {key: KnownValue(float(value), words, now=True) for key, value in read.items() if value is not None}
    if t.cells_v and len(packs) == 1:
        found |= {"cells": KnownValue(list(t.cells_v), words, now=True)}
    return found


def _charges_on(r: Reading, pack: str) -> list[int]:
    """Return the ports by number whose charger takes a pack, but for those that are out of order."""
    kind, takes = r.frame.set_of(pack).type, {c.id: c for c in r.frame.task.chargers}
    ports = enumerate(r.frame.ports(), start=1)
    return [n for n, (charger, _) in ports if n not in r.state.dead_ports and takes[charger].charges(kind)]


def _aircraft(r: Reading, a: DayAircraftOut, replanned: Replanned) -> LiveAircraft:
    ahead = (
        min((f for f in replanned.plan.flights if f.aircraft == a.id), key=lambda f: f.takeoff_s, default=None)
        if replanned.plan
        else None
    )
    kind = next(c.type for c in r.frame.task.aircraft if c.id == a.id)
    return LiveAircraft(
        id=a.id,
        name=a.name,
        model=a.model,
        flight=r.state.craft[a.id].flight,
        next=ahead.flight if ahead else "",
        next_s=ahead.takeoff_s if ahead else None,
        sets=[s.id for s in r.frame.task.sets if s.type == kind],
    )


def _port(r: Reading, n: int, read: PortReading | None) -> LivePort:
    on = r.state.on_port(n)
    # What a charger said before this pack came, or long ago, is not told of it.
    fresh = read if read is not None and on is not None and port_is_fresh(r.now_s, read.at_s) else None
    return LivePort(
        port=n,
        dead=n in r.state.dead_ports,
        pack=on.name if on else "",
        frac=round(charge_now(r.frame, on, r.now_s), 4) if on else None,
        pack_v=fresh.pack_v if fresh else None,
        into_a=fresh.into_a if fresh else None,
    )


def to_summary(r: Reading) -> SummaryOut:
    """Return how a day went, for its last page."""
    b = _bounds(r.kept, {})
    d = debrief(r.frame, r.state, r.kept.plan, reserve_frac=b.reserve_frac, floor_v=b.floor_v)
    return SummaryOut(
        _known(d.flown_s),
        d.planned_s,
        d.hindsight_s,
        [WaitOut(w.aircraft, w.flight, w.from_s, w.to_s, w.reason) for w in d.waits],
        list(d.risky),
        d.sorties,
    )


def record_figures(kept: RunFrame, r: DayCharge | DayFlight, least_v: Mapping[str, float | None]) -> Mapping[str, float | str]:
    """Return the figures of a record of a pack from what a day tells of it; ``least_v``: by sortie, as told from the air. [V]"""
    if isinstance(r, DayCharge):
        charger = kept.charger(r.charger)
        figures: Mapping[str, float | str | None] = {
            "from_frac": round(r.from_frac, 3),
            "to_frac": round(r.to_frac, 3),
            "mode": r.rate[:30],
            "port": f"port {r.port}",
            "charger_id": charger.id if charger else "",
            "pack_w": r.pack_w,
            "charged_s": r.charged_s,
        }
    else:
        figures = {
            "flown_s": r.flown_s,
            "from_frac": None if r.from_frac is None else round(r.from_frac, 3),
            "to_frac": r.to_frac,
            "aircraft": kept.aircraft_name(r.aircraft),
            "most_c": r.pack_c,
            "air_c": kept.air_c,
            "lowest_v": min((v for v in (r.lowest_v, least_v.get(r.flight)) if v is not None), default=None),
        }
    return {k: v for k, v in figures.items() if v is not None and v != ""}
