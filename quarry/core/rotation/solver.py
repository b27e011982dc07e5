"""What both models of a day share: ports and power as resources, one run of the solver, ports handed out."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from quarry.core.rotation.assign_resources import NoPort, ports_of
from quarry.core.rotation.integer_seconds import Pool, up
from quarry.core.rotation.model import PlannedCharge, Rotation, RotationTask

Stopper = Callable[[Callable[[], None]], None]
Better = Callable[[float, float], None]


@dataclass(frozen=True, slots=True)
class Improved:
    """A schedule no later than the first, the bound on all schedules, and whether the two meet."""

    rotation: Rotation
    bound_s: float
    proven: bool


class OnPort(NamedTuple):
    """A charge in a model: its interval, the pool of ports it is on, and what it draws. [W]"""

    interval: Any
    pool: int
    wall_w: int


class Placed(NamedTuple):
    """A charge read from a solution, before it has a port."""

    set: str
    pack: int
    mode: str
    start_s: float
    end_s: float
    from_frac: float
    to_frac: float


def rounded_s(task: RotationTask) -> float:
    """Return by how much whole seconds lengthen the flights of a day: a bound on that day may lie later by as much."""
    return sum(up(f.flight_s) - f.flight_s for f in task.flights if abs(up(f.flight_s) - f.flight_s) > 1e-3)


def add_ports(m: Any, task: RotationTask, pools: Sequence[Pool], charges: Sequence[OnPort]) -> None:
    """Bound charges by ports that are open, by the limits of chargers, and by what the supply gives when."""
    charges = [*charges, *_under_way(m, task, pools)]
    for q, pool in enumerate(pools):
        of_pool = [c for c in charges if c.pool == q]
        shut = [m.new_fixed_size_interval_var(up(a), max(1, up(b - a)), "") for c in pool.chargers for _, a, b in c.closed]
        m.add_cumulative([c.interval for c in of_pool] + shut, [1] * (len(of_pool) + len(shut)), pool.ports)
        if pool.cap_w is not None:
            m.add_cumulative([c.interval for c in of_pool], [c.wall_w for c in of_pool], math.floor(pool.cap_w))
    if task.site_power_w is not None and charges:
        most = math.floor(task.site_power_w)
        dips = [(up(a), max(1, math.floor(b) - up(a)), max(0, most - math.floor(w))) for a, b, w in task.dips if b > a]
        less = [m.new_fixed_size_interval_var(a, length, "") for a, length, _ in dips]
        m.add_cumulative([c.interval for c in charges] + less, [c.wall_w for c in charges] + [w for *_, w in dips], most)


def add_crews(m: Any, task: RotationTask, takeoff: dict[str, Any]) -> None:
    """Let each crew fly one of its aircraft at a time, from when it is free."""
    for crew in task.crews:
        theirs = [f for f in task.flights if f.aircraft in crew.aircraft]
        if not theirs:
            continue
        m.add_no_overlap([m.new_fixed_size_interval_var(takeoff[f.id], up(f.flight_s), "") for f in theirs])
        for f in theirs if crew.from_s > 0 else ():
            m.add(takeoff[f.id] >= up(crew.from_s))


def _under_way(m: Any, task: RotationTask, pools: Sequence[Pool]) -> list[OnPort]:
    """Return the charges that have begun: each holds its port and its power to its end."""
    found = []
    for c in task.begun:
        for q, pool in enumerate(pools):
            watts = [mode.wall_w for own in pool.chargers if own.id == c.charger for mode in pool.modes if mode.name == c.mode]
            if watts:
                found.append(OnPort(m.new_fixed_size_interval_var(0, max(1, up(c.end_s)), ""), q, math.ceil(watts[0])))
    return found


def run(
    m: Any, limit_s: float, workers: int, on_stop: Stopper | None, on_better: Better | None, enough_s: float = 0.0
) -> tuple[Any, bool, float]:
    """Solve a model until what is proven is so near; returns (the solver, whether it holds a solution, the bound it proved)."""
    from ortools.sat.python import cp_model

    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = max(0.1, limit_s)
    solver.parameters.num_workers = workers
    solver.parameters.random_seed = 1
    solver.parameters.linearization_level = 2
    solver.parameters.absolute_gap_limit = enough_s
    if workers > 1:  # several ways of searching side by side find more than as many threads as there are cores
        solver.parameters.num_workers = workers + 2
        solver.parameters.subsolvers.extend(["no_lp", "quick_restart", "quick_restart_no_lp"])
    if on_stop is not None:
        on_stop(solver.stop_search)

    class OnBetter(cp_model.CpSolverSolutionCallback):
        def on_solution_callback(self) -> None:
            if on_better is not None:
                on_better(self.objective_value, self.best_objective_bound)

    state = solver.solve(m, OnBetter() if on_better is not None else None)
    if state == cp_model.INFEASIBLE:  # not even the first schedule, to the second: nothing ends before it
        return solver, False, math.inf
    return solver, state in (cp_model.OPTIMAL, cp_model.FEASIBLE), float(solver.best_objective_bound)


def placed(read: Callable[[Any], Rotation], solver: Any) -> Rotation | None:
    """Return the schedule of a solution, or None where its charges find no port each around closings."""
    try:
        return read(solver)
    except NoPort:
        return None


def on_ports(pool: Pool, charges: Sequence[Placed], begun: Sequence[PlannedCharge] = ()) -> list[PlannedCharge]:
    """Return charges of one pool with charger and port; those that have begun keep theirs to their end."""
    where = [(c.id, port) for c in pool.chargers for port in range(c.ports)]
    closed = [(where.index((c.charger, c.port)), -math.inf, c.end_s) for c in begun if (c.charger, c.port) in where]
    at = 0
    for c in pool.chargers:
        closed += [(at + port, a, b) for port, a, b in c.closed]
        at += c.ports
    ports = ports_of([(p.start_s, p.end_s) for p in charges], pool.ports, closed)
    return [
        PlannedCharge(p.set, p.pack, *where[port], p.mode, p.start_s, p.end_s, p.from_frac, p.to_frac)
        for port, p in zip(ports, charges, strict=True)
    ]
