"""What the figures of events are: text, numbers in a range, lists of these. What is none of them is refused.

An event that is stored can always be folded: whatever a device sends is held against this table first.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from quarry.core.base.errors import MissingInput, OutOfRange

_MOST_TEXT = 300


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure: what it is, and the range or length that it keeps to.

    ``form``: number, integer, text, or a list of numbers or texts; ``most_items`` bounds a list.
    """

    words: str
    form: Literal["number", "integer", "text", "numbers", "texts"] = "number"
    low: float = 0.0
    high: float = 0.0
    unit: str = ""
    most_items: int = 28


def _text(words: str) -> Figure:
    return Figure(words, "text", 0, _MOST_TEXT)


_NAME = Figure("Name", "text", 0, 60)
_SHARE = Figure("Share", "number", 0.0, 1.0)
# A name means the same in every kind of event.
FIGURES: Mapping[str, Figure] = {
    "flight": _NAME,
    "set": _NAME,
    "aircraft": _NAME,
    "pack": _NAME,
    "mode": _NAME,
    "word": _NAME,
    "supply": _text("Supply"),
    "of": Figure("What it is about", "text", 0, 120),
    "stands": Figure("Answer", "text", 0, 64),
    "why": _text("Reason"),
    "words": _text("Note"),
    "resume": _text("Where it goes on"),
    "marks": Figure("What was seen", "texts", 0, 60, most_items=12),
    "frac": _SHARE,
    "left_frac": _SHARE,
    "done_frac": _SHARE,
    "lowest_v": Figure("Cell", "number", 0.5, 5.0, "V"),
    "cells_v": Figure("Cell", "numbers", 0.5, 5.0, "V"),
    "pack_c": Figure("Pack temperature", "number", -40.0, 120.0, "°C"),
    "port": Figure("Port", "integer", 1, 200),
    "until_s": Figure("Time", "number", 0.0, 30 * 86_400.0, "s"),
    "work": Figure("What was done", "number", 0.0, 100_000.0),
    "gust_m_s": Figure("Gust", "number", 0.0, 80.0, "m/s"),
    "wind_m_s": Figure("Wind", "number", 0.0, 80.0, "m/s"),
    "from_deg": Figure("Wind direction", "number", 0.0, 360.0, "°"),
    "air_c": Figure("Air temperature", "number", -60.0, 60.0, "°C"),
    "upper_c": Figure("Air temperature above", "number", -60.0, 60.0, "°C"),
    "lat_deg": Figure("Latitude", "number", -90.0, 90.0, "°"),
    "lon_deg": Figure("Longitude", "number", -180.0, 180.0, "°"),
    "humidity_frac": Figure("Humidity", "number", 0.0, 1.0),
}


def check_figures(figures: Mapping[str, Any]) -> None:
    """Raise at the first figure that is not what its name says. A figure that is None counts as not given.

    Raises
    ------
    MissingInput
        No event has a figure of this name.
    OutOfRange
        A figure is of another form, or beyond its range.
    """
    for name, value in figures.items():
        figure = FIGURES.get(name)
        if figure is None:
            raise MissingInput(f"No event has a figure called {name[:40]}. Remove it.", name[:60])
        if value is not None:
            _check(figure, name, value)


def _check(figure: Figure, name: str, value: Any) -> None:
    if figure.form in ("numbers", "texts"):
        if not isinstance(value, list | tuple) or len(value) > figure.most_items:
            raise OutOfRange(f"{figure.words}: give a list of at most {figure.most_items}.", name)
        for k, v in enumerate(value):
            _check_one(figure, figure.form[:-1], f"{name}.{k}", v, f"{figure.words} {k + 1}")
    else:
        _check_one(figure, figure.form, name, value, figure.words)


def _check_one(figure: Figure, form: str, name: str, value: Any, words: str) -> None:
    if form == "text":
        if not isinstance(value, str) or len(value) > figure.high or not value.isprintable():
            raise OutOfRange(f"{words}: give one line of text, at most {figure.high:.0f} characters.", name)
        return
    of = f" {figure.unit}" if figure.unit else ""
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise OutOfRange(f"{words} is not a number; give one from {figure.low:g} to {figure.high:g}{of}.", name)
    if form == "integer" and value != int(value):
        raise OutOfRange(f"{words} is {value:g}; give a whole number.", name)
    if not figure.low <= value <= figure.high:
        raise OutOfRange(f"{words} is {value:g}{of}; give a value from {figure.low:g} to {figure.high:g}{of}.", name)
