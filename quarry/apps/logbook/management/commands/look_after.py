"""Looks after work on the queue that was broken off; one such process is enough for any number of workers."""

from __future__ import annotations

import logging
import math
import time
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection

from quarry.apps.background import take_up, tidy

log = logging.getLogger(__name__)
_TIDY_S = 3600.0


class Command(BaseCommand):
    """Take up what was broken off, again and again, and clear away once an hour what nobody needs."""

    help = "Begin again what a worker or the server broke off, until told to stop."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Take how often to look."""
        parser.add_argument("--every", type=float, default=10.0, help="seconds between two looks")

    def handle(self, *_args: Any, **options: Any) -> None:
        """Run until a signal ends it."""
        tidied = -math.inf
        while True:
            try:
                take_up()
                if time.monotonic() - tidied > _TIDY_S:
                    tidied = time.monotonic()
                    log.info("cleared away: %s", tidy())
            except Exception:
                log.exception("what was broken off cannot be looked for")
            finally:
                connection.close()
            time.sleep(options["every"])
