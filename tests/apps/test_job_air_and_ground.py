"""The air and the ground in a job's plan: load, cold, wind, terrain, obstacles, fallbacks, homes, files in and out."""

from datetime import timedelta

import numpy as np
import pytest
from defusedxml.ElementTree import fromstring
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.care.services import add_record
from quarry.apps.fleet.models import AircraftModel, Camera
from quarry.apps.fleet.queries import thing_dict
from quarry.apps.fleet.services import change_thing
from quarry.apps.jobs import exports, mappers, queries, services
from quarry.apps.jobs.formats.boundary.reading import read_boundary
from quarry.apps.jobs.formats.terrain import FormatError as TerrainError
from quarry.apps.jobs.formats.terrain import read_terrain
from quarry.apps.jobs.models import Job
from tests.apps.test_jobs import save
from tests.apps.test_limits import forecast_for
from tests.factories import FIELD, HOME, POND, job_plan, make_job, plain, set_rules

FACTS = {"mass_kg": 5.4, "rotors": 4, "rotor_m": 0.46, "hover_w": 560.0}


@pytest.fixture
def known(lead, fleet):
    """An aircraft whose mass and rotors are given."""
    row = fleet["Quad"]
    change_thing(actor=lead, model=type(row), thing_id=row.pk, version=row.version, figures=thing_dict(row) | FACTS)
    row.refresh_from_db()
    return fleet


@pytest.fixture
def flown(lead, known):
    return make_job(lead, known)


def plan_with(lead, job, **parts):
    fresh = Job.objects.get(pk=job.pk)
    data = queries.job_dict(fresh)
    return job_plan(save(lead, fresh, **{k: data[k] | v for k, v in parts.items()}))


def test_without_mass_and_rotors_power_is_constant_and_said(job):
    plan = job_plan(job)
    assert plan["powers"]["flat"]
    assert plan["speed_curve"]["points"] == []
    steps = plan["workings"]["power_w"]["steps"]
    assert any("mass and rotors of this model are not given" in s["formula"] for s in steps)


def test_load_thin_air_and_cold_cost_minutes(lead, flown):
    base = job_plan(flown)
    assert not base["powers"]["flat"]
    assert base["speed_curve"]["longest_m_s"] < base["speed_curve"]["farthest_m_s"]
    loaded = plan_with(lead, flown, sorties={"load_kg": 1.2})
    assert loaded["powers"]["work_w"] > base["powers"]["work_w"]
    assert loaded["usable_s"] < base["usable_s"]
    thin = plan_with(lead, flown, sorties={"load_kg": 0.0}, wind={"density_kg_m3": 0.95})
    assert thin["powers"]["hover_w"] > base["powers"]["hover_w"]
    cold = plan_with(lead, flown, wind={"density_kg_m3": None, "air_c": -6.0})
    assert {g["method"] for g in cold["usable"]} == {"halve"}, "no cold flight of this kind is logged"
    assert cold["usable_s"] < 0.55 * base["usable_s"]
    assert cold["warm_up_s"] == 60.0


def test_the_house_may_choose_the_model_and_logged_cold_flights_do_it_alone(lead, flown, known):
    change = [{"key": "cold.method", "value": "model", "why": "two winters logged"}]
    set_rules(actor=lead, version=0, changes=change)
    cold = plan_with(lead, flown, wind={"air_c": -6.0})
    assert {g["method"] for g in cold["usable"]} == {"model"}
    assert all(0.9 < g["cold_frac"] <= 1.0 for g in cold["usable"])
    for k in range(2):
        flight = {"flown_s": 700, "from_frac": 1.0, "to_frac": 0.35, "air_c": -2.0 - k, "most_c": 14.0}
        add_record(actor=lead, pack_id=known["01"].pk, kind="flight", figures=flight)
    unmeasured = {"flown_s": 700, "from_frac": 1.0, "to_frac": 0.35, "air_c": -2.0}
    add_record(actor=lead, pack_id=known["01"].pk, kind="flight", figures=unmeasured)
    # What one pack has flown in the cold, measured, speaks for all of its model, in plan and preflight alike.
    assert {m.cold_flights for m in queries.shelf_of(flown).measured.values()} == {2}
    set_rules(actor=lead, version=1, changes=[{"key": "cold.method", "value": "auto", "why": "the logbook decides"}])
    assert {g["method"] for g in job_plan(Job.objects.get(pk=flown.pk))["usable"]} == {"model"}


def test_a_pack_whose_resistance_has_grown_gets_a_shorter_sortie(lead, flown, known):
    before = {g["name"]: g["usable_wh"] for g in job_plan(flown)["usable"]}
    ohm = [0.0022, 0.0022, 0.0022, 0.0040, 0.0022, 0.0022]
    add_record(actor=lead, pack_id=known["02"].pk, kind="resistance", figures={"cell_ohm": ohm, "pack_c": 25.0})
    plan = job_plan(Job.objects.get(pk=flown.pk))
    after = {g["name"]: g for g in plan["usable"]}
    assert after["02"]["usable_wh"] < 0.99 * before["02"]
    assert after["01"]["usable_wh"] == before["01"]
    for s in plan["sorties"]:
        assert s["energy_wh"] <= after[s["set"]]["usable_wh"] + 0.1
        assert s["usable_wh"] == pytest.approx(after[s["set"]]["usable_wh"])
    assert plan["usable"][-1]["usable_wh"] == min(g["usable_wh"] for g in plan["usable"])


def test_each_pack_its_sortie_or_all_for_the_weakest(lead, flown):
    each = plan_with(lead, flown, sorties={"cut_for": "each"})
    weakest = plan_with(lead, flown, sorties={"cut_for": "weakest"})
    assert len({s["set"] for s in each["sorties"]}) == min(len(each["sorties"]), len(each["usable"]))
    assert {s["set"] for s in weakest["sorties"]} == {weakest["usable"][-1]["name"]}
    assert len(each["sorties"]) <= len(weakest["sorties"])


def test_speeds_measured_both_ways_are_planned_with(lead, flown):
    plan = plan_with(lead, flown, wind={"into_m_s": 6.0, "with_m_s": 16.0})
    assert plan["air"]["wind_m_s"] == pytest.approx(5.0)
    with pytest.raises(mappers.PlanError) as bad:
        plan_with(lead, flown, wind={"into_m_s": 16.0, "with_m_s": 6.0})
    assert bad.value.field == "wind.with_m_s"


def test_the_wind_of_an_hour_is_taken_at_flying_height_with_its_density(lead, flown):
    at = timezone.now().replace(minute=0, second=0, microsecond=0) + timedelta(hours=2)
    with pytest.raises(DomainError, match="No wind is known"):
        queries.planning_air_of(flown, at)
    forecast_for(lead, [8.0] * 6)
    air = plain(queries.planning_air_of(flown, at))
    assert air["origin"] == "forecast"
    assert air["speed_m_s"] == pytest.approx(8.0 * 0.7, rel=0.03)
    assert 1.1 < air["density_kg_m3"] < 1.3


def spraying(lead, fleet, model=None, along=None, **wind):
    """A spraying job flown by the quad, with figures of its model and a wind."""
    AircraftModel.objects.filter(name="Quad").update(**{"most_m_s": 14.0} | (model or {}))
    work = {"rate_l_ha": 18.0, "swath_m": 5.0, "tank_l": 40.0, "speed_m_s": 5.0}
    made = make_job(lead, fleet, kind="spraying", work=work, wind={"assumed": False} | wind, lines={"bearing_deg": along})
    return Job.objects.get(pk=made.pk)


@pytest.mark.parametrize(("speed", "come"), [(0.0, 0.0), (3.0, 250.0), (6.0, 40.0)])
def test_the_dose_is_kept_on_every_line_in_any_wind_and_litres_are_those_of_the_lines(lead, fleet, speed, come):
    plan = job_plan(spraying(lead, fleet, speed_m_s=speed, from_deg=come))
    values = {f["key"]: f["value"] for f in plan["figures"]}
    assert {round(x["ground_m_s"], 6) for x in plan["lines"]} == {5.0}
    assert [x["dose_l_ha"] for x in plan["lines"]] == pytest.approx([18.0] * len(plan["lines"]))
    treated_ha = sum(x["length_m"] for x in plan["lines"]) * 5.0 / 1e4
    assert values["volume_l"] == pytest.approx(18.0 * treated_ha, rel=0.005)
    assert sum(x["litres"] for x in plan["lines"]) == pytest.approx(values["volume_l"])
    assert sum(s["litres"] for s in plan["sorties"]) == pytest.approx(values["volume_l"])
    assert max(s["litres"] for s in plan["sorties"]) <= 40.0 + 1e-6
    assert values["loads_count"] == len(plan["sorties"])
    for s in plan["sorties"]:
        assert sum(x["energy_wh"] for x in s["legs"]) == pytest.approx(s["energy_wh"])


def test_where_the_airspeed_is_held_a_constant_flow_is_refused_and_one_by_speed_is_not(lead, fleet):
    with pytest.raises(mappers.PlanError, match=r"would get .* where 18 are asked for, more than 10% off") as bad:
        job_plan(spraying(lead, fleet, {"holds": "air", "flow": "constant"}, 70.0, speed_m_s=3.0, from_deg=250.0))
    assert bad.value.field == "work.rate_l_ha"
    plan = job_plan(spraying(lead, fleet, {"holds": "air", "flow": "by speed"}, 70.0, speed_m_s=3.0, from_deg=250.0))
    assert len({round(x["ground_m_s"], 1) for x in plan["lines"]}) > 1
    assert [x["dose_l_ha"] for x in plan["lines"]] == pytest.approx([18.0] * len(plan["lines"]))
    wider = {"key": "spraying.dose_tolerance_frac", "value": 0.5, "why": "a trial plot"}
    set_rules(actor=lead, version=0, changes=[wider])
    wide = job_plan(spraying(lead, fleet, {"holds": "air", "flow": "constant"}, 70.0, speed_m_s=2.0, from_deg=250.0))
    doses = [x["dose_l_ha"] for x in wide["lines"]]
    assert min(doses) < 18.0 < max(doses)
    assert max(s["litres"] for s in wide["sorties"]) <= 40.0 + 1e-6


@pytest.mark.parametrize("flow", ["constant", "by speed"])
def test_a_flow_that_the_pump_bounds_is_shown_as_it_is_with_its_working(lead, fleet, flow):
    """By hand: 18 L/ha over 5 m at 5 m/s is 2.7 L/min; a pump of 2.6 gives 17.33."""
    plan = job_plan(spraying(lead, fleet, {"flow": flow, "most_flow_l_min": 2.6}, speed_m_s=3.0, from_deg=250.0))
    values = {f["key"]: f["value"] for f in plan["figures"]}
    assert values["flow_l_min"] == pytest.approx(2.6)
    assert plan["workings"]["flow_l_min"]["value"] == values["flow_l_min"]
    assert [x["dose_l_ha"] for x in plan["lines"]] == pytest.approx([18.0 * 2.6 / 2.7] * len(plan["lines"]))
    assert sum(s["litres"] for s in plan["sorties"]) == pytest.approx(values["volume_l"])
    assert max(s["litres"] for s in plan["sorties"]) <= 40.0 + 1e-6


def test_a_wind_that_slows_lines_is_said_and_an_unknown_bound_too(lead, fleet):
    plan = job_plan(spraying(lead, fleet, {"most_m_s": 9.0}, 70.0, speed_m_s=6.5, from_deg=250.0))
    said = next(c["words"] for c in plan["checks"] if c["key"] == "slow_lines")
    assert "instead of 5.0, with 9.0 m/s through the air, its most" in said
    assert max(x["air_m_s"] for x in plan["lines"]) <= 9.0 + 1e-6
    unknown = job_plan(spraying(lead, fleet, {"most_m_s": None, "cruise_m_s": 8.0}, 70.0, speed_m_s=5.0, from_deg=250.0))
    assert any(c["key"] == "most_airspeed" and "10.4 m/s is assumed" in c["words"] for c in unknown["checks"])


def test_a_camera_that_is_too_slow_for_the_fastest_line_stops_the_plan(lead, fleet, job):
    assert not any(c["key"] == "interval_s" for c in job_plan(job)["checks"])
    Camera.objects.update(least_interval_s=9.0, version=2)
    told = next(c for c in job_plan(Job.objects.get(pk=job.pk))["checks"] if c["key"] == "interval_s")
    assert told["verdict"] == "no"
    assert "one every 9.00 s at best" in told["words"]


def test_an_assumed_wind_is_said_until_one_is_entered(lead, flown):
    assert any(c["key"] == "wind" for c in job_plan(flown)["checks"])
    entered = plan_with(lead, flown, wind={"speed_m_s": 3.0, "assumed": False, "origin": "entered"})
    assert not any(c["key"] == "wind" for c in entered["checks"])


def ascii_grid(heights, west=7.08, south=46.18, cell=0.0005):
    rows = "\n".join(" ".join(f"{v:.1f}" for v in row) for row in heights[::-1])
    return f"ncols {heights.shape[1]}\nnrows {heights.shape[0]}\nxllcenter {west}\nyllcenter {south}\ncellsize {cell}\nNODATA_value -9999\n{rows}\n"


def slope(n=101):
    return np.fromfunction(lambda j, i: 500.0 + 0.9 * i + 12 * np.sin(j / 6), (n, n))


def test_a_loaded_terrain_is_followed_and_its_climbs_cost_energy(lead, flown):
    before = job_plan(flown)
    assert not before["terrain"]
    assert any(c["key"] == "terrain" for c in before["checks"])
    row = services.add_terrain(actor=lead, name="slope", data=ascii_grid(slope()).encode())
    after = job_plan(Job.objects.get(pk=flown.pk))
    assert after["terrain"]
    assert sum(s["energy_wh"] for s in after["sorties"]) > sum(s["energy_wh"] for s in before["sorties"])
    for s in after["sorties"]:
        above = [fly - ground for _, ground, fly in s["profile"]]
        assert min(above) >= 45.0 - 5.0 - 0.2
    services.set_terrain_archived(actor=lead, terrain_id=row.pk, archived=True)
    assert not job_plan(Job.objects.get(pk=flown.pk))["terrain"]


def test_a_low_return_height_is_no_go_and_the_mast_is_named(lead, flown):
    mast = {"name": "mast", "at": [7.102, 46.2005], "radius_m": 8.0, "top_m": 90.0}
    plan = plan_with(lead, flown, site={"obstacles": [mast]})
    assert plan["return_decides"] == "mast"
    assert plan["return_m"] >= plan["return_needed_m"] >= 110.0
    low = plan_with(lead, flown, sorties={"return_m": 60.0})
    check = next(c for c in low["checks"] if c["key"] == "return_m")
    assert check["verdict"] == "no"
    assert "mast" in check["words"]
    with pytest.raises(mappers.PlanError) as bad:
        plan_with(lead, flown, site={"obstacles": [mast | {"top_m": -4.0}]})
    assert bad.value.field == "obstacles"


def test_a_fallback_far_away_is_said_and_a_near_one_serves(lead, flown):
    near = plan_with(lead, flown, site={"fallbacks": [{"name": "orchard", "at": [7.103, 46.2045]}]})
    assert all(s["fallback"]["always"] for s in near["sorties"])
    far = plan_with(lead, flown, site={"fallbacks": [{"name": "next valley", "at": [7.4, 46.3]}]})
    assert not far["sorties"][0]["fallback"]["always"]
    assert any("cannot be reached" in c["words"] for c in far["checks"])


def test_other_homes_are_compared_and_a_better_one_proposed(lead, flown):
    plan_with(lead, flown, site={"homes": [{"name": "far end", "at": [7.14, 46.23]}]})
    told = plain(queries.homes_of(Job.objects.get(pk=flown.pk)))
    now, other, best = told["homes"]
    assert (now["name"], other["name"]) == ("home now", "far end")
    assert best["total_s"] <= now["total_s"] + 1.0
    assert other["sorties"] is None or other["total_s"] > now["total_s"]
    assert not told["permitted"]
    ring = [[7.0985, 46.1985], [7.0999, 46.1985], [7.0999, 46.1998], [7.0985, 46.1998]]
    plan_with(lead, flown, site={"home_area": ring})
    inside = plain(queries.homes_of(Job.objects.get(pk=flown.pk)))
    assert inside["permitted"]
    lon, lat = inside["homes"][-1]["at"]
    assert 7.0985 <= lon <= 7.0999
    assert 46.1985 <= lat <= 46.1998


def test_a_sprayer_is_planned_by_the_weight_of_its_tank(lead, known):
    job = make_job(lead, known, name="Bank", kind="spraying", work={"tank_l": 3.0})
    plan = job_plan(job)
    assert plan["powers"]["out_w"] > plan["powers"]["home_w"], "out full, home empty"
    assert {s["bound_by"] for s in plan["sorties"]} <= {"tank", "energy", "end"}


def geotiff(heights, crs="EPSG:32632", **over):
    from rasterio.io import MemoryFile
    from rasterio.transform import from_origin
    from rasterio.warp import transform

    x, y = transform("EPSG:4326", crs, [7.08], [46.24])
    figures = {"driver": "GTiff", "height": heights.shape[0], "width": heights.shape[1], "count": 1, "dtype": "float32"}
    with MemoryFile() as held:
        with held.open(**figures, crs=over.get("crs_of", crs), transform=from_origin(x[0], y[0], 40, 40), nodata=-9999) as image:
            image.write(heights.astype("float32"), 1)
        return held.read()


@pytest.mark.filterwarnings("ignore::PendingDeprecationWarning")
def test_a_projected_geotiff_becomes_a_net_of_degrees_with_the_same_heights():
    heights = np.fromfunction(lambda j, i: 400.0 + 2.0 * i - 1.0 * j, (160, 160))
    heights[:3, :3] = -9999
    grid = read_terrain(geotiff(heights))
    assert np.nanmin(grid.heights_m) >= 400 - 160
    from rasterio.warp import transform

    x, y = transform("EPSG:4326", "EPSG:32632", [7.08], [46.24])
    lon, lat = transform("EPSG:32632", "EPSG:4326", [x[0] + 80.5 * 40], [y[0] - 60.5 * 40])
    assert grid.height_m(lon[0], lat[0]) == pytest.approx(400 + 160 - 60, abs=1.5)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"\x89PNG....", "neither a GeoTIFF"),
        (b"II*\x00rubbish", "damaged"),
        (b"ncols 2\nnrows 2\n", "lacks"),
        (b"ncols x\nnrows 2\n", "no number"),
        (ascii_grid(np.full((3, 3), 99_999.0)).encode(), "not on earth"),
        (ascii_grid(np.full((3, 3), 5.0), west=500_000).encode(), "not in degrees"),
        (ascii_grid(np.full((3, 3), -9999.0)).encode(), "no heights"),
        (b"ncols 2\nnrows 2\nxllcenter 1\nyllcenter 1\ncellsize 0.1\n1 2 3 here\n", "no number"),
    ],
)
def test_a_terrain_that_cannot_be_read_says_why(data, words):
    with pytest.raises(TerrainError, match=words):
        read_terrain(data)


def test_heights_above_the_clouds_and_holes_survive_storing(lead):
    heights = np.array([[3900.5, 4100.0], [np.nan, 8848.0]])
    row = services.add_terrain(actor=lead, name="high", data=ascii_grid(np.where(np.isnan(heights), -9999, heights)).encode())
    back = mappers.terrain_grid(row).heights_m
    assert np.isnan(back[1, 0])
    assert back[1, 1] == pytest.approx(8848.0)
    assert mappers.terrain_view(row, 100.0).columns == 2


def test_routes_go_out_as_gpx_and_an_outline_comes_back(lead, flown):
    plan_with(lead, flown, site={"fallbacks": [{"name": "orchard", "at": [7.103, 46.2045]}]})
    content, name = exports.export_job(Job.objects.get(pk=flown.pk), "gpx", None)
    assert name.endswith(".gpx")
    root = fromstring(content)
    tags = [e.tag.rsplit("}", 1)[-1] for e in root.iter()]
    assert tags.count("rte") == len(job_plan(Job.objects.get(pk=flown.pk))["sorties"])
    assert {"home", "orchard"} <= {e.text for e in root.iter() if e.tag.endswith("}name")}
    one, _ = exports.export_job(Job.objects.get(pk=flown.pk), "gpx", 1)
    assert one.count(b"<rte>") == 1
    found = read_boundary(content, "own.gpx")
    assert [a.ring for a in found.areas] == [FIELD]
    assert [(p.name, p.at, p.looks_like) for p in found.points if p.looks_like == "home"] == [("home", HOME, "home")]


def test_what_packs_give_is_worked_out_for_the_power_that_the_lines_take_in_the_wind(lead, flown):
    """Cold packs sag under the power of lines flown against the wind; in calm air they need less."""
    calm = plan_with(lead, flown, wind={"air_c": -8.0, "speed_m_s": 0.0, "assumed": False}, lines={"bearing_deg": 90.0})
    windy = plan_with(lead, flown, wind={"air_c": -8.0, "speed_m_s": 9.0, "from_deg": 90.0}, lines={"bearing_deg": 90.0})
    for plan in (calm, windy):
        steps = plan["workings"]["spare_1"]["steps"]
        given_w = next(s["value"] for s in steps if s["name"] == "mean_w" and s["kind"] == "input")
        assert given_w == pytest.approx(plan["powers"]["work_w"], rel=1e-9)
    assert windy["powers"]["work_w"] > calm["powers"]["work_w"]
    assert min(g["dip_v"] for g in windy["usable"]) <= min(g["dip_v"] for g in calm["usable"])


def test_the_way_home_in_the_fast_mode_that_a_pilot_measured(lead, flown, known):
    """By hand: 12 into and 20 with the wind are 16 m/s through the air in a wind of 4; home is nearer in time than at cruise."""
    wind = {"speed_m_s": 5.0, "from_deg": 250.0, "assumed": False}
    with pytest.raises(mappers.PlanError, match="fast mode of this aircraft is not known") as bad:
        plan_with(lead, flown, sorties={"home_fast": True}, wind=wind)
    assert bad.value.field == "sorties.home_fast"
    item = known["A1"]
    figures = thing_dict(item) | {"fast_into_m_s": 12.0, "fast_with_m_s": 20.0}
    change_thing(actor=lead, model=type(item), thing_id=item.pk, version=item.version, figures=figures)
    fast = plan_with(lead, flown, sorties={"home_fast": True}, wind=wind)
    slow = plan_with(lead, flown, sorties={"home_fast": False}, wind=wind)
    assert fast["powers"]["home_w"] > slow["powers"]["home_w"]
    assert fast["powers"]["out_w"] == slow["powers"]["out_w"]
    assert fast["sorties"][0]["home_s"] < slow["sorties"][0]["home_s"]
    for s in fast["sorties"]:
        assert s["energy_wh"] <= s["usable_wh"] + 0.1


@pytest.mark.parametrize(
    ("pair", "words", "field"),
    [((12.0, None), "come in two", "fast_with_m_s"), ((20.0, 12.0), "Speed with the wind", "fast_with_m_s")],
)
def test_a_fast_mode_needs_both_ways_in_their_order(lead, known, pair, words, field):
    item = known["A1"]
    figures = thing_dict(item) | {"fast_into_m_s": pair[0], "fast_with_m_s": pair[1]}
    with pytest.raises(DomainError, match=words) as bad:
        change_thing(actor=lead, model=type(item), thing_id=item.pk, version=item.version, figures=figures)
    assert bad.value.field == field


BESIDE = [[7.1065, 46.2], [7.11, 46.2], [7.11, 46.2035], [7.107, 46.2035]]


def test_areas_have_rates_of_their_own_and_litres_follow_them(lead, fleet):
    """By hand: the litres of each line are its length times the swath times the rate of its area."""
    job = spraying(lead, fleet, speed_m_s=3.0, from_deg=250.0)
    data = queries.job_dict(job)
    areas = [data["areas"][0], data["areas"][0] | {"name": "thin", "ring": BESIDE, "rate_l_ha": 9.0}]
    plan = job_plan(save(lead, job, areas=areas))
    doses = {round(x["dose_l_ha"], 3) for x in plan["lines"]}
    assert doses == {18.0, 9.0}
    by_hand = sum(x["length_m"] * 5.0 / 1e4 * round(x["dose_l_ha"]) for x in plan["lines"])
    assert sum(s["litres"] for s in plan["sorties"]) == pytest.approx(by_hand)
    assert max(s["litres"] for s in plan["sorties"]) <= 40.0 + 1e-6
    with pytest.raises(mappers.PlanError, match="Application rate") as bad:
        job_plan(save(lead, Job.objects.get(pk=job.pk), areas=[areas[0], areas[1] | {"rate_l_ha": 1500.0}]))
    assert bad.value.field == "areas.1.rate_l_ha"
    save(lead, Job.objects.get(pk=job.pk), areas=areas)
    AircraftModel.objects.filter(name="Quad").update(flow="constant", version=50)
    with pytest.raises(mappers.PlanError, match="jobs of their own"):
        job_plan(Job.objects.get(pk=job.pk))


def test_a_job_with_areas_far_apart_becomes_a_job_for_each_home(lead, flown):
    far = [[x + 0.1, y] for x, y in FIELD]
    data = queries.job_dict(flown)
    with pytest.raises(DomainError, match="Add another home first"):
        services.split_job(actor=lead, job_id=flown.pk)
    areas = [data["areas"][0] | {"name": "west"}, data["areas"][0] | {"name": "east", "ring": far}]
    pond = {"ring": [[x + 0.1, y] for x, y in POND], "crossing": "never", "margin_m": 3.0, "name": "pond"}
    site = data["site"] | {"homes": [{"name": "quay", "at": [HOME[0] + 0.1, HOME[1]]}]}
    whole = save(lead, flown, areas=areas, keep_outs=[pond], site=site)
    first, second = services.split_job(actor=lead, job_id=whole.pk)
    assert (first.name, second.name) == ("Top field · home", "Top field · quay")
    assert first.letter != second.letter
    assert [a["name"] for a in first.areas] == ["west"]
    assert [a["name"] for a in second.areas] == ["east"]
    assert (len(first.keep_outs), [k["name"] for k in second.keep_outs]) == (0, ["pond"])
    assert Job.objects.get(pk=whole.pk).archived_at is not None
    assert [len(job_plan(j)["sorties"]) > 0 for j in (first, second)] == [True, True]
    with pytest.raises(DomainError, match="Add another home first"):
        services.split_job(actor=lead, job_id=first.pk)


def test_in_the_cold_the_plan_says_how_near_a_pack_comes_and_warm_it_says_nothing(lead, flown, known):
    """Below freezing packs count as cold as the air: near at the policy's charge; and never farther than the way home allows."""
    warm = plan_with(lead, flown, wind={"air_c": 12.0})
    assert warm["cold_rings"] == []
    assert [m for _, m in warm["rings"]] == sorted((m for _, m in warm["rings"]), reverse=True)
    cold = plan_with(lead, flown, wind={"air_c": -12.0})
    reached = dict(cold["rings"])
    (begins, at_half), (near, at_near) = cold["cold_rings"]
    assert (begins, near) == (0.5, 0.4)
    assert at_half <= reached[0.5] + 1
    assert at_near <= min(150.0, reached[0.4]) + 1
    # Halved it is home before that; by the model it goes on to the reserve, and the plan says how far out it is then.
    assert not [c for c in cold["checks"] if c["key"] == "cold_far"]
    set_rules(actor=lead, version=0, changes=[{"key": "cold.method", "value": "model", "why": "two winters logged"}])
    modelled = plan_with(lead, flown, wind={"air_c": -12.0})
    far = [c["words"] for c in modelled["checks"] if c["key"] == "cold_far"]
    assert far
    assert "in this cold it is to be within" in far[0]
    assert not [c for c in warm["checks"] if c["key"] == "cold_far"]
