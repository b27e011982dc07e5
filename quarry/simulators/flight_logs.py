"""Logs of flights that were never flown: a simulated aircraft on a simulated pack, written down as different makers would.

What is true of it (`Truth`) is known, so that reading it back can be checked. The physics is simple and its own: rest volts
over charge, less current times resistance; power by air speed; heat in, heat out; a wind that shifts the ground track.
"""

from __future__ import annotations

import functools
import io
import math
import random
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from quarry.core.cells.chemistry import CHEMISTRIES
from quarry.core.cells.ocv import ocv_v
from quarry.core.cells.resistance import REFERENCE_C, USUAL_B_K, ZERO_C_K
from quarry.core.flight.energy import Airframe

_M_DEG = 111_195.0


@dataclass(frozen=True, slots=True)
class Truth:
    """What is true of a simulated flight.

    ``power_times``: how many times the claimed power it draws; ``capacity_ah`` and ``cell_25_ohm`` of its pack;
    ``knee_frac``: from where the shown percent falls ``knee_times`` as fast (0: nowhere). ``lines``: what it flies, as
    (longitude, latitude) [°]; without any it flies lines to and fro beside home. It hovers ``turn_s`` at each corner and turns
    home after ``seconds``.
    """

    craft: Airframe
    cells: int = 6
    capacity_ah: float = 16.0
    cell_25_ohm: float = 0.002
    power_times: float = 1.0
    chemistry: str = "lipo"
    air_c: float = 12.0
    start_c: float = 18.0
    start_frac: float = 0.99
    wind_m_s: float = 4.0
    wind_from_deg: float = 240.0
    air_m_s: float = 9.0
    turn_s: float = 0.0
    line_m: float = 260.0
    spacing_m: float = 25.0
    bearing_deg: float = 35.0
    height_m: float = 55.0
    home: tuple[float, float] = (-4.31, 55.12)
    seconds: float = 900.0
    step_s: float = 0.5
    knee_frac: float = 0.0
    knee_times: float = 2.0
    weak_cell: int = 0
    serial: str = ""
    firmware: str = "3.1"
    began: datetime = datetime(2031, 4, 2, 9, 12, tzinfo=UTC)
    warn_frac: float = 0.3
    lines: tuple[tuple[tuple[float, float], ...], ...] = ()


@dataclass(slots=True)
class Row:
    """One sample as it truly was, before anybody wrote it down."""

    t: float
    frac: float
    cell_v: list[float]
    amps: float
    used_ah: float
    pack_c: float
    height_m: float
    speed_m_s: float
    lon: float
    lat: float
    mode: str
    warning: str


@dataclass(slots=True)
class _Craft:
    """Where it is and what it is about."""

    east: float = 0.0
    north: float = 0.0
    height: float = 0.0
    plan: list[tuple[str, float, float]] = field(default_factory=list)
    turning_s: float = 0.0
    homeward: bool = False


def fly(truth: Truth, seed: int) -> list[Row]:
    """Return the samples of a flight: half a minute on the ground, the flight, half a minute on the ground."""
    chance = random.Random(seed * 6151 + 17)  # noqa: S311 - a stand-in, not a secret
    chemistry = CHEMISTRIES[truth.chemistry]
    curve, model = chemistry.curves[0], truth.craft.model
    craft = _Craft(plan=_route(truth))
    level_w = functools.lru_cache(maxsize=None)(lambda v: float(model.power_w(v, 0.0, 1.225, 0.0)))
    used, pack_c, t, rows = 0.0, truth.start_c, 0.0, []
    heat_c = (
        95.0 * truth.capacity_ah * truth.cells / 3.6
    )  # J/K, about a kilogram for each 200 Wh; what stands about it warms it too
    loss_w_k = heat_c / 2800.0
    leg, aloft_s, ground_until = 0, 0.0, 30.0
    landed_at = math.inf
    while t < landed_at + 30.0:
        flying = t >= ground_until and landed_at == math.inf
        mode, air, climb, ground = "standby", 0.0, 0.0, (0.0, 0.0)
        if flying:
            aloft_s += truth.step_s
            leg, mode, air, climb, ground = _step(craft, truth, leg, aloft_s)
            if mode == "down":
                landed_at, mode = t, "standby"
                flying = False
        frac = truth.start_frac - used / truth.capacity_ah
        gust = chance.gauss(1.0, 0.05)
        power = 0.0
        if flying:
            rises = max(0.0, climb) * (truth.craft.mass_kg or 0.0) * 9.80665 / 0.8
            power = truth.power_times * (level_w(round(air, 2)) + rises) * gust
        else:
            power = 12.0
        ohm = truth.cell_25_ohm * math.exp(USUAL_B_K * (1 / (pack_c + ZERO_C_K) - 1 / (REFERENCE_C + ZERO_C_K)))
        rest = ocv_v(curve, min(1.0, max(0.0, frac)))
        pack_rest, pack_ohm = rest * truth.cells, ohm * truth.cells
        under = max(0.0, pack_rest**2 - 4 * power * pack_ohm)
        amps = (pack_rest - math.sqrt(under)) / (2 * pack_ohm)
        cells = [
            rest - amps * ohm * (2.2 if k == truth.weak_cell else 1.0) + chance.gauss(0, 0.003) for k in range(1, truth.cells + 1)
        ]
        pack_c += truth.step_s * (3.0 * amps**2 * ohm * truth.cells - loss_w_k * (pack_c - truth.air_c)) / heat_c
        shown = _shown(frac, truth)
        rows.append(
            Row(
                t,
                shown,
                cells,
                amps + chance.gauss(0, 0.15),
                used,
                pack_c,
                craft.height + chance.gauss(0, 0.08),
                math.hypot(*ground),
                truth.home[0] + craft.east / (_M_DEG * math.cos(math.radians(truth.home[1]))),
                truth.home[1] + craft.north / _M_DEG,
                mode,
                "" if shown > truth.warn_frac else "Low battery" if shown > 0.15 else "Critical: land now",
            )
        )
        used += amps * truth.step_s / 3600.0
        t += truth.step_s
    return rows


def work_s(truth: Truth) -> float:
    """Return how long the work of a flight takes: out, all of its lines, its turns, home and down. [s]"""
    wind_to = math.radians(truth.wind_from_deg + 180.0)
    wind = (truth.wind_m_s * math.sin(wind_to), truth.wind_m_s * math.cos(wind_to))
    corners = [(0.0, 0.0), *((x, y) for _, x, y in _route(truth)), (0.0, 0.0)]
    total = truth.height_m / 2.5 + 20.0 + truth.height_m / 2.0 + truth.turn_s * (len(corners) - 2)
    for (x0, y0), (x1, y1) in pairwise(corners):
        far = math.hypot(x1 - x0, y1 - y0)
        total += far / _over_ground_m_s(truth, wind, (x1 - x0) / max(far, 1e-6), (y1 - y0) / max(far, 1e-6))
    return total


def _shown(frac: float, truth: Truth) -> float:
    """Return the percent on the screen: what is left, or less of it below the knee."""
    if not truth.knee_frac or frac >= truth.knee_frac:
        return max(0.0, frac)
    return max(0.0, truth.knee_frac - (truth.knee_frac - frac) * truth.knee_times)


def _route(truth: Truth) -> list[tuple[str, float, float]]:
    """Return the corners of the flight in metres from home: lines to and fro, then home, as long as it flies."""
    if truth.lines:
        return _along(truth)
    b = math.radians(truth.bearing_deg)
    along, across = (math.sin(b), math.cos(b)), (math.cos(b), -math.sin(b))
    start = (60.0 * along[0] + 80.0 * across[0], 60.0 * along[1] + 80.0 * across[1])
    corners = [("transit", *start)]
    for k in range(200):
        far = k % 2 == 0
        off = k * truth.spacing_m
        for end in (0.0, truth.line_m) if far else (truth.line_m, 0.0):
            x = start[0] + end * along[0] + off * across[0]
            y = start[1] + end * along[1] + off * across[1]
            corners.append(("line", x, y))
    return corners


def _along(truth: Truth) -> list[tuple[str, float, float]]:
    """Return the corners of given lines in metres from home."""
    east = _M_DEG * math.cos(math.radians(truth.home[1]))
    corners = []
    for line in truth.lines:
        for k, (lon, lat) in enumerate(line):
            corners.append(("line" if k else "transit", (lon - truth.home[0]) * east, (lat - truth.home[1]) * _M_DEG))
    return corners


def _step(craft: _Craft, truth: Truth, leg: int, aloft_s: float) -> tuple[int, str, float, float, tuple[float, float]]:
    """Move the aircraft by one step; returns (leg, mode, air speed, climb, ground velocity)."""
    wind_to = math.radians(truth.wind_from_deg + 180.0)
    wind = (truth.wind_m_s * math.sin(wind_to), truth.wind_m_s * math.cos(wind_to))
    home_far = math.hypot(craft.east, craft.north)
    ux, uy = -craft.east / max(home_far, 1e-6), -craft.north / max(home_far, 1e-6)
    way_s = home_far / _over_ground_m_s(truth, wind, ux, uy) + truth.height_m / 2.0
    # Once homeward it stays so, though the way gets shorter.
    craft.homeward = craft.homeward or leg >= len(craft.plan) or aloft_s > truth.seconds - way_s
    going_home = craft.homeward
    if craft.height < truth.height_m - 0.5 and not going_home and leg == 0:
        craft.height += 2.5 * truth.step_s
        return leg, "climb", truth.wind_m_s, 2.5, (0.0, 0.0)
    if aloft_s < truth.height_m / 2.5 + 20.0:
        return leg, "hover", truth.wind_m_s, 0.0, (0.0, 0.0)
    if craft.turning_s > 0 and not going_home:
        craft.turning_s -= truth.step_s
        return leg, "turn", truth.wind_m_s, 0.0, (0.0, 0.0)
    name, x, y = ("home", 0.0, 0.0) if going_home else craft.plan[min(leg, len(craft.plan) - 1)]
    dx, dy = x - craft.east, y - craft.north
    far = math.hypot(dx, dy)
    if going_home and far < 4.0:
        craft.east = craft.north = 0.0
        craft.height -= 2.0 * truth.step_s
        if craft.height <= 0.05:
            craft.height = 0.0
            return leg, "down", 0.0, 0.0, (0.0, 0.0)
        return leg, "landing", truth.wind_m_s, -2.0, (0.0, 0.0)
    # Crab into the wind: the air speed is held, the ground track goes to the corner.
    ux, uy = dx / max(far, 1e-6), dy / max(far, 1e-6)
    speed = _over_ground_m_s(truth, wind, ux, uy)
    move = min(far, speed * truth.step_s)
    craft.east += ux * move
    craft.north += uy * move
    if far - move < 0.5 and not going_home:
        leg += 1
        craft.turning_s = truth.turn_s
    return leg, name, truth.air_m_s, 0.0, (ux * speed, uy * speed)


def _over_ground_m_s(truth: Truth, wind: tuple[float, float], ux: float, uy: float) -> float:
    """Return the ground speed in a direction with the air speed held."""
    side = wind[0] * uy - wind[1] * ux
    return max(1.0, math.sqrt(max(1.0, truth.air_m_s**2 - side**2)) + wind[0] * ux + wind[1] * uy)


Writer = Callable[[Truth, Sequence[Row]], bytes]


def plain_seconds(truth: Truth, rows: Sequence[Row]) -> bytes:
    """Commas; seconds since it was switched on; percent, volts, amperes; the pack's number above the table."""
    head = f"# aircraft: simulated\n# battery serial: {truth.serial}\n# firmware: {truth.firmware}\n"
    names = ["elapsed_s", "battery_pct", *[f"cell{k}_V" for k in range(1, truth.cells + 1)], "current_A", "used_mAh", "temp_C"]
    names += ["height_m", "speed_mps", "lat", "lon", "mode", "warning"]
    lines = [
        ",".join(
            [
                f"{r.t:.1f}",
                f"{100 * r.frac:.0f}",
                *[f"{v:.3f}" for v in r.cell_v],
                f"{r.amps:.2f}",
                f"{1000 * r.used_ah:.0f}",
                f"{r.pack_c:.1f}",
                f"{r.height_m:.2f}",
                f"{r.speed_m_s:.2f}",
                f"{r.lat:.7f}",
                f"{r.lon:.7f}",
                r.mode,
                r.warning,
            ]
        )
        for r in rows
    ]
    return (head + ",".join(names) + "\n" + "\n".join(lines) + "\n").encode()


def comma_decimals(truth: Truth, rows: Sequence[Row], zone: str = "Europe/London") -> bytes:
    """Semicolons and decimal commas, day before month, local clock, kilometres per hour; Windows signs."""
    names = ["Datum Zeit", "Ladung [%]", "Spannung [V]", "Strom [A]", "Verbrauch [mAh]", "Akkutemperatur [°C]", "Höhe [m]"]
    names += ["Geschwindigkeit [km/h]", "Breite", "Länge", "Modus", "Warnung", "Seriennummer Akku"]
    local = truth.began.astimezone(ZoneInfo(zone))

    def comma(value: float, digits: int) -> str:
        return f"{value:.{digits}f}".replace(".", ",")

    lines = [
        ";".join(
            [
                f"{local + timedelta(seconds=r.t - 30):%d.%m.%Y %H:%M:%S,%f}"[:-3],
                f"{100 * r.frac:.0f}",
                comma(sum(r.cell_v), 2),
                comma(r.amps, 2),
                f"{1000 * r.used_ah:.0f}",
                comma(r.pack_c, 1),
                comma(r.height_m, 1),
                comma(3.6 * r.speed_m_s, 1),
                comma(r.lat, 7),
                comma(r.lon, 7),
                r.mode,
                r.warning,
                truth.serial,
            ]
        )
        for r in rows
    ]
    return (";".join(names) + "\r\n" + "\r\n".join(lines) + "\r\n").encode("cp1252")


def small_units(truth: Truth, rows: Sequence[Row]) -> bytes:
    """Tabs and a row of units; milliseconds since 1970; millivolts, milliamperes, degrees and feet of another custom."""
    cells = [f"cell_{k}" for k in range(1, truth.cells + 1)]
    names = [
        "timestamp",
        "soc",
        *cells,
        "current",
        "temperature",
        "altitude",
        "ground_speed",
        "latitude",
        "longitude",
        "fw",
        "battery_sn",
    ]
    units = ["ms", "%", *["mV" for _ in cells], "mA", "°F", "ft", "kn", "deg", "deg", "", ""]
    zero = truth.began.timestamp() * 1000
    lines = [
        "\t".join(
            [
                f"{zero + 1000 * (r.t - 30):.0f}",
                f"{100 * r.frac:.0f}",
                *[f"{1000 * v:.0f}" for v in r.cell_v],
                f"{1000 * r.amps:.0f}",
                f"{r.pack_c * 9 / 5 + 32:.1f}",
                f"{r.height_m / 0.3048:.1f}",
                f"{r.speed_m_s * 3600 / 1852:.2f}",
                f"{r.lat:.7f}",
                f"{r.lon:.7f}",
                truth.firmware,
                truth.serial,
            ]
        )
        for r in rows
    ]
    return ("\t".join(names) + "\n" + "\t".join(units) + "\n" + "\n".join(lines) + "\n").encode()


def camel_case(truth: Truth, rows: Sequence[Row]) -> bytes:
    """Commas and quotes; times of the world with a Z; shares instead of percent; miles per hour."""
    names = ["timeUtc", "batteryShare", "packVoltage_mV", "batteryCurrent_A", "packTemperature_C", "relativeAltitude_ft"]
    names += ["groundSpeed_mph", "gpsLat", "gpsLon", "numSats", "flightMode", "alert", "softwareVersion", "batterySerial"]
    lines = [
        ",".join(
            [
                f'"{(truth.began + timedelta(seconds=r.t - 30)).astimezone(UTC):%Y-%m-%dT%H:%M:%S.%f}'[:-3] + 'Z"',
                f"{r.frac:.3f}",
                f"{1000 * sum(r.cell_v):.0f}",
                f"{r.amps:.2f}",
                f"{r.pack_c:.1f}",
                f"{r.height_m / 0.3048:.2f}",
                f"{r.speed_m_s / 0.44704:.2f}",
                f"{r.lat:.7f}",
                f"{r.lon:.7f}",
                "17",
                f'"{r.mode}"',
                f'"{r.warning or "none"}"',
                truth.firmware,
                truth.serial,
            ]
        )
        for r in rows
    ]
    return (",".join(names) + "\n" + "\n".join(lines) + "\n").encode()


def odd_names(truth: Truth, rows: Sequence[Row]) -> bytes:
    """Names that nobody could know: a person has to say what they are."""
    names = ["t", "w1", "bus", "draw", "tmp1", "agl", "gs", "y", "x"]
    zero = truth.began.timestamp()
    lines = [
        ",".join(
            [
                f"{zero + r.t - 30:.1f}",
                f"{100 * r.frac:.0f}",
                f"{sum(r.cell_v):.2f}",
                f"{r.amps:.2f}",
                f"{r.pack_c:.1f}",
                f"{r.height_m:.1f}",
                f"{r.speed_m_s:.2f}",
                f"{r.lat:.7f}",
                f"{r.lon:.7f}",
            ]
        )
        for r in rows
    ]
    return (",".join(names) + "\n" + "\n".join(lines) + "\n").encode()


WRITERS: dict[str, Writer] = {
    "plain seconds": plain_seconds,
    "comma decimals": comma_decimals,
    "small units": small_units,
    "camel case": camel_case,
    "odd names": odd_names,
}


def archive(files: Sequence[tuple[str, bytes]]) -> bytes:
    """Return files as one zip."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files:
            made.writestr(name, data)
    return buffer.getvalue()
