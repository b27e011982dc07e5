"""A day rehearsed over the server's own API: a crew or a person answers, things go wrong, nothing reaches the records."""

import json
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.tokens import bridge_token
from quarry.apps.care.models import PackRecord
from quarry.apps.day import queries, services
from quarry.apps.day.models import DayEvent, DayRun, DayTelemetry
from quarry.simulators import rehearsal_service
from quarry.simulators.rehearsal_service import Bridge, Refused, RehearsalService
from tests.factories import Web, make_day, person, plain, post_events

FAULTS = [
    {"kind": "port_trips", "at_s": 1500.0, "about": "", "length_s": 1200.0},
    {"kind": "weak_cell", "at_s": 3000.0, "about": "", "length_s": 1200.0},
    {"kind": "gust_front", "at_s": 5000.0, "about": "", "length_s": 900.0},
]


@pytest.fixture
def day(lead, fleet, job):
    return make_day(lead, fleet, [job], date="2027-05-04", time_zone="UTC", opens="08:00", closes="18:00", pauses=[])


@pytest.fixture
def over_the_api(monkeypatch):
    """Let the service post to the API of this process; the link can be cut."""
    link = {"cut": False, "posts": 0}

    def post(self, path, body):
        if link["cut"]:
            raise OSError("no link")
        link["posts"] += 1
        answer = Client().generic(
            "POST", path, json.dumps(body), "application/json", headers={"Authorization": f"Bearer {self.token}"}
        )
        if answer.status_code >= 400:
            raise Refused(f"{path}: {answer.status_code} {answer.content.decode()}")

    monkeypatch.setattr(Bridge, "post", post)
    monkeypatch.setattr(rehearsal_service, "_AIR_S", 0.0)
    return link


def begin(lead, day, **over):
    given = {"speed": 1.0, "by_hand": False, "seed": 4, "faults": FAULTS} | over
    given["faults"] = [services.FaultGiven(**f) for f in given["faults"]]
    return services.begin_rehearsal(actor=lead, day_id=day.pk, **given)


def on(mine, seconds):
    """Move the clock of a rehearsal on."""
    run = DayRun.objects.get(day_id=mine)
    DayRun.objects.filter(pk=run.pk).update(clock_s=run.clock_s + seconds)


def play(mine, service, *, step_s=30.0, most=1500):
    for _ in range(most):
        on(mine, step_s)
        service.turn()
        if plain(queries.rehearsal_of(mine))["closed"]:
            return
    pytest.fail("it never ended")


def test_a_simulated_crew_flies_the_whole_day_with_three_faults(lead, day, over_the_api):
    mine = begin(lead, day)
    service = RehearsalService("http://here")
    play(mine, service)
    assert plain(queries.rehearsal_of(mine))["better"] is None, "nobody waits for the looking back"
    service.turn()
    told = plain(queries.rehearsal_of(mine))
    assert [f["struck"] for f in told["faults"]] == [True] * 3
    live = plain(queries.live_of(queries.day_of(mine)))
    assert {f["word"] for f in live["flights"]} == {"landed"}
    assert live["oddities"] == []
    assert any(f["id"].endswith("+") for f in live["flights"]), "what the weak cell left is flown too"
    assert {e.device for e in DayEvent.objects.filter(day_id=mine)} == {"rehearsal", ""}
    air = DayTelemetry.objects.get(day_id=mine, flight="S1").figures
    assert min(air["cells_v"]) == air["lowest_v"]
    assert (air["lon_deg"], air["lat_deg"]) == pytest.approx((7.103, 46.202), abs=0.006), "over the field of the job"
    port = DayTelemetry.objects.filter(day_id=mine, flight="port 1").get().figures
    assert 0 < port["frac"] <= 1
    assert 20 < port["pack_v"] < 25.3
    assert told["speed"] == 0
    assert told["better"]["calm_s"] <= told["better"]["prompt_s"]
    assert (told["better"]["calm_sorties"], told["better"]["prompt_sorties"]) == (2, 3)
    assert live["finish_s"] >= told["better"]["calm_s"] - 120
    assert not PackRecord.objects.filter(key__isnull=False, note=day.name).exists(), "a rehearsal wears no pack"
    summary = plain(queries.summary_of(queries.day_of(mine)))
    assert summary["sorties"] == len(live["flights"])
    assert any("failed its load test" in r for r in summary["risky"])


def test_a_lost_link_or_a_service_that_starts_anew_doubles_nothing(lead, day, over_the_api):
    mine, service = begin(lead, day, faults=[]), RehearsalService("http://here")
    for k in range(120):
        on(mine, 30.0)
        over_the_api["cut"] = k % 3 == 0
        service.turn()
        if k % 10 == 9:
            service = RehearsalService("http://here")
    over_the_api["cut"] = False
    service.turn()
    rows = list(DayEvent.objects.filter(day_id=mine))
    launched = [e.figures["flight"] for e in rows if e.kind == "launched"]
    assert launched
    assert len(set(launched)) == len(launched)
    assert plain(queries.live_of(queries.day_of(mine)))["oddities"] == []


def test_a_person_answers_while_the_world_goes_on_and_the_clock_stands_when_told(lead, day, over_the_api):
    mine, service = begin(lead, day, by_hand=True, faults=[]), RehearsalService("http://here")
    on(mine, 900.0)
    service.turn()
    assert not DayEvent.objects.filter(day_id=mine).exists()
    services.let_go_wrong(actor=lead, day_id=mine, kind="generator_dry")
    on(mine, 5.0)
    service.turn()
    live = plain(queries.live_of(queries.day_of(mine)))
    assert live["power_out"]
    assert live["rehearsal_of"] == str(day.pk)
    services.steer_rehearsal(actor=lead, day_id=mine, speed=0)
    stood = plain(queries.rehearsal_of(mine))["now_s"]
    assert service.turn() is False
    assert plain(queries.rehearsal_of(mine))["now_s"] == stood
    event = {"key": "mine", "kind": "note", "at": timezone.now(), "figures": {"words": "seen"}}
    post_events(actor=lead, day_id=mine, device="", device_now=timezone.now(), events=[event])
    kept = DayEvent.objects.get(day_id=mine, key="mine")
    assert (kept.at - queries.moments_of(day)[0]).total_seconds() == pytest.approx(stood, abs=0.1)


def test_one_rehearsal_that_cannot_go_on_stands_still_and_the_others_go_on(lead, day, over_the_api, monkeypatch):
    broken, sound = begin(lead, day, faults=[]), begin(lead, day, faults=[], seed=9)
    step = rehearsal_service.RehearsalService._play

    def play_one(self, run):
        if str(run.day_id) == str(broken):
            raise ZeroDivisionError
        step(self, run)

    monkeypatch.setattr(rehearsal_service.RehearsalService, "_play", play_one)
    service = RehearsalService("http://here")
    for _ in range(8):
        on(sound, 60.0)
        service.turn()
    assert plain(queries.rehearsal_of(broken))["speed"] == 0
    assert DayEvent.objects.filter(day_id=sound).exists()


def test_a_rehearsal_is_no_day_of_its_own_and_can_be_put_away(lead, day, over_the_api):
    mine = begin(lead, day)
    assert [d.pk for d in queries.days_for()] == [day.pk]
    assert not queries.is_running(day)
    assert [r["id"] for r in plain(queries.rehearsals_of(day))] == [str(mine)]
    services.put_rehearsal_away(actor=lead, day_id=mine)
    assert plain(queries.rehearsals_of(day)) == []
    assert RehearsalService("http://here").turn() is False
    services.put_rehearsal_away(actor=lead, day_id=mine, away=False)
    assert len(plain(queries.rehearsals_of(day))) == 1
    with pytest.raises(DomainError, match="rehearse the day"):
        begin(lead, queries.day_of(mine))


@pytest.mark.parametrize(
    ("over", "field", "words"),
    [
        ({"speed": 400.0}, "speed", "1 to 120 times"),
        ({"faults": [FAULTS[0] | {"kind": "meteor"}]}, "faults.0.kind", "A fault is one of"),
        ({"faults": [FAULTS[0] | {"about": "99"}]}, "faults.0.about", "no sortie, pack or port"),
        ({"faults": [FAULTS[0], FAULTS[1] | {"length_s": 1.0}]}, "faults.1.length_s", "from 30"),
    ],
)
def test_what_cannot_be_rehearsed_is_said_at_its_field(lead, day, over, field, words):
    with pytest.raises(DomainError, match=words) as bad:
        begin(lead, day, **over)
    assert bad.value.field == field


def test_a_bridge_tells_of_its_day_alone(lead, day, client, job, fleet):
    run = services.start_run(actor=lead, day_id=day.pk, how="planned")
    other = make_day(lead, fleet, [job], date="2027-05-05", time_zone="UTC", opens="08:00", closes="18:00", pauses=[])
    body = {"device": "bridge", "device_now": timezone.now().isoformat(), "events": []}

    def ask(method, path, token):
        head = {"Authorization": f"Bearer {token}"}
        return client.generic(method, path, json.dumps(body), "application/json", headers=head).status_code

    good = bridge_token(lead, day.pk)
    assert ask("POST", f"/api/days/{day.pk}/events", good) == 200
    assert ask("POST", f"/api/days/{other.pk}/events", good) == 403
    assert ask("POST", f"/api/days/{day.pk}/events", good[:-2] + "xx") == 401
    assert ask("DELETE", f"/api/days/{day.pk}/rehearsal", good) == 403
    assert ask("GET", f"/api/days/{day.pk}", good) == 403
    lead.is_active = False
    lead.save()
    assert ask("POST", f"/api/days/{day.pk}/events", good) == 401
    assert run.clock_at is None


def test_who_may_not_run_a_day_may_not_rehearse_one(lead, day, client):
    client.force_login(person(lead.organisation, "vera", "viewer"))
    answer = Web(client).post(f"/days/{day.pk}/rehearsals", {"speed": 30, "by_hand": True, "seed": 1, "faults": []})
    assert answer.status_code == 403


def test_the_clock_of_a_rehearsal_stands_while_nobody_plays_it(lead, day, monkeypatch):
    """The service, or all of it, was down: what people see when it is back is where they left it."""
    from quarry.apps.day import queries
    from quarry.apps.day.models import DayRun

    played = services.begin_rehearsal(actor=lead, day_id=day.pk, speed=30, by_hand=True, seed=1, faults=[])
    run = DayRun.objects.select_related("day").get(day_id=played)
    begun = timezone.now()

    def later(seconds):
        monkeypatch.setattr(timezone, "now", lambda: begun + timedelta(seconds=seconds))
        run.refresh_from_db()

    start = queries.clock_of(run)
    services.go_on_playing(run=run)
    later(10)
    running = queries.clock_of(run)
    assert running - start == pytest.approx(300, abs=40)
    later(25)
    stands = queries.clock_of(run)
    later(3600)
    assert queries.clock_of(run) == stands, "an hour without the service is no time"
    services.go_on_playing(run=run)
    run.refresh_from_db()
    assert queries.clock_of(run) == pytest.approx(stands, abs=1)
    later(3602)
    assert queries.clock_of(run) == pytest.approx(stands + 60, abs=2), "and it goes on from there"
