"""From the tables and the demo's data of an earlier version (tests/samples/upgrade, made by that version) to those of now:
the program of before can go on while they change, what was kept opens, and there is a way back."""

import os
import subprocess
import sys
from pathlib import Path

import psycopg
import pytest
from django.contrib.auth.hashers import PBKDF2PasswordHasher

from bench.kills import Person
from quarry.project import backups
from quarry.project.cluster import free_port
from tests.project.test_command_line import ROOT, database, quarry

OLD = Path(__file__).parents[1] / "samples" / "upgrade" / "demo-0.1.dump"
WORD = "a-word-for-the-upgrade"


def columns(url):
    """Return what each table holds: column, type, whether it may be left out."""
    with psycopg.connect(url) as link:
        rows = link.execute(
            "SELECT table_name, column_name, udt_name, is_nullable = 'YES' OR column_default IS NOT NULL OR is_identity = 'YES' "
            "FROM information_schema.columns WHERE table_schema = 'public'"
        )
        return {(table, column): (kind, spare) for table, column, kind, spare in rows}


@pytest.fixture(scope="module")
def upgraded(cluster, tmp_path_factory):
    """The database of before, migrated as an engineer would; with its columns before and after, and its backups."""
    url, folder = database("of_the_upgrade"), tmp_path_factory.mktemp("before")
    backups._run("pg_restore", url, "--no-owner", "-d", url, str(OLD), seconds=120)
    before, rows = columns(url), backups.rows_of(url)
    done = quarry(url, "migrate", QUARRY_BACKUPS=str(folder))
    assert done.returncode == 0, done.stderr
    return url, before, rows, folder


def test_it_is_backed_up_first_and_nothing_is_lost(upgraded):
    url, _, rows, folder = upgraded
    (kept,) = backups.backups_in(folder)
    assert kept.path.name.endswith("before-upgrade.dump")
    after = backups.rows_of(url)
    fewer = {t: (n, after.get(t)) for t, n in rows.items() if after.get(t, 0) < n}
    assert fewer == {}


def test_the_program_of_before_can_write_while_that_of_now_is_put_in_place(upgraded):
    """Tables are only added to: what it wrote stands, and what it does not know may be left out."""
    url, before, _, _ = upgraded
    after = columns(url)
    tables = {table for table, _ in before}
    assert {key: after.get(key) for key in before if after.get(key, ("", None))[0] != before[key][0]} == {}
    wanted = {key: kind for key, kind in after.items() if key not in before and key[0] in tables and not kind[1]}
    assert wanted == {}, "a new column that the program of before cannot fill needs a default of the database (db_default)"


def test_what_was_kept_opens(upgraded):
    """Every day with each of its kept plans, running and closed ones, jobs, packs and flights: by the served product."""
    url, *_ = upgraded
    with psycopg.connect(url) as link:
        link.execute(
            "UPDATE accounts_user SET password = %s WHERE username = 'marrable'",
            [PBKDF2PasswordHasher().encode(WORD, "of-the-tests")],
        )
    port = free_port(8_990)
    env = {**os.environ, "QUARRY_DATABASE_URL": url, "QUARRY_SECRET_KEY": "of-the-upgrade-" + "x" * 40}
    command = [sys.executable, "-m", "quarry", "serve", "--bind", f"127.0.0.1:{port}"]
    server = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        someone = Person(f"http://127.0.0.1:{port}", "marrable", WORD)
        someone.sign_in()
        looked = 0
        for day in someone.surely("GET", "/days")["items"]:
            paths = ["", "/packing", "/plans"] + (
                [f"/{p}" for p in ("live", "course", "summary", "events")] if day["running"] else []
            )
            paths += [f"/plans/{p['number']}" for p in someone.surely("GET", f"/days/{day['id']}/plans")]
            for path in paths:
                assert someone.surely("GET", f"/days/{day['id']}{path}") is not None, path
                looked += 1
        for kind in ("jobs", "packs"):
            listed = someone.surely("GET", f"/{kind}")
            for row in listed.get("items") or listed["packs"]:
                someone.surely("GET", f"/{kind}/{row['id']}")
                looked += 1
        for path in (
            "/today",
            "/logbook",
            "/logbook/claims",
            "/logbook/totals",
            "/fleet",
            "/limits",
            "/policy",
            "/history",
            "/people",
        ):
            someone.surely("GET", path)
        assert looked > 40
    finally:
        server.terminate()
        server.wait(20)


def test_there_is_a_way_back(upgraded):
    """The backup from before restores the tables of before, exactly."""
    _, before, rows, folder = upgraded
    (kept,) = backups.backups_in(folder)
    other = database("of_the_way_back")
    assert quarry(other, "restore", str(kept.path)).returncode == 0
    assert columns(other) == before
    assert backups.rows_of(other) == rows
