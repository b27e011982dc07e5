"""Nozzles: flow by size and pressure, what gives a wanted rate, droplets by class.

Sizes, their flow at 3 bar and their colours stand as ISO 10625 has them, from memory; so do the bounds of the droplet classes. Which
class a nozzle gives at a pressure its maker says: it is entered, never guessed. The label of the product stands above all of it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import MissingInput, OutOfRange, require_range
from quarry.core.base.sources import ALGEBRA, DROPLETS, NOZZLE_SIZES, ORIFICE
from quarry.core.base.working import Step, formula, note_step
from quarry.core.spraying.rate import (
    LEAST_RATE_L_HA,
    MOST_RATE_L_HA,
    application_rate_l_ha,
    flow_for_rate_l_min,
    speed_for_flow_m_s,
    swath_for_flow_m,
)

REFERENCE_BAR = 3.0
_EPS = 1e-6


@dataclass(frozen=True, slots=True)
class NozzleSize:
    """A size of ISO 10625: its flow at 3 bar and the name of its colour. [L/min]"""

    name: str
    nominal_l_min: float
    colour: str


SIZES: tuple[NozzleSize, ...] = (
    NozzleSize("0075", 0.3, "pink"),
    NozzleSize("01", 0.4, "orange"),
    NozzleSize("015", 0.6, "green"),
    NozzleSize("02", 0.8, "yellow"),
    NozzleSize("025", 1.0, "lilac"),
    NozzleSize("03", 1.2, "blue"),
    NozzleSize("04", 1.6, "red"),
    NozzleSize("05", 2.0, "brown"),
    NozzleSize("06", 2.4, "grey"),
    NozzleSize("08", 3.2, "white"),
    NozzleSize("10", 4.0, "light blue"),
    NozzleSize("15", 6.0, "light green"),
    NozzleSize("20", 8.0, "black"),
)
BY_SIZE = {s.name: s for s in SIZES}

DropletClass = Literal[
    "extremely fine", "very fine", "fine", "medium", "coarse", "very coarse", "extremely coarse", "ultra coarse"
]
# Upper bounds of the volume median diameter of each class, from memory: the standard draws them by reference nozzles.
_CLASSES: tuple[tuple[float, DropletClass], ...] = (
    (60.0, "extremely fine"),
    (105.0, "very fine"),
    (235.0, "fine"),
    (340.0, "medium"),
    (403.0, "coarse"),
    (502.0, "very coarse"),
    (665.0, "extremely coarse"),
    (math.inf, "ultra coarse"),
)
CLASS_ORDER: tuple[DropletClass, ...] = tuple(name for _, name in _CLASSES)


def droplet_class(median_um: float) -> DropletClass:
    """Return the class of drops by their volume median diameter (ASABE S572.1, from memory). [µm]

    Examples
    --------
    >>> droplet_class(300.0)
    'medium'
    """
    require_range(median_um, 1.0, 5000.0, "median_um", "Median of the drops", "µm")
    found = next(name for bound, name in _CLASSES if median_um <= bound)
    note_step(
        Step("droplet_class", found, "", f"class of drops with a median of {median_um:.0f} µm", source=DROPLETS, kind="choice")
    )
    return found


@formula("flow of a nozzle = nominal × √(pressure ÷ 3 bar)", source=ORIFICE, result="nozzle_l_min")
def nozzle_l_min(nominal_l_min: float, pressure_bar: float) -> float:
    """Return the flow of a hydraulic nozzle. [L/min]

    Examples
    --------
    >>> nozzle_l_min(0.8, 3.0)
    0.8
    >>> round(nozzle_l_min(0.8, 12.0), 3)
    1.6
    """
    return nominal_l_min * math.sqrt(pressure_bar / REFERENCE_BAR)


@formula("pressure = 3 bar × (flow ÷ nominal)²", source=ORIFICE, result="pressure_bar")
def pressure_for_flow_bar(nozzle_l_min: float, nominal_l_min: float) -> float:
    """Return the pressure at which a hydraulic nozzle gives a flow. [bar]"""
    return REFERENCE_BAR * (nozzle_l_min / nominal_l_min) ** 2


@formula("flow of one = flow ÷ nozzles", source=ALGEBRA, result="nozzle_l_min")
def share_l_min(flow_l_min: float, nozzles_count: int) -> float:
    """Return what each of some nozzles gives of a flow. [L/min]"""
    return flow_l_min / nozzles_count


def nominal_of_l_min(size: str) -> float:
    """Return the flow of a size at 3 bar; raises `OutOfRange` where there is no such size. [L/min]"""
    if size not in BY_SIZE:
        raise OutOfRange(f"There is no size {size or '(none)'}. Sizes are {', '.join(BY_SIZE)}.", "nozzle_size")
    nominal = BY_SIZE[size].nominal_l_min
    words = f"flow of a nozzle of size {size}, {BY_SIZE[size].colour}, at 3 bar"
    note_step(Step("nominal_l_min", nominal, "L/min", words, source=NOZZLE_SIZES, kind="input"))
    return nominal


@dataclass(frozen=True, slots=True)
class Nozzles:
    """What an aircraft sprays with: hydraulic nozzles of a size between two pressures. [bar]"""

    size: str
    count: int
    least_bar: float
    most_bar: float

    def __post_init__(self) -> None:
        nominal_of_l_min(self.size)
        require_range(self.count, 1, 64, "nozzles_count", "Nozzles", "")
        require_range(self.least_bar, 0.3, 20.0, "least_bar", "Least pressure", "bar")
        require_range(self.most_bar, self.least_bar, 20.0, "most_bar", "Greatest pressure", "bar")

    @property
    def range_l_min(self) -> tuple[float, float]:
        """The flow of all of them at the least and at the greatest pressure. [L/min]"""
        nominal = nominal_of_l_min(self.size)
        return self.count * nozzle_l_min(nominal, self.least_bar), self.count * nozzle_l_min(nominal, self.most_bar)

    def gives(self, flow_l_min: float) -> bool:
        """Return whether they can give a flow."""
        low, high = self.range_l_min
        return low * (1 - _EPS) <= flow_l_min <= high * (1 + _EPS)

    def pressure_bar(self, flow_l_min: float) -> float:
        """Return the pressure at which they give a flow, within their range or not. [bar]"""
        return pressure_for_flow_bar(share_l_min(flow_l_min, self.count), nominal_of_l_min(self.size))


@dataclass(frozen=True, slots=True)
class Atomisers:
    """Rotary atomisers: how many, the flow that one takes, and the median of its drops by speed, slowest first. [L/min, 1/min, µm]"""

    count: int
    least_l_min: float
    most_l_min: float
    drops: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        require_range(self.count, 1, 16, "count", "Atomisers", "")
        require_range(self.least_l_min, 0.01, 50.0, "least_l_min", "Least flow", "L/min")
        require_range(self.most_l_min, self.least_l_min, 50.0, "most_l_min", "Greatest flow", "L/min")
        speeds = [rpm for rpm, _ in self.drops]
        if speeds != sorted(set(speeds)):
            raise OutOfRange("Speeds must rise from row to row, each once.", "drops")

    @property
    def range_l_min(self) -> tuple[float, float]:
        """The flow of all of them. [L/min]"""
        return self.count * self.least_l_min, self.count * self.most_l_min

    def median_um(self, speed_rpm: float) -> float:
        """Return the median of the drops at a speed, straight between two rows of its table; raises `OutOfRange` beyond it. [µm]"""
        if not self.drops:
            raise MissingInput("No drops are entered for these atomisers. Take them from the maker's table.", "drops")
        low, high = self.drops[0][0], self.drops[-1][0]
        require_range(speed_rpm, low, high, "speed_rpm", "Speed of the atomisers", "1/min")
        for (a, small), (b, large) in zip(self.drops, self.drops[1:], strict=False):
            if a <= speed_rpm <= b:
                return small + (large - small) * (speed_rpm - a) / (b - a)
        return self.drops[0][1]


def droplet_rows(lines: Sequence[str], field: str) -> list[tuple[float, DropletClass]]:
    """Return a maker's table of droplets from lines of pressure and class, pressures rising: "2; coarse". [bar]

    Raises
    ------
    OutOfRange
        A line is not such; the message says which.
    """
    rows: list[tuple[float, DropletClass]] = []
    for k, line in enumerate(lines, start=1):
        bar, _, word = (x.strip() for x in line.partition(";"))
        name = next((c for c in CLASS_ORDER if c == word.lower()), None)
        try:
            pressure = float(bar.replace(",", "."))
        except ValueError:
            pressure = math.nan
        if name is None or not 0 < pressure <= 20 or (rows and pressure <= rows[-1][0]):
            raise OutOfRange(
                f'Line {k} of the droplets is not "pressure in bar; class", pressures rising. Classes are {", ".join(CLASS_ORDER)}.',
                field,
            )
        rows.append((pressure, name))
    return rows


def drop_rows(lines: Sequence[str], field: str) -> tuple[tuple[float, float], ...]:
    """Return the median drops of a rotary atomiser from lines of speed and median, speeds rising: "8000; 210". [1/min, µm]

    Raises
    ------
    OutOfRange
        A line is not such; the message says which.
    """
    rows: list[tuple[float, float]] = []
    for k, line in enumerate(lines, start=1):
        try:
            speed, median = (float(x.strip().replace(",", ".")) for x in line.split(";"))
        except ValueError:
            speed = median = math.nan
        if not (0 < speed <= 60_000 and 1 <= median <= 5000) or (rows and speed <= rows[-1][0]):
            raise OutOfRange(f'Line {k} of the droplets is not "speed in 1/min; median in µm", speeds rising.', field)
        rows.append((speed, median))
    return tuple(rows)


def class_at(table: Sequence[tuple[float, DropletClass]], pressure_bar: float) -> DropletClass | None:
    """Return the class that a maker's table, from pressures rising, gives at a pressure: that of the last row at or below it.

    Between two rows drops are taken as coarse as at the lower pressure only up to the next row; below the first nothing is known.
    """
    found = None
    for bar, name in table:
        if bar <= pressure_bar + _EPS:
            found = name
    return found


@dataclass(frozen=True, slots=True)
class RateTask:
    """Rate, speed over ground, swath and flow, of which one is wanted: the one that is None. [L/ha, m/s, m, L/min]"""

    rate_l_ha: float | None
    speed_m_s: float | None
    swath_m: float | None
    flow_l_min: float | None


@dataclass(frozen=True, slots=True)
class RateFound:
    """All four of a rate. [L/ha, m/s, m, L/min]"""

    rate_l_ha: float
    speed_m_s: float
    swath_m: float
    flow_l_min: float


def solve_rate(t: RateTask) -> RateFound:
    """Return the fourth of rate, speed, swath and flow.

    Raises
    ------
    MissingInput
        Not exactly one of them is left open.
    OutOfRange
        One of them cannot be.
    """
    rate, speed, swath, flow = t.rate_l_ha, t.speed_m_s, t.swath_m, t.flow_l_min
    bounds: tuple[tuple[float | None, float, float, str, str, str], ...] = (
        (rate, LEAST_RATE_L_HA, MOST_RATE_L_HA, "rate_l_ha", "Application rate", "L/ha"),
        (speed, 0.5, 20.0, "speed_m_s", "Speed over ground", "m/s"),
        (swath, 0.5, 40.0, "swath_m", "Swath", "m"),
        (flow, 0.01, 200.0, "flow_l_min", "Flow", "L/min"),
    )
    for value, low, high, field, label, unit in bounds:
        if value is not None:
            require_range(value, low, high, field, label, unit)
    if speed is not None and swath is not None and flow is not None and rate is None:
        rate = application_rate_l_ha(flow, speed, swath)
    elif rate is not None and swath is not None and flow is not None and speed is None:
        speed = speed_for_flow_m_s(flow, rate, swath)
    elif rate is not None and speed is not None and flow is not None and swath is None:
        swath = swath_for_flow_m(flow, rate, speed)
    elif rate is not None and speed is not None and swath is not None and flow is None:
        flow = flow_for_rate_l_min(rate, speed, swath)
    if (
        rate is None
        or speed is None
        or swath is None
        or flow is None
        or None not in (t.rate_l_ha, t.speed_m_s, t.swath_m, t.flow_l_min)
    ):
        raise MissingInput(
            "Leave exactly one of rate, speed, swath and flow open: it is worked out from the other three.", "flow_l_min"
        )
    return RateFound(rate, speed, swath, flow)


@dataclass(frozen=True, slots=True)
class Proposal:
    """What would give a wanted rate where the nozzles do not: another size at a pressure, or the same at another speed."""

    words: str
    size: str
    pressure_bar: float
    speed_m_s: float


def proposals(n: Nozzles, found: RateFound, least_m_s: float, most_m_s: float) -> list[Proposal]:
    """Return what would give a rate over a swath: the size whose pressure lies nearest the middle of the range, and the nearest speed."""
    made: list[Proposal] = []
    middle = math.sqrt(n.least_bar * n.most_bar)
    fits = []
    for size in SIZES:
        bar = Nozzles(size.name, n.count, n.least_bar, n.most_bar).pressure_bar(found.flow_l_min)
        if n.least_bar * (1 - _EPS) <= bar <= n.most_bar * (1 + _EPS) and size.name != n.size:
            fits.append((abs(math.log(bar / middle)), size, bar))
    if fits:
        _, size, bar = min(fits, key=lambda f: f[0])
        made.append(Proposal(f"size {size.name} ({size.colour}) at {bar:.1f} bar", size.name, bar, found.speed_m_s))
    low, high = n.range_l_min
    flow, bar = (high, n.most_bar) if found.flow_l_min > high else (low, n.least_bar)
    speed = speed_for_flow_m_s(flow, found.rate_l_ha, found.swath_m)
    if least_m_s - _EPS <= speed <= most_m_s + _EPS and not n.gives(found.flow_l_min):
        made.append(Proposal(f"{speed:.1f} m/s at {bar:.1f} bar", n.size, bar, speed))
    return made
