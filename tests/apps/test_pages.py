"""Long lists: pages that neither lose nor repeat a row, and a number of queries that does not grow with the history."""

from datetime import date, timedelta
from uuid import uuid4

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st

from quarry.apps.care.models import PackRecord
from quarry.apps.day import services
from quarry.apps.day.models import Day, DayRun, LandedSortie
from quarry.apps.jobs.models import Job
from quarry.apps.paging import BadCursor, decode, encode, page_of
from tests.factories import make_today, post_events


@given(st.text())
def test_any_other_text_is_no_cursor(text):
    try:
        values = decode(text, 2)
    except BadCursor:
        return
    assert decode(encode(values), 2) == values


@pytest.mark.parametrize("order", [["name"], ["-name"], ["kind", "-name"], ["-changed_at"]])
def test_pages_of_a_query_are_the_query_though_rows_are_alike(lead, order):
    for k in range(23):
        Job.objects.create(organisation=lead.organisation, name=f"Field {k % 4}", letter="F", kind=("mapping", "search")[k % 2])
    whole = [job.pk for job in Job.objects.order_by(*order, "pk")]
    found, cursor = [], ""
    for _ in range(8):
        page = page_of(Job.objects.all(), order, cursor, 5)
        found += [job.pk for job in page.items]
        cursor = page.next or ""
        if not cursor:
            break
    assert found == whole
    with pytest.raises(BadCursor):
        page_of(Job.objects.all(), order, encode(["x"] * (len(order) + 1)), 5)


def test_a_row_that_is_added_meanwhile_moves_no_other(web, lead):
    for k in range(6):
        Job.objects.create(organisation=lead.organisation, name=f"B{k}", letter="B", kind="mapping")
    first = web.get("/jobs", sort="name", size=3).json()
    assert [j["name"] for j in first["items"]] == ["B0", "B1", "B2"]
    assert first["total"] == 6
    Job.objects.create(organisation=lead.organisation, name="A", letter="A", kind="mapping")
    second = web.get("/jobs", sort="name", size=3, cursor=first["next"]).json()
    assert [j["name"] for j in second["items"]] == ["B3", "B4", "B5"]
    assert second["next"] is None
    refused = web.get("/jobs", cursor="x")
    assert refused.status_code == 422
    assert refused.json()["field"] == "cursor"


def queries_of(web, path, **query):
    with CaptureQueriesContext(connection) as told:
        assert web.get(path, **query).status_code == 200
    return len(told)


@pytest.fixture
def flown(lead, fleet, job):
    """A day with one flight and one charge, begun and closed."""
    today = make_today(lead, fleet, [job], ago_min=60)
    run = services.start_run(actor=lead, day_id=today.pk)
    opens = timezone.now() - timedelta(minutes=60)

    def event(kind, minutes, **figures):
        return {"key": f"{kind}{minutes}", "kind": kind, "at": opens + timedelta(minutes=minutes), "figures": figures}

    events = [
        event("on_port", 1, pack="02", port=1, mode="fast"),
        event("launched", 2, flight=f"{job.letter}1", set="01"),
        event("landed", 20, flight=f"{job.letter}1", left_frac=0.36),
        event("off_port", 40, pack="02"),
    ]
    post_events(actor=lead, day_id=today.pk, device="tablet", device_now=timezone.now(), events=events)
    services.close_run(actor=lead, day_id=today.pk)
    run.refresh_from_db()
    return run


def more_history(run, count, before):
    """Add days that were flown as this one was, and as many flights written down at a pack, all before a date."""
    pack = PackRecord.objects.filter(kind="flight").first().pack
    for k in range(count):
        day = Day.objects.create(
            organisation=run.organisation,
            name=f"Day {before} {k}",
            date=before - timedelta(days=k),
            time_zone=run.day.time_zone,
            opens=run.day.opens,
            closes=run.day.closes,
        )
        again = DayRun.objects.create(
            organisation=run.organisation,
            day=day,
            frame=run.frame,
            current=run.current,
            plan_number=1,
            flown=run.flown,
            started_by=run.started_by,
            closed_at=run.closed_at,
        )
        for sortie in run.landed.all():
            sortie.pk, sortie.run, sortie.record_keys = None, again, []
            sortie.took_off_at -= timedelta(days=(run.day.date - day.date).days)
            sortie.save(force_insert=True)
        PackRecord.objects.create(
            organisation=run.organisation,
            pack=pack,
            key=uuid4(),
            kind="flight",
            at=timezone.now() - (timezone.now().date() - day.date),
            figures={"flown_s": 600.0, "to_frac": 0.4, "from_frac": 1.0},
            by=run.started_by,
        )


PATHS = (
    "/days",
    "/jobs",
    "/packs",
    "/logbook",
    "/logbook/claims",
    "/logbook/totals",
    "/logbook/records/charges",
    "/logbook/groupings",
)


def test_the_number_of_queries_does_not_grow_with_the_history(web, flown):
    more_history(flown, 4, date(2026, 3, 1))
    assert web.get("/me").status_code == 200, "the session is noted once, whatever is asked"
    few = {path: queries_of(web, path) for path in PATHS}
    more_history(flown, 24, date(2025, 3, 1))
    assert {path: queries_of(web, path) for path in PATHS} == few
    assert max(few.values()) <= 24
    book = web.get("/logbook", size=10).json()
    assert (book["flights"], len(book["entries"])) == (1 + 2 * 28, 10)
    rest = web.get("/logbook", size=500, cursor=book["next"]).json()
    assert len({e["id"] for e in book["entries"] + rest["entries"]}) == book["flights"]


def test_what_an_older_version_kept_of_a_run_is_read_anew(web, flown):
    whole = web.get("/logbook").json()["entries"]
    DayRun.objects.update(flown={"schema": 0})
    LandedSortie.objects.all().delete()
    assert services.refresh_flown() == 1
    assert web.get("/logbook").json()["entries"] == whole
    assert services.refresh_flown() == 0
    # A day that cannot be read at all stops no start: it is logged and left.
    DayRun.objects.update(flown={"schema": 0}, frame={"task": "of long ago"})
    assert services.refresh_flown() == 0
    assert DayRun.objects.get().flown == {"schema": 0}
