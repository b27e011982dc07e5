"""The hours of a day as seconds since midnight, and its windows as seconds from its opening."""

from __future__ import annotations

import re
from dataclasses import dataclass

from quarry.core.base.errors import MissingInput

Windows = tuple[tuple[float, float], ...]
_CLOCK = re.compile(r"([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d)(?:\.\d+)?)?")


def seconds_of(clock: str, field: str) -> float:
    """Return seconds since midnight of a time of day as 10:00 or 10:00:30.

    Raises
    ------
    MissingInput
        It is no time of day; at ``field``.
    """
    found = _CLOCK.fullmatch(clock)
    if found is None:
        raise MissingInput(f"{clock} is not a time of day. Write it as 10:00.", field)
    hours, minutes, seconds = (int(part or 0) for part in found.groups())
    return hours * 3600.0 + minutes * 60.0 + seconds


def clock_of(at_s: float) -> str:
    """Return seconds since midnight as a time of day."""
    minutes = round(at_s) // 60 % (24 * 60)
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


@dataclass(frozen=True, slots=True)
class DayHours:
    """When a day opens and closes, and its breaks, in seconds since the midnight before it opens.

    They run on past midnight, and true where clocks change on the way: ``jumps`` says from when after the opening clocks
    are ahead by how much. [s]
    """

    opens_s: float
    closes_s: float
    pauses: Windows = ()
    jumps: tuple[tuple[float, float], ...] = ()

    def clock(self, at_s: float) -> str:
        """Return a time from the day's opening as a time of day."""
        return clock_of(self.opens_s + at_s + sum(by_s for from_s, by_s in self.jumps if at_s >= from_s))

    def jumps_words(self) -> list[str]:
        """Return which way clocks are changed while the day is open, and when."""
        return [
            f"Clocks go {'forward' if by_s > 0 else 'back'} by {abs(by_s) / 3600:g} h at {clock_of(self.opens_s + from_s)}: "
            "all times are as clocks show them then."
            for from_s, by_s in self.jumps
            if from_s < self.closes_s - self.opens_s
        ]

    def windows(self) -> Windows:
        """Return the spans between breaks, in seconds from the opening."""
        length = self.closes_s - self.opens_s
        spans, at = [], 0.0
        for begins, ends in sorted(self.pauses):
            a, b = begins - self.opens_s, ends - self.opens_s
            if min(a, length) > at:
                spans.append((at, min(a, length)))
            at = max(at, b)
        if length > at:
            spans.append((at, length))
        return tuple(spans)
