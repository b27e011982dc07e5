"""The supplies of a day: what they can give here and today, who is plugged in where, and the fuel it takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from quarry.core.base.sources import ALGEBRA, ENTERED
from quarry.core.base.working import Quantity, Step, Working, explain, given, summed
from quarry.core.dayplan.hours import Windows
from quarry.core.dayplan.inputs import ChargerInput, SupplyInput
from quarry.core.power.outlets import outlets_needed, plug_in
from quarry.core.power.supply import supply_watts

Load = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class SupplyOfDay:
    """One supply of a day; ``litres``, and when it is refuelled, are known once the day is planned.

    ``stops``: from when to when it is off to be refuelled; ``low_s``: when its tank is low without a stop before.
    """

    name: str
    can_give_w: float
    rated_w: float
    headroom_frac: float
    generator: bool
    fuel: str
    tank_l: float | None
    litres: float | None
    refuel_s: list[float]
    stops: Windows = ()
    low_s: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class DaySupply:
    """What the supplies give here and today (None: no limit), and which charger goes to which outlet."""

    each: list[SupplyOfDay]
    can_give_w: float | None
    air_c: float
    elevation_m: float
    outlet_of: dict[str, str]
    load_va: dict[str, float]
    left_out: list[str]
    outlets: int = 0
    outlets_needed: int | None = None


def supply_of(
    supplies: Sequence[SupplyInput], chargers: Sequence[ChargerInput], elevation_m: float, warmest_c: float
) -> DaySupply:
    """Return what the supplies give; chargers that find no outlet are ``left_out`` by their names."""
    each = [
        SupplyOfDay(
            s.name,
            supply_watts(s.rated_w, s.headroom_frac, generator=s.generator, elevation_m=elevation_m, air_c=warmest_c),
            s.rated_w,
            s.headroom_frac,
            s.generator,
            s.fuel,
            s.tank_l,
            None,
            [],
        )
        for s in supplies
    ]
    outlets = [o for s in supplies for o in s.outlets]
    total_w = sum(e.can_give_w for e in each) if each else None
    found = DaySupply(each, total_w, warmest_c, elevation_m, {}, {}, [], len(outlets))
    if not outlets or not chargers:
        return found
    drawn = [c.drawn for c in chargers]
    plugged = plug_in(outlets, drawn)
    return replace(
        found,
        outlets_needed=outlets_needed(outlets[0], drawn),
        outlet_of=plugged.outlet_of,
        load_va=plugged.load_va,
        left_out=list(plugged.left_out),
    )


def supply_working(supply: DaySupply) -> Working:
    """Return the working of what the supplies give together."""
    steps = []
    for source in supply.each:
        found = explain(
            supply_watts,
            source.rated_w,
            source.headroom_frac,
            generator=source.generator,
            elevation_m=supply.elevation_m,
            air_c=supply.air_c,
        )
        steps += [given("rated_w", source.rated_w, label=f"continuous rating of {source.name}", source=ENTERED), *found.steps]
    steps += [Step(o, va, "VA", "drawn from this outlet at most", source=ALGEBRA, kind="run") for o, va in supply.load_va.items()]
    total = summed(
        "can_give_w", [Quantity(e.name, e.can_give_w, "W") for e in supply.each], unit="W", words="sum of all supplies"
    )
    return Working("The supply can give", supply.can_give_w, "W", (*steps, total))
