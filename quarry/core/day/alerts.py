"""What cannot wait for the next call: each with a reason, a limit and whose it is to act."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, cast

from quarry.core.base.settings import Setting
from quarry.core.base.sources import PRACTICE
from quarry.core.day.landing_place import nearest
from quarry.core.day.owners import Owner
from quarry.core.day.progress import done_frac
from quarry.core.day.readings import KEPT_S, Sample, fall_of, held_v, slope_v_s
from quarry.core.day.resume import Resume, resume_at
from quarry.core.day.state import DayState, FlightNow, Frame, PackNow, charge_now, planned_landing_s, share_of_whole
from quarry.core.defaults import FLOOR, LANDING
from quarry.core.flight.reach import allowed_m, coldness
from quarry.core.flight.usable_energy import ColdPolicy
from quarry.core.packs.alarms import FlightLevels
from quarry.core.rotation.model import FULL, RotationTask
from quarry.core.rotation.people import PeopleLimits, long_spells

_COLD_C, _HOT_C = 0.0, 30.0
_GAP_TOLD_S = 3600.0
Grade = Literal["now", "soon"]


@dataclass(frozen=True, slots=True)
class SprayStop:
    """A job that the air stops: its letter, its flights, why in words, and by which limit; ``remedy``: what else would do."""

    job: str
    flights: tuple[str, ...]
    why: str
    limit: str
    remedy: str


@dataclass(frozen=True, slots=True)
class Watch:
    """When to speak up: silence after a planned landing, a pack full and forgotten, how near to a limit is too near."""

    silent_min: float = 4.0
    forgotten_min: float = 20.0
    hot_c: float = 60.0
    near_v: float = 0.1
    gap_frac: float = 0.03
    harsh_h: float = 2.0
    hold_s: float = 3.0
    fall_frac: float = 0.06
    fall_s: float = 10.0


_W = Watch()
SETTINGS: tuple[Setting, ...] = tuple(
    Setting(
        f"watch.{name}",
        "Alerts",
        words,
        getattr(_W, name),
        why,
        unit,
        scale=100.0 if unit == "%" else 1.0,
        low=low,
        high=high,
        source=PRACTICE,
    )
    for name, words, why, unit, low, high in (
        (
            "silent_min",
            "Ask after a sortie that was not reported down for",
            "a lost aircraft is looked for sooner",
            "min",
            1.0,
            60.0,
        ),
        (
            "forgotten_min",
            "Speak of a pack left on its port, full, for",
            "nobody leaves a pack on charge alone",
            "min",
            2.0,
            240.0,
        ),
        ("hot_c", "A pack is too hot from", "it is laid apart and watched, not charged", "°C", 40.0, 80.0),
        ("near_v", "Speak this much before the floor of a cell", "volts fall fast at the end", "V", 0.0, 0.5),
        (
            "hold_s",
            "A level counts when a cell has stayed at it for",
            "a gust or a climb dips the volts for a second: that is no alarm",
            "s",
            0.0,
            30.0,
        ),
        (
            "fall_frac",
            "Call home when the charge drops by this or more",
            "a pack that gives out drops many times faster than it is drawn on",
            "%",
            0.02,
            0.4,
        ),
        ("fall_s", "The drop is looked for within", "long enough for a display that counts in whole percent", "s", 3.0, 60.0),
        (
            "gap_frac",
            "A landing leaves a gap when images or litres fall short by more than",
            "a gap is cheap to fly again while the crew is on site",
            "%",
            0.005,
            0.5,
        ),
        (
            "harsh_h",
            f"Relieve the crew below {_COLD_C:.0f} °C or above {_HOT_C:.0f} °C after",
            "numb fingers and heat make mistakes before anybody feels tired",
            "h",
            0.25,
            8.0,
        ),
    )
)


@dataclass(frozen=True, slots=True)
class Bounds:
    """What holds on the day.

    What stays in a pack at landing, the floor of its weakest cell under load, the coldest pack that may take off; how long
    people go on, and the air that they work in [°C]; the charge that is never gone below, and how near a cold pack stays.
    """

    reserve_frac: float = LANDING.value
    floor_v: float = 3.3
    pack_low_c: float | None = None
    people: PeopleLimits = field(default_factory=PeopleLimits)
    air_c: float | None = None
    min_frac: float = FLOOR.value
    cold: ColdPolicy = field(default_factory=ColdPolicy)


@dataclass(frozen=True, slots=True)
class Alert:
    """One alert: what, why, the limit that is passed, and who acts.

    ``left_s``: how long it can still be flown before the pack is at its minimum; ``place``: the nearest place to land.
    """

    key: str
    grade: Grade
    words: str
    reason: str
    limit: str
    owner: Owner
    about: str = ""
    left_s: float | None = None
    place: str = ""


@dataclass(frozen=True, slots=True)
class Telemetry:
    """What an aircraft tells from the air, as far as it does. ``lowest_v`` is the lowest cell's under load, of ``cells_v``.

    ``height_m`` above take-off; ``works``: nozzles are open, or pictures are taken. ``total_v``: of the whole pack, where no cells are told; ``recent``: the readings of the last minute and a half.
    """

    flight: str
    at_s: float
    left_frac: float | None = None
    lowest_v: float | None = None
    pack_c: float | None = None
    home_frac: float | None = None
    satellites: int | None = None
    from_home_m: float | None = None
    cells_v: tuple[float, ...] = ()
    lon_deg: float | None = None
    lat_deg: float | None = None
    height_m: float | None = None
    works: bool | None = None
    total_v: float | None = None
    recent: tuple[Sample, ...] = ()


@dataclass(frozen=True, slots=True)
class PortReading:
    """What a charger tells of a port: the pack's volts, the current into it, and how full it says it is."""

    port: int
    at_s: float
    pack_v: float | None = None
    into_a: float | None = None
    frac: float | None = None


def alerts_of(
    frame: Frame,
    state: DayState,
    now_s: float,
    *,
    turn_backs_s: dict[str, float] | None = None,
    telemetry: tuple[Telemetry, ...] = (),
    bounds: Bounds | None = None,
    gust: tuple[float, float] | None = None,
    stops: Sequence[SprayStop] = (),
    watch: Watch | None = None,
) -> tuple[Alert, ...]:
    """Return what must be said now, the most pressing first.

    Parameters
    ----------
    turn_backs_s : dict, optional
        For each sortie the latest time after take-off at which it turns home. [s]
    telemetry : tuple of Telemetry
        The newest reading of each aircraft.
    bounds : Bounds, optional
        What holds on the day.
    gust : (m/s, m/s), optional
        The gust at flying height and the limit that holds.
    stops : sequence of SprayStop
        Jobs that spray and that the air, as measured last, stops.
    """
    w, b = watch or Watch(), bounds or Bounds()
    found: list[Alert] = []
    newest = {t.flight: t for t in sorted(telemetry, key=lambda t: t.at_s)}
    for f in state.flights.values():
        if f.word == "airborne":
            levels = frame.levels.get(f.set)
            found += _flying(frame, state, f.id, newest.get(f.id), now_s, (turn_backs_s or {}).get(f.id), b, w, levels)
    found += _wind(state, gust)
    found += [*_stops(state, stops), *_finds(state)]
    for p in state.packs.values():
        found += _packs(frame, p, now_s, b.pack_low_c, w)
    found += _supply(frame, state)
    found += _gaps(frame, state, now_s, w)
    found += _relief(state, now_s, b, w)
    return tuple(sorted(found, key=lambda a: (a.grade != "now", a.key)))


def _flying(
    frame: Frame,
    state: DayState,
    flight: str,
    t: Telemetry | None,
    now_s: float,
    back_s: float | None,
    b: Bounds,
    w: Watch,
    levels: FlightLevels | None,
) -> list[Alert]:
    f = state.flights[flight]
    reserve, floor_v = b.reserve_frac, b.floor_v
    soon_v, whose = floor_v + w.near_v, "the floor of the day's packs"
    if levels is not None:
        # The pack's own levels, or those of its chemistry; never below the floor that the day was planned with.
        floor_v, soon_v, whose = max(floor_v, levels.now_v), max(soon_v, levels.soon_v), levels.whose
    found = []
    lands, homing = planned_landing_s(frame, state, f), math.isfinite(f.homing_s)

    def now(what: str, words: str, reason: str, limit: str) -> None:
        found.append(Alert(f"{what}:{flight}", "now", words, reason, limit, "pilot", flight))

    if math.isfinite(f.emergency_s):
        others = [x.id for x in state.flights.values() if x.word == "airborne" and x.id != flight]
        also = f"; also in the air: {', '.join(others)}" if others else ""
        now(
            "emergency",
            f"Emergency: {flight}",
            f"{f.why or 'reported by the crew'}{also}; nothing is launched until it is over",
            "",
        )
    if back_s is not None and not homing and f.takeoff_s + back_s <= now_s < lands and f.takeoff_s + back_s < lands:
        now(
            "back",
            f"Turn back {flight} now",
            "its latest moment has passed: the reserve pays for the way home",
            f"{reserve:.0%} at landing",
        )
    if t is not None:
        if t.left_frac is not None and t.home_frac is not None and t.left_frac - t.home_frac <= reserve:
            left = f"{t.left_frac:.0%} left and {t.home_frac:.0%} to come home"
            words = f"{flight} comes home below its reserve" if homing else f"Turn back {flight} now"
            now("energy", words, left, f"{reserve:.0%} at landing")
        found += _volts(t, flight, floor_v, soon_v, whose, w, _left_s(state, t, f, b))
        found += _falling(t, flight, w)
        found += _nearer(frame, state, t, f, now_s, b)
        if t.pack_c is not None and t.pack_c >= w.hot_c:
            now("heat", f"Land {flight}: pack too hot", f"{t.pack_c:.0f} °C", f"{w.hot_c:.0f} °C")
    if now_s > lands + 60.0 * w.silent_min:
        late = (now_s - lands) / 60.0
        now("silent", f"Where is {flight}?", f"not reported down, {late:.0f} min past its landing", f"{w.silent_min:g} min")
    for name in frame.members.get(f.set, ()):
        if state.tested.get(name) == "bad":
            now("tested", f"Land {flight} now", f"{name}: {state.packs[name].why or 'failed its load test'}", "load test")
    left_s = _left_s(state, t, f, b) if t is not None else None
    place = _place(frame, state, t, f, now_s)
    return [
        replace(a, left_s=a.left_s if _of(a) == "volts" else left_s, place=place) if _of(a) in _COMES_DOWN else a for a in found
    ]


def _of(a: Alert) -> str:
    return a.key.split(":")[0]


_COMES_DOWN = ("volts", "energy", "fall", "far", "tested", "heat", "back")


def _volts(
    t: Telemetry, flight: str, floor_v: float, soon_v: float, whose: str, w: Watch, by_charge_s: float | None
) -> list[Alert]:
    """Return whether a cell has stayed at a level, or the mean of all where no cells are told; exactly at it counts.

    Time left is until the level at which it lands, by how its volts fall and by its charge, the shorter. At that level a cell
    does not keep what its charge promises: none is said.
    """
    held = held_v(t.recent, w.hold_s) if t.recent else t.lowest_v
    if held is None:
        return []
    what = "its lowest cell is" if t.lowest_v is not None else f"{t.total_v or 0.0:.1f} V in all, a cell"
    for grade, level_v, words in (("now", floor_v, f"Land {flight} now"), ("soon", soon_v, f"{flight}: bring it home")):
        if held <= level_v + 1e-9:
            reason = f"{what} at {held:.2f} V under load"
            left_s = _until_s(t, held, floor_v, by_charge_s) if grade == "soon" else None
            limit = f"{level_v:.2f} V, {whose}"
            return [Alert(f"volts:{flight}", cast(Grade, grade), words, reason, limit, "pilot", flight, left_s)]
    return []


def _until_s(t: Telemetry, held_at_v: float, floor_v: float, by_charge_s: float | None) -> float | None:
    slope = slope_v_s(t.recent)
    by_volts_s = (held_at_v - floor_v) / -slope if slope is not None and slope < 0.0 else None
    return min((s for s in (by_volts_s, by_charge_s) if s is not None), default=None)


def _falling(t: Telemetry, flight: str, w: Watch) -> list[Alert]:
    fell = fall_of(t.recent, w.fall_s)
    if fell is None or fell[0] < w.fall_frac:
        return []
    reason = f"dropped {fell[0]:.0%} in {fell[1]:.0f} s"
    return [
        Alert(
            f"fall:{flight}", "now", f"Bring {flight} home now", reason, f"{w.fall_frac:.0%} in {w.fall_s:.0f} s", "pilot", flight
        )
    ]


def _nearer(frame: Frame, state: DayState, t: Telemetry, f: FlightNow, now_s: float, b: Bounds) -> list[Alert]:
    """Return whether a cold pack is farther out than its charge allows."""
    name = f.id.rstrip("+")
    rings, pack_c = frame.rings.get(name), t.pack_c if t.pack_c is not None else frame.settles_c.get(name)
    away_m = t.from_home_m if t.from_home_m is not None else _away_m(frame, state, f, now_s)
    if not rings or pack_c is None or t.left_frac is None or away_m is None or coldness(pack_c) <= 0.0:
        return []
    most_m = allowed_m(rings, t.left_frac, pack_c, b.cold)
    if away_m <= most_m:
        return []
    reason = f"{away_m:.0f} m out at {t.left_frac:.0%}, pack at {pack_c:.0f} °C"
    return [Alert(f"far:{f.id}", "soon", f"Bring {f.id} nearer", reason, f"{most_m:.0f} m", "pilot", f.id)]


def _left_s(state: DayState, t: Telemetry, f: FlightNow, b: Bounds) -> float | None:
    """Return how long a pack lasts until its minimum, at the draw of this flight so far or as it falls now, the shorter. [s]"""
    if t.left_frac is None:
        return None
    flown_s, planned = t.at_s - f.takeoff_s, state.sorties[f.id]
    used = min((p.frac for p in state.packs.values() if p.set == f.set), default=1.0) - t.left_frac
    rates = [planned.energy_frac / planned.flight_s]
    if flown_s >= 60.0 and used > 0.0:
        rates.append(used / flown_s)
    fell = fall_of(t.recent, KEPT_S)
    if fell is not None and fell[1] >= 8.0:
        rates.append(fell[0] / fell[1])
    return max(0.0, (t.left_frac - b.min_frac) / max(rates))


def _expected_at(frame: Frame, state: DayState, f: FlightNow, now_s: float) -> Resume | None:
    route, done = frame.routes.get(f.id.rstrip("+")), done_frac(frame, state, f.id, now_s)
    part = share_of_whole(state, f.id)
    return resume_at(route, 1.0 - part + part * min(0.999, done)) if route and done is not None else None


def _away_m(frame: Frame, state: DayState, f: FlightNow, now_s: float) -> float | None:
    at = _expected_at(frame, state, f, now_s)
    return at.from_home_m if at is not None else None


def _place(frame: Frame, state: DayState, t: Telemetry | None, f: FlightNow, now_s: float) -> str:
    """Return the nearest place to land, from where the aircraft tells that it is, else from where it is to be by the clock."""
    name = f.id.rstrip("+")
    route = frame.routes.get(name)
    spots = [*frame.spots.get(name, ())] + ([("home", *route.home)] if route else [])
    if t is not None and t.lon_deg is not None and t.lat_deg is not None:
        found = nearest(t.lon_deg, t.lat_deg, spots)
    else:
        at = _expected_at(frame, state, f, now_s)
        found = nearest(at.lon_deg, at.lat_deg, spots) if at is not None else None
    return found.words() if found is not None else ""


def _gaps(frame: Frame, state: DayState, now_s: float, w: Watch) -> list[Alert]:
    """Return the landings that brought fewer images or spread fewer litres than their work was to."""
    found = []
    for f in state.flights.values():
        route = frame.routes.get(f.id.rstrip("+"))
        if f.word != "landed" or f.work is None or route is None or not route.what or now_s - f.landing_s > _GAP_TOLD_S:
            continue
        wanted = planned_work(frame, state, f.id) * f.done_frac
        if f.work < wanted * (1.0 - w.gap_frac):
            words = (
                f"{f.id} left a gap" if state.flights.get(f"{f.id}+") is None else f"{f.id} left a gap beside what is to fly on"
            )
            reason = f"{f.work:.0f} {route.what} of {wanted:.0f}"
            found.append(
                Alert(f"gap:{f.id}", "soon", words, reason, f"{wanted * (1 - w.gap_frac):.0f} {route.what}", "lead", f.id)
            )
    return found


def planned_work(frame: Frame, state: DayState, flight: str) -> float:
    """Return the images or litres that a sortie is to bring or spread: its share of the whole that it continues."""
    route = frame.routes.get(flight.rstrip("+"))
    return share_of_whole(state, flight) * route.work if route else 0.0


def _relief(state: DayState, now_s: float, b: Bounds, w: Watch) -> list[Alert]:
    """Return when a crew has gone on too long without a break in which nothing flies; earlier in cold and heat."""
    up = any(f.word == "airborne" for f in state.flights.values())
    flown = [
        (f.takeoff_s, f.landing_s if f.word == "landed" else now_s)
        for f in state.flights.values()
        if f.word in ("airborne", "landed")
    ]
    limits, air_c = b.people, b.air_c
    harsh = air_c is not None and not _COLD_C <= air_c <= _HOT_C
    most_h = min(limits.spell_h, w.harsh_h) if harsh else limits.spell_h
    last = max((b for _, b in flown), default=-math.inf)
    if not flown or (not up and now_s - last >= 60.0 * limits.break_min):
        return []
    found = long_spells(flown, replace(limits, spell_h=most_h))
    if not found or found[-1][1] < last:
        return []
    since = (last - found[-1][0]) / 3600.0
    air = f" at {air_c:.0f} °C" if harsh else ""
    return [Alert("relief", "soon", "Relieve the crew", f"{since:.1f} h without a break{air}", f"{most_h:g} h", "lead", "crew")]


def _wind(state: DayState, gust: tuple[float, float] | None) -> list[Alert]:
    if gust is None or gust[0] <= gust[1]:
        return []
    up = [f.id for f in state.flights.values() if f.word == "airborne"]
    words = f"Turn back {', '.join(up)} now" if up else "The weather window is closed"
    return [
        Alert(
            "gust",
            "now" if up else "soon",
            words,
            f"gust of {gust[0]:.1f} m/s",
            f"{gust[1]:.1f} m/s",
            "pilot" if up else "lead",
            "gate",
        )
    ]


def _stops(state: DayState, stops: Sequence[SprayStop]) -> list[Alert]:
    """Return a stop for each job whose air has turned against spraying; what is up of it stops at once."""
    found = []
    for t in stops:
        of_job = [state.flights[name] for name in t.flights if name in state.flights]
        up = [f.id for f in of_job if f.word == "airborne"]
        ahead = [f.id for f in of_job if f.word not in ("airborne", "landed")]
        if not up and not ahead:
            continue
        words = f"Stop {', '.join(up)}: {t.why}" if up else f"Do not spray {t.job}: {t.why}"
        reason = f"nozzles off and home; then {t.remedy}" if up else t.remedy
        owner: Owner = "pilot" if up else "lead"
        found.append(Alert(f"stop:{t.job}:{t.limit}", "now" if up else "soon", words, reason, t.limit, owner, "gate"))
    return found


def _finds(state: DayState) -> list[Alert]:
    """Return what a find asks for: all that is up comes home, and nothing else is launched."""
    if not math.isfinite(state.found_s):
        return []
    up = [f.id for f in state.flights.values() if f.word == "airborne" and not math.isfinite(f.homing_s)]
    words = f"Found: call home {', '.join(up)}" if up else "Found: nothing more is launched"
    where = "{1:.6f}, {0:.6f}".format(*state.found_place) if state.found_place else ""
    reason = "; ".join(x for x in (state.found_words, where) if x) or "reported by the crew"
    return [Alert("found", "now" if up else "soon", words, reason, "", "pilot" if up else "lead", "gate")]


def _packs(frame: Frame, p: PackNow, now_s: float, low_c: float | None, w: Watch) -> list[Alert]:
    found = []
    if p.word == "port" and math.isfinite(p.since_s) and charge_now(frame, p, now_s) >= FULL:
        over = _full_since_s(frame, p, now_s)
        if over >= 60.0 * w.forgotten_min:
            found.append(
                Alert(
                    f"forgotten:{p.name}",
                    "soon",
                    f"Take {p.name} off port {p.port}",
                    f"full for {over / 60:.0f} min",
                    f"{w.forgotten_min:g} min",
                    "handler",
                    p.name,
                )
            )
    if p.pack_c is not None and p.word == "rest" and p.pack_c >= w.hot_c and now_s - p.landed_s < 1800.0:
        found.append(
            Alert(
                f"hot:{p.name}",
                "now",
                f"Lay {p.name} apart",
                f"it landed at {p.pack_c:.0f} °C",
                f"{w.hot_c:.0f} °C",
                "handler",
                p.name,
            )
        )
    if low_c is not None and p.pack_c is not None and p.word == "rest" and p.landed_s < p.charged_s and p.pack_c < low_c:
        found.append(
            Alert(
                f"cold:{p.name}",
                "soon",
                f"Warm {p.name} before it flies",
                f"{p.pack_c:.0f} °C",
                f"{low_c:.0f} °C",
                "handler",
                p.name,
            )
        )
    return found


def _full_since_s(frame: Frame, p: PackNow, now_s: float) -> float:
    """Return for how long a pack on its port has been full, to a minute. [s]"""
    at = now_s
    while at > p.since_s and charge_now(frame, p, at - 60.0) >= FULL:
        at -= 60.0
    return now_s - at


def load_now_w(frame: Frame, state: DayState) -> float:
    """Return what the chargers draw at most with the packs that are on now. [W]"""
    modes = (frame.mode(p.port, p.mode) for p in state.packs.values() if p.word == "port")
    return sum(m.wall_w for m in modes if m is not None)


def _supply(frame: Frame, state: DayState) -> list[Alert]:
    task: RotationTask = frame.task
    if state.power_out_s is not None:
        waiting = ", ".join(p.name for p in state.packs.values() if p.word == "port")
        return [Alert("power", "now", "No power", f"{waiting or 'no pack'} on the ports", "", "handler", "supply")]
    load = load_now_w(frame, state)
    if task.site_power_w is not None and load > task.site_power_w + 1.0:
        return [
            Alert(
                "load",
                "now",
                "Take a pack off its port",
                f"{load:.0f} W drawn at most",
                f"{task.site_power_w:.0f} W",
                "handler",
                "supply",
            )
        ]
    return []
