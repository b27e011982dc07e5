"""What a plan wears its packs by, beyond what its flights take: fast charges, and sets that fly more often than others."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Any

from quarry.core.rotation.integer_seconds import Kind
from quarry.core.rotation.model import Mode, Rotation, RotationTask, squares

_FASTER, _UNEVEN = 100, 50  # what wear counts: a charge at twice the gentlest rate, and half of one flight too many


def wear(task: RotationTask, plan: Rotation) -> int:
    """Return what a plan wears packs by: charges faster than the gentlest, and sets that fly more often than others.

    One flight more on a set that already flies once more than another counts as much as a charge at twice the rate.
    """
    each = {(c.id, m.name): faster(c.modes, r) for c in task.chargers for r, m in enumerate(c.modes)}
    return sum(each[c.charger, c.mode] for c in plan.charges if c not in task.begun) + _UNEVEN * squares(plan)


def faster(modes: Sequence[Mode], rate: int) -> int:
    """Return what a charge at one of a charger's rates wears a pack by, beyond the gentlest of them."""
    return round(_FASTER * (modes[rate].pack_w / min(m.pack_w for m in modes) - 1))


def least_wear(task: RotationTask) -> int:
    """Return what no plan wears packs less by: all charges at the gentlest rate, all sets of a type used alike."""
    types = {c.id: c.type for c in task.aircraft}
    sets, flights = Counter(s.type for s in task.sets), Counter(types[f.aircraft] for f in task.flights)
    return _UNEVEN * sum(evenly(count, sets[kind]) for kind, count in flights.items() if sets[kind])


def evenly(flights: int, sets: int) -> int:
    """Return the least sum of squares of how often each of some sets flies. [flights²]"""
    each, more = divmod(flights, sets)
    return more * (each + 1) ** 2 + (sets - more) * each**2


def uneven(m: Any, kinds: Sequence[Kind], marks: Iterable[tuple[int, Any]], flights: int) -> list[Any]:
    """Return as terms of a model's objective how unevenly sets are used; ``marks``: for each flight and kind, whether it flies on it."""
    of_kind: dict[int, list[Any]] = {}
    for kind_index, mark in marks:
        of_kind.setdefault(kind_index, []).append(mark)
    cost = []
    for kind_index, mine in of_kind.items():
        uses, squared = m.new_int_var(0, len(mine), ""), m.new_int_var(0, flights * flights, "")
        m.add(uses == sum(mine))
        m.add_element(uses, [evenly(n, len(kinds[kind_index].sets)) for n in range(len(mine) + 1)], squared)
        cost.append(_UNEVEN * squared)
    return cost
