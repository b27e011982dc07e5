"""Minutes that flights got out of a full pack: to the reserve, to the first warning, to empty with the knee in it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from quarry.core.logs.discharge import minutes_to


@dataclass(frozen=True, slots=True)
class Endurance:
    """What flights of one kind got out of a full pack: the middle of them, the least and the most to empty. [min]

    ``kneed``: flights whose charge fell faster from some percent on; ``to_warning_min`` is None where none was warned.
    """

    flights: int
    kneed: int
    to_reserve_min: float
    to_warning_min: float | None
    to_empty_min: float
    least_min: float
    most_min: float


def endurance_of(flights: Sequence[Mapping[str, float | None]], reserve_frac: float) -> Endurance | None:
    """Return what flights got out of a full pack, by their figures; None where none tells its percent."""
    empty = [m for f in flights if (m := minutes_to(f, 0.0)) is not None]
    if not empty:
        return None
    to_reserve = [m for f in flights if (m := minutes_to(f, reserve_frac)) is not None]
    warned = [m for f in flights if (at := f.get("warned_frac")) is not None and (m := minutes_to(f, at)) is not None]
    return Endurance(
        len(empty),
        sum(f.get("knee_frac") is not None for f in flights),
        median(to_reserve),
        median(warned) if warned else None,
        median(empty),
        min(empty),
        max(empty),
    )


def measured_min(flights: Sequence[Mapping[str, float | None]], left_frac: float) -> float | None:
    """Return the middle of the minutes from full to so much left; None where no flight tells its percent."""
    found = [m for f in flights if (m := minutes_to(f, left_frac)) is not None]
    return median(found) if found else None
