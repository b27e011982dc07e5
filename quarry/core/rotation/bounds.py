"""What no schedule can beat: the chain of flights, the throughput of ports, the energy of the supply."""

from __future__ import annotations

import math

from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.rotation.model import FULL, Crew, Mode, RotationTask, duration_s

_SLACK_W = 1e-6


def lower_bound(task: RotationTask) -> tuple[float, str]:
    """Return (time before which the last landing cannot lie, what sets it). [s]"""
    return max(((b, why) for b, why in _bounds(task) if math.isfinite(b)), default=(0.0, ""))


def bound_working(task: RotationTask) -> Working:
    """Return the bounds side by side; the latest of them holds."""
    words = {
        "the chain of flights": "all flights of one aircraft one after another with their swaps, inside the hours of the day",
        "the crews": "all flights of the aircraft that one crew flies, one after another",
        "the ports": "the shortest charges that must come before the last flight, as many side by side as ports, chargers and supply let, then the rest and that flight",
        "the supply": "the energy of these charges at all that the supply can give, then the rest and that flight",
    }
    found = _bounds(task)
    steps = [Step(why, b, "clock", words[why], source=ALGEBRA, kind="run") for b, why in found if math.isfinite(b)]
    best, why = lower_bound(task)
    return Working(
        "Earliest possible",
        best,
        "clock",
        (*steps, Step("bound", best, "clock", f"the latest of these: {why}", kind="limit")),
    )


def _bounds(task: RotationTask) -> list[tuple[float, str]]:
    chain = 0.0
    for craft in task.aircraft:
        t = craft.from_s
        last = t
        for f in (f for f in task.flights if f.aircraft == craft.id):
            t = task.next_window(t, f)
            last = t + f.flight_s
            t = last + task.swap_of(craft.id)
        chain = max(chain, last)
    bounds = [(chain, "the chain of flights")]
    if task.crews:
        bounds.append((max(_all_flown_s(task, crew) for crew in task.crews), "the crews"))
    begun = task.now_s > 0 or task.begun or any(s.fracs is not None for s in task.sets)
    if task.policy == "full" and not begun:  # charges half done would have to be counted
        ports, energy = _charging_bounds(task)
        bounds += [(ports, "the ports")] + ([(energy, "the supply")] if task.site_power_w is not None else [])
    return bounds


def _all_flown_s(task: RotationTask, crew: Crew) -> float:
    """Return by when the hours leave as much time as the flights of a crew take, one after another with nothing between them. [s]"""
    left_s = sum(f.flight_s for f in task.flights if f.aircraft in crew.aircraft)
    at_s = from_s = max(crew.from_s, task.now_s)
    for a, b in task.windows if task.windows is not None else ((from_s, math.inf),):
        begin = max(a, from_s)
        if left_s <= 0 or b <= begin:
            continue
        took = min(left_s, b - begin)
        left_s -= took
        at_s = begin + took
    return at_s


def _charging_bounds(task: RotationTask) -> tuple[float, float]:
    """Bound by the charges that must come before the last flight of each type; shortest ones only.

    Counted in seconds at the fastest rate: at any moment ports, the limits of chargers and the supply let only so many fast
    charges, or slower ones in their place, run side by side.
    """
    kinds = {c.id: c.type for c in task.aircraft}
    modes = [m for c in task.chargers if c.ports for m in c.modes]
    if not modes:
        return 0.0, 0.0
    fastest = max(modes, key=lambda m: m.pack_w)
    busy = joules = 0.0
    tail = math.inf
    speed = dict.fromkeys(modes, 0.0)
    for kind in set(kinds.values()):
        flights = [f for f in task.flights if kinds[f.aircraft] == kind]
        sets = [s for s in task.sets if s.type == kind]
        full = sum(1 for s in sets if s.start_frac >= FULL)
        need = len(flights) - full
        if need <= 0 or not sets:
            continue
        by_aircraft = [[f for f in flights if f.aircraft == c.id] for c in task.aircraft]
        tail = min(tail, *(fs[-1].flight_s for fs in by_aircraft if fs))
        loads, energies = [], []
        alike = {(s.capacity_wh, s.slowness, s.law, s.balance_s, s.packs): s for s in sets}.values()
        for charge in [(alike, 1 - f.energy_frac) for f in flights] + [([s], s.start_frac) for s in sets if s.start_frac < FULL]:
            took = {m: [duration_s(s, charge[1], m) * s.packs for s in charge[0]] for m in speed}
            loads.append(min(took[fastest]))
            energies.append(min(t * m.wall_w for m, each in took.items() for t in each))
            for m, each in took.items():
                speed[m] = max(speed[m], *(f / t for f, t in zip(took[fastest], each, strict=True) if t > 0), 0.0)
        busy += sum(sorted(loads)[:need])
        joules += sum(sorted(energies)[:need])
    if math.isinf(tail):
        return 0.0, 0.0
    tail += task.rest_after_charge_s
    supply = 0.0 if task.site_power_w is None else joules / task.site_power_w + tail
    return busy / max(_side_by_side(task, speed), 1e-9) + tail, supply


def _side_by_side(task: RotationTask, speed: dict[Mode, float]) -> float:
    """Return how many charges at the fastest rate run side by side at most; ``speed``: of each rate, in shares of the fastest."""
    best = [(0.0, 0.0)]  # (drawn, counted), more drawn for more
    for c in task.chargers:
        if not c.modes or not c.ports:
            continue
        limit = min(math.inf if w is None else w for w in (c.cap_w, task.site_power_w))
        own = [(0.0, 0.0)]
        for _ in range(c.ports):
            more = [(w + m.wall_w, n + speed[m]) for w, n in own for m in c.modes if w + m.wall_w <= limit + _SLACK_W]
            found = _worth([*own, *more])
            if found == own:
                break
            own = found
        most = math.inf if task.site_power_w is None else task.site_power_w + _SLACK_W
        best = _worth([(a + b, m + n) for a, m in best for b, n in own if a + b <= most])
    return best[-1][1]


def _worth(found: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return what draws more only where it counts more."""
    kept: list[tuple[float, float]] = []
    for w, n in sorted(found, key=lambda x: (x[0], -x[1])):
        if not kept or n > kept[-1][1] + 1e-12:
            kept.append((w, n))
    return kept
