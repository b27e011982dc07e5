"""`make bench` prints all tables; `make bench INSTANCES=folder` only those instances against their references."""

import sys
from pathlib import Path

from bench import (
    covered,
    foreign,
    instances,
    kills,
    large,
    laws,
    lists,
    live,
    logs,
    opening,
    others,
    pages,
    promise,
    samples,
    searches,
    server,
    shelf,
    speed,
)

OWN = Path(__file__).parents[1] / "tests" / "reference" / "instances"

if len(sys.argv) > 1:
    sys.exit(instances.table(Path(sys.argv[1])))
speed.coverage()
speed.grounds()
speed.sorties()
speed.growth()
speed.rotation()
failed = instances.table(OWN)
others.table()
large.table()
covered.table()
laws.table()
promise.table()
searches.table()
server.table()
lists.table()
live.table()
shelf.table()
logs.table()
foreign.table()
samples.table()
pages.table()
opening.table()
kills.table()
sys.exit(failed)
