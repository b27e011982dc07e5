"""Who can search what by when, as the core counts it; and its plan as screens show it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta

from quarry.apps.day.fields import later, true_s
from quarry.apps.day.mappers import FleetNow
from quarry.apps.fleet.fields import charger_modes
from quarry.apps.fleet.mappers import charge_law
from quarry.apps.fleet.models import Charger, Pack, PackModel
from quarry.apps.jobs.mappers import Flights
from quarry.apps.search.fields import Place, SearchFields, TeamFields
from quarry.apps.search.mappers.standing import StandingOf, width_of
from quarry.apps.search.views import CurvePoint, NextOut, NextSortie, SearcherName
from quarry.apps.workings import to_working
from quarry.core.air.sun import light_spans, sun_spans
from quarry.core.base.errors import MissingInput
from quarry.core.base.sources import CHARNES, KOOPMAN
from quarry.core.base.working import Quantity, Step, Working
from quarry.core.defaults import SWAP
from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.scatter import Scatter
from quarry.core.search.effort import search_rate_per_s
from quarry.core.search.next_sorties import Assigned, Choices, Effort, Pool, Searcher, band
from quarry.core.search.night import thermal_hour

SWAP_S = SWAP.value
_READY_FRAC = 0.85
_ON_FOOT_DETOUR = 1.4
_DAYS_AHEAD = timedelta(days=3)
_LONGEST_ON_FOOT_S = 2 * 3600.0
_REST_ON_FOOT_S = 600.0
_SOON_S = 1800.0  # a first sortie that starts later is said with its hour

Span = tuple[datetime, datetime]


@dataclass(frozen=True, slots=True)
class Flyer:
    """An aircraft that can search, with its packs, the chargers that take them, and what it can fly.

    ``now``: packs and aircraft as the running day leaves them; ``windows``: what its limits leave of the time until the hour.
    """

    id: str
    name: str
    model: str
    pack_model: PackModel
    flights: Flights
    packs: Mapping[str, Sequence[Pack]]
    chargers: Sequence[Charger]
    swap_s: float
    now: FleetNow | None = None
    windows: Sequence[tuple[float, float]] | None = None

    def charge_of(self, pack: Pack) -> tuple[float, float] | None:
        """Return the charge of a pack and when it may fly [s from now], as the running day has it; None where it is out."""
        if self.now is None:
            return 1.0 if pack.charge_frac is None else pack.charge_frac, 0.0
        return self.now.charge.get(pack.name)


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked of the core, with who stands behind each searcher: kind, id, name; pools by name; from when times count."""

    effort: Effort
    who: tuple[tuple[SearcherName, str, str], ...]
    pools: tuple[str, ...]
    spacing_width_m: tuple[tuple[float, ...], ...]
    lines_m_s: tuple[float, ...]
    begins: datetime
    notes: tuple[str, ...]
    given_frac: float = 0.0


def asked_of(
    f: SearchFields,
    standing: StandingOf,
    flyers: Sequence[Flyer],
    tried: Mapping[tuple[str, str], float],
    now: datetime,
    until: datetime,
    air_c: float | None = None,
    given: Sequence[tuple[str, float]] = (),
) -> Asked:
    """Return who can search which segment, as the core counts it; an eye on the screen only while there is light.

    ``given``: segments that are out with a crew and not reported yet, with the POD they were given.

    Raises
    ------
    SearchError
        Nobody can search, or the hour has passed.
    """
    notes: list[str] = []
    shares, given_frac = _left_of(f, standing, given, notes)
    if until <= now:
        raise MissingInput("The hour that counts has passed. Choose a later one.", "what.until")
    if f.home is None and flyers:
        raise MissingInput("Set home: the place of take-off and landing.", "what.home")
    light = light_of(f, now, until)
    if flyers:
        notes += light_notes(f, now, until)
    notes += night_notes(f, now, until, air_c)
    searchers: list[Searcher] = []
    who: list[tuple[SearcherName, str, str]] = []
    widths: list[tuple[float, ...]] = []
    speeds: list[float] = []
    pools: dict[str, Pool] = {}
    names: list[str] = []
    for flyer in flyers:
        if flyer.flights.lines_m_s <= 0:
            notes.append(f"{flyer.name} cannot hold its lines in this wind.")
            continue
        open_s = _open(flyer, light, now, notes)
        if not open_s:
            continue
        if flyer.model not in pools:
            pools[flyer.model] = _pool(flyer, notes)
            names.append(flyer.pack_model.name)
        if not pools[flyer.model].ready_s:
            notes.append(f"No pack for {flyer.name} can fly now.")
            continue
        own = tuple(width_of(s, f, tried)[0] for s in f.segments)
        searchers.append(_in_the_air(flyer, f, standing, own, open_s, list(pools).index(flyer.model)))
        who.append(("aircraft", flyer.id, flyer.name))
        widths.append(own)
        speeds.append(flyer.flights.lines_m_s)
    for team in f.teams:
        one, own = _on_foot(team, f, standing, tried, now, until)
        if one is None:
            notes.append(f"{team.name} has no place to start from, or its hours have passed.")
            continue
        searchers.append(one)
        who.append((team.kind, "", team.name))
        widths.append(own)
        speeds.append(team.speed_m_s)
    if not searchers:
        lacks = "Choose an aircraft, or add a team on foot." if not flyers and not f.teams else " ".join(notes)
        raise MissingInput(lacks, "what.aircraft_ids")
    effort = Effort(shares, tuple(searchers), tuple(pools.values()), f.law, true_s(now, until))
    return Asked(effort, tuple(who), tuple(names), tuple(widths), tuple(speeds), now, tuple(notes), given_frac)


def _left_of(
    f: SearchFields, standing: StandingOf, given: Sequence[tuple[str, float]], notes: list[str]
) -> tuple[tuple[float, ...], float]:
    """Return what each segment holds beyond what is out with a crew already, and the chance of success of that."""
    index = {s.id: k for k, s in enumerate(f.segments)}
    shares, out = list(standing.now.shares.of), 0.0
    for segment, detection in given:
        k = index.get(segment)
        if k is None:
            continue
        out += shares[k] * detection
        shares[k] *= 1 - detection
        notes.append(f"Segment {f.segments[k].name} is out: it counts with POD {detection:.0%} until its report comes.")
    return tuple(shares), out


def _open(flyer: Flyer, light: Sequence[Span], now: datetime, notes: list[str]) -> tuple[tuple[float, float], ...]:
    """Return the windows in which an aircraft can search [s]; none where light, its limits or the running day leave nothing."""
    free = flyer.now.free_s.get(flyer.id, 0.0) if flyer.now is not None else 0.0
    if free >= 60:
        notes.append(f"{flyer.name} is free at {later(now, free):%H:%M}, when what is planned of it is flown.")
    lit = [(max(true_s(now, a), free), true_s(now, b)) for a, b in light]
    lit = [(a, b) for a, b in lit if b > a]
    whole = lit if flyer.windows is None else sorted(flyer.windows)
    left = tuple((max(a, c), min(b, d)) for a, b in whole for c, d in lit if min(b, d) > max(a, c))
    if not left and lit and flyer.windows is not None:
        notes.append(f"The limits of {flyer.name} leave it no weather window until then.")
    elif left and left != tuple(lit):
        times = [f"{later(now, a):%H:%M} to {later(now, b):%H:%M}" for a, b in left]
        notes.append(f"Limits leave {flyer.name} {', '.join(times)}.")
    return left


def light_of(f: SearchFields, now: datetime, until: datetime) -> list[Span]:
    """Return while an aircraft's camera sees people: by eyes from civil dawn to dusk, by heat at any hour."""
    place = f.point or f.home
    if f.sensor != "camera" or place is None or until <= now:
        return [(now, until)]
    return _clocked(light_spans, place, now, until)


def _clocked(spans: Callable[..., tuple[tuple[float, float], ...]], place: Place, begins: datetime, ends: datetime) -> list[Span]:
    """Return spans of light or sun as moments, in the zone of the first; whole where nothing is cut off."""
    midnight = datetime.combine(begins.astimezone(UTC).date(), time(), UTC)
    from_min, to_min = (true_s(midnight, t) / 60 for t in (begins, ends))

    def moment(at_min: float) -> datetime:
        at = begins if at_min == from_min else ends if at_min == to_min else midnight + timedelta(minutes=at_min)
        return at.astimezone(begins.tzinfo)

    return [(moment(a), moment(b)) for a, b in spans(*place, midnight.date(), from_min, to_min)]


def light_notes(f: SearchFields, now: datetime, until: datetime) -> list[str]:
    """Return what darkness takes of the time until the hour, and when light comes; nothing where there is light for all of it."""
    light = light_of(f, now, until)
    if light == [(now, until)]:
        return []
    again = first_light(f, now)
    if not light:
        return [f"It is dark until {again or until:%H:%M}: an eye on the screen sees nobody before. A thermal camera does."]
    spans = ", ".join(
        " ".join(w for w in ("" if a == now else f"from {a:%H:%M}", "" if b == until else f"until {b:%H:%M}") if w)
        for a, b in light
    )
    comes = f" First light is at {again:%H:%M}." if again is not None and again >= until else ""
    return [f"Light for eyes {spans}: an eye on the screen counts for nothing in the dark.{comes}"]


def lit_frac(f: SearchFields, flown: Sequence[Span]) -> float:
    """Return the share of a time in the air in which the camera saw people; all of it where no time is known."""
    whole_s = sum(true_s(a, b) for a, b in flown)
    lit_s = sum(true_s(c, d) for a, b in flown if b > a for c, d in light_of(f, a, b))
    return lit_s / whole_s if whole_s > 0 else 1.0


def first_light(f: SearchFields, now: datetime) -> datetime | None:
    """Return when an eye on the screen sees again after the next dark; None with other cameras, and where the sun does not rise for days."""
    spans = light_of(f, now, now + _DAYS_AHEAD)
    return next((a for a, _ in spans if a > now), None)


def night_notes(f: SearchFields, now: datetime, until: datetime, air_c: float | None) -> list[str]:
    """Return what the night asks for, and how well a thermal camera sees people by then."""
    place = f.point or f.home
    if place is None:
        return []
    spans = _clocked(sun_spans, place, now - timedelta(days=1), until)
    up = next((b for a, b in spans if a <= now < b), None)
    down = max((b for _, b in spans if b <= now), default=None)
    notes = []
    if up is None or up < until:
        at = f" from {up.astimezone(now.tzinfo):%H:%M}" if up is not None else ""
        notes.append(f"Night{at}: lights on aircraft and crew as local rules ask, and rest for those who have been up.")
    if f.sensor == "thermal":
        since = true_s(down, now) if down is not None and up is None else None
        hour = thermal_hour(air_c, since, sun_up=up is not None)
        notes.append(f"Thermal camera: {hour.word} now, {hour.why}.")
    return notes


def _in_the_air(
    flyer: Flyer,
    f: SearchFields,
    standing: StandingOf,
    own: tuple[float, ...],
    open_s: tuple[tuple[float, float], ...],
    pool: int,
) -> Searcher:
    """Return an aircraft as a searcher with its sweep width over each segment and the windows in which it can fly [s]."""
    x, y = standing.ground.frame.to_metres([f.home] if f.home else [])[0]
    travel = tuple(
        2 * math.hypot(m.x - x, m.y - y) / flyer.flights.ways_m_s + flyer.flights.fixed_s
        for m in (s.representative_point() for s in standing.ground.segments)
    )
    rates = tuple(_flown_rate(w, float(s.area), flyer.flights) for w, s in zip(own, standing.ground.segments, strict=True))
    longest = min(t for _, t in flyer.flights.sets)
    return Searcher(flyer.name, open_s, longest, flyer.swap_s, travel, rates, pool)


def _flown_rate(width_m: float, area_m2: float, flights: Flights) -> float:
    """Return the coverage that a second over a segment adds, the turns between its lines counted. [1/s]"""
    line_m = math.sqrt(area_m2)
    on_line = line_m / flights.lines_m_s
    return search_rate_per_s(width_m, flights.lines_m_s * on_line / (on_line + flights.turn_s), area_m2)


def _pool(flyer: Flyer, notes: list[str]) -> Pool:
    """Return the sets of an aircraft: charged ones are ready, others when a port has filled them."""
    model = flyer.pack_model
    watts, ports = 0.0, 0
    for c in flyer.chargers:
        watts = max(watts, max((m.pack_w for m in charger_modes(c.model)), default=0.0))
        ports += c.model.ports
    law = charge_law(model)

    def charge_s(from_frac: float) -> float:
        return charge_time_s(model.rated_wh, from_frac, watts, law) if watts > 0 else math.inf

    each = max((len(p) for p in flyer.packs.values()), default=1)
    at_once = ports // each if each else 0
    free = [0.0] * at_once
    ready, waits = [], []
    for name, _ in flyer.flights.sets:
        members = flyer.packs.get(name, ())
        known = [flyer.charge_of(p) for p in members]
        there = [x for x in known if x is not None]
        if len(there) < len(known):
            continue
        frac, rested = min((x[0] for x in there), default=1.0), max((x[1] for x in there), default=0.0)
        if frac >= _READY_FRAC:
            ready.append(rested)
        elif free and watts > 0:
            k = free.index(min(free))
            free[k] = max(free[k], rested) + charge_s(frac)
            ready.append(free[k])
        else:
            waits.append(name)
    if waits:
        notes.append(f"Not charged, and no charger takes them: {', '.join(waits)}.")
    return Pool(tuple(sorted(ready)), charge_s(flyer.flights.landing_frac) if watts > 0 else 1.0, at_once)


def _on_foot(
    team: TeamFields,
    f: SearchFields,
    standing: StandingOf,
    tried: Mapping[tuple[str, str], float],
    now: datetime,
    until: datetime,
) -> tuple[Searcher | None, tuple[float, ...]]:
    at = team.at or f.home or f.point
    begins, ends = _hours(team, now)
    last = min(until, ends) if ends else until
    if at is None or (begins or now) >= last:
        return None, ()
    own = tuple(width_of(s, f, tried, team.kind)[0] for s in f.segments)
    x, y = standing.ground.frame.to_metres([at])[0]
    travel = tuple(
        2 * _ON_FOOT_DETOUR * math.hypot(m.x - x, m.y - y) / max(1.6 * team.speed_m_s, 0.3)
        for m in (s.representative_point() for s in standing.ground.segments)
    )
    rates = tuple(search_rate_per_s(w, team.speed_m_s, float(s.area)) for w, s in zip(own, standing.ground.segments, strict=True))
    ready = max(0.0, true_s(now, begins)) if begins else 0.0
    return Searcher(team.name, ((ready, true_s(now, last)),), _LONGEST_ON_FOOT_S, _REST_ON_FOOT_S, travel, rates), own


def _hours(team: TeamFields, now: datetime) -> tuple[datetime | None, datetime | None]:
    """Return from when until when a team is there: its hours that are under way or come next, also over midnight."""
    begins, ends = (_clock(c, now) if c else None for c in (team.from_clock, team.until_clock))
    if begins is None or ends is None:
        return begins, ends
    day = timedelta(days=1)
    long = (ends - begins) % day or day
    begins -= 2 * day
    while begins + long <= now:
        begins += day
    return begins, begins + long


def _clock(words: str, now: datetime) -> datetime:
    """Return the moment of a clock time nearest to now: in the next half day, else of today."""
    hour, _, minute = words.partition(":")
    try:
        at = now.replace(hour=int(hour), minute=int(minute or 0), second=0, microsecond=0)
    except ValueError as bad:
        raise MissingInput(f"“{words[:10]}” is no time of day. Write it as 10:00.", "what.teams") from bad
    return at if at > now - timedelta(hours=12) else at + timedelta(days=1)


def next_out(f: SearchFields, standing: StandingOf, asked: Asked, found: Choices, until: datetime, scatter: Scatter) -> NextOut:
    """Return a plan in words and figures: what is found by now counts before it."""
    had = standing.now.success_frac

    def whole(success: float) -> float:
        return had + (1 - had) * (asked.given_frac + success)

    plan = found.plan
    sorties = [_sortie(a, f, asked, whole) for a in plan.sorties]
    first = sorties[0]
    last = later(asked.begins, max(a.end_s for a in plan.sorties))
    begins = later(asked.begins, plan.sorties[0].start_s)
    when = "" if plan.sorties[0].start_s < _SOON_S else f", at {begins:%H:%M}"
    when += "" if begins.date() == asked.begins.date() else f" on {begins:%d %B}".replace(" 0", " ")
    instead = ""
    if found.instead is not None and found.instead.sorties:
        other = _sortie(found.instead.sorties[0], f, asked, whole)
        lost = 100 * (plan.success_frac - found.instead.success_frac) * (1 - had)
        instead = f"Beginning with {other.name} instead: {whole(found.instead.success_frac):.0%} by {until:%H:%M}, " + (
            f"{lost:.1f} points less." if lost >= 0.05 else "as much."
        )
    more = []
    for key, success in found.more:
        kind, _, k = key.partition(" ")
        gain = 100 * (1 - had) * (success - plan.success_frac)
        what = f"One more set of {asked.pools[int(k)]}" if kind == "pack" else f"One more like {asked.who[int(k)][2]}"
        more.append(
            f"{what}: {whole(success):.0%} by {until:%H:%M}"
            + (f", {gain:.1f} points more." if gain >= 0.05 else ", nothing more.")
        )
    return NextOut(
        words=f"Next{when}: {first.words}; POS {whole(0.0):.0%} → {whole(plan.success_frac):.0%} by {last:%H:%M}.",
        sorties=sorties,
        until=until.isoformat(),
        now_frac=had,
        success_frac=whole(plan.success_frac),
        at_most_frac=whole(plan.at_most_frac),
        proven=plan.proven,
        instead=instead,
        more=more,
        curve=_curve(asked, plan.sorties, scatter, whole),
        notes=list(asked.notes),
        working=to_working(_working(plan.sorties[0], f, standing, asked, plan.at_most_frac, proven=plan.proven)),
    )


def _sortie(a: Assigned, f: SearchFields, asked: Asked, whole: Callable[[float], float]) -> NextSortie:
    kind, pk, name = asked.who[a.searcher]
    segment = f.segments[a.segment]
    width = asked.spacing_width_m[a.searcher][a.segment]
    spacing = width / a.coverage if a.coverage > 0 else width
    minutes = (a.end_s - a.start_s) / 60
    starts = later(asked.begins, a.start_s)
    return NextSortie(
        who=name,
        searcher=kind,
        aircraft_id=pk,
        segment=segment.id,
        name=segment.name,
        starts_at=starts.isoformat(),
        ends_at=later(asked.begins, a.end_s).isoformat(),
        time_s=a.end_s - a.start_s,
        on_scene_s=a.on_scene_s,
        coverage=a.coverage,
        spacing_m=spacing,
        detection_frac=a.detection_frac,
        before_frac=whole(a.before_frac),
        after_frac=whole(a.after_frac),
        words=f"segment {segment.name} at {spacing:.0f} m spacing with {name}, {minutes:.0f} min",
    )


def _curve(asked: Asked, sorties: Sequence[Assigned], scatter: Scatter, whole: Callable[[float], float]) -> list[CurvePoint]:
    return [
        CurvePoint(p.at_s, whole(p.success_frac), whole(p.low_frac), whole(p.high_frac))
        for p in band(asked.effort, sorties, scatter)
    ]


def _working(first: Assigned, f: SearchFields, standing: StandingOf, asked: Asked, at_most: float, *, proven: bool) -> Working:
    share = standing.now.shares.of[first.segment]
    searcher = asked.effort.searchers[first.searcher]
    width = asked.spacing_width_m[first.searcher][first.segment]
    steps = (
        Step("share_frac", share, "", f"share of {f.segments[first.segment].name} as it stands", source=KOOPMAN, kind="input"),
        Step("sweep_width_m", width, "m", "sweep width over its ground", source=KOOPMAN, kind="input"),
        Step(
            "coverage",
            first.coverage,
            "",
            "coverage = rate × time on the lines",
            (
                Quantity("rate_per_s", searcher.rates_per_s[first.segment], "1/s"),
                Quantity("on_scene_s", first.on_scene_s, "s"),
            ),
            KOOPMAN,
        ),
        Step("detection_frac", first.detection_frac, "", "POD of this coverage", source=KOOPMAN, kind="run"),
        Step(
            "success_frac",
            share * first.detection_frac,
            "",
            "success = area's share × detection",
            (Quantity("share_frac", share, ""), Quantity("detection_frac", first.detection_frac, "")),
            KOOPMAN,
            uses=("share_frac", "detection_frac"),
        ),
        Step(
            "at_most_frac",
            at_most,
            "",
            "what no plan can beat by the hour: all time in the air divided at will",
            source=CHARNES,
            kind="run",
            note="proven the best of whole sorties" if proven else "",
        ),
    )
    return Working("next sortie", share * first.detection_frac, "", steps)
