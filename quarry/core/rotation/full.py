"""The best rotation when only full packs fly.

Identical sets are one cumulative resource without an index; a set is away from a take-off until it is charged and rested
again, or for good if it does not charge again; who flies with which is settled afterwards. In the middle of a day charges
are under way: they hold their ports and their power to their end. Each pack's charge is one optional interval for each rate
at each kind of port.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from quarry.core.rotation.assign_resources import Occupied, assign_resources
from quarry.core.rotation.dispatch import ease, settled
from quarry.core.rotation.integer_seconds import Kind, Pool, charge_s, fits, kinds, pools, starts_of, up
from quarry.core.rotation.model import FULL, Flight, PackSet, PlannedCharge, PlannedFlight, Rotation, RotationTask
from quarry.core.rotation.simulation import needed
from quarry.core.rotation.solver import Better, OnPort, Placed, Stopper, add_crews, add_ports, on_ports, placed, rounded_s, run
from quarry.core.rotation.wear import faster, uneven

if TYPE_CHECKING:
    from ortools.sat.python import cp_model


@dataclass(slots=True)
class _Charge:
    """One pack's charge in the model: of which pack, from which share, when, and which of the rates (pool, rate, seconds, chosen)."""

    pack: int
    from_frac: float
    start: cp_model.IntVar
    options: list[tuple[int, int, int, cp_model.IntVar]]


@dataclass(slots=True)
class _Item:
    """A flight, or a set that arrives part-charged: afterwards it is charged again or stays away."""

    kind: int
    again: Any
    back: Any
    charges: list[_Charge] = field(default_factory=list)


class FullModel:
    """The constraint model of a day on which only full packs fly."""

    def __init__(self, task: RotationTask, first: Rotation) -> None:
        from ortools.sat.python import cp_model

        self.cp = cp_model
        self.task, self.first = task, first
        self.m = cp_model.CpModel()
        self.end = up(first.makespan_s)
        self.pools: tuple[Pool, ...] = pools(task)
        self.kinds: tuple[Kind, ...] = kinds(task)
        self.takeoff: dict[str, Any] = {}
        self.chosen: dict[tuple[str, int], Any] = {}
        self.items: dict[tuple[str, int], _Item] = {}
        self.arrivals: dict[str, _Item] = {}
        self.charges: list[OnPort] = []
        self.finish = self.m.new_int_var(0, self.end, "finish")
        self._flights()
        self._sets()
        add_crews(self.m, task, self.takeoff)
        add_ports(self.m, task, self.pools, self.charges)
        self._hint()

    def _flights(self) -> None:
        m, task = self.m, self.task
        for craft in task.aircraft:
            swap = up(task.swap_of(craft.id))
            before: Flight | None = None
            for f in (f for f in task.flights if f.aircraft == craft.id):
                domain = self.cp.Domain.from_intervals(starts_of(task, f, self.end) or [[0, -1]])
                self.takeoff[f.id] = m.new_int_var_from_domain(domain, f"T{f.id}")
                m.add(self.finish >= self.takeoff[f.id] + up(f.flight_s))
                if before is not None:
                    m.add(self.takeoff[f.id] >= self.takeoff[before.id] + up(before.flight_s) + swap)
                before = f

    def _sets(self) -> None:
        m, task = self.m, self.task
        types = {c.id: c.type for c in task.aircraft}
        away: list[list[Any]] = [[] for _ in self.kinds]
        last: list[list[Any]] = [[] for _ in self.kinds]
        for f in task.flights:
            able = [kind_index for kind_index, kind in enumerate(self.kinds) if kind.type == types[f.aircraft] and fits(kind, f)]
            marks = [m.new_bool_var(f"x{f.id}.{kind_index}") for kind_index in able]
            m.add_exactly_one(marks)
            for kind_index, mark in zip(able, marks, strict=True):
                self.chosen[f.id, kind_index] = mark
                again = m.new_bool_var(f"c{f.id}.{kind_index}")
                m.add_implication(again, mark)
                left = dict.fromkeys(range(self.kinds[kind_index].one.packs), 1.0 - f.energy_frac)
                item = self._item(f"{f.id}.{kind_index}", kind_index, again, left)
                self.items[f.id, kind_index] = item
                size = m.new_int_var(0, self.end + 1, "")
                away[kind_index].append(m.new_optional_interval_var(self.takeoff[f.id], size, item.back, mark, ""))
                m.add(item.back == self.end + 1).only_enforce_if(mark, ~again)
                landed = self.takeoff[f.id] + up(f.flight_s) + up(task.rest_after_flight_s)
                for c in item.charges:
                    m.add(c.start >= landed).only_enforce_if(again)
                gone = m.new_bool_var("")
                m.add(gone == mark - again)
                last[kind_index].append(gone)
        for kind_index, kind in enumerate(self.kinds):
            for packs in kind.sets:
                if packs.start_frac < FULL or any(c.set == packs.id for c in task.begun):
                    item = self.arrivals[packs.id] = self._arrival(packs, kind_index)
                    away[kind_index].append(m.new_interval_var(0, item.back, item.back, ""))
                    last[kind_index].append(~item.again)
                elif packs.from_s > 0:
                    away[kind_index].append(m.new_fixed_size_interval_var(0, up(packs.from_s), ""))
            n = len(kind.sets)
            if n == 1:
                m.add_no_overlap(away[kind_index])
            else:
                m.add_cumulative(away[kind_index], [1] * len(away[kind_index]), n)
            m.add(sum(last[kind_index]) <= n)
            self._alike(kind)

    def _arrival(self, packs: PackSet, kind_index: int) -> _Item:
        """Return how a set comes to be ready that is not: charges under way go on, and what else is short may be charged."""
        m, task = self.m, self.task
        under_way = [c for c in task.begun if c.set == packs.id]
        busy = {c.pack for c in under_way}
        short = {p: frac for p, frac in enumerate(packs.starts()) if frac < FULL and p not in busy}
        again = m.new_bool_var(f"c{packs.id}")
        item = self._item(packs.id, kind_index, again, short)
        m.add(item.back == self.end + 1).only_enforce_if(~again)
        m.add(item.back >= up(packs.from_s)).only_enforce_if(again)
        for begun in under_way:
            m.add(item.back >= up(begun.end_s) + up(task.rest_after_charge_s)).only_enforce_if(again)
        for c in item.charges:
            m.add(c.start >= up(packs.from_s)).only_enforce_if(again)
            fixed = min((x.start_s for x in self.first.charges if (x.set, x.pack) == (packs.id, c.pack)), default=None)
            if packs.first and fixed is not None:
                m.add(c.start == up(fixed))
        return item

    def _alike(self, kind: Kind) -> None:
        """Sets that arrive with equal charge are put on charge in one order: else every order is searched."""
        for a, b in zip(kind.sets, kind.sets[1:], strict=False):
            middle = {c.set for c in self.task.begun} & {a.id, b.id} or a.fracs is not None or b.fracs is not None
            if a.start_frac == b.start_frac < FULL and a.from_s == b.from_s and not middle:
                one, other = self.arrivals[a.id], self.arrivals[b.id]
                self.m.add_implication(other.again, one.again)
                self.m.add(one.back <= other.back)

    def _item(self, name: str, k: int, again: Any, fracs: dict[int, float]) -> _Item:
        m, kind = self.m, self.kinds[k]
        back = m.new_int_var(0, self.end + 1, f"E{name}")
        item = _Item(k, again, back)
        for p, from_frac in fracs.items():
            start = m.new_int_var(min(up(self.task.now_s), self.end), self.end, f"s{name}.{p}")
            options = []
            for q, pool in enumerate(self.pools):
                for r, mode in enumerate(pool.modes) if pool.charges(kind.type) else ():
                    length = charge_s(kind, from_frac, mode)
                    y = m.new_bool_var(f"y{name}.{p}.{q}.{r}")
                    interval = m.new_optional_fixed_size_interval_var(start, length, y, "")
                    self.charges.append(OnPort(interval, q, round(mode.wall_w)))
                    m.add(back >= start + length + up(self.task.rest_after_charge_s)).only_enforce_if(y)
                    options.append((q, r, length, y))
            m.add(sum(o[3] for o in options) == again)
            if item.charges and item.charges[-1].from_frac == from_frac:
                m.add(item.charges[-1].start <= start)
            item.charges.append(_Charge(p, from_frac, start, options))
        return item

    def _hint(self) -> None:
        m, first = self.m, self.first
        for f in first.flights:
            m.add_hint(self.takeoff[f.flight], up(f.takeoff_s))
        m.add_hint(self.finish, self.end)
        where = {packs.id: k for k, kind in enumerate(self.kinds) for packs in kind.sets}
        for f in first.flights:
            for (name, k), x in self.chosen.items():
                if name == f.flight:
                    m.add_hint(x, int(where[f.set] == k))
        by_set: dict[str, list[PlannedFlight]] = {}
        for f in sorted(first.flights, key=lambda f: f.takeoff_s):
            by_set.setdefault(f.set, []).append(f)
        pool_of = {c.id: q for q, p in enumerate(self.pools) for c in p.chargers}
        for packs in self.task.sets:
            flown = by_set.get(packs.id, [])
            spans: list[tuple[_Item | None, float, float]] = [
                (self.arrivals.get(packs.id), 0.0, flown[0].takeoff_s if flown else -1.0)
            ]
            for n, f in enumerate(flown):
                until = flown[n + 1].takeoff_s if n + 1 < len(flown) else -1.0
                spans.append((self.items.get((f.flight, where[packs.id])), f.landing_s, until))
            for item, a, b in spans:
                if item is None:
                    continue
                begun = [c for c in self.task.begun if c.set == packs.id] if item is self.arrivals.get(packs.id) else []
                of_set = sorted(
                    (
                        c
                        for c in first.charges
                        if c.set == packs.id and a - 1e-6 <= c.start_s and c.end_s <= b + 1e-6 and c not in self.task.begun
                    ),
                    key=lambda c: c.start_s,
                )
                m.add_hint(item.again, int(bool(of_set or begun)))
                ends = [up(c.end_s) + up(self.task.rest_after_charge_s) for c in (*of_set, *begun)]
                m.add_hint(item.back, max(ends) if ends else self.end + 1)
                own = {c.pack: c for c in of_set}
                same = len({c.from_frac for c in item.charges}) <= 1
                pairs = (
                    list(zip(item.charges, of_set, strict=False))
                    if same
                    else [(x, own[x.pack]) for x in item.charges if x.pack in own]
                )
                for charge, c in pairs:
                    m.add_hint(charge.start, up(c.start_s))
                    for q, r, _, y in charge.options:
                        m.add_hint(y, int(q == pool_of[c.charger] and self.pools[q].modes[r].name == c.mode))

    def best(
        self, limit_s: float, workers: int, on_stop: Stopper | None, on_better: Better | None, enough_s: float = 0.0
    ) -> tuple[Rotation | None, float]:
        """Return (the schedule with the earliest last landing found, or None; a bound on every schedule of the day). [s]"""
        self.m.minimize(self.finish)
        solver, solved, bound = run(self.m, limit_s, workers, on_stop, on_better, enough_s)
        return (placed(self._read, solver) if solved else None), bound - rounded_s(self.task)

    def kindest(self, limit_s: float, workers: int, on_stop: Stopper | None) -> Rotation | None:
        """Return a schedule that ends as early and wears packs less: gentler charges, sets used more alike; or None."""
        marks = [(k, x) for (_, k), x in self.chosen.items()]
        cost = uneven(self.m, self.kinds, marks, len(self.task.flights))
        for item in (*self.items.values(), *self.arrivals.values()):
            for c in item.charges:
                cost += [faster(self.pools[q].modes, r) * y for q, r, _, y in c.options]
        self.m.minimize(sum(cost))
        solver, solved, _ = run(self.m, limit_s, workers, on_stop, None)
        return placed(self._read, solver) if solved else None

    def _read(self, solver: Any) -> Rotation:
        """Return the solver's schedule with sets and ports handed out."""
        task = self.task
        lengths = {f.id: f.flight_s for f in task.flights}
        craft = {f.id: f.aircraft for f in task.flights}
        start = {f: float(solver.value(v)) for f, v in self.takeoff.items()}
        who: dict[str, str] = {}
        made: list[tuple[str, _Item]] = []
        for kind_index, kind in enumerate(self.kinds):
            jobs = []
            for (f, at), item in self.items.items():
                if at == kind_index and solver.value(self.chosen[f, kind_index]):
                    until = float(solver.value(item.back)) if solver.value(item.again) else math.inf
                    jobs.append(Occupied(f, start[f], until))
            ready = {}
            for packs in kind.sets:
                arrival = self.arrivals.get(packs.id)
                if arrival is None:
                    ready[packs.id] = packs.from_s
                else:
                    ready[packs.id] = float(solver.value(arrival.back)) if solver.value(arrival.again) else math.inf
            who |= assign_resources(jobs, ready)
        for (f, kind_index), item in self.items.items():
            if solver.value(self.chosen[f, kind_index]) and solver.value(item.again):
                made.append((who[f], item))
        for name, item in self.arrivals.items():
            if solver.value(item.again):
                made.append((name, item))
        flights = [PlannedFlight(f, craft[f], who[f], t, t + lengths[f]) for f, t in start.items()]
        charges = [*task.begun, *self._on_ports(solver, made)]
        charges = ease(task, flights, needed(flights, charges, task.begun))
        return settled(task, flights, charges, "searched by a solver", self.first.tried)

    def _on_ports(self, solver: Any, made: list[tuple[str, _Item]]) -> list[PlannedCharge]:
        found: list[PlannedCharge] = []
        for q, pool in enumerate(self.pools):
            of_pool = []
            for name, item in made:
                for c in item.charges:
                    for at, r, length, y in c.options:
                        if at == q and solver.value(y):
                            t = float(solver.value(c.start))
                            of_pool.append(Placed(name, c.pack, pool.modes[r].name, t, t + length, c.from_frac, 1.0))
            found += on_ports(pool, of_pool, self.task.begun)
        return found
