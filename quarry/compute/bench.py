"""Coverage, sorties and rotation in the form of the benchmark instances.

The only place where their conventions live: angles counter-clockwise from east, wind as the
velocity of the air, percent, flat metres. The product itself shows true bearings and where the
wind comes from.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from quarry.compute.register import calculator
from quarry.core.base.shapes import plain
from quarry.core.base.sources import BELLMAN
from quarry.core.base.working import Quantity, Step, Working, as_dict
from quarry.core.flight.wind import HeldSpeed, Wind, leg_times_s
from quarry.core.ground.coverage import plan_coverage
from quarry.core.ground.lines import MOST_LEFT_FRAC, LineTask, bearing_of
from quarry.core.ground.outline import KeepOut, make_area
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Crew, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.timeline import finish_working
from quarry.core.sorties.cutting import CutProblem, cut_route
from quarry.core.sorties.route import leg_speeds, place_stations, plain_route

Point = tuple[float, float]


class Loose(BaseModel):
    """A model that ignores what it does not know: instance files carry titles and references."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class PolygonIn(Loose):
    """An outline with holes, in flat metres."""

    exterior: list[Point] = Field(max_length=20_000)
    holes: list[list[Point]] = Field(default_factory=list, max_length=200)


class CoverageInstance(Loose):
    """Lines over an outline; holes are not worked but may be crossed."""

    polygon: PolygonIn
    line_spacing_m: float
    speed_mps: float
    turn_s: float = 0.0


class CoverageIn(Loose):
    """A coverage instance and how to answer it."""

    instance: CoverageInstance
    ends: Literal["clip", "cover"] = "clip"
    angle_deg: float | None = None
    most_left_frac: float = Field(default=MOST_LEFT_FRAC, ge=0, le=1)


@calculator("coverage", "Lines over an outline, in the best direction and order", CoverageIn)
def coverage(data: CoverageIn) -> dict[str, Any]:
    """Return the lines, the way flown and the curve of time over direction."""
    i = data.instance
    area = make_area(i.polygon.exterior, [KeepOut(tuple(h), "unworked") for h in i.polygon.holes])
    task = LineTask(
        i.line_spacing_m,
        i.speed_mps,
        i.turn_s,
        ends=data.ends,
        angle_deg=data.angle_deg,
        step_deg=2.0,
        refine=8,
        most_left_frac=data.most_left_frac,
    )
    plan = plan_coverage(area, task)
    c = plan.best
    way_m, turns = sum(math.dist(a, b) for a, b in pairwise(c.path)), c.line_count - 1
    steps = (
        Step("bearing_deg", bearing_of(c.angle_deg), "°", "the direction with the least time of those tried", kind="choice"),
        Step("way_m", way_m, "m", "lines and the ways between them", kind="run"),
        Step("turns", float(turns), "", "one between two lines", kind="run"),
        Step(
            "time_s",
            way_m / i.speed_mps + turns * i.turn_s,
            "s",
            "way ÷ speed + turns × time of a turn",
            (Quantity("speed_m_s", i.speed_mps, "m/s"), Quantity("turn_s", i.turn_s, "s")),
        ),
    )
    return {
        "bearing_deg": bearing_of(c.angle_deg),
        "working": as_dict(Working("Coverage", c.time_s, "s", steps)),
        "angle_deg": c.angle_deg,
        "path": plain(c.path),
        "lines": plain(c.spans),
        "on_line_m": c.on_line_m,
        "time_s": c.time_s,
        "uncovered_frac": c.uncovered_frac,
        "cells": c.cells,
        "directions": plain(plan.directions),
    }


class SortiesInstance(Loose):
    """A route to be cut."""

    route: list[Point] = Field(min_length=2, max_length=20_000)
    home: Point
    airspeed_mps: float = Field(gt=0, le=40)
    wind_mps: Point = (0.0, 0.0)
    usable_s: float = Field(gt=0)
    takeoff_landing_s: float = Field(ge=0)
    turn_s: float = Field(ge=0)


class SortiesIn(Loose):
    """A route instance and where it may be broken."""

    instance: SortiesInstance
    breaks: Literal["waypoints", "any_point"] = "any_point"


@calculator("sorties", "A route cut into the fewest sorties, then least time", SortiesIn)
def sorties(data: SortiesIn) -> dict[str, Any]:
    """Return stretches of the route as path distance, with the time of each sortie."""
    import numpy as np

    i = data.instance
    route = plain_route(i.route, i.turn_s)
    wind = Wind.from_vector(*i.wind_mps)
    legs = leg_speeds(route, HeldSpeed(i.airspeed_mps, "air"), wind).times_s
    step = max(1.0, float(route.cumulative_m[-1]) / 60_000)
    st = place_stations(route, legs, step, ends_only=data.breaks == "waypoints")
    d = st.xy - np.array(i.home)
    cut = cut_route(
        CutProblem(
            st.elapsed_s,
            leg_times_s(d[:, 0], d[:, 1], i.airspeed_mps, wind),
            leg_times_s(-d[:, 0], -d[:, 1], i.airspeed_mps, wind),
            np.arange(len(st.at_m)),
            st.worked_m,
            i.takeoff_landing_s,
            i.usable_s,
            float("inf"),
        )
    )
    pieces = [
        {"from_m": float(st.at_m[a]), "to_m": float(st.at_m[b]), "time_s": t}
        for a, b, t in zip(cut.breaks, cut.breaks[1:], cut.times_s, strict=False)
    ]
    steps = [
        Step(
            f"sortie_{k}_s",
            p["time_s"],
            "s",
            f"{p['from_m']:.0f} to {p['to_m']:.0f} m of the route, out and home",
            source=BELLMAN,
            kind="run",
        )
        for k, p in enumerate(pieces, start=1)
    ]
    steps.append(Step("total_s", sum(cut.times_s), "s", "the sum of its sorties"))
    return {
        "sorties": pieces,
        "total_s": sum(cut.times_s),
        "working": as_dict(Working("Sorties", sum(cut.times_s), "s", tuple(steps))),
    }


class ModeIn(Loose):
    """A rate of a charger."""

    name: str
    pack_w: float = Field(gt=0)
    wall_w: float = Field(gt=0)


class ChargerIn(Loose):
    """A charger with equal ports."""

    id: str
    ports: int = Field(ge=0, le=64)
    modes: list[ModeIn]
    cap_w: float | None = None


class CraftIn(Loose):
    """An aircraft and the type of set it flies."""

    id: str
    type: str


class CrewIn(Loose):
    """People who fly several aircraft, one at a time."""

    id: str
    aircraft: list[str] = Field(max_length=20)


class FlightIn(Loose):
    """A sortie with the energy it takes from each pack of its set."""

    id: str
    aircraft: str
    flight_s: float = Field(gt=0)
    energy_pct: float = Field(gt=0)
    required_pct: float = 100


class SetIn(Loose):
    """Matched packs flown together."""

    id: str
    type: str
    packs: int = Field(ge=1, le=8)
    capacity_wh: float = Field(gt=0)
    soc_pct: float = Field(ge=0, le=100)
    charge_factor_pct: float = Field(default=100, gt=0)


class RotationInstance(Loose):
    """A day of sorties, sets and chargers."""

    policy: Literal["full", "partial"] = "full"
    swap_s: float = Field(ge=0)
    rest_after_flight_s: float = Field(ge=0)
    rest_after_charge_s: float = Field(ge=0)
    aircraft: list[CraftIn] = Field(max_length=20)
    sorties: list[FlightIn] = Field(max_length=400)
    sets: list[SetIn] = Field(max_length=100)
    chargers: list[ChargerIn] = Field(max_length=30)
    site_power_w: float | None = None
    windows_s: list[tuple[float, float]] | None = None
    crews: list[CrewIn] = Field(default_factory=list, max_length=50)


class RotationIn(Loose):
    """A rotation instance and how long to search."""

    instance: RotationInstance
    time_limit_s: float | None = Field(default=None, gt=0, le=60)


def rotation_task(i: RotationInstance) -> RotationTask:
    """Return the core's task of an instance."""
    return RotationTask(
        tuple(Craft(a.id, a.type) for a in i.aircraft),
        tuple(Flight(s.id, s.aircraft, s.flight_s, s.energy_pct / 100, s.required_pct / 100) for s in i.sorties),
        tuple(PackSet(s.id, s.type, s.packs, s.capacity_wh, s.soc_pct / 100, s.charge_factor_pct / 100) for s in i.sets),
        tuple(Charger(c.id, c.ports, tuple(Mode(m.name, m.pack_w, m.wall_w) for m in c.modes), c.cap_w) for c in i.chargers),
        i.swap_s,
        i.rest_after_flight_s,
        i.rest_after_charge_s,
        i.site_power_w,
        tuple(i.windows_s) if i.windows_s is not None else None,
        i.policy,
        crews=tuple(Crew(c.id, tuple(c.aircraft)) for c in i.crews),
    )


@calculator("rotation", "Who flies and who charges when: a good schedule at once, the best with time to search", RotationIn)
def rotation(data: RotationIn) -> dict[str, Any]:
    """Return flights and charges, the last landing and a bound that no schedule can beat."""
    task = rotation_task(data.instance)
    plan = dispatch(task)
    if data.time_limit_s is not None:
        plan = improve(task, plan, 0.92 * data.time_limit_s).rotation
    return {
        "flights": [{"sortie": f.flight, "set": f.set, "takeoff_s": f.takeoff_s} for f in plan.flights],
        "charges": [
            {
                "set": c.set,
                "pack": c.pack,
                "charger": c.charger,
                "mode": c.mode,
                "start_s": c.start_s,
                "end_s": c.end_s,
                "to_frac": c.to_frac,
            }
            for c in plan.charges
        ],
        "makespan_s": plan.makespan_s,
        "lower_bound_s": plan.lower_bound_s,
        "proven_optimal": plan.makespan_s <= plan.lower_bound_s + 1e-6,
        "waits": plain(plan.waits),
        "working": as_dict(finish_working(task, plan)),
    }
