"""A day being flown: events from devices, each once; the plan that follows; closing into the records of packs."""

import sys
from datetime import timedelta
from itertools import count

import pytest
from django.db import InternalError, ProgrammingError, transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.permissions import NotAllowed
from quarry.apps.care.models import PackRecord
from quarry.apps.day import mappers, queries, services
from quarry.apps.day.models import DayEvent, DayRun, DayTelemetry
from quarry.apps.fleet.models import Pack
from quarry.core.day.triggers import GATE_LOOK_S, NOT_NOW_S
from tests.factories import Web, make_day, make_today, person, plain, post_events, post_telemetry, set_rules

_keys = count(1)


@pytest.fixture
def today(lead, fleet, job):
    """A day that opened an hour ago."""
    return make_today(lead, fleet, [job], ago_min=60)


@pytest.fixture
def run(lead, today):
    return services.start_run(actor=lead, day_id=today.pk)


def at(day, minutes):
    return queries.moments_of(day)[0] + timedelta(minutes=minutes)


def event(day, kind, minutes, key=None, **figures):
    return {"key": key or f"k{next(_keys)}", "kind": kind, "at": at(day, minutes), "figures": figures}


def tell(who, day, *events, now=None, device="tablet"):
    return plain(post_events(actor=who, day_id=day.pk, device=device, device_now=now or timezone.now(), events=list(events)))


def first(live, kind):
    return next(c for c in live["calls"] if c["kind"] == kind)


class TestBeginningAtAnotherTime:
    def test_it_asks_hours_early_and_on_another_date_and_begins_near_its_opening(self, lead, today):
        opens, closes = queries.moments_of(today)
        for moment, words in (
            (opens - timedelta(hours=3), "It is not that time yet"),
            (opens - timedelta(days=4), "It is not that time yet"),
            (closes + timedelta(minutes=1), "That is over"),
            (opens + timedelta(days=30), "That is over"),
        ):
            with pytest.raises(DomainError, match=words) as asked:
                services.start_run(actor=lead, day_id=today.pk, now=moment)
            assert asked.value.code == "ask"
            assert asked.value.extra["opens_at"] == opens.isoformat()
        assert not DayRun.objects.exists()
        assert services.start_run(actor=lead, day_id=today.pk, now=opens - timedelta(minutes=40))

    def test_starting_now_moves_every_time_and_the_clock_is_right(self, lead, fleet, job):
        old = make_day(lead, fleet, [job])  # years ahead, 08:00 to 18:00, a break from 12:00
        now = timezone.now().astimezone(queries.moments_of(old)[0].tzinfo).replace(hour=9, minute=30, second=40)
        run = services.start_run(actor=lead, day_id=old.pk, how="now", now=now)
        moved = queries.day_of(old.pk)
        assert (moved.date, f"{moved.opens:%H:%M}", f"{moved.closes:%H:%M}") == (now.date(), "09:30", "19:30")
        assert moved.pauses == [{"from": "13:30", "to": "14:00"}]
        assert run.frame["plan"]["flights"]
        assert abs((queries.moments_of(moved)[0] - now).total_seconds()) < 60

    def test_a_beginning_is_undone_while_nothing_has_happened_and_a_day_can_be_ended_at_any_time(self, lead, today, run, job):
        assert plain(queries.ending_of(today))["can_undo"]
        services.undo_start(actor=lead, day_id=today.pk)
        assert not DayRun.objects.exists()
        assert queries.day_of(today.pk)
        services.start_run(actor=lead, day_id=today.pk)
        s1 = f"{job.letter}1"
        tell(lead, today, event(today, "launched", 1, flight=s1, set="01"))
        with pytest.raises(DomainError, match="end it instead"):
            services.undo_start(actor=lead, day_id=today.pk)
        assert plain(queries.ending_of(today))["in_the_air"] == [s1]
        tell(lead, today, event(today, "landed", 20, flight=s1, left_frac=0.4))
        told = plain(queries.ending_of(today))
        assert (told["flights"], told["charges"], told["in_the_air"], told["can_undo"]) == (1, 0, [], False)
        assert f"{job.letter}2" in told["undone"]
        services.close_run(actor=lead, day_id=today.pk)
        assert PackRecord.objects.filter(kind="flight").count() == told["flights"]


class TestNothingPoisons:
    def test_a_malformed_figure_is_refused_by_itself_and_the_rest_of_the_batch_stands(self, lead, today, run):
        told = tell(
            lead,
            today,
            event(today, "observed", 10, "a", gust_m_s="abc"),
            event(today, "note", 10, "b", words="fox"),
            event(today, "landed", 11, "c", flight="S1", lowest_v="abc"),
            event(today, "note", 11, "d\x00", words="fox"),
            event(today, "note", 12, "e", words="a\x00b"),
            event(today, "note", -9000, "f", words="long ago"),
        )
        assert told["taken"] == ["b"]
        refused = {r["key"]: r["field"] for r in told["refused"]}
        assert refused == {"a": "gust_m_s", "c": "lowest_v", "d\x00": "key", "e": "words", "f": "events.5.at"}
        assert plain(queries.live_of(today))["events"] == 1

    def test_what_an_older_version_stored_is_set_aside_and_the_day_goes_on(self, lead, today, run, job):
        s1 = f"{job.letter}1"
        tell(lead, today, event(today, "launched", 1, flight=s1, set="01"), event(today, "landed", 20, flight=s1, left_frac=0.4))
        for k, (kind, figures) in enumerate(
            [
                ("observed", {"gust_m_s": "abc"}),
                ("landed", {"flight": s1, "lowest_v": "abc"}),
                ("on_port", {"pack": "01", "port": [1]}),
            ]
        ):
            DayEvent.objects.create(
                organisation=today.organisation, day=today, key=f"old{k}", kind=kind, at=at(today, 30), by=lead, figures=figures
            )
        live = plain(queries.live_of(today))
        assert len([o for o in live["oddities"] if "is set aside and not counted" in o]) == 3
        assert next(f for f in live["flights"] if f["id"] == s1)["left_frac"] == 0.4
        assert plain(queries.course_of(today))
        assert tell(lead, today, event(today, "note", 40, words="goes on"))["live"] is not None
        services.close_run(actor=lead, day_id=today.pk)
        assert PackRecord.objects.filter(kind="flight", pack__name="01").count() == 1

    def test_what_was_told_stays_though_no_plan_or_answer_can_be_worked_out(self, lead, today, run, monkeypatch):
        def broken(*_a, **_k):
            raise ZeroDivisionError

        monkeypatch.setattr(mappers, "planned", broken)
        told = tell(lead, today, event(today, "note", 5, "kept", words="fox"))
        assert (told["taken"], told["live"]) == (["kept"], None)
        assert DayEvent.objects.filter(day=today, key="kept").exists()

    def test_a_reading_from_ahead_of_its_time_does_not_silence_the_true_ones(self, lead, today, run, job):
        s1 = f"{job.letter}1"
        tell(lead, today, event(today, "launched", 55, flight=s1, set="01"))
        now = timezone.now()

        def post(at_, left, **more):
            reading = {"flight": s1, "at": at_, "left_frac": left, "home_frac": 0.1}
            post_telemetry(actor=lead, day_id=today.pk, readings=[reading], **more)

        post(now + timedelta(minutes=10), 0.9)
        post(timezone.now(), 0.35)
        alerts = {a["key"] for a in plain(queries.live_of(today))["alerts"]}
        assert f"energy:{s1}" in alerts, "35 % left and 10 % to come home is at the reserve"
        kept = DayTelemetry.objects.get(day=today, flight=s1)
        assert kept.at <= timezone.now()
        # A row of an older version, kept ten minutes ahead.
        DayTelemetry.objects.filter(pk=kept.pk).update(at=timezone.now() + timedelta(minutes=10), figures={"left_frac": 0.9})
        post(timezone.now(), 0.34)
        assert DayTelemetry.objects.get(pk=kept.pk).figures["left_frac"] == 0.34
        # A sender whose clock is an hour slow says so by its own clock.
        late = timezone.now() - timedelta(hours=1)
        post(late, 0.33, device_now=late)
        assert DayTelemetry.objects.get(pk=kept.pk).figures["left_frac"] == 0.33


class TestBeginning:
    def test_a_day_begins_once_under_its_newest_plan(self, lead, today):
        run = services.start_run(actor=lead, day_id=today.pk)
        assert services.start_run(actor=lead, day_id=today.pk).pk == run.pk
        assert run.plan_number == queries.plan_of(today)[0].number
        assert run.frame["pack_ids"].keys() == {"01", "02", "03", "04"}
        live = plain(queries.live_of(today))
        assert first(live, "launch")["aircraft_name"] == "A1"
        assert live["planned_finish_s"] == queries.plan_of(today)[0].plan["finish_s"]
        assert live["finish_s"] > live["planned_finish_s"], "an hour has gone by and nothing was flown"

    def test_a_day_that_cannot_be_planned_cannot_begin(self, lead, today):
        services.save_day(actor=lead, day_id=today.pk, version=today.version, figures={"charger_ids": [], "packs": []})
        with pytest.raises(DomainError, match="No pack for") as bad:
            services.start_run(actor=lead, day_id=today.pk)
        assert bad.value.field == "packs"

    def test_what_has_not_begun_says_so(self, lead, today):
        with pytest.raises(DomainError, match="has not begun") as bad:
            queries.live_of(today)
        assert bad.value.code == "not_started"

    def test_a_change_of_the_day_or_its_job_does_not_move_the_running_plan(self, lead, today, run):
        services.save_day(actor=lead, day_id=today.pk, version=today.version, figures={"swap_s": 1200})
        assert plain(queries.live_of(queries.day_of(today.pk)))["plan_number"] == 1
        assert DayRun.objects.get(pk=run.pk).frame["task"]["swap_s"] == 200


class TestTelling:
    def test_a_launch_and_a_landing_move_packs_and_calls(self, lead, today, run, job):
        s1 = f"{job.letter}1"
        up = tell(lead, today, event(today, "launched", 1, flight=s1, set="01", aircraft="x"))["live"]
        assert next(p for p in up["packs"] if p["name"] == "01")["word"] == "air"
        assert first(up, "land")["flight"] == s1
        energy = next(f for f in run.frame["task"]["flights"] if f["id"] == s1)["energy_frac"]
        assert next(f for f in up["flights"] if f["id"] == s1)["expected_frac"] == pytest.approx(1.0 - energy)
        told = tell(lead, today, event(today, "landed", 18, flight=s1, left_frac=0.41, cells_v=[3.8] * 6, pack_c=38))
        landed = next(f for f in told["live"]["flights"] if f["id"] == s1)
        assert (landed["word"], landed["left_frac"], landed["lowest_v"]) == ("landed", 0.41, 3.8)
        assert told["live"]["revision"] == 3
        assert s1 not in {c["flight"] for c in told["live"]["calls"]}

    def test_what_is_sent_again_happens_once_and_one_bad_event_stops_no_other(self, lead, today, run, job):
        good = event(today, "launched", 1, flight=f"{job.letter}1", set="01")
        bad = event(today, "landed", 20, flight=f"{job.letter}1", left_frac=4)
        ahead = event(today, "note", 600, words="tomorrow")
        odd = event(today, "exploded", 3)
        told = tell(lead, today, good, bad, ahead, odd, good)
        assert told["taken"] == [good["key"], good["key"]]
        assert [(r["key"], r["field"]) for r in told["refused"]] == [
            (bad["key"], "left_frac"),
            (ahead["key"], "events.2.at"),
            (odd["key"], "kind"),
        ]
        revision = told["live"]["revision"]
        again = tell(lead, today, good)
        assert again["taken"] == [good["key"]]
        assert DayEvent.objects.filter(day=today).count() == 1
        assert again["live"]["flights"] == told["live"]["flights"]
        assert again["live"]["revision"] == revision, "nothing new: no screen is woken"

    def test_a_device_hours_off_is_set_right_and_told_so(self, lead, today, run, job):
        off = timedelta(hours=5)
        late = event(today, "launched", 10, flight=f"{job.letter}1", set="01")
        told = tell(lead, today, late | {"at": late["at"] - off}, now=timezone.now() - off)
        assert told["clock_off_s"] == pytest.approx(5 * 3600, abs=5)
        row = DayEvent.objects.get(key=late["key"])
        assert abs((row.at - late["at"]).total_seconds()) < 5
        assert tell(lead, today, now=timezone.now() - timedelta(seconds=20))["clock_off_s"] == 0.0

    def test_two_accounts_of_a_landing_are_a_question_and_the_answer_settles_it(self, org, lead, today, run, job):
        other, s1 = person(org, "hana", "handler"), f"{job.letter}1"
        tell(lead, today, event(today, "launched", 1, flight=s1, set="01"))
        tell(lead, today, event(today, "landed", 18, "a", flight=s1, left_frac=0.4))
        live = tell(other, today, event(today, "landed", 26, "b", flight=s1, left_frac=0.22))["live"]
        assert [q["keys"] for q in live["questions"]] == [["a", "b"]]
        with pytest.raises(DomainError, match="Two accounts"):
            services.close_run(actor=lead, day_id=today.pk)
        live = tell(lead, today, event(today, "answer", 27, of=f"landing {s1}", stands="b"))["live"]
        assert live["questions"] == []
        assert next(f for f in live["flights"] if f["id"] == s1)["left_frac"] == 0.22

    def test_a_dead_port_and_a_failed_pack_are_taken_in_and_said_in_a_line(self, lead, today, run, job):
        live = tell(lead, today, event(today, "port_dead", 1, port=1), event(today, "tested", 1, pack="02", word="bad"))["live"]
        assert [p["dead"] for p in live["ports"]] == [True, False]
        assert next(p for p in live["packs"] if p["name"] == "02")["word"] == "out"
        assert "02" not in {c["pack"] for c in live["calls"]}
        assert all(c["port"] != 1 for c in live["calls"] if c["kind"] == "on_port")
        assert live["changes"][-1]["words"]

    def test_gusts_that_were_measured_close_the_gate_and_an_undo_opens_it(self, lead, today, run):
        DayRun.objects.filter(pk=run.pk).update(frame=run.frame | {"gates": [g | {"limit_m_s": 9.0} for g in run.frame["gates"]]})
        gust = event(today, "observed", 59, "g", gust_m_s=9.6)
        live = tell(lead, today, gust)["live"]
        assert live["gust"] == [9.6, 9.0]
        assert [a["key"] for a in live["alerts"]] == ["gust"]
        assert tell(lead, today, event(today, "undo", 60, of="g"))["live"]["alerts"] == []

    def test_events_are_only_ever_added(self, lead, today, run):
        tell(lead, today, event(today, "note", 1, words="fox on the mat"))
        for change in (lambda: DayEvent.objects.update(kind="undo"), lambda: DayEvent.objects.all()._raw_delete("default")):
            with pytest.raises((InternalError, ProgrammingError), match="only ever added"), transaction.atomic():
                change()

    def test_the_air_is_heard_newest_last_and_a_low_cell_is_an_alert(self, lead, today, run, job):
        s1 = f"{job.letter}1"
        tell(lead, today, event(today, "launched", 55, flight=s1, set="01"))
        reading = {"flight": s1, "at": at(today, 58), "left_frac": 0.8, "lowest_v": 3.1}
        post_telemetry(actor=lead, day_id=today.pk, readings=[reading])
        post_telemetry(actor=lead, day_id=today.pk, readings=[reading | {"at": at(today, 57), "lowest_v": 4.0}])
        assert DayTelemetry.objects.get().figures == {"left_frac": 0.8, "lowest_v": 3.1}
        alerts = plain(queries.live_of(today))["alerts"]
        assert [(a["key"], a["grade"], a["owner"]) for a in alerts] == [(f"volts:{s1}", "now", "pilot")]

    def test_alerts_go_by_the_reserve_and_floor_of_the_plan_and_the_policy_of_the_house(self, lead, today, run, job):
        s1 = f"{job.letter}1"
        tell(lead, today, event(today, "launched", 55, flight=s1, set="01"))

        def heard(**figures):
            DayTelemetry.objects.all().delete()
            post_telemetry(actor=lead, day_id=today.pk, readings=[{"flight": s1, "at": at(today, 58)} | figures])
            return [a["limit"] for a in plain(queries.live_of(today))["alerts"]]

        facts = run.frame["flights"][s1]
        reserve = facts["reserve_frac"]
        assert facts["landing_frac"] > 0.30, "the plan lands it with more than the reserve of the new pack that flies it"
        assert reserve == pytest.approx(0.30 / 0.85), "what speaks up goes by the weakest pack of the job"
        assert heard(left_frac=reserve + 0.09, home_frac=0.08) == []
        assert heard(left_frac=reserve + 0.07, home_frac=0.08) == [f"{reserve:.0%} at landing"]
        assert heard(pack_c=55.0) == []
        set_rules(actor=lead, version=0, changes=[{"key": "watch.hot_c", "value": 50.0, "why": "old cells"}])
        assert heard(pack_c=55.0) == ["50 °C"]

    def test_who_may_not_run_a_day(self, org, today, run):
        guest = person(org, "guest", "viewer")
        for act in (
            lambda: tell(guest, today),
            lambda: services.start_run(actor=guest, day_id=today.pk),
            lambda: plain(services.close_run(actor=guest, day_id=today.pk)),
            lambda: post_telemetry(actor=guest, day_id=today.pk, readings=[]),
        ):
            with pytest.raises(NotAllowed):
                act()


class TestClosing:
    def flown(self, lead, today, job):
        s1 = f"{job.letter}1"
        return tell(
            lead,
            today,
            event(today, "on_port", 1, pack="02", port=1, mode="fast"),
            event(today, "launched", 2, flight=s1, set="01"),
            event(today, "landed", 20, flight=s1, left_frac=0.36, pack_c=41.0),
            event(today, "off_port", 40, pack="02"),
        )

    def test_a_closed_day_goes_to_the_records_of_its_packs_once(self, lead, today, run, job):
        before = PackRecord.objects.count()
        self.flown(lead, today, job)
        summary = plain(services.close_run(actor=lead, day_id=today.pk))
        assert (summary["sorties"], summary["flown_s"]) == (1, 1200.0)
        made = {(r.pack.name, r.kind): r for r in PackRecord.objects.all()}
        assert made.keys() >= {("01", "flight"), ("02", "charge")}
        assert made["01", "flight"].figures["flown_s"] == 1080.0
        assert made["01", "flight"].figures["to_frac"] == 0.36
        assert made["02", "charge"].figures["to_frac"] == 1.0
        assert Pack.objects.get(name="01").charge_frac == pytest.approx(0.36)
        services.close_run(actor=lead, day_id=today.pk)
        assert PackRecord.objects.count() == before + 2
        assert plain(queries.live_of(today))["closed"]

    def test_a_day_with_an_aircraft_in_the_air_is_not_closed(self, lead, today, run, job):
        tell(lead, today, event(today, "launched", 2, flight=f"{job.letter}1", set="01"))
        with pytest.raises(DomainError, match="is in the air") as bad:
            services.close_run(actor=lead, day_id=today.pk)
        assert bad.value.field == "flights"
        assert not DayEvent.objects.filter(kind="closed").exists()

    def test_a_summary_names_what_was_risky(self, lead, today, run, job):
        self.flown(lead, today, job)
        tell(lead, today, event(today, "launched", 42, flight=f"{job.letter}2", set="02"))
        tell(lead, today, event(today, "landed", 55, flight=f"{job.letter}2", left_frac=0.2, done_frac=0.6, resume="line 5"))
        told = plain(queries.summary_of(today))
        assert any("below its reserve" in r for r in told["risky"])
        assert any("60% of its work" in r for r in told["risky"])
        live = plain(queries.live_of(today))
        rest = next(f for f in live["flights"] if f["id"] == f"{job.letter}2+")
        assert (rest["word"], rest["job"]) == ("planned", str(job.pk))


def test_how_long_an_answer_puts_a_call_off_and_what_is_a_gap_come_with_the_day(lead, today, run):
    told = plain(queries.live_of(today))
    assert (told["not_now_s"], told["gate_look_s"]) == (NOT_NOW_S, GATE_LOOK_S)
    usual = told["gap_frac"]
    change = {"key": "watch.gap_frac", "value": 2 * usual, "why": "old camera"}
    set_rules(actor=lead, version=0, changes=[change])
    assert plain(queries.live_of(today))["gap_frac"] == 2 * usual


class TestOverTheWire:
    def test_a_tablet_begins_tells_sees_and_closes(self, web, lead, today, job):
        told = web.post(f"/days/{today.pk}/live").json()
        assert told["revision"] == 1
        s1 = f"{job.letter}1"
        events = [
            event(today, "launched", 2, flight=s1, set="01"),
            event(today, "landed", 20, flight=s1, left_frac=0.4),
        ]
        body = {
            "device": "van",
            "device_now": timezone.now().isoformat(),
            "events": [e | {"at": e["at"].isoformat()} for e in events],
        }
        answer = web.post(f"/days/{today.pk}/events", body).json()
        assert answer["taken"] == [e["key"] for e in events]
        assert answer["live"]["revision"] == 2
        kept = web.get(f"/days/{today.pk}/events").json()
        assert [(e["kind"], e["by"], e["device"]) for e in kept] == [("launched", "Lena", "van"), ("landed", "Lena", "van")]
        assert web.get(f"/days/{today.pk}/events", after=kept[0]["id"]).json() == kept[1:]
        reading = {"flight": f"{job.letter}2", "at": timezone.now().isoformat(), "lowest_v": 3.7}
        assert web.post(f"/days/{today.pk}/telemetry", {"readings": [reading]}).status_code == 204
        assert web.post(f"/days/{today.pk}/close").json()["sorties"] == 1
        assert web.get(f"/days/{today.pk}/summary").json()["planned_s"] > 0

    def test_a_day_of_another_organisation_does_not_exist(self, client, stranger, today, run):
        client.force_login(stranger)
        theirs = Web(client)
        body = {"device_now": timezone.now().isoformat(), "events": []}
        for answer in (
            theirs.post(f"/days/{today.pk}/live"),
            theirs.get(f"/days/{today.pk}/live"),
            theirs.post(f"/days/{today.pk}/events", body),
            theirs.get(f"/days/{today.pk}/events"),
            theirs.post(f"/days/{today.pk}/close"),
        ):
            assert answer.status_code == 404


class TestOnEveryScreen:
    def test_the_course_draws_what_happened_and_what_is_to_come(self, lead, today, run):
        first_up = first(plain(queries.live_of(today)), "launch")
        tell(lead, today, event(today, "launched", 5, flight=first_up["flight"], set=first_up["set"]))
        tell(lead, today, event(today, "landed", 22, flight=first_up["flight"], left_frac=0.4))
        drawn = plain(queries.course_of(today))
        happened = [f for f in drawn["flights"] if f["happened"]]
        assert [(f["flight"], f["takeoff_s"], f["landing_s"]) for f in happened] == [(first_up["flight"], 300.0, 1320.0)]
        assert {f["flight"] for f in drawn["flights"]} == {f["flight"] for f in drawn["ghosts"]}
        mine = next(p for p in drawn["packs"] if p["set"] == first_up["set"])
        assert [b["state"] for b in mine["beds"] if b["happened"]][:3] == ["ready", "flying", "cooling"]
        assert all(b["start_s"] >= drawn["now_s"] - 1 for p in drawn["packs"] for b in p["beds"] if not b["happened"])

    def test_an_answer_asked_for_by_many_is_worked_out_once_until_something_happens(self, lead, today, run, client, monkeypatch):
        client.force_login(lead)
        asked = []
        whole = queries.live_of
        monkeypatch.setattr(queries, "live_of", lambda day: asked.append(day) or whole(day))
        answers = [client.get(f"/api/days/{today.pk}/live") for _ in range(3)]
        assert len(asked) == 1
        assert {a.content for a in answers} == {answers[0].content}
        tell(lead, today, event(today, "note", 5, words="a fox"))
        assert client.get(f"/api/days/{today.pk}/live").json()["live"]["revision"] == answers[0].json()["live"]["revision"] + 1

    def test_the_day_that_is_flown_is_one_tap_away_until_it_is_closed(self, web, lead, today):
        assert web.get("/me").json()["live_day"] is None
        services.start_run(actor=lead, day_id=today.pk)
        assert web.get("/me").json()["live_day"] == str(today.pk)
        assert next(d for d in web.get("/days").json()["items"] if d["id"] == str(today.pk))["running"] == "running"
        services.close_run(actor=lead, day_id=today.pk)
        assert web.get("/me").json()["live_day"] is None
        assert web.get(f"/days/{today.pk}").json()["day"]["running"] == "closed"

    def test_readings_that_raise_an_alert_wake_the_screens_and_others_do_not(self, lead, today, run, monkeypatch):
        up = first(plain(queries.live_of(today)), "launch")
        tell(lead, today, event(today, "launched", 50, flight=up["flight"], set=up["set"]))
        woken = []
        monkeypatch.setattr(
            sys.modules["quarry.apps.day.services.post_telemetry"], "tell_screens", lambda *a, **k: woken.append(k)
        )
        for k, volts in enumerate((3.9, 3.9, 2.9, 2.9, 3.9)):
            then = timezone.now() - timedelta(seconds=20 * (5 - k))
            reading = {"flight": up["flight"], "at": then, "lowest_v": volts, "left_frac": 0.8, "home_frac": 0.02}
            post_telemetry(actor=lead, day_id=today.pk, readings=[reading])
        assert sum(k["look"] for k in woken) in (2, 3), "when the alert comes and when it goes, and for what stood before"
        assert not [a for a in DayRun.objects.get(pk=run.pk).alerts if a[0].startswith("volts")]


class TestLookingLonger:
    def spoil(self, run):
        """Let the kept plan fly two hours later than it could."""
        late = [f | {"takeoff_s": f["takeoff_s"] + 7200, "landing_s": f["landing_s"] + 7200} for f in run.current["flights"]]
        names = [f["set"] for f in run.current["flights"]]
        # All on one set: its charges come one after the other, which no good plan would do.
        worst = [f | {"set": names[0]} for f in late]
        DayRun.objects.filter(pk=run.pk).update(current=run.current | {"flights": worst, "charges": [], "makespan_s": 40_000.0})
        run.refresh_from_db()

    def test_a_better_plan_is_taken_and_says_so(self, lead, today, run, monkeypatch):
        monkeypatch.setattr(mappers, "LONG_PLAYS", 40)
        self.spoil(run)
        assert services.take_better(run=run)
        after = DayRun.objects.get(pk=run.pk)
        assert after.revision == run.revision + 1
        assert after.changes[-1]["words"].startswith("looked longer")
        assert services.take_better(run=after) is False, "the same again is no better"

    def test_what_happened_meanwhile_comes_first(self, lead, today, run, monkeypatch):
        self.spoil(run)
        planned = mappers.planned

        def meanwhile(*a, **k):
            DayRun.objects.filter(pk=run.pk).update(revision=run.revision + 1)
            return planned(*a, **(k | {"plays": 8}))

        monkeypatch.setattr(mappers, "planned", meanwhile)
        assert services.take_better(run=run) is False
        assert DayRun.objects.get(pk=run.pk).current == run.current

    def test_only_what_may_turn_a_plan_over_is_looked_at_longer(self, web, today, run, django_capture_on_commit_callbacks):
        def queued(kind, **figures):
            body = {"device_now": timezone.now().isoformat()}
            told = event(today, kind, 5, **figures) | {"at": at(today, 5).isoformat()}
            with django_capture_on_commit_callbacks() as later:
                assert web.post(f"/days/{today.pk}/events", body | {"events": [told]}).status_code == 200
            return len(later)

        assert queued("note", words="a fox") == 0
        assert queued("port_dead", port=1) == 1


def test_an_event_that_is_none_and_times_without_a_zone_are_refused_by_themselves(lead, today, run, client):
    client.force_login(lead)
    now = timezone.now().isoformat()
    events = [
        {"key": "bare", "kind": "note", "at": "2031-05-04T10:00:00", "figures": {"words": "no zone"}},
        {"key": "none"},
        {"key": "good", "kind": "note", "at": now, "figures": {"words": "fox"}},
        "nothing",
    ]
    body = {"device": "van", "device_now": now, "events": events}
    answer = client.post(f"/api/days/{today.pk}/events", body, content_type="application/json")
    assert answer.status_code == 200, answer.content
    assert answer.json()["taken"] == ["good"]
    assert {r["key"]: r["field"] for r in answer.json()["refused"]} == {"bare": "at", "none": "kind", "": ""}
    reading = {"flight": "S1", "at": "2031-05-04T10:00:00", "left_frac": 0.5}
    bad = client.post(f"/api/days/{today.pk}/telemetry", {"readings": [reading]}, content_type="application/json")
    assert bad.status_code == 422
