"""What a pack gives today: rated energy × health × (start − reserve), less what cold and resistance take, cut at the floor.

The circuit of `cells.circuit` is run twice, as the pack is today and with the resistance of a new one at 25 °C: the
share of energy between the two is what cold and age cost. Absolute minutes stay with the label and with flights, not with the model.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace
from itertools import pairwise
from typing import Literal

from quarry.core.base.errors import Infeasible, OutOfRange, require_range
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ALGEBRA, ASSUMED, CELL_FIT, ENTERED, MEASURED, PRACTICE
from quarry.core.base.units import J_PER_WH
from quarry.core.base.working import Step, Working, explain, formula, given, note_step
from quarry.core.cells.chemistry import Chemistry
from quarry.core.cells.circuit import Instant, Stack, discharge, scaled
from quarry.core.cells.laws import law_of
from quarry.core.cells.resistance import REFERENCE_C, ZERO_C_K
from quarry.core.flight.energy import ReservePolicy, reserve_of_measured_wh, reserve_of_rated_wh

ColdMethod = Literal["auto", "model", "halve"]
Bound = Literal["reserve", "floor", "dip", "halved"]
_EARLY = 0.4  # of what a full pack may use: a floor crossed before that is the dip of a cold pack, not its end
_EMPTY = 0.12  # below this charge volts fall away in every pack: no dip is looked for there
_WARMEST_C = 30.0
_PEAK_BELOW_V = 0.2  # a peak of seconds may go this far below the volts at which to land
NEAR_LIMIT = 0.8  # of the salt gone: above it the published models of one cell no longer agree whether it goes on


@dataclass(frozen=True, slots=True)
class PackToday:
    """One pack as it stands before its flight; ``resistance_25_ohm`` is that of a mean cell at 25 °C, None if unknown.

    ``weak_times``: resistance of the weakest cell over the mean. ``start_measured``: its temperature was read, not
    planned. ``cold_flights``: flights below 5 °C logged with this model of pack.
    """

    name: str
    chemistry: Chemistry
    cells: int
    capacity_ah: float
    rated_wh: float
    health_frac: float = 1.0
    resistance_25_ohm: float | None = None
    weak_times: float = 1.0
    start_frac: float = 1.0
    start_c: float = 25.0
    start_measured: bool = False
    cold_flights: int = 0

    def __post_init__(self) -> None:
        require_range(self.rated_wh, 1.0, 20_000.0, "pack.rated_wh", "Rated energy", "Wh")
        require_range(self.health_frac, 0.3, 1.1, "pack.health_frac", "State of health", "")
        require_range(self.start_frac, 0.05, 1.0, "pack.start_frac", "Charge before take-off", "")
        require_range(self.start_c, -40.0, 60.0, "pack.start_c", "Pack temperature", "°C")
        require_range(self.weak_times, 1.0, 5.0, "pack.weak_times", "Weakest cell over the mean", "times")
        if self.resistance_25_ohm is not None:
            require_range(self.resistance_25_ohm, 1e-5, 1.0, "pack.resistance", "Resistance of a cell", "Ω")


@dataclass(frozen=True, slots=True)
class Demand:
    """What one pack has to give: its share of the mean and of the greatest power, and a hover before work.

    ``floor_v``: the weakest cell must stay above this under the greatest power; None takes the chemistry's level for
    landing less 0.2 V: 3.3 V for LiPo, the cut-off at which published cells are compared for flight. [V]
    """

    mean_w: float
    peak_w: float
    air_c: float = 15.0
    warm_up_s: float = 0.0
    floor_v: float | None = None

    def __post_init__(self) -> None:
        require_range(self.mean_w, 1.0, 60_000.0, "aircraft.power_w", "Mean power", "W")
        require_range(self.peak_w, self.mean_w, 120_000.0, "aircraft.peak_w", "Greatest power", "W")
        require_range(self.air_c, -40.0, 55.0, "air_c", "Air temperature", "°C")
        require_range(self.warm_up_s, 0.0, 600.0, "warm_up_s", "Warm-up hover", "s")


class TooCold(Infeasible):
    """A pack cannot bear its load as cold as it is. ``said`` is why; ``warm_c`` from where it can, None if warmth does not help."""

    def __init__(self, said: str, warm_c: float | None) -> None:
        remedy = (
            "Warmth does not help: choose a stronger pack or less load."
            if warm_c is None
            else f"Warm it to {warm_c:.0f} °C first."
        )
        super().__init__(f"{said} {remedy}", "pack")
        self.said, self.warm_c = said, warm_c


@dataclass(frozen=True, slots=True)
class UsableEnergy:
    """What one pack gives from take-off to landing.

    ``cold_frac``: energy of this course over that of the same charge at 25 °C with the resistance of a new pack. ``bound_by``: what ends the flight: the reserve,
    the floor of the weakest cell, its early dip (nothing to fly with) or the method that halves. ``dip_v`` is the
    lowest the weakest cell would show under the greatest power early on, at ``dip_s``; ``settles_c`` the temperature
    at the end.
    """

    energy_wh: float
    reserve_wh: float
    usable_wh: float
    usable_s: float
    reserve_shown_frac: float
    cold_frac: float
    bound_by: Bound
    method: Literal["model", "halve"]
    dip_v: float
    dip_s: float
    floor_v: float
    settles_c: float
    course: tuple[Instant, ...]


@formula("energy of the pack = rated × health", source=ALGEBRA, result="energy_wh")
def pack_energy_wh(rated_wh: float, health_frac: float) -> float:
    """Return what a full pack holds today. [Wh]"""
    return rated_wh * health_frac


@formula(
    "usable = (energy × charge at take-off − reserve) × share left by cold and resistance", source=CELL_FIT, result="usable_wh"
)
def usable_wh(energy_wh: float, start_frac: float, reserve_wh: float, cold_frac: float) -> float:
    """Return what may be spent from take-off to landing. [Wh]"""
    return (energy_wh * start_frac - reserve_wh) * cold_frac


@formula("usable = (energy × charge at take-off − reserve) ÷ 2, below freezing", source=PRACTICE, result="usable_wh")
def halved_wh(energy_wh: float, start_frac: float, reserve_wh: float) -> float:
    """Return what the method that halves below freezing lets spend. [Wh]"""
    return (energy_wh * start_frac - reserve_wh) / 2


@formula("usable of the pack × packs in the set", source=ALGEBRA, result="usable_wh")
def usable_of_set_wh(usable_wh: float, packs_count: int) -> float:
    """Return what a set may spend: packs that share a load end with the weakest. [Wh]"""
    return usable_wh * packs_count


@formula("flight time = usable ÷ mean power", source=ALGEBRA, result="usable_s")
def time_of_s(usable_wh: float, mean_w: float) -> float:
    """Return how long an energy lasts at the mean power. [s]"""
    return usable_wh * J_PER_WH / mean_w


def stack_of(pack: PackToday) -> Stack:
    """Return the cells of a pack, scaled to its own resistance and today's capacity."""
    capacity = pack.capacity_ah * pack.health_frac
    law = law_of(pack.chemistry)
    if pack.resistance_25_ohm is not None:
        law = scaled(law, pack.resistance_25_ohm, pack.capacity_ah)
    curve = pack.chemistry.curves[0]
    scale = pack.chemistry.full_v / curve.points[-1][1] if pack.chemistry.stretched else 1.0
    return Stack(curve, law, capacity, pack.cells, pack.weak_times, scale)


def chosen_method(wanted: ColdMethod, pack: PackToday, air_c: float) -> tuple[Literal["model", "halve"], str]:
    """Return which of the two methods of cold holds here, and why.

    Whether the model is trusted is decided by the logbook alone: so plan, weather window and preflight agree.
    """
    if wanted != "auto":
        return wanted, "chosen in the policy"
    if air_c >= 0:
        return "model", "the air is not below freezing"
    if pack.cold_flights > 0:
        times = "one cold flight" if pack.cold_flights == 1 else f"{pack.cold_flights} cold flights"
        return "model", f"{times} with this model of pack in the logbook"
    return "halve", "below freezing, and no cold flight with this model of pack is in the logbook"


def usable_energy(pack: PackToday, demand: Demand, policy: ReservePolicy, method: ColdMethod = "model") -> UsableEnergy:
    """Return what one pack gives today.

    Raises
    ------
    Infeasible
        Nothing is left to fly with: the reserve takes it all, the weakest cell would dip below its floor under the
        greatest power soon after take-off, or the load comes so near to what the cold lets through that published
        models disagree; the message says from which temperature it would not.

    Notes
    -----
    The dip is predicted with the load sustained, not from a resistance of ten seconds: that understates it.
    """
    _note_pack(pack, demand)
    energy = pack_energy_wh(pack.rated_wh, pack.health_frac)
    if policy.method == "rated":
        reserve = reserve_of_rated_wh(policy.landing_frac, pack.rated_wh, 1)
    else:
        reserve = reserve_of_measured_wh(policy.landing_frac, energy)
    shown = reserve / energy
    if energy * pack.start_frac <= reserve:
        raise Infeasible(
            f"Pack {pack.name} takes off with {energy * pack.start_frac:.0f} Wh and the reserve is {reserve:.0f} Wh: "
            "nothing is left to fly with. Charge it, choose a stronger pack or a smaller reserve.",
            "pack",
        )
    floor = demand.floor_v if demand.floor_v is not None else pack.chemistry.land_loaded_v - _PEAK_BELOW_V
    holds, why = chosen_method(method, pack, demand.air_c)
    note_step(Step("cold_method", holds, "", f"method for cold: {why}", source=PRACTICE, kind="choice"))
    whole = _run(pack, demand)
    early = _early(pack, policy)
    dip = _dip(whole, early)
    note_step(
        Step(
            "dip_v",
            dip.peak_v,
            "V",
            f"weakest cell under the greatest power, lowest at {dip.at_s:.0f} s",
            source=CELL_FIT,
            kind="run",
        )
    )
    note_step(given("floor_v", floor, label="it must stay above", source=pack.chemistry.volts_source, kind="limit"))
    if dip.peak_v < floor:
        raise _dips(pack, demand, early, dip, floor)
    near = _near(pack, demand, early)
    note_step(Step("near_frac", near, "", "of what this cold lets through, at most", source=CELL_FIT, kind="run"))
    if near > NEAR_LIMIT:
        raise _too_near(pack, demand, early, floor)
    course = _kept(whole, shown)
    end, bound = _end(course, floor, early)
    fresh = replace(pack, start_c=25.0, resistance_25_ohm=_usual_ohm(pack), weak_times=1.0)
    best = _kept(_run(fresh, replace(demand, air_c=25.0)), shown)[-1].drawn_wh
    cold = min(1.0, end.drawn_wh / best) if best > 0 else 0.0
    note_step(Step("cold_frac", cold, "", _cold_words(demand, end, bound), source=CELL_FIT, kind="run"))
    usable = usable_wh(energy, pack.start_frac, reserve, cold)
    if holds == "halve" and demand.air_c < 0:
        half = halved_wh(energy, pack.start_frac, reserve)
        if half < usable:
            usable, bound = half, "halved"
    return UsableEnergy(
        energy,
        reserve,
        usable,
        time_of_s(usable, demand.mean_w),
        shown,
        cold,
        bound,
        holds,
        dip.peak_v,
        dip.at_s,
        floor,
        end.pack_c,
        tuple(course),
    )


def _note_pack(pack: PackToday, demand: Demand) -> None:
    for step in (
        given("rated_wh", pack.rated_wh, label=f"rated energy of pack {pack.name}", source=ENTERED),
        given("health_frac", pack.health_frac, label=f"state of health of pack {pack.name}", source=MEASURED),
        given(
            "pack_c",
            pack.start_c,
            label="pack temperature at take-off",
            source=MEASURED if pack.start_measured else ASSUMED,
            kind="input" if pack.start_measured else "assumption",
        ),
        given("air_c", demand.air_c, label="air temperature", source=ENTERED),
        given("mean_w", demand.mean_w, label="mean power from this pack", source=ENTERED),
        given("peak_w", demand.peak_w, label="greatest power from this pack", source=ENTERED),
    ):
        note_step(step)
    ohm = pack.resistance_25_ohm
    known = ohm if ohm is not None else _usual_ohm(pack)
    note_step(
        Step(
            "resistance_25_ohm",
            known,
            "Ω",
            "resistance of a cell at 25 °C",
            source=MEASURED if ohm is not None else ASSUMED,
            kind="input" if ohm is not None else "assumption",
            note=f"weakest cell {pack.weak_times:.2f} times the mean",
        )
    )


def _usual_ohm(pack: PackToday) -> float:
    return law_of(pack.chemistry).read_ohm_ah / pack.capacity_ah


def _run(pack: PackToday, demand: Demand) -> list[Instant]:
    """Return the course of a pack until it is empty or collapses."""
    longest = pack.rated_wh * J_PER_WH / demand.mean_w * 1.3
    return discharge(
        stack_of(pack),
        [(longest, demand.mean_w)],
        start_frac=pack.start_frac,
        start_c=pack.start_c,
        air_c=demand.air_c,
        step_s=max(5.0, longest / 240),
        peak_load=demand.peak_w,
    )


def _kept(course: list[Instant], shown: float) -> list[Instant]:
    """Return a course until the reserve."""
    kept = [p for p in course if p.charge_frac >= shown - 1e-9]
    if not kept:
        return course[:1]
    # The reserve is met between two steps: there, and not at the last step before it, the course ends.
    if len(kept) < len(course) and kept[-1].charge_frac > shown + 1e-9:
        a, b = kept[-1], course[len(kept)]
        kept.append(_between(a, b, (a.charge_frac - shown) / (a.charge_frac - b.charge_frac)))
    return kept


def _between(a: Instant, b: Instant, share: float) -> Instant:
    """Return the moment at a share of the way from one to the next."""
    values = {f.name: getattr(a, f.name) + share * (getattr(b, f.name) - getattr(a, f.name)) for f in fields(Instant)}
    return Instant(**values)


def _end(course: list[Instant], floor: float, early: float) -> tuple[Instant, Bound]:
    """Return where a flight ends: at the reserve, or where the weakest cell first meets its floor under the greatest power."""
    for a, b in pairwise(course):
        if b.charge_frac < early and b.peak_v < floor <= a.peak_v:
            return _between(a, b, (a.peak_v - floor) / (a.peak_v - b.peak_v)), "floor"
    return course[-1], "reserve"


def _early(pack: PackToday, policy: ReservePolicy) -> float:
    """Return until which charge a floor that is crossed counts as a dip: the same stretch of charge from every start."""
    return max(_EMPTY, pack.start_frac - _EARLY * (1.0 - policy.landing_frac))


def _dip(course: list[Instant], early: float) -> Instant:
    return min((p for p in course if p.charge_frac >= early), key=lambda p: p.peak_v, default=course[0])


def _near(pack: PackToday, demand: Demand, early: float) -> float:
    """Return how near to the limiting rate a load comes, with the resistance of a new pack: heat of a bad one is no help."""
    new = replace(pack, resistance_25_ohm=None, weak_times=1.0)
    law = law_of(pack.chemistry)
    inv = 1.0 / (min(pack.start_c, demand.air_c) + ZERO_C_K) - 1.0 / (REFERENCE_C + ZERO_C_K)
    rate = demand.mean_w / (pack.cells * pack.chemistry.land_loaded_v * pack.capacity_ah * pack.health_frac)
    most = rate * math.exp(law.limit_b_k * inv) / law.limit_rate
    if most <= NEAR_LIMIT:
        return most
    return max(p.thin_frac for p in _run(new, demand) if p.charge_frac >= early)


def _dips(pack: PackToday, demand: Demand, early: float, dip: Instant, floor: float) -> TooCold:
    said = (
        f"Pack {pack.name} at {pack.start_c:.0f} °C would sag to {dip.peak_v:.2f} V in its weakest cell under full power "
        f"{dip.at_s / 60:.1f} min after take-off; its floor is {floor:.2f} V."
    )
    return TooCold(said, warm_from_c(pack, demand, early, floor))


def _too_near(pack: PackToday, demand: Demand, early: float, floor: float) -> TooCold:
    rate = demand.mean_w / (pack.rated_wh * pack.health_frac)
    said = (
        f"Pack {pack.name} at {pack.start_c:.0f} °C and {rate:.1f} times its capacity: published cells fail here at once or go "
        "on, by the model. Do not rely on it."
    )
    return TooCold(said, warm_from_c(pack, demand, early, floor))


def warm_from_c(pack: PackToday, demand: Demand, early_frac: float, floor_v: float) -> float | None:
    """Return the least start temperature, in whole degrees, at which a pack bears its load in the cold; None if none does."""

    def holds(start_c: float) -> bool:
        warmer = replace(pack, start_c=start_c)
        return _dip(_run(warmer, demand), early_frac).peak_v >= floor_v and _near(warmer, demand, early_frac) <= NEAR_LIMIT

    if not holds(_WARMEST_C):
        return None
    low, high = -40, int(_WARMEST_C)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if holds(float(middle)) else (middle, high)
    return float(high)


def _cold_words(demand: Demand, end: Instant, bound: Bound) -> str:
    words = f"energy of this course ÷ that of a new pack of this charge at 25 °C; it ends at {end.pack_c:.0f} °C in air of {demand.air_c:.0f} °C"
    if bound == "floor":
        words += f"; its weakest cell meets the floor at {end.charge_frac:.0%}"
    return words


def usable_energy_working(
    pack: PackToday, demand: Demand, policy: ReservePolicy, method: ColdMethod = "model"
) -> tuple[UsableEnergy, Working]:
    """Return what a pack gives and the working of its flight time."""
    explained = explain(usable_energy, pack, demand, policy, method)
    return explained.value, Working(f"Flight time of pack {pack.name}", explained.value.usable_s, "s", explained.steps)


@dataclass(frozen=True, slots=True)
class ColdPolicy:
    """How a company plans in the cold: by which method, how warm packs come to the aircraft, how long they hover first.

    From ``near_from_frac`` of charge on a cold pack may be ever less far out, until at ``near_frac`` it is within ``near_m``.
    """

    method: ColdMethod = "auto"
    pack_c: float = 18.0
    warm_up_s: float = 60.0
    near_from_frac: float = 0.5
    near_frac: float = 0.4
    near_m: float = 150.0

    def __post_init__(self) -> None:
        if self.near_frac >= self.near_from_frac:
            raise OutOfRange(
                "In the cold it is to be near at less charge than it begins to come nearer. Give the higher charge first.",
                "cold.near_frac",
            )


_COLD = ColdPolicy()
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "cold.method",
        "Cold",
        "Below freezing",
        _COLD.method,
        "the model is trusted for a model of pack that has flown in the cold and was logged; halving needs no record",
        choices=(
            ("auto", "model where this model of pack has logged cold flights, else halve"),
            ("model", "always the thermal model"),
            ("halve", "always halve the flight time"),
        ),
    ),
    Setting(
        "cold.pack_c",
        "Cold",
        "Packs come to the aircraft at",
        _COLD.pack_c,
        "kept in the case or an inside pocket until they are fitted",
        "°C",
        1.0,
        -20.0,
        40.0,
    ),
    Setting(
        "cold.warm_up_s",
        "Cold",
        "Hover before work when packs are below 15 °C",
        _COLD.warm_up_s,
        "30 s to 2 min let a pack warm itself before it is asked for more",
        "s",
        1.0,
        0.0,
        300.0,
    ),
    Setting(
        "cold.near_from_frac",
        "Cold",
        "A pack below 10 °C comes nearer from",
        _COLD.near_from_frac,
        "a cold pack that is half empty may collapse when it is asked for full power",
        "%",
        100.0,
        0.3,
        0.9,
    ),
    Setting(
        "cold.near_frac",
        "Cold",
        "and is near at",
        _COLD.near_frac,
        "near enough to land at once if its volts fall away",
        "%",
        100.0,
        0.2,
        0.8,
    ),
    Setting("cold.near_m", "Cold", "Near means within", _COLD.near_m, "a minute's flight, in sight", "m", 1.0, 30.0, 1000.0),
)
WARM_UP_BELOW_C = 15.0
