"""Matched sets: packs that fly together, bought together, and how far they have drifted apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.packs.health import LEVELS, Level


@dataclass(frozen=True, slots=True)
class SetPolicy:
    """How far the packs of a set may lie apart before they are watched; twice as far, the set is to be replaced."""

    health_apart_frac: float = 0.05
    resistance_ratio: float = 1.25
    cycles_apart: float = 25.0


@dataclass(frozen=True, slots=True)
class SetMember:
    """One pack of a set; ``cell_ohm`` is the mean of its cells at 25 °C, None if it was never read."""

    name: str
    level: Level
    health_frac: float
    cycles: float
    cell_ohm: float | None = None


@dataclass(frozen=True, slots=True)
class SetVerdict:
    """The level of the set (never better than its weakest pack), in words, and how far apart its packs are."""

    level: Level
    words: str
    health_apart_frac: float
    working: Working


def judge_set(members: Sequence[SetMember], policy: SetPolicy | None = None) -> SetVerdict:
    """Return how a matched set stands: the weakest pack decides, and packs that drift apart are watched."""
    p = policy or SetPolicy()
    apart = max(m.health_frac for m in members) - min(m.health_frac for m in members)
    cycles = max(m.cycles for m in members) - min(m.cycles for m in members)
    known = [m.cell_ohm for m in members if m.cell_ohm is not None]
    ratio = max(known) / min(known) if len(known) > 1 else 1.0
    rows = (
        ("health_apart_frac", apart, apart / p.health_apart_frac, f"capacity {apart:.0%} apart"),
        ("resistance_ratio", ratio, (ratio - 1) / (p.resistance_ratio - 1), f"resistance {ratio:.2f} times"),
        ("cycles_apart_count", cycles, min(cycles / p.cycles_apart, 1.9), f"{cycles:.0f} cycles apart"),
    )
    steps = [Step(n, v, "", w, source=ALGEBRA, kind="limit", note=f"{share:.0%} of what may be") for n, v, share, w in rows]
    worst = max(rows, key=lambda r: r[2])
    drift: Level = "replace soon" if worst[2] >= 2 else "watch" if worst[2] >= 1 else "in service"
    weakest = max(members, key=lambda m: LEVELS.index(m.level))
    level = max(drift, weakest.level, key=LEVELS.index)
    if drift != "in service" and LEVELS.index(drift) >= LEVELS.index(weakest.level):
        words = f"drifting apart: {worst[3]}"
    elif weakest.level == "not yet tested":
        words = f"{weakest.name} is not yet tested"
    elif weakest.level != "in service":
        words = f"{weakest.name} decides: {weakest.level}"
    else:
        words = f"well matched: {rows[0][3]}"
    return SetVerdict(level, words, apart, Working("Set", level, "", (*steps, Step("set", level, "", words, kind="choice"))))
