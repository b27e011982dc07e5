"""Further passes of a mapping job from what is entered to plans, waypoints and what was flown."""

import csv
import io

import pytest

from quarry.apps.jobs import exports, queries, services
from quarry.core.base.errors import CoreError
from quarry.core.ground.geodesy import LocalFrame
from tests.factories import make_job, make_terrain

pytestmark = pytest.mark.django_db


def shed_of(job):
    """A shed in the middle of a job, 40 by 20 m."""
    frame = LocalFrame.around([tuple(p) for p in job.areas[0]["ring"]])
    x, y = frame.to_metres([tuple(p) for p in job.areas[0]["ring"]])[0]
    return [list(p) for p in frame.to_degrees([(x + 80, y + 80), (x + 120, y + 80), (x + 120, y + 100), (x + 80, y + 100)])]


@pytest.fixture
def rich(lead, fleet):
    """A job with lines across, tilted lines, and rows along the walls of a shed."""
    job = make_job(lead, fleet)
    walls = {
        "ring": shed_of(job),
        "how": "walls",
        "top_m": 9,
        "stand_off_m": 12,
        "low_m": 4,
        "high_m": 10,
        "speed_m_s": 2,
        "name": "Shed",
    }
    figures = {
        "lines": {**job.lines, "passes": [{"turn_deg": 90.0}, {"turn_deg": 45.0, "tilt_deg": 25.0, "name": "slant"}]},
        "site": {**job.site, "structures": [walls]},
    }
    return services.save_job(actor=lead, job_id=job.pk, version=job.version, figures=figures)


def test_each_pass_has_its_figures_and_all_are_cut_into_sorties(lead, fleet, rich):
    plain, plan = queries.plan_of(make_job(lead, fleet, name="Plain")), queries.plan_of(rich)
    assert [p.name for p in plan.passes] == ["across", "slant", "Shed"]
    assert plan.figure("lines_count") == plain.figure("lines_count") + sum(p.lines_count for p in plan.passes)
    assert plan.figure("pictures_count") == plain.figure("pictures_count") + sum(p.pictures_count for p in plan.passes)
    assert plan.figure("spacing_m") == plain.figure("spacing_m")
    assert plan.total_s > plain.total_s
    flown = {line for s in plan.sorties for line in s.lines}
    assert flown == {x.number - 1 for x in plan.lines}
    walls = [x for x in plan.lines if x.part == 3]
    assert {x.tilt_deg for x in walls} == {90.0}
    assert {round(x.ground_m_s, 3) for x in walls} == {2.0}
    assert min(x.above_m for x in walls) == 4.0
    shed = plan.passes[2]
    assert plan.workings["ground_sample_m.3"].value == shed.ground_sample_m
    assert shed.ground_sample_m == pytest.approx(plain.figure("ground_sample_m") * 12 / 45)
    assert any("beyond the area" in c.words and "slant" in c.words for c in plan.checks)
    assert not plan.terrain
    assert any(c.key == "terrain" for c in plan.checks)


def test_what_is_photographed_from_around_stands_in_the_way_home(rich):
    plan = queries.plan_of(rich)
    assert plan.return_needed_m >= 9.0 + 20.0
    assert plan.return_decides == "Shed"


def test_waypoints_say_how_the_camera_looks(rich):
    data, _ = exports.export_job(rich, "csv")
    rows = list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))
    looks = {r["camera below horizon deg"] for r in rows}
    assert {"", "65.0", "0.0"} <= looks
    level = [r for r in rows if r["camera below horizon deg"] == "0.0"]
    assert all(r["camera heading deg"] for r in level)
    assert {float(r["speed m/s"]) for r in level if r["kind"] == "line start"} == {2.0}
    # Level ground is an assumption: it is not told as if it were known.
    assert {r["above ground m"] for r in level} == {""}
    assert min(float(r["above home m"]) for r in level) == pytest.approx(4.0, abs=0.6)


def test_over_terrain_each_line_is_raised_as_its_ground_asks(lead, fleet):
    make_terrain(lead)
    job = make_job(lead, fleet, work={"height_m": 45.0, "tolerance_m": 8.0})
    job = services.save_job(actor=lead, job_id=job.pk, version=job.version, figures={"lines": {**job.lines, "raised": True}})
    plan = queries.plan_of(job)
    raised = [x.above_m for x in plan.lines if x.above_m is not None]
    assert raised
    assert all((h - 45.0) % 5.0 == pytest.approx(0.0, abs=1e-9) for h in raised)
    assert queries.overlap_of(job).least_height_m > 44.0


@pytest.mark.parametrize(
    ("figures", "field"),
    [
        ({"lines": {"passes": [{"turn_deg": 90.0, "tilt_deg": 80.0}]}}, "lines.passes.0.tilt_deg"),
        ({"site": {"structures": [{"ring": [[0.0, 0.0]], "stand_off_m": 10.0}]}}, "site.structures.0.ring"),
    ],
)
def test_what_cannot_be_flown_is_said_at_its_field_and_kept(lead, fleet, figures, field):
    job = make_job(lead, fleet)
    figures = {name: {**getattr(job, name), **part} for name, part in figures.items()}
    saved = services.save_job(actor=lead, job_id=job.pk, version=job.version, figures=figures)
    with pytest.raises(CoreError) as bad:
        queries.plan_of(saved)
    assert bad.value.field == field
    name, part = next(iter(figures.items()))
    assert getattr(saved, name).keys() >= part.keys()


def test_a_spraying_job_has_no_further_passes(lead, fleet):
    job = make_job(lead, fleet, kind="search", work={})
    job = services.save_job(
        actor=lead, job_id=job.pk, version=job.version, figures={"lines": {**job.lines, "passes": [{"turn_deg": 90.0}]}}
    )
    assert queries.plan_of(job).passes == []
