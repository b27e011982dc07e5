"""What holds a day back: the same day with one more, or one less, of each thing, and over a grid of packs and ports.

No answer contradicts another: one more of something can always be left unused, so its day ends no later than the day
without it, and one less never helps.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ALGEBRA, PRACTICE
from quarry.core.base.working import Quantity, Step, Working, summed
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import FULL, Charger, Craft, Crew, PackSet, Rotation, RotationTask, duration_s
from quarry.core.rotation.steady_state import ports_needed

Thing = Literal["set", "full_set", "charged", "port", "power", "aircraft", "crew", "hour", "rest", "swap"]


class Ends(NamedTuple):
    """When a changed day would end, and before which no plan of it ends. [s]"""

    finish_s: float
    bound_s: float


Finish = Callable[[RotationTask], Ends]  # raises `CoreError` if the day cannot be flown
_EXTRA = "one more"


@dataclass(frozen=True, slots=True)
class Lever:
    """One change to a day: what, how many, and when the day would end; None if it could not be flown.

    ``most_s``: what it could save at most, by what is proven of the changed day. [s]
    """

    thing: Thing
    by: int
    words: str
    finish_s: float | None
    saves_s: float | None
    why_not: str = ""
    most_s: float | None = None


def by_rule(task: RotationTask, plays: int | None = None) -> Ends:
    """Return when a day ends that the dispatcher plans, and its bound."""
    plan = dispatch(task, plays=plays)
    return Ends(plan.makespan_s, plan.lower_bound_s)


def sensitivity(task: RotationTask, finish_s: float, finish: Finish = by_rule, power_step_w: float = 500.0) -> tuple[Lever, ...]:
    """Return what one more and one less of each thing would do, the greatest saving first.

    Parameters
    ----------
    task : RotationTask
        The day as it is.
    finish_s : float
        When its best known plan ends.
    finish : callable
        How changed days are planned: by the dispatcher, or as well as the day itself was.
    power_step_w : float
        How much more, or less, the supply gives in its lever. [W]
    """
    found = [_tried(thing, by, words, changed, finish_s, finish) for thing, by, words, changed in _changes(task, power_step_w)]
    return tuple(sorted(found, key=lambda x: (x.by < 0, -(x.saves_s if x.saves_s is not None else -math.inf))))


def _tried(thing: Thing, by: int, words: str, changed: RotationTask, finish_s: float, finish: Finish) -> Lever:
    try:
        ends, bound_s = finish(changed)
    except CoreError as bad:
        if by > 0:  # by rule no day was found; the day as it is can still be flown
            return Lever(thing, by, words, finish_s, 0.0, most_s=None)
        return Lever(thing, by, words, None, None, bad.message)
    # More can be left unused, less cannot help: the plays by rule are not perfect, what they are held against is.
    ends = min(ends, finish_s) if by > 0 else max(ends, finish_s)
    best_s = finish_s - bound_s if by > 0 else min(0.0, finish_s - bound_s)
    return Lever(thing, by, words, ends, finish_s - ends, most_s=max(finish_s - ends, best_s))


def _changes(task: RotationTask, power_step_w: float) -> Iterable[tuple[Thing, int, str, RotationTask]]:
    types = {c.id: c.type for c in task.aircraft}
    for kind in dict.fromkeys(types.values()):
        of_kind = [s for s in task.sets if s.type == kind]
        if not of_kind:
            continue
        usual = _usual(of_kind)
        of = "set" if usual.packs > 1 else "pack"
        like = f" like {usual.id}" if len(dict.fromkeys(types.values())) > 1 else ""
        yield "set", 1, f"one more {of}{like} at {usual.start_frac:.0%}", with_sets(task, kind, 1)
        if usual.start_frac < FULL:  # else the same thing would stand there under two names
            yield "full_set", 1, f"one more full {of}{like}", with_sets(task, kind, 1, start_frac=1.0)
        part = [s for s in of_kind if s.start_frac < FULL]
        if part:
            most = min(part, key=lambda s: s.start_frac)
            yield "charged", 1, f"{most.id} charged the evening before", _charged(task, {most.id})
            if len(part) > 1:
                yield (
                    "charged",
                    len(part),
                    f"all {len(part)} of these charged the evening before",
                    _charged(task, {s.id for s in part}),
                )
        if len(of_kind) > 1:
            yield "set", -1, f"one {of} less{like}", with_sets(task, kind, -1)
    if any(c.ports and c.modes for c in task.chargers):
        yield "port", 1, "one more port", with_ports(task, 1)
        yield "port", -1, "one port less", with_ports(task, -1)
    if task.site_power_w is not None:
        for by in (1, -1):
            watts = max(1.0, task.site_power_w + by * power_step_w)
            yield (
                "power",
                by,
                f"{power_step_w:.0f} W {'more' if by > 0 else 'less'} from the supply",
                replace(task, site_power_w=watts),
            )
    yield from _more_craft(task)
    yield from _crews(task)
    if task.windows:
        yield "hour", 1, "one hour more at the end of the day", replace(task, windows=_longer(task.windows, 3600.0))
        yield "hour", -1, "one hour less at the end of the day", replace(task, windows=_longer(task.windows, -3600.0))
    if task.rest_after_flight_s > 60:
        yield (
            "rest",
            1,
            "half the rest after flight, packs cooled",
            replace(task, rest_after_flight_s=task.rest_after_flight_s / 2),
        )
    if task.swap_s > 60:
        quicker = tuple(replace(c, fill_s=max(0.0, c.fill_s - 60)) for c in task.aircraft)
        yield "swap", 1, "a minute less for each swap", replace(task, swap_s=task.swap_s - 60, aircraft=quicker)


def _usual(sets: list[PackSet]) -> PackSet:
    """Return the set in the middle by strength: what one more of its kind would be like."""
    return sorted(sets, key=lambda s: (s.capacity_wh, s.id))[len(sets) // 2]


def with_sets(task: RotationTask, kind: str, more: int, start_frac: float | None = None) -> RotationTask:
    """Return the day with so many more sets of a type like its usual one, or fewer: the least charged go first."""
    of_kind = [s for s in task.sets if s.type == kind]
    if more < 0:
        gone = {s.id for s in sorted(of_kind, key=lambda s: (s.start_frac, s.capacity_wh))[:-more]}
        return replace(task, sets=tuple(s for s in task.sets if s.id not in gone))
    usual = _usual(of_kind)
    new = [
        replace(usual, id=f"{_EXTRA} {n + 1}", start_frac=usual.start_frac if start_frac is None else start_frac, from_s=0.0)
        for n in range(more)
    ]
    flights = tuple(
        replace(f, only=(*f.only, *(s.id for s in new))) if f.only is not None and usual.id in f.only else f for f in task.flights
    )
    return replace(task, sets=(*task.sets, *new), flights=flights)


def _charged(task: RotationTask, names: set[str]) -> RotationTask:
    return replace(task, sets=tuple(replace(s, start_frac=1.0) if s.id in names else s for s in task.sets))


def with_ports(task: RotationTask, more: int) -> RotationTask:
    """Return the day with so many more ports like its fastest, or fewer: the slowest chargers lose theirs first."""
    chargers = [c for c in task.chargers if c.modes]
    best = max(chargers, key=lambda c: max(m.pack_w for m in c.modes))
    if more > 0:
        extra = Charger(_EXTRA, more, best.modes, None, types=best.types)
        return replace(task, chargers=(*task.chargers, extra))
    left, out = -more, []
    for c in sorted(task.chargers, key=lambda c: max((m.pack_w for m in c.modes), default=0.0)):
        take = min(left, c.ports)
        left -= take
        out.append(replace(c, ports=c.ports - take))
    return replace(task, chargers=tuple(out))


def _more_craft(task: RotationTask) -> Iterable[tuple[Thing, int, str, RotationTask]]:
    """A second aircraft takes the later half of the flights of the busiest."""
    busiest = max(task.aircraft, key=lambda c: sum(f.flight_s for f in task.flights if f.aircraft == c.id))
    mine = [f for f in task.flights if f.aircraft == busiest.id]
    if len(mine) < 2:
        return
    moved = {f.id for f in mine[(len(mine) + 1) // 2 :]}
    second = Craft(f"{busiest.id} {_EXTRA}", busiest.type, busiest.from_s, busiest.fill_s)
    flights = tuple(replace(f, aircraft=second.id) if f.id in moved else f for f in task.flights)
    yield (
        "aircraft",
        1,
        "one more aircraft and crew for the later half",
        replace(task, aircraft=(*task.aircraft, second), flights=flights),
    )


def _crews(task: RotationTask) -> Iterable[tuple[Thing, int, str, RotationTask]]:
    """One crew more takes over an aircraft of the busiest; with one less, two crews become one."""
    flown = {f.aircraft for f in task.flights}
    shared = [c for c in task.crews if len(flown & set(c.aircraft)) > 1]
    if shared:
        busiest = max(shared, key=lambda c: sum(f.flight_s for f in task.flights if f.aircraft in c.aircraft))
        kept = max(
            (a for a in busiest.aircraft if a in flown), key=lambda a: sum(f.flight_s for f in task.flights if f.aircraft == a)
        )
        rest = replace(busiest, aircraft=tuple(a for a in busiest.aircraft if a != kept))
        yield "crew", 1, "one more crew", replace(task, crews=tuple(rest if c is busiest else c for c in task.crews))
    alone = tuple(Crew(a, (a,)) for a in sorted(flown) if task.crew_of(a) is None)
    crews = sorted((*task.crews, *alone), key=lambda c: sum(f.flight_s for f in task.flights if f.aircraft in c.aircraft))
    if len(crews) > 1:
        one, other, *rest_of = crews
        both = Crew(one.id, (*one.aircraft, *other.aircraft), max(one.from_s, other.from_s))
        yield "crew", -1, "one crew less", replace(task, crews=(both, *rest_of))


def _longer(windows: tuple[tuple[float, float], ...], by_s: float) -> tuple[tuple[float, float], ...]:
    *rest, (a, b) = windows
    return (*rest, (a, b + by_s)) if b + by_s > a else tuple(rest)


@dataclass(frozen=True, slots=True)
class Grid:
    """Last landing by how many sets and ports there are; None where it cannot be flown. [s]"""

    sets: tuple[int, ...]
    ports: tuple[int, ...]
    finish_s: tuple[tuple[float | None, ...], ...]
    here: tuple[int, int]


def packs_by_ports(
    task: RotationTask, kind: str, finish_s: float, reach: int = 3, report: Callable[[float], bool] | None = None
) -> Grid:
    """Return the grid *sets × ports → last landing* around the day for one type of set.

    ``report`` is told the share done and answers whether to go on; cells not reached are None.
    """
    n = sum(1 for s in task.sets if s.type == kind)
    ports_count = sum(c.ports for c in task.chargers)
    sets = tuple(range(max(1, n - reach), n + reach + 1))
    ports = tuple(range(max(1, ports_count - reach), ports_count + reach + 1))
    rows: list[list[float | None]] = []
    for i, a in enumerate(sets):
        row: list[float | None] = []
        for b in ports:
            if report is not None and not report((i * len(ports) + len(row)) / (len(sets) * len(ports))):
                row.append(None)
                continue
            try:
                row.append(
                    finish_s
                    if (a, b) == (n, ports_count)
                    else by_rule(with_ports(with_sets(task, kind, a - n), b - ports_count), 24).finish_s
                )
            except CoreError:
                row.append(None)
        rows.append(row)
    return Grid(sets, ports, tuple(tuple(r) for r in _monotone(rows)), (n, ports_count))


def _monotone(rows: list[list[float | None]]) -> list[list[float | None]]:
    """More can be left unused: no cell ends later than one with fewer of both."""
    for i, row in enumerate(rows):
        for j, value in enumerate(row):
            less = [rows[i - 1][j] if i else None, row[j - 1] if j else None, value]
            known = [x for x in less if x is not None]
            row[j] = min(known) if known else None
    return rows


@dataclass(frozen=True, slots=True)
class Enough:
    """Sets and ports so that no aircraft of a type waits in the steady state, beside those that are there."""

    type: str
    sets_needed: int
    ports_needed: int
    sets: int
    ports: int
    working: Working


def enough(task: RotationTask) -> tuple[Enough, ...]:
    """Return for each type of set how many sets and ports it takes so that nobody waits: means of its flights, closed form."""
    types = {c.id: c.type for c in task.aircraft}
    found = []
    for kind in dict.fromkeys(types.values()):
        modes = [m for c in task.chargers if c.charges(kind) for m in c.modes]
        flights = [f for f in task.flights if types[f.aircraft] == kind]
        sets = [s for s in task.sets if s.type == kind]
        if not flights or not sets or not modes:
            continue
        craft = sum(1 for t in types.values() if t == kind)
        usual = _usual(sets)
        fast = max(modes, key=lambda m: m.pack_w)
        mean = sum(f.flight_s for f in flights) / len(flights)
        swap_s = task.mean_swap_s(flights)
        slot = mean + swap_s
        used = sum(f.energy_frac for f in flights) / len(flights)
        charge = duration_s(usual, max(0.0, 1.0 - used), fast)
        cycle = slot - swap_s + task.rest_after_flight_s + charge + task.rest_after_charge_s
        need = math.ceil(craft * cycle / slot - 1e-9)
        ports = ports_needed(slot / (craft * usual.packs), charge)
        steps = (
            summed(
                "slot_s",
                (Quantity("mean_flight_s", mean, "s"), Quantity("swap_s", swap_s, "s")),
                unit="s",
                words="sum: mean flight and swap",
            ),
            Step("charge_s", charge, "s", f"from {1 - used:.0%} to full at {fast.pack_w:.0f} W", source=ALGEBRA, kind="run"),
            summed(
                "cycle_s",
                (
                    Quantity("mean_flight_s", mean, "s"),
                    Quantity("rest_after_flight_s", task.rest_after_flight_s, "s"),
                    Quantity("charge_s", charge, "s"),
                    Quantity("rest_after_charge_s", task.rest_after_charge_s, "s"),
                ),
                unit="s",
                words="sum: flight + rest + charge + rest",
            ),
            Step(
                "ports",
                ports,
                "",
                f"{craft} aircraft × {usual.packs} a set × charge ÷ slot, rounded up",
                source=PRACTICE,
                kind="limit",
            ),
            Step("sets", need, "", f"{craft} aircraft × cycle ÷ slot, rounded up", source=PRACTICE, kind="limit"),
        )
        found.append(
            Enough(
                kind,
                need,
                ports,
                len(sets),
                sum(c.ports for c in task.chargers),
                Working("So that nobody waits", need, "", steps),
            )
        )
    return tuple(found)


def worth_of_planning_s(task: RotationTask, plan: Rotation) -> float | None:
    """Return how much earlier a plan ends than the plain rule; None where that rule finds no day. [s]"""
    plain_rule = earliest_ready(task)
    return None if plain_rule is None else max(0.0, plain_rule.makespan_s - plan.makespan_s)
