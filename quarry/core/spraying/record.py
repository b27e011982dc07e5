"""The record of a spraying: when the weather is to be measured, and what a record lacks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

EARLY_S, LATE_S = 900.0, 900.0  # a measurement counts for a moment this long before and after it
EVERY_S = 3600.0
MeasureKind = Literal["start", "hour", "end"]
_WORDS: dict[str, str] = {"start": "at the start", "hour": "each hour", "end": "at the end"}


@dataclass(frozen=True, slots=True)
class Measure:
    """What was measured at a moment; None was not read. [s, m/s, °, °C]"""

    at_s: float
    wind_m_s: float | None = None
    gust_m_s: float | None = None
    from_deg: float | None = None
    air_c: float | None = None
    humidity_frac: float | None = None
    who: str = ""

    @property
    def lacks(self) -> list[str]:
        """What a record needs and this does not have, in words."""
        needed = {
            "wind": self.wind_m_s,
            "its direction": self.from_deg,
            "temperature": self.air_c,
            "humidity": self.humidity_frac,
        }
        return [words for words, value in needed.items() if value is None]


@dataclass(frozen=True, slots=True)
class MeasureDue:
    """A moment at which the weather is to be measured; ``taken``: what was, None while nothing was; ``due``: it may be taken now."""

    kind: MeasureKind
    at_s: float
    taken: Measure | None
    due: bool
    missed: bool

    @property
    def words(self) -> str:
        """When, in words."""
        return _WORDS[self.kind]


def measures_due(
    spans: Sequence[tuple[float, float | None]], finished: bool, measures: Sequence[Measure], now_s: float
) -> list[MeasureDue]:
    """Return when the weather of a spraying is to be measured: at its start, each hour of it, at its end.

    After a pause of more than an hour it begins anew.

    Parameters
    ----------
    spans : sequence of (take-off, landing)
        Of the sorties that have flown, landing None while one is in the air. [s]
    finished : bool
        Whether no sortie of it is to come.
    """
    spells: list[tuple[float, float | None]] = []
    for a, b in sorted(spans, key=lambda s: s[0]):
        before = spells[-1][1] if spells else None
        if not spells or (before is not None and a > before + EVERY_S):
            spells.append((a, b))
        else:
            spells[-1] = (spells[-1][0], None if b is None or before is None else max(before, b))
    moments: list[tuple[MeasureKind, float]] = []
    for k, (begins, ends) in enumerate(spells):
        moments.append(("start", begins))
        over = ends is not None and (k + 1 < len(spells) or finished or now_s > ends + EVERY_S)
        until = ends if ends is not None and over else now_s
        hour = begins + EVERY_S
        # What of an hour is left before the end belongs to the end.
        while hour <= (until - LATE_S if over else until):
            moments.append(("hour", hour))
            hour += EVERY_S
        if ends is not None and over:
            moments.append(("end", ends))
    found, used = [], set[float]()
    for kind, at in moments:
        near = [m for m in measures if -EARLY_S <= m.at_s - at <= LATE_S]
        # One measurement may stand for start and end of a short job; of several the fullest counts, then the nearest.
        best = min(near, key=lambda m: (len(m.lacks), m.at_s in used, abs(m.at_s - at)), default=None)
        if best is not None:
            used.add(best.at_s)
        open_now = best is None and at - EARLY_S <= now_s <= at + LATE_S
        found.append(MeasureDue(kind, at, best, open_now, best is None and now_s > at + LATE_S))
    return found


ASKED: tuple[tuple[str, str], ...] = (
    ("crop", "Crop"),
    ("operator", "Operator"),
    ("licence", "Licence of the operator"),
    ("nozzle", "Nozzle"),
    ("pressure_bar", "Pressure"),
    ("height_m", "Height above the crop"),
)


def record_lacks(
    entered: Mapping[str, object], unbatched: Sequence[str], no_product: bool, due: Sequence[MeasureDue]
) -> list[str]:
    """Return what a record lacks, each in words that say what to do.

    Parameters
    ----------
    entered : mapping
        What stands in the record by the keys of `ASKED`.
    unbatched : sequence of str
        Products whose batch is not entered.
    """
    found = [f"{words}: not entered." for key, words in ASKED if entered.get(key) in (None, "")]
    if no_product:
        found.insert(0, "Product: the job has no mix. Enter what was sprayed.")
    found += [f"Batch of {name}: not entered." for name in unbatched]
    for d in due:
        if d.taken is None:
            found.append(f"Weather {d.words}: not measured.")
        elif d.taken.lacks:
            found.append(f"Weather {d.words}: {', '.join(d.taken.lacks)} not measured.")
    return found
