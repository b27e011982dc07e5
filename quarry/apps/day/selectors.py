"""Reading days and their plans."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any
from uuid import NAMESPACE_URL, UUID, uuid5
from zoneinfo import ZoneInfo

from django.db import transaction
from django.db.models import FloatField, Max, Min, OuterRef, QuerySet, Subquery
from django.db.models.fields.json import KT
from django.db.models.functions import Cast
from django.utils import timezone
from django_scopes import scope

from quarry.apps.accounts.models import Organisation, User
from quarry.apps.accounts.services import DomainError
from quarry.apps.care.selectors import shelf
from quarry.apps.day import bridge
from quarry.apps.day.models import Day, DayEvent, DayPack, DayPlan, DayRun, DayTelemetry
from quarry.apps.fleet.models import Charger, Pack
from quarry.apps.fleet.selectors import swap_learnt
from quarry.apps.jobs import selectors as jobs
from quarry.apps.jobs.bridge import PlanError
from quarry.apps.limits.selectors import windows_for
from quarry.apps.policy import bridge as policy_bridge
from quarry.apps.policy.selectors import own_values

PlanRefused = bridge.PlanError


def days_for(*, archived: bool = False) -> QuerySet[Day]:
    """Return the days of the scope, latest first."""
    rows = Day.objects.filter(archived_at__isnull=not archived, rehearsal_of=None)
    return rows.select_related("run").prefetch_related("jobs__job")


def days_with_finish(*, archived: bool = False) -> QuerySet[Day]:
    """Return the days of the scope with ``finish_s`` of the newest plan of each, read out of it by the database."""
    last = DayPlan.objects.filter(day=OuterRef("pk")).order_by("-number")
    finish = last.annotate(figure=Cast(KT("plan__finish_s"), FloatField())).values("figure")[:1]
    return days_for(archived=archived).annotate(finish_s=Subquery(finish))


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


def day_dict(day: Day) -> dict[str, Any]:
    """Return a day as plain data."""
    return {
        "id": str(day.pk),
        "version": day.version,
        "archived": day.archived_at is not None,
        "running": running_word(day),
        "name": day.name,
        "date": day.date.isoformat(),
        "time_zone": day.time_zone,
        "opens": day.opens.strftime("%H:%M"),
        "closes": day.closes.strftime("%H:%M"),
        "pauses": day.pauses,
        "swap_s": day.swap_s,
        "rest_after_flight_s": day.rest_after_flight_s,
        "rest_after_charge_s": day.rest_after_charge_s,
        "elevation_m": day.elevation_m,
        "bench_c": day.bench_c,
        "schools": day.schools,
        "pins": day.pins,
        "supply_id": str(day.supply_id) if day.supply_id else None,
        "more_supply_ids": [str(pk) for pk in day.more_supplies.order_by("name").values_list("pk", flat=True)],
        "charger_ids": [str(pk) for pk in day.chargers.order_by("name").values_list("pk", flat=True)],
        "crew_ids": list(day.crew.order_by("pk").values_list("pk", flat=True)),
        "jobs": [{"job_id": str(j.job_id), "aircraft_id": str(j.aircraft_id) if j.aircraft_id else None} for j in day.jobs.all()],
        "packs": [{"pack_id": str(p.pack_id), "start_frac": p.start_frac} for p in day.packs.all()],
    }


def hours_of(day: Day) -> tuple[datetime, datetime]:
    """Return the moments at which a day opens and closes."""
    zone = ZoneInfo(day.time_zone)
    return datetime.combine(day.date, day.opens, zone), datetime.combine(day.date, day.closes, zone)


def places_of(day: Day) -> list[tuple[float, float]]:
    """Return where the jobs of a day lie: the weather is asked for there."""
    found = []
    for place in day.jobs.select_related("job"):
        at = place.job.home or (place.job.area[0] if place.job.area else None)
        if at:
            found.append((float(at[0]), float(at[1])))
    return found


def roster_of(day: Day) -> bridge.Roster:
    """Return everything a day is planned from; jobs that cannot be planned are listed as problems."""
    places = list(
        day.jobs.select_related("job__aircraft_model__pack_model", "job__aircraft", "job__camera", "aircraft__model__pack_model")
    )
    packs = list(day.packs.select_related("pack__model"))
    plans: dict[str, dict[str, Any]] = {}
    gates: dict[str, bridge.Gate] = {}
    problems: list[dict[str, str]] = []
    opens, closes = hours_of(day)
    for place in places:
        try:
            if place.aircraft is None:
                raise DomainError("missing", "Choose the aircraft that flies it.", "aircraft_id")
            mine = [p.pack for p in packs if p.pack.model_id == place.aircraft.model.pack_model_id and not p.pack.grounded]
            place.job.aircraft, place.job.aircraft_model = place.aircraft, place.aircraft.model
            plans[str(place.pk)] = jobs.plan_of(place.job, mine or None)
            windows, drawn = windows_for(place.job, opens, closes)
            fallbacks = [f["name"] for f in place.job.site["fallbacks"]]
            gates[str(place.pk)] = bridge.Gate(windows, drawn | {"fallbacks": fallbacks})
        except (PlanError, DomainError) as bad:
            problems.append({"job_id": str(place.job_id), "name": place.job.name, "message": bad.message, "field": bad.field})
    chargers = list(Charger.objects.filter(pk__in=day.chargers.values("pk")).select_related("model").order_by("name"))
    supplies = [day.supply] if day.supply else []
    supplies += [s for s in day.more_supplies.select_related("model").order_by("name") if s.pk != day.supply_id]
    own = own_values()
    scatter, limits = policy_bridge.scatter(own), policy_bridge.people(own)
    return bridge.roster(
        day, places, packs, chargers, plans, problems, gates, supplies, bridge.Known(scatter, limits, swap_learnt())
    )


def plan_of(day: Day, by: User | None = None) -> tuple[DayPlan, bool]:
    """Return the plan of a day and whether it was made just now; ``by`` is who asked for it.

    Raises `bridge.PlanError` if the day cannot be flown as it stands.
    """
    r = roster_of(day)
    mark = bridge.fingerprint(r)
    kept = DayPlan.objects.filter(day=day, fingerprint=mark).first()
    if kept is not None:
        return kept, False
    plan = bridge.first_plan(r)
    facts = bridge.facts_of(r)
    with transaction.atomic():
        Day.objects.select_for_update().get(pk=day.pk)
        number = (DayPlan.objects.filter(day=day).aggregate(n=Max("number"))["n"] or 0) + 1
        before = DayPlan.objects.filter(day=day).order_by("-number").first()
        figures = {
            "organisation": day.organisation,
            "number": number,
            "plan": plan,
            "by": by,
            "facts": facts,
            "why": bridge.changes(before.facts, facts) if before is not None and before.facts else [],
        }
        made, new = DayPlan.objects.get_or_create(day=day, fingerprint=mark, defaults=figures)
        old = DayPlan.objects.filter(day=day).order_by("-number").values_list("pk", flat=True)[20:]
        DayPlan.objects.filter(pk__in=list(old)).delete()
    return made, new


def frozen_of(day: Day, by: User) -> tuple[DayPlan, dict[str, Any]]:
    """Return the newest plan of a day and everything of it that a running day goes by.

    Raises `bridge.PlanError` if the day cannot be flown as it stands.
    """
    kept, _ = plan_of(day, by)
    lines = shelf(next_flights())["packs"]
    to_test = [p["name"] for p in lines if any(t["kind"] == "load test" for t in p["tasks"])]
    return kept, bridge.frozen(roster_of(day), kept.plan, to_test)


def week_of(day: Day) -> list[dict[str, Any]]:
    """Return the days of the week in which a day lies, Monday first, with what their newest plans fly."""
    monday = day.date - timedelta(days=day.date.weekday())
    rows = days_for().filter(date__range=(monday, monday + timedelta(days=6))).order_by("date", "opens", "name")
    newest = {p.day_id: p for p in DayPlan.objects.filter(day__in=rows).order_by("number")}
    found = []
    for row in rows:
        plan = newest[row.pk].plan if row.pk in newest else None
        found.append(
            {
                "id": str(row.pk),
                "name": row.name,
                "date": row.date.isoformat(),
                "opens": row.opens.strftime("%H:%M"),
                "closes": row.closes.strftime("%H:%M"),
                "finish_s": plan["finish_s"] if plan else None,
                "p90_s": (plan.get("chance") or {}).get("p90_s") if plan else None,
                "windows": plan["windows"] if plan else [],
                "flights": [[f["takeoff_s"], f["landing_s"]] for f in plan["flights"]] if plan else [],
                "letters": [place.job.letter for place in row.jobs.all()],
            }
        )
    return found


def versions_of(day: Day) -> list[dict[str, Any]]:
    """Return the kept plans of a day, newest first: who, when, why, how it ends, and what has changed since."""
    try:
        now = bridge.facts_of(roster_of(day))
    except bridge.PlanError:
        now = {}
    return [
        {
            "number": row.number,
            "made_at": row.made_at,
            "by": (row.by.full_name or row.by.username) if row.by else "",
            "why": row.why,
            "state": row.state,
            "finish_s": row.plan["finish_s"],
            "p90_s": (row.plan.get("chance") or {}).get("p90_s"),
            "sorties": len(row.plan["flights"]),
            "waits_s": sum(w["to_s"] - w["from_s"] for w in row.plan["waits"] if w["reason"] == "pack"),
            "stale": bridge.changes(row.facts, now) if row.facts and now else [],
        }
        for row in DayPlan.objects.filter(day=day).select_related("by")
    ]


def version_of(day: Day, number: int) -> DayPlan:
    """Return one kept plan of a day."""
    row = DayPlan.objects.filter(day=day, number=number).first()
    if row is None:
        raise DomainError("not_found", "This plan is no longer kept. Choose one from the list.")
    return row


def packing_of(day: Day) -> list[dict[str, Any]]:
    """Return what to take, made from the plan of a day."""
    kept, _ = plan_of(day)
    r = roster_of(day)
    kinds = {place.job.kind for place in day.jobs.select_related("job")}
    return bridge.packing_list(r, kept.plan, kinds, r.supply.get("air_c"))


def known_packs(ids: list[str]) -> set[str]:
    """Return which of the ids are packs of the scope."""
    return {str(pk) for pk in Pack.objects.filter(pk__in=ids).values_list("pk", flat=True)}


def run_of(day_id: UUID, *, lock: bool = False) -> DayRun:
    """Return the run of a day that is being flown."""
    rows = DayRun.objects.select_for_update(of=("self",)) if lock else DayRun.objects.all()
    row = rows.select_related("day", "organisation").filter(day_id=day_id).first()
    if row is None:
        day_of(day_id)
        raise DomainError("not_started", "This day has not begun. Start it first.", "day")
    return row


def moment_of(run: DayRun, at: datetime) -> datetime:
    """Return a moment on the clock of a run: time itself for a day that is flown, a faster or standing one for a rehearsal."""
    if run.clock_at is None:
        return at
    since = max(0.0, (at - run.clock_at).total_seconds())
    return hours_of(run.day)[0] + timedelta(seconds=run.clock_s + since * run.speed)


def clock_of(run: DayRun) -> float:
    """Return how far a run is. [s from opening]"""
    return max(0.0, (moment_of(run, timezone.now()) - hours_of(run.day)[0]).total_seconds())


def running_word(day: Day) -> str:
    """Return whether a day is running or closed; nothing where it has not begun."""
    run = getattr(day, "run", None)
    return "" if run is None else "closed" if run.closed_at else "running"


def live_day(organisation: Organisation) -> str | None:
    """Return the day that an organisation is flying, the newest of several."""
    with scope(organisation=organisation):
        rows = DayRun.objects.filter(closed_at=None, day__rehearsal_of=None, day__archived_at=None)
        last = rows.filter(day__date__gte=timezone.now().date() - timedelta(days=2)).order_by("-started_at").first()
    return str(last.day_id) if last is not None else None


def run_mark(day_id: UUID) -> tuple[int, float] | None:
    """Return the revision of a running day and the speed of its clock; nothing where it has not begun."""
    mark = DayRun.objects.filter(day_id=day_id).values_list("revision", "speed").first()
    if mark is None:
        day_of(day_id)
    return mark


def is_running(day: Day) -> bool:
    """Return whether a day has begun."""
    return DayRun.objects.filter(day=day).exists()


def events_of(day: Day) -> list[Any]:
    """Return what has happened on a day as events of the core, in order of time."""
    opens_s = hours_of(day)[0].timestamp()
    return [bridge.event_of(row, opens_s) for row in DayEvent.objects.filter(day=day).select_related("by")]


def live_of(day: Day) -> dict[str, Any]:
    """Return a running day as it stands now: calls, packs, ports, alerts, questions."""
    run = run_of(day.pk)
    opens = hours_of(day)[0]
    now_s = clock_of(run)
    frame, events = bridge.frame_of(run), events_of(day)
    state = bridge.state_of(frame, events)
    had = bridge.planned(run, frame, state, now_s, anew=False)
    watch = policy_bridge.watch(own_values())
    told = bridge.told(
        run, frame, state, had, now_s, list(DayTelemetry.objects.filter(day=day)), events, opens.timestamp(), watch
    )
    return told | {
        "day_id": str(day.pk),
        "name": day.name,
        "opens_at": opens,
        "closes_at": hours_of(day)[1],
        "time_zone": day.time_zone,
        "speed": run.speed,
        "rehearsal_of": str(day.rehearsal_of_id) if day.rehearsal_of_id else None,
    }


def course_of(day: Day) -> dict[str, Any]:
    """Return the course of a running day, drawn as a planned day is: what happened, and what is planned from now on."""
    run = run_of(day.pk)
    frame, events, now_s = bridge.frame_of(run), events_of(day), clock_of(run)
    state = bridge.state_of(frame, events)
    had = bridge.planned(run, frame, state, now_s, anew=False)
    return bridge.course_told(run, frame, state, had, events, now_s)


def told_events(day: Day, after: int = 0) -> list[dict[str, Any]]:
    """Return what was written down of a day, oldest first, with who and on which device."""
    rows = DayEvent.objects.filter(day=day, pk__gt=after).select_related("by").order_by("pk")
    return [
        {
            "id": row.pk,
            "key": row.key,
            "kind": row.kind,
            "at": row.at,
            "received_at": row.received_at,
            "offset_s": row.offset_s,
            "by": row.by.full_name or row.by.username,
            "device": row.device,
            "figures": row.figures,
        }
        for row in rows
    ]


def rehearsals_of(day: Day) -> list[dict[str, Any]]:
    """Return the rehearsals of a day, newest first."""
    rows = DayRun.objects.filter(day__rehearsal_of=day, day__archived_at=None).select_related("day", "started_by")
    return [
        {
            "id": str(run.day_id),
            "started_at": run.started_at,
            "by": run.started_by.full_name or run.started_by.username,
            "seed": run.rehearsal["seed"],
            "by_hand": run.rehearsal["by_hand"],
            "faults": [f["kind"] for f in run.rehearsal["faults"]],
            "now_s": clock_of(run),
            "closed": run.closed_at is not None,
        }
        for run in rows.order_by("-started_at")[:30]
    ]


def is_rehearsal(day_id: UUID) -> bool:
    """Return whether a day is a rehearsal."""
    return day_of(day_id).rehearsal_of_id is not None


def rehearsal_of(day_id: UUID) -> dict[str, Any]:
    """Return a rehearsal: its clock, who answers the calls, its faults and whether each has struck."""
    run = run_of(day_id)
    if run.clock_at is None:
        raise DomainError("not_found", "This day is flown, not rehearsed.")
    return bridge.rehearsal_told(run) | {"id": str(day_id), "of": str(run.day.rehearsal_of_id), "now_s": clock_of(run)}


def faults() -> list[dict[str, str]]:
    """Return what can go wrong in a rehearsal."""
    return bridge.faults_told()


def flown_days(begins: date | None = None, ends: date | None = None) -> list[dict[str, Any]]:
    """Return the days that were or are being flown, with what was flown on each; rehearsals are none."""
    rows = DayRun.objects.filter(day__rehearsal_of=None, day__archived_at=None).select_related("day").order_by("day__date")
    if begins is not None:
        rows = rows.filter(day__date__gte=begins)
    if ends is not None:
        rows = rows.filter(day__date__lte=ends)
    found = []
    for run in rows:
        frame, events = bridge.frame_of(run), events_of(run.day)
        state = bridge.state_of(frame, events)
        opens = hours_of(run.day)[0]
        sorties = [
            s
            | {
                "began_at": opens + timedelta(seconds=s["takeoff_s"]),
                "length_s": s["landing_s"] - s["takeoff_s"],
                "record_keys": record_keys(run, s["key"], s["packs"]),
            }
            for s in bridge.flown(run, frame, state, events)
        ]
        found.append(
            bridge.kept_to(run, sorties)
            | {
                "day_id": str(run.day_id),
                "name": run.day.name,
                "date": run.day.date,
                "time_zone": run.day.time_zone,
                "opens_at": opens,
                "closed": run.closed_at is not None,
                "air_c": run.frame.get("air_c"),
                "plan_number": run.plan_number,
                "swap_s": run.day.swap_s,
                "swaps": bridge.swaps(run, frame, state),
                "sorties_flown": sorties,
            }
        )
    return found


def record_keys(run: DayRun, key: str, packs: list[str], kind: str = "flight") -> list[UUID]:
    """Return the keys under which a sortie is written into the records of its packs."""
    return [uuid5(NAMESPACE_URL, f"{run.pk}/{key}/{name}/{kind}") for name in packs]
