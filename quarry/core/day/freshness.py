"""How long a measurement on a running day counts as now."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from quarry.core.day.events import Event, standing
from quarry.core.spraying.still_air import rise_k

GUST_S = 1800.0  # a gust that was measured
PORT_S = 180.0  # what a charger says of a port


def gust_now(limits_m_s: Sequence[float], events: Iterable[Event], now_s: float) -> tuple[float, float] | None:
    """Return the gust that was measured last, if it is fresh, and the strictest limit; None without either. [m/s]"""
    seen = [
        e for e in standing(events) if e.kind == "observed" and e.get("gust_m_s") is not None and 0 <= now_s - e.at_s <= GUST_S
    ]
    if not limits_m_s or not seen:
        return None
    # Of two in one moment the later told counts.
    return float(max(reversed(seen), key=lambda e: e.at_s).get("gust_m_s")), min(limits_m_s)


def wind_now(events: Iterable[Event], now_s: float) -> tuple[float, float] | None:
    """Return the wind that was measured last and where it is from, if it is fresh; None without one. [m/s, °]"""
    seen = [
        e
        for e in standing(events)
        if e.kind == "observed"
        and e.get("wind_m_s") is not None
        and e.get("from_deg") is not None
        and 0 <= now_s - e.at_s <= GUST_S
    ]
    if not seen:
        return None
    last = max(reversed(seen), key=lambda e: e.at_s)
    return float(last.get("wind_m_s")), float(last.get("from_deg"))


def inversion_now(events: Iterable[Event], now_s: float) -> float | None:
    """Return by how much the air was warmer above than below when both were measured last, if it is fresh; else None. [K]"""
    seen = [
        e
        for e in standing(events)
        if e.kind == "observed" and None not in (e.get("upper_c"), e.get("air_c")) and 0 <= now_s - e.at_s <= GUST_S
    ]
    if not seen:
        return None
    last = max(reversed(seen), key=lambda e: e.at_s)
    return rise_k(float(last.get("upper_c")), float(last.get("air_c")))


def port_is_fresh(now_s: float, read_s: float) -> bool:
    """Return whether what a charger said of a port still counts."""
    return 0 <= now_s - read_s <= PORT_S
