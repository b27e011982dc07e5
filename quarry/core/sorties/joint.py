"""Direction, start corner and cuts chosen together: several coverages, each from both ends, are cut and compared."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from shapely.geometry.base import BaseGeometry

from quarry.core.base.errors import CoreError, Infeasible
from quarry.core.base.sources import BELLMAN, PRACTICE
from quarry.core.base.working import Step, Working
from quarry.core.ground.coverage import CoveragePlan
from quarry.core.ground.geodesy import Metres
from quarry.core.ground.lines import Coverage, LineTask, reversed_coverage
from quarry.core.sorties.plan import Merit, SortiePlan, SortieTask, merit_of, plan_sorties

_UPWIND_WORTH = 1.03  # reversing a route changes its time by at most about 3 %
_UPWIND_FROM_M_S = 2.0
_REFINEMENTS, _BARRED_REFINEMENTS = 3, 2
_FROM_BOTH_ENDS = 3


@dataclass(frozen=True, slots=True)
class Joint:
    """The coverage taken with its sorties, and the working of the choice; ``least``: the least that was found, before the wind had its say."""

    coverage: Coverage
    plan: SortiePlan
    tried: int
    working: Working
    least: Merit


def plan_together(
    cover: CoveragePlan, lines: LineTask, make: Callable[[Coverage], SortieTask], forbidden: BaseGeometry | None = None
) -> Joint:
    """Return the best of all candidate coverages, cut: fewest sorties, then least time, then home with the wind.

    Parameters
    ----------
    cover : CoveragePlan
        Its best and others are candidates, each from both ends.
    lines : LineTask
        What they were laid for.
    make : callable
        The task of cutting for one coverage; heights along it may differ.
    forbidden : geometry, optional
        Ground that must not be flown over.

    Raises
    ------
    CoreError
        No candidate can be cut; the error is that of the best coverage.
    """
    found: list[tuple[Merit, Coverage]] = []
    tasks: dict[int, SortieTask] = {}
    errors: list[CoreError] = []

    def cut(c: Coverage) -> None:
        try:
            tasks[id(c)] = make(c)
            found.append((merit_of(c, tasks[id(c)], forbidden), c))
        except CoreError as bad:
            errors.append(bad)

    laid = (cover.best, *cover.others)
    for c in laid:
        cut(c)
    # From the other end only what is near the best: that changes a time by a few hundredths at most.
    first = {id(c): m.sorties for m, c in found}
    fewest = min(first.values(), default=0)
    for c in sorted(laid, key=lambda c: first.get(id(c), fewest))[:_FROM_BOTH_ENDS]:
        if not c.one_way:
            cut(reversed_coverage(c, lines))
    if not found:
        raise errors[0] if errors else Infeasible("No line can be flown.", "area")
    if cover.at_angle is not None:
        rounds = _REFINEMENTS if forbidden is None or forbidden.is_empty else _BARRED_REFINEMENTS
        _refine(found, cover.at_angle, cut, lines, rounds)
    best = min(found, key=_sorties_then_time)
    taken, why = best, "fewest sorties, then least time"
    if lines.wind.speed_m_s >= _UPWIND_FROM_M_S:
        near = [f for f in found if f[0].sorties == best[0].sorties and f[0].total_s <= _UPWIND_WORTH * best[0].total_s]
        upwind = max(near, key=lambda f: f[0].upwind_m)
        if upwind[0].upwind_m > best[0].upwind_m + 1.0:
            taken, why = upwind, "out against the wind and home with it, within 3 % of the least time"
    merit, coverage = taken
    steps = [
        Step(
            "total_s",
            m.total_s,
            "s",
            f"{c.words}, {m.sorties} sorties",
            source=BELLMAN,
            kind="input",
            note="" if c is not coverage else "taken",
        )
        for m, c in sorted(found, key=_sorties_then_time)
    ]
    steps.append(Step("choice", f"{merit.sorties} sorties", "", why, source=PRACTICE, kind="choice"))
    return Joint(
        coverage,
        plan_sorties(coverage, tasks[id(coverage)], forbidden),
        len(found),
        Working("Direction and start", merit.total_s, "s", tuple(steps)),
        best[0],
    )


def _sorties_then_time(f: tuple[Merit, Coverage]) -> tuple[int, float]:
    return f[0].sorties, f[0].total_s


def _refine(
    found: list[tuple[Merit, Coverage]],
    at_angle: Callable[[float], Coverage],
    cut: Callable[[Coverage], None],
    lines: LineTask,
    rounds: int,
) -> None:
    """Try directions beside the best one, nearer and nearer, from the end that was best."""
    step = lines.step_deg / 2
    for _ in range(rounds):
        merit, best = min(found, key=_sorties_then_time)
        if best.along_bend:
            return
        for shift in (-step, step):
            with contextlib.suppress(CoreError):
                beside = at_angle((best.angle_deg + shift) % 180.0)
                cut(beside if beside.one_way or _same_end(best, beside) else reversed_coverage(beside, lines))
        if min(found, key=_sorties_then_time)[0] is merit:
            step /= 2


def _same_end(a: Coverage, b: Coverage) -> bool:
    return math.dist(a.path[0], b.path[0]) <= math.dist(a.path[0], b.path[-1])


@dataclass(frozen=True, slots=True)
class HomeTried:
    """A place for home with what the job takes from there; None where it cannot be flown from there, with the reason."""

    at: Metres
    sorties: int | None
    total_s: float | None
    why_not: str = ""


def try_homes(
    coverage: Coverage, task: SortieTask, homes: Sequence[Metres], forbidden: BaseGeometry | None = None
) -> list[HomeTried]:
    """Return what the same lines take from each of several homes."""
    found = []
    for at in homes:
        try:
            m = merit_of(coverage, replace(task, home=at), forbidden)
            found.append(HomeTried(at, m.sorties, m.total_s))
        except CoreError as bad:
            found.append(HomeTried(at, None, None, bad.message))
    return found


def best_home(
    coverage: Coverage, task: SortieTask, allowed: BaseGeometry, forbidden: BaseGeometry | None = None, rounds: int = 3
) -> HomeTried | None:
    """Return the best home inside a permitted area: its corners and a net of places, then finer nets around the best.

    None if none serves.
    """
    from shapely import Point

    west, south, east, north = allowed.bounds
    span = max(east - west, north - south) / 2
    middle = ((west + east) / 2, (south + north) / 2)
    best: HomeTried | None = None
    corners = list(allowed.convex_hull.simplify(span / 10).exterior.coords)[:-1] if span > 0 else []
    for k in range(rounds):
        net = corners if k == 0 else []
        net = net + [(middle[0] + span * (i / 2 - 1), middle[1] + span * (j / 2 - 1)) for i in range(5) for j in range(5)]
        inside = [p for p in net if allowed.covers(Point(p)) and (forbidden is None or not forbidden.contains(Point(p)))]
        if best is None and not inside:
            inside = [(allowed.representative_point().x, allowed.representative_point().y)]
        for tried in try_homes(coverage, task, inside, forbidden):
            if tried.sorties is not None and (best is None or best.sorties is None or _rank(tried) < _rank(best)):
                best = tried
        if best is None:
            break
        middle, span = best.at, span / 2.5
    return best


def _rank(t: HomeTried) -> tuple[float, float]:
    return (t.sorties if t.sorties is not None else 1e9, t.total_s if t.total_s is not None else 1e18)
