"""A job as flown: from telemetry, logs and landings; its gaps flown as the next job; its proof."""

import csv
import hashlib
import io
import json
import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import rasterio
from django.utils import timezone
from pypdf import PdfReader
from shapely import LineString, MultiPoint, Polygon

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day import queries as days
from quarry.apps.day import services as day_services
from quarry.apps.day.models import TrackPoint
from quarry.apps.flown import exports, queries, services
from quarry.apps.flown.fields import PhotoColumns
from quarry.apps.flown.formats.photo_table import read_photo_table
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.services import save_job
from quarry.apps.logbook.importer import begin_import, run_import
from quarry.apps.logbook.models import Flight
from quarry.core.ground.geodesy import LocalFrame
from tests.factories import job_plan, make_job, make_today, plain, post_events, post_telemetry
from tests.flown import fly, photos_of, places_along

pytestmark = pytest.mark.django_db


def as_flown(job_id, day_id=None):
    return queries.as_flown(queries.known_of(job_id, day_id))


@pytest.fixture
def sprayed(lead, fleet):
    """A spraying job on the field of the tests."""
    return make_job(
        lead, fleet, name="Hop rows", kind="spraying", work={"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 300.0}
    )


@pytest.fixture
def today(lead, fleet, sprayed):
    return make_today(lead, fleet, [sprayed], ago_min=300)


def test_of_landings_alone_it_is_an_estimate_that_says_so(lead, today, sprayed):
    fly(lead, today)
    view = as_flown(sprayed.pk)
    assert {s.source for s in view.sorties} == {"landing"}
    assert all(s.estimated for s in view.strips)
    assert all("an estimate" in s.notes[0] for s in view.sorties)
    covered = next(x for x in view.figures if x.key == "covered_frac")
    assert covered.value > 0.97
    assert covered.low < covered.value < covered.high
    assert [d.taken for d in view.days] == [True]


def test_a_sortie_that_came_home_early_leaves_its_rest_open(lead, today, sprayed):
    fly(lead, today, done={"S1": 0.5})
    view = as_flown(sprayed.pk)
    assert view.gaps[0].cause in ("not flown", "turned early")
    first = [x for x in view.lines if x.sortie == "S1"]
    done = sum(x.covered_m for x in first) / sum(x.length_m for x in first)
    assert done == pytest.approx(0.5, abs=0.05)


def test_telemetry_comes_first_and_nozzles_shut_on_a_line_are_a_gap(lead, today, sprayed):
    fly(lead, today, telemetry={"S1"}, shut={3})
    assert TrackPoint.objects.filter(day=today, flight="S1").count() > 100
    view = as_flown(sprayed.pk)
    assert next(s.source for s in view.sorties if s.sortie == "S1") == "telemetry"
    missed = [g for g in view.gaps if g.cause == "shut"]
    assert len(missed) == 1
    line = next(x for x in view.lines if (x.sortie, x.number) == ("S1", 3))
    frame = LocalFrame.around(sprayed.areas[0]["ring"])
    route = days.read_run(days.run_of(today.pk)).kept.routes["S1"].lines[2]
    band = (
        LineString(frame.to_metres(route))
        .buffer(3.0, cap_style="flat")
        .intersection(Polygon(frame.to_metres(sprayed.areas[0]["ring"])))
    )
    assert missed[0].area_m2 == pytest.approx(band.area, rel=0.05)
    assert line.covered_m < 0.1 * line.length_m


def test_what_was_made_is_kept_until_something_changes(lead, today, sprayed):
    fly(lead, today)
    first = as_flown(sprayed.pk)
    assert as_flown(sprayed.pk) == first
    opens = days.moments_of(today)[0]
    routes = days.read_run(days.run_of(today.pk)).kept.routes
    post_telemetry(actor=lead, day_id=today.pk, readings=places_along("S1", routes["S1"], opens + timedelta(minutes=10)))
    assert as_flown(sprayed.pk).mark != first.mark


def test_nothing_flown_is_told_in_words(sprayed):
    found = queries.answer_of(sprayed.pk)
    assert found.flown is None
    assert "Nothing of this job was flown yet" in found.problem or "Nothing was flown" in found.problem


def test_gaps_become_a_job_with_lines_that_fits_them(lead, today, sprayed):
    fly(lead, today, telemetry={"S1"}, shut={3})
    view = as_flown(sprayed.pk)
    gap = next(g for g in view.gaps if g.cause == "shut")
    job, joined = services.fly_gaps(actor=lead, job_id=sprayed.pk, numbers=[gap.number], mark=view.mark)
    assert joined == []
    assert job.name == "Gaps of Hop rows"
    assert job.letter != sprayed.letter
    plan = job_plan(job)
    assert len(plan["sorties"]) == 1
    assert plan["area_ha"] == pytest.approx(gap.area_m2 / 1e4, rel=0.05)
    assert plan["bearing_deg"] == pytest.approx(job_plan(sprayed)["bearing_deg"], abs=0.1)
    with pytest.raises(DomainError, match="Choose at least one gap"):
        services.fly_gaps(actor=lead, job_id=sprayed.pk, numbers=[9999], mark=view.mark)
    with pytest.raises(DomainError, match="changed meanwhile"):
        services.fly_gaps(actor=lead, job_id=sprayed.pk, numbers=[gap.number], mark="0" * 64)


def test_gaps_join_the_running_day_at_its_end_on_a_pack_that_has_the_charge(lead, today, sprayed):
    fly(lead, today, telemetry={"S1"}, shut={3})
    left = queries.gaps_of_day(today.pk)
    assert [(g.job, g.letter) for g in left] == [("Hop rows", "S")]
    view = as_flown(sprayed.pk, today.pk)
    before = plain(days.live_of(today))
    assert {f["word"] for f in before["flights"]} == {"landed"}
    job, joined = services.fly_gaps(
        actor=lead, job_id=sprayed.pk, numbers=[g.number for g in view.gaps], mark=view.mark, day_id=today.pk, join=today.pk
    )
    live = plain(days.live_of(today))
    assert joined == [f"{job.letter}1"]
    new = next(f for f in live["flights"] if f["id"] == joined[0])
    assert (new["word"], new["job"]) == ("planned", str(job.pk))
    launch = next(c for c in live["calls"] if c["kind"] == "launch" and c["flight"] == joined[0])
    pack_set = launch["set"]
    assert min(p["frac"] for p in live["packs"] if p["set"] == pack_set) > 0.3 or launch["at_s"] > live["now_s"]
    assert any(f"{job.name} joins the day" in c["words"] for c in live["changes"])
    with pytest.raises(DomainError, match="is in this day already"):
        day_services.join_run(actor=lead, day_id=today.pk, job_id=job.pk)


def test_a_proof_is_numbered_and_its_files_are_what_their_checksums_say(lead, today, sprayed):
    fly(lead, today, telemetry={"S1"}, shut={3})
    row = services.make_proof(actor=lead, job_id=sprayed.pk)
    again = services.make_proof(actor=lead, job_id=sprayed.pk)
    assert (row.number, again.number) == (1, 2)
    for form in ("pdf", "geojson", "tif"):
        data, name = queries.proof_file(row.pk, form)
        assert name == f"proof-0001.{form}"
        assert hashlib.sha256(data).hexdigest() == row.digests[form]
    text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(bytes(row.pdf))).pages)
    for words in ("Proof of work 0001", "Hop rows", "ESTIMATE", "flown over with nothing on", row.digests["geojson"][:20]):
        assert words in text
    drawn = json.loads(bytes(row.geojson))
    assert {f["properties"]["what"] for f in drawn["features"]} >= {"line as planned", "strip as flown", "gap"}
    with rasterio.open(io.BytesIO(bytes(row.geotiff))) as grid:
        counted = grid.read(1)
        inside = counted != grid.nodata
        assert (counted[inside] > 0).mean() == pytest.approx(row.covered_frac, abs=0.03)
        # A plane in metres whose cells are as large on the ground.
        area = inside.sum() * abs(grid.transform.a * grid.transform.e)
    assert area == pytest.approx(job_plan(sprayed)["area_ha"] * 1e4, rel=0.02)
    assert [p.number for p in queries.proofs_of(sprayed.pk)] == [2, 1]


def test_as_flown_goes_out_as_geojson(lead, today, sprayed):
    fly(lead, today)
    data, name = exports.export_flown(sprayed.pk, "geojson")
    assert name == "hop-rows-flown.geojson"
    assert json.loads(data)["type"] == "FeatureCollection"


def test_a_day_that_flew_the_same_again_stands_for_itself(lead, fleet, today, sprayed):
    fly(lead, today)
    other = make_today(lead, fleet, [sprayed], ago_min=200)
    fly(lead, other, leave_out={"S1"})
    view = as_flown(sprayed.pk)
    assert [d.taken for d in view.days].count(True) == 1
    assert view.gaps
    assert as_flown(sprayed.pk, today.pk).days != view.days


def test_over_the_api(web, lead, today, sprayed):
    fly(lead, today)
    found = web.get(f"/jobs/{sprayed.pk}/as-flown").json()
    assert found["problem"] == ""
    working = web.get(f"/jobs/{sprayed.pk}/as-flown/working", key="covered_frac").json()
    assert [s["name"] for s in working["steps"]][:3] == ["ground_m2", "covered_m2", "covered_frac"]
    assert Job.objects.filter(name__startswith="Gaps").count() == 0
    assert web.get(f"/jobs/{sprayed.pk}/proofs").json() == []


@pytest.fixture
def mapped(lead, fleet):
    """A mapping job on a piece of the field of the tests, and the day on which it was flown."""
    ring = [[7.1, 46.2], [7.102, 46.2], [7.102, 46.2012], [7.1, 46.2012]]
    job = make_job(lead, fleet, name="Bank", letter="B", areas=[{"ring": ring}], home=[7.1, 46.1999])
    day = make_today(lead, fleet, [job], ago_min=120)
    fly(lead, day)
    return job, day


def test_photos_tell_where_pictures_were_taken_and_three_that_are_missing_are_a_gap(lead, mapped):
    job, day = mapped
    whole = services.keep_photos(actor=lead, job_id=job.pk, name="card 1", columns=photos_of(job, day))
    before = as_flown(job.pk)
    assert not before.gaps
    assert all(x.taken >= x.wanted - 1 for x in before.photo_lines)
    services.set_photos_archived(actor=lead, photo_set_id=whole.pk, archived=True)
    missing = {("B1", 2, k) for k in (5, 6, 7)}
    services.keep_photos(actor=lead, job_id=job.pk, name="card 1", columns=photos_of(job, day, left_out=missing))
    view = as_flown(job.pk)
    line = next(x for x in view.photo_lines if (x.sortie, x.number) == ("B1", 2))
    assert line.wanted - line.taken in (3, 4)
    trigger = next(f["value"] for f in job_plan(job)["figures"] if f["key"] == "trigger_m")
    assert line.widest_m == pytest.approx(4 * trigger, abs=0.2)
    assert [g.cause for g in view.gaps] == ["no picture"]
    services.set_photos_archived(actor=lead, photo_set_id=whole.pk, archived=False)
    assert not as_flown(job.pk).gaps


def test_lines_across_are_told_apart_from_those_that_cover_the_ground(lead, fleet):
    ring = [[7.1, 46.2], [7.102, 46.2], [7.102, 46.2012], [7.1, 46.2012]]
    job = make_job(lead, fleet, name="Bank", letter="B", areas=[{"ring": ring}], home=[7.1, 46.1999])
    job = save_job(
        actor=lead, job_id=job.pk, version=job.version, figures={"lines": {**job.lines, "passes": [{"turn_deg": 90.0}]}}
    )
    day = make_today(lead, fleet, [job], ago_min=120)
    routes = days.read_run(fly(lead, day, telemetry={f"B{s['number']}" for s in job_plan(job)["sorties"]})).kept.routes
    view = as_flown(job.pk)
    first = [x for x in job_plan(job)["lines"] if x["part"] == 0]
    assert len(view.lines) < sum(len(r.lines) for r in routes.values())
    assert sum(x.length_m for x in view.lines) == pytest.approx(sum(x["length_m"] for x in first), rel=0.02)
    assert len(view.lines) >= len(first)
    (note,) = [n for n in view.notes if n.startswith("Further pass, across")]
    assert re.search(r"(9\d|100)% of its lines", note)
    services.keep_photos(actor=lead, job_id=job.pk, name="card 1", columns=photos_of(job, day))
    taken = [x for x in as_flown(job.pk).photo_lines if x.sortie == "across"]
    assert taken
    assert all(x.taken >= x.wanted - 2 for x in taken)


def test_what_is_odd_about_photos_is_told(lead, mapped):
    job, day = mapped
    columns = photos_of(job, day, jump=20)
    odd = replace(columns, width_px=100, height_px=80)
    report = services.keep_photos(actor=lead, job_id=job.pk, name="card 1", columns=odd).report
    assert any("100 × 80 px" in r and "choose the camera" in r for r in report)
    assert any("exposed suddenly" in r and "+4.0 stops" in r for r in report)
    none = replace(columns, lat=[None] * len(columns.names))
    with pytest.raises(DomainError, match="holds a position") as bad:
        services.keep_photos(actor=lead, job_id=job.pk, name="x", columns=none)
    assert bad.value.field == "photos"
    away = replace(columns, lon=[v + 1.0 for v in columns.lon])
    with pytest.raises(DomainError, match="another field"):
        services.keep_photos(actor=lead, job_id=job.pk, name="x", columns=away)
    with pytest.raises(DomainError, match="not as many values of lat"):
        services.keep_photos(actor=lead, job_id=job.pk, name="x", columns=replace(columns, lat=columns.lat[1:]))
    with pytest.raises(DomainError, match="no photo among"):
        services.keep_photos(actor=lead, job_id=job.pk, name="x", columns=PhotoColumns([], [], [], []))


def test_photos_are_handed_over_by_the_clock_of_the_flights_with_what_they_see(lead, mapped):
    job, day = mapped
    columns = photos_of(job, day, ahead_s=0.0)
    services.keep_photos(actor=lead, job_id=job.pk, name="card 1", columns=columns)
    data, name = exports.export_photos(job.pk, "csv")
    rows = list(csv.DictReader(io.StringIO(data.decode())))
    assert name == "bank-photos.csv"
    assert len(rows) == len(columns.names)
    assert float(rows[0]["latitude [WGS 84 deg]"]) == pytest.approx(columns.lat[0], abs=1e-8)
    assert datetime.fromisoformat(rows[0]["time [UTC]"]).timestamp() == pytest.approx(columns.at[0], abs=0.01)
    # What goes out can be read back in.
    assert read_photo_table(data).lon == pytest.approx(columns.lon, abs=1e-8)
    seen = json.loads(exports.export_photos(job.pk, "geojson")[0])["features"]
    ring = LocalFrame.around([job.home]).to_metres(seen[0]["geometry"]["coordinates"][0])
    camera = job.camera
    assert Polygon(ring).area == pytest.approx((45.0 / camera.focal_mm) ** 2 * camera.sensor_w_mm * camera.sensor_h_mm, rel=0.02)
    with pytest.raises(DomainError, match="No photos of this job"):
        exports.export_photos(make_job(lead, _fleet_of(job), name="Other").pk, "csv")


def _fleet_of(job):
    return {"Quad": job.aircraft_model, "A1": job.aircraft, "Cam": job.camera}


def a_log(day, name, *, shut=(), ahead_min=0, away_deg=0.0):
    """A log of a sortie as another hand writes it: decimal commas, a column of the pump, its clock perhaps of another zone."""
    route = days.read_run(days.run_of(day.pk)).kept.routes[name]
    up = days.moments_of(day)[0] + timedelta(minutes=10)
    rows = ["Zeit (UTC);Akku %;Höhe m;Breite;Länge;Pumpe;Spannung V;Strom A"]
    places = places_along(name, route, up + timedelta(minutes=ahead_min), shut=shut, step_m=8.2)
    for k, p in enumerate(places):
        high = 0.0 if k in (0, len(places) - 1) else 3.0
        figures = [95 - 55 * k / len(places), high, p["lat_deg"] + away_deg, p["lon_deg"]]
        shown = [f"{v:.7f}".replace(".", ",") for v in figures]
        rows.append(
            ";".join(
                [
                    p["at"].astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S"),
                    *shown,
                    "1" if p["works"] else "0",
                    "22,8",
                    "30,5" if high else "0,4",
                ]
            )
        )
    return "\n".join(rows).encode()


def imported(lead, data, name="flight.csv"):
    row = begin_import(actor=lead, name=name, data=data)
    run_import(row.pk)
    return Flight.objects.get()


@pytest.mark.parametrize(("ahead_min", "zones"), [(0, 0), (120, 1)])
def test_a_log_says_where_the_pump_was_off_whatever_its_clock_says(lead, today, sprayed, ahead_min, zones):
    fly(lead, today)
    flight = imported(lead, a_log(today, "S1", shut={3}, ahead_min=ahead_min))
    Flight.objects.filter(pk=flight.pk).update(day=today, sortie="S1", job=sprayed)
    view = as_flown(sprayed.pk)
    first = next(s for s in view.sorties if s.sortie == "S1")
    assert first.source == "log"
    assert not any("does not say when" in n for n in first.notes)
    zone = [n for n in first.notes if re.search(r"2 h ahead of the day's, as one of another time zone", n)]
    assert len(zone) == zones, first.notes
    assert [g.cause for g in view.gaps] == ["shut"]
    line = next(x for x in view.lines if (x.sortie, x.number) == ("S1", 3))
    assert line.covered_m < 0.1 * line.length_m


def test_a_log_of_another_field_is_left_out_and_told(lead, today, sprayed):
    fly(lead, today)
    flight = imported(lead, a_log(today, "S1", away_deg=0.4))
    Flight.objects.filter(pk=flight.pk).update(day=today, sortie="S1", job=sprayed)
    view = as_flown(sprayed.pk)
    assert next(s.source for s in view.sorties if s.sortie == "S1") == "landing"
    assert any("S1: its track lies 44" in words and "another field" in words for words in view.left_out)


def test_gaps_that_were_flown_fill_the_job_they_are_of(lead, today, sprayed):
    fly(lead, today, telemetry={"S1"}, shut={3})
    view = as_flown(sprayed.pk, today.pk)
    numbers = [g.number for g in view.gaps]
    job, joined = services.fly_gaps(
        actor=lead, job_id=sprayed.pk, numbers=numbers, mark=view.mark, day_id=today.pk, join=today.pk
    )
    assert queries.gaps_of_day(today.pk) == [], "its gaps are still to be flown"
    run = days.read_run(days.run_of(today.pk))
    pack_set = sorted({f.set for f in run.state.flights.values() if f.set})[0]
    up = timezone.now() - timedelta(minutes=20)
    events = [
        {"key": "ug", "kind": "launched", "at": up, "figures": {"flight": joined[0], "set": pack_set}},
        {"key": "dg", "kind": "landed", "at": up + timedelta(minutes=8), "figures": {"flight": joined[0], "left_frac": 0.5}},
    ]
    post_events(actor=lead, day_id=today.pk, device="tablet", device_now=timezone.now(), events=events)
    after = as_flown(sprayed.pk, today.pk)
    assert not after.gaps
    assert joined[0] in {s.sortie for s in after.sorties}
    assert joined[0] in after.days[0].sorties
    assert as_flown(sprayed.pk).gaps == []
    assert as_flown(job.pk).gaps == []
    assert queries.gaps_of_day(today.pk) == []


def test_what_was_asked_for_is_got_where_each_field_has_its_own_rate(lead, fleet):
    west = [[7.1, 46.2], [7.102, 46.2], [7.102, 46.2012], [7.1, 46.2012]]
    east = [[x + 0.003, y] for x, y in west]
    areas = [{"ring": west, "name": "west"}, {"ring": east, "name": "east", "rate_l_ha": 30.0}]
    work = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 300.0}
    job = make_job(lead, fleet, kind="spraying", areas=areas, home=[7.1, 46.1999], work=work)
    fly(lead, make_today(lead, fleet, [job], ago_min=300))
    figures = {x.key: x.value for x in as_flown(job.pk).figures}
    assert figures["dose_l_ha"] == pytest.approx(25.0, rel=0.04)
    assert figures["enough_frac"] > 0.93
    working = queries.working_of(job.pk, "enough_frac")
    assert [s.name for s in working.steps] == ["tolerance_frac", "enough_frac"]


def test_a_log_that_says_how_the_camera_looked_is_believed(lead, mapped):
    job, day = mapped
    route = days.read_run(days.run_of(day.pk)).kept.routes["B1"]
    up = days.moments_of(day)[0] + timedelta(minutes=10)
    rows = ["time UTC,battery %,height m,lat,lon,photos,gimbal pitch deg,pack V,current A"]
    for k, p in enumerate(places_along("B1", route, up, step_m=2.0)):
        at = p["at"].astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S")
        rows.append(f"{at},{95 - k / 20:.2f},45.0,{p['lat_deg']:.7f},{p['lon_deg']:.7f},{k},{-60 - k % 2},22.8,30.5")
    rows[1] = rows[1].replace(",45.0,", ",0.0,")
    rows[-1] = rows[-1].replace(",45.0,", ",0.0,")
    flight = imported(lead, "\n".join(rows).encode())
    Flight.objects.filter(pk=flight.pk).update(day=day, sortie="B1", job=job)
    view = as_flown(job.pk)
    (first,) = [s for s in view.sorties if s.sortie == "B1"]
    assert first.source == "log", (first.notes, view.left_out)
    assert not [n for n in first.notes if "how the camera looked" in n]


@pytest.mark.parametrize("name", ["polder.csv.gz", "telemetry.jsonl", "ladera.txt", "short-hop.csv"])
def test_tracks_of_other_hands_are_laid_over_ground_around_them(lead, fleet, name):
    """Logs that nobody here wrote, over a search around each: something of it was covered, and it is said what was assumed."""
    data = (Path(__file__).parents[1] / "samples" / "logs" / name).read_bytes()
    flight = imported(lead, data, name)
    log = queries.log_from(bytes(flight.samples.data))
    lon, lat = (log.numbers[k] for k in ("lon_deg", "lat_deg"))
    known = np.isfinite(lon) & np.isfinite(lat) & ((lon != 0) | (lat != 0))
    frame = LocalFrame.around([(float(np.median(lon[known])), float(np.median(lat[known])))])
    hull = MultiPoint(frame.to_metres(list(zip(lon[known], lat[known], strict=True)))).convex_hull.buffer(20.0).simplify(2.0)
    ring = [list(p) for p in frame.to_degrees(list(hull.exterior.coords)[:-1])]
    job = make_job(lead, fleet, kind="search", areas=[{"ring": ring}], home=ring[0], work={})
    Flight.objects.filter(pk=flight.pk).update(job=job)
    view = as_flown(job.pk)
    covered = next(f for f in view.figures if f.key == "covered_frac")
    assert 0.05 < covered.low <= covered.value <= covered.high <= 1.0
    assert any("does not say when it works" in n for n in view.sorties[0].notes)
    # Whatever it flew, it covered no more than strips of its own length.
    width = job_plan(job)["figures"]
    spacing = next(f["value"] for f in width if f["key"] == "spacing_m")
    xy = np.array(frame.to_metres(list(zip(lon[known], lat[known], strict=True))))
    flown_m = float(np.hypot(*np.diff(xy, axis=0).T).sum())
    ground_m2 = sum(f["value"] for f in width if f["key"] == "area_ha") * 1e4 or hull.area
    assert covered.value * ground_m2 <= 1.3 * spacing * (flown_m + spacing)
