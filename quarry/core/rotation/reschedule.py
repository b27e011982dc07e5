"""A schedule kept in its order while times, power or hours are others: each thing as soon as what it waits for is done."""

from __future__ import annotations

import math
from dataclasses import replace

from quarry.core.rotation.dispatch import settled
from quarry.core.rotation.model import FULL, Flight, PlannedCharge, PlannedFlight, Rotation, RotationTask, duration_s
from quarry.core.rotation.simulation import is_open, needed


def reschedule_in_order(task: RotationTask, before: Rotation) -> Rotation | None:
    """Return the old plan at its true times, or None where it no longer holds.

    Each aircraft flies in its order, each on the set that was planned; charges come in their order, on their ports and at
    their rates, as soon as pack, port and power are free.
    """
    sets = {s.id: s for s in task.sets}
    left = {f.id: f for f in task.flights}
    planned = {f.flight: f for f in before.flights}
    if any(name not in planned or planned[name].set not in sets for name in left):
        return None
    walk = _Walk(task)
    done = {(c.set, c.pack, round(c.start_s)) for c in task.begun}
    todo: list[tuple[float, int, PlannedFlight | PlannedCharge]] = [
        (f.takeoff_s, 1, f) for f in before.flights if f.flight in left
    ]
    todo += [(c.start_s, 0, c) for c in before.charges if c.set in sets and (c.set, c.pack, round(c.start_s)) not in done]
    for _, _, thing in sorted(todo, key=lambda t: t[:2]):
        if isinstance(thing, PlannedFlight):
            if not walk.fly(left[thing.flight], thing.set):
                return None
        elif not walk.charge(thing):
            return None
    flights = sorted(walk.flights, key=lambda f: (f.takeoff_s, f.aircraft))
    charges = needed(flights, [*task.begun, *walk.charges], task.begun)
    return settled(task, flights, charges, "as planned, at its true times", before.tried)


class _Walk:
    """The times of what is put down one after another: when each aircraft, pack, port and the supply are free."""

    def __init__(self, task: RotationTask) -> None:
        self.task = task
        self.sets = {s.id: s for s in task.sets}
        self.craft = {c.id: max(c.from_s, task.now_s) for c in task.aircraft}
        self.crew = {c.id: max(c.from_s, task.now_s) for c in task.crews}
        self.frac = {(s.id, m): f for s in task.sets for m, f in enumerate(s.starts())}
        self.free = {(s.id, m): max(s.from_s, task.now_s) for s in task.sets for m in range(s.packs)}
        self.ready = dict(self.free)
        self.port: dict[tuple[str, int], float] = {}
        self.draws: list[tuple[float, float, float, str]] = []
        self.chargers = {c.id: c for c in task.chargers}
        self.modes = {(c.id, m.name): m for c in task.chargers for m in c.modes}
        self.flights: list[PlannedFlight] = []
        self.charges: list[PlannedCharge] = []
        for c in task.begun:
            self._on(c)

    def _on(self, c: PlannedCharge) -> None:
        self.frac[c.set, c.pack] = c.to_frac
        self.free[c.set, c.pack] = c.end_s
        self.ready[c.set, c.pack] = c.end_s + self.task.rest_after_charge_s
        self.port[c.charger, c.port] = c.end_s
        self.draws.append((c.start_s, c.end_s, self.modes[c.charger, c.mode].wall_w, c.charger))

    def charge(self, c: PlannedCharge) -> bool:
        """Put a charge down; one of a pack that is full already is passed over."""
        frac = self.frac[c.set, c.pack]
        if frac >= c.to_frac - 1e-6:
            return True
        if (c.charger, c.mode) not in self.modes or c.port >= self.chargers[c.charger].ports:
            return False
        packs, mode = self.sets[c.set], self.modes[c.charger, c.mode]
        if not self.chargers[c.charger].charges(packs.type):
            return False
        length = duration_s(packs, frac, mode)
        if c.to_frac < FULL:
            length = max(1.0, math.ceil(length - duration_s(packs, c.to_frac, mode)))
        start = max(self.free[c.set, c.pack], self.port.get((c.charger, c.port), self.task.now_s))
        begin = self._powered(start, length, c.charger, mode.wall_w)
        if begin is None or not is_open(self.chargers[c.charger], c.port, begin, begin + length):
            return False
        made = replace(c, start_s=begin, end_s=begin + length, from_frac=frac)
        self._on(made)
        self.charges.append(made)
        return True

    def _powered(self, start: float, length: float, charger: str, watts: float) -> float | None:
        """Return the first moment from which the supply and the charger carry one charge more to its end."""
        cap = self.chargers[charger].cap_w
        moments = sorted({start, *(b for _, b, _, _ in self.draws if b > start), *(b for _, b, _ in self.task.dips if b > start)})
        for t in (m for m in moments if math.isfinite(m)):
            if self._carries(t, t + length, charger, cap, watts):
                return t
        return None

    def _carries(self, a: float, b: float, charger: str, cap: float | None, watts: float) -> bool:
        inside = [d for d in self.draws if d[0] < b - 1e-6 and a < d[1] - 1e-6]
        for t in {a, *(d[0] for d in inside if d[0] > a), *(x for x, _, _ in self.task.dips if a < x < b)}:
            here = [d for d in inside if d[0] <= t + 1e-6 < d[1]]
            total = sum(d[2] for d in here) + watts
            limits = [w for x, y, w in self.task.dips if x <= t < y]
            if self.task.site_power_w is not None:
                limits.append(self.task.site_power_w)
            if limits and total > min(limits) + 1e-6:
                return False
            if cap is not None and sum(d[2] for d in here if d[3] == charger) + watts > cap + 1e-6:
                return False
        return True

    def fly(self, flight: Flight, set_id: str) -> bool:
        """Put a flight down at its first chance; False if its set does not hold what it needs, or no hour is left."""
        keys = [(set_id, m) for m in range(self.sets[set_id].packs)]
        need = FULL if self.task.policy == "full" else flight.required_frac - 1e-9
        if min(self.frac[k] for k in keys) < need or (flight.only is not None and set_id not in flight.only):
            return False
        crew = self.task.crew_of(flight.aircraft)
        free = max(self.craft[flight.aircraft], self.crew[crew.id] if crew else 0.0)
        start = self.task.next_window(max(free, *(self.ready[k] for k in keys)), flight)
        if not math.isfinite(start):
            return False
        end = start + flight.flight_s
        self.flights.append(PlannedFlight(flight.id, flight.aircraft, set_id, start, end))
        self.craft[flight.aircraft] = end + self.task.swap_of(flight.aircraft)
        if crew:
            self.crew[crew.id] = end
        for k in keys:
            self.frac[k] = max(0.0, self.frac[k] - flight.energy_frac)
            self.free[k] = end + self.task.rest_after_flight_s
            self.ready[k] = self.free[k]
        return True
