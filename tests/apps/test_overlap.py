"""Overlap over relief of a planned job, and what it takes to hold everywhere."""

import pytest

from quarry.apps.accounts.errors import DomainError
from quarry.apps.fleet.models import Camera
from quarry.apps.jobs import queries
from tests.factories import make_job, make_terrain

pytestmark = pytest.mark.django_db


def test_without_terrain_it_is_said_that_the_ground_is_taken_as_level(job):
    with pytest.raises(DomainError, match="taken as level") as bad:
        queries.overlap_of(job)
    assert bad.value.field == "terrain"


def test_over_hills_some_of_the_field_falls_short_and_each_remedy_holds_it(lead, fleet):
    make_terrain(lead)
    job = make_job(lead, fleet, work={"height_m": 45.0, "tolerance_m": 8.0})
    found = queries.overlap_of(job)
    assert 0.0 < found.wanted_frac < 1.0
    assert found.wanted_frac <= found.short_frac
    assert found.least_height_m < 45.0 < found.most_height_m
    assert found.near or found.far
    assert found.known_frac > 0.98
    planned, raised, more, higher = queries.remedies_of(job)
    # Raised line by line no line more is flown, and those over low ground stay where their pictures are sharpest.
    assert raised.raised
    assert raised.lines_count == planned.lines_count
    assert raised.wanted_frac > 0.985
    assert planned.worst_sample_m <= raised.worst_sample_m <= higher.worst_sample_m + 1e-9
    assert planned.wanted_frac == pytest.approx(found.wanted_frac)
    assert more.lines_count > planned.lines_count
    assert more.wanted_frac > 0.985
    assert more.total_s > planned.total_s
    assert higher.work["height_m"] % 5 == 0
    assert higher.work["height_m"] > 45.0
    assert higher.wanted_frac > 0.985
    assert higher.worst_sample_m > planned.worst_sample_m


def test_only_a_mapping_job_has_overlaps(lead, fleet):
    make_terrain(lead)
    with pytest.raises(DomainError, match="Only a mapping job"):
        queries.overlap_of(make_job(lead, fleet, kind="search", work={}))


def test_pictures_take_space_on_the_card_and_those_that_blur_are_told(lead, fleet, job):
    plan = queries.plan_of(job)
    assert plan.figure("space_gb") is None
    Camera.objects.update(image_mb=20.0, card_gb=8.0, version=2)
    job.refresh_from_db()
    filled = queries.plan_of(queries.job_of(job.pk))
    assert filled.figure("space_gb") == pytest.approx(plan.figure("pictures_count") * 0.02)
    assert filled.workings["space_gb"].steps[-1].formula == "space = pictures × size of one"
    assert [c.verdict for c in filled.checks if c.key == "space_gb"] == ["care"]
    slow = make_job(lead, fleet, name="Slow shutter", work={"height_m": 45.0, "exposure_s": 1 / 200})
    words = next(c.words for c in queries.plan_of(slow).checks if c.key == "blur_px")
    assert "more than 0.5 px" in words
    assert "1/" in words
