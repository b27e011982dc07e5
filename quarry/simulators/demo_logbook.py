"""The demo's logbook: days that were flown, and logs of them as different apps would write them. All of it is simulated."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any

from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.care.models import PackRecord
from quarry.apps.day import mappers as day_mappers
from quarry.apps.day.fields import moments_of
from quarry.apps.day.models import Day, DayPlan, DayRun
from quarry.apps.day.queries import plan_of, roster_of
from quarry.apps.day.repository import frame_of, plan_from, plan_json
from quarry.apps.day.services import PostedEvent, add_day, close_run, post_events, start_run
from quarry.apps.fleet.mappers import airframe
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.logbook.importer import begin_import, run_import
from quarry.core.day.playing import rehearse
from quarry.core.day.rehearsal import World
from quarry.core.rotation.scatter import Scatter
from quarry.simulators import scene
from quarry.simulators.flight_logs import WRITERS, Truth, archive, fly, work_s

Plain = dict[str, Any]
# Wren draws more than its figures say; pack by pack what is true of it, which nobody in the demo knows.
DRAWS = {"Wren": 1.075, "Bittern": 1.03}
HOLDS_AH = {"01": 15.4, "02": 15.2, "03": 14.3, "04": 13.7, "11": 15.1, "12": 14.9, "13": 14.2, "16": 14.0}
OHM = {"01": 0.0021, "02": 0.0022, "03": 0.0026, "04": 0.0029, "11": 0.0022, "12": 0.0023, "13": 0.0027, "16": 0.0028}
LATER = 0.015  # how much longer sorties of the demo took than planned
_DAYS_AGO = (23, 16, 9)
_SPEEDS = {"S": 8.3, "M": 10.0, "B": 5.0}  # through the air on the lines
_TURNED_EARLY = (1, 2)  # day and sortie: its last lines are left open
_FORMS = ("comma decimals", "small units", "camel case")


def flown_before(people: list[User], known: dict[str, Any], jobs: list[Any]) -> None:
    """Fly three days of the past: planned, flown by a simulated crew, told from a device, closed."""
    lead = people[0]
    letters = {j.letter: j for j in jobs}
    for place, ago in enumerate(_DAYS_AGO):
        when = timezone.now().date() - timedelta(days=ago)
        picked = [letters["M"]] if place % 2 == 0 else [letters["S"]]
        day = add_day(actor=lead, figures=_day(when, picked, known, people))
        plan, _ = plan_of(day, lead)
        r = roster_of(day)
        DayPlan.objects.filter(pk=plan.pk).update(
            plan=plan_json(day_mappers.with_insight(r, plan_from(plan.plan), grid=False)), state="best"
        )
        _fly(people[1 + place % 2], day, seed=scene.SEED + place)


def _day(when: date, jobs: list[Any], known: dict[str, Any], people: list[User]) -> Plain:
    packs = [p for p in scene.PACKS if p["name"] in ("01", "02", "03", "11", "12", "13")]
    return {
        "name": f"{scene.SITE}, {jobs[0].name.lower()}",
        "date": when.isoformat(),
        "time_zone": "Europe/London",
        "opens": "08:30",
        "closes": "17:00",
        "pauses": [],
        "swap_s": 240,
        "rest_after_flight_s": 600,
        "rest_after_charge_s": 300,
        "elevation_m": 380,
        "supply_id": known["Trailer set"],
        "charger_ids": [known[c["name"]] for c in scene.CHARGERS],
        "crew_ids": [p.pk for p in people[:3]],
        "jobs": [{"job_id": j.pk, "aircraft_id": known["Wren"]} for j in jobs],
        "packs": [{"pack_id": known[f"pack {p['name']}"], "start_frac": 1.0} for p in packs],
    }


def _fly(actor: User, day: Day, seed: int) -> None:
    run = start_run(actor=actor, day_id=day.pk, how="planned")
    kept = frame_of(run)
    frame = kept.core()
    world = World(frame, seed, scatter=Scatter(day_frac=0.0, flight_frac=0.0, reaction_s=45.0))
    chance = random.Random(seed)  # noqa: S311 - a demo, not a secret
    world.length = {f.id: f.flight_s * (1 + LATER + chance.gauss(0, 0.03)) for f in frame.task.flights}
    played = rehearse(frame, kept.plan, world, kept.turn_backs_s)
    opens = moments_of(day)[0]
    posted = [PostedEvent(e.key, e.kind, opens + timedelta(seconds=e.at_s), dict(e.figures), under=1) for e in played.events]
    for k in range(0, len(posted), 300):
        post_events(
            actor=actor, day_id=day.pk, device="tablet of the demo", device_now=timezone.now(), events=posted[k : k + 300]
        )
    close_run(actor=actor, day_id=day.pk)


def simulated_logs() -> tuple[bytes, bytes]:
    """Return two archives: logs of what was flown of late, and a few more to be dropped by whoever tries the demo."""
    files = list(_of_days())
    files += [_written(t, "comma decimals", 400 + k) for k, t in enumerate(_of_records(8))]
    *kept, last = files
    rest = list(_of_records(12))[8:]
    shapes = ("odd names", "plain seconds", "odd names", "camel case")
    more = [_written(t, form, 700 + k) for k, (t, form) in enumerate(zip(rest, shapes, strict=False))]
    return archive(kept), archive([*more, last])


def read_in(actor: User, data: bytes) -> None:
    """Read the demo's logs in as a crew would."""
    row = begin_import(actor=actor, name="logs of the season, simulated.zip", data=data)
    run_import(row.pk)
    row.refresh_from_db()
    if row.state != "done" or any(r["state"] == "refused" for r in row.report):
        raise SystemExit(f"The demo's logs were refused: {row.words} {row.report}")


def _truth(item: Aircraft, pack: Pack, began: datetime, seconds: float, seed: int, air_c: float) -> Truth:
    chance = random.Random(seed)  # noqa: S311 - a demo, not a secret
    cells = pack.model.cells
    return Truth(
        airframe(item.model, item, claimed=True),
        cells=cells,
        capacity_ah=HOLDS_AH.get(pack.name, pack.model.capacity_ah * 0.93),
        cell_25_ohm=OHM.get(pack.name, 0.0024),
        power_times=DRAWS.get(item.name, 1.0) * chance.gauss(1.0, 0.018),
        air_c=air_c,
        start_c=max(air_c, 17.0) + chance.gauss(0, 1.5),
        start_frac=1.0,
        wind_m_s=min(4.8, max(1.0, chance.gauss(3.6, 0.9))),
        wind_from_deg=chance.gauss(238.0, 18.0),
        air_m_s=10.0,
        home=(scene.LON - 0.0062, scene.LAT + 0.0018),
        seconds=seconds - 8.0,
        step_s=1.0,
        knee_frac=0.6 if pack.name == "03" else 0.0,
        knee_times=1.6,
        weak_cell=4 if pack.name == "04" else 0,
        serial=pack.serial,
        firmware="3.1" if (timezone.now() - began).days > 18 else "3.2",
        began=began,
    )


def _of_days() -> Iterator[tuple[str, bytes]]:
    """Yield a log of each sortie of the days that were flown."""
    craft = {str(a.pk): a for a in Aircraft.objects.select_related("model__pack_model")}
    packs = {str(p.pk): p for p in Pack.objects.select_related("model")}
    runs = DayRun.objects.filter(day__rehearsal_of=None, day__archived_at=None).order_by("day__date")
    for number, run in enumerate(runs.prefetch_related("landed")):
        routes = frame_of(run).routes
        for place, sortie in enumerate(run.landed.all()):
            truth = _truth(
                craft[str(sortie.aircraft_id)],
                packs[sortie.pack_ids[0]],
                sortie.took_off_at + timedelta(seconds=11 + 3 * place),
                sortie.landing_s - sortie.takeoff_s,
                100 * number + place,
                sortie.air_c or 11.0,
            )
            route = routes[sortie.sortie.rstrip("+")]
            truth = replace(
                truth,
                home=route.home,
                air_m_s=_SPEEDS[sortie.letter],
                turn_s=4.0,
                lines=route.lines,
            )
            if (number, place) != _TURNED_EARLY:
                truth = _whole(truth)
            yield _written(truth, _FORMS[number % len(_FORMS)], 100 * number + place)


def _whole(truth: Truth) -> Truth:
    """Return a flight that does all of its lines in its time: as fast as that takes."""
    faster = (replace(truth, air_m_s=truth.air_m_s * (1 + k / 50)) for k in range(40))
    return next((t for t in faster if work_s(t) <= t.seconds), truth)


def _of_records(count: int) -> Iterator[Truth]:
    """Yield truths of the newest flights that were written down at the packs of Wren and belong to no day."""
    wren = Aircraft.objects.select_related("model__pack_model").get(name="Wren")
    rows = PackRecord.objects.filter(
        kind="flight",
        pack__name__in=HOLDS_AH,
        at__gte=timezone.now() - timedelta(days=80),
        note="",
        figures__flown_s__gte=1250,
    ).select_related("pack__model")
    for k, r in enumerate(rows.order_by("-at")[:count]):
        yield _truth(
            wren, r.pack, r.at + timedelta(seconds=20 + 7 * k), r.figures["flown_s"], 500 + k, r.figures.get("air_c", 9.0)
        )


def _written(truth: Truth, form: str, seed: int) -> tuple[str, bytes]:
    name = f"{truth.began:%Y-%m-%d_%H%M}_{truth.serial or 'pack'}_{form.replace(' ', '-')}.csv"
    return name, WRITERS[form](truth, fly(truth, seed))
