"""A few contracts by hand: what the screens rely on."""

import io
import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from quarry.apps.fleet.models import AircraftModel, Pack, PackModel
from quarry.apps.fleet.services import add_thing
from tests.api.test_routes import assert_problem
from tests.factories import AIRCRAFT_MODEL, FIELD, PACK_MODEL, PASSWORD, POND, make_job, person


def test_nobody_is_somebody_without_a_name(db, client):
    me = client.get("/api/me").json()
    assert me["signed_in"] is False
    assert me["rights"] == []
    assert "csrftoken" in client.cookies


def test_signing_in_and_out(lead, client):
    body = {"username": "lena", "password": PASSWORD}
    me = client.post("/api/session", json.dumps(body), "application/json").json()
    assert (me["username"], me["role"], me["organisation"]) == ("lena", "lead", "North Crew")
    assert "people:write" in me["rights"]
    assert client.delete("/api/session").json()["signed_in"] is False
    assert client.get("/api/jobs").status_code == 401


def test_a_wrong_password_says_so_at_the_field_and_too_many_ask_to_wait(lead, client, settings):
    body = json.dumps({"username": "lena", "password": "nonsense"})
    for _ in range(settings.SIGN_IN_TRIES):
        assert assert_problem(client.post("/api/session", body, "application/json"), 400)["field"] == "password"
    response = client.post("/api/session", body, "application/json")
    assert_problem(response, 429, "throttled")
    assert response["Retry-After"] == str(settings.SIGN_IN_WAIT_S)


def test_a_reset_ends_the_sessions_of_that_person(web, org, client):
    from django.test import Client

    other = person(org, "otto")
    theirs = Client()
    theirs.force_login(other)
    assert theirs.get("/api/jobs").status_code == 200
    told = web.post(f"/people/{other.pk}/password").json()
    assert told["person"]["username"] == "otto"
    assert len(told["password"]) >= 10
    assert theirs.get("/api/jobs").status_code == 401


def test_ones_own_password_keeps_this_session(web):
    assert web.post("/me/password", {"old": PASSWORD, "new": "a-much-fresher-one"}).status_code == 200
    assert web.get("/me").json()["signed_in"] is True
    assert assert_problem(web.post("/me/password", {"old": "x", "new": "a-much-fresher-one"}), 400)["field"] == "old"


def test_who_was_given_a_password_chooses_another_before_anything_else(web, client):
    from django.test import Client

    made = web.post("/people", {"username": "nils", "full_name": "Nils", "role": "pilot"}).json()
    theirs = Client()

    def post(path, body):
        return theirs.post(f"/api{path}", json.dumps(body), "application/json")

    assert post("/session", {"username": "nils", "password": made["password"]}).json()["first_password"] is True
    assert_problem(theirs.get("/api/jobs"), 403, "first_password")
    assert theirs.get("/api/me").json()["signed_in"] is True
    same = post("/me/password", {"old": made["password"], "new": made["password"]})
    assert assert_problem(same, 422)["field"] == "new"
    chosen = post("/me/password", {"old": made["password"], "new": "a-much-fresher-one"})
    assert chosen.json()["first_password"] is False
    assert theirs.get("/api/jobs").status_code == 200
    web.post(f"/people/{made['person']['id']}/password")
    assert theirs.get("/api/jobs").status_code == 401, "a reset ends the session"


def test_people_are_added_and_changed_with_a_history(web):
    made = web.post("/people", {"username": "nils", "full_name": "Nils", "role": "viewer"})
    assert made.status_code == 201
    assert made.json()["password"]
    pk = made.json()["person"]["id"]
    assert web.patch(f"/people/{pk}", {"role": "pilot"}).json()["role"] == "pilot"
    assert [p["username"] for p in web.get("/people").json()] == ["lena", "nils"]
    assert [h["action"] for h in web.get("/history", thing="person").json()["items"]] == ["person.changed", "person.added"]


def test_a_viewer_reads_and_is_told_why_not_to_write(org, client, job):
    from tests.factories import Web

    client.force_login(person(org, "vera", "viewer"))
    web = Web(client)
    assert web.get(f"/jobs/{job.pk}").status_code == 200
    assert "role pilot" in assert_problem(web.delete(f"/jobs/{job.pk}"), 403, "not_allowed")["detail"]


def test_preferences(web):
    assert web.patch("/me", {"light": "night", "gloves": True}).json()["light"] == "night"
    assert assert_problem(web.patch("/me", {"light": "pink"}), 422)["field"] == "light"


def figures(answer):
    return {k: v for k, v in answer["job"].items() if k not in ("id", "version", "archived", "changed_at")}


def test_a_job_is_saved_as_one_goes_and_planned_in_the_same_answer(web, job):
    answer = web.get(f"/jobs/{job.pk}").json()
    assert answer["plan"]["sorties"]
    assert answer["problem"] is None
    changed = figures(answer) | {"home": [7.0990, 46.1990]}
    after = web.put(f"/jobs/{job.pk}", {"version": 1, "job": changed}).json()
    assert after["job"]["version"] == 2
    assert after["plan"]["total_s"] != answer["plan"]["total_s"]
    stale = assert_problem(web.put(f"/jobs/{job.pk}", {"version": 1, "job": changed}), 409, "stale")
    assert stale["current"]["version"] == 2
    assert stale["current"]["home"] == [7.0990, 46.1990]


def test_a_job_that_cannot_be_planned_is_saved_and_says_why(web, job):
    answer = web.get(f"/jobs/{job.pk}").json()
    crossed = [FIELD[0], FIELD[2], FIELD[1], FIELD[3]]
    after = web.put(
        f"/jobs/{job.pk}", {"version": 1, "job": figures(answer) | {"areas": [figures(answer)["areas"][0] | {"ring": crossed}]}}
    )
    assert after.status_code == 200
    body = after.json()
    assert body["plan"] is None
    assert body["problem"]["field"] == "area"
    assert body["job"]["areas"][0]["ring"] == crossed


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"letter": "??"}, "job.letter"),
        ({"kind": "diving"}, "job.kind"),
        ({"name": ""}, "job.name"),
        ({"areas": [{"ring": [[1]]}]}, "job.areas.0"),
    ],
)
def test_figures_of_the_wrong_shape_are_refused_at_their_field(web, job, change, field):
    answer = web.get(f"/jobs/{job.pk}").json()
    body = assert_problem(web.put(f"/jobs/{job.pk}", {"version": 1, "job": figures(answer) | change}), 422)
    assert body["field"].startswith(field)


def test_the_working_of_a_number_of_a_job(web, job):
    plan = web.get(f"/jobs/{job.pk}").json()["plan"]
    for key in ["area_ha", "bearing_deg", "endurance", "total_s", "spare_1", *(f["key"] for f in plan["figures"])]:
        working = web.get(f"/jobs/{job.pk}/working/{key}").json()
        assert working["steps"][-1]["source"], key
    assert_problem(web.get(f"/jobs/{job.pk}/working/nothing"), 404)


def test_the_list_of_jobs_has_figures_of_the_last_plan(web, job):
    web.get(f"/jobs/{job.pk}")
    (line,) = web.get("/jobs", search="top").json()["items"]
    assert line["sorties_count"] >= 2
    assert line["area_ha"] == pytest.approx(19.3, rel=0.05)
    assert web.get("/jobs", search="nothing").json() == {"items": [], "next": None, "total": 0}


def test_lists_ask_the_database_a_fixed_number_of_times(web, lead, fleet, job, django_assert_max_num_queries):
    from tests.factories import make_job

    for k in range(6):
        make_job(lead, fleet, name=f"Field {k}")
    assert web.get("/me").status_code == 200, "the session is noted once, whatever is asked"
    for path, most in (("/jobs", 7), ("/fleet", 14), ("/days", 9), ("/people", 5)):
        with django_assert_max_num_queries(most):
            assert web.get(path).status_code == 200


def test_an_outline_is_read_and_nothing_is_stored(web, job):
    ring = [*FIELD, FIELD[0]]
    file = SimpleUploadedFile("a.geojson", json.dumps({"type": "Polygon", "coordinates": [ring]}).encode())
    found = web.client.post("/api/jobs/boundary", {"file": file}).json()
    assert found["areas"][0]["ring"] == FIELD
    assert [n["words"] for n in found["notes"]] == ["In the file: 1 area."]
    assert (found["home"], found["home_stays"]) == (min(FIELD, key=sum), False), "a corner stands in where no home is known"
    file.seek(0)
    near = web.client.post(f"/api/jobs/boundary?home_lon={FIELD[0][0] + 0.01}&home_lat={FIELD[0][1]}", {"file": file}).json()
    assert (near["home"], near["home_stays"]) == ([pytest.approx(FIELD[0][0] + 0.01), FIELD[0][1]], True)
    file.seek(0)
    far = web.client.post("/api/jobs/boundary?home_lon=9&home_lat=40", {"file": file}).json()
    assert far["home_stays"] is False
    bad = io.BytesIO(b"<kml>")
    bad.name = "x.kml"
    assert assert_problem(web.client.post("/api/jobs/boundary", {"file": bad}), 422)["field"] == "file"
    long = {
        "type": "Feature",
        "properties": {"name": "x" * 75},
        "geometry": {"type": "Polygon", "coordinates": [[*POND, POND[0]]]},
    }
    whole = {"type": "FeatureCollection", "features": [{**long, "geometry": {"type": "Polygon", "coordinates": [ring]}}, long]}
    file = SimpleUploadedFile("a.geojson", json.dumps(whole).encode())
    found = web.client.post("/api/jobs/boundary", {"file": file}).json()
    assert [len(o["name"]) for o in found["areas"]] == [75, 75]
    assert web.get("/jobs").json()["total"] == 1


def test_a_hundred_and_fifty_holes_can_be_saved(web, job):
    figures = web.get(f"/jobs/{job.pk}").json()["job"]
    version = figures.pop("version")
    for key in ("id", "archived", "changed_at"):
        figures.pop(key)
    west, south = FIELD[0]
    ring = [[0.0, 0.0], [2e-5, 0.0], [1e-5, 2e-5]]
    figures["keep_outs"] = [
        {"ring": [[west + x + k * 2e-5, south + y + 1e-4] for x, y in ring], "crossing": "unworked", "margin_m": 0, "name": ""}
        for k in range(150)
    ]
    answer = web.put(f"/jobs/{job.pk}", {"version": version, "job": figures})
    assert answer.status_code == 200
    assert len(answer.json()["job"]["keep_outs"]) == 150


@pytest.mark.parametrize(("form", "kind"), [("kml", "application/vnd.google-earth.kml+xml"), ("geojson", "application/geo+json")])
def test_exports_are_files(web, job, form, kind):
    response = web.get(f"/jobs/{job.pk}/export.{form}", sortie=1)
    assert response["Content-Type"] == kind
    assert response["Content-Disposition"] == f'attachment; filename="top-field-{job.letter.lower()}1.{form}"'


def test_a_day_is_planned_and_its_numbers_open(web, day):
    answer = web.get(f"/days/{day.pk}").json()
    plan = answer["plan"]
    assert answer["problem"] is None
    assert plan["state"] in ("queued", "proven")
    for key in ("finish", "waits", "supply"):
        assert web.get(f"/days/{day.pk}/working/{key}").json()["steps"]
    call = next(c for c in plan["calls"] if c["kind"] == "on_port")
    working = web.get(f"/days/{day.pk}/working/charge_{call['member']}_{round(call['at_s'])}").json()
    assert working["unit"] == "s"
    assert web.get("/days").json()["items"][0]["finish_s"] == plan["finish_s"]


def test_a_day_that_cannot_be_flown_is_saved_and_says_why(web, day):
    answer = web.get(f"/days/{day.pk}").json()
    body = {k: v for k, v in answer["day"].items() if k not in ("id", "version", "archived", "running")}
    after = web.put(f"/days/{day.pk}", {"version": 1, "day": body | {"charger_ids": []}}).json()
    assert after["plan"] is None
    assert after["problem"]["field"] == "chargers"
    assert after["day"]["charger_ids"] == []


def test_a_search_can_be_stopped(web, day):
    web.get(f"/days/{day.pk}")
    assert web.delete(f"/days/{day.pk}/search").json()["plan"]["state"] in ("stopped", "proven")


def test_the_fleet_is_added_to_and_archived(web, fleet):
    body = {"name": "11", "notes": "", "model_id": str(fleet["P6"].pk), "mates": "", "health_frac": 0.9, "charge_frac": 0.5}
    body |= {"cycles": 3, "bought_on": None}
    made = web.post("/fleet/packs", body)
    assert made.status_code == 201
    pk = made.json()["id"]
    assert assert_problem(web.post("/fleet/packs", body), 422, "taken")["field"] == "name"
    assert web.put(f"/fleet/packs/{pk}?version=1", body | {"cycles": 4}).json()["cycles"] == 4
    assert_problem(web.put(f"/fleet/packs/{pk}?version=1", body | {"cycles": 5}), 409, "stale")
    assert web.delete(f"/fleet/packs/{pk}").json()["archived"] is True
    assert pk not in [p["id"] for p in web.get("/fleet").json()["packs"]]
    assert web.post(f"/fleet/packs/{pk}/restore").json()["archived"] is False


def test_a_job_may_become_another_kind_of_work(web, job):
    answer = web.get(f"/jobs/{job.pk}").json()
    after = web.put(f"/jobs/{job.pk}", {"version": 1, "job": figures(answer) | {"kind": "spraying", "work": {}}}).json()
    assert after["job"]["kind"] == "spraying"
    nozzles = {"nozzle_size", "nozzles_count", "least_bar", "most_bar", "nozzle", "nozzle_kind", "droplets"}
    nozzles |= {"least_l_min", "most_l_min"}
    assert set(after["job"]["work"]) == {"rate_l_ha", "swath_m", "tank_l", "speed_m_s", "height_m", "tolerance_m"} | nozzles
    loads = next(f["value"] for f in after["plan"]["figures"] if f["key"] == "loads_count")
    litres = next(f["value"] for f in after["plan"]["figures"] if f["key"] == "volume_l")
    assert loads == -(-litres // 16.0)
    assert web.get(f"/jobs/{job.pk}/working/loads_count").json()["steps"]


def test_what_a_crew_reads_of_a_sortie_opens(web, job):
    plan = web.get(f"/jobs/{job.pk}").json()["plan"]
    for s in plan["sorties"]:
        back = web.get(f"/jobs/{job.pk}/working/back_{s['number']}").json()
        assert back["value"] == pytest.approx(s["turn_back_s"])
        assert [step["name"] for step in back["steps"]][:4] == ["usable_wh", "onward_wh", "home_wh", "landing_wh"]


def test_the_numbers_beside_the_finish_open(web, day):
    plan = web.get(f"/days/{day.pk}").json()["plan"]
    for key, value in (("bound", plan["bound_s"]), ("plain", plan["plain_rule_s"]), ("finish", plan["finish_s"])):
        working = web.get(f"/days/{day.pk}/working/{key}").json()
        assert working["unit"] == "clock"
        assert working["value"] == pytest.approx(value)


def test_labels_are_a_pdf_whose_code_opens_the_pack_at_the_public_address(web, fleet, settings, monkeypatch):
    import segno
    from weasyprint import HTML

    from quarry.apps.care.formats import labels

    asked, make = [], segno.make
    monkeypatch.setattr(segno, "make", lambda text, **more: asked.append(text) or make(text, **more))
    settings.PUBLIC_URL = "https://van.local:8640/"
    packs = [fleet[n] for n in ("01", "09")]
    for size, pages in (("sheet", 1), ("roll", 2)):
        answer = web.get("/packs/labels.pdf", ids=[str(p.pk) for p in packs], size=size)
        assert answer.status_code == 200
        assert answer["Content-Type"] == "application/pdf"
        assert answer.content.startswith(b"%PDF-")
        told = labels.labels_html([_facts(p) for p in packs], "https://x", "2031-05-06", size)
        assert len(HTML(string=told).render().pages) == pages
    assert asked[:2] == [f"https://van.local:8640/packs/{p.pk}" for p in packs]
    assert told.count("GROUNDED: do not fly") == 1
    assert_problem(web.get("/packs/labels.pdf", ids=[str(packs[0].pk)] * 301), 413, "too_large")


def _facts(pack):
    from quarry.apps.care.queries import label_figures

    return label_figures([pack.pk])[0]


def test_a_record_over_http_answers_with_its_verdict_and_the_page(web, fleet):
    body = {"kind": "load test", "figures": {"cell_v": [3.97] * 5 + [3.7], "start_frac": 0.98, "pack_c": 21}}
    path = f"/packs/{fleet['01'].pk}"
    tried = web.post(f"{path}/try", body).json()
    assert tried["verdict"] == "replace soon"
    assert web.get(path).json()["records_count"] == 0
    answer = web.post(f"{path}/records", body)
    assert answer.status_code == 201
    assert answer.json()["verdict"]["weakest_cell"] == 6
    assert answer.json()["page"]["line"]["level"] == "replace soon"
    assert web.get(f"{path}/working/rule.load test, lowest cell").json()["value"] == 3.7
    assert_problem(web.get(f"{path}/working/luck"), 404, "not_found")
    bad = assert_problem(web.post(f"{path}/records", body | {"figures": {"cell_v": [3.9] * 4}}), 422, "bad_reading")
    assert bad["field"] == "cell_v"
    rows = web.post("/packs/rest-volts", {"rows": [{"pack_id": str(fleet["01"].pk), "cell_v": [3.8] * 4}]})
    assert assert_problem(rows, 422, "rows")["problems"][0]["row"] == 0


def test_tables_over_http(web, fleet):
    out = web.get("/packs/tables/packs.csv")
    assert out["Content-Disposition"] == 'attachment; filename="packs.csv"'
    text = b"".join(out.streaming_content)
    from django.core.files.uploadedfile import SimpleUploadedFile

    def send(data):
        return web.client.post("/api/packs/tables", {"file": SimpleUploadedFile("t.csv", data)})

    assert send(text).json()["words"] == "0 packs added, 5 were there"
    refused = send(b"name,model\n31,Z\n").json()
    assert (refused["state"], refused["problems"][0]["column"]) == ("refused", "model")
    large = b"name,model,notes\n" + b"".join(b"p%d,P6,%s\n" % (k, b"x" * 300) for k in range(1500))
    queued = send(large).json()
    assert queued["state"] == "waiting"
    assert web.delete(f"/packs/tables/imports/{queued['id']}").json()["state"] == "stopped"


def test_a_new_day_begins_with_the_usual_figures_and_the_whole_serviceable_fleet(web, lead, fleet, job):
    fleet["03"].grounded = True
    fleet["03"].save(update_fields=["grounded"])
    said = {"name": "Tuesday", "date": "2031-05-06", "time_zone": "UTC", "opens": "08:00", "closes": "17:00"}
    made = web.post("/days", said | {"jobs": [{"job_id": str(job.pk), "aircraft_id": None}]}).json()["day"]
    begins = {d["key"]: d for d in web.get("/policy/defaults").json()}
    for name in ("swap_s", "rest_after_flight_s", "rest_after_charge_s", "elevation_m", "bench_c"):
        assert made[name] == begins[f"day.{name}"]["value"]
    ids = {p["pack_id"] for p in made["packs"]}
    assert str(fleet["03"].pk) not in ids
    assert {str(fleet["01"].pk), str(fleet["02"].pk)} <= ids
    assert made["charger_ids"]
    assert made["crew_ids"] == [lead.pk]
    assert made["supply_id"]
    assert [j["job_id"] for j in made["jobs"]] == [str(job.pk)]
    other = web.post("/days", said | {"swap_s": 300.0, "packs": []}).json()["day"]
    assert (other["swap_s"], other["packs"]) == (300.0, [])
    assert web.post("/days", said | {"supply_id": None}).json()["day"]["supply_id"] is None, "said to be none"


def test_every_default_lies_in_its_range_and_has_a_reason(web):
    told = web.get("/policy/defaults").json()
    assert len({d["key"] for d in told}) == len(told)
    assert all(d["low"] <= d["value"] <= d["high"] and d["reason"] and d["words"] for d in told)


def test_a_new_day_takes_the_packs_that_its_jobs_need(web, lead, fleet, job):
    """Packs of a kind that no aircraft of the day flies stay at home; without a job all come along."""
    other = add_thing(actor=lead, model=PackModel, figures=PACK_MODEL | {"name": "Other kind"})
    stranger = add_thing(actor=lead, model=Pack, figures={"name": "77", "model_id": other.pk})
    said = {"name": "Tuesday", "date": "2031-05-06", "time_zone": "UTC", "opens": "08:00", "closes": "17:00"}
    made = web.post("/days", said | {"jobs": [{"job_id": str(job.pk), "aircraft_id": None}]}).json()["day"]
    ids = {p["pack_id"] for p in made["packs"]}
    assert str(fleet["01"].pk) in ids
    assert str(stranger.pk) not in ids
    alone = web.post("/days", said).json()["day"]
    assert str(stranger.pk) in {p["pack_id"] for p in alone["packs"]}


def test_several_packs_alike_are_added_at_once_or_none(web, lead, fleet):
    of = {"name": "P08", "model_id": str(fleet["P6"].pk)}
    made = web.post("/fleet/packs/alike", {"of": of, "count": 3, "serials": ["AA1", "", "AA3"]})
    assert made.status_code == 201
    assert [(p["name"], p["serial"]) for p in made.json()] == [("P08", "AA1"), ("P09", ""), ("P10", "AA3")]
    again = web.post("/fleet/packs/alike", {"of": of | {"name": "P06"}, "count": 4})
    assert again.json()["field"] == "name"
    assert "P08" in again.json()["detail"]
    assert not Pack.objects.filter(name__in=["P06", "P07"]).exists()
    many = web.post("/fleet/packs/alike", {"of": of | {"name": "Q1"}, "count": 2, "serials": ["a", "b", "c"]})
    assert many.json()["field"] == "serials"
    assert web.post("/fleet/packs/alike", {"of": of, "count": 101}).status_code == 422


def test_a_job_that_is_new_to_a_day_brings_the_packs_it_flies(web, lead, fleet, job):
    other = add_thing(actor=lead, model=PackModel, figures=PACK_MODEL | {"name": "Other kind"})
    craft = add_thing(actor=lead, model=AircraftModel, figures=AIRCRAFT_MODEL | {"name": "Second", "pack_model_id": other.pk})
    stranger = add_thing(actor=lead, model=Pack, figures={"name": "77", "model_id": other.pk})
    said = {"name": "Tuesday", "date": "2031-05-06", "time_zone": "UTC", "opens": "08:00", "closes": "17:00"}
    answer = web.post("/days", said | {"jobs": [{"job_id": str(job.pk), "aircraft_id": None}]}).json()
    second = make_job(lead, fleet, name="Second field", aircraft_model_id=craft.pk, aircraft_id=None)

    def put(answer, **change):
        figures = {k: v for k, v in answer["day"].items() if k not in ("id", "version", "archived", "running")} | change
        body = {"version": answer["day"]["version"], "day": figures}
        saved = web.put(f"/days/{answer['day']['id']}", body)
        assert saved.status_code == 200, saved.json()
        return saved.json()

    jobs = [*answer["day"]["jobs"], {"job_id": str(second.pk), "aircraft_id": None}]
    with_both = put(answer, jobs=jobs)
    assert str(stranger.pk) in {p["pack_id"] for p in with_both["day"]["packs"]}
    without = put(with_both, packs=[p for p in with_both["day"]["packs"] if p["pack_id"] != str(stranger.pk)])
    assert str(stranger.pk) not in {p["pack_id"] for p in without["day"]["packs"]}, "what a person left out stays out"


def test_serial_numbers_are_only_for_what_has_one(web, fleet):
    of = {"name": "Twin 2", "model_id": str(fleet["Twin"].pk)}
    assert web.post("/fleet/chargers/alike", {"of": of, "count": 2, "serials": ["a"]}).status_code == 422
    made = web.post("/fleet/chargers/alike", {"of": of, "count": 2})
    assert [c["name"] for c in made.json()] == ["Twin 2", "Twin 3"]
