"""Judging readings against limits: go, go with care, or no go, each with its reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import OutOfRange
from quarry.core.base.settings import Setting, check_value
from quarry.core.base.sources import ENTERED, FORECAST, PRACTICE
from quarry.core.base.working import Step, Working
from quarry.core.limits.quantities import Quantity, shown
from quarry.core.limits.sheets import Bound, Limit

Word = Literal["go", "care", "no"]
Origin = Literal["measured", "entered", "forecast", "computed"]
_RANK: dict[Word, int] = {"go": 0, "care": 1, "no": 2}
WORDS: dict[Word, str] = {"go": "Go", "care": "Go with care", "no": "No go"}


@dataclass(frozen=True, slots=True)
class BandPolicy:
    """How near to a wind limit is too near: shares of the limit, and how old a forecast or a measurement may be."""

    gust_no_frac: float = 0.90
    gust_care_frac: float = 0.75
    wind_no_frac: float = 1.00
    wind_care_frac: float = 0.75
    forecast_most_s: float = 6 * 3600.0
    measured_most_s: float = 45 * 60.0

    def __post_init__(self) -> None:
        for name in ("gust", "wind"):
            no, care = getattr(self, f"{name}_no_frac"), getattr(self, f"{name}_care_frac")
            if not 0.3 <= care <= no <= 1.0:
                raise OutOfRange(
                    f"Care begins at {care:.0%} of the limit and no go at {no:.0%}: care must come first, both from 30 to 100 %.",
                    f"limits.{name}_care_frac",
                )


_B = BandPolicy()
SETTINGS: tuple[Setting, ...] = (
    Setting(
        "limits.gust_no_frac",
        "Limits",
        "Gust: no go from this share of the limit",
        _B.gust_no_frac,
        "a gust this near the limit leaves no room for the next, stronger one",
        "%",
        100.0,
        0.3,
        1.0,
    ),
    Setting(
        "limits.gust_care_frac",
        "Limits",
        "Gust: go with care from",
        _B.gust_care_frac,
        "a front may add a quarter within minutes",
        "%",
        100.0,
        0.3,
        1.0,
    ),
    Setting(
        "limits.wind_no_frac",
        "Limits",
        "Mean wind: no go from",
        _B.wind_no_frac,
        "the maker's limit itself",
        "%",
        100.0,
        0.3,
        1.0,
    ),
    Setting(
        "limits.wind_care_frac",
        "Limits",
        "Mean wind: go with care from",
        _B.wind_care_frac,
        "the way home into the wind grows out of proportion",
        "%",
        100.0,
        0.3,
        1.0,
    ),
    Setting(
        "limits.forecast_most_s",
        "Limits",
        "A forecast counts for",
        _B.forecast_most_s,
        "an older one may have missed a front",
        "h",
        1 / 3600,
        1800.0,
        48 * 3600.0,
    ),
    Setting(
        "limits.measured_most_s",
        "Limits",
        "A measurement beats the forecast for",
        _B.measured_most_s,
        "after that the air is no longer the same",
        "min",
        1 / 60,
        300.0,
        4 * 3600.0,
    ),
)


def band_policy(values: Mapping[str, float | str | bool]) -> BandPolicy:
    """Return the policy of bands from the values that differ; raises at the key that stands in the way."""
    own_bands = {}
    for setting in SETTINGS:
        if setting.key in values:
            check_value(setting, values[setting.key])
            own_bands[setting.key.removeprefix("limits.")] = float(values[setting.key])
    return BandPolicy(**own_bands)


@dataclass(frozen=True, slots=True)
class Reading:
    """A value and on whose word: measured, entered, forecast or computed; ``age_s`` None where it does not age."""

    value: float
    origin: Origin
    words: str = ""
    age_s: float | None = None


@dataclass(frozen=True, slots=True)
class Row:
    """One limit judged: ``value`` None if nothing was known. ``margin`` is how far inside the limit, negative beyond."""

    key: str
    words: str
    verdict: Word
    reason: str
    value: float | None
    origin: Origin | None
    least: Bound | None
    most: Bound | None
    margin: float | None
    whose: str
    may_override: bool
    working: Working


@dataclass(frozen=True, slots=True)
class Verdict:
    """The worst of all rows; ``deciding`` are the rows as bad as it, worst margin first."""

    word: Word
    rows: tuple[Row, ...]

    @property
    def deciding(self) -> tuple[Row, ...]:
        """Rows that decide, none on a plain go."""
        return tuple(r for r in self.rows if r.verdict == self.word and self.word != "go")

    @property
    def may_override(self) -> bool:
        """Whether a person with the right may override it."""
        return all(r.may_override for r in self.rows if r.verdict == "no")


def worst(words: list[Word]) -> Word:
    """Return the worst of several verdicts; of none it is a no: nothing was looked at."""
    return max(words, key=_RANK.__getitem__) if words else "no"


def best_reading(readings: list[Reading], policy: BandPolicy) -> Reading | None:
    """Return the reading that counts: a fresh measurement always beats a forecast; a stale one counts for nothing."""
    order: dict[Origin, int] = {"measured": 0, "entered": 1, "computed": 2, "forecast": 3}
    fresh = [r for r in readings if r.value == r.value and not _stale(r, policy)]  # NaN is no reading
    return min(fresh, key=lambda r: (order[r.origin], r.age_s or 0.0)) if fresh else None


def _stale(r: Reading, policy: BandPolicy) -> bool:
    if r.age_s is None:
        return False
    return r.age_s > (policy.forecast_most_s if r.origin == "forecast" else policy.measured_most_s)


def judge(
    limits: Mapping[str, Limit], readings: Mapping[str, list[Reading]], policy: BandPolicy | None = None, when: str | None = None
) -> Verdict:
    """Judge readings against the strictest limits.

    Parameters
    ----------
    limits : mapping
        From `sheets.strictest`.
    readings : mapping
        All that is known of each quantity.
    policy : BandPolicy, optional
        Bands before a limit, and how old readings may be.
    when : str, optional
        Judge only quantities of this kind: ``hour`` or ``take-off``.
    """
    policy = policy or BandPolicy()
    rows = tuple(
        _row(limit, readings.get(key, []), policy) for key, limit in limits.items() if when is None or limit.quantity.when == when
    )
    return Verdict(worst([r.verdict for r in rows]), rows)


def _row(limit: Limit, known: list[Reading], policy: BandPolicy) -> Row:
    q = limit.quantity
    reading = best_reading(known, policy)
    if reading is None:
        stale = any(_stale(r, policy) for r in known)
        reason = f"{q.words}: {'what is known is too old' if stale else 'not known'}. Measure it, or enter it."
        return Row(
            q.key, q.words, "no", reason, None, None, limit.least, limit.most, None, _whose(limit), True, _lost(limit, reason)
        )
    sides = []
    if limit.most is not None:
        sides.append(_side(q, reading, limit.most, policy, most=True))
    if limit.least is not None:
        sides.append(_side(q, reading, limit.least, policy, most=False))
    verdict, margin, reason, whose = max(sides, key=lambda s: (_RANK[s[0]], -s[1]))
    return Row(
        q.key,
        q.words,
        verdict,
        reason,
        reading.value,
        reading.origin,
        limit.least,
        limit.most,
        margin,
        whose,
        not (q.no_override and verdict == "no"),
        _working(limit, reading, known, verdict, margin, reason, policy),
    )


def _whose(limit: Limit) -> str:
    bound = limit.most or limit.least
    return bound.sheet if bound else ""


def bands(q: Quantity, bound: float, policy: BandPolicy, *, most: bool) -> tuple[float, float]:
    """Return (where care begins, where no go begins) for one side of a limit."""
    if q.banded:
        name = "gust" if q.key == "gust_m_s" else "wind"
        return bound * getattr(policy, f"{name}_care_frac"), bound * getattr(policy, f"{name}_no_frac")
    if most:
        return bound - (q.care if q.care_most is None else q.care_most), bound
    return bound + q.care, bound


def _side(q: Quantity, r: Reading, bound: Bound, policy: BandPolicy, *, most: bool) -> tuple[Word, float, str, str]:
    care, no = bands(q, bound.value, policy, most=most)
    margin = bound.value - r.value if most else r.value - bound.value
    beyond = r.value > no if most else r.value < no
    near = r.value > care if most else r.value < care
    if q.banded and r.value >= no:
        beyond = True
    side = "limit" if most else "min"
    words = f"{q.words} {shown(q, r.value)}, {side} {shown(q, bound.value)} ({bound.sheet})"
    if beyond:
        inside = q.banded and r.value <= bound.value
        return "no", margin, f"{words}: {'too close' if inside else 'exceeded' if most else 'below minimum'}.", bound.sheet
    if near:
        return "care", margin, f"{words}: near it.", bound.sheet
    return "go", margin, f"{words}.", bound.sheet


def _lost(limit: Limit, reason: str) -> Working:
    return Working(limit.quantity.words, None, limit.quantity.unit, (Step(limit.quantity.key, None, "", reason, kind="limit"),))


def _working(
    limit: Limit, used: Reading, known: list[Reading], verdict: Word, margin: float, reason: str, policy: BandPolicy
) -> Working:
    q = limit.quantity
    steps = []
    for r in known:
        counts = r is used
        age = "" if r.age_s is None else f", {r.age_s / 60:.0f} min old"
        note = "counts" if counts else "set aside: a fresh measurement takes precedence, or it is too old"
        source = FORECAST if r.origin == "forecast" else ENTERED
        steps.append(
            Step(
                q.key, r.value * q.scale, q.unit, f"{r.origin}: {r.words or q.words}{age}", source=source, kind="input", note=note
            )
        )
    for bound, most in ((limit.most, True), (limit.least, False)):
        if bound is None:
            continue
        care, no = bands(q, bound.value, policy, most=most)
        side = "at most" if most else "at least"
        band = f"care from {shown(q, care)}, no go from {shown(q, no)}" if care != no else ""
        steps.append(
            Step(
                "limit",
                bound.value * q.scale,
                q.unit,
                f"{side}, {bound.sheet}: {bound.why}",
                source=ENTERED,
                kind="limit",
                note=band,
            )
        )
    steps.append(Step("margin", margin * q.scale, q.unit, "inside the limit by; negative is beyond", source=PRACTICE))
    steps.append(Step("verdict", WORDS[verdict], "", reason, source=PRACTICE, kind="choice"))
    return Working(q.words, margin * q.scale, q.unit, tuple(steps))
