"""A telemetry bridge: reports rows of CSV to the day that runs. Standard library alone; take it as a beginning of your own.

    QUARRY_TOKEN=gqt_... python examples/bridge.py https://van.example readings.csv [times as fast]

Columns: seconds from the first row; aircraft (its name in the fleet) or port (its number); then any of left_frac, lowest_v,
pack_c, satellites, from_home_m, lon_deg, lat_deg of an aircraft, and pack_v, into_a, frac of a port. With - for the file,
rows are reported as they come on standard input. QUARRY_CA names the file of an authority of your own.
"""

import csv
import json
import os
import ssl
import sys
import time
from datetime import datetime, timezone
from urllib.request import Request, urlopen

server, source, speed = sys.argv[1].rstrip("/"), sys.argv[2], float(sys.argv[3]) if len(sys.argv) > 3 else 1.0
trust = ssl.create_default_context(cafile=os.environ.get("QUARRY_CA"))


def ask(method: str, path: str, body: object = None) -> dict:
    head = {"Authorization": f"Bearer {os.environ['QUARRY_TOKEN']}", "Content-Type": "application/json"}
    request = Request(server + "/api" + path, json.dumps(body).encode() if body is not None else None, head, method=method)
    with urlopen(request, timeout=20, context=trust if server.startswith("https") else None) as answer:
        return json.loads(answer.read() or b"null")


running = ask("GET", "/token")["running"]
if not running:
    sys.exit("No day runs. Start one first.")
day = running[0]["id"]
begun, sent = time.monotonic(), 0
for row in csv.DictReader(sys.stdin if source == "-" else open(source, newline="")):
    time.sleep(max(0.0, float(row.pop("seconds")) / speed - (time.monotonic() - begun)) if source != "-" else 0.0)
    now, aircraft, port = datetime.now(timezone.utc).isoformat(), row.pop("aircraft", ""), row.pop("port", "")
    figures = {name: float(value) for name, value in row.items() if value}
    flies = {a["name"]: a["flight"] for a in ask("GET", f"/days/{day}/live")["live"]["aircraft"]} if aircraft else {}
    readings = [{"flight": flies[aircraft], "at": now, **figures}] if flies.get(aircraft) else []
    ports = [{"port": int(port), "at": now, **figures}] if port else []
    if readings or ports:
        ask("POST", f"/days/{day}/telemetry", {"device_now": now, "readings": readings, "ports": ports})
        sent += 1
print(f"{sent} readings reported.")
