"""Every route by loop: closed to nobody, 404 to strangers, problem+json for every refusal, and the document as agreed."""

import json
import re
import uuid
from pathlib import Path
from uuid import UUID

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client

from quarry.api.api import api
from tests.factories import PASSWORD, Web, add_reading

DOCUMENT = Path(__file__).parents[2] / "docs" / "openapi.json"
# Ways to sign in, and to come back after a password was forgotten.
OPEN = {
    ("get", "/api/me"),
    ("post", "/api/session"),
    ("delete", "/api/session"),
    ("post", "/api/session/code"),
    ("post", "/api/session/passkey"),
    ("post", "/api/session/passkey/question"),
    ("post", "/api/password/forgotten"),
    ("post", "/api/password/new"),
}


def operations():
    for path, methods in api.get_openapi_schema()["paths"].items():
        for method, told in methods.items():
            yield method, path, told


ALL = list(operations())
IDS = [f"{m} {p}" for m, p, _ in ALL]


def filled(path: str, rows: dict | None = None) -> str:
    """Fill the parameters of a path with ids of rows that exist, or with ids of nothing."""

    def value(match):
        name = match.group(1)
        if rows and name in rows:
            return str(rows[name])
        return {
            "form": "csv" if "spray-record" in path else "geojson",
            "what": "charges" if "/logbook/" in path else "packs",
            "kind": "csv",
            "key": "finish",
            "name": "way",
            "person_id": "999999",
            "session_id": "999999",
            "step_id": "999999",
            "number": "1",
            "zoom": "3",
            "column": "4",
            "row": "2",
        }.get(name, str(uuid.uuid4()))

    return re.sub(r"{(\w+)}", value, path)


def assert_problem(response, status, code=None):
    assert response.status_code == status, response.content
    assert response["Content-Type"] == "application/problem+json"
    body = response.json()
    assert {"type", "title", "status", "code", "detail", "field"} <= set(body)
    assert body["status"] == status
    assert body["detail"]
    if code:
        assert body["code"] == code
    return body


def test_the_document_is_the_one_agreed():
    """After a wanted change: make openapi."""
    now = json.loads(json.dumps(api.get_openapi_schema()))
    assert now == json.loads(DOCUMENT.read_text())


def test_every_operation_has_a_name_a_summary_and_an_answer():
    names = [told["operationId"] for _, _, told in ALL]
    assert len(set(names)) == len(names)
    for method, path, told in ALL:
        assert told["summary"], path
        assert told["tags"], path
        assert any(str(code).startswith("2") for code in told["responses"]), (method, path)


@pytest.mark.parametrize(("method", "path", "_told"), ALL, ids=IDS)
def test_nobody_gets_in_without_signing_in(db, client, method, path, _told):
    if (method, path) in OPEN:
        pytest.skip("open to all by design")
    response = client.generic(method.upper(), filled(path), "{}", "application/json")
    assert_problem(response, 401, "signed_out")


@pytest.fixture
def rows(fleet, job, day, lead):
    from quarry.apps.care.fields import ChargeAsked
    from quarry.apps.care.importer import begin_import
    from quarry.apps.care.models import PackPhoto
    from quarry.apps.care.services import begin_charge
    from quarry.apps.imagery.models import Imagery
    from quarry.apps.jobs.models import Terrain

    terrain = Terrain.objects.create(
        organisation=lead.organisation,
        name="t",
        west_deg=7,
        south_deg=46,
        cell_deg_lon=1,
        cell_deg_lat=1,
        columns=2,
        rows=2,
        heights=b"",
    )
    from quarry.apps.search.models import SearchPhoto

    photo = PackPhoto.objects.create(organisation=lead.organisation, pack=fleet["01"], jpeg=b"x")
    imagery = Imagery.objects.create(organisation=lead.organisation, name="top", bounds=[7, 46, 8, 47], least_zoom=3, most_zoom=3)
    pack = fleet["01"]
    charging = begin_charge(actor=lead, pack_id=pack.pk, asked=ChargeAsked())
    table = begin_import(actor=lead, name="packs.csv", data=b"name,model\n")
    from quarry.apps.limits.services import begin_preflight, begin_with_starter

    sheet = begin_with_starter(actor=lead)[0]
    reading = add_reading(actor=lead, lon=7.1, lat=46.2, figures={"gust_m_s": 4.0})
    listed = begin_preflight(actor=lead, job_id=job.pk, aircraft_id=fleet["A1"].pk, pack_ids=[pack.pk], sortie=1)
    log = logged(lead, fleet)
    from quarry.apps.fleet.models import Nozzle, Product
    from quarry.apps.fleet.services import add_thing
    from quarry.apps.spraying.services import add_batch, keep_swath_test

    fan = {"name": "Fan", "kind": "hydraulic", "size": "02", "least_bar": 1.5, "most_bar": 4.0}
    fleet["Fan"] = add_thing(actor=lead, model=Nozzle, figures=fan)
    fleet["Aldra"] = add_thing(actor=lead, model=Product, figures={"name": "Aldra", "rate_amount": 0.5})
    batch = add_batch(actor=lead, product_id=fleet["Aldra"].pk, name="L-1", amount=2.0)
    bell = [(float(x), max(0.0, 4.0 - abs(x))) for x in range(-4, 5)]
    flown = {"wanted_frac": 0.2, "way": "racetrack", "height_m": 3.0}
    tested = keep_swath_test(actor=lead, aircraft_id=fleet["A1"].pk, catches=bell, **flown)
    from quarry.apps.search import services as searching

    ring = [(7.1, 46.2), (7.11, 46.2), (7.11, 46.21)]
    search = searching.add_search(
        actor=lead, name="Fell", what={"point": (7.1, 46.2), "segments": [{"id": "s1", "name": "1", "ring": ring}]}
    )
    kind = searching.keep_kind(actor=lead, name="walker", within=[(0.5, 900.0)])
    from quarry.apps.search.fields import TrialFields

    tries = [(float(d), d < 30) for d in range(0, 60, 5)]
    trial = searching.keep_trial(actor=lead, of=TrialFields(sensor="camera", cover="open"), passes=tries)
    SearchPhoto.objects.create(organisation=lead.organisation, search=search, key=photo.key, jpeg=b"x")
    more = {
        "search_id": search.pk,
        "kind_id": kind.pk,
        "trial_id": trial.pk,
        "report_key": uuid.uuid4(),
        "test_id": tested.pk,
        "batch_id": batch.pk,
        "imagery_id": imagery.pk,
        "sheet_id": sheet.pk,
        "reading_id": reading.pk,
        "preflight_id": listed.pk,
        "photo_key": photo.key,
    }
    ids = more | {"pack_id": pack.pk, "charging_id": charging.pk, "import_id": table.pk}
    ids |= {"import_id": log[0].pk, "file_id": log[1].file_id, "flight_id": log[1].pk, "number": log[2].number}
    return ids | {"job_id": job.pk, "day_id": day.pk, "person_id": lead.pk, "terrain_id": terrain.pk, "fleet": fleet}


def logged(lead, fleet):
    """A log read in, its flight, and a calibration that was accepted."""
    from quarry.apps.fleet.mappers import airframe
    from quarry.apps.fleet.services import accept_calibration
    from quarry.apps.logbook.importer import begin_import, run_import
    from quarry.apps.logbook.models import Flight
    from quarry.simulators.flight_logs import Truth, camel_case, fly

    truth = Truth(airframe(fleet["Quad"], fleet["A1"]), seconds=200.0)
    row = begin_import(actor=lead, name="a.csv", data=camel_case(truth, fly(truth, 1)))
    run_import(row.pk)
    made = accept_calibration(
        actor=lead, subject="power", thing="aircraft", thing_id=fleet["A1"].pk, label="A1", factor=1.1, figures={}
    )
    return row, Flight.objects.get(), made


THING = {"cameras": "Cam", "pack-models": "P6", "aircraft-models": "Quad", "charger-models": "Twin", "supply-models": "Gen"}
THING |= {"nozzles": "Fan", "products": "Aldra"}
ITEM = {"aircraft": "A1", "packs": "01", "chargers": "Bench", "supplies": "Trailer"}


OF_A_ROW = [
    (method, path)
    for method, path, _ in ALL
    if "{" in path
    and "compute" not in path
    and "/spray-records." not in path
    and "{what}" not in path
    and "{kind}" not in path.replace("samples.{kind}", "")
]


def test_a_stranger_is_told_that_nothing_is_there(client, stranger, rows, job):
    """Each path is filled with rows that exist, in the other organisation, and bodies that would be accepted."""
    client.force_login(stranger)
    answers = {}
    for method, path in OF_A_ROW:
        known = rows | {"thing_id": rows["fleet"][(THING | ITEM).get(path.split("/")[3], "01")].pk}
        body = _body(path, method, known["fleet"], job)
        query = "?version=1" if "thing_id" in path and method == "put" else ""
        if "/limits/" in path or path.endswith("/air"):
            query = "?on=2031-05-06&at=2031-05-06T10:00:00Z"
        if path == "/api/searches/{search_id}" and method == "put":
            query = "?version=1"
        if path.endswith(("/sun", "/as-flown/working", "/mix/working")):
            query = "?on=2031-05-06" if path.endswith("/sun") else "?key=covered_frac"
        with transaction.atomic():
            at = filled(path, known) + query
            if path.endswith("/photos/table"):
                response = client.post(at, {"file": SimpleUploadedFile("a.csv", b"lat,lon\n46.2,7.1")})
            elif path.endswith("/photos") and "/jobs/" not in path:
                response = client.post(at, {"file": SimpleUploadedFile("a.jpg", b"x")})
            else:
                response = client.generic(method.upper(), at, json.dumps(body), "application/json")
            transaction.set_rollback(True)
        answers[method, path] = (response.status_code, response.json().get("code"))
    assert len(answers) > 60
    assert {asked: answer for asked, answer in answers.items() if answer != (404, "not_found")} == {}


_SEARCH = {"name": "Fell", "what": {"point": [7.1, 46.2]}}
_SEARCHES = {
    "/searches/{search_id}": _SEARCH,
    "/searches/{search_id}/end": {"ended": True},
    "/searches/{search_id}/segments": {"how": "net"},
    "/searches/{search_id}/first": {"pattern": "square"},
    "/searches/{search_id}/give": {"segment": "s1", "coverage": 1.0},
    "/searches/{search_id}/reports": {"key": str(UUID(int=9)), "kind": "note", "figures": {"words": "fog"}},
    "/person-kinds/{kind_id}": {"name": "walker", "within": [[0.5, 900.0]]},
}


def _body(path, method, fleet, job):
    if path.removeprefix("/api") in _SEARCHES:
        return _SEARCHES[path.removeprefix("/api")]
    if path.endswith("/moves"):
        return {"kind": "received", "amount": 1.0}
    if path.endswith("/spray-record"):
        return {"key": "crop", "value": "Oats"}
    if path.endswith("/{job_id}/gaps"):
        return {"numbers": [1], "mark": "0"}
    if path.endswith("/{job_id}/photos"):
        return {"names": ["a"], "at": [1.0], "lon": [7.1], "lat": [46.2]}
    from quarry.apps.fleet.queries import thing_dict
    from quarry.apps.jobs.queries import job_dict

    if method == "put" and "thing_id" in path:
        row = fleet[(THING | ITEM)[path.split("/")[3]]]
        data = thing_dict(row)
        if data.pop("grounded", None) is not None:
            data |= {"bought_on": None, "warranty_until": None}
            del data["grounded_why"]
        return json.loads(json.dumps(data, default=str))
    if path.endswith("/columns"):
        return {"columns": [{"header": "t", "quantity": "time_s", "unit": "s"}]}
    if "{flight_id}" in path:
        return {"version": 1, "note": "x"}
    if path.endswith("/remove"):
        return {"password": PASSWORD}
    if path.endswith("/climb"):
        return {"go_on": True}
    if "preflight_id" in path:
        return {"patch": {"entries": {"home": True}}}.get(method, {"name": "Ada", "reason": "because of it"})
    if "reading_id" in path:
        return {"withdrawn": True}
    if method == "put" and "job_id" in path:
        data = job_dict(job)
        return {"version": 1, "job": {k: v for k, v in data.items() if k not in ("id", "version", "archived", "changed_at")}}
    if method == "put":
        day = {
            "name": "x",
            "date": "2031-01-01",
            "time_zone": "UTC",
            "opens": "08:00",
            "closes": "09:00",
            "pauses": [],
            "swap_s": 1,
        }
        day |= {
            "rest_after_flight_s": 1,
            "rest_after_charge_s": 1,
            "elevation_m": 0,
            "bench_c": 18,
            "supply_id": None,
            "charger_ids": [],
            "crew_ids": [],
        }
        return {"version": 1, "day": day | {"jobs": [], "packs": []}}
    if method == "post" and path.endswith("{day_id}/events"):
        return {"device_now": "2031-05-06T10:00:00Z", "events": []}
    if path.endswith("/faults"):
        return {"kind": "port_trips"}
    if path.endswith("telemetry"):
        return {"readings": []}
    if path.endswith(("records", "try")):
        return {"kind": "storage", "figures": {"charge_frac": 0.5}}
    return {"date": "2031-01-01"} if path.endswith("copy") and "day" in path else {}


@pytest.mark.parametrize("path", ["/jobs/not-an-id", "/jobs", "/fleet/packs", "/days", "/people"])
def test_bodies_that_are_not_understood_are_problems_at_a_field(web, path):
    response = web.put(path, {"version": "x"}) if "not-an-id" in path else web.post(path, {"surprise": 1})
    body = assert_problem(response, 422, "invalid")
    assert body["field"]
    assert body["errors"]


@pytest.mark.parametrize("number", ["NaN", "Infinity", '"twelve"', "null"])
def test_numbers_that_are_none_are_refused(web, fleet, number):
    row = fleet["P6"]
    figures = {"name": "x", "notes": "", "chemistry": "lipo", "cells": 6, "capacity_ah": "?", "nominal_cell_v": 3.7}
    figures |= {"cv_from_frac": 0.8, "most_rate_c": 2, "storage_frac": 0.6, "drains_itself": False}
    text = json.dumps(figures).replace('"?"', number)
    response = web.client.generic("PUT", f"/api/fleet/pack-models/{row.pk}?version=1", text, "application/json")
    assert response.status_code in (400, 422)
    assert response["Content-Type"] == "application/problem+json"
    if response.status_code == 422:
        assert response.json()["field"] == "capacity_ah"


def test_a_write_without_the_token_is_refused(lead):
    client = Client(enforce_csrf_checks=True)
    client.force_login(lead)
    assert_problem(Web(client).post("/jobs", {"name": "x", "kind": "mapping"}), 403)


def test_a_write_with_the_token_of_the_page_is_taken(lead):
    client = Client(enforce_csrf_checks=True)
    client.get("/api/me")
    token = client.cookies["csrftoken"].value
    told = {"username": "lena", "password": "a-long-enough-one"}
    response = client.post("/api/session", json.dumps(told), "application/json", headers={"X-CSRFToken": token})
    assert response.status_code == 200
    assert response.json()["signed_in"]
    fresh = client.cookies["csrftoken"].value
    made = client.post("/api/jobs", '{"name": "x", "kind": "search"}', "application/json", headers={"X-CSRFToken": fresh})
    assert made.status_code == 201


def test_an_unexpected_fault_is_a_problem_that_tells_nothing_of_the_inside(web, monkeypatch):
    from quarry.apps.jobs import queries

    monkeypatch.setattr(queries, "terrains", lambda: 1 / 0)
    body = assert_problem(web.get("/terrains"), 500, "unexpected")
    assert "division" not in json.dumps(body)
    assert "kept" in body["detail"]


def test_the_headers_let_the_page_ask_only_this_server(db, client):
    for path in ("/", "/jobs/anything", "/api/me", "/_app/none.js"):
        policy = client.get(path)["Content-Security-Policy"]
        assert "default-src 'none'" in policy
        assert "connect-src 'self'" in policy
        assert "frame-ancestors 'none'" in policy
        assert "http" not in policy
        assert "unsafe-eval" not in policy
        script = re.search(r"script-src ([^;]*)", policy).group(1)
        assert "unsafe-inline" not in script
        assert client.get(path)["X-Content-Type-Options"] == "nosniff"
    assert client.get("/_app/none.js").status_code == 404
    assert client.get("/")["Cache-Control"] == "no-cache"


def test_an_unknown_address_of_the_api_is_no_page(web):
    assert_problem(web.get("/nowhere"), 404, "not_found")
