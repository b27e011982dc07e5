"""A strong, fast dispatcher: a day is played forward by rules, many times, and the best is kept.

One play is a simulation (`simulation.py`). Plays differ in the rule of priority, in the choice of
rate under a power limit, and in small shifts of single priorities; the search keeps what helps. It is
deterministic: the shifts come from a seed and the number of plays is given.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import count as count_up
from itertools import product

import numpy as np

from quarry.core.base.errors import Infeasible
from quarry.core.rotation.binding import why_infeasible
from quarry.core.rotation.bounds import lower_bound
from quarry.core.rotation.model import PlannedCharge, PlannedFlight, Rotation, RotationTask, Wait, check_task, duration_s
from quarry.core.rotation.simulation import ORDERS, RATES, TIGHTEST, Lengths, Play, Rule, Simulation

_WORK_PER_PLAY = 640


def dispatch(
    task: RotationTask,
    *,
    plays: int | None = None,
    seed: int = 7,
    explain: bool = False,
    until: Callable[[], bool] | None = None,
) -> Rotation:
    """Return a good rotation at once.

    Parameters
    ----------
    task : RotationTask
        The day.
    plays : int, optional
        How often to play it; by default so often that 40 sorties stay under 50 ms.
    seed : int
        Seed of the shifts.
    explain : bool
        Where there is none, relax each constraint in turn and name the smallest change that would do.
    until : callable, optional
        Go on playing while the day could still end earlier, until this says that it is enough.

    Raises
    ------
    CoreError
        The task cannot be done; see `check_task`.
    """
    check_task(task)
    if plays is None:
        plays = min(60, max(12, _WORK_PER_PLAY // max(1, len(task.flights))))
    best_rule, best = _search(task, plays, seed, until=until)
    if best is None:
        best_rule, best = _late_first(task, plays, seed)
    if best is None:
        flown = {c.type for c in task.aircraft if any(f.aircraft == c.id for f in task.flights)}
        if any(not any(c.ports > 0 and c.charges(kind) for c in task.chargers) for kind in flown if task.chargers):
            raise Infeasible(
                "No schedule was found: no charger of the day takes packs of their cells, volts and chemistry. Add one that does, or full packs.",
                "chargers",
            )
        if explain:
            few = max(8, plays // 3)

            def last_landing(other: RotationTask) -> float | None:
                play = _search(other, few, seed)[1] or _late_first(other, few, seed)[1]
                return play.makespan_s if play is not None else None

            raise why_infeasible(task, last_landing)
        unbound = replace(task, flights=tuple(replace(f, windows=None) for f in task.flights))
        if unbound.flights != task.flights and (_search(unbound, plays, seed)[1] or _late_first(unbound, plays, seed)[1]):
            raise Infeasible(
                "No schedule was found in the hours that the limits leave to the jobs; without limits there is one. "
                "Choose another date or other hours, or take jobs out.",
                "windows",
            )
        raise Infeasible(
            "No schedule was found in the hours of the day: packs are not full in time. Add packs, ports or hours.",
            "windows",
        )
    return settled(task, best.flights, ease(task, best.flights, best.charges), f"{best_rule.order}; {best_rule.rate}", plays)


def settled(
    task: RotationTask, flights: Sequence[PlannedFlight], charges: Sequence[PlannedCharge], rule: str, tried: int
) -> Rotation:
    """Return flights and charges as a schedule: in order of time, with its last landing, its bound and what waits."""
    finish = max(f.landing_s for f in flights)
    bound, reason = lower_bound(task)
    return Rotation(
        tuple(sorted(flights, key=lambda f: (f.takeoff_s, f.aircraft))),
        tuple(sorted(charges, key=lambda c: (c.start_s, c.charger, c.port))),
        waits(task, flights),
        finish,
        min(bound, finish),
        reason,
        rule,
        tried,
    )


def earliest_ready(task: RotationTask) -> Rotation | None:
    """Return the plain rule to compare with: first come first served, fastest rate that fits."""
    play = Simulation(task, Rule(ORDERS[0], RATES[0], longest_first=False, refly=False), Lengths(task)).run()
    if play is None:
        return None
    return settled(task, play.flights, play.charges, "earliest ready", 1)


def _rules(task: RotationTask) -> list[Rule]:
    several_rates = any(len(c.modes) > 1 for c in task.chargers)
    rates = RATES if several_rates else RATES[:1]
    firsts = (False, True) if len(task.aircraft) > 1 else (False,)
    reflies = (True, False) if task.policy == "partial" else (False,)
    orders = ORDERS if any(s.packs > 1 for s in task.sets) else (ORDERS[0], ORDERS[1], ORDERS[3])
    if len({c.type for c in task.aircraft}) > 1:
        orders = (TIGHTEST, *orders)
    return [Rule(o, r, f, y) for y, f, r, o in product(reflies, firsts, rates, orders)]


_Score = tuple[float, float, float]


def _soonest(play: Play) -> _Score:
    return 0.0, play.makespan_s, float(play.squares)


def _late_first(task: RotationTask, plays: int, seed: int) -> tuple[Rule, Play | None]:
    """Search where no play fits the hours: flights may run late at first, and the least late day is bettered until none is."""
    hours = {f.id: f.windows if f.windows is not None else task.windows for f in task.flights}
    if all(h is None for h in hours.values()):
        return Rule(ORDERS[0], RATES[0], longest_first=False, refly=False), None

    def lateness(play: Play) -> _Score:
        late = 0.0
        for f in play.flights:
            within = hours[f.flight]
            late += 0.0 if within is None else max(0.0, f.landing_s - within[-1][1] - 1e-6)
        return late, play.makespan_s, float(play.squares)

    open_ended = task.open_ended()
    for again in range(3):
        rule, play = _search(open_ended, 2 * plays, seed + again, lateness)
        if play is None or lateness(play)[0] <= 0:
            return rule, play
    return rule, None


def _search(
    task: RotationTask,
    plays: int,
    seed: int,
    judge: Callable[[Play], _Score] = _soonest,
    until: Callable[[], bool] | None = None,
) -> tuple[Rule, Play | None]:
    rng = np.random.default_rng(seed)
    scored: list[tuple[_Score, Rule, Play]] = []
    rules = _rules(task)
    if until is None:
        rules = rules[: max(4, plays // 2)]
    known = Lengths(task)
    for rule in rules:
        play = Simulation(task, rule, known).run()
        if play is not None:
            scored.append((judge(play), rule, play))
    if not scored:
        return rules[0], None
    scored.sort(key=lambda s: s[0])
    pool = scored[:3]
    bound, _ = lower_bound(task)
    count = len(task.flights) + len(task.sets)
    several = any(len(c.modes) > 1 for c in task.chargers)
    (score, rule, best) = pool[0]
    for n in count_up():
        over = n >= plays - len(rules) and (until is None or until())
        if over or (score[0] <= 0 and score[1] <= bound + 1e-6):
            break
        source = rule if n % 3 else pool[n // 3 % len(pool)][1]
        candidate = _shifted(source, count, rng, several=several)
        play = Simulation(task, candidate, known, score[1] if judge is _soonest else math.inf).run()
        if play is None:
            continue
        new = judge(play)
        if new <= score:
            score, rule, best = new, candidate, play
    return rule, best


def _shifted(rule: Rule, count: int, rng: np.random.Generator, *, several: bool) -> Rule:
    shift = list(rule.shift) if rule.shift else [0.0] * (2 * count)
    for _ in range(int(rng.integers(1, 4))):
        shift[int(rng.integers(0, len(shift)))] = float(rng.normal(0.0, 1.0))
    gentle, hold = set(rule.gentle), set(rule.hold)
    if several and rng.random() < 0.6:
        gentle ^= {int(rng.integers(0, count))}
    if rng.random() < 0.15:
        hold ^= {int(rng.integers(0, count))}
    return rule._replace(shift=tuple(shift), gentle=frozenset(gentle), hold=frozenset(hold))


def ease(task: RotationTask, flights: list[PlannedFlight], charges: list[PlannedCharge]) -> list[PlannedCharge]:
    """Return the charges with needless fast ones made gentler where nothing else has to move."""
    if not any(len(c.modes) > 1 for c in task.chargers):
        return charges
    sets = {s.id: s for s in task.sets}
    chargers = {c.id: c for c in task.chargers}
    out = list(charges)
    for i, c in sorted(enumerate(charges), key=lambda p: -p[1].start_s):
        if c in task.begun:
            continue
        gentler = sorted((m for m in chargers[c.charger].modes), key=lambda m: m.pack_w)
        takeoff = min(f.takeoff_s for f in flights if f.set == c.set and f.takeoff_s >= c.end_s - 1e-6)
        others = [
            o.start_s
            for k, o in enumerate(out)
            if k != i and (o.charger, o.port) == (c.charger, c.port) and o.start_s >= c.end_s - 1e-6
        ]
        until = min([takeoff - task.rest_after_charge_s, *others])
        now = next(m for m in chargers[c.charger].modes if m.name == c.mode)
        for mode in gentler:
            end = c.start_s + duration_s(sets[c.set], c.from_frac, mode)
            if mode.pack_w >= now.pack_w or end > until + 1e-6:
                continue
            slower = replace(c, mode=mode.name, end_s=end)
            if _power_holds(task, [*out[:i], slower, *out[i + 1 :]], c.end_s, end):
                out[i] = slower
                break
    return out


def _power_holds(task: RotationTask, charges: list[PlannedCharge], from_s: float, to_s: float) -> bool:
    if any(a < to_s and from_s < b for a, b, _ in task.dips) or any(
        a < to_s and from_s < b for c in task.chargers for _, a, b in c.closed
    ):
        return False  # a longer charge is not squeezed into a time that is narrow already
    wall = {(c.id, m.name): m.wall_w for c in task.chargers for m in c.modes}
    for t in {from_s, *(c.start_s for c in charges if from_s <= c.start_s < to_s)}:
        live = [c for c in charges if c.start_s <= t < c.end_s]
        if task.site_power_w is not None and sum(wall[c.charger, c.mode] for c in live) > task.site_power_w + 1e-6:
            return False
        for charger in task.chargers:
            mine = sum(wall[c.charger, c.mode] for c in live if c.charger == charger.id)
            if charger.cap_w is not None and mine > charger.cap_w + 1e-6:
                return False
    return True


def waits(task: RotationTask, flights: Sequence[PlannedFlight]) -> tuple[Wait, ...]:
    """Return when each aircraft stood ready and did not fly, and for want of what."""
    found = []
    known = {f.id: f for f in task.flights}
    for craft in task.aircraft:
        ready = craft.from_s
        crew = task.crew_of(craft.id)
        others = [f for f in flights if crew is not None and f.aircraft in crew.aircraft and f.aircraft != craft.id]
        for f in sorted((f for f in flights if f.aircraft == craft.id), key=lambda f: f.takeoff_s):
            opens = task.next_window(ready, known[f.flight])
            if opens > ready + 1 and math.isfinite(opens):
                found.append(Wait(craft.id, f.flight, ready, min(opens, f.takeoff_s), "window"))
                ready = min(opens, f.takeoff_s)
            busy = max((o.landing_s for o in others if ready < o.landing_s <= f.takeoff_s + 1), default=ready)
            if busy > ready + 1:
                found.append(Wait(craft.id, f.flight, ready, min(busy, f.takeoff_s), "crew"))
                ready = min(busy, f.takeoff_s)
            if f.takeoff_s > ready + 1:
                found.append(Wait(craft.id, f.flight, ready, f.takeoff_s, "pack"))
            ready = f.landing_s + task.swap_of(craft.id)
    return tuple(found)
