"""What no schedule can beat: the chain of flights, the throughput of ports, the energy of the supply."""

from __future__ import annotations

import math

from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.rotation.model import FULL, RotationTask, duration_s


def lower_bound(task: RotationTask) -> tuple[float, str]:
    """Return (time before which the last landing cannot lie, what sets it). [s]"""
    return max(((b, why) for b, why in _bounds(task) if math.isfinite(b)), default=(0.0, ""))


def bound_working(task: RotationTask) -> Working:
    """Return the bounds side by side; the latest of them holds."""
    words = {
        "the chain of flights": "all flights of one aircraft one after another with their swaps, inside the hours of the day",
        "the ports": "the shortest charges that must come before the last flight, shared evenly by all ports, then that flight",
        "the supply": "the energy of these charges at all that the supply can give, then that flight",
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
            t = last + task.swap_s
        chain = max(chain, last)
    bounds = [(chain, "the chain of flights")]
    if task.policy == "full" and task.now_s <= 0 and not task.begun:  # charges half done would have to be counted
        ports, energy = _charging_bounds(task)
        bounds += [(ports, "the ports")] + ([(energy, "the supply")] if task.site_power_w is not None else [])
    return bounds


def _charging_bounds(task: RotationTask) -> tuple[float, float]:
    """Bound by the charges that must come before the last flight of each type; shortest ones only."""
    kinds = {c.id: c.type for c in task.aircraft}
    ports = sum(c.ports for c in task.chargers)
    if ports == 0:
        return 0.0, 0.0
    modes = [m for c in task.chargers for m in c.modes]
    fastest = max(modes, key=lambda m: m.pack_w)
    thriftiest = max(m.pack_w / m.wall_w for m in modes)
    busy = joules = 0.0
    tail = math.inf
    for kind in set(kinds.values()):
        flights = [f for f in task.flights if kinds[f.aircraft] == kind]
        sets = [s for s in task.sets if s.type == kind]
        full = sum(1 for s in sets if s.start_frac >= FULL)
        need = len(flights) - full
        if need <= 0 or not sets:
            continue
        by_aircraft = [[f for f in flights if f.aircraft == c.id] for c in task.aircraft]
        tail = min(tail, *(fs[-1].flight_s for fs in by_aircraft if fs))
        part = [s for s in sets if s.start_frac < FULL]
        loads = sorted(
            [min(duration_s(s, 1 - f.energy_frac, fastest) * s.packs for s in sets) for f in flights]
            + [duration_s(s, s.start_frac, fastest) * s.packs for s in part]
        )
        energies = sorted(
            [min(f.energy_frac * s.capacity_wh * s.packs for s in sets) for f in flights]
            + [(1 - s.start_frac) * s.capacity_wh * s.packs for s in part]
        )
        busy += sum(loads[:need])
        joules += 3600.0 * sum(energies[:need])
    if math.isinf(tail):
        return 0.0, 0.0
    supply = 0.0 if task.site_power_w is None else joules / (task.site_power_w * thriftiest) + tail
    return busy / ports + tail, supply
