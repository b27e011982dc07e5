"""The logbook: logs read in once, matched, corrected, deleted; what they teach and how plans take it."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path as FilePath

import pytest
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.models import PackRecord
from quarry.apps.care.services import add_record
from quarry.apps.day import queries as days
from quarry.apps.day.queries import day_of
from quarry.apps.day.queries import plan_of as day_plan_of
from quarry.apps.day.services import close_run, set_archived, start_run
from quarry.apps.fleet.mappers import airframe
from quarry.apps.fleet.models import Aircraft, AircraftModel, Calibration, Pack, PackModel
from quarry.apps.fleet.services import roll_back_calibration
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_of
from quarry.apps.logbook import importer, queries, services, tasks
from quarry.apps.logbook.importer import begin_import, run_import, stop_import
from quarry.apps.logbook.models import Flight, FlightSamples, LogData, LogFile, Source
from quarry.apps.logbook.samples import series_of
from quarry.apps.logbook.views import ColumnSaid, ReadWaiting
from quarry.core.base.errors import CoreError
from quarry.core.logs.archive import logs_in
from quarry.core.logs.forms import split
from quarry.core.logs.reading import look_at
from quarry.simulators.flight_logs import WRITERS, Truth, archive, fly
from tests.factories import change_flight, job_plan, make_today, person, plain, post_events, say_columns

SAMPLES = FilePath(__file__).parent.parent / "samples" / "logs"
BEGAN = datetime(2026, 5, 6, 9, 12, tzinfo=UTC)


@pytest.fixture
def truth(fleet):
    """A flight of A1 on pack 02, whose number the log knows."""
    Pack.objects.filter(pk=fleet["02"].pk).update(serial="QX-202")
    craft = airframe(fleet["Quad"], fleet["A1"])
    return Truth(craft, capacity_ah=11.0, cell_25_ohm=0.003, power_times=1.1, seconds=420.0, began=BEGAN, serial="QX-202")


def read(actor, data, name="log.csv"):
    row = begin_import(actor=actor, name=name, data=data)
    run_import(row.pk)
    row.refresh_from_db()
    return row


def written(truth, form="camel case", seed=1):
    return WRITERS[form](truth, fly(truth, seed))


class TestReadingIn:
    def test_a_log_becomes_a_flight_of_its_pack_and_aircraft(self, lead, truth):
        row = read(lead, written(truth))
        assert (row.state, row.report[0]["state"], row.report[0]["flights"]) == ("done", "read", 1)
        f = Flight.objects.get()
        assert [p.name for p in f.packs.all()] == ["02"]
        assert f.figures["length_s"] == pytest.approx(420, abs=6)
        assert abs((f.began_at - BEGAN).total_seconds()) < 3
        assert bytes(row.data) == b""

    def test_an_archive_is_read_log_by_log_and_each_has_its_word(self, lead, truth):
        files = [(f"{k}.csv", written(truth, name)) for k, name in enumerate(("camel case", "small units", "odd names"))]
        row = read(lead, archive([*files, ("broken.csv", b"a,b\n")]), "day.zip")
        assert [(r["name"], r["state"]) for r in row.report] == [
            ("0.csv", "read"),
            ("1.csv", "read"),
            ("2.csv", "asks"),
            ("broken.csv", "refused"),
        ]
        assert row.words == "2 read with 2 flights, 1 to be answered, 1 refused"
        assert LogFile.objects.count() == 3

    def test_the_same_log_again_changes_nothing(self, lead, truth):
        data = written(truth)
        read(lead, data)
        before = (Flight.objects.get().version, PackRecord.objects.count())
        again = read(lead, data, "copy of it.csv")
        assert again.report[0]["state"] == "there"
        assert (Flight.objects.get().version, PackRecord.objects.count()) == before
        assert FlightSamples.objects.count() == LogData.objects.count() == 1

    @pytest.mark.parametrize(
        ("name", "data", "words"),
        [
            ("nothing.csv", b"", "is empty"),
            ("picture.csv", bytes(range(256)) * 40, "no text table"),
            ("cut.zip", b"PK\x03\x04" + b"x" * 200, "cut off or damaged"),
            ("heads.csv", b"time,percent,volts\n", "no row below"),
            ("nan.csv", b"time_s,percent,current_a\n" + b"NaN,NaN,NaN\n" * 300, ""),
            ("ground.csv", b"time_s,height_m\n" + b"".join(b"%d,0.0\n" % k for k in range(200)), "never leaves the ground"),
        ],
    )
    def test_what_cannot_be_read_says_why_and_leaves_nothing(self, lead, name, data, words):
        if not data:
            with pytest.raises(DomainError, match=words):
                begin_import(actor=lead, name=name, data=data)
            return
        row = read(lead, data, name)
        told = row.words + " ".join(r["words"] for r in row.report)
        assert words in told
        assert told
        assert not any(r["state"] == "read" for r in row.report)
        assert not Flight.objects.exists()

    def test_an_archive_in_an_archive_and_one_that_claims_too_much(self, lead, truth):
        inner = archive([("a.csv", written(truth))])
        assert "archives in an archive" in read(lead, archive([("b.zip", inner)]), "c.zip").words
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
            made.writestr("big.csv", b"0," * 210_000_000)
        assert "claims more than can be" in read(lead, buffer.getvalue(), "big.zip").words
        assert not LogFile.objects.exists()

    def test_it_can_be_stopped_and_what_was_read_before_stays(self, lead, truth, monkeypatch):

        files = [(f"{k}.csv", written(replace(truth, began=BEGAN + timedelta(hours=k)))) for k in range(3)]
        row = begin_import(actor=lead, name="three.zip", data=archive(files))
        one = importer._read_one

        def then_stop(*args):
            told = one(*args)
            stop_import(actor=lead, import_id=row.pk)
            return told

        monkeypatch.setattr(importer, "_read_one", then_stop)
        run_import(row.pk)
        row.refresh_from_db()
        assert (row.state, LogFile.objects.count()) == ("stopped", 1)

    def test_who_only_looks_reads_nothing_in(self, org, truth):
        with pytest.raises(Exception, match="battery handler"):
            begin_import(actor=person(org, "viv", "viewer"), name="x.csv", data=b"x")


class TestAsking:
    COLUMNS = {"t": ("time_s", "s"), "w1": ("left_frac", "%"), "bus": ("pack_v", "V"), "draw": ("current_a", "A")} | {
        "agl": ("height_m", "m")
    }

    def columns(self):
        return [{"header": h, "quantity": q, "unit": u, "cell": 0} for h, (q, u) in self.COLUMNS.items()]

    def test_what_is_told_once_is_remembered_for_its_kind(self, lead, truth):
        read(lead, archive([(f"{k}.csv", written(truth, "odd names", k)) for k in (1, 2)]), "two.zip")
        assert [f.state for f in LogFile.objects.all()] == ["asks", "asks"]
        file = say_columns(actor=lead, file_id=LogFile.objects.first().pk, columns=self.columns(), zone="")
        assert sorted(f.state for f in LogFile.objects.all()) == ["asks", "read"]
        assert tasks.begin_waiting(lead, file) == ReadWaiting(1, [])
        assert Source.objects.get().columns["w1"]["quantity"] == "left_frac"
        third = read(lead, written(truth, "odd names", 3), "third.csv")
        assert third.report[0]["state"] == "read"
        assert Flight.objects.count() == 3

    def test_many_that_wait_are_read_by_the_worker(self, lead, truth, monkeypatch):
        short = replace(truth, seconds=90.0, height_m=20.0)
        read(lead, archive([(f"{k}.csv", written(short, "odd names", k)) for k in range(7)]), "seven.zip")
        queued = []
        monkeypatch.setattr(tasks.read_waiting, "defer", lambda **k: queued.append(k))
        file = say_columns(actor=lead, file_id=LogFile.objects.first().pk, columns=self.columns(), zone="")
        assert tasks.begin_waiting(lead, file).queued == 6
        tasks.read_waiting(**queued[0])
        assert {f.state for f in LogFile.objects.all()} == {"read"}

    def test_a_wrong_answer_is_refused_at_its_column_and_nothing_is_read(self, lead, truth):
        read(lead, written(truth, "odd names"))
        file = LogFile.objects.get()
        wrong = [c | ({"unit": "furlong"} if c["header"] == "bus" else {}) for c in self.columns()]
        for columns, field in (
            (wrong, "columns.2"),
            (self.columns()[1:], "columns"),
            ([*self.columns(), {"header": "x", "quantity": "height_m", "unit": "m", "cell": 0}], "columns.5"),
        ):
            with pytest.raises(DomainError) as bad:
                say_columns(actor=lead, file_id=file.pk, columns=columns, zone="")
            assert bad.value.field == field
        with pytest.raises(DomainError) as bad:
            say_columns(actor=lead, file_id=file.pk, columns=self.columns(), zone="Atlantis")
        assert bad.value.field == "zone"
        assert not Flight.objects.exists()

    def test_an_answer_by_which_the_log_cannot_be_read_is_not_remembered(self, lead, truth):
        read(lead, written(truth, "odd names"))
        words = [{"header": "t", "quantity": "time_s", "unit": "s", "cell": 0}]
        words += [{"header": h, "quantity": "", "unit": "", "cell": 0} for h in ("agl", "gs", "draw")]
        with pytest.raises(DomainError, match="Neither height, current nor speed"):
            say_columns(actor=lead, file_id=LogFile.objects.get().pk, columns=words, zone="")
        assert Source.objects.get().columns == {}
        assert read(lead, written(truth, "odd names", 2), "again.csv").report[0]["state"] == "asks"

    def test_another_answer_reads_the_kept_logs_of_its_kind_again(self, lead, truth):
        read(lead, archive([(f"{k}.csv", written(truth, "odd names", k)) for k in (1, 2)]), "two.zip")
        for unit, drawn in (("A", True), ("cA", False)):
            columns = [c | ({"unit": unit} if c["header"] == "draw" else {}) for c in self.columns()]
            file = say_columns(actor=lead, file_id=LogFile.objects.first().pk, columns=columns, zone="")
            assert tasks.begin_waiting(lead, file) == ReadWaiting(1, [])
            assert [f.figures["mean_a"] > 5.0 for f in Flight.objects.all()] == [drawn, drawn]
        assert tasks.begin_waiting(lead, file) == ReadWaiting(0, [])

    def test_a_flight_says_which_columns_were_used_and_why_others_were_not(self, lead, truth):
        read(lead, (SAMPLES / "gravel-pit.csv").read_bytes())
        used = {c.header: c for c in queries.flight_page(Flight.objects.get().pk).file.columns}
        assert used["Charge left (%)"].words == "percent left"
        assert used["Cell no. 3 (V)"].words == "volts of cell 3"
        assert (used["Tablet battery (%)"].words, used["Tablet battery (%)"].why) == (
            "",
            "it is of another battery than the pack's",
        )

    def test_columns_can_be_corrected_after_reading(self, lead, truth):
        read(lead, written(truth))
        file = LogFile.objects.get()
        columns = [{k: c[k] for k in ("header", "quantity", "unit", "cell")} for c in file.look["columns"]]
        for c in columns:
            if c["quantity"] == "current_a":
                c["unit"] = "cA"
        say_columns(actor=lead, file_id=file.pk, columns=columns, zone="")
        f = Flight.objects.get()
        assert f.figures["mean_a"] < 1.0
        assert f.version == 2

    def test_a_local_clock_takes_the_zone_that_is_told(self, lead, truth):
        read(lead, written(truth, "comma decimals"))
        file = LogFile.objects.get()
        f = Flight.objects.get()
        assert not f.zoned
        assert (f.began_at - BEGAN).total_seconds() == pytest.approx(3600, abs=3)  # an hour of summer time
        columns = [{k: c[k] for k in ("header", "quantity", "unit", "cell")} for c in file.look["columns"]]
        say_columns(actor=lead, file_id=file.pk, columns=columns, zone="Europe/London")
        f.refresh_from_db()
        assert f.zoned
        assert (f.began_at - BEGAN).total_seconds() == pytest.approx(0, abs=3)

    def test_a_log_that_only_counts_asks_when_it_was(self, lead, truth):
        read(lead, written(truth, "plain seconds"))
        book = queries.book_page(None, None)
        assert [a.ask for a in book.asking_flights] == ["when it was flown"]
        f = Flight.objects.get()
        change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"began_at": BEGAN})
        assert PackRecord.objects.filter(kind="flight", at=BEGAN).count() == 1


@pytest.fixture
def flown_day(lead, fleet, job):
    """A day of an hour ago on which the first sortie was flown on pack 01 by A1."""
    made = make_today(lead, fleet, [job], ago_min=60)
    run = start_run(actor=lead, day_id=made.pk, how="planned")
    first = run.frame["plan"]["flights"][0]
    opens = days.moments_of(made)[0]
    at = {"launched": opens + timedelta(minutes=10), "landed": opens + timedelta(minutes=17)}
    figures = {
        "launched": {"flight": first["flight"], "set": first["set"]},
        "landed": {"flight": first["flight"], "left_frac": 0.5},
    }
    post_events(
        actor=lead,
        day_id=made.pk,
        device="test",
        device_now=timezone.now(),  # a clock that goes right: the moments stay as they are sent
        events=[{"key": k, "kind": k, "at": at[k], "figures": figures[k], "under": 1} for k in at],
    )
    return made, first, at


class TestMatching:
    def test_a_landing_of_a_day_appears_by_itself_and_its_log_joins_it(self, lead, truth, flown_day):
        made, first, at = flown_day
        book = queries.book_page(None, None)
        assert [(e.source, e.sortie) for e in book.entries] == [("day", first["flight"])]
        read(lead, written(replace(truth, began=at["launched"] + timedelta(seconds=40), serial="")))
        f = Flight.objects.get()
        assert (f.match, f.sortie, f.day_id) == ("sure", first["flight"], made.pk)
        assert f.aircraft.name == "A1"
        assert queries.book_page(None, None).flights == 1
        assert not PackRecord.objects.filter(kind="flight").exists()  # the day writes it when it is closed
        close_run(actor=lead, day_id=made.pk)
        after = queries.book_page(None, None)
        assert (after.flights, after.with_log) == (1, 1)
        assert queries.flight_page(f.pk).planned.planned_s > 0

    def test_a_landing_that_is_undone_leaves_the_book_and_one_that_is_corrected_changes_it(self, lead, flown_day):
        made, first, at = flown_day

        def tell(key, kind, when, **figures):
            told = {"key": key, "kind": kind, "at": when, "figures": figures, "under": 1}
            post_events(actor=lead, day_id=made.pk, device="test", device_now=timezone.now(), events=[told])

        tell("gone", "undo", at["landed"] + timedelta(minutes=1), of="landed")
        assert queries.flown() == []
        tell("late", "landed", at["landed"] + timedelta(minutes=2), flight=first["flight"], left_frac=0.42)
        (entry,) = queries.flown()
        assert (entry.to_frac, round(entry.length_s)) == (0.42, 9 * 60)
        Job.objects.update(name="Long field")
        assert queries.flown()[0].job == "Long field", "a job bears the name that it has today"
        close_run(actor=lead, day_id=made.pk)
        set_archived(actor=lead, day_id=made.pk, archived=True)
        assert [e.source for e in queries.flown()] == ["record"], "what a pack flew stays when its day is archived"

    def test_packs_flown_as_a_set_and_written_at_each_are_one_flight_of_both(self, lead, fleet):
        Pack.objects.filter(name__in=("01", "02")).update(mates="M")
        figures = {"flown_s": 600.0, "from_frac": 1.0, "to_frac": 0.4, "aircraft": "A1"}
        first, _ = (
            add_record(actor=lead, pack_id=fleet[n].pk, kind="flight", figures=figures, at=BEGAN + timedelta(seconds=k))
            for k, n in enumerate(("01", "02"))
        )
        (entry,) = queries.flown()
        assert (entry.packs, entry.length_s, entry.aircraft_id) == (["01", "02"], 600.0, str(fleet["A1"].pk))
        told = {by: queries.totals(None, None, by) for by in ("pack", "person", "job", "month")}
        assert [(r.name, r.flights, r.cycles) for r in told["pack"].rows] == [("01", 1, 0.6), ("02", 1, 0.6)]
        assert [(r.name, r.flights, r.cycles) for r in told["person"].rows] == [("Lena", 1, 1.2)]
        assert [r.name for r in told["job"].rows + told["month"].rows] == ["no job", f"{BEGAN:%Y-%m}"]
        row = PackRecord.objects.get(pk=first.pk)
        add_record(actor=lead, pack_id=fleet["01"].pk, kind="withdrawal", figures={}, corrects=row.key)
        assert [e.packs for e in queries.flown()] == [["02"]]

    def test_a_doubtful_match_is_asked_and_what_is_said_stands(self, lead, fleet, truth):
        for name, minutes in (("02", 0), ("03", 6)):
            add_record(
                actor=lead,
                pack_id=fleet[name].pk,
                kind="flight",
                figures={"flown_s": 425.0, "from_frac": 0.99, "to_frac": 0.5, "aircraft": "A1"},
                at=BEGAN + timedelta(minutes=minutes),
            )
        read(lead, written(replace(truth, began=BEGAN + timedelta(minutes=3), serial="")))
        f = Flight.objects.get()
        assert f.match == "asked"
        assert len(queries.flight_page(f.pk).candidates) == 2
        wanted = f.candidates[1]["id"]
        change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"record": wanted})
        f.refresh_from_db()
        assert (f.match, f.record) == ("said", wanted)
        services.read_again(actor=lead, row=f.file)
        f.refresh_from_db()
        assert f.record == wanted
        assert len(queries.flown()) == 2

    def test_a_log_that_nobody_told_of_goes_into_the_records_of_its_pack_and_out_again(self, lead, fleet, truth):
        read(lead, written(truth))
        mine = PackRecord.objects.get(kind="flight")
        assert (mine.pack.name, mine.at) == ("02", Flight.objects.get().began_at)
        assert queries.book_page(None, None).flights == 1
        f = Flight.objects.get()
        change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"pack_ids": [fleet["03"].pk]})
        assert queries.flown()[0].packs == ["03"]
        services.delete_file(actor=lead, file_id=f.file_id)
        assert queries.flown() == []
        for model in (LogFile, LogData, Flight, FlightSamples):
            assert not model.objects.exists()

    def test_the_wrong_pack_is_refused(self, lead, fleet, truth):
        read(lead, written(truth, "small units"))
        f = Flight.objects.get()
        PackModel.objects.update(capacity_ah=2.0)
        with pytest.raises(DomainError, match="drew") as bad:
            change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"pack_ids": [fleet["04"].pk]})
        assert bad.value.field == "pack_ids"

    def test_of_another_house_nothing_is_seen(self, lead, stranger, truth):
        from django_scopes import scope

        read(lead, written(truth))
        f = Flight.objects.get()
        with scope(organisation=stranger.organisation):
            assert queries.book_page(None, None).entries == []
            with pytest.raises(DomainError):
                queries.flight_of(f.pk)


class TestLearning:
    @pytest.fixture
    def six(self, lead, truth):
        for k in range(6):
            read(lead, written(replace(truth, began=BEGAN + timedelta(days=k)), seed=20 + k), f"{k}.csv")
        for f in Flight.objects.all():
            change_flight(
                actor=lead, flight_id=f.pk, version=f.version, changes={"aircraft_id": Aircraft.objects.get(name="A1").pk}
            )

    def lesson(self, subject, name):
        return next(x for x in queries.lessons() if (x.subject, x.name) == (subject, name))

    def accept(self, lead, subject, name):
        x = self.lesson(subject, name)
        return services.accept_lesson(actor=lead, subject=subject, thing=x.thing, thing_id=x.thing_id, factor=x.factor)

    def test_lessons_lie_between_claim_and_truth(self, six, fleet):
        x = self.lesson("power", "A1")
        assert x.figures.measured_ratio == pytest.approx(1.1, abs=0.02)
        assert 1.0 < x.factor < x.figures.measured_ratio
        assert len(x.points) == 6

    def test_an_accepted_lesson_changes_the_next_plans_and_each_says_which(self, lead, six, job, day):
        before, first = job_plan(job_of(job.pk)), day_plan_of(day_of(day.pk))[0]
        made = self.accept(lead, "power", "A1")
        after = job_plan(job_of(job.pk))
        assert after["powers"]["work_w"] == pytest.approx(before["powers"]["work_w"] * made.factor, rel=1e-6)
        assert after["learnt"] == {"power of A1": f"calibration 1: × {made.factor:.3f}, from 6 flights, weight 60%"}
        assert "calibration 1" in str(after["workings"]["power_w"])
        plan = day_plan_of(day_of(day.pk))[0]
        assert plan.number == first.number + 1
        assert plan.plan["learnt"]["power of A1"].startswith("calibration 1")
        assert any("power of A1" in w for w in plan.why)
        roll_back_calibration(actor=lead, number=1)
        assert job_plan(job_of(job.pk))["powers"] == before["powers"]
        assert day_plan_of(day_of(day.pk))[0].number == first.number

    def test_the_one_before_comes_back(self, lead, six):
        one = self.accept(lead, "capacity", "02") if self._has("capacity") else self.accept(lead, "power", "Quad")
        Calibration.objects.filter(pk=one.pk).update(factor=0.8)
        two = self.accept(lead, one.subject, one.label)
        roll_back_calibration(actor=lead, number=two.number)
        thing = (Pack if one.thing == "pack" else AircraftModel).objects.get(pk=one.thing_id)
        assert thing.learnt[one.subject]["factor"] == 0.8
        roll_back_calibration(actor=lead, number=one.number)
        thing.refresh_from_db()
        assert thing.learnt == {}

    def _has(self, subject):
        return any(x.subject == subject for x in queries.lessons())

    def test_resistance_is_learnt_by_its_pack(self, lead, six, fleet):
        x = self.lesson("resistance", "02")
        assert x.figures.measured_ratio * x.claimed == pytest.approx(0.003, rel=0.08)

    def test_only_what_was_seen_is_accepted_and_only_by_a_lead(self, lead, org, six):
        x = self.lesson("power", "A1")
        with pytest.raises(DomainError) as bad:
            services.accept_lesson(actor=lead, subject="power", thing="aircraft", thing_id=x.thing_id, factor=x.factor + 0.02)
        assert bad.value.code == "changed"
        with pytest.raises(Exception, match="operations lead"):
            services.accept_lesson(
                actor=person(org, "pia"), subject="power", thing="aircraft", thing_id=x.thing_id, factor=x.factor
            )

    def test_groups_of_one_kind_do_not_differ_and_what_else_differs_is_named(self, lead, six):
        ids = list(Flight.objects.order_by("began_at").values_list("pk", flat=True))
        groups = [queries.Group(flight_ids=ids[k : k + 2]) for k in (0, 2, 4)]
        found = plain(queries.compare(groups, "cell_v", "at_percent", 0.8))
        (power,) = (row for row in found["table"] if row["figure"] == "mean_w")
        assert all(d["noise"] for d in power["against"])
        assert power["counts"] == [2, 2, 2]
        assert [len(g["curves"]) for g in found["groups"]] == [2, 2, 2]
        assert found["groups"][0]["band"]["x"] == sorted(found["groups"][0]["band"]["x"])
        assert found["imbalances"] == []
        Flight.objects.filter(pk__in=ids[4:]).update(air_c=4.0)
        Flight.objects.filter(pk__in=ids[:4]).update(air_c=18.0)
        (air,) = plain(queries.compare(groups, "cell_v", "time"))["imbalances"]
        assert (air["condition"], air["group"], air["mine"], air["first"], air["taken_out"]) == ("air_c", 2, 4.0, 18.0, False)
        with pytest.raises(DomainError) as bad:
            queries.compare([queries.Group(), queries.Group(firmware="9")], "cell_v", "time")
        assert bad.value.field == "groups.1"
        with pytest.raises(DomainError, match="which percent"):
            queries.compare(groups, "cell_v", "at_percent")

    def test_minutes_that_the_maker_states_are_held_against_those_flown(self, lead, six):
        AircraftModel.objects.filter(name="Quad").update(rated_hover_min=30.0, rated_left_frac=0.1)
        for k, f in enumerate(Flight.objects.order_by("began_at")):
            Flight.objects.filter(pk=f.pk).update(air_c=(-4.0, 6.0, 15.0)[k % 3], firmware="2.0" if k < 4 else "2.1")
        (found,) = queries.claims().minutes
        hover, by_figures = found.rated
        each = sorted(f.figures["min_per_percent"] for f in Flight.objects.all())
        assert (hover.kind, hover.rated_min, hover.left_frac) == ("hover", 30.0, 0.1)
        assert hover.measured_min == pytest.approx(90 * (each[2] + each[3]) / 2, rel=0.05)
        assert by_figures.kind == "figures"
        assert [(r.by, r.name, r.flights) for r in found.rows if r.by != "season"] == [
            ("all", "all flights", 6),
            ("firmware", "2.0", 4),
            ("firmware", "2.1", 2),
            ("air", "below 0 °C", 2),
            ("air", "0 to 10 °C", 2),
            ("air", "10 to 20 °C", 2),
        ]
        assert all(r.least_min <= r.to_empty_min <= r.most_min and r.to_reserve_min < r.to_empty_min for r in found.rows)

    def test_claims_read_the_newest_flights_alone(self, lead, six, django_assert_max_num_queries, monkeypatch):
        monkeypatch.setattr("quarry.apps.logbook.queries.learning.LEARN_FROM", 4)
        newest = [f.pk for f in Flight.objects.order_by("-began_at")[:4]]
        with django_assert_max_num_queries(24):
            power = self.lesson("power", "A1")
        assert [p.flight_id for p in power.points] == newest

    def test_what_flights_can_be_grouped_by_is_counted(self, lead, six, fleet, truth):
        at = BEGAN + timedelta(days=9)
        figures = {"flown_s": 425.0, "from_frac": 0.99, "to_frac": 0.5, "aircraft": "A1"}
        add_record(actor=lead, pack_id=fleet["02"].pk, kind="flight", figures=figures, at=at)
        read(lead, written(replace(truth, began=at), seed=31), "recorded.csv")
        known = queries.groupings()
        assert known.flights == 7
        assert [(g.name, g.flights) for g in known.packs] == [("02", 7)]
        assert sum(g.flights for g in known.seasons) == 7
        season = known.seasons[0]
        assert len(queries.flights_like(queries.Group(season=season.id))) == season.flights
        assert [(g.name, g.flights) for g in known.people] == [("Lena", 1)], "who flew the others nobody wrote down"
        assert len(queries.flights_like(queries.Group(person="Lena"))) == 1
        assert queries.flights_like(queries.Group(person="Nobody")) == []


def test_long_series_are_thinned_without_losing_a_dip(lead, truth):
    read(lead, written(replace(truth, step_s=0.05)))
    f = Flight.objects.get()
    whole = plain(series_of(f.pk, None, None, 400))
    assert len(whole["time_s"]) <= 402
    part = plain(series_of(f.pk, 100.0, 130.0, 4000))
    assert len(part["time_s"]) == pytest.approx(600, abs=3)
    current = whole["series"]["current_a"]
    assert max(c for c in current if c is not None) >= max(c for c in part["series"]["current_a"] if c is not None)


def test_totals_by_warning_and_landing_and_what_packs_gave_by_month(lead, fleet, truth):
    read(lead, written(truth))
    for minutes, used in ((20, 0.6), (10, 0.4), (1, 0.05)):
        figures = {"flown_s": 60.0 * minutes, "from_frac": 1.0, "to_frac": 1.0 - used, "aircraft": "A1", "air_c": 4.0}
        add_record(
            actor=lead, pack_id=fleet["03"].pk, kind="flight", figures=figures, at=BEGAN + timedelta(days=1, hours=minutes)
        )
    rows = {r.name: r.flights for r in queries.totals(None, None, "warning").rows}
    assert rows == {"no log": 3, "warned" if "warned_s" in Flight.objects.get().figures else "not warned": 1}
    assert [(r.name, r.flights) for r in queries.totals(None, None, "landing").rows] == [("no plan", 4)]
    (month,) = queries.totals(None, None, "month").months
    own = Flight.objects.get().figures
    flown_s, used = 1800 + own["length_s"], 1.0 + own["used_frac"]
    assert (month.model, month.flights, month.air_c) == ("P6", 3, 4.0), "a flight that used little tells little"
    assert month.minutes == pytest.approx(flown_s / used / 60, rel=0.02)


def test_totals_count_a_flight_once_and_a_pack_for_itself(lead, fleet, truth):
    for name in ("02", "03"):
        add_record(
            actor=lead,
            pack_id=fleet[name].pk,
            kind="flight",
            figures={"flown_s": 430.0, "from_frac": 1.0, "to_frac": 0.4, "aircraft": "A1"},
            at=BEGAN + timedelta(days=int(name)),
        )
    read(lead, written(replace(truth, began=BEGAN + timedelta(days=2, minutes=1))))
    by_pack = queries.totals(None, None, "pack")
    assert {r.name: r.flights for r in by_pack.rows} == {"02": 1, "03": 1}
    assert by_pack.sum.flown_s == pytest.approx(860, abs=1)
    assert by_pack.sum.cycles == pytest.approx(1.2)
    assert queries.totals(None, None, "month").rows[0].name == "2026-05"
    assert queries.totals(None, None, "season").rows[0].name == "Mar 2026 to May 2026"


def test_totals_by_what_logs_tell(lead, fleet, truth):
    """By firmware and model; a flight whose battery warned is counted as such."""
    long = replace(truth, seconds=1100.0, capacity_ah=9.0)
    read(lead, written(replace(long, firmware="4.2"), seed=3), "long.csv")
    read(lead, written(replace(truth, began=BEGAN - timedelta(days=130)), seed=4), "short.csv")
    for f in Flight.objects.all():
        change_flight(
            actor=lead, flight_id=f.pk, version=f.version, changes={"aircraft_id": str(Aircraft.objects.get(name="A1").pk)}
        )
    found = {r.name: (r.flights, r.warned) for r in queries.totals(None, None, "firmware").rows}
    assert found == {"4.2": (1, 1), "3.1": (1, 0)}
    assert {r.name: r.flights for r in queries.totals(None, None, "model").rows} == {"Quad": 2}
    assert [r.name for r in queries.totals(None, None, "season").rows] == ["Mar 2026 to May 2026", "Dec 2025 to Feb 2026"]


def rows_of(
    flights, *, cells=6, serials=True, preamble="", clock=lambda t: t, percent=lambda t, left: left, cell_v=3.8, remote=False
):
    """A log once a second with a minute on the ground between flights; a flight is (seconds, percent from, percent to, serial)."""
    head = [
        "time [s]",
        "height [m]",
        "current [A]",
        "pack voltage [V]",
        *(["remote battery [%]"] if remote else []),
        "battery [%]",
    ]
    head += [f"cell{k + 1} [V]" for k in range(cells)] + (["pack serial"] if serials else [])
    lines, t = [], BEGAN.timestamp()
    for seconds, high, low, serial in flights:
        for k in range(-30, seconds + 30):
            up = 0 <= k < seconds
            left = high - (high - low) * min(max(k, 0), seconds) / seconds
            row = [clock(t), 20.0 if up else 0.0, 22.0 if up else 0.4, round(cells * cell_v, 2)]
            row += [round(90 - 5 * k / seconds, 1)] if remote else []
            row += [round(percent(k if up else -1, left), 1)] + [cell_v] * cells + ([serial] if serials else [])
            lines.append(",".join(str(v) for v in row))
            t += 1
    return (preamble + ",".join(head) + "\n" + "\n".join(lines) + "\n").encode()


class TestNothingIsBookedWrongly:
    """Swaps of packs, packs that do not fit, a remote control's percent, and logs that contradict themselves."""

    def test_a_day_with_swaps_books_each_flight_to_the_pack_it_names_and_none_to_one_that_cannot_have_flown(self, lead, fleet):
        Pack.objects.filter(name="01").update(serial="QA")
        Pack.objects.filter(name="02").update(serial="QB")
        small = PackModel.objects.get(pk=fleet["P6"].pk)
        small.pk, small.name, small.cells = None, "P4", 4
        small.save()
        Pack.objects.filter(name="03").update(serial="QC", model=small)
        data = rows_of([(300, 98, 60, "QA"), (280, 97, 62, "QB"), (260, 99, 65, "QC"), (250, 96, 70, "QD")])
        row = read(lead, data)
        assert row.report[0]["flights"] == 4
        assert [[p.name for p in f.packs.all()] for f in Flight.objects.order_by("number")] == [["01"], ["02"], [], []]
        assert PackRecord.objects.filter(kind="flight").count() == 2
        assert len(queries.book_page(None, None).asking_flights) == 4, "two for the pack, two for the aircraft"

    def test_one_name_for_the_whole_log_is_the_first_packs_where_percent_rises_between_flights(self, lead, fleet):
        Pack.objects.filter(name="01").update(serial="QA")
        flights = [(300, 98, 60, ""), (280, 97, 62, "")]
        row = read(lead, rows_of(flights, serials=False, preamble="# serial: QA\n"))
        assert [[p.name for p in f.packs.all()] for f in Flight.objects.order_by("number")] == [["01"], []]
        assert "percent rose by 37 before flight 2: say which pack flew from then on" in row.report[0]["words"]
        assert PackRecord.objects.filter(kind="flight").count() == 1

    def test_a_flight_that_names_two_packs_is_booked_to_neither(self, lead, fleet):
        Pack.objects.filter(name="01").update(serial="QA")
        Pack.objects.filter(name="02").update(serial="QB")
        text = rows_of([(300, 98, 60, "QA")]).decode().splitlines()
        text = text[:200] + [line.replace("QA", "QB") for line in text[200:]]
        row = read(lead, "\n".join(text).encode())
        assert list(Flight.objects.get().packs.all()) == []
        assert "flight 1 names 2 packs" in row.report[0]["words"]

    def test_the_percent_of_a_remote_control_is_not_the_packs(self, lead, fleet):
        look = look_at(rows_of([(300, 98, 60, "QA")], remote=True))
        assert {c.header: (c.quantity, c.certain) for c in look.columns if "[%]" in c.header} == {
            "remote battery [%]": ("", True),
            "battery [%]": ("left_frac", True),
        }
        # Though it alone is called percent, and the pack's is called something else.
        text = rows_of([(300, 98, 60, "QA")], remote=True).decode().replace("battery [%],cell1", "fill,cell1")
        asked = {c.header: (c.quantity, c.certain) for c in look_at(text.encode()).columns}
        assert asked["remote battery [%]"] == ("", True)
        assert asked["fill"] == ("left_frac", False)

    @pytest.mark.parametrize(
        ("over", "words"),
        [
            ({"percent": lambda t, left: left + (20 if t > 150 else 0)}, "percent rises by"),
            ({"clock": lambda t: t - (7200 if t - BEGAN.timestamp() > 200 else 0)}, "its clock goes back by 7199 s"),
            ({"clock": lambda t: 2 * BEGAN.timestamp() - t}, "its clock runs backwards"),
        ],
    )
    def test_a_log_that_contradicts_itself_is_held_until_somebody_accepts_it(self, lead, fleet, over, words):
        Pack.objects.filter(name="01").update(serial="QA")
        row = read(lead, rows_of([(300, 98, 60, "QA")], **over))
        (line,) = row.report
        assert line["state"] == "asks"
        assert words in line["words"]
        assert (Flight.objects.count(), PackRecord.objects.filter(kind="flight").count()) == (0, 0)
        held = LogFile.objects.get()
        assert (held.state, words in held.words) == ("asks", True)
        services.accept_held(actor=lead, file_id=held.pk)
        assert LogFile.objects.get().state == "read"
        assert Flight.objects.count() >= 1

    def test_a_held_log_shows_the_rows_and_without_the_column_it_is_read(self, lead, fleet):
        Pack.objects.filter(name="01").update(serial="QA")
        read(lead, rows_of([(300, 98, 60, "QA")], percent=lambda t, left: left + (20 if t > 150 else 0)))
        file = queries.file_page(LogFile.objects.get().pk).file
        (hold,) = file.holds
        place = next(k for k, c in enumerate(file.look.columns) if c.quantity == "left_frac")
        assert hold.leave_out == [file.look.columns[place].header]
        at = next(k for k, row in enumerate(hold.rows) if row.number == hold.line)
        before, after = (float(hold.rows[k].cells[place]) for k in (at - 1, at))
        assert after - before > 15, "the line that is shown is the one at which percent rises"
        kept = [c for c in file.look.columns if c.header not in hold.leave_out]
        columns = [(c.header, ColumnSaid(c.quantity, c.unit, c.cell)) for c in kept] + [(hold.leave_out[0], ColumnSaid("", ""))]
        services.say_columns(actor=lead, file_id=file.id, columns=columns, zone="")
        assert LogFile.objects.get().state == "read"
        assert "from_frac" not in Flight.objects.get().figures

    def test_a_clock_that_was_set_back_is_read_in_parts(self, lead, fleet):
        Pack.objects.filter(name="01").update(serial="QA")
        read(lead, rows_of([(300, 98, 60, "QA")], clock=lambda t: t - (7200 if t - BEGAN.timestamp() > 200 else 0)))
        held = LogFile.objects.get()
        assert queries.file_page(held.pk).file.holds[0].splits
        services.accept_held(actor=lead, file_id=held.pk, split=True)
        held.refresh_from_db()
        assert (held.state, held.accepted) == ("read", False)
        parts = list(Flight.objects.order_by("number"))
        assert [f.number for f in parts] == [1, 2]
        assert sum(f.length_s for f in parts) == pytest.approx(300, abs=15)
        assert parts[1].began_at < parts[0].began_at, "each part is dated by its own clock"
        services.read_again(actor=lead, row=held)
        assert Flight.objects.count() == 2

    def test_a_flight_longer_than_any_pack_is_held(self, lead, fleet):
        """Quad flies 480 W on 6 cells of 10 Ah: 28 minutes by its figures; a clock in tenths of a second makes ten times that."""
        (line,) = read(
            lead, rows_of([(600, 98, 30, "QA")], clock=lambda t: BEGAN.timestamp() + 10 * (t - BEGAN.timestamp()))
        ).report
        assert line["state"] == "asks"
        assert "no pack lasts beyond" in line["words"]
        AircraftModel.objects.update(power_w=40.0)
        services.accept_held(actor=lead, file_id=LogFile.objects.get().pk, split=False)
        assert LogFile.objects.get().holds == []

    @pytest.mark.parametrize(("times", "state"), [(1.0, "read"), (1.9, "asks"), (0.5, "asks")])
    def test_charge_against_current_holds_a_log(self, lead, fleet, times, state):
        """Twenty amperes over ten minutes are 3.33 Ah, whatever a counter says."""
        lines = ["time [s],battery [%],current [A],drawn [mAh],height [m]"]
        for t in range(640):
            up = 20 < t < 620
            drawn = 20.0 * min(max(t - 20, 0), 600) / 3.6
            lines.append(f"{t},{98 - round(drawn / 90)},{20.0 if up else 0.4},{round(times * drawn)},{30.0 if up else 0.0}")
        (line,) = read(lead, "\n".join(lines).encode()).report
        assert line["state"] == state
        assert ("its current adds up to 3.3" in line["words"]) == (state == "asks")

    def test_volts_against_cells_hold_a_log(self, lead, fleet):
        text = rows_of([(300, 98, 60, "QA")]).decode().replace(",22.8,", ",15.2,")
        (line,) = read(lead, text.encode()).report
        assert line["state"] == "asks"
        assert "its cells add up to 50% more" in line["words"]

    def test_foreign_logs_never_take_another_battery_for_the_packs(self):
        """Files with known truth, made by other hands; see README in their folder. What cannot be read yet is refused."""
        truth = json.loads((SAMPLES / "truth.json").read_text())["files"]
        looked = 0
        for path in sorted(SAMPLES.glob("*.*")):
            for packed in logs_in(path.name, path.read_bytes()) if path.name in {t["file"] for t in truth.values()} else ():
                key = packed.name if packed.name in truth else f"{path.name}::{packed.name}"
                try:
                    look = look_at(packed.unpack())
                except CoreError:
                    continue
                real = {c["index"]: c["quantity"] for c in truth[key]["columns"]}
                taken = [c.index for c in look.columns if c.quantity == "left_frac"]
                looked += len(taken)
                assert {real[k] for k in taken} <= {"percent"}, key
        assert looked >= 6


def test_a_line_of_many_quotes_is_split_in_one_pass():
    line = '"a;b";' * 40_000
    assert split(line, ";")[:2] == ["a;b", "a;b"]
    assert len(split(line, ";")) == 40_001
