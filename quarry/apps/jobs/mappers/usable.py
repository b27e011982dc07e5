"""The air a job is planned in, and what each set of packs gives in it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from quarry.apps.fleet.fields import learned_words
from quarry.apps.fleet.mappers import MeasuredPack, airframe, health_of, new_pack, pack_today
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack, PackModel
from quarry.apps.jobs.fields import JobFields, SprayingWork
from quarry.apps.jobs.mappers.work import (
    Shelf,
)
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import SetUsable
from quarry.core.base.errors import CoreError, Infeasible, MissingInput, require_range
from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Explained, Step, explain
from quarry.core.flight.energy import Airframe, ReservePolicy
from quarry.core.flight.home import BothWays, airspeed_of_both_ways_m_s, wind_of_both_ways_m_s
from quarry.core.flight.powers import Load, Powers, powers_of
from quarry.core.flight.usable_energy import (
    WARM_UP_BELOW_C,
    ColdMethod,
    ColdPolicy,
    Demand,
    PackToday,
    UsableEnergy,
    usable_energy,
    usable_of_set_wh,
)
from quarry.core.flight.wind import HeldSpeed, Wind, held_speeds_m_s
from quarry.core.limits.hourly_conditions import HourAir, density_of
from quarry.core.sorties.plan import SetEnergy


@dataclass(frozen=True, slots=True)
class Air:
    """The aircraft with its load, and the wind and density that a job is planned with."""

    craft: Airframe
    packs_count: int
    wind: Wind
    density_kg_m3: float
    air_c: float
    load: Load


def air_of(f: JobFields, model: AircraftModel, item: Aircraft | None) -> Air:
    """Return the aircraft with its load, and the wind and density; speeds measured both ways take precedence over the computed."""
    craft = airframe(model, item)
    w = f.wind
    wind = Wind(w.speed_m_s, w.from_deg)
    require_range(w.height_m, 0.0, 1000.0, "wind.height_m", "Height of the wind", "m")
    celsius = require_range(w.air_c, -40.0, 55.0, "wind.air_c", "Air temperature", "°C")
    if w.into_m_s is not None and w.with_m_s is not None:
        try:
            both = BothWays(w.into_m_s, w.with_m_s)
        except CoreError as bad:
            bad.field = f"wind.{bad.field}"
            raise
        craft = replace(craft, cruise_m_s=airspeed_of_both_ways_m_s(both.into_m_s, both.with_m_s))
        wind = Wind(wind_of_both_ways_m_s(both.into_m_s, both.with_m_s), wind.from_deg)
    density = w.density_kg_m3
    if density is None:
        density = density_of(HourAir("entered", "", 0.0, air_c=celsius))
    require_range(density, 0.4, 1.6, "wind.density_kg_m3", "Density of the air", "kg/m³")
    extra = f.sorties.load_kg
    load = Load(extra)
    if isinstance(f.work, SprayingWork) and craft.mass_kg is not None:
        # The mean draw of a sprayer is that of its usual half tank; the mass is entered empty.
        half = (model.tank_l or f.work.tank_l) / 2
        craft = replace(craft, mass_kg=craft.mass_kg + half)
        load = Load(extra - half, f.work.tank_l)
    return Air(craft, model.packs_count, wind, density, celsius, load)


def homewards_m_s(f: JobFields, craft: Airframe) -> float:
    """Return the airspeed on the way home: cruise, or the measured fast mode where the pilot says so. [m/s]"""
    if not f.sorties.home_fast:
        return craft.cruise_m_s
    if craft.fast_m_s is None:
        raise MissingInput(
            "The fast mode of this aircraft is not known. Enter its speeds measured into and with the wind at the aircraft "
            "(Fleet), and choose that aircraft here; or come home at cruise.",
            "sorties.home_fast",
        )
    return craft.fast_m_s


def ways_m_s(f: JobFields, job: Job) -> tuple[float, float]:
    """Return the airspeeds on the ways out and home of a job that has been planned. [m/s]"""
    if job.aircraft_model is None:
        raise MissingInput("Choose the aircraft that flies this job.", "aircraft_model_id")
    craft = air_of(f, job.aircraft_model, job.aircraft).craft
    return craft.cruise_m_s, homewards_m_s(f, craft)


@dataclass(frozen=True, slots=True)
class UsableSets:
    """What each set can give, in the order it is planned for; sets left out, with the reason; what screens show of each."""

    sets: tuple[SetEnergy, ...]
    warm_up_s: float
    out: dict[str, str]
    shown: list[SetUsable]
    assumed: bool
    learnt: dict[str, str]
    cold: ColdPolicy


def usable_sets(f: JobFields, model: PackModel, air: Air, powers: Powers, shelf: Shelf) -> UsableSets:
    """Return what each set of packs can give today at these powers; raises `PlanError` if none can fly."""
    sorties, n = f.sorties, air.packs_count
    policy = ReservePolicy(sorties.landing_frac, sorties.floor_frac, sorties.reserve_method)
    start_c = max(shelf.cold.pack_c, air.air_c)
    warm_up = shelf.cold.warm_up_s if min(start_c, air.air_c) < WARM_UP_BELOW_C and air.air_c < 10.0 else 0.0
    demand = Demand(powers.work_w / n, max(powers.peak_w, powers.work_w) / n, air.air_c, warm_up)
    method = shelf.cold.method
    found: list[tuple[SetEnergy, SetUsable]] = []
    out: dict[str, str] = {}
    last: CoreError | None = None
    for name, members in _groups(shelf.packs, n).items():
        try:
            gives = [
                (
                    p,
                    *_usable(
                        pack_today(p, shelf.measured.get(str(p.pk), MeasuredPack()), start_c, 1.0, measured=False),
                        demand,
                        policy,
                        method,
                    ),
                )
                for p in members
            ]
        except CoreError as bad:
            out[name], last = bad.message, bad
            continue
        weakest, give, steps = min(gives, key=lambda g: g[1].usable_wh)
        found.append(_set_of(name, n, weakest.name, give, steps))
    assumed = not shelf.packs
    if assumed:
        give, steps = _usable(new_pack(model, start_c, shelf.cold_flights), demand, policy, method)
        found.append(_set_of("", n, "a new pack", give, steps))
    if not found:
        raise last or MissingInput("No set of packs is complete. Add packs that fly together.", "pack")
    found.sort(key=lambda pair: -pair[0].usable_wh)
    sets = tuple(pair[0] for pair in found)
    chosen = sets if sorties.cut_for == "each" else sets[-1:]
    return UsableSets(chosen, warm_up, out, [pair[1] for pair in found], assumed, _learnt(air, shelf), shelf.cold)


def _learnt(air: Air, shelf: Shelf) -> dict[str, str]:
    """Return by what it is of, in words, each calibration that a job is planned with."""
    found = {f"power of {air.craft.name}": air.craft.learnt} if air.craft.learnt else {}
    for p in shelf.packs:
        for subject in ("capacity", "resistance"):
            if subject in p.learnt and (subject != "capacity" or health_of(p) != p.health_frac):
                found[f"{subject} of pack {p.name}"] = learned_words(p, subject)
    return found


def _groups(packs: list[Pack], n: int) -> dict[str, list[Pack]]:
    groups: dict[str, list[Pack]] = {}
    for p in packs:
        groups.setdefault(p.mates or p.name, []).append(p)
    if n == 1:
        return {p.name: [p] for p in packs}
    whole = {" + ".join(sorted(p.name for p in g)): g for g in groups.values() if len(g) == n}
    # Packs without mates fly with any of their kind: the two weakest together are the worst that can be.
    return whole or ({"any": sorted(packs, key=health_of)[:n]} if len(packs) >= n else {"any": packs} if packs else {})


def _set_of(name: str, n: int, weakest: str, give: UsableEnergy, steps: tuple[Step, ...]) -> tuple[SetEnergy, SetUsable]:
    times = Step("packs_count", n, "", f"packs in the set; {weakest} is the weakest", source=ALGEBRA, kind="input")
    more = (times, *explain(usable_of_set_wh, give.usable_wh, n).steps) if n > 1 else ()
    shown = SetUsable(
        name=name,
        usable_wh=give.usable_wh * n,
        usable_s=give.usable_s,
        energy_wh=give.energy_wh * n,
        cold_frac=give.cold_frac,
        bound_by=give.bound_by,
        method=give.method,
        dip_v=give.dip_v,
        dip_s=give.dip_s,
        floor_v=give.floor_v,
        settles_c=give.settles_c,
    )
    return SetEnergy(name, give.energy_wh * n, give.reserve_wh * n, give.usable_wh * n, (*steps[:-1], *more)), shown


@lru_cache(maxsize=2048)
def _explained_usable(
    pack: PackToday, demand: Demand, policy: ReservePolicy, method: ColdMethod
) -> Explained[UsableEnergy] | CoreError:
    try:
        return explain(usable_energy, pack, demand, policy, method)
    except CoreError as bad:
        return bad


def _usable(pack: PackToday, demand: Demand, policy: ReservePolicy, method: ColdMethod) -> tuple[UsableEnergy, tuple[Step, ...]]:
    explained = _explained_usable(pack, demand, policy, method)
    if isinstance(explained, CoreError):
        raise type(explained)(explained.message, explained.field)
    return explained.value, explained.steps


@dataclass(frozen=True, slots=True)
class Flights:
    """What an aircraft gives to a search before a line is laid: the longest sortie of each set, speeds, times of its own.

    ``out_m_s``, ``home_m_s``: over ground in the mean of both ways in this wind; ``lines_m_s``: on lines. [s, m/s]
    """

    sets: tuple[tuple[str, float], ...]
    ways_m_s: float
    lines_m_s: float
    fixed_s: float
    turn_s: float
    landing_frac: float


def flights_of(job: Job, shelf: Shelf, f: JobFields) -> Flights:
    """Return what the aircraft of a job can fly; raises `PlanError` where no set can, or the wind forbids it."""
    if job.aircraft_model is None:
        raise MissingInput("Choose the aircraft that searches.", "aircraft_model_id")
    air = air_of(f, job.aircraft_model, job.aircraft)
    home_m_s = homewards_m_s(f, air.craft)
    powers = powers_of(air.craft, f.work.speed_m_s, air.load, air.density_kg_m3, home_m_s=home_m_s)
    usable = usable_sets(f, job.aircraft_model.pack_model, air, powers, shelf)
    # There and back along one line in a wind: the mean of both ways, straight into it being the slowest.
    against, along = home_m_s - air.wind.speed_m_s, home_m_s + air.wind.speed_m_s
    if against <= 0.5:
        raise Infeasible(
            f"The wind of {air.wind.speed_m_s:.1f} m/s lets the aircraft not come home at {home_m_s:.1f} m/s. Wait for less wind.",
            "wind.speed_m_s",
        )
    held = HeldSpeed(f.work.speed_m_s, air.craft.holds, air.craft.most_air_m_s(f.work.speed_m_s))
    lines, _ = held_speeds_m_s(np.array([1.0, -1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0, -1.0]), held, air.wind)
    slowest = float(np.asarray(lines).min())
    return Flights(
        tuple((s.name, s.usable_s) for s in usable.shown),
        2 * against * along / (against + along),
        slowest if slowest > 0 else 0.0,
        air.craft.fixed_s,
        air.craft.turn_s,
        f.sorties.landing_frac,
    )
