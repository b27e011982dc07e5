"""The verdict on a pack: in service, not yet tested, watch, replace soon, grounded, with every rule that speaks as a row.

The worst rule decides. Age alone never retires a pack. Swelling or damage grounds it for good. Days are numbers
on any common count, fractions of a day allowed; cycles are equivalent full cycles.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from quarry.core.base.errors import OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA, ASSUMED, ENTERED, MEASURED, PRACTICE, Source
from quarry.core.base.working import Quantity, Step, Working, explain, formula, given

Level = Literal["in service", "not yet tested", "watch", "replace soon", "grounded"]
LEVELS: tuple[Level, ...] = ("in service", "not yet tested", "watch", "replace soon", "grounded")
JudgedVerdict = Literal["good", "replace soon", "bad", "inconclusive"]


@dataclass(frozen=True, slots=True)
class LoadTestSeen:
    """A load test that was judged; ``spread_v`` is known where each cell was seen, the levels where it was judged by them.

    ``grounds``: the policy grounds a pack on this verdict.
    """

    day: float
    verdict: JudgedVerdict
    weakest_v: float
    weakest_cell: int = 0
    spread_v: float | None = None
    good_v: float | None = None
    bad_v: float | None = None
    grounds: bool = False


@dataclass(frozen=True, slots=True)
class ResistanceSeen:
    """Resistance of each cell brought to 25 °C."""

    day: float
    cycles: float
    cell_ohm: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class CapacitySeen:
    """State of health as a charge-back or a full discharge told it."""

    day: float
    cycles: float
    health_frac: float


@dataclass(frozen=True, slots=True)
class PackHistory:
    """What is known of one pack. Lists stand in order of time; None and empty mean not measured.

    ``released_why`` is set after a lead let it fly again. ``flown_low_v``: lowest cell under load in its last flight, and
    ``land_v`` the volts at which its chemistry lands. ``store_c`` and ``store_frac``: air and humidity of its place, as entered last.
    """

    tests: tuple[LoadTestSeen, ...] = ()
    resistance: tuple[ResistanceSeen, ...] = ()
    capacity: tuple[CapacitySeen, ...] = ()
    cycles: float = 0.0
    deep_count: int = 0
    bought_day: float | None = None
    last_used_day: float | None = None
    rest_spread_v: float | None = None
    flown_low_v: float | None = None
    land_v: float | None = None
    moist: bool = False
    store_c: float | None = None
    store_frac: float | None = None
    full_lapses_count: int = 0
    heat_lapses_count: int = 0
    swollen: bool = False
    damaged: bool = False
    grounded_why: str = ""
    released_why: str = ""


@dataclass(frozen=True, slots=True)
class Threshold:
    """From where a rule says watch, and from where replace soon (None: never), with the reason for both."""

    watch: float
    replace: float | None
    reason: str
    source: Source = PRACTICE


@dataclass(frozen=True, slots=True)
class HealthPolicy:
    """The thresholds of an organisation."""

    resistance_growth: Threshold = Threshold(1.5, 2.0, "half as much again is seen in flight, twice is felt", ASSUMED)
    capacity_frac: Threshold = Threshold(0.85, 0.80, "80 % of rated is the usual end of service")
    rest_spread_v: Threshold = Threshold(0.03, 0.10, "cells that rest apart drift further with each charge")
    load_spread_v: Threshold = Threshold(0.15, 0.30, "the weakest cell ends the flight, not the mean", ASSUMED)
    cycles: Threshold = Threshold(200.0, 300.0, "packs that are never flown deep reach more cycles, packs flown empty fewer")
    deep_count: Threshold = Threshold(
        3.0, 10.0, "each landing below the minimum wears a pack more than the cycle it counts as", ASSUMED
    )
    age_days: Threshold = Threshold(3 * 365.0, None, "age alone does not rank packs: look closer, do not retire")
    shelf_days: Threshold = Threshold(21.0, None, "packs fail in storage, new ones too: test before they serve")
    lapses_count: Threshold = Threshold(1.0, None, "a pack left full, frozen or hot ages fastest")
    store_warm_c: Threshold = Threshold(20.0, None, "the warmer a cell lies, the faster it ages")
    store_cold_c: Threshold = Threshold(15.0, None, "cold cells sag and take a charge badly; frost harms them")
    store_damp_frac: Threshold = Threshold(0.65, None, "damp corrodes contacts and balance plugs", ASSUMED)


USUAL = HealthPolicy()


@dataclass(frozen=True, slots=True)
class HealthLimit:
    """A limit of a row of the verdict: from which value on, in the unit of the row, and what it makes of the pack."""

    kind: Literal["watch", "replace", "good", "bad"]
    value: float
    falling: bool = False


@dataclass(frozen=True, slots=True)
class HealthRule:
    """One row of the verdict; ``measured`` and ``limits`` carry the unit named by ``unit``.

    A share has the unit ``share``. ``says``: what holds where no number is a limit.
    """

    name: str
    level: Level
    measured: float | str
    unit: str
    limits: tuple[HealthLimit, ...]
    words: str
    source: Source
    says: str = ""

    @property
    def limit(self) -> str:
        """The limits in words, for a working."""
        shown = "%" if self.unit == "share" else self.unit
        scale = 100.0 if self.unit == "share" else 1.0
        words = [
            f"{x.kind} {'to' if x.falling else 'from'} {x.value * scale:.6g}{f' {shown}' if shown else ''}" for x in self.limits
        ]
        return ", ".join(words) or self.says


@dataclass(frozen=True, slots=True)
class Health:
    """The verdict, its rows with the worst first, whether a lead may override it, and the working."""

    level: Level
    rules: tuple[HealthRule, ...]
    may_override: bool
    words: str
    working: Working


@formula("growth = worst cell now ÷ the same cell when first measured", source=ALGEBRA, result="growth_frac")
def growth_frac(now_ohm: float, first_ohm: float) -> float:
    """Return how much the resistance of one cell has grown against its own first readings."""
    return now_ohm / first_ohm


def first_ohm(readings: Sequence[ResistanceSeen]) -> tuple[float, ...]:
    """Return the baseline of each cell: the median of its first three readings, the last one left out; empty without two."""
    if len(readings) < 2:
        return ()
    cells = len(readings[0].cell_ohm)
    same = [r for r in readings if len(r.cell_ohm) == cells]
    if len(same) < 2:
        return ()
    return tuple(statistics.median(r.cell_ohm[k] for r in same[: min(3, len(same) - 1)]) for k in range(cells))


def worst_growth(readings: Sequence[ResistanceSeen]) -> tuple[float, int] | None:
    """Return (growth of the worst cell against the median of its first three readings, its number from 1), or None."""
    first = first_ohm(readings)
    if not first:
        return None
    cells = len(first)
    same = [r for r in readings if len(r.cell_ohm) == cells]
    grown = [growth_frac(same[-1].cell_ohm[k], first[k]) for k in range(cells)]
    worst = max(range(cells), key=lambda k: grown[k])
    return grown[worst], worst + 1


def judge_health(history: PackHistory, today_day: float, policy: HealthPolicy = USUAL) -> Health:
    """Return the verdict on a pack today.

    Raises
    ------
    OutOfRange
        A record lies in the future, or a count is negative.
    """
    for what, days in (
        ("A load test", [t.day for t in history.tests]),
        ("A resistance reading", [r.day for r in history.resistance]),
        ("A capacity", [c.day for c in history.capacity]),
    ):
        if any(math.floor(d) > math.floor(today_day) for d in days):
            raise OutOfRange(f"{what} is dated in the future. Correct its date.", "day")
    require_range(history.cycles, 0.0, 20_000.0, "cycles", "Cycles", "")
    rows = [row for rule in _RULES for row in rule(history, today_day, policy)]
    rows.sort(key=lambda r: -LEVELS.index(r.level))
    level = rows[0].level if rows else "in service"
    spoiled = history.swollen or history.damaged
    if level == "in service" and not (history.tests or history.capacity or history.resistance):
        level, words = "not yet tested", "Not yet tested: test it before it flies."
    elif level == "in service":
        words = "No issues."
    else:
        words = rows[0].words
    steps = tuple(Step(r.name, r.measured, r.unit, f"{r.words} Limit: {r.limit}", source=r.source, kind="limit") for r in rows)
    working = Working("Verdict", level, "", (*steps, Step("verdict", level, "", "the worst row decides", kind="choice")))
    return Health(level, tuple(rows), not spoiled, words, working)


def _by(name: str, value: float, unit: str, t: Threshold, words: str, *, falling: bool = False) -> HealthRule:
    def past(limit: float) -> bool:
        return value <= limit if falling else value >= limit

    level: Level = "in service"
    if t.replace is not None and past(t.replace):
        level = "replace soon"
    elif past(t.watch):
        level = "watch"
    limits = [HealthLimit("watch", t.watch, falling)]
    if t.replace is not None:
        limits.append(HealthLimit("replace", t.replace, falling))
    sentence = f"{words}: {t.reason}." if level != "in service" else f"{words}."
    return HealthRule(name, level, value, unit, tuple(limits), sentence, t.source)


def rule_working(history: PackHistory, rule: HealthRule) -> Working:
    """Return the working of one row: what was measured and how it became the figure, then its limit."""
    steps = [Step("limit", rule.level, "", f"{rule.limit}: {rule.words}", source=rule.source, kind="limit")]
    if rule.name == "resistance, worst cell":
        found = explain(worst_growth, history.resistance)
        worst = found.value[1] if found.value else 1
        first, now = first_ohm(history.resistance)[worst - 1], history.resistance[-1].cell_ohm[worst - 1]
        steps.append(given("first_ohm", first, label=f"cell {worst}, median of its first readings at 25 °C", source=MEASURED))
        steps.append(given("now_ohm", now, label=f"cell {worst}, last reading brought to 25 °C", source=MEASURED))
        steps += [replace(s, unit=rule.unit) for s in found.steps if s.value == rule.measured][:1]
    elif rule.name == "capacity":
        last = history.capacity[-3:]
        steps += [given("health_frac", c.health_frac, label=f"at {c.cycles:.0f} cycles", source=MEASURED) for c in last]
        seen = tuple(Quantity(f"measured_{n}_frac", c.health_frac, "") for n, c in enumerate(last, 1))
        steps.append(Step("health_frac", rule.measured, rule.unit, f"median of the last {len(last)}", seen, source=ALGEBRA))
    else:
        steps.append(Step(rule.name, rule.measured, rule.unit, rule.words, source=MEASURED, kind="input"))
    return Working(rule.name, rule.measured, rule.unit, tuple(steps))


_Rule = Callable[[PackHistory, float, HealthPolicy], list[HealthRule]]


def _spoiled(h: PackHistory, _today: float, _p: HealthPolicy) -> list[HealthRule]:
    what = "swollen" if h.swollen else "damaged" if h.damaged else ""
    words = f"It is {what}: out of service at once and to recycling. No override."
    return [HealthRule("swelling or damage", "grounded", what, "", (), words, PRACTICE, "none, however slight")] if what else []


def _by_hand(h: PackHistory, _today: float, _p: HealthPolicy) -> list[HealthRule]:
    if not h.grounded_why:
        return []
    words = f"Grounded: {h.grounded_why}."
    return [HealthRule("grounded by a person", "grounded", h.grounded_why, "", (), words, ENTERED, "until a lead releases it")]


def _tested(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    if not h.tests:
        return []
    last = h.tests[-1]
    levels: dict[JudgedVerdict, Level] = {
        "good": "in service",
        "replace soon": "replace soon",
        "bad": "grounded",
        "inconclusive": "watch",
    }
    cell = f"cell {last.weakest_cell} at " if last.weakest_cell else ""
    words = f"Last load test: {cell}{last.weakest_v:.2f} V, {last.verdict}."
    level: Level = "grounded" if last.grounds else levels[last.verdict]
    if level == "grounded" and h.released_why:
        level, words = "watch", f"{words} Released by a lead: {h.released_why}."
    limits: tuple[HealthLimit, ...] = ()
    if last.good_v is not None and last.bad_v is not None:
        limits = (HealthLimit("good", last.good_v), HealthLimit("bad", last.bad_v, falling=True))
    says = "" if limits else "the levels it was judged by were not kept"
    rows = [HealthRule("load test, lowest cell", level, last.weakest_v, "V", limits, words, PRACTICE, says)]
    if last.spread_v is not None:
        apart = f"Cells lay {1000 * last.spread_v:.0f} mV apart under full load"
        rows.append(_by("spread under load", last.spread_v, "V", p.load_spread_v, apart))
    return rows


def _looked(h: PackHistory, _today: float, _p: HealthPolicy) -> list[HealthRule]:
    if not h.moist:
        return []
    words = "Moisture was seen at its last look: dry it slowly, look at its contacts, and look again."
    return [HealthRule("look after flight", "watch", "moisture", "", (), words, PRACTICE, "none")]


def _flown(h: PackHistory, _today: float, _p: HealthPolicy) -> list[HealthRule]:
    if h.flown_low_v is None or h.land_v is None:
        return []
    low = h.flown_low_v <= h.land_v
    words = f"In its last flight a cell fell to {h.flown_low_v:.2f} V under load" + (
        ": test it under load before it flies." if low else "."
    )
    limits = (HealthLimit("watch", h.land_v, falling=True),)
    return [HealthRule("lowest cell in flight", "watch" if low else "in service", h.flown_low_v, "V", limits, words, PRACTICE)]


def _store(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    """Return whether its place is too warm, too cold or too damp for long storage."""
    found = []
    if h.store_c is not None:
        words = f"It is stored at {h.store_c:.0f} °C"
        found.append(_by("storage, warm", h.store_c, "°C", p.store_warm_c, words))
        found.append(_by("storage, cold", h.store_c, "°C", p.store_cold_c, words, falling=True))
    if h.store_frac is not None:
        found.append(_by("storage, damp", h.store_frac, "share", p.store_damp_frac, f"Its place has {h.store_frac:.0%} humidity"))
    return found


def _resistance(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    found = worst_growth(h.resistance)
    if found is None:
        return []
    return [
        _by(
            "resistance, worst cell",
            found[0],
            "times",
            p.resistance_growth,
            f"Cell {found[1]} has {found[0]:.2f} times its first resistance",
        )
    ]


def _capacity(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    if not h.capacity:
        return []
    now = statistics.median(c.health_frac for c in h.capacity[-3:])
    return [_by("capacity", now, "share", p.capacity_frac, f"It holds {now:.0%} of rated", falling=True)]


def _spread(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    if h.rest_spread_v is None:
        return []
    return [_by("spread at rest", h.rest_spread_v, "V", p.rest_spread_v, f"Cells rest {1000 * h.rest_spread_v:.0f} mV apart")]


def _use(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    rows = [_by("cycles", h.cycles, "", p.cycles, f"{h.cycles:.0f} equivalent full cycles")]
    if h.deep_count:
        rows.append(_by("deep landings", h.deep_count, "", p.deep_count, f"{h.deep_count} landings below 20 %"))
    return rows if h.cycles or h.deep_count else []


def _age(h: PackHistory, today_day: float, p: HealthPolicy) -> list[HealthRule]:
    if h.bought_day is None:
        return []
    days = max(0.0, today_day - h.bought_day)
    return [_by("age", days, "days", p.age_days, f"{days / 30.44:.0f} months old")]


def _shelf(h: PackHistory, today_day: float, p: HealthPolicy) -> list[HealthRule]:
    seen = [d for d in (h.last_used_day, h.tests[-1].day if h.tests else None) if d is not None]
    if not seen:
        return []
    days = math.floor(today_day) - math.floor(max(seen))
    return [_by("shelf time without a test", days, "days", p.shelf_days, f"{days} days since it flew or was tested")]


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def _lapses(h: PackHistory, _today: float, p: HealthPolicy) -> list[HealthRule]:
    count = h.full_lapses_count + h.heat_lapses_count
    parts = [f"stored full for days {_times(h.full_lapses_count)}"] if h.full_lapses_count else []
    parts += [f"outside its temperatures {_times(h.heat_lapses_count)}"] if h.heat_lapses_count else []
    words = " and ".join(parts)
    words = words[:1].upper() + words[1:]
    return [_by("storage lapses", count, "", p.lapses_count, words)] if count else []


_RULES: tuple[_Rule, ...] = (
    _spoiled,
    _by_hand,
    _tested,
    _looked,
    _flown,
    _store,
    _resistance,
    _capacity,
    _spread,
    _use,
    _age,
    _shelf,
    _lapses,
)
