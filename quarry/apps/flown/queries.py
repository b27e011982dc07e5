"""Reading what was truly covered: from days, logs and photos, kept until something of them changes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import UTC, datetime, timedelta
from uuid import UUID

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day.mappers import FlownOfJob
from quarry.apps.day.models import Day, DayJob, TrackPoint
from quarry.apps.day.queries import flown_of_job, places_told
from quarry.apps.flown import mappers
from quarry.apps.flown.fields import PhotoColumns, columns_from
from quarry.apps.flown.formats.rasters import geotiff
from quarry.apps.flown.models import GapJob, PhotoSet, Proof
from quarry.apps.flown.repository import cache, cached, raster_of
from quarry.apps.flown.views import AsFlownAnswer, AsFlownOut, DayFlown, DayGaps, KeptAsFlown, PhotoSetOut, ProofOut
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import PlanRefused, entered, job_of, plan_of, terrain_under
from quarry.apps.jobs.views import JobPlan
from quarry.apps.links import give_back_link
from quarry.apps.logbook.formats.samples import log_from
from quarry.apps.logbook.models import Flight, FlightSamples
from quarry.apps.policy.mappers import covered, dose_tolerance_frac
from quarry.apps.policy.queries import own_values
from quarry.apps.weather.fields import figures_of
from quarry.apps.weather.models import Reading
from quarry.apps.weather.queries import readings_near
from quarry.apps.workings import WorkingOut

COVER_VERSION = 4
_AROUND = timedelta(days=1)
_VIEW = [f.name for f in fields(AsFlownOut)]


@dataclass(frozen=True, slots=True)
class Known:
    """All that is known of what was flown of a job: the days that count, every day, and flights of the logbook.

    A job that flies gaps of this one has its own entries among ``days``, beside those of this job.
    """

    job: Job
    fields: JobFields
    days: list[FlownOfJob]
    every: list[FlownOfJob]
    logs: list[Flight]
    photo_sets: list[PhotoSet]
    plan: JobPlan | None
    mark: str

    @property
    def began(self) -> datetime | None:
        """When the first take-off was that counts."""
        times = [s.took_off_at for d in self.days for s in d.sorties] + [f.began_at for f in self.logs if f.began_at]
        return min(times, default=None)

    @property
    def times(self) -> list[tuple[datetime, datetime]]:
        """From when to when was flown what counts, sortie by sortie."""
        logs = [(f.began_at, f.began_at + timedelta(seconds=f.length_s)) for f in self.logs if f.began_at]
        return [(s.took_off_at, s.landed_at) for d in self.days for s in d.sorties] + logs

    @property
    def zone(self) -> str:
        """The time zone of what was flown: that of its day, else of the company."""
        return self.days[0].day.time_zone if self.days else self.job.organisation.time_zone or "UTC"

    def lines(self) -> dict[str, list[tuple[tuple[float, float], ...]]]:
        """Return the lines of the job as they were planned, by sortie, in degrees."""
        return mappers.plan_lines(self.plan, self.job.letter, self.days)


def known_of(job_id: UUID, day_id: UUID | None = None) -> Known:
    """Return all that is known of what was flown of a job.

    ``day_id``: only what was flown that day. Otherwise the newest day counts, and those before it that flew other sorties of
    the job: they complete one another, while a day that flew the same again stands for itself. Gaps that were flown since as a job
    of their own fill it.
    """
    job = job_of(job_id)
    f = entered(job)
    every = flown_of_job(job.pk)
    gaps = [d for pk in _gap_jobs(job.pk) for d in flown_of_job(pk)]
    if day_id is not None:
        days = [d for d in every if d.day.pk == day_id]
        if not days:
            raise DomainError("not_found", "Nothing of this job was flown on that day.", "day_id")
        days += [d for d in gaps if d.day.pk == day_id]
    else:
        days = _completing(every)
        first = min((d.day.date for d in days), default=None)
        days += [d for d in gaps if first is None or d.day.date >= first]
    logs = _logs_of(job, days, only_days=day_id is not None)
    photo_sets = list(PhotoSet.objects.filter(job=job, archived_at=None))
    try:
        plan = plan_of(job)
    except PlanRefused:
        plan = None
    return Known(job, f, days, every, logs, photo_sets, plan, _mark(job, f, days, logs, photo_sets, day_id))


def _gap_jobs(job_id: UUID) -> list[UUID]:
    """Return the jobs that fly gaps of a job, and gaps of these."""
    found = list(GapJob.objects.filter(of_id=job_id).values_list("job_id", flat=True))
    return found + [deeper for pk in found for deeper in _gap_jobs(pk)]


def _completing(every: Sequence[FlownOfJob]) -> list[FlownOfJob]:
    """Return the newest day and those before it that flew other sorties."""
    taken: list[FlownOfJob] = []
    seen: set[str] = set()
    for day in every:
        mine = {s.sortie for s in day.sorties}
        if seen & mine:
            break
        seen |= mine
        taken.append(day)
    return taken


def _logs_of(job: Job, days: Sequence[FlownOfJob], *, only_days: bool) -> list[Flight]:
    """Return the flights of the logbook that are of these days, and those of the job that are of no day.

    Of the latter those count that were flown about the same time; where no day flew the job, all of the newest date.
    """
    mine = {(d.day.pk, s.sortie) for d in days for s in d.sorties}
    of_days = Flight.objects.filter(day__in={d.day.pk for d in days}, archived_at=None)
    found = [f for f in of_days if (f.day_id, f.sortie) in mine]
    if only_days:
        return found
    others = Flight.objects.filter(job=job, day=None, archived_at=None).exclude(began_at=None).order_by("-began_at")
    if days:
        first = min(s.took_off_at for d in days for s in d.sorties) - _AROUND
        last = max(s.landed_at for d in days for s in d.sorties) + _AROUND
        return found + list(others.filter(began_at__range=(first, last)))
    newest = others.first()
    if newest is None or newest.began_at is None:
        return list(Flight.objects.filter(job=job, day=None, archived_at=None))
    return list(others.filter(began_at__gt=newest.began_at - _AROUND))


def _mark(
    job: Job, f: JobFields, days: Sequence[FlownOfJob], logs: Sequence[Flight], photos: Sequence[PhotoSet], day_id: UUID | None
) -> str:
    terrain = terrain_under(job)
    found = [
        COVER_VERSION,
        job.kind,
        job.areas,
        job.keep_outs,
        job.home,
        job.work,
        job.letter,
        f.wind.speed_m_s,
        f.wind.from_deg,
        f.wind.assumed,
        [str(job.camera.pk), job.camera.version] if job.camera else None,
        [str(terrain.pk), terrain.version] if terrain else None,
        [
            [str(d.day.pk), s.sortie, s.took_off_at.isoformat(), s.landed_at.isoformat(), s.from_frac, s.to_frac]
            for d in days
            for s in d.sorties
        ],
        [[str(d.day.pk), TrackPoint.objects.filter(day=d.day).count()] for d in days],
        [[str(x.pk), x.version, str(x.began_at), x.sortie] for x in logs],
        [[str(p.pk), p.version] for p in photos],
        [str(r.pk) for r in _readings(f, days)],
        covered(own_values()),
        dose_tolerance_frac(own_values()),
        str(day_id),
    ]
    return hashlib.sha256(json.dumps(found, sort_keys=True, default=str).encode()).hexdigest()


def _readings(f: JobFields, days: Sequence[FlownOfJob]) -> list[Reading]:
    """Return the readings of the weather near the job while it was flown."""
    times = [t for d in days for s in d.sorties for t in (s.took_off_at, s.landed_at)]
    if f.place is None or not times:
        return []
    return readings_near(*f.place, min(times) - timedelta(minutes=30), max(times) + timedelta(minutes=30))


def readings_while_flown(known: Known) -> list[Reading]:
    """Return the readings of the weather near the job while it was flown, the oldest first."""
    return sorted(_readings(known.fields, known.days), key=lambda r: r.at)


def _wind(known: Known) -> mappers.Wind:
    """Return the wind that drifts what is sprayed: as measured nearby while it was flown, else as planned with."""
    read = [figures_of(r) for r in _readings(known.fields, known.days)]
    measured = [(r.wind_m_s, r.from_deg) for r in read if r.wind_m_s is not None and r.from_deg is not None]
    if measured:
        return mappers.mean_wind(measured)
    w = known.fields.wind
    if w.assumed:
        return mappers.Wind(0.0, 0.0, "no wind is known of the time it was flown: no drift was counted. Enter what was measured.")
    return mappers.Wind(
        w.speed_m_s, w.from_deg, "no wind was measured while it was flown: drift by the wind that was planned with"
    )


def as_flown(known: Known) -> KeptAsFlown:
    """Return a job as flown, from what is kept if nothing has changed.

    Raises
    ------
    FlownError
        Nothing of it can be shown, with what to do.
    """
    there = cached(known.job, known.mark)
    if there is not None:
        return there
    asked, wind, policy = _asked(known)
    read: list[mappers.PhotosRead] = []
    for row in known.photo_sets:
        try:
            read.append(mappers.read_photos(columns_from(row.photos), asked, known.zone))
        except mappers.FlownError as bad:
            asked.a.left_out.append(f"{row.name}: {bad.message}")
    mappers.with_photos(asked.a, read)
    mappers.note_further(asked.a)
    enough = mappers.Enough(dose_tolerance_frac(own_values()))
    give_back_link()
    if known.job.kind == "spraying":
        asked.a.notes.append(wind.words)
    head = mappers.FlownHead(
        known.job.pk,
        known.mark,
        known.fields.kind,
        known.zone,
        _days(known),
        [photo_set_view(row) for row in known.photo_sets],
        mappers.lines_of(asked.a, read),
    )
    view, core = mappers.to_as_flown(asked.a, policy, enough, head)
    cache(known.job, known.mark, view, geotiff(core.measured, asked.a.frame))
    return view


def shown(known: Known) -> KeptAsFlown:
    """Return a job as flown; raises `DomainError` where nothing of it can be shown."""
    try:
        return as_flown(known)
    except mappers.FlownError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def _asked(known: Known) -> tuple[mappers.Sorties, mappers.Wind, mappers.CoveredPolicy]:
    """Return what the core is asked of a job, without its photos."""
    wind, policy = _wind(known), covered(own_values())
    rule, spacing_m = mappers.rule_of(known.fields, known.job.camera, wind, policy)
    asked = mappers.asked(known.fields, known.lines(), rule, spacing_m, known.began or datetime.now(UTC), known.plan)
    sorties = mappers.Sorties(asked, known.fields, terrain_under(known.job), policy)
    samples = _samples_of(known.logs)
    used: set[UUID] = set()
    for day in known.days:
        for s in day.sorties:
            mine = [f for f in known.logs if f.day_id == day.day.pk and f.sortie == s.sortie]
            used |= {f.pk for f in mine}
            sorties.add(s, places_told(day.day.pk, s.sortie), [_flight_log(f, samples) for f in mine if f.pk in samples])
            asked.left_out += [f"{s.sortie}: the samples of its log are no longer kept." for f in mine if f.pk not in samples]
    for f in known.logs:
        if f.pk not in used and f.pk in samples:
            sorties.add_log(_flight_log(f, samples))
    return sorties, wind, policy


def read_against_job(job_id: UUID, columns: PhotoColumns) -> mappers.PhotosRead:
    """Return photos laid over a job, with what is odd about them; nothing is kept. Raises `FlownError` where none can be placed."""
    known = known_of(job_id)
    return mappers.read_photos(columns, _asked(known)[0], known.zone)


def photo_set_view(row: PhotoSet) -> PhotoSetOut:
    """Return photos that were read as a list shows them."""
    return PhotoSetOut(row.pk, row.name, row.count, row.made_at, row.ahead_s, row.report)


def _samples_of(logs: Sequence[Flight]) -> dict[UUID, bytes]:
    rows = FlightSamples.objects.filter(flight_id__in=[f.pk for f in logs]).values_list("flight_id", "data")
    return {pk: bytes(data) for pk, data in rows}


def _flight_log(f: Flight, samples: dict[UUID, bytes]) -> mappers.FlightLog:
    name = f.sortie or (f"log of {f.began_at:%H:%M}" if f.began_at else f"log {f.file.name[:24]}")
    began_s = f.began_at.timestamp() if f.began_at else None
    return mappers.FlightLog(name, began_s, log_from(samples[f.pk]), f.sortie)


def _days(known: Known) -> list[DayFlown]:
    """Return the days on which the job was flown, those that count with all that was flown of it and of its gaps."""
    taken = {d.day.pk: [s.sortie for e in known.days if e.day.pk == d.day.pk for s in e.sorties] for d in known.days}
    return [
        DayFlown(
            d.day.pk, d.day.name, d.day.date.isoformat(), taken.get(d.day.pk, [s.sortie for s in d.sorties]), d.day.pk in taken
        )
        for d in known.every
    ]


def answer_of(job_id: UUID, day_id: UUID | None = None) -> AsFlownAnswer:
    """Return a job as flown, or in words why there is nothing to show."""
    try:
        found = as_flown(known_of(job_id, day_id))
    except mappers.FlownError as bad:
        return AsFlownAnswer(None, bad.message)
    return AsFlownAnswer(AsFlownOut(**{name: getattr(found, name) for name in _VIEW}), "")


def working_of(job_id: UUID, key: str, day_id: UUID | None = None) -> WorkingOut:
    """Return the working of one figure of a job as flown."""
    found = shown(known_of(job_id, day_id)).workings.get(key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number.")
    return found


def raster(known: Known) -> bytes:
    """Return the GeoTIFF of a job as flown."""
    shown(known)
    data = raster_of(known.job, known.mark)
    if data is None:
        raise DomainError("busy", "What was flown changed meanwhile. Ask again.")
    return data


def gaps_of_day(day_id: UUID) -> list[DayGaps]:
    """Return for each job of a day of which everything has landed what was left open of it: jobs without a gap are left out.

    A job that flies gaps of another of the day stands with that one: it is open until those have landed too.
    """
    day = Day.objects.filter(pk=day_id).first()
    if day is None:
        raise DomainError("not_found", "There is no such day.")
    places = list(DayJob.objects.filter(day=day).select_related("job").order_by("place"))
    there = {place.job_id for place in places}
    found = []
    for place in places:
        gaps = [pk for pk in _gap_jobs(place.job_id) if pk in there]
        is_gap = GapJob.objects.filter(job_id=place.job_id, of_id__in=there).exists()
        if is_gap or not all(_over(day, pk) for pk in (place.job_id, *gaps)):
            continue
        try:
            view = as_flown(known_of(place.job_id, day.pk))
        except (mappers.FlownError, DomainError):
            continue
        if not view.gaps:
            continue
        sure = all(s.source != "landing" for s in view.sorties)
        area, ground = sum(g.area_m2 for g in view.gaps), sum(f.ground_m2 for f in view.fields)
        found.append(DayGaps(place.job_id, place.job.name, place.job.letter, len(view.gaps), area, ground, sure))
    return found


def _over(day: Day, job_id: UUID) -> bool:
    """Return whether some of a job has landed on a day and nothing of it is still to fly."""
    return any(d.over for d in flown_of_job(job_id) if d.day.pk == day.pk)


def proofs_of(job_id: UUID) -> list[ProofOut]:
    """Return the proofs that were given out of a job, the newest first."""
    rows = Proof.objects.filter(job=job_of(job_id)).select_related("by").defer("pdf", "geojson", "geotiff")
    return [proof_view(row) for row in rows]


def proof_view(row: Proof) -> ProofOut:
    """Return a proof as a list shows it."""
    who = row.by.full_name or row.by.username
    return ProofOut(row.pk, row.number, row.made_at, who, row.covered_frac, row.digests)


def proof_file(proof_id: UUID, form: str) -> tuple[bytes, str]:
    """Return (content, file name) of a file of a proof as it was made."""
    row = Proof.objects.filter(pk=proof_id).select_related("job").first()
    if row is None or form not in row.digests:
        raise DomainError("not_found", "There is no such proof.")
    data = {"pdf": row.pdf, "geojson": row.geojson, "tif": row.geotiff}[form]
    return bytes(data), f"proof-{row.number:04d}.{form}"


def photo_rows(job_id: UUID) -> list[mappers.PhotoRow]:
    """Return the photos of a job for handing over, in order of time."""
    known = known_of(job_id)
    rows = [r for p in known.photo_sets for r in mappers.rows_of(columns_from(p.photos), p.ahead_s, known.zone)]
    return sorted(rows, key=lambda r: (r.at_s is None, r.at_s or 0.0, r.name))


def photos_seen(job_id: UUID) -> list[mappers.SeenRow]:
    """Return what each photo of a job sees of the ground. Raises `FlownError` where none can be placed."""
    known = known_of(job_id)
    asked, _, _ = _asked(known)
    read = [mappers.read_photos(columns_from(p.photos), asked, known.zone) for p in known.photo_sets]
    return mappers.seen_of(asked.a, read)
