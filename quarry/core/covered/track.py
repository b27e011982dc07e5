"""Where an aircraft truly was: its record put in order, short dropouts bridged, long ones left open; nothing is guessed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quarry.core.base.errors import CoreError, MissingInput

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]
_NOWHERE_DEG = 1e-6  # a receiver without a fix often says 0, 0
_FASTEST_M_S = 60.0  # faster than any aircraft that works: the position jumped


class NoTrack(CoreError):
    """A record from which no track can be made."""

    code = "missing"


@dataclass(frozen=True, slots=True)
class LeftOut:
    """What of a record was left out and why, as counts of samples; said where the track is shown."""

    no_position: int = 0
    same_time: int = 0
    jumped: int = 0
    out_of_order: int = 0

    def words(self) -> list[str]:
        """Return what was left out, one sentence each."""
        counts = (
            (self.no_position, "without a position or at 0, 0"),
            (self.same_time, "at a time that was there already"),
            (self.jumped, f"farther from both neighbours than {_FASTEST_M_S:.0f} m/s allow"),
        )
        found = [f"{n:,} sample{'' if n == 1 else 's'} {why}: left out." for n, why in counts if n]
        if self.out_of_order:
            found.append(f"{self.out_of_order:,} samples came out of order and were put in order of time.")
        return found


@dataclass(frozen=True, slots=True)
class Dropout:
    """A while without a position: when, between which places, and whether it was short enough to be bridged by a straight line."""

    from_s: float
    to_s: float
    from_xy: tuple[float, float]
    to_xy: tuple[float, float]
    bridged: bool


@dataclass(frozen=True, slots=True)
class Track:
    """A flown track, one array for each figure, in order of time.

    ``t_s`` [s]; ``xy`` of shape (n, 2), metres east and north of the frame; ``height_m`` above the ground, NaN where it is not
    known; ``working``: nozzles open, or pictures taken, from this sample on.
    """

    t_s: Floats
    xy: Floats
    height_m: Floats
    working: Flags

    def __len__(self) -> int:
        return int(self.t_s.size)


def positions_known(lon_deg: Floats, lat_deg: Floats) -> Flags:
    """Return where a record holds a position: finite, on the globe, and not the 0, 0 of a receiver without a fix."""
    there = np.isfinite(lon_deg) & np.isfinite(lat_deg) & (np.abs(lon_deg) <= 180.0) & (np.abs(lat_deg) <= 90.0)
    return there & ~((np.abs(lon_deg) < _NOWHERE_DEG) & (np.abs(lat_deg) < _NOWHERE_DEG))


def track_of(
    t_s: Floats, xy: Floats, *, height_m: Floats | None = None, working: Flags | None = None, known: Flags | None = None
) -> tuple[Track, LeftOut]:
    """Return a track of a record's columns, and what was left out.

    Parameters
    ----------
    t_s : array of shape (n,)
        Seconds; any order.
    xy : array of shape (n, 2)
        Metres in one frame; NaN where there is no position.
    height_m, working, known : arrays of shape (n,), optional
        Height above the ground; whether it works (all the time, where the record does not say); where a position is known.

    Raises
    ------
    NoTrack
        Fewer than two samples hold a position.
    """
    n = t_s.size
    height = np.full(n, np.nan) if height_m is None else np.asarray(height_m, dtype=np.float64)
    on = np.ones(n, dtype=np.bool_) if working is None else np.asarray(working, dtype=np.bool_)
    there = np.isfinite(t_s) & np.isfinite(xy).all(axis=1)
    if known is not None:
        there &= known
    no_position = int(n - there.sum())
    t, p, height, on = t_s[there], xy[there], height[there], on[there]
    out_of_order = int((np.diff(t) < 0).sum())
    order = np.argsort(t, kind="stable")
    t, p, height, on = t[order], p[order], height[order], on[order]
    first = np.concatenate(([True], np.diff(t) > 0)) if t.size else np.zeros(0, dtype=np.bool_)
    same_time = int((~first).sum())
    t, p, height, on = t[first], p[first], height[first], on[first]
    stays = ~_jumped(t, p)
    jumped = int((~stays).sum())
    if stays.sum() < 2:
        raise NoTrack(
            f"Of {n:,} samples {int(stays.sum())} hold a position: a track needs two. Check the columns of longitude and latitude.",
            "track",
        )
    left_out = LeftOut(no_position, same_time, jumped, out_of_order)
    return Track(t[stays], p[stays], height[stays], on[stays]), left_out


def _jumped(t_s: Floats, xy: Floats) -> Flags:
    """Return the samples that lie too far from both neighbours, while these are near one another."""
    found = np.zeros(t_s.size, dtype=np.bool_)
    if t_s.size < 3:
        return found
    step = np.hypot(*np.diff(xy, axis=0).T) / np.diff(t_s)
    over = np.hypot(*(xy[2:] - xy[:-2]).T) / (t_s[2:] - t_s[:-2])
    found[1:-1] = (step[:-1] > _FASTEST_M_S) & (step[1:] > _FASTEST_M_S) & (over <= _FASTEST_M_S)
    return found


def dropouts(track: Track, usual_s: float, most_s: float) -> list[Dropout]:
    """Return where a track has no sample for longer than is usual; those up to ``most_s`` are bridged.

    Raises
    ------
    MissingInput
        The limit is shorter than what is usual.
    """
    if most_s < usual_s:
        raise MissingInput("A dropout is bridged up to a time that is longer than the usual step of the record.", "most_s")
    gaps = np.flatnonzero(np.diff(track.t_s) > usual_s)
    return [
        Dropout(
            float(track.t_s[k]),
            float(track.t_s[k + 1]),
            (float(track.xy[k, 0]), float(track.xy[k, 1])),
            (float(track.xy[k + 1, 0]), float(track.xy[k + 1, 1])),
            bool(track.t_s[k + 1] - track.t_s[k] <= most_s),
        )
        for k in gaps
    ]


def usual_step_s(track: Track) -> float:
    """Return the step beyond which a sample is missing: three times the median, at least a second. [s]"""
    return max(1.0, 3.0 * float(np.median(np.diff(track.t_s))))
