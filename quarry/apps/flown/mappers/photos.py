"""Photos that were read to the core's, and what is told of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
import shapely
from numpy.typing import NDArray

from quarry.apps.flown.fields import Column, PhotoColumns
from quarry.apps.flown.formats.handover import PhotoRow, SeenRow
from quarry.apps.flown.mappers.asking import Asked, Floats, Sorties, with_looks
from quarry.apps.flown.views import PhotoLineOut
from quarry.core.base.errors import CoreError
from quarry.core.covered.belongs import clock_words
from quarry.core.covered.flown import FlownSortie, Pictures
from quarry.core.covered.footprints import footprints
from quarry.core.covered.on_lines import NO_LINE
from quarry.core.covered.passes import NEAR_LINE_M, further_of
from quarry.core.covered.photos import (
    NoPhotos,
    Photos,
    clock_ahead_s,
    doubled,
    frames_of,
    on_no_line,
    photo_lines,
    together,
    warnings,
)
from quarry.core.covered.track import positions_known, track_of
from quarry.core.ground.mapping import ground_sample_m

_REACH = 0.75
_AROUND_S = 90.0
_NEAR_M = 1000.0


@dataclass(frozen=True, slots=True)
class PhotosRead:
    """Photos in the frame of a job, by the clock of the day, and what was found of them."""

    photos: Photos
    ahead_s: float
    report: list[str]


def _column(values: Column, n: int) -> Floats:
    return np.array([np.nan if v is None else v for v in values], dtype=np.float64) if values else np.full(n, np.nan)


def read_photos(columns: PhotoColumns, sorties: Sorties, zone: str) -> PhotosRead:
    """Return photos laid over a job: placed, by the clock of its day, and what was left out or is odd.

    Raises
    ------
    NoPhotos
        None has a position, or none lies near the job.
    """
    a, n = sorties.a, len(columns.names)
    report: list[str] = []
    order, t, xy = _placed(columns, a, zone, report)
    lon, lat = _column(columns.lon, n)[order], _column(columns.lat, n)[order]

    def of(values: Column) -> Floats:
        return np.asarray(_column(values, n)[order], dtype=np.float64)

    photos = Photos(
        t,
        xy,
        sorties.above_ground_m(lon, lat, of(columns.relative_m), of(columns.altitude_m)),
        of(columns.heading_deg),
        of(columns.pitch_deg) + 90.0,
        of(columns.roll_deg),
        of(columns.exposure_s),
        of(columns.iso),
        of(columns.f_number),
    )
    if not np.isfinite(of(columns.relative_m)).any():
        known = np.isfinite(of(columns.altitude_m)).any()
        how = "set so that their median is the planned height" if known else "taken as planned"
        report.append(f"The photos do not say how high above take-off they were taken: their heights are {how}.")
    ahead_s = _ahead_s(photos, a, report)
    photos = replace(photos, t_s=photos.t_s - ahead_s)
    if isinstance(a.rule, Pictures):
        report += _odd(photos, columns, a, a.rule)
    return PhotosRead(photos.at(~doubled(photos)), ahead_s, report)


def _placed(columns: PhotoColumns, a: Asked, zone: str, report: list[str]) -> tuple[NDArray[np.int64], Floats, Floats]:
    """Return which photos have a place and a time near the job, in order of time, with both."""
    n = len(columns.names)
    lon, lat, at = _column(columns.lon, n), _column(columns.lat, n), _column(columns.at, n)
    known = positions_known(lon, lat)
    if not known.any():
        raise NoPhotos(f"None of {n:,} photos holds a position. Geotag them first, or bring a CSV of their positions.", "photos")
    if not known.all():
        report.append(f"{int((~known).sum()):,} of {n:,} photos hold no position: left out.")
    timed = known & np.isfinite(at)
    if not timed.any():
        raise NoPhotos("No photo says when it was taken. Bring a CSV of positions with a column of times.", "photos")
    if timed.sum() < known.sum():
        report.append(f"{int(known.sum() - timed.sum()):,} photos do not say when they were taken: left out.")
    order = np.flatnonzero(timed)[np.argsort(at[timed], kind="stable")]
    t = at[order] - a.began_s - (_zone_s(float(at[order][0]), zone) if columns.clock == "local" else 0.0)
    xy = np.array(a.frame.to_metres(list(zip(lon[order], lat[order], strict=True))))
    ground = a.plan.ground
    away = shapely.distance(ground, shapely.points(xy))
    near = away <= _NEAR_M
    if not near.any():
        raise NoPhotos(
            f"The nearest of these photos was taken {away.min() / 1000:,.1f} km away: they are of another field.", "photos"
        )
    if not near.all():
        report.append(f"{int((~near).sum()):,} photos were taken farther than 1 km from the job: left out.")
    return order[near], t[near], xy[near]


def _ahead_s(photos: Photos, a: Asked, report: list[str]) -> float:
    """Return by how much the camera's clock is ahead of the flights', told. [s]"""
    tracks = [s.track for s in a.sorties if s.track is not None]
    ahead = clock_ahead_s(photos, tracks)
    if ahead is None and tracks:
        report.append("The camera's clock fits no flight by where its photos were taken: its times stand as they are.")
    elif words := clock_words(ahead or 0.0):
        report.append(words.replace("its clock", "The camera's clock", 1) + ".")
    return ahead or 0.0


def _odd(photos: Photos, columns: PhotoColumns, a: Asked, rule: Pictures) -> list[str]:
    """Return what is odd about the photos of a mapping job."""
    c, found = rule.camera, []
    sides = {columns.width_px, columns.height_px} - {None}
    if sides and sides != {c.image_w_px, c.image_h_px}:
        found.append(
            f"The photos are {columns.width_px} × {columns.height_px} px and the camera of the job takes "
            f"{c.image_w_px} × {c.image_h_px} px: choose the camera that took them."
        )
    heights = np.where(np.isfinite(photos.height_m) & (photos.height_m > 0), photos.height_m, rule.height_m)
    found += warnings(photos, np.array([ground_sample_m(h, c.sensor_w_mm, c.focal_mm, c.image_w_px) for h in heights]))
    stray = (
        on_no_line(photos, [*(x.way for x in a.plan.lines), *(x.way for x in a.further)], _REACH * a.plan.spacing_m)
        if a.plan.lines
        else 0
    )
    return [*found, f"{stray:,} photos lie on no line as planned."] if stray else found


def _zone_s(at_s: float, zone: str) -> float:
    offset = datetime.fromtimestamp(at_s, UTC).replace(tzinfo=ZoneInfo(zone)).utcoffset()
    return offset.total_seconds() if offset else 0.0


def with_photos(a: Asked, read: list[PhotosRead]) -> None:
    """Lay photos over the sorties during which they were taken: where they were taken counts, and no longer the lines.

    Where no sortie is known they make up one of their own.
    """
    planned_m = a.rule.height_m if isinstance(a.rule, Pictures) else 0.0
    if not read:
        return
    photos = together([r.photos for r in read])
    left = np.ones(len(photos), dtype=np.bool_)
    for k, s in enumerate(a.sorties):
        times = (
            [float(s.track.t_s[0]), float(s.track.t_s[-1])]
            if s.track is not None
            else [x for w in s.ways for x in (w.from_s, w.to_s)]
        )
        if not times:
            continue
        mine = left & (photos.t_s >= min(times) - _AROUND_S) & (photos.t_s <= max(times) + _AROUND_S)
        if not mine.any():
            continue
        left &= ~mine
        notes = [n for n in s.notes if "does not say when" not in n]
        frames = with_looks(a, frames_of(photos.at(mine), planned_m), np.isnan(photos.tilt_deg[mine]), notes)
        a.sorties[k] = replace(s, frames=frames, notes=(*notes, f"{int(mine.sum()):,} photos of it"))
    if left.sum() > 1:
        own = photos.at(left)
        name = "photos" if not a.sorties else "photos of no sortie"
        try:
            track, _ = track_of(own.t_s, own.xy, height_m=own.height_m)
        except CoreError as bad:
            a.left_out.append(f"{name}: {bad.message}")
            return
        said: list[str] = []
        frames = with_looks(a, frames_of(own, planned_m), np.isnan(own.tilt_deg), said)
        a.sorties.append(FlownSortie(name, "photos", track, frames=frames, notes=tuple(said)))


def rows_of(columns: PhotoColumns, ahead_s: float, zone: str) -> list[PhotoRow]:
    """Return photos with a position for handing over, their times by the clock of the flights."""
    n = len(columns.names)

    def of(values: Column) -> Column:
        return values or [None] * n

    off_s = ahead_s
    first = next((at for at in columns.at if at is not None), None)
    if columns.clock == "local" and first is not None:
        off_s += _zone_s(first, zone)
    parts = zip(
        columns.names,
        columns.at,
        columns.lon,
        columns.lat,
        of(columns.altitude_m),
        of(columns.relative_m),
        of(columns.heading_deg),
        of(columns.pitch_deg),
        of(columns.roll_deg),
        strict=True,
    )
    return [
        PhotoRow(name, None if at is None else at - off_s, lon, lat, *figures)
        for name, at, lon, lat, *figures in parts
        if lon is not None and lat is not None
    ]


def seen_of(a: Asked, read: list[PhotosRead]) -> list[SeenRow]:
    """Return what each photo sees on the ground, in degrees; of a job that is no mapping job nothing."""
    if not read or not isinstance(a.rule, Pictures):
        return []
    frames = frames_of(together([r.photos for r in read]), a.rule.height_m)
    shapes, blind = footprints(frames, a.rule.camera)
    times = np.delete(frames.t_s, blind) + a.began_s
    return [
        SeenRow(float(t), [(round(x, 7), round(y, 7)) for x, y in a.frame.to_degrees(list(shape.exterior.coords))])
        for t, shape in zip(times.tolist(), shapes, strict=True)
    ]


def lines_of(a: Asked, read: list[PhotosRead]) -> list[PhotoLineOut]:
    """Return planned against taken for each line, those of further passes by the name of their pass."""
    rule = a.rule
    if not read or not isinstance(rule, Pictures):
        return []
    everything = together([r.photos for r in read])
    further = further_of(everything.xy, a.further, [x.way for x in a.plan.lines])
    lines = [(x.sortie, x.number, x.way) for x in a.plan.lines]
    found = list(photo_lines(everything.at(further == NO_LINE), lines, rule.trigger_m, _REACH * a.plan.spacing_m))
    for name in dict.fromkeys(x.name for x in a.further):
        mine = [k for k, x in enumerate(a.further) if x.name == name]
        ways = [(name, number, a.further[k].way) for number, k in enumerate(mine, start=1)]
        found += photo_lines(everything.at(np.isin(further, mine)), ways, a.further[mine[0]].trigger_m, NEAR_LINE_M)
    return [PhotoLineOut(x.sortie, x.number, x.wanted, x.taken, round(x.widest_m, 1), x.doubled) for x in found]
