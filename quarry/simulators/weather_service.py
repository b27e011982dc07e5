"""A stand-in for a weather service: simulated hourly forecasts and reports over HTTP on loopback.

Scenarios are made of a few curves and a seed; nothing is looked up anywhere. ``/hourly?lon=&lat=`` gives JSON,
``/report?lon=&lat=`` a METAR, ``/`` one line. ``&scenario=`` asks for another than the day's.
"""

from __future__ import annotations

import argparse
import json
import math
import random
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

SCENARIOS = ("gusty afternoon", "front after noon", "frost morning", "calm", "damp")
HEIGHTS = (10.0, 50.0, 100.0, 150.0)
HOURS_AHEAD = 72


def scenario_of(days_ahead: int) -> str:
    """Return the weather of a day, counted from today: today gusty, tomorrow a front, then frost, calm and damp."""
    return SCENARIOS[days_ahead % len(SCENARIOS)]


def _bell(x: float, middle: float, width: float) -> float:
    return math.exp(-(((x - middle) / width) ** 2))


def _air(hour: float, scenario: str) -> dict[str, float]:
    """Return the air of an hour of the day, in UTC: wind at 10 m, gust factor, bearing, temperature, spread, wet and dark."""
    sun = math.sin((hour - 8.5) / 24 * 2 * math.pi)
    base = {"wind": 3.6 + 0.9 * sun, "gust": 1.45, "from": 238.0, "air": 10.5 + 4.0 * sun, "spread": 5.0 + 2.5 * sun}
    base |= {"rain": 0.0, "snow": 0.0, "base": 900.0, "visibility": 24_000.0, "pressure": 991.0}
    if scenario == "front after noon":
        past = 1 / (1 + math.exp(-(hour - 14.0) * 3))
        blow = _bell(hour, 14.6, 2.0)
        base |= {
            "wind": 3.2 + 0.9 * max(sun, -0.4) + 3.6 * blow + 1.4 * past,
            "gust": 1.42 + 0.3 * blow,
            "from": 226.0 + 62.0 * past,
        }
        base |= {"air": base["air"] - 3.6 * past, "spread": 4.4 - 3.0 * blow + 1.2 * past, "rain": 3.4 * _bell(hour, 14.7, 0.8)}
        base |= {"base": 820.0 - 480.0 * blow, "visibility": 24_000.0 - 17_000.0 * blow, "pressure": 986.0 - 4.0 * blow}
    elif scenario == "frost morning":
        base |= {"wind": 1.6 + 1.5 * max(sun, 0.0), "from": 20.0, "air": -2.0 + 4.6 * sun, "spread": 1.9 + 2.4 * max(sun, -0.3)}
        base |= {"visibility": 5200.0 + 9000.0 * max(sun, 0.0), "base": 4000.0, "pressure": 1009.0}
    elif scenario == "calm":
        base |= {
            "wind": 1.5 + 0.9 * max(sun, 0.0),
            "from": 150.0,
            "air": 13.0 + 5.0 * sun,
            "spread": 7.0 + 3.0 * sun,
            "base": 6000.0,
        }
    elif scenario == "gusty afternoon":
        base |= {"wind": 4.2 + 2.6 * max(sun, 0.0), "gust": 1.5 + 0.25 * max(sun, 0.0), "from": 285.0, "base": 1200.0}
    else:
        base |= {"wind": 2.3, "from": 95.0, "air": 6.0 + 1.2 * sun, "spread": 0.6 + 0.5 * max(sun, 0.0), "base": 140.0}
        base |= {"visibility": 1900.0, "rain": 0.4 * _bell(hour, 10.0, 3.0)}
    return base


def hourly(now: datetime, lon: float, lat: float, scenario: str | None = None) -> dict[str, Any]:
    """Return the forecast as a service would send it, made on the hour."""
    begins = now.replace(hour=0, minute=0, second=0, microsecond=0)
    hours = []
    for k in range(HOURS_AHEAD + 24):
        at = begins + timedelta(hours=k)
        which = scenario or scenario_of(k // 24)
        # Counted from today, as the scenarios are: the same demo on whatever date it is started.
        chance = random.Random(f"{k} {round(lon, 1)} {round(lat, 1)} {which}")  # noqa: S311 - a made-up sky
        air = _air(at.hour + 0.5, which)
        mean = max(0.3, air["wind"] * chance.gauss(1, 0.03))
        levels = []
        for height in HEIGHTS:
            up = mean * (height / 10.0) ** 0.15
            turn = 9.0 * math.log(height / 10.0) / math.log(15.0)
            gust = up * (1 + (air["gust"] - 1) * (10.0 / height) ** 0.12)
            levels.append(
                {
                    "height_m": height,
                    "wind_m_s": round(up, 1),
                    "from_deg": round((air["from"] + turn) % 360),
                    "gust_m_s": round(gust, 1),
                }
            )
        hours.append(
            {
                "at": at.isoformat(),
                "levels": levels,
                "air_c": round(air["air"] + chance.gauss(0, 0.2), 1),
                "dew_point_c": round(air["air"] - max(air["spread"], 0.1), 1),
                "pressure_hpa": round(air["pressure"], 1),
                "rain_mm_h": round(air["rain"], 1) if air["rain"] >= 0.1 else 0.0,
                "snow_mm_h": 0.0,
                "cloud_base_m": round(air["base"], -1) if air["base"] < 5500 else None,
                "visibility_m": round(air["visibility"], -2),
                "thunder": False,
            }
        )
    made = now.replace(minute=0, second=0, microsecond=0)
    return {"issued_at": made.isoformat(), "source": "simulated weather service", "hours": hours}


def report(now: datetime, lon: float, lat: float, scenario: str | None = None) -> str:
    """Return a report of an invented station in METAR form."""
    made = hourly(now, lon, lat, scenario)
    hour = made["hours"][now.hour]
    low = hour["levels"][0]
    knots, gust = round(low["wind_m_s"] / 0.514444), round(low["gust_m_s"] / 0.514444)
    wind = f"{round(low['from_deg'] / 10) * 10 % 360:03}{knots:02}{f'G{gust:02}' if gust >= knots + 10 else ''}KT"
    seen = min(9999, int(hour["visibility_m"] // 100 * 100))
    weather = " RA" if hour["rain_mm_h"] >= 0.3 else (" BR" if seen < 5000 else "")
    sky = "NSC" if hour["cloud_base_m"] is None else f"BKN{round(hour['cloud_base_m'] / 30.48):03}"

    def celsius(value: float) -> str:
        return f"{'M' if round(value) < 0 else ''}{abs(round(value)):02}"

    time = f"{now:%d}{now:%H}{'50' if now.minute >= 50 else '20' if now.minute >= 20 else '00'}Z"
    return f"METAR ZZZZ {time} {wind} {seen:04}{weather} {sky} {celsius(hour['air_c'])}/{celsius(hour['dew_point_c'])} Q1009"


class Handler(BaseHTTPRequestHandler):
    """Answers ``/hourly``, ``/report`` and ``/``."""

    def do_GET(self) -> None:
        """Answer a request."""
        asked = urlsplit(self.path)
        query = {k: v[0] for k, v in parse_qs(asked.query).items()}
        now = datetime.now(UTC)
        try:
            lon, lat = float(query.get("lon", 0)), float(query.get("lat", 0))
        except ValueError:
            self.send_error(400)
            return
        which = query.get("scenario") if query.get("scenario") in SCENARIOS else None
        if asked.path == "/":
            body = b"simulated weather service\n"
        elif asked.path == "/hourly":
            body = json.dumps(hourly(now, lon, lat, which)).encode()
        elif asked.path == "/report":
            body = report(now, lon, lat, which).encode()
        else:
            self.send_error(404)
            return
        self.send_response(200)
        self.send_header("Content-Type", "application/json" if asked.path == "/hourly" else "text/plain; charset=utf-8")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_args: object) -> None:
        """Stay silent."""


def main() -> None:
    """Serve until ended."""
    parser = argparse.ArgumentParser(description="Simulated weather service.")
    parser.add_argument("--port", type=int, required=True)
    ThreadingHTTPServer(("127.0.0.1", parser.parse_args().port), Handler).serve_forever()


if __name__ == "__main__":
    main()
