"""Large days: 150 sorties, 60 sets, six aircraft, three crews, planned in 30 seconds, each with what no schedule can beat."""

from __future__ import annotations

import time

import numpy as np

from bench.clock import show
from quarry.core.power.charging import ChargeLaw
from quarry.core.rotation.dispatch import dispatch
from quarry.core.rotation.model import Charger, Craft, Crew, Flight, Mode, PackSet, RotationTask
from quarry.core.rotation.optimise import improve
from quarry.core.rotation.validity import holds

SEARCH_S = 30.0
_FAST, _SLOW = Mode("fast", 480.0, 560.0), Mode("gentle", 240.0, 285.0)
_LAW = ChargeLaw(0.85, 2.0)


def _flights(rng: np.random.Generator, craft: tuple[Craft, ...], count: int) -> tuple[Flight, ...]:
    each = count // len(craft)
    return tuple(
        Flight(f"{c.id}{k}", c.id, float(rng.integers(420, 780)), float(rng.uniform(0.45, 0.85)))
        for c in craft
        for k in range(1, each + 1)
    )


def _sets(rng: np.random.Generator, kinds: str, count: int, *, packs: int = 1, alike: bool = False) -> tuple[PackSet, ...]:
    each = count // len(kinds)
    return tuple(
        PackSet(
            f"{kind}{k}",
            kind,
            packs,
            350.0 if alike else float(round(350.0 * rng.uniform(0.88, 1.02))),
            float(rng.choice([1.0, 0.6, 0.3])),
            law=_LAW,
        )
        for kind in kinds
        for k in range(1, each + 1)
    )


def _day(name: str, kinds: str, **over: object) -> RotationTask:
    """Return a day of six aircraft and three crews; ``kinds``: the type of set of each aircraft."""
    rng = np.random.default_rng([*name.encode()])
    craft = tuple(Craft(f"{chr(97 + k)}", kind) for k, kind in enumerate(kinds))
    usual = {
        "flights": _flights(rng, craft, 150),
        "sets": _sets(rng, "".join(dict.fromkeys(kinds)), 60),
        "chargers": (Charger("1", 5, (_FAST,)), Charger("2", 3, (_FAST, _SLOW), 1300.0)),
        "swap_s": 240.0,
        "rest_after_flight_s": 900.0,
        "rest_after_charge_s": 300.0,
        "site_power_w": None,
        "crews": tuple(Crew(f"{k}", (craft[2 * k].id, craft[2 * k + 1].id)) for k in range(3)),
    }
    return RotationTask(craft, **{**usual, **over})  # type: ignore[arg-type]


def days() -> dict[str, RotationTask]:
    """Return the six large days by their names."""
    rng = np.random.default_rng(17)
    hours = tuple((a * 3600.0, a * 3600.0 + 10_800.0) for a in (0, 4, 8, 12, 16))
    return {
        "one type of set": _day("one", "kkkkkk"),
        "three types": _day("three", "kkmmnn"),
        "sets alike, one type": _day("alike", "kkkkkk", sets=_sets(rng, "k", 60, alike=True)),
        "short of power": _day("power", "kkmmnn", site_power_w=3900.0),
        "hours with breaks": _day("hours", "kkkmmm", windows=hours),
        "few packs, few ports": _day("few", "kkkmmm", sets=_sets(rng, "km", 24), chargers=(Charger("1", 7, (_FAST,)),)),
    }


def table() -> None:
    """Print for each large day how it is planned at once and in 30 seconds, and how far from its bound."""
    rows = []
    for name, task in days().items():
        began = time.perf_counter()
        first = dispatch(task)
        quick_s = time.perf_counter() - began
        began = time.perf_counter()
        found = improve(task, first, SEARCH_S)
        took_s = time.perf_counter() - began
        best = found.rotation
        rows.append(
            [
                name,
                f"{first.makespan_s / 3600:.2f} h ({quick_s:.1f} s)",
                f"{best.makespan_s / 3600:.2f} h ({took_s:.0f} s)",
                f"{found.bound_s / 3600:.2f} h, {best.bound_reason}",
                f"{best.makespan_s / found.bound_s - 1:+.1%}",
                "holds" if holds(task, best) else "DOES NOT HOLD",
            ]
        )
    show("150 sorties, 60 sets, 6 aircraft, 3 crews", ["day", "at once", "in 30 s", "bound", "above", ""], rows)


if __name__ == "__main__":
    table()
