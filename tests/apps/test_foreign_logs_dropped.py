"""Logs of other hands through the product's own door: all read without a question, the bad refused or held, nothing half kept."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from quarry.apps.care.models import PackRecord
from quarry.apps.fleet.models import Aircraft, Pack
from quarry.apps.logbook.importer import begin_import, run_import
from quarry.apps.logbook.models import Flight, LogData, LogFile
from tests.factories import change_flight

HERE = Path(__file__).parents[1] / "samples" / "logs"
TRUTH = json.loads((HERE / "truth.json").read_text())["files"]
BAD = json.loads((HERE / "bad.json").read_text())["files"]


def drop(actor, path):
    row = begin_import(actor=actor, name=path.name, data=path.read_bytes())
    run_import(row.pk)
    row.refresh_from_db()
    return row


def test_all_are_read_and_each_flight_is_there_once(lead, fleet):
    packs = Pack.objects.count()
    names = sorted({t["file"] for t in TRUTH.values()})
    reports = {name: drop(lead, HERE / name).report for name in names}
    states = [line["state"] for lines in reports.values() for line in lines]
    assert states == ["read"] * len(TRUTH)
    for key, truth in TRUTH.items():
        file = LogFile.objects.get(name=truth["member"] or truth["file"])
        found = list(file.flights.order_by("number"))
        assert len(found) == len(truth["flights"]), key
        for f, known in zip(found, truth["flights"], strict=True):
            assert f.length_s / 60 == pytest.approx(known["minutes"], abs=0.1)
            assert f.figures["used_wh"] == pytest.approx(known["energy_Wh"], rel=0.02)
            assert f.firmware == truth["firmware"]
    assert (Pack.objects.count(), PackRecord.objects.filter(kind="flight").count()) == (packs, 0), "no pack of theirs is ours"
    noon = LogFile.objects.get(name="crew-b/noon.csv").flights.order_by("number")
    assert [f.serial for f in noon] == ["D-22", "D-07"]
    again = drop(lead, HERE / "july.zip").report
    assert {line["state"] for line in again} == {"there"}


def test_each_pack_of_a_day_with_swaps_is_booked_for_its_own_flight(lead, fleet):
    small = fleet["P6"]
    small.cells = 3
    small.save()
    pack_01, pack_02 = Pack.objects.get(name="01"), Pack.objects.get(name="02")
    drop(lead, HERE / "july.zip")
    noon = LogFile.objects.get(name="crew-b/noon.csv")
    one, two = (f.serial for f in noon.flights.order_by("number"))
    LogFile.objects.all().delete()
    Pack.objects.filter(pk=pack_01.pk).update(serial=one)
    Pack.objects.filter(pk=pack_02.pk).update(serial=two)
    drop(lead, HERE / "july.zip")
    noon = LogFile.objects.get(name="crew-b/noon.csv")
    assert [[p.name for p in f.packs.all()] for f in noon.flights.order_by("number")] == [["01"], ["02"]]
    assert PackRecord.objects.filter(kind="flight", pack=pack_02).count() == 1


def test_a_pack_whose_cells_do_not_fit_is_never_taken_whatever_its_number(lead, fleet):
    """Packs of the fleet here have six cells; this log is of three."""
    drop(lead, HERE / "july.zip")
    one = LogFile.objects.get(name="crew-b/noon.csv").flights.order_by("number").first().serial
    LogFile.objects.all().delete()
    Pack.objects.filter(name="01").update(serial=one)
    drop(lead, HERE / "july.zip")
    noon = LogFile.objects.get(name="crew-b/noon.csv")
    assert not [p for f in noon.flights.all() for p in f.packs.all()]


def test_where_no_warnings_are_logged_those_of_the_aircrafts_model_stand(lead, fleet):
    """Within five seconds, as its README asks; taken away again with the percents, and never over what a log tells itself."""
    known = TRUTH["july.zip::crew-c/evening.psv"]["flights"][0]
    model = fleet["Quad"]
    model.low_frac, model.critical_frac = known["low_percent"] / 100, known["critical_percent"] / 100
    model.save()
    drop(lead, HERE / "july.zip")
    f = Flight.objects.get(file__name="crew-c/evening.psv")
    assert "warned_s" not in f.figures
    change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"aircraft_id": fleet["A1"].pk})
    f.refresh_from_db()
    assert f.figures["warned_by"] == "percent"
    assert f.length_s - f.figures["warned_s"] == pytest.approx(known["low_to_landing_s"], abs=5)
    assert f.figures["critical_s"] == pytest.approx(known["critical_s"], abs=5)
    model.low_frac = model.critical_frac = None
    model.save()
    change_flight(actor=lead, flight_id=f.pk, version=f.version, changes={"aircraft_id": fleet["A1"].pk})
    f.refresh_from_db()
    assert not {"warned_by", "warned_s", "critical_s"} & set(f.figures)

    drop(lead, HERE / "champ-nord.tsv")
    logged = Flight.objects.get(file__name="champ-nord.tsv")
    change_flight(actor=lead, flight_id=logged.pk, version=logged.version, changes={"aircraft_id": fleet["A1"].pk})
    logged.refresh_from_db()
    assert logged.figures["warned_by"] == "log"
    real = TRUTH["champ-nord.tsv"]["flights"][0]
    assert logged.length_s - logged.figures["warned_s"] == pytest.approx(real["low_to_landing_s"], abs=5)


def test_a_pack_whose_volts_do_not_fit_is_never_taken_where_no_cells_are_logged(lead, fleet):
    """Four cells by their volts; the packs of the fleet here have six."""
    Pack.objects.filter(name="01").update(serial="TN4-560")
    drop(lead, HERE / "shuffled.csv")
    f = Flight.objects.get()
    assert f.serial == "TN4-560"
    assert not f.packs.exists()


@pytest.mark.parametrize("name", BAD)
def test_what_is_not_fit_to_be_read_is_refused_or_held(lead, fleet, name):
    truth = BAD[name]
    before = (Pack.objects.count(), Aircraft.objects.count(), PackRecord.objects.count())
    row = drop(lead, HERE / truth["file"])
    said = " ".join([row.words, *(line["words"] for line in row.report)]).lower()
    allowed = truth["flights_imported"] if isinstance(truth["flights_imported"], list) else [truth["flights_imported"]]
    assert Flight.objects.count() in allowed
    assert (Pack.objects.count(), Aircraft.objects.count(), PackRecord.objects.count()) == before
    if truth["message_should_say_any_of"]:
        assert any(w.lower() in said for w in truth["message_should_say_any_of"]), said
    if truth["outcome"] == "refuse":
        assert (LogFile.objects.count(), LogData.objects.count()) == (0, 0)
    if truth["outcome"] == "hold_or_refuse":
        assert {f.state for f in LogFile.objects.all()} <= {"asks"}
