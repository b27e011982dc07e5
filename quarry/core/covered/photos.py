"""Photos against the plan: their clock found, doubled and missing ones told, exposure and blur looked at."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import LineString

from quarry.core.base.errors import CoreError
from quarry.core.covered.footprints import Frames
from quarry.core.covered.on_lines import NO_LINE, nearest_line
from quarry.core.covered.track import Flags, Floats, Track
from quarry.core.ground.mapping import blur_px

_SAME_S, _SAME_M = 0.35, 0.5
_NEAR_M = 6.0  # of a track: a photo so near was taken there
_LEAST_MATCHED = 5
_STOPS = 1.5
_AROUND = 15
_WANTED_PX = 0.5


class NoPhotos(CoreError):
    """Photos of which none can be placed."""

    code = "missing"


@dataclass(frozen=True, slots=True)
class Photos:
    """Photos in order of time, one array for each figure; NaN where nothing is known.

    ``t_s`` by the camera's clock; ``xy`` metres in the frame of the job; ``height_m`` above the ground; ``heading_deg`` of
    the top of the picture; ``tilt_deg``: 0 looks straight down; ``exposure_s``, ``iso`` and ``f_number`` as the camera set them.
    """

    t_s: Floats
    xy: Floats
    height_m: Floats
    heading_deg: Floats
    tilt_deg: Floats
    roll_deg: Floats
    exposure_s: Floats
    iso: Floats
    f_number: Floats

    def __len__(self) -> int:
        return int(self.t_s.size)

    def at(self, keep: Flags) -> Photos:
        """Return those that are marked."""
        return Photos(*(getattr(self, name)[keep] for name in self.__slots__))


@dataclass(frozen=True, slots=True)
class PhotoLine:
    """Photos of one planned line: as many as were wanted and taken, the widest step between two, and those taken twice."""

    sortie: str
    number: int
    wanted: int
    taken: int
    widest_m: float
    doubled: int


def clock_ahead_s(photos: Photos, tracks: Sequence[Track]) -> float | None:
    """Return by how much the camera's clock is ahead of the tracks', found by where the photos were taken; None where none fits. [s]

    Each photo says by how much, against the sample nearest to its place; what most of them agree on holds.
    """
    xy = np.concatenate([t.xy for t in tracks]) if tracks else np.zeros((0, 2))
    times = np.concatenate([t.t_s for t in tracks]) if tracks else np.zeros(0)
    placed = np.isfinite(photos.xy).all(axis=1) & np.isfinite(photos.t_s)
    if not len(xy) or not placed.any():
        return None
    pairs = shapely.STRtree(shapely.points(xy)).query_nearest(
        shapely.points(photos.xy[placed]), max_distance=_NEAR_M, all_matches=False
    )
    if pairs.shape[1] < _LEAST_MATCHED:
        return None
    ahead = np.sort(photos.t_s[placed][pairs[0]] - times[pairs[1]])
    window = 2.0
    ends = np.searchsorted(ahead, ahead + window, side="right")
    best = int(np.argmax(ends - np.arange(ahead.size)))
    members = ahead[best : ends[best]]
    return float(np.median(members)) if members.size >= max(_LEAST_MATCHED, 0.3 * ahead.size) else None


def together(sets: Sequence[Photos]) -> Photos:
    """Return several sets of photos as one, in order of time, each photo once."""
    every = Photos(*(np.concatenate([getattr(p, name) for p in sets]) for name in Photos.__slots__))
    order = np.argsort(every.t_s, kind="stable")
    sorted_ = Photos(*(getattr(every, name)[order] for name in Photos.__slots__))
    return sorted_.at(~doubled(sorted_))


def doubled(photos: Photos) -> Flags:
    """Return the photos that were taken where and when the one before was: a second file of one, or a shutter that bounced."""
    found = np.zeros(len(photos), dtype=np.bool_)
    if len(photos) > 1:
        apart = np.hypot(*np.diff(photos.xy, axis=0).T)
        found[1:] = (np.diff(photos.t_s) < _SAME_S) & (apart < _SAME_M)
    return found


def photo_lines(
    photos: Photos, lines: Sequence[tuple[str, int, LineString]], trigger_m: float, reach_m: float
) -> tuple[PhotoLine, ...]:
    """Return planned against taken for each line; a photo counts for the nearest line within reach."""
    near = nearest_line(photos.xy, [line for _, _, line in lines], reach_m)
    twice = doubled(photos)
    found = []
    for k, (sortie, number, line) in enumerate(lines):
        mine = np.flatnonzero(near == k)
        at = np.sort(shapely.line_locate_point(line, shapely.points(photos.xy[mine[~twice[mine]]]))) if mine.size else np.zeros(0)
        steps = np.diff(np.concatenate(([0.0], at, [line.length]))) if at.size else np.array([line.length])
        wanted = math.ceil(line.length / trigger_m - 1e-9) + 1
        found.append(
            PhotoLine(sortie, number, wanted, int(at.size), float(steps.max()), int(twice[mine].sum()) if mine.size else 0)
        )
    return tuple(found)


def on_no_line(photos: Photos, lines: Sequence[LineString], reach_m: float) -> int:
    """Return how many photos lie on no line."""
    return int((nearest_line(photos.xy, list(lines), reach_m) == NO_LINE).sum())


def exposure_jumps(photos: Photos) -> Floats:
    """Return for each photo by how many stops its exposure lies from its neighbours', + brighter; NaN where the camera does not say.

    Sudden are those beyond a stop and a half: a cloud, a wrong meter, or a frame of the sky.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        stops = np.log2(photos.exposure_s * photos.iso / photos.f_number**2)
    found = np.full(len(photos), np.nan)
    for k in np.flatnonzero(np.isfinite(stops)):
        around = stops[max(0, k - _AROUND) : k + _AROUND + 1]
        found[k] = stops[k] - float(np.nanmedian(around))
    return found


def blurs_px(photos: Photos, ground_sample_m: Floats) -> Floats:
    """Return the motion blur of each photo by its exposure and the speed between its neighbours. [px]"""
    n = len(photos)
    if n < 2:
        return np.full(n, np.nan)
    steps, spans = np.hypot(*np.diff(photos.xy, axis=0).T), np.diff(photos.t_s)
    with np.errstate(divide="ignore", invalid="ignore"):
        speeds = np.where((spans > 0) & (spans < 20.0), steps / spans, np.nan)
    speed = np.fmax(np.append(speeds, np.nan), np.insert(speeds, 0, np.nan))
    return np.array(
        [blur_px(v, e, g) if g > 0 else math.nan for v, e, g in zip(speed, photos.exposure_s, ground_sample_m, strict=True)]
    )


def warnings(photos: Photos, ground_sample_m: Floats) -> list[str]:
    """Return in words what is odd about photos: doubled ones, sudden exposures, blur."""
    found = []
    twice = int(doubled(photos).sum())
    if twice:
        found.append(f"{twice} photo{'' if twice == 1 else 's'} taken where and when the one before was: counted once.")
    jumps = exposure_jumps(photos)
    sudden = np.flatnonzero(np.abs(np.nan_to_num(jumps)) > _STOPS)
    if sudden.size:
        worst = float(jumps[sudden[np.argmax(np.abs(jumps[sudden]))]])
        found.append(
            f"{sudden.size} photos exposed suddenly otherwise than those around them, by {worst:+.1f} stops at the most."
        )
    blurs = blurs_px(photos, ground_sample_m)
    blurred = np.flatnonzero(np.nan_to_num(blurs) > _WANTED_PX)
    if blurred.size:
        found.append(
            f"{blurred.size} of {len(photos)} photos are blurred by more than {_WANTED_PX:g} px by their exposure and speed, "
            f"{np.nanmax(blurs):.1f} px at the most."
        )
    return found


def frames_of(photos: Photos, planned_m: float) -> Frames:
    """Return photos as frames: where height, heading or tilt are not known, the planned height, the course, and straight down."""
    course = np.degrees(np.arctan2(*np.gradient(photos.xy, axis=0).T)) if len(photos) > 1 else np.zeros(len(photos))
    return Frames(
        photos.t_s,
        photos.xy,
        np.where(np.isfinite(photos.height_m) & (photos.height_m > 0), photos.height_m, planned_m),
        np.where(np.isfinite(photos.heading_deg), photos.heading_deg, course),
        np.nan_to_num(photos.tilt_deg),
        np.nan_to_num(photos.roll_deg),
    )
