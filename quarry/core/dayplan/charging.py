"""Charging on a day: what charge a sortie needs, how long packs cool, when it is too cold, which charger takes which pack."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from quarry.core.base.errors import Infeasible
from quarry.core.cells.thermal import cool_time_s, pack_tau_s
from quarry.core.dayplan.inputs import ChargerInput, PackInput, SetInput, SortieInput
from quarry.core.power.charging import why_not_charged

_COOLER_C = 5.0  # below the warmest at which it may be charged, so that it cools in useful time
_NO_LIMIT_C = -100.0


def needed_frac(sortie: SortieInput, sets: Sequence[SetInput], able: Sequence[str], least_frac: float) -> float:
    """Return the charge at which the weakest set that may fly a sortie still lands with its reserve.

    What it gives from full beyond the sortie may be missing at take-off; cold and resistance take no less from a part
    charge than from a full one, so a watt-hour is counted as one. ``able``: names of the sets that may fly it, none: all.
    """
    fit = [s for s in sets if not able or s.name in able]
    return max(least_frac, *(1.0 - max(0.0, s.usable_wh - sortie.energy_wh) / s.energy_wh for s in fit))


def rest_after_flight(
    entered_s: float, bench_c: float, packs: Sequence[PackInput], settle_c: Iterable[float]
) -> tuple[float, str]:
    """Return the rest after a flight and a caution: what was entered, or longer until the hottest pack may be charged. [s]

    Raises
    ------
    Infeasible
        Where the packs lie, they never cool so far.
    """
    hottest_c = max(settle_c, default=-math.inf)
    if not packs or math.isinf(hottest_c):
        return entered_s, ""
    most_c = min(p.chemistry.charge_high_c for p in packs)
    cooled = cool_time_s(hottest_c, bench_c, most_c, pack_tau_s(1.0, 1))
    if cooled is None:
        raise Infeasible(
            f"Packs land at up to {hottest_c:.0f} °C and never cool to the {most_c:.0f} °C at which they may be charged, where it is "
            f"{bench_c:.0f} °C. Find them a place below {most_c - _COOLER_C:.0f} °C.",
            "bench_c",
        )
    if cooled <= entered_s:
        return entered_s, ""
    return float(60 * math.ceil(cooled / 60)), (
        f"Packs land at up to {hottest_c:.0f} °C: each rests {math.ceil(cooled / 60)} min, not the {entered_s / 60:g} "
        f"entered, until it is down to {most_c:.0f} °C and may be charged."
    )


def too_cold_words(bench_c: float, packs: Sequence[PackInput]) -> str:
    """Return why nothing may be charged where the packs lie, or nothing."""
    least_c = max((p.chemistry.charge_low_c for p in packs), default=_NO_LIMIT_C)
    if bench_c >= least_c:
        return ""
    return (
        f"Packs lie at {bench_c:.0f} °C and are not charged below {least_c:.0f} °C: a frozen cell is harmed for good. "
        f"Charge them where it is {least_c:.0f} °C or warmer."
    )


def taken_by(charger: ChargerInput, kinds: dict[str, PackInput]) -> tuple[tuple[str, ...] | None, list[str]]:
    """Return the types of set that a charger takes (None: all, or not known which) and cautions.

    ``kinds``: by type of set one pack of it.
    """
    if not charger.takes.known:
        words = f"{charger.model_name} does not say which cells it takes: enter them with its model. It is planned for all packs."
        return None, [words]
    why = {kind: why_not_charged(charger.takes, p.chemistry, p.cells) for kind, p in kinds.items()}
    cautions = [f"{charger.name} does not charge {kinds[kind].model_name}: {words}." for kind, words in why.items() if words]
    return (tuple(sorted(k for k, words in why.items() if not words)) if any(why.values()) else None), cautions
