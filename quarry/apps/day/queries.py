"""Reading days and their plans."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, fields
from datetime import date, datetime, timedelta
from typing import Any, cast
from uuid import UUID

from django.db.models import FloatField, Min, OuterRef, Q, QuerySet, Subquery
from django.db.models.fields.json import KT
from django.db.models.functions import Cast
from django.utils import timezone
from django_scopes import scope
from pydantic import TypeAdapter

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import Organisation, User
from quarry.apps.care.queries import alarms_of, known_of, shelf
from quarry.apps.day import mappers
from quarry.apps.day.fields import (
    JobEntry,
    PackEntry,
    crews_of,
    inputs_from,
    later,
    methods_of,
    moments_of,
    pauses_of,
    pin_fields_of,
)
from quarry.apps.day.models import Day, DayEvent, DayJob, DayPack, DayPlan, DayRun, DayTelemetry, LandedSortie, TrackPoint
from quarry.apps.day.repository import (
    FlownDay,
    RunFrame,
    cache_plan,
    cached_plan,
    flown_from,
    kept_rotations,
    plan_from,
    rehearsal_from,
)
from quarry.apps.day.views.live import (
    CourseOut,
    EndingOut,
    FaultKind,
    KnownValue,
    LiveOut,
    RecordedEvent,
    RehearsalLine,
    RehearsalOut,
    SummaryOut,
)
from quarry.apps.day.views.plan import (
    DayLine,
    DayLines,
    DayOut,
    DayPlanBody,
    DayPlanOut,
    DayProblem,
    DaySort,
    PackingLine,
    PlanOfDay,
    PlanState,
    RunWord,
    VersionOut,
    WeekDayOut,
)
from quarry.apps.fleet.models import Charger, Pack
from quarry.apps.fleet.queries import swap_learned
from quarry.apps.jobs import queries as jobs
from quarry.apps.jobs.mappers import PlanError
from quarry.apps.limits.queries import preflight_of, preflight_view, return_clear_of, windows_for
from quarry.apps.links import give_back_link
from quarry.apps.paging import PAGE, page_of
from quarry.apps.policy import mappers as policy_mappers
from quarry.apps.policy.queries import own_values
from quarry.apps.workings import WorkingOut

PlanRefused = mappers.PlanError


def days_for(*, archived: bool = False) -> QuerySet[Day]:
    """Return the days of the scope, latest first."""
    rows = Day.objects.filter(archived_at__isnull=not archived, rehearsal_of=None)
    return rows.select_related("run").prefetch_related("jobs__job")


_SORTS: dict[DaySort, list[str]] = {"latest": ["-date", "name"], "earliest": ["date", "name"], "name": ["name", "-date"]}


def day_lines(
    *, search: str = "", archived: bool = False, sort: DaySort = "latest", cursor: str = "", size: int = PAGE
) -> DayLines:
    """Return a page of the days of the scope with the last landing of the newest plan of each. Raises `BadCursor`."""
    rows = days_for(archived=archived)
    if search:
        rows = rows.filter(Q(name__icontains=search) | Q(jobs__job__name__icontains=search)).distinct()
    page = page_of(rows, _SORTS[sort], cursor, size)
    last = DayPlan.objects.filter(day=OuterRef("pk")).order_by("-number")
    finish = Subquery(last.annotate(figure=Cast(KT("plan__finish_s"), FloatField())).values("figure")[:1])
    shown = Day.objects.filter(pk__in=[d.pk for d in page.items]).annotate(finish_s=finish)
    finishes = dict(shown.values_list("pk", "finish_s"))
    return DayLines([_line(d, finishes[d.pk]) for d in page.items], page.next, page.total)


def _line(d: Day, finish_s: float | None) -> DayLine:
    return DayLine(
        d.pk,
        d.name,
        d.date.isoformat(),
        d.opens.strftime("%H:%M"),
        d.closes.strftime("%H:%M"),
        [place.job.name for place in d.jobs.all()],
        finish_s,
        d.archived_at is not None,
        running_word(d),
        moments_of(d)[0].isoformat(),
        d.time_zone,
    )


def day_of(day_id: UUID) -> Day:
    """Return one day."""
    row = Day.objects.select_related("supply__model").filter(pk=day_id).first()
    if row is None:
        raise DomainError("not_found", "There is no such day.")
    return row


def next_flights() -> dict[str, date]:
    """Return by id of the pack the date of the next planned day that it flies on, today included."""
    rows = DayPack.objects.filter(day__date__gte=timezone.now().date(), day__archived_at=None)
    found = rows.values_list("pack_id").annotate(first=Min("day__date"))
    return {str(pack_id): first for pack_id, first in found}


def day_view(day: Day) -> DayOut:
    """Return a day as it is entered and shown."""
    return DayOut(
        id=day.pk,
        version=day.version,
        archived=day.archived_at is not None,
        running=running_word(day),
        name=day.name,
        date=day.date.isoformat(),
        time_zone=day.time_zone,
        opens=day.opens.strftime("%H:%M"),
        closes=day.closes.strftime("%H:%M"),
        opens_at=moments_of(day)[0].isoformat(),
        pauses=pauses_of(day.pauses),
        swap_s=day.swap_s,
        rest_after_flight_s=day.rest_after_flight_s,
        rest_after_charge_s=day.rest_after_charge_s,
        elevation_m=day.elevation_m,
        bench_c=day.bench_c,
        methods=methods_of(day.methods),
        pins=pin_fields_of(day.pins),
        supply_id=day.supply_id,
        more_supply_ids=list(day.more_supplies.order_by("name").values_list("pk", flat=True)),
        charger_ids=list(day.chargers.order_by("name").values_list("pk", flat=True)),
        crews=crews_of(day.crews),
        crew_ids=list(day.crew.order_by("pk").values_list("pk", flat=True)),
        jobs=[JobEntry(j.job_id, j.aircraft_id) for j in day.jobs.all()],
        packs=[PackEntry(p.pack_id, p.start_frac) for p in day.packs.all()],
    )


TELLING_DAYS = 120  # the newest flown days tell how times scatter
_DAY = TypeAdapter(DayOut)


def day_json(day: Day) -> Any:
    """Return a day as it is entered and shown, as JSON: for its history, its export and its copies."""
    return _DAY.dump_python(day_view(day), mode="json", by_alias=True)


def places_of(day: Day) -> list[tuple[float, float]]:
    """Return where the jobs of a day lie: the weather is asked for there."""
    found = []
    for place in day.jobs.select_related("job"):
        with suppress(DomainError):  # what cannot be read of a job stands among the day's problems
            found.append(jobs.entered(place.job).place)
    return [at for at in found if at is not None]


def roster_of(day: Day) -> mappers.Roster:
    """Return everything a day is planned from; jobs that cannot be planned are listed as problems."""
    places = list(
        day.jobs.select_related("job__aircraft_model__pack_model", "job__aircraft", "job__camera", "aircraft__model__pack_model")
    )
    packs = list(day.packs.select_related("pack__model"))
    planned: list[mappers.PlannedJob] = []
    problems: list[DayProblem] = []
    opens, closes = moments_of(day)
    for place in places:
        try:
            planned.append(_planned(place, packs, opens, closes))
        except (PlanError, DomainError) as bad:
            problems.append(DayProblem(str(place.job_id), place.job.name, bad.message, bad.field))
    chargers = list(Charger.objects.filter(pk__in=day.chargers.values("pk")).select_related("model").order_by("name"))
    supplies = [day.supply] if day.supply else []
    supplies += [s for s in day.more_supplies.select_related("model").order_by("name") if s.pk != day.supply_id]
    own = own_values()
    inputs = mappers.day_inputs(
        day,
        planned,
        packs,
        chargers,
        supplies,
        mappers.told_by(policy_mappers.scatter(own), [r.flown for r in flown_days(newest=TELLING_DAYS) if r.closed]),
        swap_learned(),
        mappers.DayPolicy(policy_mappers.people(own), policy_mappers.low_sun(own), policy_mappers.refuelling(own)),
    )
    cards = [mappers.card_need(j) for j in planned if j.fields.kind == "mapping"]
    gates = [mappers.gate_of(j) for j in planned]
    return mappers.Roster(mappers.day_task(inputs), gates, problems, pin_fields_of(day.pins), cards)


def _planned(place: DayJob, packs: list[DayPack], opens: datetime, closes: datetime) -> mappers.PlannedJob:
    aircraft, job = place.aircraft, place.job
    if aircraft is None:
        raise DomainError("missing", "Choose the aircraft that flies it.", "aircraft_id")
    able = [p.pack for p in packs if p.pack.model_id == aircraft.model.pack_model_id and not p.pack.grounded]
    job.aircraft, job.aircraft_model = aircraft, aircraft.model
    plan = jobs.plan_of(job, able or None)
    return mappers.PlannedJob(place, aircraft, plan, jobs.entered(job), windows_for(job, opens, closes))


def plan_of(day: Day, by: User | None = None) -> tuple[DayPlan, bool]:
    """Return the plan of a day and whether it was made just now; ``by`` is who asked for it.

    Raises `mappers.PlanError` if the day cannot be flown as it stands.
    """
    r = roster_of(day)
    mark = mappers.fingerprint(r)
    kept = cached_plan(day, mark)
    if kept is not None:
        return kept, False
    give_back_link()
    plan = mappers.first_plan(r, kept_rotations(day))
    return cache_plan(day, by, mark, plan, inputs_of(r))


def inputs_of(r: mappers.Roster) -> dict[str, mappers.PlanInput]:
    """Return what a plan is made from, by keys that stay the same when names change."""
    hours = {g.job_id: [mappers.HourWord(h.word, h.unknown) for h in g.hours] for g in r.gates}
    return mappers.plan_inputs(r.day, hours, [(p.job_id, p.name, p.message) for p in r.problems])


def plan_view(kept: DayPlan) -> DayPlanOut:
    """Return a kept plan as screens get it."""
    plan = plan_from(kept.plan)
    body = {f.name: getattr(plan, f.name) for f in fields(DayPlanBody)}
    return DayPlanOut(**body, number=kept.number, state=cast(PlanState, kept.state), progress=kept.progress, why=kept.why)


def problems_of(day: Day) -> list[DayProblem]:
    """Return the jobs of a day that cannot be planned; none where the day itself cannot be read."""
    try:
        return roster_of(day).problems
    except mappers.PlanError:
        return []


def working_of(day: Day, key: str) -> WorkingOut:
    """Return the working of one number of a day's plan."""
    found = plan_from(plan_of(day)[0].plan).workings.get(key)
    if found is None:
        raise DomainError("not_found", "There is no working for this number.")
    return found


def known_ids(day: Day) -> list[UUID]:
    """Return the ids of the packs of a day."""
    return list(day.packs.values_list("pack_id", flat=True))


def frozen_of(day: Day, by: User) -> tuple[DayPlan, RunFrame]:
    """Return the newest plan of a day and everything of it that a running day goes by.

    Raises `mappers.PlanError` if the day cannot be flown as it stands.
    """
    kept, _ = plan_of(day, by)
    to_test = [p.name for p in shelf(next_flights()).packs if any(t.kind == "load test" for t in p.tasks)]
    return kept, mappers.frozen(roster_of(day), plan_from(kept.plan), to_test, alarms_of(known_ids(day)), own_values())


def week_of(day: Day) -> list[WeekDayOut]:
    """Return the days of the week in which a day lies, Monday first, with what their newest plans fly."""
    monday = day.date - timedelta(days=day.date.weekday())
    rows = days_for().filter(date__range=(monday, monday + timedelta(days=6))).order_by("date", "opens", "name")
    newest = {p.day_id: p for p in DayPlan.objects.filter(day__in=rows).order_by("number")}
    return [_in_week(row, plan_from(newest[row.pk].plan) if row.pk in newest else None) for row in rows]


def _in_week(row: Day, plan: PlanOfDay | None) -> WeekDayOut:
    return WeekDayOut(
        row.pk,
        row.name,
        row.date.isoformat(),
        row.opens.strftime("%H:%M"),
        row.closes.strftime("%H:%M"),
        plan.finish_s if plan else None,
        plan.chance.p90_s if plan and plan.chance else None,
        plan.windows if plan else [],
        [(f.takeoff_s, f.landing_s) for f in plan.flights] if plan else [],
        [place.job.letter for place in row.jobs.all()],
        moments_of(row)[0].isoformat(),
        row.time_zone,
    )


def versions_of(day: Day) -> list[VersionOut]:
    """Return the kept plans of a day, newest first: who, when, why, how it ends, and what has changed since."""
    try:
        now = inputs_of(roster_of(day))
    except mappers.PlanError:
        now = {}
    rows = DayPlan.objects.filter(day=day).select_related("by")
    return [_version(row, plan_from(row.plan), now) for row in rows]


def _version(row: DayPlan, plan: PlanOfDay, now: dict[str, mappers.PlanInput]) -> VersionOut:
    return VersionOut(
        row.number,
        row.made_at,
        (row.by.full_name or row.by.username) if row.by else "",
        row.why,
        row.state,
        plan.finish_s,
        plan.chance.p90_s if plan.chance else None,
        len(plan.flights),
        sum(w.to_s - w.from_s for w in plan.waits if w.reason == "pack"),
        mappers.changes(before, now) if (before := inputs_from(row)) and now else [],
    )


def version_of(day: Day, number: int) -> DayPlan:
    """Return one kept plan of a day."""
    row = DayPlan.objects.filter(day=day, number=number).first()
    if row is None:
        raise DomainError("not_found", "This plan is no longer kept. Choose one from the list.")
    return row


def packing_of(day: Day) -> list[PackingLine]:
    """Return what to take, made from the plan of a day."""
    kept, _ = plan_of(day)
    r = roster_of(day)
    kinds = {place.job.kind for place in day.jobs.select_related("job")}
    fallbacks = [(g.letter, g.fallbacks) for g in r.gates]
    return mappers.packing_list(r.day, plan_from(kept.plan).supply, kinds, fallbacks, r.cards)


def known_packs(ids: Sequence[UUID]) -> set[UUID]:
    """Return which of the ids are packs of the scope."""
    return set(Pack.objects.filter(pk__in=ids).values_list("pk", flat=True))


def run_of(day_id: UUID, *, lock: bool = False) -> DayRun:
    """Return the run of a day that is being flown."""
    rows = DayRun.objects.select_for_update(of=("self",)) if lock else DayRun.objects.all()
    row = rows.select_related("day", "organisation").filter(day_id=day_id).first()
    if row is None:
        day_of(day_id)
        raise DomainError("not_started", "This day has not begun. Start it first.", "day")
    return row


STANDS_AFTER = timedelta(seconds=15)  # a rehearsal that was not played for so long: its service is down


def moment_of(run: DayRun, at: datetime) -> datetime:
    """Return a moment on the clock of a run: time itself for a day that is flown, a faster or standing one for a rehearsal."""
    if run.clock_at is None:
        return at
    if run.played_at is not None:
        at = min(at, run.played_at + STANDS_AFTER)
    since = max(0.0, (at - run.clock_at).total_seconds())
    return later(moments_of(run.day)[0], run.clock_s + since * run.speed)


def when_of(run: DayRun, at_s: float) -> datetime:
    """Return the moment at which the clock of a rehearsal stood at so many seconds, but no later than now."""
    if run.clock_at is None or run.speed <= 0:
        return timezone.now()
    return min(timezone.now(), run.clock_at + timedelta(seconds=(at_s - run.clock_s) / run.speed))


def clock_of(run: DayRun) -> float:
    """Return how far a run is. [s from opening]"""
    return max(0.0, (moment_of(run, timezone.now()) - moments_of(run.day)[0]).total_seconds())


def running_word(day: Day) -> RunWord:
    """Return whether a day is running or closed; nothing where it has not begun."""
    run = getattr(day, "run", None)
    return "" if run is None else "closed" if run.closed_at else "running"


def live_day(organisation: Organisation) -> str | None:
    """Return the day that an organisation is flying, the newest of several."""
    with scope(organisation=organisation):
        rows = DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__archived_at=None)
        last = rows.filter(day__date__gte=timezone.now().date() - timedelta(days=2)).order_by("-started_at").first()
    return str(last.day_id) if last is not None else None


def running_days() -> list[Day]:
    """Return the days that are being flown, rehearsals apart, newest first."""
    rows = DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__archived_at=None).select_related("day")
    return [run.day for run in rows.order_by("-started_at")[:50]]


def run_mark(day_id: UUID) -> tuple[str, float] | None:
    """Return the mark of a running day as it stands, and the speed of its clock; nothing where it has not begun.

    The mark changes with its revision and with its alerts.
    """
    found = DayRun.objects.filter(day_id=day_id).values_list("revision", "speed", "alerts").first()
    if found is None:
        day_of(day_id)
        return None
    return f"{found[0]} {found[2]}", found[1]


def is_running(day: Day) -> bool:
    """Return whether a day has begun."""
    return DayRun.objects.filter(day=day).exists()


def events_of(day: Day) -> list[mappers.Event]:
    """Return what has happened on a day as events of the core, in order of time."""
    opens_s = moments_of(day)[0].timestamp()
    return [mappers.event_of(row, opens_s) for row in DayEvent.objects.filter(day=day).select_related("by")]


def read_run(run: DayRun) -> mappers.Reading:
    """Return a running day as it stands now, its events folded once."""
    return mappers.read_run(run, events_of(run.day), clock_of(run))


def live_of(day: Day, now: tuple[mappers.Reading, mappers.Replanned] | None = None) -> LiveOut:
    """Return a running day as it stands now: calls, packs, ports, alerts, questions.

    ``now`` is the day as it was read, and its plan from then on, where a caller has both already.
    """
    if now is None:
        reading = read_run(run_of(day.pk))
        now = reading, mappers.planned(reading, anew=False)
    opens, closes = moments_of(day)
    head = mappers.DayHead(day.pk, day.name, opens, closes, day.time_zone, day.rehearsal_of_id, searches_on(day))
    telemetry = list(DayTelemetry.objects.filter(day=day))
    return mappers.to_live(*now, telemetry, head, own_values())


def searches_on(day: Day) -> bool:
    """Return whether a day flies a search."""
    return DayJob.objects.filter(day=day, job__kind="search").exists()


def fleet_now(day: Day) -> mappers.FleetNow | None:
    """Return packs and aircraft as a running day leaves them; None where it does not run."""
    run = DayRun.objects.filter(day=day, closed_at=None).select_related("day", "organisation").first()
    if run is None:
        return None
    reading = read_run(run)
    return mappers.fleet_now(reading, mappers.planned(reading, anew=False))


def found_on(day: Day) -> datetime | None:
    """Return when a running day wrote down that whoever was looked for is found; None where it did not, or took it back."""
    if not DayEvent.objects.filter(day=day, kind="found").exists():
        return None
    at_s = next((e.at_s for e in mappers.standing(events_of(day)) if e.kind == "found"), None)
    return moments_of(day)[0] + timedelta(seconds=at_s) if at_s is not None else None


def known_of_preflight(preflight_id: UUID) -> dict[str, KnownValue]:
    """Return by the key of its check what is known of the numbers that a list asks for, and where each is from.

    What the aircraft and the running day tell comes before what records tell.
    """
    row = preflight_of(preflight_id)
    packs = list(row.packs.select_related("model").order_by("name"))
    found = _recorded_of(packs)
    clear_m = return_clear_of(row)
    if clear_m is not None:
        found |= {"return_clear_m": KnownValue(round(clear_m, 1), "from the plan over its terrain", now=True)}
    runs = DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__date=row.on).select_related("day", "organisation")
    run = runs.last()
    if run is not None:
        telemetry = list(DayTelemetry.objects.filter(day=run.day))
        found |= mappers.known_on_day(read_run(run), telemetry, {str(p.pk) for p in packs}, moments_of(run.day)[0])
    wanted = {c.key: c for part in preflight_view(row).parts for c in part.lines if c.entry != "tick"}
    return {k: v for k, v in found.items() if k in wanted and isinstance(v.value, list) == (wanted[k].entry == "cells")}


def _recorded_of(packs: Sequence[Pack]) -> dict[str, KnownValue]:
    """Return what the records of packs last told: the least charge, and of a single pack its cells."""
    records = [(p.name, known_of(p)) for p in packs]
    charged = [(k.charge_frac, name, k.charge_at) for name, k in records if k.charge_frac is not None and k.charge_at is not None]
    found: dict[str, KnownValue] = {}
    if charged and len(charged) == len(packs):
        frac, name, at = min(charged)
        found |= {"charge_frac": KnownValue(frac, f"records of {name}, {at:%-d %b}", now=False)}
    if len(records) == 1 and records[0][1].cells_v is not None and records[0][1].cells_at is not None:
        found |= {"cells": KnownValue(records[0][1].cells_v, f"last load test, {records[0][1].cells_at:%-d %b}", now=False)}
    return found


def course_of(day: Day) -> CourseOut:
    """Return the course of a running day, drawn as a planned day is: what happened, and what is planned from now on."""
    reading = read_run(run_of(day.pk))
    return mappers.to_course(reading, mappers.planned(reading, anew=False))


def recorded_events(day: Day, after: int = 0) -> list[RecordedEvent]:
    """Return what was recorded of a day, oldest first, with who and on which device."""
    rows = DayEvent.objects.filter(day=day, pk__gt=after).select_related("by").order_by("pk")
    return [
        RecordedEvent(
            id=row.pk,
            key=row.key,
            kind=row.kind,
            at=row.at,
            received_at=row.received_at,
            offset_s=row.offset_s,
            by=row.by.full_name or row.by.username,
            device=row.device,
            figures=row.figures,
        )
        for row in rows
    ]


def rehearsals_of(day: Day) -> list[RehearsalLine]:
    """Return the rehearsals of a day, newest first."""
    rows = DayRun.objects.filter(day__rehearsal_of=day, day__archived_at=None).select_related("day", "started_by")
    return [_rehearsal_line(run) for run in rows.order_by("-started_at")[:30]]


def _rehearsal_line(run: DayRun) -> RehearsalLine:
    kept = rehearsal_from(run)
    return RehearsalLine(
        id=run.day_id,
        started_at=run.started_at,
        by=run.started_by.full_name or run.started_by.username,
        seed=kept.seed,
        by_hand=kept.by_hand,
        faults=[f.kind for f in kept.faults],
        now_s=clock_of(run),
        closed=run.closed_at is not None,
    )


def is_rehearsal(day_id: UUID) -> bool:
    """Return whether a day is a rehearsal."""
    return day_of(day_id).rehearsal_of_id is not None


def rehearsal_of(day_id: UUID) -> RehearsalOut:
    """Return a rehearsal: its clock, who answers the calls, its faults and whether each has struck."""
    run = run_of(day_id)
    of = run.day.rehearsal_of_id
    if run.clock_at is None or of is None:
        raise DomainError("not_found", "This day is flown, not rehearsed.")
    return mappers.to_rehearsal(run, of, clock_of(run))


def faults() -> list[FaultKind]:
    """Return what can go wrong in a rehearsal."""
    return mappers.fault_kinds()


@dataclass(frozen=True, slots=True)
class FlownRun:
    """A day that was or is being flown, with what was flown on it."""

    day_id: str
    name: str
    date: date
    opens_at: datetime
    closed: bool
    air_c: float | None
    plan_number: int
    run_id: UUID
    flown: FlownDay


def flown_days(begins: date | None = None, ends: date | None = None, newest: int | None = None) -> list[FlownRun]:
    """Return the days that were or are being flown, oldest first, with what was flown on each; rehearsals are none.

    ``newest``: no more than so many, the last ones.

    One query, however many there are: what was flown is kept with each run (see `services.refresh_flown` for what an older
    version kept).
    """
    rows = DayRun.objects.filter(day__rehearsal_of=None, day__archived_at=None).select_related("day").order_by("day__date")
    if begins is not None:
        rows = rows.filter(day__date__gte=begins)
    if ends is not None:
        rows = rows.filter(day__date__lte=ends)
    if newest is not None:
        rows = rows.filter(pk__in=rows.order_by("-day__date", "-pk").values("pk")[:newest])
    light = rows.defer("frame", "current", "changes", "rehearsal").annotate(outside_c=Cast(KT("frame__air_c"), FloatField()))
    return [
        FlownRun(
            str(run.day_id),
            run.day.name,
            run.day.date,
            moments_of(run.day)[0],
            run.closed_at is not None,
            run.outside_c,
            run.plan_number,
            run.pk,
            flown,
        )
        for run in light
        if (flown := flown_from(run.flown)) is not None
    ]


def charge_powers(runs: Sequence[FlownRun]) -> dict[UUID, float]:
    """Return by the key of its record the power into the pack of each charge on days that were flown and closed. [W]"""
    return {
        mappers.record_keys(run.run_id, c.key, [c.pack], "charge")[0]: c.pack_w
        for run in runs
        for c in run.flown.charges
        if run.closed
    }


def ending_of(day: Day) -> EndingOut:
    """Return what ending a day now would write into records, what stays undone, and what stands in the way."""
    run = run_of(day.pk)
    reading = read_run(run)
    events, state = reading.events, reading.state
    words = {f.id: f.word for f in state.flights.values()}
    return EndingOut(
        flights=len({r.key for r in reading.records if isinstance(r, mappers.DayFlight)}),
        charges=sum(isinstance(r, mappers.DayCharge) for r in reading.records),
        undone=sorted(name for name, word in words.items() if word in ("planned", "dropped")),
        in_the_air=sorted(name for name, word in words.items() if word == "airborne"),
        questions=len(state.questions),
        can_undo=not events and run.closed_at is None,
    )


def summary_of(day: Day) -> SummaryOut:
    """Return how a day went so far."""
    return mappers.to_summary(read_run(run_of(day.pk)))


def flown_of_job(job_id: UUID) -> list[mappers.FlownOfJob]:
    """Return what was flown of a job, day by day, the newest first; rehearsals are none."""
    runs = DayRun.objects.filter(landed__job_id=job_id, day__rehearsal_of=None, day__archived_at=None).distinct()
    return [
        mappers.flown_of_job(read_run(run), str(job_id), LandedSortie.objects.filter(run=run, job_id=job_id))
        for run in runs.select_related("day").order_by("-day__date", "-started_at")
    ]


def places_told(day_id: UUID, sortie: str) -> list[tuple[float, float, float, float | None, bool | None]]:
    """Return the places of a sortie that were told from the air: timestamp, longitude, latitude, height above take-off, works."""
    rows = TrackPoint.objects.filter(day_id=day_id, flight=sortie).values_list("at", "lon_deg", "lat_deg", "height_m", "works")
    return [(at.timestamp(), lon, lat, height, works) for at, lon, lat, height, works in rows]
