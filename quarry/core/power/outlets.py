"""Outlets and what hangs on them: breakers, apparent power, and which charger goes where."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from quarry.core.base.errors import require_range
from quarry.core.base.sources import ALGEBRA, NEC_80
from quarry.core.base.working import Step, Working, formula

CONTINUOUS_FRAC = 0.8


@dataclass(frozen=True, slots=True)
class Outlet:
    """One outlet behind its own breaker.

    ``continuous_frac``: the share of the breaker that may be drawn for hours; 0.8 is a rule of one country and prudent elsewhere.
    """

    name: str
    outlet_v: float = 230.0
    breaker_a: float = 16.0
    continuous_frac: float = CONTINUOUS_FRAC

    def __post_init__(self) -> None:
        require_range(self.outlet_v, 100.0, 480.0, "outlets.outlet_v", "Volts of the outlet", "V")
        require_range(self.breaker_a, 5.0, 125.0, "outlets.breaker_a", "Breaker", "A")
        require_range(self.continuous_frac, 0.5, 1.0, "outlets.continuous_frac", "Share for hours", "")


@dataclass(frozen=True, slots=True)
class Drawn:
    """One charger as its outlets see it: real power at its busiest, and power factor (0.95 with correction, 0.6 without).

    ``leads``: of its supply; each carries an equal share and goes to an outlet of its own circuit.
    """

    name: str
    wall_w: float
    power_factor: float = 0.95
    leads: int = 1

    def __post_init__(self) -> None:
        require_range(self.leads, 1, 4, "charger.supply_leads", "Supply leads", "")
        require_range(self.wall_w, 1.0, 100_000.0, "charger.wall_w", "Power drawn", "W")
        require_range(self.power_factor, 0.3, 1.0, "charger.power_factor", "Power factor", "")


@formula("apparent power of the outlet = volts × breaker", source=ALGEBRA, result="outlet_va")
def outlet_va(outlet_v: float, breaker_a: float) -> float:
    """Return what an outlet carries for a moment. [VA]"""
    return outlet_v * breaker_a


@formula("for hours = apparent power × share for hours", source=NEC_80, result="continuous_va")
def continuous_va(outlet_va: float, continuous_frac: float) -> float:
    """Return what an outlet carries for hours. [VA]"""
    return outlet_va * continuous_frac


@formula("power drawn = power into packs ÷ efficiency", source=ALGEBRA, result="wall_w")
def wall_w(out_w: float, efficiency_frac: float) -> float:
    """Return what a charger draws. [W]"""
    return out_w / efficiency_frac


@formula("apparent power = power drawn ÷ power factor", source=ALGEBRA, result="apparent_va")
def apparent_va(wall_w: float, power_factor: float) -> float:
    """Return what a charger takes of an outlet's rating. [VA]"""
    return wall_w / power_factor


@formula("current = apparent power ÷ volts", source=ALGEBRA, result="current_a")
def current_a(apparent_va: float, outlet_v: float) -> float:
    """Return the current in the lead. [A]"""
    return apparent_va / outlet_v


def chargers_on(outlet: Outlet, each: Drawn) -> int:
    """Return how many equal chargers an outlet carries for hours."""
    if each.leads > 1:
        return 0
    limit = continuous_va(outlet_va(outlet.outlet_v, outlet.breaker_a), outlet.continuous_frac)
    return math.floor(limit / apparent_va(each.wall_w, each.power_factor) + 1e-9)


@formula("on each outlet = apparent power ÷ supply leads", source=ALGEBRA, result="lead_va")
def lead_va(apparent_va: float, leads_count: int) -> float:
    """Return what each supply lead of a charger takes of its outlet. [VA]"""
    return apparent_va / leads_count


def outlets_needed(like: Outlet, chargers: Sequence[Drawn]) -> int | None:
    """Return how many outlets of a kind carry all chargers for hours; None if one of them alone is too much for it."""
    for count in range(1, sum(c.leads for c in chargers) + 1):
        outlets = [replace(like, name=f"{k}") for k in range(count)]
        if not plug_in(outlets, chargers).left_out:
            return count
    return None if chargers else 0


@dataclass(frozen=True, slots=True)
class Plugged:
    """Which charger goes to which outlet, how full each outlet is, and who finds no place."""

    outlet_of: dict[str, str]
    load_va: dict[str, float]
    left_out: tuple[str, ...]
    working: Working


def plug_in(outlets: Sequence[Outlet], chargers: Sequence[Drawn]) -> Plugged:
    """Return an even spread of chargers over outlets, none over what it carries for hours; each supply lead has its own outlet.

    The largest first, each to the outlet with most left; where one then finds no place, all ways are tried up to ten chargers.
    """
    limits = {o.name: outlet_va(o.outlet_v, o.breaker_a) * o.continuous_frac for o in outlets}
    needs = {c.name: lead_va(apparent_va(c.wall_w, c.power_factor), c.leads) for c in chargers}
    order = sorted(chargers, key=lambda c: (-needs[c.name], -c.leads))
    placed = _even(order, needs, limits)
    if len(placed) < len(chargers) <= 10:
        placed = max(placed, _search(order, needs, limits), key=len)
    load = {name: sum(needs[c] for c, places in placed.items() if name in places) for name in limits}
    out = tuple(c.name for c in chargers if c.name not in placed)
    steps = [
        Step(
            o.name,
            load[o.name],
            "VA",
            f"of {limits[o.name]:.0f} VA for hours: {', '.join(c for c, places in placed.items() if o.name in places) or 'nothing'}",
            source=NEC_80,
            kind="limit",
        )
        for o in outlets
    ]
    leads = {c.name: c.leads for c in chargers}
    steps += [
        Step(
            c,
            needs[c],
            "VA",
            (
                "no outlet has this much left"
                if leads[c] == 1
                else f"no {leads[c]} outlets have this much left, one for each supply lead"
            )
            + ": a larger set, a gentler rate, or another outlet",
            kind="limit",
        )
        for c in out
    ]
    outlet_of = {c: BOTH.join(places) for c, places in placed.items()}
    return Plugged(outlet_of, load, out, Working("Outlets", len(placed), "", tuple(steps)))


BOTH = " + "  # between the outlets of a charger with several supply leads
_Places = dict[str, tuple[str, ...]]


def _even(chargers: Sequence[Drawn], needs: dict[str, float], limits: dict[str, float]) -> _Places:
    left, placed = dict(limits), {}
    for c in chargers:
        free = sorted((o for o in left if needs[c.name] <= left[o] + 1e-6), key=lambda o: -left[o])[: c.leads]
        if len(free) == c.leads:
            placed[c.name] = tuple(free)
            for o in free:
                left[o] -= needs[c.name]
    return placed


def _search(chargers: Sequence[Drawn], needs: dict[str, float], limits: dict[str, float]) -> _Places:
    best: _Places = {}

    def go(k: int, left: dict[str, float], placed: _Places) -> None:
        nonlocal best
        if len(placed) > len(best):
            best = dict(placed)
        if k == len(chargers) or len(placed) + len(chargers) - k <= len(best):
            return
        c = chargers[k]
        seen: set[tuple[float, ...]] = set()
        for places in combinations([o for o, room in left.items() if needs[c.name] <= room + 1e-6], c.leads):
            rooms = tuple(sorted(left[o] for o in places))
            if rooms not in seen:
                seen.add(rooms)
                go(k + 1, left | {o: left[o] - needs[c.name] for o in places}, placed | {c.name: places})
        go(k + 1, left, placed)

    go(0, dict(limits), {})
    return best
