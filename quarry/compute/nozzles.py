"""Calculators of nozzles: what gives a rate, what was caught, how wide a swath is even."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from quarry.compute.pictures import line, mark, picture
from quarry.compute.register import Input, answer, calculator
from quarry.core.base.shapes import plain
from quarry.core.base.sources import PATTERN
from quarry.core.base.working import Step, Working, as_dict
from quarry.core.spraying.catches import calibrate
from quarry.core.spraying.falling import carried_m, check_droplet, fall_s, settling_m_s
from quarry.core.spraying.nozzles import (
    BY_SIZE,
    Nozzles,
    RateFound,
    RateTask,
    droplet_class,
    nominal_of_l_min,
    nozzle_l_min,
    pressure_for_flow_bar,
    proposals,
    share_l_min,
    solve_rate,
)
from quarry.core.spraying.pattern import WAYS, Pattern, evenness, leans, variation_at


class NozzlesIn(Input):
    """Nozzles, and three of rate, speed, swath and flow: the one left out is worked out."""

    nozzle_size: str = "02"
    nozzles_count: int = Field(default=4, ge=1, le=64)
    least_bar: float = 1.5
    most_bar: float = 5.0
    rate_l_ha: float | None = None
    speed_m_s: float | None = None
    swath_m: float | None = None
    flow_l_min: float | None = None
    least_speed_m_s: float = Field(default=1.0, ge=0.5, le=20)
    most_speed_m_s: float = Field(default=10.0, ge=0.5, le=20)


@calculator(
    "nozzles",
    "Rate, speed, swath and flow from one another, the pressure that gives them, and what would where it does not",
    NozzlesIn,
)
def nozzles(data: NozzlesIn) -> dict[str, Any]:
    """Return the fourth of rate, speed, swath and flow, the pressure, and proposals where the nozzles cannot give it."""
    n = Nozzles(data.nozzle_size, data.nozzles_count, data.least_bar, data.most_bar)

    def solve() -> tuple[RateFound, float]:
        found = solve_rate(RateTask(data.rate_l_ha, data.speed_m_s, data.swath_m, data.flow_l_min))
        each = share_l_min(found.flow_l_min, n.count)
        return found, pressure_for_flow_bar(each, nominal_of_l_min(n.size))

    (found, bar), working = answer("Pressure", solve)
    low, high = n.range_l_min
    fits = n.gives(found.flow_l_min)
    others = proposals(n, found, data.least_speed_m_s, data.most_speed_m_s)
    colour = BY_SIZE[n.size].colour
    if fits:
        words = f"Size {n.size} ({colour}) gives it at {bar:.1f} bar."
    else:
        limit = f"more than {n.most_bar:g} bar" if bar > n.most_bar else f"less than {n.least_bar:g} bar"
        words = f"Size {n.size} ({colour}) would need {bar:.1f} bar, {limit}."
        words += (
            f" What would do: {', or '.join(p.words for p in others)}."
            if others
            else " No size of this count gives it at these speeds."
        )
    bars = [data.least_bar + (data.most_bar - data.least_bar) * k / 40 for k in range(41)]
    curve = [(b, n.count * nozzle_l_min(nominal_of_l_min(n.size), b)) for b in bars]
    drawn = picture(
        "bar",
        "L/min",
        [line(f"{n.count} of size {n.size}", curve)],
        [mark(f"{found.flow_l_min:.2f} L/min wanted", y=found.flow_l_min, tone="good" if fits else "bad")],
    )
    return {
        **plain(found),
        "pressure_bar": bar,
        "least_flow_l_min": low,
        "most_flow_l_min": high,
        "fits": fits,
        "proposals": [plain(p) for p in others],
        "words": words,
        "working": working,
        "picture": drawn,
    }


class CatchesIn(Input):
    """What was caught from each nozzle over the same time; by size and pressure what it should be."""

    caught_ml: list[float] = Field(min_length=1, max_length=64)
    caught_s: float
    nozzle_size: str = ""
    pressure_bar: float | None = Field(default=None, gt=0, le=20)


@calculator("catches", "Flow of each nozzle from what was caught, how even they are, and which are worn or stopped up", CatchesIn)
def catches(data: CatchesIn) -> dict[str, Any]:
    """Return the flow of each nozzle and of all, their spread, and those to change or clean."""
    by_size = bool(data.nozzle_size) and data.pressure_bar is not None

    def solve() -> Any:
        wanted = nozzle_l_min(nominal_of_l_min(data.nozzle_size), data.pressure_bar or 0.0) if by_size else None
        return calibrate([v / 1000 for v in data.caught_ml], data.caught_s, wanted)

    made, working = answer("Flow", solve)
    off = {*made.worn, *made.short}
    marks = [
        mark(f"{v:.2f}" if k in off else "", x=float(k), y=v, tone="bad" if k in off else "good")
        for k, v in enumerate(made.each_l_min, start=1)
    ]
    marks.append(
        mark(f"{made.wanted_l_min:.2f} L/min {'by size and pressure' if by_size else 'the median'}", y=made.wanted_l_min)
    )
    return {**plain(made), "words": made.words(), "working": working, "picture": picture("nozzle", "L/min", [], marks)}


class Catch(Input):
    """A catch across the line: distance from it, right positive, and what was in it."""

    at_m: float
    caught: float


class SwathTestIn(Input):
    """Catches of one pass across the line, and how even passes are to be."""

    catches: list[Catch] = Field(max_length=400)
    wanted_frac: float = 0.15
    spacing_m: float | None = Field(default=None, gt=0)


@calculator("swath-test", "How far apart passes may lie by a pattern test, for both ways of flying", SwathTestIn)
def swath_test(data: SwathTestIn) -> dict[str, Any]:
    """Return the widest even spacing both ways, the curves, and how even one spacing is."""
    p = Pattern(tuple(c.at_m for c in data.catches), tuple(c.caught for c in data.catches))
    found = evenness(p, data.wanted_frac)
    spacing = data.spacing_m or found.best_m["back and forth"] or p.width_m / 2
    variations = {way: variation_at(p, spacing, way) for way in WAYS}
    steps = tuple(
        Step(
            "variation_frac",
            variations[way],
            "",
            f"standard deviation ÷ mean of passes {spacing:.1f} m apart, flown {way}, at 400 places across two spacings",
            source=PATTERN,
            kind="run",
        )
        for way in WAYS
    )
    lean = leans(p)
    best = ", ".join(f"{way} {f'up to {b:.1f} m' if (b := found.best_m[way]) else 'at no spacing'}" for way in WAYS)
    words = f"Even enough: {best}."
    if abs(lean) > 0.05 * p.width_m:
        words += f" The pattern leans {abs(lean):.1f} m to the {'right' if lean > 0 else 'left'}: look at the nozzles on the other side."
    drawn = picture(
        "m between passes",
        "variation %",
        [
            line(way, [(s, 100 * v) for s, v in zip(found.spacings_m, found.curves[way], strict=True)], dashed=way == WAYS[0])
            for way in WAYS
        ],
        [
            mark(f"{100 * data.wanted_frac:.0f} % wanted", y=100 * data.wanted_frac, tone="watch"),
            mark(f"{spacing:.1f} m", x=spacing),
        ],
    )
    return {
        "racetrack_m": found.best_m["racetrack"],
        "back_and_forth_m": found.best_m["back and forth"],
        "spacing_m": spacing,
        "racetrack_frac": variations["racetrack"],
        "back_and_forth_frac": variations["back and forth"],
        "lean_m": lean,
        "words": words,
        "working": as_dict(Working("Evenness", variations["back and forth"], "", steps)),
        "picture": drawn,
    }


class FallingIn(Input):
    """A droplet, how high it starts above the crop, and the wind there."""

    droplet_um: float = 150.0
    height_m: float = Field(default=3.0, ge=0.1, le=60)
    wind_m_s: float = Field(default=3.0, ge=0, le=30)
    air_c: float = Field(default=20.0, ge=-20, le=50)


_DRAWN_UM = range(60, 605, 10)


@calculator("falling", "How far the wind carries a droplet while it falls: an aid to choose, never a permission", FallingIn)
def falling(data: FallingIn) -> dict[str, Any]:
    """Return how fast a droplet falls and how far it is carried, with the same by size of the droplet."""

    def solve() -> tuple[float, float, float]:
        speed = settling_m_s(check_droplet(data.droplet_um), data.air_c)
        seconds = fall_s(data.height_m, speed)
        return speed, seconds, carried_m(data.wind_m_s, seconds)

    (speed, seconds, far), working = answer("Carried", solve)
    sizes = [float(um) for um in _DRAWN_UM]
    curve = [(um, carried_m(data.wind_m_s, fall_s(data.height_m, settling_m_s(um, data.air_c)))) for um in sizes]
    drawn = picture("\u00b5m", "m", [line("carried", curve)], [mark(f"{far:.0f} m", x=data.droplet_um, y=far)])
    words = (
        f"A droplet of {data.droplet_um:.0f} \u00b5m falls {data.height_m:g} m in {seconds:.1f} s; a wind of {data.wind_m_s:g} m/s "
        f"carries it {far:.0f} m meanwhile."
    )
    return {
        "words": words,
        "settling_m_s": speed,
        "fall_s": seconds,
        "carried_m": far,
        "droplet_class": droplet_class(data.droplet_um),
        "working": working,
        "picture": drawn,
    }
