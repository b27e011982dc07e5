"""Where a sortie that came home early goes on: the point on its lines, and the way there from home."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from quarry.core.dayplan.inputs import Route
from quarry.core.ground.geodesy import azimuth_deg, distance_m


@dataclass(frozen=True, slots=True)
class Resume:
    """The point to go on from: line by number from one and how far along it [m], place [°], way from home [°, m]."""

    line: int
    lines: int
    along_m: float
    lon_deg: float
    lat_deg: float
    bearing_deg: float
    from_home_m: float

    def words(self) -> str:
        """Return it in one line, as a crew reads it out."""
        return (
            f"line {self.line} of {self.lines}, {self.along_m:.0f} m in; enter from home at {self.bearing_deg:03.0f}° "
            f"over {self.from_home_m:.0f} m; {self.lat_deg:.5f}, {self.lon_deg:.5f}"
        )


def resume_at(route: Route, done_frac: float) -> Resume | None:
    """Return the point after a share of the lines' length; None where nothing is left or no lines are known.

    ``done_frac`` counts work on lines alone, not the way out. [0 to 1]
    """
    spans = [(place, a, b, distance_m(*a, *b)) for place, line in enumerate(route.lines) for a, b in pairwise(line)]
    total = sum(s[3] for s in spans)
    if total <= 0.0 or done_frac >= 1.0:
        return None
    left = max(0.0, done_frac) * total
    along: dict[int, float] = {}
    for place, a, b, length in spans:
        if left < length:
            share = left / length
            lon, lat = a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share
            return Resume(
                place + 1,
                len(route.lines),
                along.get(place, 0.0) + left,
                lon,
                lat,
                azimuth_deg(*route.home, lon, lat),
                distance_m(*route.home, lon, lat),
            )
        left -= length
        along[place] = along.get(place, 0.0) + length
    return None
