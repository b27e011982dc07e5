"""A year in the life of each pack of the demo: a seeded simulation of cells that age as they are used and left.

Invented, and simple on purpose: capacity falls with cycles, resistance grows with them, a weak cell grows away from
the others, readings scatter, temperatures follow the season.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any
from zlib import crc32

from quarry.core.cells.chemistry import CHEMISTRIES, Chemistry
from quarry.core.cells.ocv import ocv_v
from quarry.core.cells.resistance import REFERENCE_C, USUAL_B_K, ZERO_C_K

Row = dict[str, Any]
WHO = ("Bo Lindqvist", "Tom Oduya", "Bo Lindqvist")


@dataclass(frozen=True, slots=True)
class Life:
    """How a pack of the demo lived its year."""

    name: str
    chemistry: str
    cells: int
    capacity_ah: float
    cell_ohm: float
    climb_a: float
    gentle_s: float
    cycles: int
    health_start: float
    health_end: float
    growth: float = 1.15
    weak_cell: int = 0
    weak_growth: float = 1.0
    idle_days: int = 3
    charge_now: float = 0.6
    aircraft: str = ""
    special: str = ""


class _Year:
    """The records of one pack while its year is played."""

    def __init__(self, life: Life, now: datetime, seed: int) -> None:
        self.life, self.now = life, now
        self.chance = random.Random(seed * 7919 + crc32(life.name.encode()) % 99_991)  # noqa: S311 - a demo, not a secret
        self.chemistry: Chemistry = CHEMISTRIES[life.chemistry]
        self.rows: list[Row] = []
        self.offsets = [self.chance.gauss(1.0, 0.025) for _ in range(life.cells)]

    def write(self, kind: str, at: datetime, note: str = "", **figures: Any) -> None:
        self.rows.append({"pack": self.life.name, "kind": kind, "at": at, "by": self.chance.choice(WHO), "note": note, **figures})

    def air_c(self, at: datetime) -> float:
        return 9.0 - 8.5 * math.cos(2 * math.pi * (at.timetuple().tm_yday - 15) / 365) + self.chance.gauss(0, 2.0)

    def health(self, share: float) -> float:
        fall = self.life.health_start - self.life.health_end
        return self.life.health_start - fall * (0.7 * share + 0.3 * share**2)

    def cell_ohm(self, share: float) -> list[float]:
        life = self.life
        found = []
        for k, offset in enumerate(self.offsets, start=1):
            grown = 1 + (life.growth - 1) * share
            if k == life.weak_cell:
                grown = 1 + (life.growth - 1) * share + (life.weak_growth - life.growth) * share**3
            found.append(life.cell_ohm * offset * grown)
        return found

    def read_ohm(self, share: float, pack_c: float) -> list[float]:
        """Return what a meter shows at a temperature. [Ω]"""
        at = math.exp(USUAL_B_K * (1 / (pack_c + ZERO_C_K) - 1 / (REFERENCE_C + ZERO_C_K)))
        return [round(r * at * self.chance.gauss(1, 0.012), 6) for r in self.cell_ohm(share)]

    def load_test(self, at: datetime, share: float) -> None:
        if self.chemistry.test_good_v is None:
            return
        volts = [round(4.175 - self.life.climb_a * r * self.chance.gauss(1, 0.02), 2) for r in self.cell_ohm(share)]
        start = round(self.chance.uniform(0.965, 0.99), 2)
        self.write("load test", at, cell_v=volts, start_frac=start, pack_c=round(self.chance.uniform(19, 27), 1))

    def cycle(self, at: datetime, share: float, *, hard: bool, deep: bool) -> None:
        """Fly once, or twice on gentle days, and charge back."""
        life = self.life
        to = round(self.chance.uniform(0.12, 0.18) if deep else self.chance.uniform(0.29, 0.38), 2)
        holds = life.capacity_ah * self.health(share)
        full_s = life.gentle_s * self.health(share) * (0.74 if hard else 1.0) * self.chance.gauss(1, 0.03)
        warm = round(min(58.0, self.air_c(at) + (31 if hard else 24)), 1)
        flown: dict[str, Any] = {
            "flown_s": round((1 - to) * full_s),
            "from_frac": 1.0,
            "to_frac": to,
            "most_c": warm,
            "aircraft": life.aircraft,
        }
        self.write("flight", at, air_c=round(self.air_c(at) - 6.0, 1), **flown)
        after = at + timedelta(minutes=self.chance.uniform(35, 80))
        put_back = round((1.0 - to) * holds * self.chance.gauss(1, 0.007), 3)
        self.write(
            "charge",
            after,
            from_frac=to,
            to_frac=1.0,
            put_back_ah=put_back,
            charged_s=round(3600 * (1 - to) / 1.9 + 600),
            start_c=round(max(4.0, min(38.0, warm - 14)), 1),
            mode="fast" if hard else "gentle",
            port=f"Van bench {self.chance.choice(('left', 'right'))} {self.chance.choice((1, 2))}",
        )

    def monthly(self, at: datetime, share: float) -> None:
        pack_c = round(max(8.0, self.air_c(at) + 9), 1)
        self.write("resistance", at, cell_ohm=self.read_ohm(share, pack_c), pack_c=pack_c)
        curve = self.chemistry.curves[0]
        rest = [ocv_v(curve, 0.6) + self.chance.gauss(0, 0.004) for _ in range(self.life.cells)]
        if self.life.weak_cell and share > 0.8:
            rest[self.life.weak_cell - 1] -= 0.026
        self.write("rest volts", at + timedelta(minutes=6), cell_v=[round(v, 3) for v in rest])

    def play(self) -> list[Row]:
        life = self.life
        last = self.now - timedelta(days=life.idle_days)
        first = self.now - timedelta(days=364)
        span = (last - first).days
        flying = sorted(
            self.chance.choices(range(span), weights=[_season(first + timedelta(days=d)) for d in range(span)], k=life.cycles)
        )
        months = set(range(4, span, 30))
        done = 0
        tested = -99
        for day in range(span + 1):
            at = (first + timedelta(days=day)).replace(hour=8, minute=30, second=0, microsecond=0)
            today = flying.count(day) if day in flying else (1 if day == span else 0)
            for k in range(min(today, 3)):
                when = at + timedelta(minutes=70 + 150 * k, seconds=self.chance.randrange(3000))
                share = done / max(1, life.cycles)
                if k == 0 and day - tested >= 12:
                    self.load_test(when - timedelta(minutes=1), share)
                    tested = day
                deep = life.special == "deep" and self.chance.random() < 0.07
                self.cycle(when, share, hard=self.chance.random() < 0.4, deep=deep)
                done += 1
            if today and self._rests_after(flying, day, span):
                self.write(
                    "storage",
                    at + timedelta(hours=11),
                    charge_frac=self.life_storage(),
                    air_c=round(15 + self.chance.gauss(0, 2), 1),
                )
            if day in months:
                self.monthly(at + timedelta(minutes=15), done / max(1, life.cycles))
        self._end(last)
        return self.rows

    def life_storage(self) -> float:
        return round(self.chance.uniform(0.57, 0.63), 2)

    def _rests_after(self, flying: list[int], day: int, span: int) -> bool:
        nearest = next((d for d in flying if d > day), span)
        forgot = self.life.special == "left full" and self.chance.random() < 0.35
        return nearest - day > 3 and not forgot

    def _end(self, last: datetime) -> None:
        life = self.life
        at = last.replace(hour=16, minute=20, second=0, microsecond=0)
        self.load_test(at - timedelta(hours=7), 1.0)
        if life.special == "swollen":
            self.write("mishap", at, what="swelling", words="case lifts at the middle, found after landing")
        if life.special == "alarms":
            self.write(
                "alarm levels", at - timedelta(days=2), first_v=22.2, second_v=21.6, proven=True, words="trial 60 m from home"
            )
        self.write("storage", at + timedelta(minutes=20), charge_frac=life.charge_now, air_c=16.0)


def _season(at: datetime) -> float:
    """Return how much is flown on a day: little in winter, nothing on Sundays."""
    if at.weekday() == 6:
        return 0.0
    return 0.35 + max(0.0, -math.cos(2 * math.pi * (at.timetuple().tm_yday - 10) / 365)) + (0.25 if at.weekday() in (1, 3) else 0)


def year_of(life: Life, now: datetime, seed: int) -> list[Row]:
    """Return the records of one pack over the year before ``now``, oldest first."""
    return sorted(_Year(life, now.astimezone(UTC), seed).play(), key=lambda r: r["at"])
