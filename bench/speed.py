"""The core side by side with the least that could do the same."""

from __future__ import annotations

import math

import numpy as np
import shapely
from shapely import Polygon, affinity

from bench.clock import ms, seconds, show
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.flight.wind import Wind
from quarry.core.ground.coverage import LineTask, plan_coverage
from quarry.core.ground.outline import KeepOut, make_area
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.sorties.plan import SortieTask, plan_sorties

CRAFT = Airframe("A", 640.0, 12.0, 80.0, 4.0)
SPACING = 19.0


def field(hectares: float) -> tuple[tuple[float, float], ...]:
    """Return an uneven outline of about so many hectares."""
    rng = np.random.default_rng(4)
    reach = rng.uniform(0.8, 1.2, 11)
    ring = [(1.3 * r * math.cos(a), r * math.sin(a)) for r, a in zip(reach, np.linspace(0, 2 * math.pi, 12)[:-1], strict=True)]
    scale = math.sqrt(hectares * 1e4 / Polygon(ring).area)
    return tuple((x * scale, y * scale) for x, y in ring)


def _hole(hectares: float) -> KeepOut:
    r = 0.12 * math.sqrt(hectares * 1e4)
    return KeepOut(tuple((r * math.cos(a), r * math.sin(a)) for a in np.linspace(0, 2 * math.pi, 7)[:-1]), "never", 5.0)


def _clip(area: Polygon, angle: float, spacing: float) -> object:
    """Clip the same lines in the same direction with the general library: no ends, no cells, no order, no choice."""
    flat = affinity.rotate(area, -angle, origin=(0, 0))
    west, low, east, high = flat.bounds
    lines = shapely.linestrings([[(west, y), (east, y)] for y in np.arange(low + spacing / 2, high, spacing)])
    return shapely.intersection(lines, flat)


def coverage() -> None:
    """Compare a full plan with bare clipping of the same lines."""
    rows = []
    for hectares in (1, 10, 100):
        for keeps in ((), (_hole(hectares),)):
            area = make_area(field(hectares), keeps)
            task = LineTask(SPACING, 8.0, 4.0, Wind(5.5, 238.0), home=(-50.0, -50.0))
            plan = plan_coverage(area, task)
            ours = seconds(lambda a=area, t=task: plan_coverage(a, t), 5)
            bare = seconds(lambda a=area, p=plan: _clip(a.worked, p.best.angle_deg, SPACING), 15)
            sweep = len(plan.directions) + task.refine
            rows.append(
                (
                    f"{hectares} ha{', keep-out' if keeps else ''}",
                    str(len(plan.best.lines)),
                    ms(ours),
                    ms(bare),
                    f"{ours / bare:,.0f} ×",
                    f"{ours / bare / sweep:.1f} ×",
                )
            )
    show(
        "Coverage: best direction, cells, order and ends, against bare clipping in that one direction",
        ("area", "lines", "plan", "clip", "ratio", "per direction"),
        rows,
    )


def sorties() -> None:
    """Compare the dynamic programme with flying on until one must return, on the same lines."""
    rows = []
    for hectares in (10, 50, 100):
        area = make_area(field(hectares))
        cover = plan_coverage(area, LineTask(SPACING, 8.0, 4.0, Wind(5.5, 238.0))).best
        home = (-0.8 * math.sqrt(hectares * 1e4), 0.0)
        task = SortieTask(home, CRAFT, PackFigures("1", 355.0), 8.0, wind=Wind(5.5, 238.0))
        plan = plan_sorties(cover, task)
        both = seconds(lambda c=cover, t=task: plan_sorties(c, t), 5)
        lines = seconds(lambda a=area: plan_coverage(a, LineTask(SPACING, 8.0, 4.0, Wind(5.5, 238.0))), 5)
        rows.append((f"{hectares} ha", str(len(plan.sorties)), ms(lines), ms(both), ms(lines + both)))
    show("Sorties: the whole answer to a moved point", ("area", "sorties", "lines", "sorties cut", "together"), rows)


def _day(count: int) -> RotationTask:
    rng = np.random.default_rng(count)
    chargers = tuple(Charger(f"c{k}", 2, (Mode("fast", 560.0, 630.0), Mode("gentle", 280.0, 315.0))) for k in range(2))
    return RotationTask(
        (Craft("a", "t"), Craft("b", "t")),
        tuple(Flight(f"F{k}", "ab"[k % 2], float(rng.integers(600, 1300)), float(rng.uniform(0.4, 0.68))) for k in range(count)),
        tuple(PackSet(f"p{k}", "t", 1, 340.0, 1.0 if k < 2 else 0.6) for k in range(6)),
        chargers,
        240.0,
        720.0,
        420.0,
        2200.0,
    )


def rotation() -> None:
    """Compare the dispatcher with one play of the plain rule."""
    rows = []
    for count in (10, 20, 40):
        task = _day(count)
        plan, plain = dispatch(task), earliest_ready(task)
        ours, bare = seconds(lambda t=task: dispatch(t)), seconds(lambda t=task: earliest_ready(t))
        rows.append(
            (
                f"{count} sorties",
                ms(ours),
                ms(bare),
                f"{ours / bare:.0f} ×",
                f"{plan.makespan_s / 60:.0f} min",
                f"{plain.makespan_s / 60:.0f} min",
                f"{plan.makespan_s / plain.makespan_s - 1:+.1%}",
            )
        )
    show(
        "Rotation: the dispatcher against first come, first charged",
        ("day", "dispatcher", "plain rule", "ratio", "ends", "ends plain", "difference"),
        rows,
    )
