"""A plan as screens and files show it, with the working of every number."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from shapely import Polygon

from quarry.apps.fleet.models import Camera
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.mappers.lines_flown import LinesInWind, Sprayed, lines_out
from quarry.apps.jobs.mappers.over_ground import OverGround
from quarry.apps.jobs.mappers.rings import polygons
from quarry.apps.jobs.mappers.usable import Air, UsableSets, homewards_m_s
from quarry.apps.jobs.mappers.work import Ground, WorkAsked, rounded
from quarry.apps.jobs.views import (
    FallbackOut,
    FigureOut,
    JobPlan,
    KeptOut,
    LegOut,
    PlanAir,
    PlanCheck,
    PlanPack,
    SortieOut,
    SpeedCurve,
)
from quarry.apps.workings import to_workings
from quarry.core.base.sources import ALGEBRA, IAMSAR, KARNEY, SWEEP
from quarry.core.base.units import M2_PER_HA
from quarry.core.base.working import Step, Working, working_of
from quarry.core.defaults import CLOSES, OPENS
from quarry.core.flight.envelope import farthest_flight, longest_flight
from quarry.core.flight.home import reach
from quarry.core.flight.reach import HomeFlight, allowed_m, coldness, rings_of
from quarry.core.flight.usable_energy import ColdPolicy
from quarry.core.ground.coverage import CoveragePlan
from quarry.core.ground.geodesy import LocalFrame, ring_area_m2
from quarry.core.ground.lines import Coverage, bearing_of, heights_set_m
from quarry.core.ground.mapping import space_gb
from quarry.core.ground.relief import Bend, RouteRelief
from quarry.core.sorties.joint import Joint
from quarry.core.sorties.plan import Sortie, SortiePlan


def to_plan(
    f: JobFields,
    ground: Ground,
    work: WorkAsked,
    cover: CoveragePlan,
    joint: Joint,
    usable: UsableSets,
    over: OverGround,
    air: Air,
    lines: LinesInWind,
) -> JobPlan:
    """Return a plan with its places in degrees, and the working of every number."""
    best, frame, cut = joint.coverage, ground.frame, joint.plan
    area_ha = _worked_ha(f, ground)
    figures = [*work.figures]
    if lines.spray is not None:
        _litres_of_lines(figures, work, lines.spray, len(cut.sorties))
    if lines.pressure is not None:
        figures.append(FigureOut("pressure_bar", float(lines.pressure.value or 0.0)))
        work.workings.update(pressure_bar=lines.pressure)
    passes = lines.further.passes
    trigger = next((x.value for x in work.figures if x.key == "trigger_m"), None)
    if trigger is not None:
        own = [length for k, length in enumerate(best.line_lengths_m.tolist()) if best.line_as(k).part == 0]
        pictures = sum(int(length / trigger) + 1 for length in own) + sum(p.pictures_count for p in passes)
        figures.append(FigureOut("pictures_count", pictures))
        work.workings["pictures_count"] = Working(
            "pictures",
            pictures,
            "",
            (
                Step(
                    "pictures_count",
                    pictures,
                    "",
                    "for each line: length ÷ its trigger distance, rounded down, plus one; summed over all lines of all passes",
                    source=ALGEBRA,
                    kind="run",
                ),
            ),
        )
        figures += _space(pictures, work)
    figures += [FigureOut("lines_count", best.line_count), FigureOut("on_line_m", best.on_line_m)]
    work.workings["lines_count"] = Working(
        "lines",
        best.line_count,
        "",
        (
            Step("rows_count", best.rows, "", "rows: extent across the lines ÷ spacing, rounded up", source=ALGEBRA, kind="run"),
            Step(
                "lines_count",
                best.line_count,
                "",
                f"rows cut where the outline or a keep-out parts them; flown as {best.cells} block{'s' if best.cells > 1 else ''}",
                source=SWEEP,
                kind="run",
            ),
        ),
    )
    work.workings["on_line_m"] = Working(
        "length of all lines",
        best.on_line_m,
        "m",
        (
            Step("lines_count", best.line_count, "", "lines laid", source=ALGEBRA, kind="run"),
            Step(
                "on_line_m",
                best.on_line_m,
                "m",
                "all their lengths together",
                source=ALGEBRA,
                kind="run",
                note=_ends_note(f, best),
            ),
        ),
    )
    work.workings["area_ha"] = Working(
        "area",
        area_ha,
        "ha",
        (
            Step(
                "area_ha",
                area_ha,
                "ha",
                "area on the WGS 84 ellipsoid, keep-outs with their margins taken off",
                source=KARNEY,
                kind="run",
            ),
        ),
    )
    times = [(d.time_s, bearing_of(d.angle_deg)) for d in cover.directions]
    finite = [t for t in times if t[0] != float("inf")]
    workings = {**work.workings, **lines.further.workings, "endurance": cut.endurance_working, "total_s": cut.total_working}
    workings |= {f"spare_{s.number}": s.working for s in cut.sorties}
    workings |= {f"back_{s.number}": s.turn_back_working for s in cut.sorties}
    workings["bearing_deg"] = _direction_working(
        best, finite, chosen_by_hand=f.lines.bearing_deg is not None, more=joint.working.steps
    )
    workings["return_m"] = over.clear.working
    workings["power_w"] = cut.powers_working
    relief = over.relief_of(best)
    rings = _rings(f, air, cut, usable)
    return JobPlan(
        area_ha=area_ha,
        figures=figures,
        bearing_deg=bearing_of(best.angle_deg),
        along_bend=best.along_bend,
        laid_as=best.laid_as,
        own_directions=len(ground.area.blocks) > 1,
        uncovered_frac=best.uncovered_frac,
        directions=sorted((b, t) for t, b in finite),
        pack=PlanPack(usable.shown[-1].name, cut.endurance.energy_wh, usable.assumed),
        usable=usable.shown,
        learnt=usable.learnt,
        sets_out=usable.out,
        cut_for=f.sorties.cut_for,
        warm_up_s=usable.warm_up_s,
        powers=cut.powers,
        speed_curve=_speed_curve(air, cut),
        air=PlanAir(air.density_kg_m3, air.air_c, air.wind.speed_m_s, air.wind.from_deg),
        radius_m=_radius(f, air, cut),
        rings=rings,
        cold_rings=_cold_rings(rings, usable, air.air_c, usable.cold),
        return_m=over.return_m,
        return_needed_m=over.clear.needed_m,
        return_decides=over.clear.decides,
        highest_m=float(relief.fly_m.max()) if relief is not None else f.work.height_m,
        beyond_m=relief.beyond_m if relief is not None else 0.0,
        terrain=relief is not None and not relief.assumed,
        passes=passes,
        kept=[KeptOut(k.name, k.why, k.ground.area / M2_PER_HA, polygons(k.ground, frame)) for k in ground.kept],
        checks=[
            *_checks(f, over, relief, cut),
            *_far_in_cold(rings, air.air_c, usable.cold, cut),
            *lines.checks,
            *_card_checks(figures, work.camera),
        ],
        usable_s=cut.endurance.usable_s,
        reserve_frac=cut.endurance.reserve_shown_frac,
        floor_frac=f.sorties.floor_frac,
        total_s=cut.total_s,
        farthest_m=cut.farthest_m,
        sorties=[_sortie(s, frame, relief, best, x) for s, x in zip(cut.sorties, _sprayed(cut, lines.spray), strict=True)],
        lines=lines_out(cut.flown, lines.spray, best, frame),
        workings=to_workings(workings),
    )


def _litres_of_lines(figures: list[FigureOut], work: WorkAsked, spray: Sprayed, sorties: int) -> None:
    """Set litres and flow by the lines that are sprayed and fillings by the sorties, in place of those by area."""
    filled = Step("loads_count", sorties, "", "sorties: the tank is filled for each", source=ALGEBRA, kind="run")
    found = {"volume_l": spray.litres_steps, "flow_l_min": spray.flow_steps, "loads_count": (filled,)}
    for k, figure in enumerate(figures):
        if figure.key in found:
            last = found[figure.key][-1]
            figures[k] = FigureOut(figure.key, float(last.value or 0.0))
            work.workings[figure.key] = Working(figure.key, last.value, last.unit, found[figure.key])


@dataclass(frozen=True, slots=True)
class _Sprayed:
    """What a sortie sprays, and how its tank empties; nothing where nothing is sprayed."""

    litres: float | None = None
    tank: list[tuple[float, float, float]] = field(default_factory=list)


def _sprayed(cut: SortiePlan, spray: Sprayed | None) -> list[_Sprayed]:
    """Return what each sortie sprays."""
    found: list[_Sprayed] = []
    done_m = 0.0
    for s in cut.sorties:
        again_m = max(0.0, done_m - s.from_m)
        found.append(
            _Sprayed(spray.litres_of(s, cut.flown, again_m), spray.tank_of(s, cut.flown, again_m)) if spray else _Sprayed()
        )
        done_m = s.to_m
    return found


def _worked_ha(f: JobFields, ground: Ground) -> float:
    """Return the worked ground on the ellipsoid: that of the rings, by the share that is worked of them in the plane."""
    rings = [a.ring for a in f.taken if a.corridor_m is None]
    flat = sum(float(Polygon(ground.frame.to_metres(r)).area) for r in rings)
    scale = sum(ring_area_m2(r) for r in rings) / flat if flat > 0 else 1.0
    return scale * float(ground.area.worked.area) / M2_PER_HA


def _ends_note(f: JobFields, coverage: Coverage) -> str:
    uncovered = coverage.uncovered_frac
    if coverage.laid_as:
        return f"{coverage.laid_as}; {uncovered:.1%} of the area lies more than half a spacing from a leg"
    if f.lines.ends == "clip":
        return f"lines end at the boundary; {uncovered:.1%} of the area lies more than half a spacing from a line"
    rest = f"; {uncovered:.2%} beside keep-outs stays out of reach" if uncovered > 5e-5 else ""
    return "every point of the area lies within half a spacing of a line" + rest


def _direction_working(
    coverage: Coverage, times: list[tuple[float, float]], *, chosen_by_hand: bool, more: tuple[Step, ...] = ()
) -> Working:
    angle = coverage.angle_deg
    if not times:
        laid = Step("laid_as", coverage.laid_as, "", "pattern chosen; flown in its own order", source=IAMSAR, kind="choice")
        return Working("pattern", coverage.laid_as, "", (laid, *more))
    best, worst = min(times), max(times)
    note = "set by hand" if chosen_by_hand else "the best of the sweep, its neighbours and the long edges, each planned in full"
    return Working(
        "line direction",
        bearing_of(angle),
        "°",
        (
            Step(
                "best_s",
                best[0],
                "s",
                f"least time of the sweep, at {best[1]:.0f}°: rows, turns and wind, ways home left out",
                source=ALGEBRA,
                kind="run",
            ),
            Step("worst_s", worst[0], "s", f"most time, at {worst[1]:.0f}°", source=ALGEBRA, kind="run"),
            *more,
            Step("bearing_deg", bearing_of(angle), "°", "direction taken", kind="choice", source=ALGEBRA, note=note),
        ),
    )


def _speed_curve(air: Air, cut: SortiePlan) -> SpeedCurve:
    """Return minutes of the planned set by airspeed, with the speeds of most time and most way against the wind."""
    model, n = air.craft.model, cut.endurance.usable_wh * 3600.0
    if model.flat:
        return SpeedCurve([], None, None, flat=True)
    kg = air.load.fixed_kg + air.load.sprayed_kg / 2
    speeds = np.linspace(0.0, max(20.0, 1.5 * air.craft.cruise_m_s), 41)
    powers = model.power_w(speeds, kg, air.density_kg_m3)

    def power(v: Any) -> Any:
        return model.power_w(v, kg, air.density_kg_m3)

    far = farthest_flight(power, air.wind.speed_m_s)
    points = [(round(float(v), 2), round(n / float(p), 1)) for v, p in zip(speeds, powers, strict=True)]
    return SpeedCurve(points, longest_flight(power).airspeed_m_s, far.airspeed_m_s if far else None, flat=False)


def _radius(f: JobFields, air: Air, cut: SortiePlan) -> float:
    """Return the radius around home from inside which a full set would surely get home. [m]"""
    landing = cut.powers.hover_w * air.craft.fixed_s / 2 / 3600.0
    return reach(cut.endurance.usable_wh / 2, homewards_m_s(f, air.craft), cut.powers.home_w, air.wind, landing)


def _rings(f: JobFields, air: Air, cut: SortiePlan, usable: UsableSets) -> list[tuple[float, float]]:
    """Return for falling charges how far out home is still reached above the reserve, of the weakest set. [share, m]"""
    landing = cut.powers.hover_w * air.craft.fixed_s / 2 / 3600.0
    way = HomeFlight(homewards_m_s(f, air.craft), cut.powers.home_w, air.wind, landing)
    return list(rings_of(cut.endurance.energy_wh, cut.endurance.reserve_wh, usable.shown[-1].cold_frac, way))


def _cold_rings(
    rings: list[tuple[float, float]], usable: UsableSets, air_c: float, cold: ColdPolicy
) -> list[tuple[float, float]]:
    """Return how far out a set may be where the cold asks for less than the way home does; none where its packs stay warm.

    Below freezing a pack counts as cold as the air: nobody has measured it yet. Live goes by what it tells.
    """
    settles_c = air_c if air_c < 0.0 else min(u.settles_c for u in usable.shown)
    if coldness(settles_c) <= 0.0:
        return []
    return [(z, round(allowed_m(rings, z, settles_c, cold))) for z in (cold.near_from_frac, cold.near_frac)]


def _far_in_cold(rings: list[tuple[float, float]], air_c: float, cold: ColdPolicy, cut: SortiePlan) -> list[PlanCheck]:
    """Return the sorties that turn home farther out than a cold pack may be at the charge it then has."""
    if air_c >= 0.0:
        return []
    found = []
    for s in cut.sorties:
        left = float(np.interp(s.turns_home_s, [r.at_s for r in s.ribbon], [r.left_frac for r in s.ribbon]))
        away_m, most_m = math.dist(s.leave, s.path[0]), allowed_m(rings, left, air_c, cold)
        if away_m > most_m + 1.0:
            words = (
                f"Sortie {s.number} turns home {away_m:.0f} m out at {left:.0%}: in this cold it is to be within {most_m:.0f} m by then. "
                "Fly the far lines first, move home, or keep its packs warm and watch them."
            )
            found.append(PlanCheck("cold_far", words, "care"))
    return found


def _space(pictures: int, work: WorkAsked) -> list[FigureOut]:
    """Return what the pictures take on the card, where the size of one is known."""
    camera = work.camera
    if camera is None or camera.image_mb is None:
        return []
    value, working = working_of("space on the card", space_gb, pictures, camera.image_mb)
    work.workings.update(space_gb=working)
    return [FigureOut("space_gb", value)]


def _card_checks(figures: list[FigureOut], camera: Camera | None) -> list[PlanCheck]:
    needs = next((x.value for x in figures if x.key == "space_gb"), None)
    if needs is None or camera is None or camera.card_gb is None or needs <= camera.card_gb:
        return []
    words = f"The pictures take {needs:.0f} GB and the card holds {camera.card_gb:.0f} GB: bring another, or empty it on the way."
    return [PlanCheck("space_gb", words, "care")]


def _checks(f: JobFields, over: OverGround, relief: RouteRelief | None, cut: SortiePlan) -> list[PlanCheck]:
    """Return what stops people: return height, tolerance over steep ground, terrain that is not known, far fallbacks."""
    found = []

    def say(key: str, words: str, *, bad: bool) -> None:
        found.append(PlanCheck(key, words, "no" if bad else "care"))

    if over.return_m < over.clear.needed_m - 0.5:
        say(
            "return_m",
            f"Return height {over.return_m:.0f} m is too low: {over.clear.decides} asks for {over.clear.needed_m:.0f} m.",
            bad=True,
        )
    if relief is None or relief.assumed:
        say(
            "terrain",
            "No terrain is known under the whole route: heights are above take-off. Load a grid, or check them on site.",
            bad=False,
        )
    elif relief.beyond_m > 0.5:
        say(
            "tolerance",
            f"Over the steepest ground the height above it is off by {relief.beyond_m:.0f} m more than the tolerance.",
            bad=False,
        )
    day_h = CLOSES.value - OPENS.value
    days = math.ceil(cut.total_s / 3600 / day_h)
    if days > 1:
        say(
            "days",
            f"Flying takes {cut.total_s / 3600:.1f} h, more than one day of {day_h:g} h: split it over {days} days, "
            f"about {math.ceil(len(cut.sorties) / days)} sorties on each.",
            bad=False,
        )
    if not f.site.fallbacks:
        say("fallback", "No fallback landing place is set. Choose one that can be walked to.", bad=False)
    for s in cut.sorties:
        if s.fallback is not None and not s.fallback.always:
            say("fallback", f"Sortie {s.number}: {s.fallback.name} cannot be reached from everywhere above the floor.", bad=True)
    if f.wind.assumed:
        say("wind", "The wind is assumed. Take a forecast, or enter what you measure, before this is flown.", bad=False)
    return found


_PROFILE_M, _LEAST_PROFILE = 30.0, 120


def _profile(sortie: Sortie, relief: RouteRelief | None, c: Coverage) -> list[tuple[float, float, float]]:
    """Return [path distance, ground, flight] above home along the work of a sortie, thinned. [m]

    Where lines have heights of their own, their ends stand in it: between two of them it climbs or sinks.
    """
    if relief is None:
        return []
    steps = max(_LEAST_PROFILE, math.ceil((sortie.to_m - sortie.from_m) / _PROFILE_M))
    at = np.linspace(sortie.from_m, sortie.to_m, steps)
    set_m = heights_set_m(c, 0.0)
    if set_m is not None:
        inside = (set_m[0] > sortie.from_m) & (set_m[0] < sortie.to_m)
        at = np.unique(np.concatenate([at, set_m[0][inside]]))
    ground = np.interp(at, relief.at_m, relief.ground_m)
    return [
        (round(float(a), 1), round(float(g), 1), round(float(f), 1))
        for a, g, f in zip(at, ground, relief.fly_at(at), strict=True)
    ]


def _bends(sortie: Sortie, relief: RouteRelief | None) -> list[Bend]:
    return relief.bent_between(sortie.from_m, sortie.to_m) if relief is not None else []


def _sortie(sortie: Sortie, frame: LocalFrame, relief: RouteRelief | None, c: Coverage, sprayed: _Sprayed) -> SortieOut:
    ends = frame.to_degrees([p for pair in sortie.worked for p in pair])
    entry, leave, back = frame.to_degrees([sortie.entry, sortie.leave, sortie.turn_back_at])
    return SortieOut(
        number=sortie.number,
        path=[rounded(p) for p in frame.to_degrees(sortie.path)],
        worked=[(rounded(a), rounded(b)) for a, b in zip(ends[::2], ends[1::2], strict=True)],
        entry=rounded(entry),
        leave=rounded(leave),
        turn_back_at=rounded(back),
        lines=list(sortie.lines),
        time_s=sortie.time_s,
        energy_wh=sortie.energy_wh,
        energy_frac=sortie.energy_frac,
        landing_frac=sortie.landing_frac,
        spare_s=sortie.spare_s,
        turns_home_s=sortie.turns_home_s,
        turn_back_s=sortie.turn_back_s,
        home_s=sortie.home_s,
        worked_m=sortie.worked_m,
        bound_by=sortie.bound_by,
        legs=[LegOut(x.kind, x.start_s, x.end_s, x.line, x.energy_wh) for x in sortie.legs],
        ribbon=[(r.at_s, r.left_frac, r.home_frac) for r in sortie.ribbon],
        set=sortie.set_name,
        usable_wh=sortie.usable_wh,
        fallback=FallbackOut(sortie.fallback.name, sortie.fallback.least_wh, sortie.fallback.always) if sortie.fallback else None,
        profile=_profile(sortie, relief, c),
        bends=[(round(b.from_m, 1), round(b.to_m, 1), round(b.most_m, 1)) for b in _bends(sortie, relief)],
        litres=sprayed.litres,
        tank=sprayed.tank,
    )
