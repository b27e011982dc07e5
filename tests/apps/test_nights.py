"""Days that cross midnight, nights whose clocks change, and one crew for two aircraft: entered, planned, begun and handed out."""

import csv
import io
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest

from quarry.apps.accounts.errors import DomainError
from quarry.apps.day import queries, services
from quarry.apps.day.exports import export_day
from quarry.apps.day.fields import hours_of, pins_of
from quarry.apps.fleet.models import Aircraft
from quarry.apps.limits.queries import windows_for
from quarry.apps.today.queries import today
from tests.factories import make_day, make_job

pytestmark = pytest.mark.django_db
LONDON = ZoneInfo("Europe/London")
# In London clocks go forward at 01:00 on 30 March 2031 and back at 02:00 on 26 October 2031.
FORWARD, BACK = "2031-03-29", "2031-10-25"


def night(lead, fleet, job, **over):
    return make_day(
        lead, fleet, [job], **{"opens": "20:00", "closes": "05:00", "pauses": [], "time_zone": "Europe/London"} | over
    )


def plan(day):
    return queries.plan_from(queries.plan_of(day)[0].plan)


@pytest.mark.parametrize(("on", "hours_count"), [("2031-05-06", 9.0), (FORWARD, 8.0), (BACK, 10.0)])
def test_a_night_is_as_long_as_it_truly_is(lead, fleet, job, on, hours_count):
    day = night(lead, fleet, job, date=on)
    opens, closes = queries.moments_of(day)
    assert (closes.astimezone(UTC) - opens.astimezone(UTC)) == timedelta(hours=hours_count)
    assert hours_of(day).windows() == ((0.0, hours_count * 3600),)
    assert plan(day).windows == [(0.0, hours_count * 3600)]
    assert hours_of(day).clock(hours_count * 3600) == "05:00"


@pytest.mark.parametrize("on", [FORWARD, BACK])
def test_what_is_flown_after_a_change_of_clocks_is_told_at_its_true_time(lead, fleet, job, on):
    label = plan(night(lead, fleet, job, name="Free")).flights[1].flight
    pins = [{"kind": "takeoff", "flight": label, "from": "03:00"}]
    day = night(lead, fleet, job, date=on, opens="23:30", closes="09:00", pins=pins)
    made = plan(day)
    opens = queries.moments_of(day)[0].astimezone(UTC)
    rows = csv.DictReader(io.StringIO(export_day(day, "csv")[0].decode("utf-8-sig")))
    begins = {r["name"]: datetime.fromisoformat(r["start"]).astimezone(UTC) for r in rows if r["what"] == "flight"}
    assert begins == {f.flight: opens + timedelta(seconds=round(f.takeoff_s)) for f in made.flights}
    # Some lie behind the change, where adding to the clock of the opening would be an hour off.
    local = {(opens + timedelta(seconds=f.takeoff_s)).astimezone(LONDON).utcoffset() for f in made.flights}
    assert len(local) == 2
    way, at = ("forward", "01:00") if on == FORWARD else ("back", "02:00")
    assert any(c.startswith(f"Clocks go {way} by 1 h at {at}") for c in made.cautions)


def test_breaks_and_what_is_fixed_lie_after_midnight_where_their_clock_does(lead, fleet, job):
    label = plan(night(lead, fleet, job, name="Free")).flights[0].flight
    pins = [{"kind": "takeoff", "flight": label, "from": "01:00"}]
    day = night(lead, fleet, job, pauses=[{"from": "23:30", "to": "00:15"}], pins=pins)
    assert hours_of(day).windows() == ((0.0, 12_600.0), (15_300.0, 32_400.0))
    assert [p.from_s for p in pins_of(day)] == [25 * 3600.0]
    assert pins_of(day)[0].words == f"{label} not before 01:00"
    assert next(f for f in plan(day).flights if f.flight == label).takeoff_s >= 5 * 3600.0


def test_a_break_that_ends_before_it_begins_is_refused_at_night_too(lead, fleet, job):
    with pytest.raises(DomainError, match="end after it begins") as bad:
        night(lead, fleet, job, pauses=[{"from": "00:15", "to": "23:30"}])
    assert bad.value.field == "pauses.0"


def test_a_night_can_be_begun_after_midnight_and_moved_to_now_with_its_length(lead, fleet, job):
    day = night(lead, fleet, job)
    opens, closes = queries.moments_of(day)
    assert (closes - opens) == timedelta(hours=9)
    assert services.start_run(actor=lead, day_id=day.pk, now=opens + timedelta(hours=5))
    services.undo_start(actor=lead, day_id=day.pk)
    now = datetime(2031, 6, 1, 22, 30, tzinfo=LONDON)
    run = services.start_run(actor=lead, day_id=day.pk, how="now", now=now)
    moved = queries.day_of(day.pk)
    assert (f"{moved.opens:%H:%M}", f"{moved.closes:%H:%M}") == ("22:30", "07:30")
    assert run.frame["plan"]["flights"]


def test_the_weather_of_a_night_is_asked_for_hour_by_hour_to_its_end(lead, fleet, job):
    for on, count in ((FORWARD, 8), (BACK, 10)):
        opens, closes = queries.moments_of(night(lead, fleet, job, date=on, name=on))
        found = windows_for(job, opens, closes)
        assert [h.start_s for h in found.hours] == [3600.0 * k for k in range(count + 1)]
        assert found.windows == [(0.0, 3600.0 * count)]


def test_a_night_of_yesterday_is_still_to_come_and_a_day_of_yesterday_is_over(lead, fleet, job):
    on = (datetime.now(UTC) - timedelta(days=1)).date().isoformat()
    night(lead, fleet, job, name="Night", date=on)
    night(lead, fleet, job, name="Day", date=on, opens="08:00", closes="17:00")
    coming = [d.name for d in today(lead).days]
    assert "Night" in coming
    assert "Day" not in coming


def test_on_a_far_date_no_weather_is_known_and_that_is_said(lead, fleet, job):
    made = plan(night(lead, fleet, job, date="2033-05-06"))
    assert any("No weather is known" in c for c in made.cautions)


def test_one_crew_flies_two_aircraft_in_turn_and_an_aircraft_has_one_crew(lead, fleet, job):
    other = Aircraft.objects.create(organisation=lead.organisation, name="Second", model=fleet["A1"].model)
    second = make_job(lead, fleet, name="Other field")
    jobs = [{"job_id": job.pk, "aircraft_id": fleet["A1"].pk}, {"job_id": second.pk, "aircraft_id": other.pk}]
    both = [[fleet["A1"].pk, other.pk]]
    apart = make_day(lead, fleet, [], name="Apart", jobs=jobs, pauses=[])
    day = make_day(lead, fleet, [], name="Together", jobs=jobs, pauses=[], crews=both)
    flown = sorted(plan(day).flights, key=lambda f: f.takeoff_s)
    assert len({f.aircraft for f in flown}) == 2
    assert all(b.takeoff_s >= a.landing_s - 1e-6 for a, b in pairwise(flown))
    assert queries.day_view(day).crews == ((str(fleet["A1"].pk), str(other.pk)),)
    assert plan(apart).flights
    services.save_day(actor=lead, day_id=apart.pk, version=apart.version, figures={"crews": both})
    again, new = queries.plan_of(queries.day_of(apart.pk))
    assert new
    assert any("crew 1" in words and "Second" in words for words in again.why), again.why
    with pytest.raises(DomainError, match="has one crew") as bad:
        make_day(lead, fleet, [], name="Twice", jobs=jobs, crews=[*both, [other.pk, fleet["A1"].pk]])
    assert bad.value.field == "crews.1"
    with pytest.raises(DomainError, match="Choose an aircraft that exists"):
        make_day(lead, fleet, [], name="Ghost", jobs=jobs, crews=[[fleet["A1"].pk, job.pk]])
