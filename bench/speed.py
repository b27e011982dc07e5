"""The core side by side with the least that could do the same."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import shapely
from shapely import Polygon, affinity

from bench.clock import ms, seconds, show
from quarry.core.flight.energy import Airframe, PackFigures
from quarry.core.flight.wind import Wind
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.lines import Coverage, LineTask
from quarry.core.ground.outline import Area, KeepOut, Plot, make_area, make_plots
from quarry.core.ground.relief import Course, ground_along, route_relief
from quarry.core.ground.terrain import TerrainGrid
from quarry.core.rotation.dispatch import dispatch, earliest_ready
from quarry.core.rotation.model import Charger, Craft, Flight, Mode, PackSet, RotationTask
from quarry.core.sorties.joint import plan_together
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


def grounds() -> None:
    """Show a whole plan over ground that is not plain, each against the same ground without what makes it so."""
    task = LineTask(6.0, 6.0, 4.0, Wind(3.0, 238.0), home=(-60.0, -60.0), refine=8, keep=4)
    sortie = SortieTask((-60.0, -60.0), CRAFT, PackFigures("1", 700.0), 6.0, wind=Wind(3.0, 238.0))

    def whole(area: Area, task: LineTask = task) -> float:
        return seconds(lambda: plan_together(plan_coverage(area, task), task, lambda _: sortie, area.forbidden), 3)

    rows = []
    bare = whole(_ponds(0))
    for count in (0, 25, 150):
        area = _ponds(count)
        lines = plan_coverage(area, task).best
        took = whole(area)
        rows.append(
            (f"{count} never-crossed keep-outs in 96 ha", ms(took), f"{took / bare:.1f} ×", f"{lines.uncovered_frac:.2%}")
        )
    bend = ((0.0, 0.0), (900.0, 80.0), (1500.0, 700.0), (2600.0, 650.0), (3200.0, -100.0), (4700.0, 0.0))
    strip = make_plots([Plot(bend, corridor_m=60.0)])
    along = replace(task, spacing_m=20.0)
    straight = make_plots([Plot(((0.0, 0.0), (4700.0, 0.0), (4700.0, 60.0), (0.0, 60.0)))])
    took, plain = whole(strip, along), whole(straight, along)
    rows.append(("corridor, 5.1 km with four bends", ms(took), f"{took / plain:.1f} ×", "0.00%"))
    five = [Plot(tuple((x + 900.0 * k, y + 500.0 * (k % 2)) for x, y in field(12))) for k in range(5)]
    together, single = replace(task, spacing_m=SPACING), make_area(field(60))
    took, plain = whole(make_plots(five), together), whole(single, together)
    rows.append(("five areas of 12 ha in one job", ms(took), f"{took / plain:.1f} ×", "0.00%"))
    large = replace(task, spacing_m=60.0)
    took, plain = whole(make_area(field(1000)), large), whole(make_area(field(100)), large)
    rows.append(("1,000 ha", ms(took), f"{took / plain:.1f} ×", "0.00%"))
    show(
        "A whole plan over ground that is not plain: against none, a straight strip, one area of 60 ha, 100 ha",
        ("ground", "plan", "ratio", "left uncovered"),
        rows,
    )


def _ponds(count: int) -> Area:
    rng = np.random.default_rng(3)
    keeps = []
    for x, y, r in zip(rng.uniform(20, 1180, count), rng.uniform(20, 780, count), rng.uniform(3, 8, count), strict=True):
        ring = tuple((x + r * math.cos(a), y + r * math.sin(a)) for a in np.linspace(0, 2 * math.pi, 9)[:-1])
        keeps.append(KeepOut(ring, "never", 2.0))
    return make_area(((0.0, 0.0), (1200.0, 0.0), (1200.0, 800.0), (0.0, 800.0)), keeps)


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


def growth() -> None:
    """Show how the time of a whole plan grows with the area: lines, then direction, start and cuts together over hills."""
    rows = []
    lon, lat = (middle + (np.arange(400) - 200) * step for middle, step in ((10.0, 0.00045), (50.0, 0.0003)))
    x, y = (lon - 10.0) * 71_700.0, (lat - 50.0) * 111_250.0
    hills = 100.0 + 40.0 * np.sin(x[None, :] / 400.0) * np.cos(y[:, None] / 300.0)
    grid, frame = TerrainGrid(float(lon[0]), float(lat[0]), 0.00045, 0.0003, hills), LocalFrame(10.0, 50.0)
    craft = Airframe("A", 615.0, 12.0, 80.0, 4.0, mass_kg=6.4, rotors_count=6, rotor_m=0.38)
    wind = Wind(5.5, 238.0)
    for hectares in (10, 30, 100, 300, 1000):
        area = make_area(field(hectares))
        home = (-0.2 * math.sqrt(hectares * 1e4), 0.0)
        task = LineTask(20.0, 8.0, 4.0, wind, home=home, keep=2)
        base = SortieTask(home, craft, PackFigures("1", 355.0 if hectares < 500 else 890.0), 8.0, wind=wind, return_m=60.0)
        cover = plan_coverage(area, task)

        def over_hills(c: Coverage, base: SortieTask = base) -> SortieTask:
            course = Course(60.0, 5.0, 2.4, 8.0)
            return replace(base, relief=route_relief(np.array(c.path), lambda xy: ground_along(grid, frame, xy) - 100.0, course))

        joint = plan_together(cover, task, over_hills)
        lines = seconds(lambda a=area, t=task: plan_coverage(a, t), 3)
        cuts = seconds(lambda c=cover, t=task, m=over_hills: plan_together(c, t, m), 3)
        rows.append(
            (
                f"{hectares} ha",
                str(len(joint.plan.sorties)),
                str(joint.tried),
                ms(lines),
                ms(cuts),
                ms(lines + cuts),
                f"{1e3 * (lines + cuts) / hectares:.1f} ms",
            )
        )
    show(
        "A whole plan at 20 m with wind and terrain, as the area grows",
        ("area", "sorties", "candidates", "lines", "cut together", "all", "per ha"),
        rows,
    )


def rotation_day(count: int, sets: int = 6) -> RotationTask:
    """Return a made-up day of so many sorties and sets."""
    rng = np.random.default_rng(count)
    chargers = tuple(Charger(f"c{k}", 2, (Mode("fast", 560.0, 630.0), Mode("gentle", 280.0, 315.0))) for k in range(2))
    return RotationTask(
        (Craft("a", "t"), Craft("b", "t")),
        tuple(Flight(f"F{k}", "ab"[k % 2], float(rng.integers(600, 1300)), float(rng.uniform(0.4, 0.68))) for k in range(count)),
        tuple(PackSet(f"p{k}", "t", 1, 340.0, 1.0 if k < 2 else 0.6) for k in range(sets)),
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
        task = rotation_day(count)
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
