"""Spraying jobs: nozzles at a pressure, and what is kept clear of sensitive places."""

from datetime import timedelta

import pytest
from django.utils import timezone
from shapely import LineString, Polygon
from shapely.ops import unary_union

from quarry.apps.day.queries import moments_of
from quarry.apps.day.services import start_run
from quarry.apps.jobs import queries
from quarry.apps.jobs.services import save_job
from quarry.apps.limits import queries as limits
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
