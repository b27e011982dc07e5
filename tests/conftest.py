"""A private throwaway database server, two organisations, and people to act as."""

from __future__ import annotations

import gc
import os
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings as drawn

# The same examples every time: a failing run fails again, a passing one stays passing.
drawn.register_profile("project", derandomize=True, deadline=None)
drawn.load_profile("project")

# The browser driver keeps an event loop in this thread; the tests' own queries are safe beside it.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")


# Tests may run in several processes beside one another: each has a database server, ports and a browser of its own.
WORKER = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))


# What takes longest comes first of its kind, so that no process is left with it at the end. Browsers come last: their
# driver keeps an event loop, beside which no other may run.
ORDER = (
    "tests/project/",
    "tests/simulators/",
    "tests/apps/test_tables",
    "tests/apps/test_sample_plans",
    "tests/apps/",
    "tests/",
    "quarry/",
    "tests/browser/test_rehearse",
    "tests/browser/test_screens",
    "tests/browser/test_logbook",
    "tests/browser/test_quiet",
    "tests/browser/",
)


# Their tests share what took long to make: one process runs all of them.
TOGETHER = (
    "tests/project/test_demo_whole.py",
    "tests/project/test_command_line.py",
    "tests/project/test_deployed.py",
    "tests/project/test_upgrade.py",
    "tests/simulators/test_histories.py",
)


# The collector would walk all that is loaded again and again: it stays for good.
gc.disable()


def pytest_collection_finish():
    """Collect garbage again, of what comes from now on."""
    gc.freeze()
    gc.enable()


def pytest_collection_modifyitems(items):
    """Put what takes longest first, and browsers last."""

    def place(item):
        fits = [k for k, start in enumerate(ORDER) if item.nodeid.startswith(start)]
        return max(fits, key=lambda k: len(ORDER[k]))

    items.sort(key=place)


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config, log):
    """Hand tests out one by one, in their order."""
    from xdist.scheduler import LoadScopeScheduling

    class OneByOne(LoadScopeScheduling):
        def _split_scope(self, nodeid):
            return next((t for t in TOGETHER if nodeid.startswith(t)), nodeid)

    return OneByOne(config, log)


@pytest.fixture(scope="session")
def cluster():
    """Make and start a server of our own beside whatever runs, and end it."""
    from quarry.project.cluster import Cluster, new_password

    if os.environ.get("QUARRY_TEST_DATABASE_URL"):
        yield None
        return
    folder = Path(tempfile.mkdtemp(prefix="gq-"))
    folder.chmod(0o755)
    made = Cluster(folder / "pg", new_password(), throwaway=True)
    made.start(55_440 + 20 * WORKER)
    password = new_password()
    made.ensure_database("quarry_test", password, "quarry", may_create=True)
    os.environ["QUARRY_TEST_DATABASE_URL"] = made.url("quarry_test", password, "quarry")
    yield made
    made.stop()
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def django_db_modify_db_settings(cluster):
    """Point Django at it before the test database is made."""
    from django.db import connections

    from quarry.project.settings import _database

    # No pool in the tests' own process: a test database cannot be dropped while one holds it.
    connections.databases["default"].update(_database(os.environ["QUARRY_TEST_DATABASE_URL"]) | {"OPTIONS": {}})


@pytest.fixture(autouse=True)
def quick_passwords(settings):
    """Hash passwords fast: their strength is not what tests are about."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture
def org(db):
    """An organisation whose scope is open during the test."""
    from django_scopes import scope

    from quarry.apps.accounts.models import Organisation

    made = Organisation.objects.create(name="North Crew")
    with scope(organisation=made):
        yield made


@pytest.fixture
def lead(org):
    """Its operations lead."""
    from tests.factories import person

    return person(org, "lena", "lead")


@pytest.fixture
def stranger(db):
    """The lead of another organisation."""
    from quarry.apps.accounts.models import Organisation
    from tests.factories import person

    return person(Organisation.objects.create(name="South Crew"), "sven", "lead")


@pytest.fixture
def fleet(lead):
    """A small fleet by name."""
    from tests.factories import make_fleet

    return make_fleet(lead)


@pytest.fixture
def job(lead, fleet):
    """A mapping job with outline and home, ready to be planned."""
    from tests.factories import make_job

    return make_job(lead, fleet)


@pytest.fixture
def day(lead, fleet, job):
    """A day with that job that needs charging."""
    from tests.factories import make_day

    return make_day(lead, fleet, [job])


@pytest.fixture
def web(client, lead):
    """A signed-in client that speaks JSON."""
    from tests.factories import Web

    client.force_login(lead)
    return Web(client)


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup, django_db_blocker):
    """Tests that run outside a transaction empty their tables at the end; what refuses that has a database of its own to be tried on."""
    from django.db import connection

    with django_db_blocker.unblock(), connection.cursor() as cursor:
        for what, table in (
            ("history_is", "accounts_historyentry"),
            ("records_are", "care_packrecord"),
            ("events_are", "day_dayevent"),
            ("entries_are", "spraying_recordentry"),
            ("moves_are", "spraying_stockmove"),
            ("reports_are", "search_searchreport"),
        ):
            cursor.execute(f"DROP TRIGGER IF EXISTS {what}_not_emptied ON {table}")
