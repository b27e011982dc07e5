"""Packs of a day as the sets that fly together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.dayplan.inputs import PackInput
from quarry.core.rotation.model import PackSet


@dataclass(frozen=True, slots=True)
class SetsOfDay:
    """The sets, their packs by the name of the set, and the packs that cannot fly with the reason."""

    sets: tuple[PackSet, ...]
    members: dict[str, tuple[PackInput, ...]]
    left_out: dict[str, str]


def sets_of(packs: Sequence[PackInput], kinds: Sequence[str]) -> SetsOfDay:
    """Return packs as sets; ``kinds``: the types of set that the aircraft of the day fly."""
    left_out = {p.name: p.grounded_why or "grounded" for p in packs if p.grounded}
    groups: dict[tuple[str, str], list[PackInput]] = {}
    for p in packs:
        if not p.grounded:
            groups.setdefault((p.model, p.mates or p.name), []).append(p)
    sets: list[PackSet] = []
    members: dict[str, tuple[PackInput, ...]] = {}
    for (model, _), group in groups.items():
        kind = f"{model}/{len(group)}"
        if kind not in kinds:
            left_out.update({p.name: _waits(model, kinds) for p in group})
            continue
        name = " + ".join(sorted(p.name for p in group))
        members[name] = tuple(sorted(group, key=lambda p: p.name))
        sets.append(
            PackSet(
                name,
                kind,
                len(group),
                min(p.capacity_wh for p in group),
                min(p.start_frac for p in group),
                slowness=round(max(p.slowness for p in group), 3),
                law=group[0].law,
                balance_s=group[0].balance_s,
            )
        )
    return SetsOfDay(tuple(sets), members, left_out)


def _waits(model: str, kinds: Sequence[str]) -> str:
    wanted = next((k for k in kinds if k.startswith(f"{model}/")), None)
    return f"waits for a mate: {wanted.rsplit('/', 1)[1]} fly together" if wanted else "no aircraft of the day flies it"
