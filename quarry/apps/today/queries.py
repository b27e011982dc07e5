"""Reading what the first screen shows; of plans only what is kept, nothing is planned here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from django.db.models import F, Q
from django.utils import timezone

from quarry.apps.accounts.models import Owned, User
from quarry.apps.accounts.queries import people_for
from quarry.apps.care.queries import shelf
from quarry.apps.care.views import PackLine
from quarry.apps.day.fields import moments_of, true_s
from quarry.apps.day.models import Day, DayPlan
from quarry.apps.day.queries import day_of, live_day, live_of, next_flights
from quarry.apps.day.repository import plan_from
from quarry.apps.day.views.plan import DayGate
from quarry.apps.fleet.models import Aircraft, AircraftModel, Charger, ChargerModel, Pack, PackModel, Supply
from quarry.apps.jobs.models import Job
from quarry.apps.limits.models import Preflight
from quarry.apps.logbook.models import Import, LogFile
from quarry.apps.policy.queries import page
from quarry.apps.search.models import Search
from quarry.apps.today.views import ComingDay, DueItem, Found, RunningDay, SetupStep, TodayOut, WeatherSpan

_DAYS = 4
_CALLS = 6
_DUE = 8
_FOUND = 6
_SEARCHES = 3
_RANK = {"go": 0, "care": 1, "no": 2}


def today(actor: User) -> TodayOut:
    """Return what runs, what flies next, what is due and what needs an answer, for the company of a person."""
    zone = ZoneInfo(actor.organisation.time_zone) if actor.organisation.time_zone else ZoneInfo("UTC")
    now = timezone.now().astimezone(zone)
    flies = next_flights()
    due = _due(shelf(flies).packs, flies, now)
    running = _running(actor)
    return TodayOut(
        date=now.date().isoformat(),
        running=running,
        days=_coming(now, running),
        answers=_answers(running),
        due=due[:_DUE],
        due_more=max(0, len(due) - _DUE),
        steps=_steps(actor),
    )


def _running(actor: User) -> RunningDay | None:
    day_id = live_day(actor.organisation)
    if day_id is None:
        return None
    live = live_of(day_of(Day.objects.values_list("pk", flat=True).get(pk=day_id)))
    return RunningDay(
        live.day_id,
        live.name,
        live.opens_at.isoformat(),
        live.time_zone,
        live.now_s,
        live.finish_s,
        live.calls[:_CALLS],
        [a.words for a in live.alerts if a.grade == "now"],
        len(live.questions),
    )


def _coming(now: datetime, running: RunningDay | None) -> list[ComingDay]:
    yesterday = now.date() - timedelta(days=1)
    rows = Day.objects.filter(archived_at=None, rehearsal_of=None, run=None, date__gte=yesterday)
    rows = rows.exclude(pk=running.id) if running else rows
    # A night that began yesterday is still to come to its end; a day of yesterday is over.
    rows = rows.filter(Q(date__gte=now.date()) | Q(closes__lte=F("opens")))
    return [_coming_day(day) for day in rows.order_by("date", "name").prefetch_related("jobs__job", "crew")[:_DAYS]]


def _coming_day(day: Day) -> ComingDay:
    opens, closes = moments_of(day)
    length_s = true_s(opens, closes)
    kept = DayPlan.objects.filter(day=day).order_by("-number").first()
    plan = plan_from(kept.plan) if kept is not None else None
    return ComingDay(
        id=day.pk,
        name=day.name,
        date=day.date.isoformat(),
        opens=day.opens.strftime("%H:%M"),
        closes=day.closes.strftime("%H:%M"),
        jobs=[place.job.name for place in day.jobs.all()],
        sorties=len(plan.flights) if plan else None,
        finish_s=plan.finish_s if plan else None,
        length_s=length_s,
        weather=_weather(plan.gates, length_s) if plan else [],
        crew=[person.full_name or person.username for person in day.crew.all()],
        opens_at=opens.isoformat(),
        time_zone=day.time_zone,
    )


def _weather(gates: Sequence[DayGate], length_s: float) -> list[WeatherSpan]:
    """Return the worst word of all jobs by the hour, neighbours of one word joined."""
    starts = sorted({h.start_s for g in gates for h in g.hours if h.start_s < length_s})
    found: list[WeatherSpan] = []
    for start, end in zip(starts, [*starts[1:], length_s], strict=True):
        hours = [h for g in gates for h in g.hours if h.start_s == start]
        worst = max(hours, key=lambda h: _RANK[h.word])
        span = WeatherSpan(
            max(0.0, start),
            min(end, length_s),
            worst.word,
            all(h.unknown for h in hours),
            worst.reasons[0] if worst.reasons else "",
        )
        last = found[-1] if found else None
        if last is not None and (last.word, last.unknown) == (span.word, span.unknown):
            found[-1] = WeatherSpan(last.start_s, span.end_s, last.word, last.unknown, last.reason)
        else:
            found.append(span)
    return found


def _answers(running: RunningDay | None) -> list[DueItem]:
    found = []
    if running is not None and running.questions:
        words = f"{running.questions} open {'question' if running.questions == 1 else 'questions'} on {running.name}"
        found.append(DueItem(words, "two people recorded one thing differently", f"/days/{running.id}/live", urgent=True))
    for search in Search.objects.filter(archived_at=None, ended_at=None)[:_SEARCHES]:
        words, why = f"Search {search.name} is open", "which ground next, reports, handover"
        found.append(DueItem(words, why, f"/searches/{search.pk}", urgent=False))
    asks = LogFile.objects.filter(state="asks").count()
    if asks:
        words = f"{asks} {'log asks' if asks == 1 else 'logs ask'} what its columns are"
        first = LogFile.objects.filter(state="asks").order_by("-id").values_list("pk", flat=True)[0]
        found.append(DueItem(words, "it counts once somebody says", f"/logbook/files/{first}", urgent=False))
    failed = Import.objects.filter(state="refused", made_at__gte=timezone.now() - timedelta(days=3)).count()
    if failed:
        words = f"{failed} {'import was' if failed == 1 else 'imports were'} refused"
        found.append(DueItem(words, "each says why", "/logbook", urgent=False))
    for row in Preflight.objects.filter(state="open", on=timezone.localdate()).select_related("job", "aircraft")[:3]:
        words = f"Preflight {row.job.letter}{row.sortie}, {row.aircraft.name}, is open"
        found.append(DueItem(words, "begun and not cleared", f"/preflight/{row.pk}", urgent=False))
    return found


def _due(packs: Sequence[PackLine], flies: Mapping[str, date], now: datetime) -> list[DueItem]:
    """Return the care that is due, that of packs that fly within a day first, then the latest."""
    found = []
    for p in packs:
        task = next((t for t in p.tasks if t.due <= now.date()), None)
        if task is None:
            continue
        next_on = flies.get(str(p.id))
        soon = next_on is not None and next_on <= now.date() + timedelta(days=1)
        late = f"{task.late} {'day' if task.late == 1 else 'days'} late" if task.late > 0 else "today"
        reason = f"{late}; it flies {'today' if next_on == now.date() else 'tomorrow'}" if soon else late
        found.append((task.late, DueItem(f"{p.name}: {task.words}", reason, f"/packs/{p.id}", urgent=soon)))
    return [item for _, item in sorted(found, key=lambda f: (not f[1].urgent, -f[0], f[1].words))]


def _steps(actor: User) -> list[SetupStep]:
    """Return the steps of setting a company up, or nothing once all are done."""

    def has(model: type[Owned]) -> bool:
        return model.objects.filter(archived_at=None).exists()

    model = "aircraft" if has(AircraftModel) else "aircraft-models" if has(PackModel) else "pack-models"
    charger = "supplies" if has(Charger) else "chargers" if has(ChargerModel) else "charger-models"
    steps = [
        SetupStep(
            "company",
            "Company",
            "time zone and currency: every screen goes by them",
            bool(actor.organisation.time_zone),
            "/company",
        ),
        SetupStep(
            "aircraft",
            "Aircraft",
            "a model with its power and speed, and the aircraft you fly of it",
            has(Aircraft),
            f"/fleet?of={model}&new",
            samples=not (has(AircraftModel) and has(PackModel) and has(ChargerModel)),
        ),
        SetupStep(
            "packs",
            "Packs",
            "each pack by name: its health and charge are followed from now on",
            has(Pack),
            "/fleet?of=packs&new",
        ),
        SetupStep(
            "power",
            "Charger and supply",
            "what charges on site and from where: charging is planned within it",
            has(Charger) and has(Supply),
            f"/fleet?of={charger}&new",
        ),
        SetupStep("field", "Field", "a job: its boundary from a file, or drawn on the map", has(Job), "/jobs?new"),
        SetupStep(
            "day", "Day", "jobs, packs and chargers on one date: sorties and charging are scheduled", has(Day), "/days/new"
        ),
    ]
    return [] if all(s.done for s in steps) else steps


def find(actor: User, words: str) -> list[Found]:
    """Return what goes by a name or part of one: packs, jobs, days, aircraft, chargers, people, settings."""
    words = words.strip()
    if len(words) < 2:
        return []
    named = Q(name__icontains=words)
    packs = Pack.objects.filter(named | Q(serial__icontains=words), archived_at=None).select_related("model")
    jobs = Job.objects.filter(named | Q(place__icontains=words), archived_at=None)
    days = Day.objects.filter(named | Q(jobs__job__name__icontains=words), archived_at=None, rehearsal_of=None).distinct()
    crafts = Aircraft.objects.filter(named, archived_at=None).select_related("model")
    chargers = Charger.objects.filter(named, archived_at=None).select_related("model")
    people = people_for(actor).filter(Q(username__icontains=words) | Q(full_name__icontains=words), is_active=True)
    found = [
        *(Found("Pack", p.name, p.model.name, f"/packs/{p.pk}") for p in packs.order_by("name")[:_FOUND]),
        *(Found("Job", j.name, j.place or j.get_kind_display(), f"/jobs/{j.pk}") for j in jobs.order_by("name")[:_FOUND]),
        *(Found("Day", d.name, d.date.isoformat(), f"/days/{d.pk}") for d in days.order_by("-date")[:_FOUND]),
        *(Found("Aircraft", a.name, a.model.name, f"/fleet?of=aircraft&edit={a.pk}") for a in crafts.order_by("name")[:_FOUND]),
        *(Found("Charger", c.name, c.model.name, f"/fleet?of=chargers&edit={c.pk}") for c in chargers.order_by("name")[:_FOUND]),
        *(Found("Person", p.full_name or p.username, p.get_role_display(), "/people") for p in people[:_FOUND]),
    ]
    settings = [s for s in page().settings if words.lower() in f"{s.words} {s.group}".lower()]
    return found + [Found("Setting", s.words, s.group, f"/policy#{s.key}") for s in settings[:_FOUND]]
