"""The rehearsal service: plays the world outside for every rehearsal under way, and tells the server as a real bridge would.

It reads what each rehearsal is made of, steps its simulated world by the clock of the rehearsal, and posts events and
readings from the air to the server's API. What it could not post it posts again; the server takes each event once.
"""

from __future__ import annotations

import argparse
import json
import logging
import os
import ssl
import sys
import time
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any
from urllib.error import HTTPError, URLError
from urllib.request import Request, urlopen

if TYPE_CHECKING:
    from quarry.apps.day.models import DayRun
    from quarry.core.day.rehearsal import World

log = logging.getLogger(__name__)
_IDLE_S = 0.4
_BUSY_S = 0.1
_AIR_S = 1.0
_WAIT_S = 10.0


class Refused(Exception):
    """The server has answered, and does not want this."""


class Bridge:
    """Posts to the server's API in the name of the person who began the rehearsal."""

    def __init__(self, server: str, token: str) -> None:
        self.server, self.token = server, token
        # The server is this machine's own; its certificate is made for the crew's network, not for loopback.
        self.tls = ssl._create_unverified_context() if server.startswith("https") else None  # noqa: S323

    def post(self, path: str, body: dict[str, Any]) -> None:
        """Post, or raise `OSError` without an answer and `Refused` with one that is no."""
        data = json.dumps(body).encode()
        headers = {"Content-Type": "application/json", "Authorization": f"Bearer {self.token}"}
        request = Request(f"{self.server}{path}", data, headers)  # noqa: S310 - the product's own server
        try:
            with urlopen(request, timeout=_WAIT_S, context=self.tls):  # noqa: S310
                return
        except HTTPError as bad:
            if bad.code >= 500:
                raise URLError(f"the server is not well: {bad.code}") from bad
            raise Refused(f"{path}: {bad.code} {bad.read(300).decode(errors='replace')}") from bad


@dataclass(slots=True)
class Played:
    """A rehearsal at the service: its world, what was not posted yet, when the air was told of last."""

    world: World
    bridge: Bridge
    faults: int = 0
    owed: list[dict[str, Any]] = field(default_factory=list)
    air_at: float = 0.0


class RehearsalService:
    """Plays every rehearsal of a database whose clock runs."""

    def __init__(self, server: str) -> None:
        self.server = server
        self.played: dict[Any, Played] = {}
        self.given_up: set[Any] = set()

    def turn(self) -> bool:
        """Play each rehearsal up to now, and look back on one that is over; returns whether any is under way."""
        from django.db import DatabaseError
        from django_scopes import scope, scopes_disabled

        from quarry.apps.day import services
        from quarry.apps.day.models import DayRun

        with scopes_disabled():
            mine = DayRun.objects.filter(clock_at__isnull=False, day__archived_at=None)
            mine = mine.select_related("day", "organisation", "started_by")
            runs = list(mine.filter(speed__gt=0))
            over = mine.filter(closed_at__isnull=False).exclude(rehearsal__has_key="better").exclude(pk__in=self.given_up).first()
        self.played = {r.pk: self.played[r.pk] for r in runs if r.pk in self.played}
        for run in runs:
            with scope(organisation=run.organisation):
                try:
                    self._play(run)
                except OSError as bad:
                    log.info("the server does not answer: %s", bad)
                except Refused as bad:
                    log.warning("refused: %s", bad)
                except DatabaseError:
                    raise
                except Exception:
                    # One rehearsal that cannot go on stands still; the service plays the others.
                    log.exception("the rehearsal %s stands still", run.day_id)
                    services.halt_rehearsal(run=run)
        if over is not None:
            with scope(organisation=over.organisation):
                try:
                    services.look_back(run=over)
                except DatabaseError:
                    raise
                except Exception:
                    log.exception("nobody looks back on the rehearsal %s", over.day_id)
                    self.given_up.add(over.pk)
        return bool(runs)

    def _play(self, run: DayRun) -> None:
        from quarry.apps.accounts.tokens import bridge_token
        from quarry.apps.day import mappers
        from quarry.apps.day.queries import clock_of, events_of, when_of
        from quarry.apps.day.repository import frame_of, rehearsal_from
        from quarry.apps.day.services import go_on_playing, remember_world

        go_on_playing(run=run)
        kept, rehearsal = frame_of(run), rehearsal_from(run)
        frame = kept.core()
        played = self.played.get(run.pk)
        if played is None:
            played = Played(
                mappers.world_of(rehearsal, frame, kept.scatter), Bridge(self.server, bridge_token(run.started_by, run.day_id))
            )
            self.played[run.pk] = played
        if len(rehearsal.faults) > len(played.world.faults):
            played.world.faults = list(rehearsal.faults)
        if played.owed:
            self._tell(run, played)
        events, now_s = events_of(run.day), clock_of(run)
        before = mappers.memory_of(played.world)
        happened, calls = mappers.play(run, kept, frame, played.world, events, now_s)
        if mappers.memory_of(played.world) != before:
            # Kept before it is told: a service that dies in between tells nothing twice under another key.
            remember_world(run=run, memory=mappers.memory_of(played.world))
        for e in happened:
            at = when_of(run, e.at_s).isoformat()
            event = {"key": f"{e.key}-{run.pk}"[:64], "kind": e.kind, "at": at, "figures": dict(e.figures)}
            played.owed.append(event)
        if played.owed:
            self._tell(run, played)
        elif time.monotonic() - played.air_at > _AIR_S:
            self._air(run, played, mappers.state_of(frame, events), now_s)
        if not happened and not rehearsal.by_hand and [c.kind for c in calls] == ["close"]:
            played.bridge.post(f"/api/days/{run.day_id}/close", {})

    def _tell(self, run: DayRun, played: Played) -> None:
        body = {"device": "rehearsal", "device_now": _now(), "events": played.owed}
        try:
            played.bridge.post(f"/api/days/{run.day_id}/events", body)
        except Refused:
            played.owed = []
            raise
        played.owed = []

    def _air(self, run: DayRun, played: Played, state: Any, now_s: float) -> None:
        """Post what aircraft and chargers tell."""
        figures = ("left_frac", "lowest_v", "pack_c", "home_frac", "satellites", "from_home_m", "cells_v", "lon_deg", "lat_deg")
        air = [
            {"flight": t.flight, "at": _now()} | {k: getattr(t, k) for k in figures} for t in played.world.telemetry(state, now_s)
        ]
        ports = [
            {"port": r.port, "at": _now(), "pack_v": r.pack_v, "into_a": r.into_a, "frac": r.frac}
            for r in played.world.chargers(state, now_s)
        ]
        if air or ports:
            played.bridge.post(f"/api/days/{run.day_id}/telemetry", {"readings": air, "ports": ports})
            played.air_at = time.monotonic()


def _now() -> str:
    return datetime.now(UTC).isoformat()


def main() -> int:
    """Play until ended."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--server", required=True, help="address of the server, such as http://127.0.0.1:8640")
    given = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "quarry.project.settings")
    import django
    from django.db import DatabaseError, close_old_connections

    django.setup()
    service = RehearsalService(given.server)
    while True:
        try:
            busy = service.turn()
        except DatabaseError as bad:
            log.warning("the database does not answer as expected: %s", bad)
            close_old_connections()
            busy = False
            time.sleep(_WAIT_S / 5)
        time.sleep(_BUSY_S if busy else _IDLE_S)


if __name__ == "__main__":
    sys.exit(main())
