"""What to take, made from the task and the schedule of a day: each thing with why and how many."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from quarry.core.dayplan.supply import DaySupply
from quarry.core.dayplan.task import DayTask
from quarry.core.power.outlets import BOTH

FUEL_SPARE = CARD_SPARE = 1.25
COLD_C, HOT_C = 8.0, 26.0
_FULL_FRAC = 0.99
_WORK = {
    "spraying": ("Spraying", "product, water, measuring jug, nozzles, funnel; what its label asks to wear"),
    "mapping": ("Mapping", "ground marks"),
    "search": ("Search", "map of segments, lamp, spotter's glasses"),
}


@dataclass(frozen=True, slots=True)
class PackingLine:
    """One thing to take."""

    group: str
    what: str
    why: str


@dataclass(frozen=True, slots=True)
class CardNeed:
    """What the pictures of a job take on cards, and what one card of its camera holds; None where it is not known. [GB]"""

    job: str
    space_gb: float | None
    card_gb: float | None


def packing_list(
    day: DayTask,
    supply: DaySupply,
    kinds: set[str],
    fallbacks: Sequence[tuple[str, list[str]]],
    cards: Sequence[CardNeed] = (),
) -> list[PackingLine]:
    """Return the packing list in the order in which a van is loaded; litres are rounded up.

    ``supply``: with the fuel of the plan; ``fallbacks``: letter of a job and its fallback landing places;
    ``cards``: of each mapping job.
    """
    lines = [*_aircraft(day), *_packs(day), *_charging(day, supply), *_site(fallbacks), *_weather(day, supply.air_c)]
    return lines + [PackingLine(*_WORK[k], "") for k in sorted(kinds) if k in _WORK] + list(_cards(cards))


def _cards(cards: Sequence[CardNeed]) -> Iterator[PackingLine]:
    """Return the memory cards of a day: room for all its pictures and a quarter to spare."""
    known = [(c.job, c.space_gb) for c in cards if c.space_gb is not None]
    unknown = [c.job for c in cards if c.space_gb is None]
    if known:
        needs_gb = sum(gb for _, gb in known)
        room_gb = math.ceil(needs_gb * CARD_SPARE)
        sizes = {c.card_gb for c in cards if c.space_gb is not None}
        one_gb = sizes.pop() if len(sizes) == 1 else None
        many = f": {math.ceil(room_gb / one_gb)} of {one_gb:g} GB" if one_gb else ""
        why = f"pictures of {', '.join(f'{job} {gb:.0f} GB' for job, gb in known)}: {needs_gb:.0f} GB, a quarter to spare"
        yield PackingLine("Mapping", f"memory cards, empty, for {room_gb} GB{many}", why)
    if unknown:
        why = f"how large a picture of {', '.join(unknown)} is, is not known: enter it at its camera"
        yield PackingLine("Mapping", "memory cards, empty", why)


def _aircraft(day: DayTask) -> Iterator[PackingLine]:
    for a in day.aircraft:
        yield PackingLine("Aircraft", f"{a.name} ({a.model}) with controller and tablet, both charged", "")
    yield PackingLine("Aircraft", f"spare props for {len(day.aircraft)} aircraft, tools", "")


def _packs(day: DayTask) -> Iterator[PackingLine]:
    for p in sorted((p for members in day.members.values() for p in members), key=lambda p: p.name):
        why = f"{p.start_frac:.0%} when the day opens" + (": full the evening before" if p.start_frac >= _FULL_FRAC else "")
        yield PackingLine("Packs", f"pack {p.name}", why)
    yield PackingLine("Packs", "fire-resistant boxes, no pack's terminals against another's", "")


def _charging(day: DayTask, supply: DaySupply) -> Iterator[PackingLine]:
    for c in day.chargers:
        own = "mains lead" if c.drawn.leads == 1 else f"{c.drawn.leads} mains leads, each to a circuit of its own"
        yield PackingLine("Charging", f"{c.name}: {c.ports} main leads, {c.ports} balance leads, {own}", "")
    for name, outlets in supply.outlet_of.items():
        for outlet in outlets.split(BOTH):
            yield PackingLine("Charging", f"lead from {name} to {outlet}", "")
    for source in supply.each:
        yield PackingLine("Charging", source.name, f"gives {source.can_give_w:.0f} W for hours")
        if source.litres:
            litres = math.ceil(source.litres * FUEL_SPARE)
            yield PackingLine(
                "Charging", f"{litres} l of {source.fuel}", f"the plan burns {source.litres:.1f} l, a quarter to spare"
            )
    yield PackingLine("Charging", "extinguisher, sand, gloves for hot packs", "")


def _site(fallbacks: Sequence[tuple[str, list[str]]]) -> Iterator[PackingLine]:
    yield PackingLine("Site", "landing mat, cones, radios, first aid, water", "")
    for letter, places in fallbacks:
        if places:
            yield PackingLine("Site", f"{letter}: the way to {', '.join(places)}", "fallback landing places")


def _weather(day: DayTask, air_c: float) -> Iterator[PackingLine]:
    if air_c < COLD_C:
        yield PackingLine("Cold", f"heated case or inside pockets for {len(day.task.sets)} sets", f"air of {air_c:.0f} °C")
        yield PackingLine("Cold", "thin gloves under thick ones, heat packs, hot drink; relief for the pilot", "")
    if air_c > HOT_C:
        yield PackingLine("Heat", "shade for packs and people, water", f"air of {air_c:.0f} °C")
