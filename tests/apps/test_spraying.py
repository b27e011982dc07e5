"""Spraying jobs: nozzles at a pressure, and what is kept clear of sensitive places."""

import json
from datetime import timedelta

import pytest
from django.utils import timezone
from shapely import LineString, Polygon
from shapely.ops import unary_union

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import Organisation
from quarry.apps.day.queries import moments_of
from quarry.apps.day.services import start_run
from quarry.apps.fleet.models import Nozzle, Product
from quarry.apps.fleet.services import add_thing
from quarry.apps.jobs import queries
from quarry.apps.jobs.exports import export_dose_map
from quarry.apps.jobs.services import save_job, split_strips
from quarry.apps.limits import queries as limits
from quarry.apps.spraying.queries import swath_tests
from quarry.apps.spraying.services import keep_swath_test, set_swath_test_archived
from quarry.apps.weather.fields import forecast_json
from quarry.apps.weather.formats.forecast import read_forecast
from quarry.apps.weather.models import Forecast
from quarry.apps.weather.queries import net
from quarry.core.base.errors import CoreError
from quarry.core.ground.geodesy import LocalFrame
from quarry.core.spraying.nozzles import nozzle_l_min
from tests.factories import add_reading, make_job, make_today, plain, post_events

pytestmark = pytest.mark.django_db
WORK = {"height_m": 3.0, "swath_m": 6.0, "rate_l_ha": 20.0, "tank_l": 30.0, "speed_m_s": 5.0}


def sprayed(lead, fleet, **work):
    return make_job(lead, fleet, kind="spraying", work={**WORK, **work})


def test_nozzles_say_the_pressure_that_gives_the_flow(lead, fleet):
    plan = queries.plan_of(sprayed(lead, fleet, nozzle_size="03", nozzles_count=4))
    flow, bar = plan.figure("flow_l_min"), plan.figure("pressure_bar")
    assert 4 * nozzle_l_min(1.2, bar) == pytest.approx(flow)
    assert plan.workings["pressure_bar"].steps[-1].formula == "pressure = 3 bar × (flow ÷ nominal)²"
    assert not [c for c in plan.checks if c.key == "pressure_bar"]
    assert queries.plan_of(sprayed(lead, fleet)).figure("pressure_bar") is None


def test_nozzles_that_cannot_give_it_say_what_would(lead, fleet):
    plan = queries.plan_of(sprayed(lead, fleet, nozzle_size="01", nozzles_count=4))
    (check,) = [c for c in plan.checks if c.key == "pressure_bar"]
    assert check.verdict == "no"
    assert "What would do: size 0" in check.words


@pytest.mark.parametrize(
    ("work", "field"),
    [({"nozzle_size": "7"}, "nozzle_size"), ({"nozzles_count": 0}, "nozzles_count"), ({"most_bar": 0.5}, "most_bar")],
)
def test_what_no_nozzle_is_is_refused_at_its_field(lead, fleet, work, field):
    job = sprayed(lead, fleet, **{"nozzle_size": "02", **work})
    with pytest.raises(CoreError) as bad:
        queries.plan_of(job)
    assert bad.value.field == f"work.{field}"


def north_of(job):
    """A stream along the north of a job, 15 m beyond it."""
    ring = job.areas[0]["ring"]
    north = max(p[1] for p in ring) + 15 / 111_250
    return [[min(p[0] for p in ring) - 0.001, north], [max(p[0] for p in ring) + 0.001, north]]


def beside_stream(lead, fleet, from_deg, **sensitive):
    job = sprayed(lead, fleet)
    place = {"ring": north_of(job), "name": "stream", "distance_m": 50.0, **sensitive}
    wind = {**job.wind, "speed_m_s": 3.0, "from_deg": from_deg, "assumed": False, "origin": "entered"}
    return save_job(
        actor=lead, job_id=job.pk, version=job.version, figures={"site": {**job.site, "sensitive": [place]}, "wind": wind}
    )


def test_a_strip_is_kept_clear_where_the_wind_blows_towards_it_and_litres_follow(lead, fleet):
    away, towards = (queries.plan_of(beside_stream(lead, fleet, d)) for d in (0.0, 180.0))
    assert away.kept == []
    (kept,) = towards.kept
    assert kept.name == "stream"
    assert kept.area_ha > 0.5
    assert away.area_ha - towards.area_ha == pytest.approx(kept.area_ha, rel=0.25)
    assert towards.figure("volume_l") == pytest.approx(away.figure("volume_l") * towards.area_ha / away.area_ha, rel=0.02)
    assert queries.plan_of(beside_stream(lead, fleet, 0.0, rule="always")).kept[0].area_ha >= 0.99 * kept.area_ha


def test_no_swath_reaches_into_what_is_kept_clear(lead, fleet):
    job = beside_stream(lead, fleet, 200.0)
    plan = queries.plan_of(job)
    frame = LocalFrame.around([tuple(p) for p in job.areas[0]["ring"]])
    kept = unary_union([Polygon(frame.to_metres(p[0])) for p in plan.kept[0].ground])
    swaths = [
        LineString(frame.to_metres(way)).buffer(3.0, cap_style="flat")
        for s in plan.sorties
        for way in s.worked
        if way[0] != way[1]
    ]
    assert unary_union(swaths).intersection(kept).area < 0.002 * kept.area


def test_kept_clear_of_more_than_the_field_is_refused_in_words(lead, fleet):
    with pytest.raises(CoreError, match=r"Kept clear of stream .* nothing is left to spray") as bad:
        queries.plan_of(beside_stream(lead, fleet, 180.0, distance_m=1900.0))
    assert bad.value.field == "site.sensitive"
    with pytest.raises(CoreError) as bad:
        queries.plan_of(beside_stream(lead, fleet, 180.0, distance_m=0.0))
    assert bad.value.field == "site.sensitive.0.distance_m"


def test_the_gate_is_shut_in_hours_whose_wind_blows_towards_the_stream(lead, fleet):
    job = beside_stream(lead, fleet, 0.0)
    now = timezone.now()
    add_reading(
        actor=lead,
        lon=job.home[0],
        lat=job.home[1],
        figures={"wind_m_s": 3.0, "gust_m_s": 4.0, "from_deg": 180.0, "height_m": 3.0},
    )
    hours = limits.hours_of(job, now.replace(minute=0, second=0, microsecond=0), 1)
    (row,) = [r for r in hours[0].verdict.rows if r.key == "sensitive_places"]
    assert row.verdict == "no"
    assert "Wind from 180° towards stream" in row.reason
    assert not row.may_override
    # Planned for that wind the strip is kept, and the hour is open as far as the stream goes.
    for_it = limits.hours_of(beside_stream(lead, fleet, 180.0), now.replace(minute=0, second=0, microsecond=0), 1)
    assert [r.verdict for r in for_it[0].verdict.rows if r.key == "sensitive_places"] == ["go"]
    assert not [r for r in limits.hours_of(sprayed(lead, fleet), now, 1)[0].verdict.rows if r.key == "sensitive_places"]


def test_a_wind_that_turns_towards_the_stream_stops_what_is_up_and_what_is_ahead(lead, fleet):
    job = beside_stream(lead, fleet, 0.0)
    day = make_today(lead, fleet, [job], ago_min=60)
    run = start_run(actor=lead, day_id=day.pk)
    first = f"{job.letter}1"
    opens = moments_of(day)[0]

    def tell(key, kind, minutes, **figures):
        event = {"key": key, "kind": kind, "at": opens + timedelta(minutes=minutes), "figures": figures}
        return plain(post_events(actor=lead, day_id=day.pk, device="tablet", device_now=timezone.now(), events=[event]))["live"]

    assert not [a for a in tell("w0", "observed", 49, wind_m_s=3.0, from_deg=0.0)["alerts"] if a["key"].startswith("stop:")]
    (ahead,) = [a for a in tell("w1", "observed", 50, wind_m_s=3.0, from_deg=185.0)["alerts"] if a["key"].startswith("stop:")]
    assert (ahead["grade"], ahead["words"]) == ("soon", f"Do not spray {job.letter}: wind towards stream")
    used = next(f["set"] for f in run.frame["plan"]["flights"] if f["flight"] == first)
    (up,) = [a for a in tell("u1", "launched", 55, flight=first, set=used)["alerts"] if a["key"].startswith("stop:")]
    assert (up["grade"], up["words"]) == ("now", f"Stop {first}: wind towards stream")
    assert not [a for a in tell("w2", "observed", 58, wind_m_s=3.0, from_deg=10.0)["alerts"] if a["key"].startswith("stop:")]


def gate_rows(job, at, key):
    (hour,) = limits.hours_of(job, at, 1)
    return [r for r in hour.verdict.rows if r.key == key]


def forecast_with(lon, lat, hours):
    """A forecast of hours that begin now: wind at 10 m, rain and cloud base of each."""
    now = timezone.now().replace(minute=0, second=0, microsecond=0)
    rows = [
        {
            "at": (now + timedelta(hours=k)).isoformat(),
            "levels": [{"height_m": 10, "wind_m_s": wind, "gust_m_s": wind + 1, "from_deg": 200}],
            "air_c": 12,
            "dew_point_c": 6,
            "rain_mm_h": rain,
            "snow_mm_h": 0,
            "cloud_base_m": base,
            "visibility_m": 9000,
        }
        for k, (wind, rain, base) in enumerate(hours)
    ]
    told = json.dumps({"source": "test", "issued_at": now.isoformat(), "hours": rows}).encode()
    data = forecast_json(read_forecast(told, timezone.now()))
    known = {"issued_at": now, "fetched_at": now, "tried_at": now, "data": data, "lon": net(lon), "lat": net(lat)}
    Forecast.objects.create(organisation=Organisation.objects.get(), **known)
    return now


def test_rain_before_the_product_is_dry_shuts_the_gate(lead, fleet):
    """Rain in the third hour: a product that needs four hours waits, one that needs one does not; unknown hours are care."""
    slow = add_thing(actor=lead, model=Product, figures={"name": "Slow", "rate_amount": 0.5, "rainfast_h": 4.0})
    job = sprayed(lead, fleet)
    at = forecast_with(*job.home, [(4, 0, None), (4, 0, None), (4, 0, None), (4, 2.4, None), (4, 0, None), (4, 0, None)])
    assert gate_rows(job, at, "rain_ahead") == []
    job.mix = {"items": [{"product_id": str(slow.pk)}]}
    job.save()
    (row,) = gate_rows(job, at, "rain_ahead")
    assert (row.verdict, row.may_override) == ("no", False)
    assert "Slow needs 4 h without" in row.reason
    Product.objects.filter(pk=slow.pk).update(rainfast_h=1.0)
    assert gate_rows(job, at, "rain_ahead")[0].verdict == "go"
    Product.objects.filter(pk=slow.pk).update(rainfast_h=1.0)
    assert gate_rows(job, at + timedelta(hours=5), "rain_ahead")[0].verdict == "care"


def test_signs_of_an_inversion_are_told_before_anything_is_sprayed(lead, fleet, monkeypatch):
    """A low sun, a light wind and a clear sky; cloud or wind or a high sun are none."""
    job = sprayed(lead, fleet)
    at = forecast_with(*job.home, [(2, 0, None), (9, 0, None), (2, 0, 900)])
    monkeypatch.setattr("quarry.apps.weather.mappers.lowest_sun_deg", lambda *_: 2.0)
    (row,) = gate_rows(job, at, "inversion")
    assert row.verdict == "care"
    assert "measure at two heights" in row.reason
    assert [gate_rows(job, at + timedelta(hours=k), "inversion")[0].verdict for k in (1, 2)] == ["go", "go"]
    monkeypatch.setattr("quarry.apps.weather.mappers.lowest_sun_deg", lambda *_: 30.0)
    assert gate_rows(job, at, "inversion")[0].verdict == "go"


def test_an_inversion_measured_on_the_day_stops_spraying(lead, fleet):
    """Warmer above than below: what is up comes home; measured to mix again, the stop is over."""
    job = sprayed(lead, fleet)
    day = make_today(lead, fleet, [job], ago_min=60)
    start_run(actor=lead, day_id=day.pk)
    opens = moments_of(day)[0]

    def tell(key, minutes, **figures):
        event = {"key": key, "kind": "observed", "at": opens + timedelta(minutes=minutes), "figures": figures}
        sent = post_events(actor=lead, day_id=day.pk, device="t", device_now=timezone.now(), events=[event])
        return plain(sent.live)

    live = tell("t0", 40, air_c=9.0, upper_c=10.2)
    assert live["inversion"] == "1.2 °C warmer above than below, as measured: an inversion"
    (stop,) = [a for a in live["alerts"] if a["key"].startswith("stop:")]
    assert stop["words"].startswith(f"Do not spray {job.letter}: 1.2 °C warmer")
    live = tell("t1", 50, air_c=11.0, upper_c=10.4)
    assert (live["inversion"], [a for a in live["alerts"] if a["key"].startswith("stop:")]) == ("", [])


def test_rotary_atomisers_say_what_flow_they_take(lead, fleet):
    """Four of them at 0.1 L/min cannot give what the job asks for; what would is said."""
    few = sprayed(lead, fleet, nozzle_kind="rotary", nozzles_count=2, least_l_min=0.1, most_l_min=0.5)
    (check,) = [c for c in queries.plan_of(few).checks if c.key == "flow_l_min"]
    assert check.verdict == "no"
    assert "atomisers" in check.words.split("What would do")[1]
    fits = sprayed(lead, fleet, nozzle_kind="rotary", nozzles_count=2, least_l_min=0.1, most_l_min=5.0)
    assert not [c for c in queries.plan_of(fits).checks if c.key == "flow_l_min"]


@pytest.mark.parametrize(
    ("model", "figures", "field"),
    [
        (Nozzle, {"kind": "hydraulic", "size": "", "least_bar": 1.0, "most_bar": 3.0}, "size"),
        (Nozzle, {"kind": "hydraulic", "size": "02", "least_bar": 4.0, "most_bar": 3.0}, "most_bar"),
        (Nozzle, {"kind": "hydraulic", "size": "02", "least_bar": 1.0, "most_bar": 3.0, "droplets": ["2; misty"]}, "droplets"),
        (Nozzle, {"kind": "rotary", "size": "", "least_l_min": 1.0}, "least_l_min"),
        (Nozzle, {"kind": "rotary", "size": "", "least_l_min": 0.1, "most_l_min": 1.0, "droplets": ["9000; x"]}, "droplets"),
        (Product, {"rate_amount": 1.0, "buffer": ["3 m/s, 10 m"]}, "buffer"),
        (Product, {"rate_amount": 1.0, "buffer": ["3; 10; rough"]}, "buffer"),
        (Product, {"rate_amount": -1.0}, "rate_amount"),
    ],
)
def test_nozzles_and_products_that_cannot_be_are_refused_at_their_field(lead, model, figures, field):
    """The message says which line or figure, and what it should be."""
    with pytest.raises(DomainError) as bad:
        add_thing(actor=lead, model=model, figures={"name": "X"} | figures)
    assert bad.value.field == field


def test_strips_left_for_the_wind_become_a_job_for_another_wind(lead, fleet):
    """What the strips cover is what was left out, half a swath more on the field's side; in their wind nothing is kept clear."""
    source = beside_stream(lead, fleet, 180.0)
    left = queries.plan_of(source).kept[0].area_ha
    made = split_strips(actor=lead, job_id=source.pk)
    assert made.letter != source.letter
    plan = queries.plan_of(made)
    assert plan.kept == []
    assert left < plan.area_ha < left * 1.35
    assert made.wind["assumed"]
    assert "wind" in {c.key for c in plan.checks}
    frame = LocalFrame.around(source.areas[0]["ring"])
    field = Polygon(frame.to_metres(source.areas[0]["ring"])).buffer(0.05)
    assert all(field.covers(Polygon(frame.to_metres(a["ring"]))) for a in made.areas)


def test_strips_are_refused_where_none_are_left_or_no_wind_would_do(lead, fleet):
    """The reason stands at the sensitive places."""
    with pytest.raises(DomainError, match="nothing is left out"):
        split_strips(actor=lead, job_id=beside_stream(lead, fleet, 0.0).pk)
    job = beside_stream(lead, fleet, 180.0)
    ring = job.areas[0]["ring"]
    around = {"name": "houses", "ring": [*ring, ring[0]], "closed": False, "distance_m": 60.0, "within_deg": 90.0}
    job.site = {**job.site, "sensitive": [around]}
    job.save()
    with pytest.raises(DomainError, match="In every wind") as bad:
        split_strips(actor=lead, job_id=job.pk)
    assert bad.value.field == "site.sensitive"


def test_sensitive_places_of_other_jobs_near_are_offered_once(lead, fleet):
    """The same stream of two jobs is one; what this job has itself is not offered; far ones are not near."""
    first, second = beside_stream(lead, fleet, 0.0), beside_stream(lead, fleet, 180.0)
    mine = sprayed(lead, fleet)
    (found,) = queries.sensitive_near(mine.pk)
    assert (found.name, found.job in (first.name, second.name)) == ("stream", True)
    mine.site = {**mine.site, "sensitive": first.site["sensitive"]}
    mine.save()
    assert queries.sensitive_near(mine.pk) == []
    away = make_job(lead, fleet, kind="spraying", areas=[{"ring": [[x + 1, y] for x, y in first.areas[0]["ring"]]}], home=None)
    assert queries.sensitive_near(away.pk) == []


BELL = [(float(x), max(0.0, 5.0 - abs(x))) for x in range(-5, 6)]


def test_a_swath_test_is_kept_with_the_aircraft_that_flew_it(lead, fleet):
    """A triangle ten metres wide is even at half of that and a little beyond, whichever way it is flown; the spacing stands with the aircraft."""
    flown = {"wanted_frac": 0.10, "way": "back and forth", "height_m": 3.0, "nozzle": "size 02", "wind_m_s": 1.5}
    row = keep_swath_test(actor=lead, aircraft_id=fleet["A1"].pk, catches=BELL, **flown)
    assert 5.0 <= row.spacing_m < 6.5
    assert row.variation_frac <= 0.10
    (kept,) = swath_tests(fleet["A1"].pk)
    assert (kept.aircraft, kept.nozzle, kept.by) == ("A1", "size 02", "Lena")
    assert swath_tests(fleet["A2"].pk) == []
    set_swath_test_archived(actor=lead, test_id=row.pk, archived=True)
    assert swath_tests() == []


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"catches": BELL[:3]}, "catches"),
        ({"catches": [(x, 0.0) for x, _ in BELL]}, "catches"),
        ({"catches": [(0.0, 0.0), (19.0, 0.0), (20.0, 9.0), (38.0, 0.0), (40.0, 0.0)], "wanted_frac": 0.01}, "wanted_frac"),
        ({"height_m": 0.0}, "height_m"),
        ({"wind_m_s": 90.0}, "wind_m_s"),
    ],
)
def test_a_swath_test_that_says_nothing_is_refused_at_its_field(lead, fleet, more, field):
    """Nothing is kept."""
    asked = {"catches": BELL, "wanted_frac": 0.10, "way": "racetrack", "height_m": 3.0} | more
    with pytest.raises(DomainError) as bad:
        keep_swath_test(actor=lead, aircraft_id=fleet["A1"].pk, **asked)
    assert bad.value.field == field
    assert swath_tests() == []


def test_the_tank_empties_along_the_lines_and_the_dose_map_adds_up(lead, fleet):
    """Each row follows from flow and time; a load ends at nothing; strips of the map hold the litres of the plan, on their own ground."""
    job = sprayed(lead, fleet)
    plan = queries.plan_of(job)
    for s in plan.sorties:
        assert s.tank[0][1] == pytest.approx(s.litres, abs=2e-3)
        assert s.tank[-1][1] == pytest.approx(0.0, abs=2e-3)
        for (begins, full, flow), (ends, left, _) in zip(s.tank[::2], s.tank[1::2], strict=True):
            assert full - left == pytest.approx(flow * (ends - begins) / 60, rel=0.02, abs=0.01)
    strips = json.loads(export_dose_map(job)[0])["features"]
    assert sum(f["properties"]["litres"] for f in strips) == pytest.approx(plan.figure("volume_l"), rel=1e-3)
    frame = LocalFrame.around(job.areas[0]["ring"])
    ground = unary_union([Polygon(frame.to_metres(f["geometry"]["coordinates"][0])) for f in strips])
    assert ground.intersection(Polygon(frame.to_metres(job.areas[0]["ring"]))).area / 1e4 == pytest.approx(plan.area_ha, rel=0.01)
    first = strips[0]["properties"]
    area_ha = Polygon(frame.to_metres(strips[0]["geometry"]["coordinates"][0])).area / 1e4
    assert first["litres"] / area_ha == pytest.approx(first["dose_l_ha"], rel=0.01)
    with pytest.raises(DomainError, match="Only a spraying job"):
        export_dose_map(make_job(lead, fleet))
