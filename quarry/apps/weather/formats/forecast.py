"""A forecast as JSON, checked figure by figure: what cannot be is dropped and told, never taken.

Form: ``{"issued_at", "source", "hours": [{"at", "levels": [{"height_m", "wind_m_s", "from_deg", "gust_m_s"}], "air_c",
"dew_point_c", "pressure_hpa", "rain_mm_h", "snow_mm_h", "cloud_base_m", "visibility_m", "thunder"}]}``; times in UTC.
"""

from __future__ import annotations

import json
import math
from datetime import UTC, datetime, timedelta
from typing import Any

Plain = dict[str, Any]
MOST_HOURS = 24 * 10
NO_CEILING_M = 6000.0
_RANGES = {
    "air_c": (-60.0, 60.0),
    "dew_point_c": (-70.0, 40.0),
    "pressure_hpa": (500.0, 1090.0),
    "rain_mm_h": (0.0, 300.0),
    "snow_mm_h": (0.0, 100.0),
    "cloud_base_m": (0.0, 20_000.0),
    "visibility_m": (0.0, 100_000.0),
}
_LEVEL = {"height_m": (0.5, 2000.0), "wind_m_s": (0.0, 60.0), "from_deg": (-360.0, 720.0), "gust_m_s": (0.0, 90.0)}


class BadForecast(ValueError):
    """The desk's answer cannot be used at all; the message says why."""


def read_forecast(data: bytes, now: datetime) -> Plain:
    """Return the forecast as plain data with ``notes`` on what was dropped.

    Raises
    ------
    BadForecast
        It is no forecast, it holds no usable hour, or it says it was made in the future.
    """
    try:
        told = json.loads(data, parse_constant=lambda _: None)
    except (ValueError, RecursionError) as bad:
        raise BadForecast("The weather desk's answer is no JSON.") from bad
    if not isinstance(told, dict) or not isinstance(told.get("hours"), list):
        raise BadForecast("The weather desk's answer holds no hours.")
    issued = _time(told.get("issued_at"))
    if issued is None:
        raise BadForecast("The weather desk does not say when its forecast was made.")
    if issued > now + timedelta(minutes=10):
        raise BadForecast(f"The weather desk says its forecast was made at {issued:%Y-%m-%d %H:%M} UTC, which lies ahead.")
    notes: list[str] = []
    hours: dict[str, Plain] = {}
    for raw in told["hours"][:MOST_HOURS]:
        at = _time(raw.get("at")) if isinstance(raw, dict) else None
        if at is None:
            notes.append("an hour without a time was dropped")
            continue
        hours[at.isoformat()] = _hour(raw, at, notes)
    kept = [hours[k] for k in sorted(hours) if hours[k]["levels"] or hours[k]["air_c"] is not None]
    if not kept:
        raise BadForecast("The weather desk's answer holds no hour that can be used.")
    return {"issued_at": issued.isoformat(), "source": str(told.get("source", ""))[:80], "hours": kept, "notes": notes[:20]}


def _time(value: Any) -> datetime | None:
    try:
        found = datetime.fromisoformat(value)
    except (TypeError, ValueError):
        return None
    return found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)


def _hour(raw: Plain, at: datetime, notes: list[str]) -> Plain:
    hour: Plain = {"at": at.isoformat(), "thunder": bool(raw.get("thunder"))}
    for key, (low, high) in _RANGES.items():
        hour[key] = _number(raw, key, low, high, at, notes)
    if hour["cloud_base_m"] is None and raw.get("cloud_base_m", 0) is None:
        hour["cloud_base_m"] = NO_CEILING_M
    if hour["air_c"] is not None and hour["dew_point_c"] is not None and hour["dew_point_c"] > hour["air_c"] + 0.5:
        notes.append(f"{at:%H:%M}: the dew point lies above the air; it was dropped")
        hour["dew_point_c"] = None
    hour["levels"] = []
    levels = raw.get("levels")
    for level in levels[:20] if isinstance(levels, list) else []:
        if not isinstance(level, dict):
            continue
        found = {key: _number(level, key, low, high, at, notes) for key, (low, high) in _LEVEL.items()}
        if found["height_m"] is None or found["wind_m_s"] is None or found["from_deg"] is None:
            continue
        if found["gust_m_s"] is not None and found["gust_m_s"] < found["wind_m_s"] - 0.05:
            notes.append(f"{at:%H:%M}: a gust below the mean was dropped")
            found["gust_m_s"] = None
        found["from_deg"] %= 360.0
        hour["levels"].append(found)
    return hour


def _number(raw: Plain, key: str, low: float, high: float, at: datetime, notes: list[str]) -> float | None:
    value = raw.get(key)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or not low <= value <= high:
        notes.append(f"{at:%H:%M}: {key} {str(value)[:20]} cannot be; it was dropped")
        return None
    return float(value)
