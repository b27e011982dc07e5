"""How many cycles a pack has left, from its own trend alone, and what its minutes cost.

A robust line (Theil and Sen) through this pack's capacity and resistance; no generic cycle-life formula stands in when
the data are few.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from quarry.core.base.errors import MissingInput, require_range
from quarry.core.base.sources import ALGEBRA, THEIL_SEN
from quarry.core.base.working import Step, formula, note_step
from quarry.core.packs.health import USUAL, HealthPolicy, PackHistory

LEAST_POINTS, LEAST_CYCLES = 5, 20.0
LIKELY = (10.0, 90.0)  # percentiles of the slopes between pairs


@dataclass(frozen=True, slots=True)
class Trend:
    """A robust line of a figure over cycles: value now, change for each cycle with its likely range."""

    now: float
    slope: float
    slope_low: float
    slope_high: float


@dataclass(frozen=True, slots=True)
class Forecast:
    """Cycles left until the first limit with a likely range; None where the data do not tell, and ``words`` why."""

    cycles_left: float | None
    low: float | None
    high: float | None
    limited_by: str
    words: str


def robust_trend(cycles: Sequence[float], values: Sequence[float]) -> Trend | None:
    """Return the median of the slopes between all pairs of points, or None if there are too few to tell.

    At least five points over twenty cycles are asked for.
    """
    x, y = np.asarray(cycles, dtype=np.float64), np.asarray(values, dtype=np.float64)
    if len(x) < LEAST_POINTS or float(np.ptp(x)) < LEAST_CYCLES:
        return None
    i, j = np.triu_indices(len(x), 1)
    apart = np.abs(x[j] - x[i]) > 1e-9
    slopes = (y[j] - y[i])[apart] / (x[j] - x[i])[apart]
    slope = float(np.median(slopes))
    low, high = np.percentile(slopes[np.abs(x[j] - x[i])[apart] >= 0.3 * np.ptp(x)], LIKELY)
    now = float(np.median(y - slope * x) + slope * x.max())
    return Trend(now, slope, float(low), float(high))


MOST_AHEAD_COUNT, _BEYOND_COUNT = 400.0, 120.0


@dataclass(frozen=True, slots=True)
class TrendAhead:
    """A trend drawn on beyond its limit: (cycles, value) now and at its end, with the likely range there."""

    start: tuple[float, float]
    middle: tuple[float, float]
    low: tuple[float, float]
    high: tuple[float, float]


def trend_ahead(trend: Trend, cycles: float, limit: float | None) -> TrendAhead | None:
    """Return where a falling trend leads, to its limit or some hundred cycles on; None where it does not lead there."""
    if limit is None or trend.slope >= 0 or trend.now <= limit:
        return None
    left = min(MOST_AHEAD_COUNT, (trend.now - limit) / -trend.slope)
    on = min(1.25 * left, left + _BEYOND_COUNT)  # a little beyond, so that the crossing is seen
    ends = [(cycles + on, trend.now + slope * on) for slope in (trend.slope, trend.slope_low, trend.slope_high)]
    return TrendAhead((cycles, trend.now), *ends)


def _left(trend: Trend, limit: float) -> tuple[float, float, float] | None:
    """Return (middle, low, high) cycles until a limit, inf where the trend does not lead there; None if it never does."""
    gap = limit - trend.now
    towards = 1.0 if gap >= 0 else -1.0

    def cycles(slope: float) -> float:
        return gap / slope if slope * towards > 1e-12 else float("inf")

    ends = sorted((cycles(trend.slope_low), cycles(trend.slope_high)))
    middle = cycles(trend.slope)
    return None if middle == float("inf") else (middle, min(ends[0], middle), max(ends[1], middle))


def forecast(history: PackHistory, policy: HealthPolicy = USUAL) -> Forecast:
    """Return the cycles left until capacity or resistance meets its limit, whichever comes first."""
    found: list[tuple[float, float, float, str]] = []
    trends = 0
    limits = policy.capacity_frac.replace, policy.resistance_growth.replace
    if limits[0] is not None:
        trend = robust_trend([c.cycles for c in history.capacity], [c.health_frac for c in history.capacity])
        trends += trend is not None
        if trend is not None and trend.now <= limits[0]:
            return Forecast(
                0.0, 0.0, 0.0, "capacity", f"Its trend stands at {trend.now:.0%}: the limit of {limits[0]:.0%} is met."
            )
        left = _left(trend, limits[0]) if trend is not None and trend.slope < 0 else None
        if left is not None:
            found.append((*left, "capacity"))
    if limits[1] is not None and len(history.resistance) > 1:
        cells = len(history.resistance[0].cell_ohm)
        same = [r for r in history.resistance if len(r.cell_ohm) == cells]
        for cell in range(cells):
            first = float(np.median([r.cell_ohm[cell] for r in same[:3]]))
            trend = robust_trend([r.cycles for r in same], [r.cell_ohm[cell] / first for r in same])
            trends += trend is not None
            if trend is not None and trend.now >= limits[1]:
                return Forecast(0.0, 0.0, 0.0, f"resistance of cell {cell + 1}", f"Cell {cell + 1} has met its limit.")
            left = _left(trend, limits[1]) if trend is not None and trend.slope > 0 else None
            if left is not None:
                found.append((*left, f"resistance of cell {cell + 1}"))
    if not trends:
        words = f"Too few data: at least {LEAST_POINTS} readings over {LEAST_CYCLES:.0f} cycles are needed."
        return Forecast(None, None, None, "", words)
    if not found:
        return Forecast(None, None, None, "", "Neither capacity nor resistance moves towards its limit so far.")
    middle, low, high, why = min(found)
    words = (
        f"about {middle:.0f} cycles, likely {low:.0f} to {high:.0f}"
        if np.isfinite(high)
        else f"about {middle:.0f} cycles, at least {low:.0f}"
    )
    note_step(
        Step("cycles_left", middle, "", f"robust line of its own {why} to the limit: {words}", source=THEIL_SEN, kind="run")
    )
    return Forecast(middle, low, None if not np.isfinite(high) else high, why, words)


@formula("for each minute so far = price ÷ minutes flown", source=ALGEBRA, result="so_far_count")
def cost_so_far(price_count: float, flown_s: float) -> float:
    """Return the money for each minute flown so far, in the currency of the price."""
    return price_count / (flown_s / 60)


@formula("time flown in all = time recorded × all cycles ÷ cycles recorded", source=ALGEBRA, result="flown_s")
def flown_in_all_s(recorded_s: float, cycles_count: float, recorded_count: float) -> float:
    """Return the time flown with the cycles before the first record, at the minutes of those recorded. [s]"""
    return recorded_s * cycles_count / recorded_count


@formula(
    "for each minute over its life = price ÷ (minutes flown × (cycles + cycles left) ÷ cycles)",
    source=ALGEBRA,
    result="over_life_count",
)
def cost_over_life(price_count: float, flown_s: float, cycles_count: float, left_count: float) -> float:
    """Return the money for each minute if the cycles left last as long as those flown, in the currency of the price."""
    return price_count / (flown_s * (cycles_count + left_count) / cycles_count / 60)


@dataclass(frozen=True, slots=True)
class Money:
    """Money for each minute: so far, and over its life if the cycles left are known."""

    so_far: float | None
    over_life: float | None


def money(
    price_count: float, recorded_s: float, recorded_count: float, cycles_left: float | None, *, before_count: float = 0.0
) -> Money:
    """Return what the minutes of a pack cost: time and cycles recorded, and cycles flown before its first record."""
    require_range(price_count, 0.0, 1e6, "price_count", "Price", "")
    if recorded_s <= 0 or recorded_count <= 0:
        return Money(None, None)
    cycles = recorded_count + before_count
    flown = flown_in_all_s(recorded_s, cycles, recorded_count)
    so_far = cost_so_far(price_count, flown)
    return Money(so_far, None if cycles_left is None else cost_over_life(price_count, flown, cycles, cycles_left))


@dataclass(frozen=True, slots=True)
class PackOffer:
    """A model of pack to buy: its price, the time one flight lasts, and the flights it will serve if known."""

    name: str
    price_count: float
    flight_s: float
    flights_count: float | None = None


@formula("an extra minute = difference of the prices ÷ difference of the minutes", source=ALGEBRA, result="extra_minute")
def extra_minute(more_count: float, longer_s: float) -> float:
    """Return what a longer flight costs for each minute that it lasts longer, in the currency of the prices."""
    return more_count / (longer_s / 60)


@dataclass(frozen=True, slots=True)
class Compared:
    """Two offers: money for each minute of one flight, and over life where both say how many flights they serve.

    ``extra_minute``: what the dearer asks for each minute by which it flies longer; None where it flies no longer.
    """

    one_flight: tuple[float, float]
    over_life: tuple[float, float] | None
    words: str
    extra_minute: float | None = None


def compare(a: PackOffer, b: PackOffer) -> Compared:
    """Return which of two packs for one airframe gives cheaper minutes; the dearer is not always worth it."""
    for offer in (a, b):
        require_range(offer.flight_s, 30.0, 4 * 3600.0, "flight_s", "Flight", "s")
        require_range(offer.price_count, 0.01, 1e6, "price_count", "Price", "")
    one = (cost_so_far(a.price_count, a.flight_s), cost_so_far(b.price_count, b.flight_s))
    dear, cheap = (a, b) if a.price_count >= b.price_count else (b, a)
    extra = None
    if dear.flight_s > cheap.flight_s:
        extra = extra_minute(dear.price_count - cheap.price_count, dear.flight_s - cheap.flight_s)
    if a.flights_count is None or b.flights_count is None:
        cheaper = a.name if one[0] <= one[1] else b.name
        return Compared(
            one,
            None,
            f"For one flight {cheaper} gives the cheaper minute; over life it needs the flights each will serve.",
            extra,
        )
    if min(a.flights_count, b.flights_count) <= 0:
        raise MissingInput("Say how many flights each will serve: one or more.", "flights_count")
    life = (one[0] / a.flights_count, one[1] / b.flights_count)
    return Compared(one, life, f"Over its life {a.name if life[0] <= life[1] else b.name} gives the cheaper minute.", extra)
