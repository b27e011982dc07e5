"""The logbook over the API: reading in, asking, what is shown, exports."""

from __future__ import annotations

import io
import json
from datetime import UTC, datetime

import polars as pl
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from quarry.apps.fleet.mappers import airframe
from quarry.apps.fleet.models import Pack
from quarry.apps.logbook import tasks
from quarry.apps.logbook.models import Flight
from quarry.simulators.flight_logs import WRITERS, Truth, archive, fly
from tests.factories import Web, person

BEGAN = datetime(2026, 5, 6, 9, 12, tzinfo=UTC)


@pytest.fixture
def truth(fleet):
    Pack.objects.filter(pk=fleet["02"].pk).update(serial="QX-202")
    return Truth(airframe(fleet["Quad"], fleet["A1"]), capacity_ah=11.0, seconds=300.0, began=BEGAN, serial="QX-202")


def drop(web, data, name="log.csv"):
    return web.client.post("/api/logbook/imports", {"file": SimpleUploadedFile(name, data)})


@pytest.fixture
def flight(web, truth):
    assert drop(web, WRITERS["camel case"](truth, fly(truth, 1))).status_code == 201
    (asked,) = web.get("/logbook").json()["entries"]
    return asked["flight_id"]


def test_a_log_is_dropped_shown_and_its_samples_looked_at_closely(web, flight):
    page = web.get(f"/logbook/flights/{flight}").json()
    assert page["packs"][0]["name"] == "02"
    assert page["ask"] == "which aircraft it was"
    assert {"climb", "line"} <= {p["name"] for p in page["by_phase"]}
    part = web.get(f"/logbook/flights/{flight}/samples", from_s=60, to_s=70, points=500).json()
    assert part["time_s"][0] >= 60
    assert part["time_s"][-1] <= 70
    assert set(part["series"]) >= {"left_frac", "pack_v", "current_a", "height_m"}


def test_an_archive_goes_to_the_worker_and_says_how_far_it_is(web, truth, monkeypatch):
    waiting = []
    monkeypatch.setattr(tasks.read_logs_in, "defer", lambda **k: waiting.append(k["import_id"]))
    answer = drop(web, archive([("a.csv", WRITERS["camel case"](truth, fly(truth, 2)))]), "a.zip").json()
    assert answer["state"] == "waiting"
    tasks.read_logs_in(waiting[0])
    assert web.get(f"/logbook/imports/{answer['id']}").json()["words"] == "1 read with 1 flights"


def test_a_column_is_said_and_the_log_is_read(web, truth):
    drop(web, WRITERS["odd names"](truth, fly(truth, 3)))
    (asking,) = web.get("/logbook").json()["asking_files"]
    page = web.get(f"/logbook/files/{asking['id']}").json()
    known = {"t": "time_s", "w1": "left_frac", "agl": "height_m", "bus": "pack_v", "draw": "current_a"}
    units = {c["name"]: c["units"][0] for c in page["choices"]}
    columns = [{"header": h, "quantity": q, "unit": units[q]} for h, q in known.items()]
    wrong = web.put(f"/logbook/files/{asking['id']}/columns", {"columns": [*columns, columns[1]], "zone": ""})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "columns.5")
    told = web.put(f"/logbook/files/{asking['id']}/columns", {"columns": columns, "zone": ""}).json()
    assert (told["read"], len(told["file"]["flights"])) == (1, 1)


def test_what_is_said_of_a_flight_wants_the_version_that_was_seen(web, fleet, flight):
    said = web.patch(f"/logbook/flights/{flight}", {"version": 1, "aircraft_id": str(fleet["A1"].pk), "note": " calm "})
    assert (said.status_code, said.json()["note"], said.json()["ask"]) == (200, "calm", "")
    assert set(said.json()["claims"]) >= {"power"}
    assert web.patch(f"/logbook/flights/{flight}", {"version": 1, "note": "x"}).status_code == 409
    bad = web.patch(f"/logbook/flights/{flight}", {"version": 2, "payload_kg": 900})
    assert (bad.status_code, bad.json()["field"]) == (422, "payload_kg")


def test_exports_are_tables_that_others_read(web, flight):
    def table(path):
        answer = web.get(path)
        data = b"".join(answer.streaming_content) if answer.streaming else answer.content
        return pl.read_csv(io.BytesIO(data)) if ".csv" in path else pl.read_parquet(io.BytesIO(data))

    for kind in ("csv", "parquet"):
        samples = table(f"/logbook/flights/{flight}/samples.{kind}")
        assert samples["time_s"].is_sorted()
        assert samples["pack_v"].max() < 26
        flights = table(f"/logbook/flights.{kind}")
        assert flights["flown_s"].to_list() == pytest.approx([300], abs=8)
    assert web.get("/logbook/totals.csv", by="pack").content.decode().splitlines()[-1].startswith("all,1,")
    assert web.get("/logbook/totals.pdf", by="person").content[:5] == b"%PDF-"


def test_a_formula_in_a_name_stays_text(web, fleet, flight):
    Pack.objects.filter(pk=fleet["02"].pk).update(name="=HYPERLINK(1)")
    assert "'=HYPERLINK(1)" in web.get("/logbook/totals.csv", by="pack").content.decode()


def test_lessons_are_accepted_as_seen_and_taken_back(web, fleet, flight):
    web.patch(f"/logbook/flights/{flight}", {"version": 1, "aircraft_id": str(fleet["A1"].pk)})
    lesson = next(x for x in web.get("/logbook/claims").json()["lessons"] if x["name"] == "A1")
    body = {"subject": "power", "thing": "aircraft", "thing_id": lesson["thing_id"], "factor": lesson["factor"]}
    assert web.post("/logbook/calibrations", body | {"factor": 1.4}).json()["code"] == "changed"
    made = web.post("/logbook/calibrations", body).json()
    assert made["number"] == 1
    assert next(x for x in web.get("/logbook/claims").json()["lessons"] if x["name"] == "A1")["now_number"] == 1
    back = web.post("/logbook/calibrations/1/roll-back").json()
    assert back["rolled_back_by"]
    assert json.dumps(web.get("/logbook/claims").json())


def test_who_only_looks_changes_nothing(client, org, web, flight):
    page = web.get(f"/logbook/flights/{flight}").json()
    client.force_login(person(org, "viv", "viewer"))
    viewer = Web(client)
    assert viewer.get("/logbook").status_code == 200
    for answer in (
        drop(viewer, b"a,b\n1,2\n"),
        viewer.patch(f"/logbook/flights/{flight}", {"version": 1, "note": "x"}),
        viewer.delete(f"/logbook/files/{page['file']['id']}"),
        viewer.post("/logbook/calibrations", {"subject": "swap", "thing": "", "factor": 1.0}),
        viewer.post("/logbook/calibrations/1/roll-back"),
    ):
        assert answer.status_code == 403


def test_a_deleted_log_leaves_nothing_behind(web, flight):
    file_id = web.get(f"/logbook/flights/{flight}").json()["file"]["id"]
    assert web.delete(f"/logbook/files/{file_id}").status_code == 204
    assert web.get("/logbook").json()["entries"] == []
    assert web.get(f"/logbook/flights/{flight}").status_code == 404


def test_charges_and_tests_of_packs_stand_in_the_book(web, fleet):
    web.post(f"/packs/{fleet['02'].pk}/records", {"kind": "charge", "figures": {"from_frac": 0.3, "to_frac": 1.0}})
    web.post(f"/packs/{fleet['02'].pk}/records", {"kind": "capacity", "figures": {"capacity_ah": 11.2}})
    assert [r["kind"] for r in web.get("/logbook/records/charges").json()["items"]] == ["charge"]
    assert [r["pack"] for r in web.get("/logbook/records/tests", words="capac").json()["items"]] == ["02"]
    assert web.get("/logbook/records/tests", words="nothing").json()["total"] == 0


def test_the_rest_of_a_sortie_from_its_log_begins_where_the_log_left_the_lines(web, job, flight):
    """The log is laid along the first line of the job's own sortie, to its middle; one beside the field follows no line."""
    plan = web.get(f"/jobs/{job.pk}").json()["plan"]
    sortie = plan["sorties"][0]
    (ax, ay), (bx, by) = sortie["worked"][0]
    row = Flight.objects.get(pk=flight)
    places = [(ax + (bx - ax) * k / 20, ay + (by - ay) * k / 20) for k in range(11)]
    row.track = [[lon, lat, float(k)] for k, (lon, lat) in enumerate(places)]
    row.save(update_fields=["track"])
    path = f"/jobs/{job.pk}/export.geojson"
    answer = web.get(path, sortie=1, flight_id=flight)
    assert answer.status_code == 200
    routes = [f for f in answer.json()["features"] if f["properties"].get("role") == "waypoint"]
    begins = next(f for f in routes if f["properties"]["kind"] == "line start")
    assert begins["geometry"]["coordinates"][:2] == pytest.approx([(ax + bx) / 2, (ay + by) / 2], abs=2e-6)
    row.track = [[lon + 0.2, lat, at] for lon, lat, at in row.track]
    row.save(update_fields=["track"])
    refused = web.get(path, sortie=1, flight_id=flight)
    assert (refused.status_code, refused.json()["field"]) == (422, "flight_id")
    row.track = []
    row.save(update_fields=["track"])
    assert "holds no places" in web.get(path, sortie=1, flight_id=flight).json()["detail"]
