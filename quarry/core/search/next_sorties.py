"""Which segment each sortie searches: whole sorties with ways out and home, packs, charging, teams, until a given hour.

The searcher that can start first is asked first; it takes a segment, or stays down until its next window. Few decisions are
tried out to the end, pruned by what divided effort could still give (`effort`), and the answer is the best there is. More are
searched over the most promising beginnings; how far the answer may lie below the best is given by the same bound. Of plans
that give the same by the hour, the one whose chance rises sooner is taken.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import Infeasible, MissingInput, OutOfRange
from quarry.core.ground.search import DetectionLaw, detections_frac
from quarry.core.rotation.scatter import Scatter
from quarry.core.search.effort import most_found_frac

Floats = NDArray[np.float64]
LEAST_ON_SCENE_S = 60.0  # of room for a sortie to be worth taking off
MOST_COVERAGE = 2.0  # of one sortie: what is over goes to a further one, or home
_NODES, _AT_ONCE, _BESIDE = 20_000, 1_500, 150  # plans tried out: with time, for a screen, for what stands beside it
_LOOKS = 150_000  # segments looked at in all of them
_OTHERS = 3
_BEAM, _TRIED = 16, 6
_PLAYED, _REACH = 6_000, 4  # sorties played again to let the chance rise sooner
_GIVEN_UP = 0.004  # of the chance by the hour, for one that rises sooner, where the best is not proven anyhow
_SAME = 1e-9
_QUARTER = 0.6745  # standard deviations to the quarter of a normal distribution


@dataclass(frozen=True, slots=True)
class Pool:
    """Sets of packs that fly for whoever draws on them: when each is ready, what a full charge takes, and how many charge at once. [s]"""

    ready_s: tuple[float, ...]
    charge_s: float
    ports: int


@dataclass(frozen=True, slots=True)
class Searcher:
    """An aircraft, a team on foot or a dog: when it may be out, how long one sortie may last, and what lies between two. [s]

    ``open_s``: windows from when until when, in their order, apart from one another; a sortie lies in one of them.
    ``travel_s``: to each segment and back, inf where it does not get there. ``rates_per_s``: coverage that each second on
    the lines adds there. ``pool``: whose packs it flies, from 0; None for who needs none.
    """

    name: str
    open_s: tuple[tuple[float, float], ...]
    longest_s: float
    turn_s: float
    travel_s: tuple[float, ...]
    rates_per_s: tuple[float, ...]
    pool: int | None = None


@dataclass(frozen=True, slots=True)
class Effort:
    """What a search has: shares of its segments, who searches, packs, the law by which they detect, and the hour that counts. [s]"""

    shares: tuple[float, ...]
    searchers: tuple[Searcher, ...]
    pools: tuple[Pool, ...] = ()
    law: DetectionLaw = "random"
    until_s: float = 3 * 3600.0

    def __post_init__(self) -> None:
        """Check that all speak of the same segments."""
        n = len(self.shares)
        if not n or not self.searchers:
            raise MissingInput("A search needs at least one segment and one aircraft or team.", "searchers")
        if any(len(s.travel_s) != n or len(s.rates_per_s) != n for s in self.searchers):
            raise OutOfRange("Each searcher needs a way and a rate for each segment.", "searchers")
        if any(s.pool is not None and not 0 <= s.pool < len(self.pools) for s in self.searchers):
            raise OutOfRange("A searcher draws on packs that are not there.", "searchers")
        for s in self.searchers:
            times = [t for window in s.open_s for t in window]
            if not times or times != sorted(times):
                raise OutOfRange(f"The windows of {s.name} must be in their order and apart from one another.", "searchers")


@dataclass(frozen=True, slots=True)
class Assigned:
    """A sortie over a segment: who, where, from take-off to landing, the time on its lines, coverage, POD, and POS before and after."""

    searcher: int
    segment: int
    start_s: float
    end_s: float
    on_scene_s: float
    coverage: float
    detection_frac: float
    before_frac: float
    after_frac: float


@dataclass(frozen=True, slots=True)
class SearchPlan:
    """Sorties in the order of their start, the chance of success by the hour, and what no plan can beat.

    ``proven``: no other plan of whole sorties gives more.
    """

    sorties: tuple[Assigned, ...]
    success_frac: float
    at_most_frac: float
    proven: bool


@dataclass(frozen=True, slots=True)
class _State:
    """A plan begun: when each searcher is free, packs and ports, what is still missed of each segment."""

    free_s: tuple[float, ...]
    packs_s: tuple[tuple[float, ...], ...]
    ports_s: tuple[tuple[float, ...], ...]
    missed: Floats
    done: tuple[Assigned, ...]
    success: float


class _Search:
    """One search for sorties: what does not change while it goes on."""

    def __init__(self, effort: Effort) -> None:
        self.effort = effort
        self.shares = np.array(effort.shares)
        self.travel = np.array([s.travel_s for s in effort.searchers])
        self.rates = np.array([s.rates_per_s for s in effort.searchers])
        self.sees = np.isfinite(self.travel) & (self.rates > 0)
        self.enough_s = np.divide(MOST_COVERAGE, self.rates, out=np.zeros_like(self.rates), where=self.rates > 0)
        able = np.where(np.isfinite(self.travel), self.rates, 0.0)
        self.nearest = np.where(able > 0, self.travel, np.inf).min(axis=1)
        # Coverage by the second in the air: of one sortie never more than of the longest.
        longest = np.array([s.longest_s for s in effort.searchers])[:, None]
        by_air = np.where(able > 0, able * np.maximum(1 - self.travel / longest, 0.0), 0.0)
        best = by_air.max(axis=0)
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = np.where(best > 0, by_air / best, np.nan)
        # How much one searcher's second is worth, and a rate for each segment that no worth times it falls below.
        self.worth = np.array([np.nanmedian(r[r > 0]) if (r > 0).any() else 0.0 for r in ratio])
        with np.errstate(divide="ignore", invalid="ignore"):
            self.best_rate = np.where(by_air > 0, by_air / self.worth[:, None], 0.0).max(axis=0) * _steepest(effort.law)
        # Windows as from when, until when, and the latest take-off that still leaves time on the nearest lines.
        self.windows = [
            [
                (opens, min(ends, effort.until_s), min(ends, effort.until_s) - float(near) - LEAST_ON_SCENE_S)
                for opens, ends in s.open_s
            ]
            for s, near in zip(effort.searchers, self.nearest, strict=True)
        ]
        self.worths = self.worth.tolist()
        of_pool = [[k for k, s in enumerate(effort.searchers) if s.pool == n] for n in range(len(effort.pools))]
        self.longest_of_pool = [
            max((effort.searchers[k].longest_s * self.worths[k] for k in fly), default=0.0) for fly in of_pool
        ]

    def start(self) -> _State:
        pools = self.effort.pools
        return _State(
            tuple(s.open_s[0][0] for s in self.effort.searchers),
            tuple(tuple(sorted(p.ready_s)) for p in pools),
            tuple((0.0,) * p.ports for p in pools),
            np.ones(len(self.effort.shares)),
            (),
            0.0,
        )

    def next_start_s(self, state: _State, k: int) -> float:
        """Return when a searcher can take off next; inf where it cannot any more."""
        pool = self.effort.searchers[k].pool
        ready = state.free_s[k]
        if pool is not None:
            packs = state.packs_s[pool]
            if not packs:
                return math.inf
            ready = max(ready, packs[0])
        for opens, _, latest in self.windows[k]:
            if ready <= latest and opens <= latest:
                return ready if ready > opens else opens
        return math.inf

    def turn(self, state: _State) -> tuple[int, float] | None:
        """Return who decides next, and for when; None where nobody can start any more."""
        starts = [self.next_start_s(state, k) for k in range(len(self.effort.searchers))]
        first = min(starts)
        return (starts.index(first), first) if first < math.inf else None

    def options(self, state: _State, k: int, start_s: float) -> tuple[Floats, Floats, Floats]:
        """Return for each segment the time on its lines, the POD and the gain of a sortie there; gain −1 where it cannot be. [s]"""
        s = self.effort.searchers[k]
        ends = next(ends for _, ends in s.open_s if start_s < ends)
        home = min(start_s + s.longest_s, ends, self.effort.until_s)
        room = home - start_s - self.travel[k]
        able = (room >= LEAST_ON_SCENE_S) & self.sees[k]
        on_scene = np.where(able, np.minimum(room, self.enough_s[k]), 0.0)
        found = detections_frac(on_scene * self.rates[k], self.effort.law)
        return on_scene, found, np.where(able, self.shares * state.missed * found, -1.0)

    def flown(self, state: _State, k: int, start_s: float, segment: int, on_scene_s: float, found: float) -> _State:
        """Return what follows where a searcher takes a segment."""
        s = self.effort.searchers[k]
        end = start_s + float(self.travel[k, segment]) + on_scene_s
        success = state.success + float(self.shares[segment] * state.missed[segment]) * found
        missed = state.missed.copy()
        missed[segment] *= 1 - found
        free = list(state.free_s)
        free[k] = end + s.turn_s
        packs, ports = list(state.packs_s), list(state.ports_s)
        if s.pool is not None:
            pool = self.effort.pools[s.pool]
            packs[s.pool], ports[s.pool] = _charged(packs[s.pool], ports[s.pool], pool, end, (end - start_s) / s.longest_s)
        coverage = on_scene_s * float(self.rates[k, segment])
        one = Assigned(k, segment, start_s, end, on_scene_s, coverage, found, state.success, success)
        return _State(tuple(free), tuple(packs), tuple(ports), missed, (*state.done, one), success)

    def waits(self, state: _State, k: int, start_s: float) -> _State:
        """Return what follows where a searcher stays down until its next window; without one it flies no more."""
        free = list(state.free_s)
        free[k] = next((opens for opens, _ in self.effort.searchers[k].open_s if opens > start_s), math.inf)
        return replace(state, free_s=tuple(free))

    def at_most(self, *states: _State) -> list[float]:
        """Return what no plan that begins so can beat: all time left in the air, divided at will between segments."""
        left = np.array([self._air_left_s(state) for state in states])
        held = self.shares * np.stack([state.missed for state in states])
        found = most_found_frac(held, self.best_rate, left)
        return [state.success + float(f) for state, f in zip(states, found, strict=True)]

    def _air_left_s(self, state: _State) -> float:
        """Return the most time that can still be spent in the air, as the seconds of one whose worth is 1. [s]"""
        left, of_pool = 0.0, [0.0] * len(self.effort.pools)
        first = math.inf
        for k, s in enumerate(self.effort.searchers):
            start = self.next_start_s(state, k)
            if start == math.inf:
                continue
            first = min(first, start)
            air = 0.0
            for opens, ends, _ in self.windows[k]:
                air += _air_s(ends - (start if start > opens else opens), s)
            if s.pool is None:
                left += air * self.worths[k]
            else:
                of_pool[s.pool] += air * self.worths[k]
        for k, pool in enumerate(self.effort.pools):
            if not of_pool[k]:
                continue
            charges = pool.ports and pool.ports * max(0.0, self.effort.until_s - first) / max(pool.charge_s, 1.0)
            left += min(of_pool[k], (len(state.packs_s[k]) + charges) * self.longest_of_pool[k])
        return left


def _air_s(room_s: float, s: Searcher) -> float:
    """Return the most time in the air that fits into a window: short sorties leave more turns, never more time than long ones. [s]"""
    if room_s <= 0:
        return 0.0
    rounds, rest = divmod(room_s, s.longest_s + s.turn_s)
    return rounds * s.longest_s + min(rest, s.longest_s)


def _charged(
    packs: tuple[float, ...], ports: tuple[float, ...], pool: Pool, end_s: float, used_frac: float
) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Return packs and ports after a set flew: it charges where a port is free first; without ports it flies once."""
    left = packs[1:]
    if not ports:
        return left, ports
    free = list(ports)
    port = free.index(min(free))
    ready = max(end_s, free[port]) + pool.charge_s * used_frac
    free[port] = ready
    heap = [*left, ready]
    heapq.heapify(heap)
    return tuple(sorted(heap)), tuple(free)


@lru_cache(maxsize=8)
def _steepest(law: DetectionLaw) -> float:
    """Return how many times as much as the random law a law may gain from the coverage of one sortie."""
    if law == "random":
        return 1.0
    tried = np.linspace(0.01, MOST_COVERAGE, 200)
    missed = np.maximum(1 - detections_frac(tried, law), 1e-6)
    return float((-np.log(missed) / tried).max())


def plan_search(effort: Effort, nodes: int = _NODES) -> SearchPlan:
    """Return which segment each sortie searches so that the chance of success by the hour is highest.

    ``nodes``: how many beginnings are tried out to the end after the most promising ones.

    Raises
    ------
    Infeasible
        Nobody can search anything before the hour.
    """
    search = _Search(effort)
    best, proven = _planned(search, nodes)
    return _finished(search, best, proven=proven)


def _planned(search: _Search, nodes: int) -> tuple[_State, bool]:
    """Return the best plan found, and whether it is the best there is; raises `Infeasible` where nobody can search anything."""
    start = search.start()
    if search.turn(start) is None:
        raise Infeasible(
            "Nobody gets to a segment and back before the hour with the packs there are. Choose a later hour, or add packs.",
            "until_s",
        )
    return _tried_out(search, start, _beam(search, start), nodes)


def _finished(search: _Search, best: _State, *, proven: bool) -> SearchPlan:
    """Return a plan in which the chance rises as soon as it can, with what no plan can beat."""
    best = _sooner(search, best, 0.0 if proven else _GIVEN_UP)
    at_most = max(search.at_most(search.start())[0], best.success)
    ordered = tuple(sorted(best.done, key=lambda a: (a.start_s, a.searcher)))
    return SearchPlan(_running(search, ordered), best.success, best.success if proven else at_most, proven)


def _beam(search: _Search, start: _State) -> _State:
    """Return the best plan found over the most promising beginnings."""
    front, best = [start], start
    while front:
        grown: list[_State] = []
        stay: list[_State] = []
        for state in front:
            turn = search.turn(state)
            if turn is None:
                best = max(best, state, key=_worth)
                continue
            k, start_s = turn
            on_scene, found, gain = search.options(state, k, start_s)
            by_air = gain / (on_scene + search.travel[k])
            chosen = [int(j) for j in np.argsort(-by_air, kind="stable")[:_TRIED] if gain[j] > 0]
            if not chosen:
                stay.append(search.waits(state, k, start_s))
            grown += [search.flown(state, k, start_s, j, float(on_scene[j]), float(found[j])) for j in chosen]
        # What the same time would gain elsewhere is the price of a longer sortie.
        worth = [*(search.at_most(*grown) if grown else ()), *(state.success for state in stay)]
        front = [state for _, state in sorted(zip(worth, [*grown, *stay], strict=True), key=lambda x: -x[0])[:_BEAM]]
        for state in front:
            best = max(best, state, key=_worth)
    return best


def _worth(state: _State) -> tuple[float, float]:
    """Return what a plan is worth: its success by the hour, and of the same the one that rises sooner."""
    return round(state.success, 9), -sum((a.after_frac - a.before_frac) * a.end_s for a in state.done)


def _tried_out(search: _Search, start: _State, best: _State, most_nodes: int) -> tuple[_State, bool]:
    """Return the best plan, and whether all others were tried or ruled out."""
    nodes, most = 0, min(most_nodes, _LOOKS // len(search.shares))
    stack: list[Callable[[], _State]] = [lambda: start]
    while stack:
        state = stack.pop()()
        nodes += 1
        if nodes > most:
            return best, False
        best = max(best, state, key=_worth)
        if search.at_most(state)[0] < best.success - _SAME:
            continue
        turn = search.turn(state)
        if turn is None:
            continue
        k, start_s = turn
        on_scene, found, gain = search.options(state, k, start_s)
        able = np.flatnonzero(gain >= 0)
        stack.append(partial(search.waits, state, k, start_s))
        # The most promising comes off the stack first.
        for j in able[np.argsort(gain[able], kind="stable")].tolist():
            if gain[j] > 0:
                stack.append(partial(search.flown, state, k, start_s, j, float(on_scene[j]), float(found[j])))
    return best, True


def _sooner(search: _Search, best: _State, given_up_frac: float) -> _State:
    """Return the same plan with segments changed between sorties where the chance then rises sooner.

    By the hour it may end lower by ``given_up_frac``, no more.
    """
    least = round(best.success - given_up_frac, 9)
    left = _PLAYED // max(1, len(best.done))
    begun = _played(search, search.start(), [a.segment for a in best.done])

    def better(kept: int, segments: Sequence[int]) -> bool:
        """Tell whether a plan with the same first sorties and these after them is better, and take it."""
        nonlocal begun, left
        left -= 1
        again = _played(search, begun[kept], segments)
        last = begun[-1]
        if len(again) <= len(segments) or round(again[-1].success, 9) < least:
            return False
        if _risen(again[-1], search) <= _risen(last, search) + _SAME:
            return False
        begun = [*begun[:kept], *again]
        return True

    by_gain = sorted(best.done, key=lambda a: -(a.after_frac - a.before_frac) / (a.end_s - a.start_s))
    if len(begun) <= len(best.done) or round(begun[-1].success, 9) < least:
        return best
    better(0, [a.segment for a in by_gain])
    changed = True
    while changed and left > 0:
        changed = False
        for k in range(len(best.done) - 1):
            for m in range(k + 1, min(k + 1 + _REACH, len(best.done))):
                order = [a.segment for a in begun[-1].done]
                changed |= left > 0 and better(k, [order[m], *order[k:m], *order[m + 1 :]])
    return begun[-1] if _risen(begun[-1], search) > _risen(best, search) else best


def _risen(state: _State, search: _Search) -> float:
    """Return the chance of success in the mean over the time until the hour."""
    until = search.effort.until_s
    return sum((a.after_frac - a.before_frac) * (until - a.end_s + a.on_scene_s / 2) for a in state.done) / until


def _played(search: _Search, state: _State, segments: Sequence[int]) -> list[_State]:
    """Return a plan begun and what it becomes as whoever starts next takes the next segment, until one of them cannot."""
    states = [state]
    for segment in segments:
        turn = search.turn(state)
        if turn is None:
            break
        k, start_s = turn
        on_scene, found, gain = search.options(state, k, start_s)
        if gain[segment] <= 0:
            break
        state = search.flown(state, k, start_s, segment, float(on_scene[segment]), float(found[segment]))
        states.append(state)
    return states


def _running(search: _Search, sorties: Sequence[Assigned]) -> tuple[Assigned, ...]:
    """Return sorties with the chance of success as it runs in the order in which they land."""
    missed = {a.segment: 1.0 for a in sorties}
    success, after = 0.0, {}
    for a in sorted(sorties, key=lambda a: a.end_s):
        before = success
        success += float(search.shares[a.segment]) * missed[a.segment] * a.detection_frac
        missed[a.segment] *= 1 - a.detection_frac
        after[id(a)] = (before, success)
    return tuple(replace(a, before_frac=after[id(a)][0], after_frac=after[id(a)][1]) for a in sorties)


def playing(effort: Effort, choose: Callable[[Floats, Floats, NDArray[np.intp]], int]) -> tuple[Assigned, ...]:
    """Return the sorties of a search whose segments are chosen by a rule, with packs, ways and hours as for any plan.

    ``choose`` gets the gain of each segment now (−1 where a sortie cannot be), what it still holds, and how often it was
    searched.
    """
    search = _Search(effort)
    state = search.start()
    looks = np.zeros(len(effort.shares), dtype=np.intp)
    while (turn := search.turn(state)) is not None:
        k, start_s = turn
        on_scene, found, gain = search.options(state, k, start_s)
        if not (gain >= 0).any():
            state = search.waits(state, k, start_s)
            continue
        j = choose(gain, search.shares * np.array(state.missed), looks)
        looks[j] += 1
        state = search.flown(state, k, start_s, j, float(on_scene[j]), float(found[j]))
    return _running(search, tuple(sorted(state.done, key=lambda a: (a.start_s, a.searcher))))


@dataclass(frozen=True, slots=True)
class Choices:
    """A plan, what the best other first step gives, and what one more set of packs or one more searcher of each kind would bring.

    ``instead``: None where there is no other. ``more``: by what is added, the chance of success by the same hour.
    """

    plan: SearchPlan
    instead: SearchPlan | None
    more: tuple[tuple[str, float], ...]


def choices(effort: Effort) -> Choices:
    """Return the plan and what stands beside it."""
    search = _Search(effort)
    best, proven = _planned(search, _AT_ONCE)
    plan = _finished(search, best, proven=proven)
    given_up = best.success - plan.success_frac

    def with_more(more: Effort) -> float:
        # What the plan gave up for a chance that rises sooner, it would give up with more as well.
        return max(plan.success_frac, _planned(_Search(more), _BESIDE)[0].success - given_up)

    first = plan.sorties[0] if plan.sorties else None
    instead = None
    if first is not None:
        instead = _without_first(effort, first)
    more: list[tuple[str, float]] = []
    for k, pool in enumerate(effort.pools):
        pools = list(effort.pools)
        pools[k] = replace(pool, ready_s=(*pool.ready_s, min([*pool.ready_s, 0.0])))
        more.append((f"pack {k}", with_more(replace(effort, pools=tuple(pools)))))
    seen: set[tuple[int | None, tuple[float, ...]]] = set()
    for k, s in enumerate(effort.searchers):
        kind = (s.pool, s.rates_per_s)
        if kind in seen:
            continue
        seen.add(kind)
        more.append((f"searcher {k}", with_more(replace(effort, searchers=(*effort.searchers, s)))))
    return Choices(plan, instead, tuple(more))


def _without_first(effort: Effort, first: Assigned) -> SearchPlan | None:
    """Return the best plan whose first sortie goes elsewhere."""
    search = _Search(effort)
    start = search.start()
    turn = search.turn(start)
    if turn is None:
        return None
    k, start_s = turn
    on_scene, found, gain = search.options(start, k, start_s)
    best: _State | None = None
    for j in np.argsort(-gain, kind="stable")[: _OTHERS + 1].tolist():
        if gain[j] <= 0 or (k == first.searcher and j == first.segment):
            continue
        after = search.flown(start, k, start_s, j, float(on_scene[j]), float(found[j]))
        grown, _ = _tried_out(search, after, _beam(search, after), _BESIDE)
        best = grown if best is None else max(best, grown, key=_worth)
    if best is None:
        return None
    ordered = tuple(sorted(best.done, key=lambda a: (a.start_s, a.searcher)))
    return SearchPlan(_running(search, ordered), best.success, best.success, False)


@dataclass(frozen=True, slots=True)
class BandPoint:
    """The chance of success at a time: as planned, and between which values half of all days lie. [s]"""

    at_s: float
    success_frac: float
    low_frac: float
    high_frac: float


def band(effort: Effort, sorties: Sequence[Assigned], scatter: Scatter) -> tuple[BandPoint, ...]:
    """Return how the chance of success rises, with the middle half of days: times stretch or shrink as flights and swaps do.

    What all flights of a day have in common counts in full, what each has by itself the less the more there are.
    """
    if not sorties:
        return ()
    alone = (scatter.flight_frac**2 + scatter.swap_frac**2 * _swap_share(effort) ** 2) / len(sorties)
    stretch = math.exp(_QUARTER * math.hypot(scatter.day_frac, math.sqrt(alone)))
    starts, ends, gains = (
        np.array(v) for v in zip(*((a.start_s, a.end_s, a.after_frac - a.before_frac) for a in sorties), strict=True)
    )

    def risen(at_s: float) -> float:
        return float((gains * np.clip((at_s - starts) / (ends - starts), 0.0, 1.0)).sum())

    last = float(ends.max())
    times = sorted({0.0, last * stretch, *starts.tolist(), *ends.tolist()})
    return tuple(BandPoint(t, risen(t), risen(t / stretch), risen(t * stretch)) for t in times)


def _swap_share(effort: Effort) -> float:
    """Return what share of a round the swap is, in the mean of all searchers."""
    return float(np.mean([s.turn_s / (s.turn_s + s.longest_s) for s in effort.searchers]))
