"""Adds a company of one's own beside the demo, while that runs: `make company NAME="North Crew" LEAD=lena`."""

from __future__ import annotations

import os
import subprocess
import sys

from quarry.project.demo import ROOT, STATE, alive, kept_secrets


def main() -> int:
    """Run ``add_company`` on the database of the running demo; returns its exit code."""
    there = alive(STATE / "demo.pid")
    database = os.environ.get("QUARRY_DATABASE_URL") or (there or {}).get("database")
    if not database:
        sys.stderr.write("Nothing runs here. Start it first with `make demo`, then add your company in another terminal.\n")
        return 1
    env = {
        **os.environ,
        "QUARRY_SECRET_KEY": kept_secrets()["secret_key"],
        "DJANGO_SETTINGS_MODULE": "quarry.project.settings",
        "QUARRY_DATABASE_URL": str(database),
    }
    return subprocess.run(
        [sys.executable, str(ROOT / "manage.py"), "add_company", *sys.argv[1:]], env=env, check=False
    ).returncode


if __name__ == "__main__":
    raise SystemExit(main())
