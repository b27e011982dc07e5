"""How deep to use a pack: flights, minutes and money over its life for several shares used, side by side.

Packs used less deep reach more flights, each of them shorter. How much more is a matter of the cell: published fits have
flights falling with a power of the share used between 1.0 and 1.8; at 1 all depths give the same minutes over a life.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.base.errors import require_range
from quarry.core.base.settings import Setting
from quarry.core.base.sources import ALGEBRA, ASSUMED, ENTERED, MEASURED, WOEHLER, Source
from quarry.core.base.working import Step, formula, note_step

DEPTHS = (0.6, 0.7, 0.8)
USUAL_POWER = 1.3

_RESTS_ON = {
    ASSUMED: "the cycles of the policy, common practice without a source",
    MEASURED: "its own trend",
    ENTERED: "the cycles entered",
}


@dataclass(frozen=True, slots=True)
class DepthPolicy:
    """With which power of the share used the flights of a life fall."""

    power_count: float = USUAL_POWER


SETTINGS: tuple[Setting, ...] = (
    Setting(
        "depth.power_count",
        "Reserve",
        "Flights over a life fall with this power of the share used",
        USUAL_POWER,
        "1: depth does not matter; published fits lie between 1.0 and 1.8; a pack's own trend takes precedence for its cycles",
        "",
        1.0,
        0.8,
        2.5,
        source=ASSUMED,
    ),
)


@formula("flights = flights at full depth × share used ^ −k", source=WOEHLER, result="flights_count")
def flights_at_depth(full_depth_count: float, used_frac: float, power_count: float) -> float:
    """Return the flights that a pack reaches when each uses a share of its charge.

    Examples
    --------
    >>> round(flights_at_depth(300.0, 0.5, 1.0))
    600
    """
    return full_depth_count * float(used_frac**-power_count)


@formula("flights at full depth = full cycles × share used so far ^ (k − 1)", source=WOEHLER, result="full_depth_count")
def full_depth_flights(cycles_count: float, used_frac: float, power_count: float) -> float:
    """Return the flights at full depth of a pack that reaches so many equivalent full cycles at the depth it was used."""
    return cycles_count * float(used_frac ** (power_count - 1.0))


@formula("minutes over its life = flights × time of a full charge × share used", source=ALGEBRA, result="life_s")
def minutes_over_life_s(flights_count: float, full_s: float, used_frac: float) -> float:
    """Return the time that a pack flies over its life. [s]"""
    return flights_count * full_s * used_frac


@dataclass(frozen=True, slots=True)
class DepthRow:
    """What one depth gives: flights, equivalent full cycles, time of one flight and over the life [s], money for each minute."""

    used_frac: float
    flights_count: float
    cycles_count: float
    flight_s: float
    life_s: float
    per_minute: float | None


@dataclass(frozen=True, slots=True)
class DepthTable:
    """Rows by depth, and what they rest on: the pack's own trend, the cycles of the policy, or those entered."""

    rows: tuple[DepthRow, ...]
    rests_on: str


def depth_table(
    cycles_count: float,
    at_frac: float,
    full_s: float,
    price_count: float | None = None,
    power_count: float = USUAL_POWER,
    *,
    source: Source = ASSUMED,
    depths: Sequence[float] = DEPTHS,
) -> DepthTable:
    """Return what several depths give over the life of a pack.

    Parameters
    ----------
    cycles_count : float
        Equivalent full cycles that it reaches.
    at_frac : float
        The share used by the flights that this was found at. [0 to 1]
    full_s : float
        How long a whole charge would fly. [s]
    source : Source
        Where the cycles come from: assumed by the policy, measured as the pack's own trend, or entered.
    """
    require_range(cycles_count, 1.0, 20_000.0, "cycles_count", "Cycles", "")
    require_range(at_frac, 0.05, 1.0, "at_frac", "Share used", "")
    require_range(full_s, 30.0, 8 * 3600.0, "full_s", "Time of a full charge", "s")
    require_range(power_count, 0.5, 3.0, "power_count", "Power", "")
    whose = _RESTS_ON[source]
    note_step(
        Step(
            "cycles_count",
            cycles_count,
            "",
            f"equivalent full cycles by {whose}, at {at_frac:.0%} used",
            source=source,
            kind="input",
        )
    )
    full = full_depth_flights(cycles_count, at_frac, power_count)
    rows = []
    for used in depths:
        flights = flights_at_depth(full, used, power_count)
        life = minutes_over_life_s(flights, full_s, used)
        money = None if price_count is None else price_count / (life / 60)
        rows.append(DepthRow(used, flights, flights * used, full_s * used, life, money))
    return DepthTable(tuple(rows), whose)
