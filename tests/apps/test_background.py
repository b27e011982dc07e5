"""Work that was broken off: begun again, given up after three tries with words, tried again when somebody asks for it."""

from datetime import timedelta
from uuid import uuid4

import pytest
from django.contrib.sessions.models import Session
from django.db import connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from quarry.apps.accounts.errors import DomainError
from quarry.apps.background import ALIVE_S, BROKEN_OFF, GRACE_S, MOST_TRIES, take_up, tidy
from quarry.apps.care.models import TableImport
from quarry.apps.care.tasks import begin_again as table_again
from quarry.apps.day.models import DayPlan, DayRun
from quarry.apps.day.queries import plan_of
from quarry.apps.day.tasks import search_again
from quarry.apps.logbook import queries
from quarry.apps.logbook.models import Import
from quarry.apps.logbook.tasks import begin_again, read_logs_in
from tests.factories import make_day

pytestmark = pytest.mark.django_db(transaction=True)


def aged(row, seconds=GRACE_S + 5):
    type(row).objects.filter(pk=row.pk).update(made_at=timezone.now() - timedelta(seconds=seconds))
    return row


def jobs(task, status="todo"):
    return ProcrastinateJob.objects.filter(task_name=task, status=status)


@pytest.fixture(autouse=True)
def no_jobs(transactional_db):
    """The queue's own tables are not emptied between tests."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_jobs")


@pytest.fixture
def interrupted(lead):
    """An import that a server was reading when it was ended."""
    return aged(Import.objects.create(organisation=lead.organisation, name="a.csv", data=b"x", state="reading", by=lead))


def all_failed():
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'failed'")


def dead_worker_holds(task, **args):
    """Put a job into the hands of a worker that has not been heard of for long."""
    job_id = task.defer(**args)
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - make_interval(secs => %s)) RETURNING id",
            [ALIVE_S + 5],
        )
        worker = cursor.fetchone()[0]
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s WHERE id = %s", [worker, job_id])
    return job_id


def test_an_import_that_was_broken_off_is_begun_again(interrupted):
    assert take_up() == 1
    row = Import.objects.get(pk=interrupted.pk)
    assert (row.state, row.tries) == ("waiting", 1)
    assert jobs("read_logs_in").get().args == {"import_id": str(row.pk)}
    assert take_up() == 0, "its job waits: nothing more to do"


def test_the_job_of_a_dead_worker_is_ended_and_another_is_queued(interrupted):
    held = dead_worker_holds(read_logs_in, import_id=str(interrupted.pk))
    assert take_up() == 1
    assert ProcrastinateJob.objects.get(pk=held).status == "failed"
    assert jobs("read_logs_in").count() == 1


def test_what_has_just_begun_is_left_alone(interrupted):
    Import.objects.filter(pk=interrupted.pk).update(made_at=timezone.now())
    assert take_up() == 0


def test_after_three_tries_it_says_so_and_can_be_tried_again(interrupted, lead):
    for k in range(MOST_TRIES):
        assert take_up() == 1
        assert Import.objects.get(pk=interrupted.pk).tries == k + 1
        all_failed()
        Import.objects.filter(pk=interrupted.pk).update(state="reading")
    assert take_up() == 1
    told = queries.import_view(queries.import_of(interrupted.pk))
    assert (told.state, told.words, told.broken_off) == ("refused", BROKEN_OFF, True)
    assert take_up() == 0
    begin_again(lead, interrupted.pk)
    assert (Import.objects.get(pk=interrupted.pk).state, jobs("read_logs_in").count()) == ("waiting", 1)
    with pytest.raises(DomainError, match="Drop the file once more"):
        begin_again(lead, interrupted.pk)


def test_a_table_and_a_search_that_were_broken_off_are_taken_up_too(lead, fleet, job):
    table = aged(TableImport.objects.create(organisation=lead.organisation, name="t.csv", data=b"x", state="writing", by=lead))
    plan = aged(plan_of(make_day(lead, fleet, [job]))[0])
    DayPlan.objects.filter(pk=plan.pk).update(state="searching")
    assert take_up() == 2
    assert (TableImport.objects.get(pk=table.pk).state, jobs("read_table_in").count()) == ("waiting", 1)
    assert (DayPlan.objects.get(pk=plan.pk).state, jobs("better_day_plan").count()) == ("queued", 1)
    all_failed()
    TableImport.objects.update(tries=MOST_TRIES)
    DayPlan.objects.update(tries=MOST_TRIES)
    assert take_up() == 2
    assert (TableImport.objects.get(pk=table.pk).state, DayPlan.objects.get(pk=plan.pk).state) == ("refused", "stopped")
    table_again(lead, table.pk)
    search_again(DayPlan.objects.get(pk=plan.pk))
    assert (TableImport.objects.get(pk=table.pk).state, DayPlan.objects.get(pk=plan.pk).state) == ("waiting", "queued")


def ended(task, days, status):
    """A job that ended so many days ago."""
    job_id = task.defer(import_id=str(uuid4()))
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = %s", [job_id])
        cursor.execute("UPDATE procrastinate_jobs SET status = %s WHERE id = %s", [status, job_id])
        cursor.execute("UPDATE procrastinate_events SET at = now() - make_interval(days => %s) WHERE job_id = %s", [days, job_id])
    return job_id


class TestTidying:
    def test_jobs_go_once_they_are_long_done_and_what_waits_stays(self, lead):
        gone = {ended(read_logs_in, 2, "succeeded"), ended(read_logs_in, 15, "failed")}
        stay = {ended(read_logs_in, 0, "succeeded"), ended(read_logs_in, 3, "failed"), read_logs_in.defer(import_id=str(uuid4()))}
        assert tidy()["finished jobs"] == len(gone)
        assert set(ProcrastinateJob.objects.values_list("pk", flat=True)) == stay

    def test_sessions_that_are_over_go(self, lead):
        now = timezone.now()
        for key, days in (("over", -1), ("under-way", 1)):
            Session.objects.create(session_key=key, session_data="", expire_date=now + timedelta(days=days))
        tidy()
        assert list(Session.objects.values_list("session_key", flat=True)) == ["under-way"]

    def test_the_file_of_an_import_that_was_given_up_is_kept_a_week_and_then_said_to_be_gone(self, lead):
        made = Import.objects.create(
            organisation=lead.organisation, name="a.csv", data=b"x", state="refused", words=BROKEN_OFF, tries=3, by=lead
        )
        table = TableImport.objects.create(organisation=lead.organisation, name="b.csv", data=b"y", state="waiting", by=lead)
        aged(made, 6 * 86_400)
        tidy()
        made.refresh_from_db()
        assert bytes(made.data) == b"x"
        aged(made, 8 * 86_400)
        aged(table, 8 * 86_400)
        tidy()
        made.refresh_from_db()
        table.refresh_from_db()
        assert (bytes(made.data), made.tries) == (b"", 0)
        assert "Drop it once more" in made.words
        assert bytes(table.data) == b"y", "what is under way stays"

    def test_old_plans_go_but_the_newest_and_those_that_were_flown(self, lead, fleet, job):
        day = make_day(lead, fleet, [job])
        first = plan_of(day)[0]
        rows = [
            DayPlan(
                organisation=lead.organisation,
                day=day,
                fingerprint=f"f{k}",
                number=first.number + k,
                plan=first.plan,
                state="best",
            )
            for k in range(1, 14)
        ]
        DayPlan.objects.bulk_create(rows)
        DayRun.objects.create(
            organisation=lead.organisation,
            day=day,
            plan_number=first.number + 1,
            started_by=lead,
            frame={},
            current={},
        )
        tidy()
        assert DayPlan.objects.filter(day=day).count() == 14, "all were made of late"
        DayPlan.objects.filter(day=day).update(made_at=timezone.now() - timedelta(days=40), state="best")
        assert tidy()["plans that newer ones replaced"] == 3
        left = sorted(DayPlan.objects.filter(day=day).values_list("number", flat=True))
        assert left == [first.number + 1, *range(first.number + 4, first.number + 14)]
