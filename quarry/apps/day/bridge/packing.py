"""What to take, made from the plan of a day: each thing with why and how many."""

from __future__ import annotations

import math
from collections.abc import Iterator

from quarry.apps.day.bridge.plan import Roster
from quarry.apps.day.views import PackingLine, PlanOfDay

_FUEL_SPARE = 1.25
_COLD_C, _HOT_C = 8.0, 26.0
_WORK = {
    "spraying": ("Spraying", "product, water, measuring jug, nozzles, funnel; what its label asks to wear"),
    "mapping": ("Mapping", "memory cards, empty; ground marks"),
    "search": ("Search", "map of segments, lamp, spotter's glasses"),
}
_Line = tuple[str, str, str]


def packing_list(r: Roster, plan: PlanOfDay, kinds: set[str], air_c: float | None) -> list[PackingLine]:
    """Return the packing list in the order in which a van is loaded; litres are rounded up."""
    lines = [*_aircraft(r), *_packs(plan), *_charging(r, plan), *_site(plan), *_weather(r, air_c)]
    lines += [(*_WORK[k], "") for k in sorted(kinds) if k in _WORK]
    return [PackingLine(group, what, why) for group, what, why in lines]


def _aircraft(r: Roster) -> Iterator[_Line]:
    for a in r.aircraft:
        yield "Aircraft", f"{a.name} ({a.model}) with controller and tablet, both charged", ""
    yield "Aircraft", f"spare props for {len(r.aircraft)} aircraft, tools", ""


def _packs(plan: PlanOfDay) -> Iterator[_Line]:
    for p in plan.packs:
        if not p.grounded:
            start = next((b.curve[0][1] for b in p.beds), 0.0)
            why = f"{start:.0%} when the day opens" + (": full the evening before" if start >= 0.99 else "")
            yield "Packs", f"pack {p.name}", why
    yield "Packs", "fire-resistant boxes, no pack's terminals against another's", ""


def _charging(r: Roster, plan: PlanOfDay) -> Iterator[_Line]:
    for c in r.chargers:
        n = c.model.ports
        yield "Charging", f"{c.name}: {n} main leads, {n} balance leads, mains lead", ""
    for name, outlet in plan.supply.outlet_of.items():
        yield "Charging", f"lead from {name} to {outlet}", ""
    for s in plan.supply.each:
        yield "Charging", s.name, f"gives {s.can_give_w:.0f} W for hours"
        if s.litres:
            litres = math.ceil(s.litres * _FUEL_SPARE)
            yield "Charging", f"{litres} l of {s.fuel}", f"the plan burns {s.litres:.1f} l, a quarter to spare"
    yield "Charging", "extinguisher, sand, gloves for hot packs", ""


def _site(plan: PlanOfDay) -> Iterator[_Line]:
    yield "Site", "landing mat, cones, radios, first aid, water", ""
    for g in plan.gates:
        if g.fallbacks:
            yield "Site", f"{g.letter}: the way to {', '.join(g.fallbacks)}", "fallback landing places"


def _weather(r: Roster, air_c: float | None) -> Iterator[_Line]:
    if air_c is not None and air_c < _COLD_C:
        yield "Cold", f"heated case or inside pockets for {len(r.task.sets)} sets", f"air of {air_c:.0f} °C"
        yield "Cold", "thin gloves under thick ones, heat packs, hot drink; relief for the pilot", ""
    if air_c is not None and air_c > _HOT_C:
        yield "Heat", "shade for packs and people, water", f"air of {air_c:.0f} °C"
