"""A weather report of an aerodrome in METAR form, read with a well-kept decoder.

Missing groups stay None. Heights of cloud are above the aerodrome. The report carries no month: whoever asks gives it.
"""

from __future__ import annotations

import re
import warnings
from dataclasses import dataclass, field

from metar.Metar import Metar, ParserError

from quarry.core.base.errors import BadReading

KNOT_M_S = 0.514444
MILE_M = 1609.344
FOOT_M = 0.3048
_CLEAR_M = 10_000.0
_SHAPE = re.compile(r"^(METAR |SPECI )?(COR )?[A-Z][A-Z0-9]{3} \d{6}Z ")


@dataclass(frozen=True, slots=True)
class Layer:
    """One layer of cloud; ``base_m`` above the aerodrome; ``kind`` CB or TCU where reported."""

    amount: str
    base_m: float | None
    kind: str = ""


@dataclass(frozen=True, slots=True)
class Report:
    """A decoded report. ``from_deg`` None with a speed means variable; ``ceiling_m`` None means no ceiling reported.

    ``lacks`` names what the report does not say, ``unread`` the groups that the decoder could not read.
    """

    station: str
    day: int
    hour: int
    minute: int
    automatic: bool
    wind_m_s: float | None
    from_deg: float | None
    gust_m_s: float | None
    varies_deg: tuple[float, float] | None
    visibility_m: float | None
    weather: str
    layers: tuple[Layer, ...]
    ceiling_m: float | None
    air_c: float | None
    dew_point_c: float | None
    qnh_hpa: float | None
    rain: bool
    snow: bool
    thunder: bool
    fog: bool
    lacks: tuple[str, ...] = field(default=())
    unread: tuple[str, ...] = field(default=())


def read_metar(text: str, *, year: int, month: int) -> Report:
    """Return a report decoded; ``year`` and ``month`` are those of the day it was made.

    Raises
    ------
    BadReading
        It is no report, or the decoder cannot read it; the message says what a report looks like.
    """
    code = " ".join(text.replace("=", " ").upper().split())
    if len(code) > 600 or not _SHAPE.match(code + " "):
        raise BadReading(
            "This is no METAR report. It begins with the station and the time, such as ZZZZ 121350Z 24015G28KT.", "metar"
        )
    try:
        with warnings.catch_warnings():  # what could not be read is told in `unread`, not on the console
            warnings.simplefilter("ignore")
            seen = Metar(code, month=month, year=year, strict=False)
    except (ParserError, ValueError, IndexError) as bad:
        raise BadReading(f"The report cannot be read: {_first_words(bad)} Copy it again in full.", "metar") from bad
    if seen.time is None:
        raise BadReading("The report's time cannot be read. Copy it again in full.", "metar")
    return _to_report(seen, code, (seen.time.day, seen.time.hour, seen.time.minute))


def _first_words(bad: Exception) -> str:
    words = " ".join(str(bad).split())
    return (words[:120] + "." if words else "it is damaged.").replace("..", ".")


def _to_report(m: Metar, code: str, made_at: tuple[int, int, int]) -> Report:
    layers = tuple(
        Layer(amount, base.value("M") if base is not None else None, kind or "")
        for amount, base, kind in m.sky
        if amount != "NCD"
    )
    bases = [x.base_m for x in layers if x.amount in ("BKN", "OVC", "VV") and x.base_m is not None]
    blob = " ".join("".join(p or "" for p in group) for group in m.weather)
    clear = " CAVOK" in f" {code}"
    dark = re.search(r" ////(?:NDV|SM)? ", f"{code} ") is not None
    found = {
        "wind": m.wind_speed.value("MPS") if m.wind_speed is not None else None,
        "visibility": _visibility_m(m, clear=clear, dark=dark),
        "temperature": m.temp.value("C") if m.temp is not None else None,
        "dew point": m.dewpt.value("C") if m.dewpt is not None else None,
        "pressure": m.press.value("HPA") if m.press is not None else None,
    }
    lacks = [name for name, value in found.items() if value is None]
    if not layers and not clear and not re.search(r" (SKC|CLR|NSC|NCD)\b", code):
        lacks.append("cloud")
    varies = (
        (m.wind_dir_from.value(), m.wind_dir_to.value()) if m.wind_dir_from is not None and m.wind_dir_to is not None else None
    )
    return Report(
        m.station_id or "",
        *made_at,
        " AUTO " in f" {code} ",
        found["wind"],
        m.wind_dir.value() if m.wind_dir is not None else None,
        m.wind_gust.value("MPS") if m.wind_gust is not None else None,
        varies,
        found["visibility"],
        m.present_weather(),
        layers,
        min(bases) if bases else None,
        found["temperature"],
        found["dew point"],
        found["pressure"],
        any(x in blob for x in ("RA", "DZ")),
        any(x in blob for x in ("SN", "SG", "GS", "GR", "PL", "IC")),
        "TS" in blob,
        any(x in blob for x in ("FG", "BR")),
        tuple(lacks),
        tuple(m._unparsed_groups),
    )


def _visibility_m(m: Metar, *, clear: bool, dark: bool) -> float | None:
    # The decoder takes a missing group for the best visibility.
    if dark:
        return None
    if m.vis is not None:
        return min(float(m.vis.value("M")), 1e5)
    return _CLEAR_M if clear else None
