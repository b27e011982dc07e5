"""What is kept as JSON: read typed, what older versions kept still opens, and what cannot be read is told at its field."""

from __future__ import annotations

import copy
import importlib
from datetime import date, time

import pytest
from django.db import connection

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day import queries as days
from quarry.apps.day import services
from quarry.apps.day.fields import inputs_from, pins_of, read_entry
from quarry.apps.day.models import Day, DayPlan, DayRun
from quarry.apps.day.repository import RehearsalSettings, frame_json, frame_of, rehearsal_from, rehearsal_json
from quarry.apps.jobs import queries as jobs
from quarry.apps.jobs.fields import fields_of
from quarry.apps.jobs.models import CachedPlan, Job
from quarry.apps.policy.models import Policy
from quarry.core.base.errors import MissingInput
from tests.factories import make_day, make_today

pytestmark = pytest.mark.django_db
CAME_LATER = ("chargers", "routes", "to_test", "refuel_s", "people", "p90_s", "swap_times", "fallbacks", "levels")


@pytest.fixture
def day(lead, fleet, job):
    return make_day(lead, fleet, [job])


@pytest.mark.parametrize(
    ("column", "key", "value"),
    [("work", "height_m", "high"), ("wind", "speed_m_s", "gusty"), ("sorties", "landing_frac", None), ("lines", "ends", "round")],
)
def test_a_figure_of_a_job_that_is_none_is_told_at_its_field_and_stops_nothing_else(web, lead, fleet, job, column, key, value):
    day = make_day(lead, fleet, [job])
    Job.objects.filter(pk=job.pk).update(**{column: {**getattr(job, column), key: value}})
    with pytest.raises(MissingInput) as bad:
        fields_of(jobs.job_of(job.pk))
    assert bad.value.field == f"{column}.{key}"
    if column == "work":  # the other columns are typed where they come in
        told = web.get(f"/jobs/{job.pk}")
        assert told.status_code == 200
        assert told.json()["problem"]["field"] == f"{column}.{key}"
    answer = web.get(f"/days/{day.pk}")
    assert answer.status_code == 200
    assert answer.json()["job_problems"][0]["field"] == f"{column}.{key}"


def test_a_cached_plan_of_another_shape_is_made_anew(job):
    first = jobs.plan_of(job)
    row = CachedPlan.objects.get(job=job)
    CachedPlan.objects.filter(pk=row.pk).update(plan={"area_ha": 3})
    assert jobs.plan_of(job) == first
    assert CachedPlan.objects.get(pk=row.pk).plan == row.plan


def test_a_frame_is_read_back_as_it_was_kept_and_an_older_one_by_what_came_since(lead, fleet, job):
    today = make_today(lead, fleet, [job], ago_min=60)
    run = services.start_run(actor=lead, day_id=today.pk, how="planned")
    frame = frame_of(run)
    assert frame_json(frame) == run.frame
    old = {k: v for k, v in copy.deepcopy(run.frame).items() if k not in CAME_LATER}
    DayRun.objects.filter(pk=run.pk).update(frame=old)
    read = frame_of(DayRun.objects.get(pk=run.pk))
    assert (read.chargers, read.routes, read.swap_times, read.charger("1")) == ([], {}, 1.0, None)
    assert days.live_of(today).calls, "a day that an older version began goes on"


def test_a_rehearsal_is_read_back_as_it_was_kept(lead, fleet, job):
    today = make_today(lead, fleet, [job], ago_min=60)
    run = services.start_run(actor=lead, day_id=today.pk, how="planned")
    run.rehearsal = {"seed": 4, "by_hand": True, "faults": [], "memory": {}}
    assert rehearsal_from(run) == RehearsalSettings(4, True, [])
    assert "better" not in rehearsal_json(rehearsal_from(run)), "the service looks for those that have none yet"


def test_facts_that_an_older_version_kept_by_names_are_not_compared_and_that_is_said(lead, day):
    row, _ = days.plan_of(day)
    assert inputs_from(row)
    DayPlan.objects.filter(pk=row.pk).update(inputs={"swap": "4 min"})
    assert inputs_from(DayPlan.objects.get(pk=row.pk)) == {}
    day.swap_s = 500
    day.save()
    again, new = days.plan_of(day)
    assert new
    assert again.why == ["an older version made the plan before this one: what changed between them cannot be told"]


@pytest.mark.parametrize(
    ("pins", "field"),
    [
        ([{"kind": "moon"}], "pins.0"),
        ([{"kind": "set", "flight": "A1", "set": "01"}, {"kind": "takeoff", "flight": "A1", "from": "25:00"}], "pins.1"),
        ([{"kind": "port", "port": 1, "from": "10:00", "to": None}], "pins.0"),
    ],
)
def test_a_pin_that_cannot_be_is_told_at_its_place(pins, field):
    row = Day(date=date(2031, 5, 6), opens=time(8), closes=time(17), time_zone="UTC", pins=pins)
    with pytest.raises(MissingInput) as bad:
        pins_of(row)
    assert bad.value.field == field


def test_what_is_entered_of_a_day_says_where_it_cannot_be_read(lead, day):
    with pytest.raises(MissingInput) as bad:
        read_entry({"packs": [{"pack_id": "none", "start_frac": 1.0}]})
    assert bad.value.field == "packs.0.pack_id"
    with pytest.raises(DomainError) as told:
        days_save(lead, day, swap_s="soon")
    assert told.value.field == "swap_s"
    assert read_entry({"supply_id": None}).said == {"supply_id"}


def days_save(who, day, **change):
    from quarry.apps.day.services import save_day

    return save_day(actor=who, day_id=day.pk, version=day.version, figures=change)


def run_migration(app, name):
    """Run the statements of a migration of data on the rows that are there."""
    module = importlib.import_module(f"quarry.apps.{app}.migrations.{name}")
    with connection.cursor() as cursor:
        for operation in module.Migration.operations:
            cursor.execute(operation.sql)


def test_what_older_versions_called_schools_is_carried_over(lead, job):
    """The reserve a job counts from, and the settings of a company with who chose them and why."""
    old = {k: v for k, v in job.sorties.items() if k != "reserve_method"} | {"school": "measured"}
    Job.objects.filter(pk=job.pk).update(sorties=old)
    chosen = {"value": "measured", "why": "worn packs", "by": "Lena", "at": "2031-05-01T08:00:00Z"}
    cold = {**chosen, "value": "halve"}
    own = {"school": chosen, "cold.school": cold, "landing_frac": {**chosen, "value": 0.35}}
    Policy.objects.update_or_create(organisation=lead.organisation, defaults={"own": own})
    run_migration("jobs", "0004_reserve_method")
    run_migration("policy", "0002_methods")
    assert fields_of(jobs.job_of(job.pk)).sorties.reserve_method == "measured"
    assert "school" not in Job.objects.get(pk=job.pk).sorties
    kept = Policy.objects.get(organisation=lead.organisation).own
    assert kept == {"reserve_method": chosen, "cold.method": cold, "landing_frac": {**chosen, "value": 0.35}}
