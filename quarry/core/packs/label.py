"""What stands on a pack: minutes of hard and of gentle flying down to the reserve, from its own flights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quarry.core.base.sources import ALGEBRA, PRACTICE
from quarry.core.base.working import Step, formula, note_step
from quarry.core.packs.charge_back import TimedFlight, draw_a, plan_time_s, reserve_ah

FEW = 3
GENTLE, HARD = 15.0, 85.0  # percentiles of the draw of its flights


@formula("reserve as the screen shows it = share of rated ÷ state of health", source=ALGEBRA, result="shown_frac")
def shown_reserve_frac(landing_frac: float, health_frac: float) -> float:
    """Return the reserve of rated capacity as a screen shows it that counts from the capacity of today."""
    return landing_frac / health_frac


@dataclass(frozen=True, slots=True)
class LabelFigures:
    """Times to plan in hard and gentle flying, None without flights; the reserve as the screen shows it; flights counted."""

    hard_s: float | None
    gentle_s: float | None
    shown_frac: float
    flights: int


def label_figures(
    flights: Sequence[TimedFlight], rated_ah: float, health_frac: float, *, landing_frac: float, method: str
) -> LabelFigures:
    """Return the figures of a label.

    With three flights or more hard and gentle are the draws that 85 and 15 in 100 of them stay below; with fewer both are
    the hardest seen.
    """
    of_rated = method == "rated"
    shown = shown_reserve_frac(landing_frac, health_frac) if of_rated else landing_frac
    if not flights:
        return LabelFigures(None, None, shown, 0)
    recent = list(flights)[-30:]
    draws = [draw_a(f.put_back_ah, f.flown_s) for f in recent]
    if len(draws) >= FEW:
        gentle, hard = (float(x) for x in np.percentile(draws, (GENTLE, HARD)))
        words = f"draw that {HARD:.0f} in 100 of its last {len(draws)} flights stay below"
    else:
        gentle = hard = max(draws)
        words = f"hardest of {len(draws)} flights: too few to tell high load from low load"
    note_step(Step("draw_a", hard, "A", words, source=PRACTICE, kind="run"))
    capacity = rated_ah * health_frac
    kept = reserve_ah(landing_frac, rated_ah if of_rated else capacity)
    if kept >= capacity:
        return LabelFigures(None, None, shown, len(draws))
    return LabelFigures(plan_time_s(capacity, kept, hard), plan_time_s(capacity, kept, gentle), shown, len(draws))
