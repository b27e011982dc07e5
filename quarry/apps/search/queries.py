"""Reading searches: as they stand, which ground next, first patterns."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from contextlib import suppress
from datetime import datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import Organisation
from quarry.apps.day.fields import later
from quarry.apps.day.queries import fleet_now, found_on
from quarry.apps.fleet.mappers import not_charged_words
from quarry.apps.fleet.models import Aircraft, Charger, Pack
from quarry.apps.jobs.fields import fields_of as job_fields
from quarry.apps.jobs.mappers import flights_of
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import PlanRefused, packs_for_job, plan_of, planning_air_of, shelf_of, terrain_across
from quarry.apps.limits.queries import windows_for
from quarry.apps.policy.mappers import scatter
from quarry.apps.policy.queries import own_values
from quarry.apps.search import mappers
from quarry.apps.search.fields import ReportFields, SearchFields, fields_of, report_of
from quarry.apps.search.formats import HandoverFacts
from quarry.apps.search.models import PersonKind, Search, SearchJob, SearchPhoto, SearchReport, SweepTrial
from quarry.apps.search.views import (
    NextOut,
    PatternOut,
    PersonKindOut,
    SearchJobOut,
    SearchLine,
    SearchOut,
    SegmentOut,
    SweepTrialOut,
    WayOut,
)

_USUAL_HOURS = timedelta(hours=3)
_LOOK_AHEAD = timedelta(hours=24)
_MOST_LISTED = 200
_ALIKE = 0.2  # of height or speed, by which a trial may differ from the search that counts with it
_FIRST: tuple[mappers.FirstPattern, ...] = ("square", "sector", "parallel", "contour", "track")


def search_row(search_id: UUID) -> Search:
    """Return one search."""
    row = Search.objects.select_related("kind", "day", "organisation").filter(pk=search_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such search.")
    return row


def entered(row: Search) -> SearchFields:
    """Return what people entered of a search, typed; what cannot be read is notes at its field."""
    try:
        return fields_of(row)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def kinds() -> list[PersonKindOut]:
    """Return the kinds of person with their tables."""
    return [kind_view(k) for k in PersonKind.objects.filter(archived_at=None)]


def kind_view(row: PersonKind) -> PersonKindOut:
    """Return a kind of person as screens show it."""
    return PersonKindOut(row.pk, row.name, [(float(s), float(m)) for s, m in row.within], row.note, row.example)


def trials() -> list[SweepTrialOut]:
    """Return the trials of sweep width, the newest first."""
    return [trial_view(t) for t in SweepTrial.objects.filter(archived_at=None).select_related("by")]


def trial_view(row: SweepTrial) -> SweepTrialOut:
    """Return a trial as screens show it."""
    return SweepTrialOut(
        row.pk,
        row.sensor,
        row.cover,
        row.target,
        row.height_m,
        row.speed_m_s,
        row.light,
        [(float(d), bool(seen)) for d, seen in row.passes],
        row.width_m,
        row.low_m,
        row.high_m,
        row.made_at.isoformat(),
        row.by.full_name or row.by.username,
    )


def tried_widths() -> Mapping[tuple[str, str], float]:
    """Return by sensor and cover the sweep width of the newest trial."""
    rows = SweepTrial.objects.filter(archived_at=None).order_by("made_at").values_list("sensor", "cover", "width_m")
    return {(sensor, cover): width for sensor, cover, width in rows}


def trial_notes(f: SearchFields) -> list[str]:
    """Return where a sweep width that this search counts with was tried at another height or speed than it flies."""
    newest = {t.cover: t for t in SweepTrial.objects.filter(archived_at=None, sensor=f.sensor).order_by("made_at")}
    notes = []
    for cover in sorted({s.cover for s in f.segments} - set(f.widths)):
        trial = newest.get(cover)
        if trial is None:
            continue
        pairs = ((trial.height_m, f.height_m, "m high"), (trial.speed_m_s, f.speed_m_s, "m/s"))
        off = [
            f"{tried:g} {unit}, not {flown:g}" for tried, flown, unit in pairs if tried and abs(tried - flown) > _ALIKE * flown
        ]
        if off:
            notes.append(f"Sweep width over {cover} was tried at {' and '.join(off)}: it may be another here.")
    return notes


def reports_of(row: Search) -> tuple[list[tuple[SearchReport, ReportFields]], dict[str, str]]:
    """Return all reports of a search in the order in which they happened, and who took back which, by key."""
    every = [(r, report_of(r)) for r in SearchReport.objects.filter(search=row)]
    back = {f.takes_back: r.by_name for r, f in every if r.kind == "taken_back"}
    return [(r, f) for r, f in every if r.kind != "taken_back"], back


def photo_keys(report: ReportFields) -> set[UUID]:
    """Return the keys of the photos that a report names; what is no key names none."""
    found = set()
    for key in report.photos:
        with suppress(ValueError):
            found.add(UUID(key))
    return found


def photo_of(photo_key: UUID) -> bytes:
    """Return a photo by the key under which a report names it."""
    row = SearchPhoto.objects.filter(key=photo_key).first()
    if row is None:
        raise DomainError("not_found", "There is no such photo.")
    return bytes(row.jpeg)


def standing(row: Search, f: SearchFields) -> mappers.StandingOf:
    """Return how a search stands; raises `DomainError` at what does not fit."""
    every, back = reports_of(row)
    table = mappers.kind_table(row.kind.within) if row.kind is not None else None
    try:
        ground = mappers.ground_of(f)
        terrain = terrain_of(f) if f.weights.travel > 0 else None
        return mappers.standing_of(f, table, [r for x, r in every if str(x.key) not in back], ground, terrain)
    except mappers.SearchError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad


def terrain_of(f: SearchFields) -> mappers.TerrainGrid | None:
    """Return the heights under a search, of the terrain that covers most of it; None where none covers any."""
    ground = terrain_across([p for s in f.segments for p in s.ring] or ([f.point] if f.point else []))
    return mappers.terrain_grid(ground) if ground is not None else None


def search_of(search_id: UUID) -> SearchOut:
    """Return a search as it stands."""
    return search_view(search_row(search_id))


def search_view(row: Search) -> SearchOut:
    """Return a search as it stands. One that has nothing on the map yet stands empty."""
    f = entered(row)
    every, back = reports_of(row)
    looks: dict[str, int] = defaultdict(int)
    for r, what in every:
        if r.kind == "searched" and str(r.key) not in back:
            looks[what.segment] += 1
    notes: list[str] = []
    segments: list[SegmentOut] = []
    ways: list[WayOut] = []
    rest, success = 1.0, 0.0
    if f.segments or f.point:
        found = standing(row, f)
        segments, more = mappers.segments_out(f, found, looks, tried_widths(), terrain_of(f))
        notes = [*found.notes, *more, *trial_notes(f)]
        ways, rest, success = list(found.ways), found.now.shares.rest_frac, found.now.success_frac
    notes += _clocks(every)
    names = {what.segment for _, what in every}
    gone = names - {s.id for s in f.segments} - {""}
    if gone:
        notes.append(
            f"Reports speak of {len(gone)} segment{'s' if len(gone) > 1 else ''} that no longer exist: they change no share."
        )
    photos = set(SearchPhoto.objects.filter(search=row).values_list("key", flat=True))
    gone_photos = sum(len(photo_keys(what) - photos) for _, what in every)
    if gone_photos:
        notes.append(f"Photos no longer here: {gone_photos}, deleted or not handed over.")
    shown = [mappers.report_out(r, what, f, back.get(str(r.key), ""), sorted(photo_keys(what) & photos)) for r, what in every]
    stand = [(r, what) for r, what in every if str(r.key) not in back]
    jobs = SearchJob.objects.filter(search=row).select_related("job")
    return SearchOut(
        id=row.pk,
        version=row.version,
        name=row.name,
        person=row.person,
        kind_id=row.kind_id,
        day_id=row.day_id,
        began_at=row.began_at.isoformat(),
        ended_at=row.ended_at.isoformat() if row.ended_at else None,
        point=f.point,
        point_notations=mappers.written(*f.point) if f.point else [],
        seen_at=f.seen_at,
        radius_m=f.radius_m,
        home=f.home,
        rest=f.rest,
        weights=f.weights,
        estimates=f.estimates,
        paths=f.paths,
        waters=f.waters,
        aircraft_ids=f.aircraft_ids,
        sensor=f.sensor,
        speed_m_s=f.speed_m_s,
        height_m=f.height_m,
        law=f.law,
        widths=f.widths,
        teams=f.teams,
        until=f.until,
        segments=segments,
        rest_frac=rest,
        success_frac=success,
        found=found_words(row),
        ways=ways,
        reports=shown,
        jobs=[SearchJobOut(j.job_id, j.job.name, j.job.letter, j.segment, _reported(j, stand)) for j in jobs],
        notes=notes,
    )


def _clocks(every: list[tuple[SearchReport, ReportFields]]) -> list[str]:
    """Return what is to be notes of clocks: reports that happened after they were written."""
    ahead = [(r.at - r.written_at).total_seconds() for r, _ in every]
    worst = max(ahead, default=0.0)
    if worst < 120:
        return []
    who = max((r for r, _ in every), key=lambda r: r.at - r.written_at).by_name
    return [f"Clocks disagree: a report by {who} is {worst / 60:.0f} min ahead of the server. Its time was kept as it came."]


def searches(*, archived: bool = False) -> list[SearchLine]:
    """Return the searches, the newest first. How much each has seen is worked out where it is opened."""
    rows = list(Search.objects.filter(archived_at__isnull=not archived)[:_MOST_LISTED])
    finds: dict[UUID, set[str]] = defaultdict(set)
    back: dict[UUID, set[str]] = defaultdict(set)
    kinds_asked = ("find", "taken_back")
    for r in SearchReport.objects.filter(search__in=rows, kind__in=kinds_asked):
        if r.kind == "find":
            finds[r.search_id].add(str(r.key))
        else:
            back[r.search_id].add(report_of(r).takes_back)
    return [_line(row, found=bool(finds[row.pk] - back[row.pk])) for row in rows]


def _line(row: Search, *, found: bool) -> SearchLine:
    ended = row.ended_at.isoformat() if row.ended_at else None
    count = len(entered(row).segments)
    return SearchLine(row.pk, row.name, row.began_at.isoformat(), ended, count, found, row.archived_at is not None, row.day_id)


def zone_of(organisation: Organisation) -> ZoneInfo:
    """Return the zone of a company's clocks."""
    return ZoneInfo(organisation.time_zone or "UTC")


def found_words(row: Search) -> str:
    """Return that whoever was looked for is found: as reported here, or called in Live; empty where it is not so."""
    every, back = reports_of(row)
    find = next((r for r, _ in every if r.kind == "find" and str(r.key) not in back), None)
    if find is not None:
        return f"Found at {find.at.astimezone(zone_of(row.organisation)):%H:%M}, says {find.by_name}."
    at = found_on(row.day) if row.day is not None else None
    return f"Found at {at.astimezone(zone_of(row.organisation)):%H:%M}, says Live: report where." if at is not None else ""


def until_of(row: Search, f: SearchFields, now: datetime) -> datetime:
    """Return the hour that counts: as entered, else three hours from now."""
    if not f.until:
        return later(now, _USUAL_HOURS.total_seconds())
    try:
        at = datetime.fromisoformat(f.until)
    except ValueError as bad:
        raise DomainError("invalid", "The hour that counts is no time. Choose it again.", "what.until") from bad
    return (at if at.tzinfo else at.replace(tzinfo=zone_of(row.organisation))).astimezone(now.tzinfo)


def template_job(row: Search, f: SearchFields, aircraft: Aircraft | None) -> Job:
    """Return a job that is not kept: what an aircraft would fly for a search, in the wind that is known."""
    s = f.segments[0] if f.segments else None
    ring = s.ring if s else [p for p in [f.point, f.home] if p]
    job = Job(organisation=row.organisation, kind="search", name=row.name, areas=[{"ring": ring}], home=f.home or f.point)
    job.work = {"speed_m_s": f.speed_m_s, "height_m": f.height_m, "law": f.law}
    job.aircraft = aircraft
    job.aircraft_model = aircraft.model if aircraft is not None else None
    job.wind = wind_now(job)
    return job


def wind_now(job: Job) -> dict[str, object]:
    """Return the wind of this hour as a job enters it; the assumed one where none is known."""
    try:
        air = planning_air_of(job, timezone.now())
    except DomainError:
        return {}
    kept: dict[str, object] = {"speed_m_s": air.speed_m_s, "from_deg": air.from_deg, "gust_m_s": air.gust_m_s}
    kept |= {"density_kg_m3": air.density_kg_m3, "assumed": False, "words": air.words, "at": air.at.isoformat()}
    if air.air_c is not None:
        kept |= {"air_c": air.air_c}
    return {**kept, "origin": "measured" if air.origin == "measured" else "forecast"}


def given_out(row: Search) -> list[tuple[str, float]]:
    """Return the segments that are out with a crew and not reported yet, with the POD that they were given."""
    every, back = reports_of(row)
    stand = [(r, what) for r, what in every if str(r.key) not in back]
    links = SearchJob.objects.filter(search=row, job__archived_at=None).select_related("job")
    return [
        (x.segment, mappers.detection_frac(float(x.job.work.get("coverage", 0.0)), fields_of(row).law))
        for x in links
        if not _reported(x, stand)
    ]


def _reported(link: SearchJob, stand: list[tuple[SearchReport, ReportFields]]) -> bool:
    """Tell whether what was given out is reported: as flown, or its segment by hand since then."""

    def by_hand(r: SearchReport, what: ReportFields) -> bool:
        return not what.job_id and r.kind == "searched" and what.segment == link.segment and r.at >= link.made_at

    return any(what.job_id == str(link.job_id) or by_hand(r, what) for r, what in stand)


def entered_air_c(job: Job) -> float | None:
    """Return the temperature of the air that a job is planned in, where it is known. [°C]"""
    known = job.wind.get("air_c")
    return float(known) if known is not None else None


def flyers_of(row: Search, f: SearchFields, now: datetime, until: datetime) -> tuple[list[mappers.Flyer], list[str]]:
    """Return the aircraft that can search with packs and chargers as the running day leaves them, and why others cannot."""
    chosen = Aircraft.objects.filter(archived_at=None, pk__in=f.aircraft_ids).select_related("model__pack_model")
    chargers = list(Charger.objects.filter(archived_at=None).select_related("model"))
    found: list[mappers.Flyer] = []
    notes: list[str] = []
    day = fleet_now(row.day) if row.day is not None else None
    for aircraft in chosen:
        job = template_job(row, f, aircraft)
        packs = packs_for_job(job)
        try:
            flights = flights_of(job, shelf_of(job, packs), job_fields(job))
        except PlanRefused as bad:
            notes.append(f"{aircraft.name} cannot search: {bad.message}")
            continue
        model = aircraft.model.pack_model
        takes = [c for c in chargers if not not_charged_words(c, model)]
        found.append(
            mappers.Flyer(
                str(aircraft.pk),
                aircraft.name,
                str(model.pk),
                model,
                flights,
                _by_set(packs, flights),
                takes,
                mappers.SWAP_S,
                day,
                windows_for(job, now, until).windows,
            )
        )
    return found, notes


def _by_set(packs: list[Pack], flights: mappers.Flights) -> dict[str, list[Pack]]:
    """Return the packs of each set by the name of the set."""
    by_name = {p.name: p for p in packs}
    return {name: [by_name[n] for n in name.split(" + ") if n in by_name] for name, _ in flights.sets}


def next_of(search_id: UUID, now: datetime | None = None) -> NextOut:
    """Return which ground next, or why nothing can be said."""
    row = search_row(search_id)
    f = entered(row)
    at = (now or timezone.now()).astimezone(zone_of(row.organisation))
    try:
        if found_words(row):
            raise DomainError(
                "found", f"{found_words(row)} Nobody is sent out any more; take the find back if the search goes on.", "reports"
            )
        if not f.segments:
            raise DomainError("missing", "Draw segments, or lay a net over the ground, first.", "what.segments")
        return _planned_next(row, f, at)
    except (DomainError, mappers.SearchError) as bad:
        return NextOut(problem=bad.message, problem_at=bad.field)


def _planned_next(row: Search, f: SearchFields, at: datetime) -> NextOut:
    """Return the plan by the hour that counts; where none is entered and darkness leaves nobody any time, by first light and on."""
    found = standing(row, f)
    until = until_of(row, f, at)
    try:
        return _planned_until(row, f, found, at, until)
    except mappers.SearchError:
        light = mappers.first_light(f, at)
        if f.until or light is None or not mappers.light_notes(f, at, until):
            raise
        out = _planned_until(row, f, found, at, later(light, _USUAL_HOURS.total_seconds()))
        out.notes.insert(0, f"Nobody can search before first light at {light:%H:%M}: planned from there for three hours.")
        return out


def _planned_until(row: Search, f: SearchFields, found: mappers.StandingOf, at: datetime, until: datetime) -> NextOut:
    flyers, notes = flyers_of(row, f, at, until)
    air_c = entered_air_c(template_job(row, f, None))
    asked = mappers.asked_of(f, found, flyers, tried_widths(), at, until, air_c, given_out(row))
    out = mappers.next_out(f, found, asked, mappers.choices(asked.effort), until, scatter(own_values()))
    out.notes.extend(notes)
    return out


def handover_of(search_id: UUID, by: str, now: datetime | None = None) -> HandoverFacts:
    """Return what is handed over of a search: as it stands, all reports, which ground next, weather and packs."""
    row = search_row(search_id)
    f = entered(row)
    at = (now or timezone.now()).astimezone(zone_of(row.organisation))
    every, back = reports_of(row)
    chosen = list(Aircraft.objects.filter(pk__in=f.aircraft_ids).select_related("model__pack_model"))
    packs = {p.pk: p for a in chosen for p in packs_for_job(template_job(row, f, a))}
    return HandoverFacts(
        company=row.organisation.name,
        by=by,
        made_at=at,
        time_zone=str(zone_of(row.organisation)),
        search=search_view(row),
        next=next_of(search_id, now) if row.ended_at is None else NextOut(problem="The search has ended."),
        kind=row.kind.name if row.kind is not None else "",
        within=[(float(share), float(away)) for share, away in row.kind.within] if row.kind is not None else [],
        figures={str(r.key): what for r, what in every},
        back=back,
        weather=str(template_job(row, f, None).wind.get("words", "")),
        packs=[(p.name, p.charge_frac) for p in sorted(packs.values(), key=lambda p: p.name)],
        photos={str(p.key): bytes(p.jpeg) for p in SearchPhoto.objects.filter(search=row)},
    )


def first_patterns(search_id: UUID) -> list[PatternOut]:
    """Return the patterns with which a search could begin, each planned for the aircraft chosen; the likeliest to find soonest first."""
    row = search_row(search_id)
    f = entered(row)
    aircraft = Aircraft.objects.filter(archived_at=None, pk__in=f.aircraft_ids).select_related("model__pack_model").first()
    wanted = [p for p in _FIRST if p != "track" or f.paths]
    found = [first_pattern(row, f, aircraft, pattern) for pattern in wanted]
    return sorted(found, key=lambda p: (bool(p.problem), -p.success_frac / max(p.time_s, 1.0)))


def first_job(row: Search, f: SearchFields, aircraft: Aircraft | None, pattern: mappers.FirstPattern) -> Job:
    """Return the job that flies a first pattern, not kept; raises `SearchError`."""
    width = f.widths.get("open") or tried_widths().get((f.sensor, "open")) or mappers.assumed_width_m(f.sensor, "open")
    figures, _ = mappers.first_figures(f, row.name, pattern, width, 1.0)
    job = template_job(row, f, aircraft)
    for name, value in figures.items():
        setattr(job, name, value)
    return job


def first_pattern(row: Search, f: SearchFields, aircraft: Aircraft | None, pattern: mappers.FirstPattern) -> PatternOut:
    """Return a first pattern as it would be flown, or why it cannot."""
    try:
        job = first_job(row, f, aircraft, pattern)
        plan = plan_of(job)
    except mappers.SearchError as bad:
        return PatternOut(
            pattern=pattern,
            words=_WORDS[pattern],
            spacing_m=0.0,
            time_s=0.0,
            sorties=0,
            detection_frac=0.0,
            success_frac=0.0,
            first_s=0.0,
            path=[],
            problem=bad.message,
        )
    launch_at, note, shut = opens_at(row, job, timezone.now() + timedelta(seconds=mappers.SWAP_S))
    lit_frac, dark = light_for(row, f, launch_at, plan.total_s)
    detection = lit_frac * (plan.figure("detection_frac") or 0.0)
    table = mappers.kind_table(row.kind.within) if row.kind is not None else None
    share = mappers.share_of(f, table, job_fields(job))
    return PatternOut(
        pattern=pattern,
        words=_WORDS[pattern],
        spacing_m=plan.figure("spacing_m") or 0.0,
        time_s=plan.total_s,
        sorties=len(plan.sorties),
        detection_frac=detection,
        success_frac=share * detection,
        first_s=plan.sorties[0].time_s if plan.sorties else 0.0,
        path=[p for s in plan.sorties for p in s.path],
        packs=[s.set for s in plan.sorties],
        launch_at=launch_at.isoformat(),
        note=" ".join(n for n in (note, dark) if n),
        shut=shut,
    )


def light_for(row: Search, f: SearchFields, begins: datetime, length_s: float) -> tuple[float, str]:
    """Return the share of a time in which the camera sees people, and what is to be said where that is not all of it."""
    at = begins.astimezone(zone_of(row.organisation))
    until = later(at, max(length_s, 1.0))
    return mappers.lit_frac(f, [(at, until)]), " ".join(mappers.light_notes(f, at, until))


def opens_at(row: Search, job: Job, ready: datetime) -> tuple[datetime, str, bool]:
    """Return when a first sortie can be up once it is ready, what its limits say where that is later, and whether it is not at all."""
    windows = windows_for(job, ready, ready + _USUAL_HOURS).windows
    zone = zone_of(row.organisation)
    if not windows:
        opening = windows_for(job, ready, ready + _LOOK_AHEAD).windows
        shut = ready + (timedelta(seconds=opening[0][0]) if opening else _LOOK_AHEAD)
        return ready, f"Its limits leave no weather window until {shut.astimezone(zone):%H:%M on %A}.", True
    if windows[0][0] < 60:
        return ready, "", False
    opens = ready + timedelta(seconds=windows[0][0])
    return opens, f"Its weather window opens at {opens.astimezone(zone):%H:%M}.", False


_WORDS: dict[mappers.FirstPattern, str] = {
    "square": "expanding square",
    "sector": "sectors",
    "parallel": "parallel lines",
    "creeping": "lines creeping ahead",
    "contour": "contours from the top down",
    "track": "along the path and back",
}
