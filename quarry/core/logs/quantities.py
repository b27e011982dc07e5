"""What a flight log may hold: each quantity with its unit, the words that name it, and what its values can be.

Words are those of many languages and habits, none of any one maker. Ranges only tell one unit from another, and a percent
from a share: they are common practice, with no source, and refuse nothing.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit of a log: canonical value = (value + ``offset``) × ``factor``; ``words`` as they stand in headers."""

    name: str
    factor: float
    words: tuple[str, ...] = ()
    offset: float = 0.0


@dataclass(frozen=True, slots=True)
class Quantity:
    """One thing that a log may hold; ``low`` to ``high`` is where nearly all values of a flight lie, in the first unit."""

    name: str
    words: tuple[str, ...]
    units: tuple[Unit, ...]
    low: float
    high: float
    text: bool = False
    rank: int = field(default=0, compare=False)


_C = (Unit("°C", 1.0, ("c", "°c", "degc", "deg c", "celsius")), Unit("°F", 5 / 9, ("f", "°f", "degf", "fahrenheit"), -32.0))
_V = (Unit("V", 1.0, ("v", "volt", "volts")), Unit("mV", 1e-3, ("mv", "millivolt")), Unit("cV", 1e-2, ("cv",)))
_M = (Unit("m", 1.0, ("m", "metres", "meters", "meter")), Unit("ft", 0.3048, ("ft", "feet")), Unit("cm", 0.01, ("cm",)))
_TEXT = (Unit("", 1.0),)

QUANTITIES: tuple[Quantity, ...] = (
    Quantity(
        "time_s",
        (
            "time",
            "timestamp",
            "zeit",
            "temps",
            "tiempo",
            "tempo",
            "elapsed",
            "flight time",
            "datetime",
            "date time",
            "utc",
            "clock",
        ),
        (
            Unit("s", 1.0, ("s", "sec", "secs", "second", "seconds")),
            Unit("ms", 1e-3, ("ms", "millisecond", "milliseconds")),
            Unit("min", 60.0, ("min", "minutes")),
            Unit("µs", 1e-6, ("us", "µs", "microseconds")),
        ),
        0.0,
        4e9,
    ),
    Quantity(
        "left_frac",
        (
            "battery",
            "percent",
            "charge",
            "remaining",
            "capacity percent",
            "soc",
            "state of charge",
            "ladung",
            "akku",
            "bateria",
            "batterie",
        ),
        (Unit("%", 0.01, ("%", "percent", "pct")), Unit("share", 1.0, ("share", "fraction", "frac"))),
        0.0,
        1.0,
    ),
    Quantity("cell_v", ("cell", "zelle", "cellule", "celda"), _V, 2.4, 4.5),
    Quantity(
        "pack_v",
        ("voltage", "volts", "volt", "spannung", "tension", "pack voltage", "battery voltage", "total voltage"),
        _V,
        5.0,
        70.0,
    ),
    Quantity(
        "current_a",
        ("current", "amps", "ampere", "strom", "courant", "corriente", "battery current"),
        (Unit("A", 1.0, ("a", "amp", "amps", "ampere")), Unit("mA", 1e-3, ("ma",)), Unit("cA", 1e-2, ("ca",))),
        -300.0,
        300.0,
    ),
    Quantity(
        "used_ah",
        ("used", "consumed", "drawn", "mah", "consumption", "verbrauch", "discharged", "capacity used"),
        (Unit("Ah", 1.0, ("ah",)), Unit("mAh", 1e-3, ("mah",))),
        0.0,
        100.0,
    ),
    Quantity(
        "pack_c",
        ("temperature", "temp", "battery temperature", "pack temperature", "akkutemperatur", "temperatur"),
        _C,
        -40.0,
        90.0,
    ),
    Quantity(
        "height_m",
        ("height", "altitude", "alt", "agl", "hoehe", "höhe", "hauteur", "altura", "relative altitude"),
        _M,
        -200.0,
        6000.0,
    ),
    Quantity(
        "speed_m_s",
        ("speed", "ground speed", "groundspeed", "velocity", "geschwindigkeit", "vitesse", "velocidad", "gps speed"),
        (
            Unit("m/s", 1.0, ("m/s", "mps", "ms-1")),
            Unit("km/h", 1 / 3.6, ("km/h", "kmh", "kph")),
            Unit("mph", 0.44704, ("mph",)),
            Unit("kn", 1852 / 3600, ("kn", "kt", "knots")),
        ),
        0.0,
        45.0,
    ),
    Quantity(
        "lat_deg",
        ("latitude", "lat", "breite", "gps lat"),
        (Unit("°", 1.0, ("deg", "°")), Unit("1e-7°", 1e-7, ("e7",))),
        -90.0,
        90.0,
    ),
    Quantity(
        "lon_deg",
        ("longitude", "lon", "lng", "long", "länge", "laenge", "gps lon"),
        (Unit("°", 1.0, ("deg", "°")), Unit("1e-7°", 1e-7, ("e7",))),
        -180.0,
        180.0,
    ),
    Quantity("satellites", ("satellites", "sats", "satellite count", "num sats", "satelliten"), (Unit("", 1.0),), 0.0, 60.0),
    Quantity("mode", ("mode", "flight mode", "state", "modus", "phase"), _TEXT, 0, 0, text=True),
    Quantity("warning", ("warning", "alert", "message", "warnung", "alarm", "event", "note"), _TEXT, 0, 0, text=True),
    Quantity("firmware", ("firmware", "fw", "software version", "version"), _TEXT, 0, 0, text=True),
    Quantity(
        "serial", ("serial", "battery serial", "pack serial", "sn", "seriennummer", "pack", "battery id"), _TEXT, 0, 0, text=True
    ),
)
BY_NAME = {q.name: q for q in QUANTITIES}

_SPLIT = re.compile(r"[\s_\-.:/\\()\[\]{},;|]+")
_CAMEL = re.compile(r"(?<=[a-zäöü]{2})(?=[A-Z])")  # “packVoltage” is two words, “mV” is one
_BRACKET = re.compile(r"[\[(]\s*([^\])]*?)\s*[\])]")


def plain_words(header: str) -> str:
    """Return a header as words: camel case, underlines and brackets taken apart, in lower case."""
    return " ".join(w for w in _SPLIT.split(_CAMEL.sub(" ", header)) if w).lower()


def unit_word(header: str) -> str:
    """Return what a header says of its unit: the bracket at its end, else its last word; empty if it says nothing."""
    bracketed = _BRACKET.findall(header)
    if bracketed:
        return str(bracketed[-1]).strip().lower()
    words = [w for w in re.split(r"[\s_]+", header.strip()) if w]
    return words[-1].lower() if len(words) > 1 else ""
