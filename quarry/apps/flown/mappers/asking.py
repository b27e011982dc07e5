"""What the core is asked: the ground as planned, and each sortie from the best that is known of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely import LineString

from quarry.apps.day.mappers import FlownOfJob, SortieOfJob
from quarry.apps.fleet.mappers import camera_record
from quarry.apps.fleet.models import Camera
from quarry.apps.jobs.fields import JobFields, MappingWork, SprayingWork
from quarry.apps.jobs.mappers import ground_of, terrain_grid
from quarry.apps.jobs.mappers.work import outline_of
from quarry.apps.jobs.models import Terrain
from quarry.apps.jobs.views import JobPlan
from quarry.core.base.errors import CoreError, MissingInput
from quarry.core.covered.belongs import belongs_to, clock_off_s, clock_words
from quarry.core.covered.flown import FlownSortie, GroundPlan, Pictures, PlannedLine, Rule, Swath, Sweep
from quarry.core.covered.footprints import Frames
from quarry.core.covered.landings import pictures_at, sprays_at, told_ways
from quarry.core.covered.passes import FurtherLine, flown_shares, lies_on, looked
from quarry.core.covered.settings import CoveredPolicy
from quarry.core.covered.track import dropouts, positions_known, track_of, usual_step_s
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.ground.mapping import MappingTask, mapping_figures
from quarry.core.ground.terrain import TerrainGrid
from quarry.core.logs.reading import Log

Floats = NDArray[np.float64]
PlacesTold = Sequence[tuple[float, float, float, float | None, bool | None]]
_DOWN_DEG = 90.0
_THIN = 0.5  # of a flight that telemetry leaves open, so that a log is the better source


@dataclass(frozen=True, slots=True)
class FlightLog:
    """A flight of the logbook with its samples: from when, and its name on screens."""

    name: str
    began_s: float | None
    log: Log
    sortie: str = ""


@dataclass(frozen=True, slots=True)
class Wind:
    """The wind that drifts what is sprayed, and where it is from."""

    speed_m_s: float
    from_deg: float
    words: str


@dataclass(slots=True)
class Asked:
    """What the core is asked, with what was left out on the way and why; times are seconds from ``began_s``, a timestamp."""

    frame: LocalFrame
    plan: GroundPlan
    rule: Rule
    began_s: float
    sorties: list[FlownSortie] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    further: tuple[FurtherLine, ...] = ()


def further_lines(plan: JobPlan | None, frame: LocalFrame) -> tuple[tuple[FurtherLine, ...], tuple[LineString, ...]]:
    """Return the lines of a plan's further passes, and those over the ground."""
    if plan is None or not plan.passes:
        return (), ()
    passes, looks = {p.part: p for p in plan.passes}, {x.number - 1: x for x in plan.lines}
    further, own = [], []
    for s in plan.sorties:
        for number, (a, b) in zip((leg.line for leg in s.legs if leg.line >= 0), s.worked, strict=True):
            if a == b:
                continue
            way, look = LineString(frame.to_metres([a, b])), looks[number]
            if look.part:
                round_it = look.toward is not None or look.heading_deg is not None
                p = passes[look.part]
                further.append(FurtherLine(p.name, way, p.trigger_m, look.tilt_deg, round_it))
            else:
                own.append(way)
    return tuple(further), tuple(own)


def plan_lines(plan: JobPlan | None, letter: str, days: Sequence[FlownOfJob]) -> dict[str, list[tuple[tuple[float, float], ...]]]:
    """Return the lines of each sortie in degrees: as they were planned on the newest day, else as the job is planned now."""
    if days:
        found = {name: list(route.lines) for day in reversed(days) for name, route in day.routes.items()}
        if any(found.values()):
            return found
    if plan is None:
        return {}
    return {f"{letter}{s.number}": [tuple(stretch) for stretch in s.worked] for s in plan.sorties}


def rule_of(f: JobFields, camera: Camera | None, wind: Wind, policy: CoveredPolicy) -> tuple[Rule, float]:
    """Return how what was flown covers ground, and how far apart lines lie. [m]

    Raises `MissingInput` at the camera of a mapping job that has none.
    """
    w = f.work
    if isinstance(w, MappingWork):
        if camera is None:
            raise MissingInput("Choose the camera of the job: what a picture sees follows from it.", "camera_id")
        figures = mapping_figures(
            MappingTask(camera_record(camera), w.height_m, w.side_overlap_frac, w.forward_overlap_frac, w.speed_m_s, w.exposure_s)
        )
        rule = Pictures(camera_record(camera), figures.trigger_m, w.forward_overlap_frac, w.side_overlap_frac, w.height_m)
        return rule, figures.spacing_m
    if isinstance(w, SprayingWork):
        swath = Swath(w.swath_m, w.height_m, policy.fall_m_s, w.rate_l_ha, wind.speed_m_s, wind.from_deg)
        return swath, w.swath_m
    return Sweep(w.sweep_width_m, w.law), w.sweep_width_m / w.coverage


def asked(
    f: JobFields,
    lines: dict[str, list[tuple[tuple[float, float], ...]]],
    rule: Rule,
    spacing_m: float,
    began: datetime,
    plan: JobPlan | None = None,
) -> Asked:
    """Return the ground as it was planned, with no sortie yet; lines of further passes stand apart, for they need not cover it."""
    ground = ground_of(f)
    frame = ground.frame
    fields = tuple(
        (a.name or f"area {k}", outline_of(frame, a).intersection(ground.area.worked)) for k, a in enumerate(f.taken, start=1)
    )
    planned = tuple(
        PlannedLine(k, sortie, LineString(frame.to_metres(line)))
        for sortie, of in lines.items()
        for k, line in enumerate(of, start=1)
        if len(line) > 1 and line[0] != line[-1]
    )
    further, own = further_lines(plan, frame)
    if further:
        apart = [x.way for x in further]
        planned = tuple(x for x in planned if lies_on(x.way, own) or not lies_on(x.way, apart))
    rates = {
        name: a.rate_l_ha
        for a, (name, _) in zip(f.taken, fields, strict=True)
        if f.kind == "spraying" and a.rate_l_ha is not None
    }
    return Asked(
        frame, GroundPlan(fields, ground.area.forbidden, planned, spacing_m, rates), rule, began.timestamp(), further=further
    )


@dataclass(frozen=True, slots=True)
class _Record:
    """Samples of a flight, by telemetry or a log: where it was, and what it says of its work; ``pitch`` of the camera, −90 down. [°, m]"""

    lon: Floats
    lat: Floats
    height: Floats | None
    working: NDArray[np.bool_] | None
    flow: Floats | None = None
    count: Floats | None = None
    pitch: Floats | None = None


class Sorties:
    """Puts sorties as flown together, each from the best source there is."""

    def __init__(self, a: Asked, f: JobFields, terrain: Terrain | None, policy: CoveredPolicy) -> None:
        self.a, self.f, self.policy = a, f, policy
        self.grid: TerrainGrid | None = terrain_grid(terrain) if terrain is not None else None
        self.home_m = self.grid.height_m(*f.home) if self.grid is not None and f.home else None
        self.pictures = isinstance(a.rule, Pictures)

    def add(self, s: SortieOfJob, places: PlacesTold, logs: Sequence[FlightLog]) -> None:
        """Add a sortie that landed: by telemetry, else by its log, else by what was told of its landing."""
        takes_s = (s.landed_at - s.took_off_at).total_seconds()
        tried = [self._telemetry(s, places)] if len(places) > 1 else []
        tried += [self._log(s.sortie, log, s.took_off_at.timestamp()) for log in logs]
        usable = [t for t in tried if t is not None]
        best = next((t for t in usable if self._open_s(t, takes_s) < _THIN * takes_s), None)
        if best is not None and best is not usable[0]:
            note = f"telemetry leaves {self._open_s(usable[0], takes_s):.0f} s open: the log was taken"
            best = replace(best, notes=(note, *best.notes))
        self.a.sorties.append(best or self._landing(s, any_source=bool(usable)))

    def add_log(self, log: FlightLog) -> None:
        """Add a flight of the logbook that belongs to no sortie of a day."""
        found = self._log(log.name, log, None)
        if found is not None:
            self.a.sorties.append(found)

    def _open_s(self, f: FlownSortie, takes_s: float) -> float:
        """Return how long of a flight is not known from a source. [s]"""
        if f.track is None:
            return takes_s
        lost = sum(d.to_s - d.from_s for d in dropouts(f.track, usual_step_s(f.track), max(self.policy.bridged_s, 1e3)))
        return max(0.0, takes_s - float(f.track.t_s[-1] - f.track.t_s[0])) + lost

    def _telemetry(self, s: SortieOfJob, places: PlacesTold) -> FlownSortie | None:
        t = np.array([p[0] for p in places]) - self.a.began_s
        lon, lat = np.array([p[1] for p in places]), np.array([p[2] for p in places])
        height = np.array([np.nan if p[3] is None else p[3] for p in places])
        says = any(p[4] is not None for p in places)
        working = np.array([bool(p[4]) for p in places]) if says else None
        return self._tracked(s.sortie, "telemetry", t, _Record(lon, lat, height, working))

    def _log(self, name: str, log: FlightLog, took_off_s: float | None) -> FlownSortie | None:
        n = log.log.numbers
        lon, lat = n.get("lon_deg"), n.get("lat_deg")
        if lon is None or lat is None:
            self.a.left_out.append(f"{log.name}: the log holds no positions, so it shows nothing of the ground.")
            return None
        notes: list[str] = []
        began = log.began_s
        if took_off_s is not None and began is not None:
            off = clock_off_s(began, took_off_s)
            words = clock_words(off)
            notes += [words] if words else []
            began = took_off_s
        if began is None:
            began = took_off_s if took_off_s is not None else self.a.began_s
            notes.append("the log has no clock: its times count from the take-off that was told")
        t = log.log.time_s + began - self.a.began_s
        flow = n.get("flow_l_min")
        working = None if self.pictures else sprays_at(n.get("sprays"), flow)
        record = _Record(lon, lat, n.get("height_m"), working, flow, n.get("photos"), n.get("camera_pitch_deg"))
        found = self._tracked(name, "log", t, record)
        return None if found is None else replace(found, notes=(*notes, *found.notes))

    def _tracked(self, name: str, source: Any, t: Floats, r: _Record) -> FlownSortie | None:
        lon, lat, working = r.lon, r.lat, r.working
        known = positions_known(lon, lat)
        xy = np.full((t.size, 2), np.nan)
        if known.any():
            xy[known] = self.a.frame.to_metres(list(zip(lon[known], lat[known], strict=True)))
        notes: list[str] = []
        above = self._above_ground(lon, lat, known, r.height, notes)
        try:
            track, left_out = track_of(t, xy, height_m=above, working=working, known=known)
        except CoreError as bad:
            self.a.left_out.append(f"{name}: {bad.message}")
            return None
        where = belongs_to(track, self.a.plan.ground)
        if not where.here:
            self.a.left_out.append(f"{name}: {where.words()}.")
            return None
        notes += left_out.words()
        lost = [d for d in dropouts(track, usual_step_s(track), self.policy.bridged_s) if not d.bridged]
        if lost:
            notes.append(
                f"{len(lost)} dropout{'' if len(lost) == 1 else 's'} of more than {self.policy.bridged_s:g} s, "
                f"{sum(d.to_s - d.from_s for d in lost):.0f} s in all: where it was then is not known"
            )
        if working is None:
            what = {True: "takes pictures", False: "works"}[self.pictures]
            notes.append(f"the record does not say when it {what}: it is taken to do so on lines")
        at = (
            np.flatnonzero(pictures_at(r.count) & known) if self.pictures and r.count is not None else np.zeros(0, dtype=np.int64)
        )
        frames = None
        if at.size:
            tilt = np.full(at.size, np.nan) if r.pitch is None else r.pitch[at] + _DOWN_DEG
            frames = frames_at(t, xy, above, at, self._planned_m(), tilt)
            frames = with_looks(self.a, frames, np.isnan(tilt), notes)
        if self.pictures:
            if frames is not None:
                notes = [n for n in notes if "does not say when" not in n]
            if frames is None or r.pitch is None or np.isnan(r.pitch).any():
                looks = "as planned" if self.a.further else "straight down"
                notes.append(f"how the camera looked is not recorded: it is taken to look {looks}")
        flows = np.interp(track.t_s, t, np.nan_to_num(r.flow)) if r.flow is not None else None
        return FlownSortie(name, source, track, working is not None, flows, frames=frames, notes=tuple(notes))

    def above_ground_m(self, lon: Floats, lat: Floats, relative_m: Floats, altitude_m: Floats) -> Floats:
        """Return heights above the ground, from those above take-off; NaN where they are not known.

        Heights above the sea tell only how they change: a receiver's may be off by tens of metres, the same all day. They are
        set so that their median is the planned height, and that is said by whoever asks.
        """
        ground = self.grid.heights_at_m(lon, lat) if self.grid is not None else np.full(lon.size, np.nan)
        home = self.home_m if self.home_m is not None else np.nan
        over_home = np.where(np.isfinite(ground) & np.isfinite(home), relative_m + home - ground, relative_m)
        over_sea = altitude_m - np.where(np.isfinite(ground), ground, np.nanmean(ground) if np.isfinite(ground).any() else 0.0)
        shifted = over_sea + (self._planned_m() - np.nanmedian(over_sea)) if np.isfinite(over_sea).any() else over_sea
        return np.asarray(np.where(np.isfinite(over_home), over_home, shifted))

    def _above_ground(
        self, lon: Floats, lat: Floats, known: NDArray[np.bool_], height: Floats | None, notes: list[str]
    ) -> Floats | None:
        if height is None or not np.isfinite(height).any():
            notes.append("no height is recorded: the planned height is taken")
            return None
        if self.grid is None or self.home_m is None:
            return height
        ground = np.full(lon.size, np.nan)
        ground[known] = self.grid.heights_at_m(lon[known], lat[known])
        outside = known & np.isnan(ground)
        if outside.any():
            share = outside.sum() / max(1, known.sum())
            notes.append(f"the terrain grid ends under {share:.0%} of the track: there heights count from take-off")
        return np.asarray(height + self.home_m - np.where(np.isnan(ground), self.home_m, ground))

    def _planned_m(self) -> float:
        rule = self.a.rule
        return rule.height_m if isinstance(rule, Pictures) else 0.0

    def _landing(self, s: SortieOfJob, *, any_source: bool) -> FlownSortie:
        took_off, landed = s.took_off_at.timestamp() - self.a.began_s, s.landed_at.timestamp() - self.a.began_s
        lines = [LineString(self.a.frame.to_metres(line)) for line in s.route.lines] if s.route else []
        ways = told_ways(lines, s.from_frac, s.to_frac, took_off, landed)
        why = (
            "its records leave more than half of the flight open" if any_source else "neither telemetry nor a log of it is known"
        )
        return FlownSortie(
            s.sortie,
            "landing",
            ways=ways,
            notes=(f"an estimate: {why}; its lines are taken as flown as far as its landing tells",),
        )


def with_looks(a: Asked, frames: Frames, silent: NDArray[np.bool_], notes: list[str]) -> Frames:
    """Return pictures with the tilt that was planned where they do not say it; those round structures are left out, told."""
    kept, left_out = looked(frames, silent, a.further, [x.way for x in a.plan.lines])
    if left_out:
        notes.append(f"{left_out:,} pictures were taken on rows round structures: they are not laid over the ground")
    return kept


def note_further(a: Asked) -> None:
    """Note for each further pass how much of its lines was flown, by the tracks that there are."""
    tracks = [s.track for s in a.sorties if s.track is not None]
    for name, share in flown_shares(tracks, a.further).items():
        a.notes.append(
            f"Further pass, {name}: {share:.0%} of its lines flown by the tracks; the figures above are of the first lines."
        )


def frames_at(t: Floats, xy: Floats, above: Floats | None, at: NDArray[np.int64], planned_m: float, tilt: Floats) -> Frames:
    """Return pictures taken at some samples, their tops ahead; straight down where their tilt is not known. [°]"""
    course = np.degrees(np.arctan2(*np.gradient(np.where(np.isfinite(xy), xy, 0.0), axis=0).T))
    heights = np.full(at.size, planned_m) if above is None else np.where(np.isfinite(above[at]), above[at], planned_m)
    return Frames(t[at], xy[at], heights, course[at], np.nan_to_num(tilt), np.zeros(at.size))


def mean_wind(measured: Sequence[tuple[float, float]]) -> Wind:
    """Return the mean of measured winds, as vectors."""
    speed, way = np.array([m[0] for m in measured]), np.radians([m[1] for m in measured])
    east, north = float((speed * np.sin(way)).mean()), float((speed * np.cos(way)).mean())
    many = f"the mean of {len(measured)} readings" if len(measured) > 1 else "a reading"
    return Wind(
        float(np.hypot(east, north)), float(np.degrees(np.arctan2(east, north)) % 360.0), f"drift by the wind of {many} nearby"
    )
