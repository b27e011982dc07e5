"""What a crew gains that plans anew on the way: the same rehearsed days with the plan kept in its order and with it turned over."""

from __future__ import annotations

import math
from dataclasses import replace

from quarry.core.base.sources import ALGEBRA
from quarry.core.base.working import Step, Working
from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.day.state import Frame
from quarry.core.rotation.model import Rotation
from quarry.core.rotation.monte_carlo import Chance
from quarry.core.rotation.scatter import Scatter

_REHEARSED = 8


def gained_s(frame: Frame, plan: Rotation, scatter: Scatter, *, days: int = _REHEARSED, seed: int = 700) -> float:
    """Return how much earlier a day ends on the mean because its plan is made anew when something turns it over. [s]

    The same worlds are played twice: what chance does to both falls out of the difference.
    """
    gains = []
    for n in range(days):
        ends = [
            rehearse(frame, plan, World(frame, seed + n, scatter=scatter), {}, adapt=adapt).debrief.flown_s
            for adapt in (False, True)
        ]
        gains.append(ends[0] - ends[1])
    there = [g for g in gains if math.isfinite(g)]
    return max(0.0, sum(there) / len(there)) if there else 0.0


def adapted(chance: Chance, gain_s: float, days: int = _REHEARSED) -> Chance:
    """Return a forecast of a plan kept in its order, earlier by what making it anew gains; its working says so."""
    if gain_s < 1.0:
        return chance
    words = f"the plan is made anew on the way: earlier by so much on the mean of {days} days rehearsed with and without that"
    step = Step("anew_s", gain_s, "s", words, source=ALGEBRA, kind="run")
    moved = Step("down_s", chance.p90_s - gain_s, "clock", "nine in ten are down by then, less that", source=ALGEBRA, kind="run")
    return replace(
        chance,
        p10_s=chance.p10_s - gain_s,
        p50_s=chance.p50_s - gain_s,
        p90_s=chance.p90_s - gain_s,
        by_time=tuple((t - gain_s, share) for t, share in chance.by_time),
        working=Working(chance.working.title, moved.value, chance.working.unit, (*chance.working.steps, step, moved)),
    )
