"""The best rotation when packs may be charged to what the next sortie needs.

Which flight a set flies after which is a literal for each pair; levels of charge are whole percents: what a flight takes
is rounded up, what a set arrives with is rounded down, so the plan never counts on charge that is not there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from quarry.core.power.charging import charge_time_s
from quarry.core.rotation.dispatch import settled
from quarry.core.rotation.integer_seconds import Kind, fits, kinds, pools, starts_of, up
from quarry.core.rotation.model import Flight, Mode, PackSet, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.solver import (
    Better,
    OnPort,
    Placed,
    Stopper,
    add_crews,
    add_ports,
    on_ports,
    placed,
    rounded_s,
    run,
)
from quarry.core.rotation.wear import faster, uneven

_ALL = 100


@dataclass(slots=True)
class _Filling:
    """What follows a flight or an arrival: how much is charged, and each pack's charge in the model."""

    kind_marks: list[tuple[int, Any]]
    level: Any
    gain: Any
    charged: Any
    ready: Any
    packs: list[tuple[Any, Any, list[tuple[int, int, int, Any]]]] = field(default_factory=list)


class _There(NamedTuple):
    """How a set stands when a day, or what is left of it, begins: its weakest pack, and from when it charges and flies."""

    frac: float
    charged_s: float
    ready_s: float


def _there(task: RotationTask, packs: PackSet) -> _There:
    """Return how a set stands once the charges under way of its packs are over."""
    under_way = {c.pack: c for c in task.begun if c.set == packs.id}
    fracs = [max(frac, under_way[p].to_frac) if p in under_way else frac for p, frac in enumerate(packs.starts())]
    ends = [c.end_s for c in under_way.values()]
    rested = [end + task.rest_after_charge_s for end in ends]
    return _There(min(fracs), max([packs.from_s, *ends]), max([packs.from_s, *rested]))


def to_full_s(s: PackSet, mode: Mode) -> list[float]:
    """Return for each whole percent the seconds from there to full."""
    times = [charge_time_s(s.capacity_wh, x / _ALL, mode.pack_w, s.law) * s.slowness for x in range(_ALL)]
    return [t + s.balance_s for t in times] + [0.0]


class PartialModel:
    """The constraint model of a day on which packs are charged to what they need."""

    def __init__(self, task: RotationTask, first: Rotation) -> None:
        from ortools.sat.python import cp_model

        self.cp, self.task, self.first = cp_model, task, first
        self.m = cp_model.CpModel()
        self.end = up(first.makespan_s)
        self.pools, self.kinds = pools(task), kinds(task)
        self.takeoff: dict[str, Any] = {}
        self.fill: dict[str, _Filling] = {}
        self.arcs: dict[tuple[str, str], Any] = {}
        self.charges: list[OnPort] = []
        self.finish = self.m.new_int_var(0, self.end, "finish")
        self.need = {f.id: math.ceil(_ALL * f.energy_frac - 1e-6) for f in task.flights}
        self._flights()
        self._chains()
        add_crews(self.m, task, self.takeoff)
        add_ports(self.m, task, self.pools, self.charges)
        self._hint()

    def _flights(self) -> None:
        m, task = self.m, self.task
        types = {c.id: c.type for c in task.aircraft}
        for craft in task.aircraft:
            before: Flight | None = None
            for f in (f for f in task.flights if f.aircraft == craft.id):
                domain = self.cp.Domain.from_intervals(starts_of(task, f, self.end) or [[0, -1]])
                t = self.takeoff[f.id] = m.new_int_var_from_domain(domain, f"T{f.id}")
                m.add(self.finish >= t + up(f.flight_s))
                if before is not None:
                    m.add(t >= self.takeoff[before.id] + up(before.flight_s) + up(task.swap_of(craft.id)))
                before = f
                able = [
                    kind_index for kind_index, kind in enumerate(self.kinds) if kind.type == types[f.aircraft] and fits(kind, f)
                ]
                marks = [(kind_index, m.new_bool_var("")) for kind_index in able]
                m.add_exactly_one([x for _, x in marks])
                least = max(self.need[f.id], math.ceil(_ALL * f.required_frac - 1e-6))
                level = m.new_int_var(least, _ALL, f"L{f.id}")
                landed = t + up(f.flight_s)
                left = level - self.need[f.id]
                self.fill[f.id] = self._filling(f.id, marks, level, left, landed + up(task.rest_after_flight_s), landed)
        for packs in task.sets:
            kind_index = next(kind_index for kind_index, kind in enumerate(self.kinds) if packs in kind.sets)
            there = _there(task, packs)
            level = m.new_constant(math.floor(_ALL * there.frac + 1e-6))
            fixed = min((c.start_s for c in self.first.charges if c.set == packs.id), default=None)
            marks = [(kind_index, m.new_constant(1))]
            self.fill[packs.id] = self._filling(packs.id, marks, level, level, up(there.charged_s), up(there.ready_s))
            if packs.first and fixed is not None and self.fill[packs.id].packs:
                m.add(self.fill[packs.id].packs[0][0] == up(fixed)).only_enforce_if(self.fill[packs.id].charged)

    def _filling(self, name: str, marks: list[tuple[int, Any]], level: Any, left: Any, may: Any, landed: Any) -> _Filling:
        m = self.m
        charged = m.new_bool_var(f"c{name}")
        gain = m.new_int_var(0, _ALL, f"q{name}")
        m.add(gain == 0).only_enforce_if(~charged)
        m.add(gain >= 1).only_enforce_if(charged)
        m.add(left + gain <= _ALL)
        ready = m.new_int_var(0, 2 * self.end + 1, f"R{name}")
        m.add(ready >= landed)
        item = _Filling(marks, level, gain, charged, ready)
        for p in range(max(self.kinds[kind_index].one.packs for kind_index, _ in marks)):
            start = m.new_int_var(min(up(self.task.now_s), self.end), self.end, "")
            size = m.new_int_var(0, self.end, "")
            stop = m.new_int_var(0, 2 * self.end, "")
            m.add(stop == start + size)
            m.add(start >= may).only_enforce_if(charged)
            options = []
            for kind_index, mark in marks:
                if p >= self.kinds[kind_index].one.packs:
                    continue
                of_kind = []
                for q, pool in enumerate(self.pools):
                    for r, mode in enumerate(pool.modes) if pool.charges(self.kinds[kind_index].type) else ():
                        y = m.new_bool_var("")
                        self._length(self.kinds[kind_index], mode, left, gain, size, y)
                        interval = m.new_optional_interval_var(start, size, stop, y, "")
                        self.charges.append(OnPort(interval, q, round(mode.wall_w)))
                        m.add(ready >= start + size + up(self.task.rest_after_charge_s)).only_enforce_if(y)
                        options.append((kind_index, q, r, y))
                        of_kind.append(y)
                m.add(sum(of_kind) <= mark)
                m.add(sum(of_kind) >= 1).only_enforce_if(charged, mark)
            m.add(sum(o[3] for o in options) <= charged)
            if item.packs:
                m.add(item.packs[-1][0] <= start)
            item.packs.append((start, size, options))
        return item

    def _length(self, kind: Kind, mode: Mode, left: Any, gain: Any, size: Any, y: Any) -> None:
        m = self.m
        table = to_full_s(kind.one, mode)
        if kind.one.law.cv_from_frac >= 1.0:  # as long from any level
            by_gain = [math.ceil(table[_ALL - g] - 1e-6) for g in range(_ALL + 1)]
            length = m.new_int_var(0, max(by_gain), "")
            m.add_element(gain, by_gain, length)
            m.add(size >= length).only_enforce_if(y)
            return
        below = m.new_int_var(0, math.ceil(table[0]), "")
        above = m.new_int_var(0, math.ceil(table[0]), "")
        m.add_element(left, [math.ceil(t - 1e-6) for t in table], below)
        m.add_element(left + gain, [math.floor(t + 1e-6) for t in table], above)
        m.add(size >= below - above).only_enforce_if(y)

    def _chains(self) -> None:
        m, task = self.m, self.task
        types = {c.id: c.type for c in task.aircraft}
        order: dict[str, list[str]] = {}
        for f in task.flights:
            order.setdefault(f.aircraft, []).append(f.id)
        before: dict[str, list[Any]] = {f.id: [] for f in task.flights}
        after: dict[str, list[Any]] = {name: [] for name in self.fill}
        left = {f.id: self.fill[f.id].level - self.need[f.id] for f in task.flights} | {
            s.id: self.fill[s.id].level for s in task.sets
        }
        kind_of_set = {s.id: kind_index for kind_index, kind in enumerate(self.kinds) for s in kind.sets}
        for g in task.flights:
            into = self.fill[g.id]
            marks = dict(into.kind_marks)
            sources = [f for f in task.flights if f.id != g.id and types[f.aircraft] == types[g.aircraft]]
            for name in [f.id for f in sources] + [s.id for s in task.sets if s.type == types[g.aircraft]]:
                at = order[g.aircraft]
                if name in at and at.index(name) > at.index(g.id):
                    continue
                if name in kind_of_set and kind_of_set[name] not in marks:
                    continue
                arc = self.arcs[name, g.id] = m.new_bool_var("")
                out = self.fill[name]
                m.add(into.level == left[name] + out.gain).only_enforce_if(arc)
                m.add(self.takeoff[g.id] >= out.ready).only_enforce_if(arc)
                for kind_index, mark in out.kind_marks:
                    if name in kind_of_set:
                        m.add_implication(arc, marks[kind_index])
                    elif kind_index in marks:
                        m.add(marks[kind_index] == mark).only_enforce_if(arc)
                    else:
                        m.add(mark == 0).only_enforce_if(arc)
                before[g.id].append(arc)
                after[name].append(arc)
        for arcs in before.values():
            m.add_exactly_one(arcs)
        for name, arcs in after.items():
            m.add_at_most_one(arcs)
            m.add(self.fill[name].charged <= sum(arcs))

    def _hint(self) -> None:
        m, first = self.m, self.first
        order: dict[str, list[PlannedFlight]] = {}
        for f in sorted(first.flights, key=lambda f: f.takeoff_s):
            m.add_hint(self.takeoff[f.flight], up(f.takeoff_s))
            order.setdefault(f.set, []).append(f)
        wanted = {(s, fs[0].flight) for s, fs in order.items()}
        wanted |= {(a.flight, b.flight) for fs in order.values() for a, b in zip(fs, fs[1:], strict=False)}
        for key, arc in self.arcs.items():
            m.add_hint(arc, int(key in wanted))

    def best(
        self, limit_s: float, workers: int, on_stop: Stopper | None, on_better: Better | None, enough_s: float = 0.0
    ) -> tuple[Rotation | None, float]:
        """Return (the schedule with the earliest last landing found, or None; a bound on every schedule of the day). [s]

        In whole percents a pack holds a little less than it does: where a share is not whole, what is proven holds for these
        plans alone, and bounds nothing.
        """
        self.m.minimize(self.finish)
        solver, solved, bound = run(self.m, limit_s, workers, on_stop, on_better, enough_s)
        shares = [v for f in self.task.flights for v in (f.energy_frac, f.required_frac)]
        shares += [v for s in self.task.sets for v in (*s.starts(), _there(self.task, s).frac)]
        exact = all(abs(_ALL * v - round(_ALL * v)) < 1e-6 for v in shares)
        return (placed(self._read, solver) if solved else None), bound - rounded_s(self.task) if exact else 0.0

    def kindest(self, limit_s: float, workers: int, on_stop: Stopper | None) -> Rotation | None:
        """Return a schedule that ends as early and wears packs less: gentler charges, sets used more alike; or None."""
        marks = [mark for f in self.task.flights for mark in self.fill[f.id].kind_marks]
        cost = uneven(self.m, self.kinds, marks, len(self.task.flights))
        for item in self.fill.values():
            for _, _, options in item.packs:
                cost += [faster(self.pools[q].modes, r) * y for _, q, r, y in options]
        self.m.minimize(sum(cost))
        solver, solved, _ = run(self.m, limit_s, workers, on_stop, None)
        return placed(self._read, solver) if solved else None

    def _read(self, solver: Any) -> Rotation:
        task = self.task
        after = {a: b for (a, b), arc in self.arcs.items() if solver.value(arc)}
        flights: list[PlannedFlight] = []
        per_pool: list[list[Placed]] = [[] for _ in self.pools]
        known = {f.id: f for f in task.flights}
        for packs in task.sets:
            name, holds = packs.id, _there(task, packs).frac
            while name in after:
                then = after[name]
                item = self.fill[name]
                if solver.value(item.charged):
                    to = max(holds, solver.value(self.fill[then].level) / _ALL)
                    for p, (start, size, options) in enumerate(item.packs):
                        for k, q, r, y in options:
                            if solver.value(y):
                                t = float(solver.value(start))
                                mode = self.pools[q].modes[r]
                                table = to_full_s(self.kinds[k].one, mode)
                                a, b = solver.value(item.level), solver.value(self.fill[then].level)
                                a -= self.need.get(name, 0)
                                end = t + min(float(solver.value(size)), math.ceil(table[a] - table[b] + 2.0))
                                per_pool[q].append(Placed(packs.id, p, mode.name, t, max(end, t + 1.0), holds, to))
                    holds = to
                f = known[then]
                t = float(solver.value(self.takeoff[then]))
                flights.append(PlannedFlight(then, f.aircraft, packs.id, t, t + f.flight_s))
                holds -= f.energy_frac
                name = then
        made = [c for pool, mine in zip(self.pools, per_pool, strict=True) for c in on_ports(pool, mine, task.begun)]
        charges = [*task.begun, *made]
        return settled(task, flights, charges, "searched by a solver", self.first.tried)
