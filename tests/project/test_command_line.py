"""The command line on a database of its own: migrate, add a company, back up, restore, look, refuse."""

import json
import os
import re
import subprocess
import sys
import time
import urllib.error
import urllib.request
import zipfile
from pathlib import Path
from urllib.parse import urlsplit, urlunsplit

import psycopg
import pytest
from click.testing import CliRunner
from psycopg import sql

from quarry.apps import health
from quarry.project import backups, cli, setting_up
from quarry.project.cli import main
from quarry.project.cluster import free_port

ROOT = Path(__file__).parents[2]
PASSWORD = "a-long-enough-word-7"


def database(name):
    """Make an empty database beside those of the tests; returns its address."""
    parts = urlsplit(os.environ["QUARRY_TEST_DATABASE_URL"])
    with psycopg.connect(os.environ["QUARRY_TEST_DATABASE_URL"], autocommit=True) as link:
        link.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        link.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
    return urlunsplit(parts._replace(path=f"/{name}"))


def quarry(url, *args, data="", **more):
    env = {**os.environ, "QUARRY_DATABASE_URL": url, "QUARRY_SECRET_KEY": "of-the-tests-" + "x" * 40, **more}
    return subprocess.run(
        [sys.executable, "-m", "quarry", *args],
        cwd=ROOT,
        env=env,
        input=data,
        text=True,
        capture_output=True,
        timeout=300,
        check=False,
    )


@pytest.fixture(scope="module")
def served(cluster, tmp_path_factory):
    """A migrated database with a company, and a folder for its backups."""
    url, folder = database("of_the_command_line"), tmp_path_factory.mktemp("backups")
    done = quarry(url, "migrate", QUARRY_BACKUPS=str(folder))
    assert done.returncode == 0, done.stderr
    assert list(folder.iterdir()) == [], "an empty database has nothing to back up"
    done = quarry(url, "company", "add", "North Crew", "lena", data=PASSWORD + "\n")
    assert "Sign in as lena" in done.stdout, done.stderr
    return url, folder


def test_a_backup_is_tried_out_put_back_elsewhere_and_is_equal(served, tmp_path):
    url, folder = served
    done = quarry(url, "backup", "--try-out", QUARRY_BACKUPS=str(folder))
    assert done.returncode == 0, done.stderr
    assert "Tried out" in done.stdout
    newest = backups.backups_in(folder)[0]
    other = database("of_the_restore")
    done = quarry(other, "restore", str(newest.path))
    assert done.returncode == 0, done.stderr
    assert backups.rows_of(other) == backups.rows_of(url)
    assert dumped(other) == dumped(url)
    assert not [n for n in databases() if n.startswith("quarry_scratch")], "scratches are dropped"
    archives = [exported(of, tmp_path / f"{k}.zip") for k, of in enumerate((url, other))]
    assert archives[0] == archives[1], "what is exported from it is the same byte for byte"


def exported(url, path):
    done = quarry(url, "export", "north crew", str(path))
    assert done.returncode == 0, done.stderr
    return path.read_bytes()


def dumped(url):
    """The content of a database as text, without what names the run."""
    path = Path(os.environ.get("TMPDIR", "/tmp")) / f"dump-{os.getpid()}.sql"
    backups._run("pg_dump", url, "--data-only", "--no-owner", "-f", str(path), seconds=60)
    lines = path.read_text().splitlines()
    path.unlink()
    return [line for line in lines if not line.startswith(("\\restrict", "\\unrestrict"))]


def databases():
    with psycopg.connect(os.environ["QUARRY_TEST_DATABASE_URL"]) as link:
        return [name for (name,) in link.execute("SELECT datname FROM pg_database")]


def test_a_database_that_holds_something_is_replaced_only_if_asked(served):
    url, folder = served
    quarry(url, "backup", QUARRY_BACKUPS=str(folder))
    newest = backups.backups_in(folder)[0]
    other = database("of_the_replacing")
    with psycopg.connect(other, autocommit=True) as link:
        link.execute("CREATE TABLE precious (id int)")
    refused = quarry(other, "restore", str(newest.path))
    assert (refused.returncode, "holds tables already" in refused.stderr) == (1, True)
    assert backups.tables_of(other) == ["precious"]
    asked = quarry(other, "restore", str(newest.path), "--replace", data="n\n")
    assert asked.returncode == 1
    assert backups.tables_of(other) == ["precious"]
    assert quarry(other, "restore", str(newest.path), "--replace", "--yes").returncode == 0
    assert backups.rows_of(other) == backups.rows_of(url)


def test_a_damaged_or_unfinished_backup_is_refused_and_the_good_ones_stay(served, tmp_path):
    url, _ = served
    good = backups.back_up(url, tmp_path, keep=3)
    data = bytearray(good.path.read_bytes())
    data[len(data) // 2] ^= 0xFF
    bad = good.path.with_name("quarry-20310506-070809.dump")
    bad.write_bytes(data)
    with pytest.raises(backups.BackupError, match="no checksum"):
        backups.check(bad)
    bad.with_suffix(".dump.sha256").write_text(good.path.with_suffix(".dump.sha256").read_text())
    done = quarry(database("of_the_damaged"), "restore", str(bad))
    assert (done.returncode, "is damaged" in done.stderr) == (1, True)
    backups.check(good.path)


def test_a_backup_that_is_killed_leaves_the_last_good_one(served, tmp_path):
    """Killed once its file is there: nothing takes the name of a backup before it is whole."""
    url, _ = served
    good = backups.back_up(url, tmp_path, keep=2)
    code = "import sys; from pathlib import Path; from quarry.project.backups import back_up; back_up(sys.argv[1], Path(sys.argv[2]), keep=1)"
    child = subprocess.Popen([sys.executable, "-c", code, url, str(tmp_path)], cwd=ROOT)
    until = time.monotonic() + 30
    while not list(tmp_path.glob("*.part")) and child.poll() is None and time.monotonic() < until:
        time.sleep(0.005)
    child.kill()
    child.wait()
    backups.check(good.path)
    for found in backups.backups_in(tmp_path):
        backups.check(found.path)


def test_only_the_newest_are_kept(served, tmp_path):
    url, _ = served
    for k in range(3):
        made = backups.back_up(url, tmp_path, keep=2, mark=f"m{k}")
    found = backups.backups_in(tmp_path)
    assert len(found) == 2
    assert found[0].path == made.path
    assert len(list(tmp_path.iterdir())) == 4, "each with its checksum"


def test_a_database_of_a_newer_program_is_left_alone(served):
    url, folder = served
    with psycopg.connect(url, autocommit=True) as link:
        link.execute("INSERT INTO django_migrations (app, name, applied) VALUES ('fleet', '9999_from_the_future', now())")
    try:
        done = quarry(url, "migrate", QUARRY_BACKUPS=str(folder))
        assert done.returncode == 1
        assert "of a newer program" in done.stderr
        looked = quarry(url, "doctor", QUARRY_BACKUPS=str(folder))
        assert "BAD  migrations" in looked.stdout
        assert looked.returncode == 1
    finally:
        with psycopg.connect(url, autocommit=True) as link:
            link.execute("DELETE FROM django_migrations WHERE name = '9999_from_the_future'")


def test_the_doctor_says_what_to_do(served):
    url, folder = served
    quarry(url, "backup", QUARRY_BACKUPS=str(folder))
    looked = quarry(url, "doctor", QUARRY_BACKUPS=str(folder))
    assert looked.returncode == 0, looked.stdout
    assert {line.split()[0] for line in looked.stdout.splitlines()} == {"ok"}
    away = quarry("postgresql://nobody@127.0.0.1:1/none", "doctor", QUARRY_BACKUPS="")
    assert away.returncode == 1
    assert "Look at QUARRY_DATABASE_URL" in away.stdout
    assert "quarry backup" in away.stdout


def test_a_lead_who_lost_the_password_gets_another(served):
    url, _ = served
    done = quarry(url, "person", "reset", "lena")
    assert "lena of North Crew signs in with: " in done.stdout
    assert quarry(url, "person", "reset", "nobody").returncode == 1


@pytest.mark.parametrize("args", [[], ["migrate"], ["company", "add"], ["restore"], ["serve"]])
def test_each_command_explains_itself(args):
    done = quarry("", *args, "--help")
    assert done.returncode == 0
    assert "Usage: " in done.stdout
    assert len(done.stdout.splitlines()) > 4


def test_a_calculator_runs_without_a_database():
    done = quarry("", "compute", "rest-voltage", data=json.dumps({"pack_v": 22.8, "cells_count": 6}))
    assert done.returncode == 0, done.stderr
    assert 0 < json.loads(done.stdout)["low_frac"] < json.loads(done.stdout)["high_frac"] < 1
    assert "rest-voltage" in quarry("", "compute", "--list").stdout


def test_the_server_says_whether_it_lives_and_can_take_requests(client, db):
    assert client.get("/healthz").content == b"ok\n"
    answer = client.get("/readyz")
    assert answer.status_code == 200, answer.content
    assert {c["name"] for c in answer.json()["checks"]} == {"database", "migrations", "queue", "disk"}


def test_a_server_whose_tables_are_old_is_not_ready(client, db, monkeypatch):
    monkeypatch.setattr("quarry.apps.health.pending_migrations", lambda: ["fleet.0099_next"])
    answer = client.get("/readyz")
    assert answer.status_code == 503
    (bad,) = [c for c in answer.json()["checks"] if not c["ok"]]
    assert (bad["name"], bad["mend"]) == ("migrations", "Run: quarry migrate")


def test_the_package_serves_the_screens_outside_the_checkout(served, tmp_path):
    """One wheel, put beside the libraries that are there, with nothing of the checkout in reach."""
    url, folder = served
    subprocess.run([ROOT / "tools" / "package.sh"], check=True, capture_output=True, timeout=120)
    (wheel,) = (ROOT / "dist").glob("*.whl")
    with zipfile.ZipFile(wheel) as opened:
        opened.extractall(tmp_path / "there")
    env = {**os.environ, "PYTHONPATH": str(tmp_path / "there"), "QUARRY_DATABASE_URL": url, "QUARRY_SECRET_KEY": "x" * 44}
    quarry(url, "backup", QUARRY_BACKUPS=str(folder))
    run = [sys.executable, "-m", "quarry"]
    looked = subprocess.run(
        [*run, "doctor"], cwd=tmp_path, env=env | {"QUARRY_BACKUPS": str(folder)}, capture_output=True, text=True, check=False
    )
    assert "ok   screens: built" in looked.stdout, looked.stdout + looked.stderr
    port = free_port(8_760)
    server = subprocess.Popen([*run, "serve", "--bind", f"127.0.0.1:{port}"], cwd=tmp_path, env=env, stderr=subprocess.DEVNULL)
    try:
        assert fetched(port, "/healthz") == b"ok\n"
        assert json.loads(fetched(port, "/readyz"))["ready"] is True
        page = fetched(port, "/").decode()
        script = re.search(r"/_app/immutable/entry/start\.[\w-]+\.js", page)[0]
        assert fetched(port, script).startswith(b"export")
    finally:
        server.terminate()
        server.wait(20)


def fetched(port, path):
    until = time.monotonic() + 60
    while True:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=20) as answer:
                return answer.read()
        except (urllib.error.URLError, ConnectionError):
            if time.monotonic() > until:
                raise
            time.sleep(0.3)


def test_setup_writes_settings_units_and_the_first_company_and_may_be_run_again(cluster, tmp_path):
    url = database("of_the_setup")
    answers = {
        "database": url,
        "address": "https://quarry.example.org",
        "backups": str(tmp_path / "backups"),
        "company": "North Crew",
        "lead": "lena",
        "password": PASSWORD,
    }
    file = tmp_path / "answers.json"
    file.write_text(json.dumps(answers | {"lead": ""}))
    where = ["--settings", str(tmp_path / "quarry.env"), "--units", str(tmp_path / "units"), "--answers", str(file)]
    refused = quarry("", "setup", *where)
    assert (refused.returncode, "lack: lead" in refused.stderr) == (1, True)
    file.write_text(json.dumps(answers))
    done = quarry("", "setup", *where, QUARRY_SECRET_KEY="")
    assert done.returncode == 0, done.stderr
    assert "Sign in as lena" in done.stdout
    settings = setting_up.read_settings(tmp_path / "quarry.env")
    assert (tmp_path / "quarry.env").stat().st_mode & 0o777 == 0o600
    assert len(settings["QUARRY_SECRET_KEY"]) > 40
    assert len(list((tmp_path / "units").iterdir())) == 5
    again = quarry("", "setup", *where, QUARRY_SECRET_KEY="")
    assert again.returncode == 0, again.stderr
    assert "North Crew is there already" in again.stdout
    assert setting_up.read_settings(tmp_path / "quarry.env") == settings, "the secret stays"


def test_the_units_in_the_checkout_are_those_that_setup_writes():
    made = setting_up.units("/opt/quarry/bin/quarry", "/etc/quarry/quarry.env", "/var/lib/quarry")
    assert {p.name: p.read_text() for p in (ROOT / "deploy").glob("quarry-*")} == made


@pytest.mark.parametrize("unit", sorted(p.name for p in (ROOT / "deploy").glob("*.service")))
def test_each_unit_runs_a_command_that_there_is(unit):
    (line,) = re.findall(r"^ExecStart=/opt/quarry/bin/quarry (.+)$", (ROOT / "deploy" / unit).read_text(), re.MULTILINE)
    command = CliRunner().invoke(main, [*line.split(), "--help"])
    assert command.exit_code == 0, command.output


def test_where_no_table_changes_what_was_flown_is_still_read_anew(monkeypatch):
    called = []
    monkeypatch.setattr(cli, "_set_up", lambda **_: None)
    monkeypatch.setattr(cli, "_let_use", lambda _program: None)
    monkeypatch.setattr(health, "unknown_migrations", list)
    monkeypatch.setattr(health, "pending_migrations", list)
    monkeypatch.setattr("django.core.management.call_command", lambda *words: called.append(words))
    told = CliRunner().invoke(main, ["migrate"])
    assert (told.exit_code, "as this program wants them" in told.output) == (0, True)
    assert called == [("refresh_flown",)]
