"""Stored sheets to the core's, hours judged, preflight lists judged; back to what screens show."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any, cast

from pydantic import TypeAdapter

from quarry.apps.fleet.mappers import MeasuredPack, pack_today
from quarry.apps.fleet.models import AircraftModel, Pack
from quarry.apps.jobs.fields import JobFields
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.views import JobPlan, SortieOut
from quarry.apps.limits.models import LimitSheet
from quarry.apps.limits.views import (
    BoundOut,
    CheckLine,
    CheckPart,
    EntryOut,
    GateSpan,
    LevelOut,
    LimitLine,
    LimitQuantity,
    LimitRule,
    LimitVerdict,
    PeopleCold,
    PreflightBody,
    SheetOut,
    VerdictRow,
    WindowOut,
)
from quarry.apps.policy.mappers import OwnValues, bands, checks_by_weather, low_sun, still_air
from quarry.apps.weather.views import HourDrawn
from quarry.apps.workings import WorkingOut, to_working
from quarry.core.air.aloft import cover_of
from quarry.core.air.chill import relief_s
from quarry.core.air.low_sun import blinded
from quarry.core.base.errors import CoreError
from quarry.core.base.sources import ENTERED, INVERSION
from quarry.core.base.working import Step, Working
from quarry.core.flight.energy import ReservePolicy
from quarry.core.flight.usable_energy import ColdMethod, Demand, usable_energy
from quarry.core.ground.geodesy import azimuth_deg
from quarry.core.limits.hourly_conditions import HourAir, Place, hour_readings, wind_at
from quarry.core.limits.preflight import (
    PARTS,
    AircraftTraits,
    Answer,
    Check,
    Line,
    Remark,
    Shows,
    Work,
    check_entry,
    check_remark,
    checklist,
    judge_preflight,
)
from quarry.core.limits.preflight import Preflight as JudgedList
from quarry.core.limits.quantities import QUANTITIES
from quarry.core.limits.sheets import LEVELS, Bound, Level, Limit, Rule, Sheet, check_rule, strictest
from quarry.core.limits.starter import HOUSE, WORK
from quarry.core.limits.verdict import WORDS, Origin, Row, Verdict, Word, judge, worst
from quarry.core.limits.weather_checks import SiteWeather, weather_checks
from quarry.core.limits.windows import next_window, open_windows, spans
from quarry.core.packs.load_test import LoadTestResult
from quarry.core.spraying.kept_clear import KeptClear
from quarry.core.spraying.still_air import BROKEN_FRAC, FEW_FRAC, LOW_CLOUD_M, AirSigns, inverted, rain_ahead

LimitError = CoreError
__all__ = ["Check", "ColdMethod", "HourAir", "JudgedList", "Limit", "Place", "Sheet", "Verdict", "Word"]
LEVEL_WORDS: dict[Level, str] = {"organisation": "Organisation", "aircraft": "Aircraft", "work": "Kind of work", "job": "Job"}


_RULES = TypeAdapter(list[LimitRule])


def quantities() -> list[LimitQuantity]:
    """Return what can be limited."""
    return [
        LimitQuantity(
            key=q.key,
            words=q.words,
            unit=q.unit,
            scale=q.scale,
            decimals=q.decimals,
            sides=q.sides,
            when=q.when,
            how=q.how,
            low=q.low,
            high=q.high,
        )
        for q in QUANTITIES.values()
    ]


def check_rules(rules: Iterable[LimitRule]) -> None:
    """Raise `LimitError` at the key of a rule that makes no sense."""
    for r in rules:
        check_rule(Rule(r.key, r.least, r.most, r.why))


def rules_of(row: LimitSheet) -> list[LimitRule]:
    """Return the rules of a stored sheet."""
    return rules_from(row.rules)


def rules_from(kept: Any) -> list[LimitRule]:
    """Return rules that were kept, on a sheet or in its history."""
    return _RULES.validate_python(kept)


def rules_json(rules: list[LimitRule]) -> Any:
    """Return rules as they are kept."""
    return _RULES.dump_python(rules, mode="json")


def sheet_of(row: LimitSheet) -> Sheet:
    """Return a stored sheet as the core's."""
    return Sheet(
        str(row.pk), cast(Level, row.level), sheet_name(row), tuple(Rule(r.key, r.least, r.most, r.why) for r in rules_of(row))
    )


def sheet_name(row: LimitSheet) -> str:
    """Return what people call a sheet."""
    if row.level == "aircraft" and row.aircraft_model is not None:
        return f"{row.aircraft_model.name}, company"
    if row.level == "job" and row.job is not None:
        return row.job.name
    return {"work": row.work.capitalize(), "organisation": "Company"}.get(row.level, row.level)


def data_sheet(model: AircraftModel) -> Sheet:
    """Return the maker's limits of a model of aircraft as they stand in the fleet."""
    why = "the maker's data sheet"
    rules: list[Rule] = []
    if model.most_wind_m_s is not None:
        rules += [Rule("gust_m_s", most=model.most_wind_m_s, why=why), Rule("wind_m_s", most=model.most_wind_m_s, why=why)]
    if model.least_air_c is not None or model.most_air_c is not None:
        rules.append(Rule("air_c", model.least_air_c, model.most_air_c, why))
    if model.least_pack_c is not None:
        rules.append(Rule("pack_c", least=model.least_pack_c, why=f"{why}: it refuses to start below"))
    if model.most_load_kg is not None:
        rules.append(Rule("payload_kg", most=model.most_load_kg, why=why))
    if not model.rain_rated:
        rules += [Rule(k, most=0.0, why="not rated for rain or snow") for k in ("rain_mm_h", "snow_mm_h")]
    return Sheet(f"data-{model.pk}", "aircraft", f"{model.name}, data sheet", tuple(rules))


def starter(level: str, work: str = "") -> list[LimitRule]:
    """Return the usual rules to begin a sheet with."""
    rules = HOUSE if level == "organisation" else WORK.get(work, ())
    return [LimitRule(key=r.key, least=r.least, most=r.most, why=r.why) for r in rules]


def stored_sheet(row: LimitSheet) -> SheetOut:
    """Return a stored sheet as screens show it."""
    return SheetOut(
        id=str(row.pk),
        level=cast(Level, row.level),
        name=sheet_name(row),
        rules=rules_of(row),
        version=row.version,
        kept=True,
        aircraft_model_id=row.aircraft_model_id,
        work=row.work,
        job_id=row.job_id,
    )


def makers_sheet(model: AircraftModel) -> SheetOut:
    """Return the maker's limits of a model as screens show them."""
    sheet = data_sheet(model)
    return SheetOut(
        id=sheet.id,
        level=sheet.level,
        name=sheet.name,
        rules=[LimitRule(key=r.key, least=r.least, most=r.most, why=r.why) for r in sheet.rules],
        version=model.version,
        kept=False,
        aircraft_model_id=model.pk,
        work="",
        job_id=None,
    )


def _bound(b: Bound | None) -> BoundOut | None:
    return None if b is None else BoundOut(value=b.value, sheet=b.sheet, level=b.level, why=b.why)


def limits_of(sheets: Iterable[Sheet]) -> dict[str, Limit]:
    """Return the strictest limits of sheets."""
    return strictest(sheets)


def limit_lines(limits: dict[str, Limit]) -> list[LimitLine]:
    """Return the strictest limits as screens show them."""
    return [LimitLine(key=k, least=_bound(x.least), most=_bound(x.most)) for k, x in limits.items()]


def _row(row: Row) -> VerdictRow:
    return VerdictRow(
        key=row.key,
        words=row.words,
        verdict=row.verdict,
        reason=row.reason,
        value=row.value,
        origin=row.origin,
        least=_bound(row.least),
        most=_bound(row.most),
        margin=row.margin,
        whose=row.whose,
        may_override=row.may_override,
    )


def to_verdict(v: Verdict) -> LimitVerdict:
    """Return a verdict as screens show it."""
    return LimitVerdict(
        word=v.word,
        words=WORDS[v.word],
        rows=[_row(r) for r in v.rows],
        reasons=[r.reason for r in v.deciding],
        may_override=v.may_override,
        unknown=unknown(v),
    )


def unknown(v: Verdict) -> bool:
    """Return whether a no rests on missing readings alone."""
    bad = [r for r in v.rows if r.verdict == "no"]
    return v.word == "no" and all(r.value is None for r in bad)


def place_of(f: JobFields) -> Place:
    """Return where a job is flown."""
    height_m = f.work.height_m
    return Place(max(1.0, height_m), cover_of(f.wind.cover), height_m if f.kind == "spraying" else 3.0)


def judge_hour(limits: dict[str, Limit], airs: list[HourAir], place: Place, sun_deg: float, own: OwnValues) -> Verdict:
    """Return the verdict of an hour by all limits of the weather."""
    return judge(limits, hour_readings(airs, place, sun_deg), bands(own), when="hour")


def _with_row(v: Verdict, row: Row) -> Verdict:
    return replace(v, word=worst([v.word, row.verdict]), rows=(*v.rows, row))


def _own_row(key: str, words: str, verdict: Word, reason: str, step: Step, origin: Origin) -> Row:
    """Return a row that no sheet holds, with one step as its working; nobody may override its no."""
    value = step.value if isinstance(step.value, float) else None
    return Row(
        key,
        words,
        verdict,
        reason,
        value,
        origin,
        None,
        None,
        None,
        "this job",
        may_override=False,
        working=Working(words, step.value, step.unit, (step,)),
    )


def with_places(v: Verdict, blown: Callable[[float, float], list[KeptClear]], drawn: HourDrawn) -> Verdict:
    """Return a verdict with the row of sensitive places: a no where the wind of the hour blows towards one from ground to be sprayed.

    ``blown``: the places that a wind, and where it is from, blows towards.
    """
    wind = drawn.measured[0] if drawn.measured else drawn.forecast
    if wind is None or wind.wind_m_s is None or wind.from_deg is None:
        return v
    found = blown(wind.wind_m_s, wind.from_deg)
    names = ", ".join(dict.fromkeys(k.name for k in found))
    origin: Origin = "measured" if drawn.measured else "forecast"
    reason = f"Wind from {wind.from_deg:.0f}° towards {names}: plan the job for this wind, or wait." if found else ""
    words = "; ".join(f"{k.name}: {k.why}" for k in found) or "it blows towards none of them from ground that is to be sprayed"
    step = Step("from_deg", wind.from_deg, "°", words, source=ENTERED, kind="limit")
    return _with_row(v, _own_row("sensitive_places", "Sensitive places", "no" if found else "go", reason, step, origin))


def with_still_air(v: Verdict, airs: Iterable[HourAir], place: Place, sun_deg: float, own: OwnValues) -> Verdict:
    """Return a verdict with the row of inversions: care where sun, wind and cloud are signs of one; measure at two heights then."""
    airs = list(airs)
    seen = hour_readings(airs, place, sun_deg)
    winds = seen.get("spray_wind_m_s", [])
    if not winds:
        return v
    lightest = min(winds, key=lambda r: r.value)
    ceilings = [a.ceiling_m for a in airs if a.ceiling_m is not None]
    cloud = None if not ceilings else (BROKEN_FRAC if min(ceilings) < LOW_CLOUD_M else FEW_FRAC)
    is_so, _, words = inverted(AirSigns(sun_deg, lightest.value, cloud), still_air(own))
    step = Step("sun_deg", sun_deg, "°", words, source=INVERSION, kind="limit")
    reason = f"{words[:1].upper()}{words[1:]}: measure at two heights before you spray." if is_so else ""
    return _with_row(v, _own_row("inversion", "Inversion", "care" if is_so else "go", reason, step, lightest.origin))


def rain_of(airs: Iterable[HourAir]) -> float | None:
    """Return the rain of an hour: the most that is known of it, None where nothing is. [mm/h]"""
    return max((a.rain_mm_h for a in airs if a.rain_mm_h is not None), default=None)


def with_rain_ahead(v: Verdict, name: str, rainfast_h: float, hours: Sequence[tuple[float, float | None]]) -> Verdict:
    """Return a verdict with the row of rain after spraying: a no where rain is forecast before the product is dry.

    ``hours``: starts [s] and rain [mm/h] from the hour judged on; spraying is taken to end with it.
    """
    ends_s = hours[0][0] + 3600.0
    found = rain_ahead(hours[1:], ends_s, rainfast_h * 3600.0)
    if found.begins_s is not None:
        verdict: Word = "no"
        after = f"{found.begins_s / 3600:.0f} h after" if found.begins_s >= 1800 else "right after"
        reason = f"{found.rain_mm:.1f} mm of rain from {after} it, and {name} needs {rainfast_h:g} h without."
    elif not found.known:
        verdict, reason = "care", f"Rain is not forecast for all of the {rainfast_h:g} h that {name} needs without."
    else:
        verdict, reason = "go", ""
    words = f"rain in the {rainfast_h:g} h that {name} needs to dry, by its label"
    step = Step("rain_mm", found.rain_mm, "mm", words, source=ENTERED, kind="limit")
    return _with_row(v, _own_row("rain_ahead", "Rain after spraying", verdict, reason, step, "forecast"))


def working_of(v: Verdict, key: str) -> WorkingOut | None:
    """Return the working of one judged row."""
    row = next((r for r in v.rows if r.key == key), None)
    return to_working(row.working) if row is not None else None


def spans_of(hours: list[tuple[datetime, Verdict]], begins: datetime) -> list[GateSpan]:
    """Return hours as spans of one verdict, in seconds from ``begins``."""
    at = [(t - begins).total_seconds() for t, _ in hours]
    found = spans(at, [v for _, v in hours], at[-1] + 3600.0 if at else 0.0)
    return [GateSpan(start_s=s.start_s, end_s=s.end_s, word=s.word, reasons=list(s.reasons)) for s in found]


def next_go(hours: list[tuple[datetime, Verdict]], now: datetime) -> WindowOut | None:
    """Return the next window from now in which it is a go or a go with care."""
    if not hours:
        return None
    begins = hours[0][0]
    at = [(t - begins).total_seconds() for t, _ in hours]
    found = spans(at, [v for _, v in hours], at[-1] + 3600.0)
    window = next_window(found, max(0.0, (now - begins).total_seconds()))
    if window is None:
        return None
    return WindowOut(from_at=begins + timedelta(seconds=window[0]), to_at=begins + timedelta(seconds=window[1]))


def known_windows(hours: list[tuple[datetime, Verdict]], opens: datetime, closes: datetime) -> list[tuple[float, float]]:
    """Return the windows of a day in seconds from its opening; hours of which nothing is known stay open to planning.

    They are not cleared by that: preflight asks for readings before anything flies.
    """
    at = [(t - opens).total_seconds() for t, _ in hours]
    words = [Verdict("care", v.rows) if unknown(v) else v for _, v in hours]
    found = spans(at, words, at[-1] + 3600.0 if at else 0.0)
    return open_windows(found, 0.0, (closes - opens).total_seconds())


def traits_of(model: AircraftModel) -> AircraftTraits:
    """Return what of a model shapes its preflight list."""
    return AircraftTraits(
        model.name,
        model.pack_model.cells,
        tuple(model.power_up),
        model.live_at_once,
        cast(Shows, model.shows),
        model.packs_count,
    )


def checks_of(job: Job, model: AircraftModel, warm_up_s: float, weather: SiteWeather) -> tuple[Check, ...]:
    """Return the list of checks for a job with an aircraft in this weather."""
    return checklist(cast(Work, job.kind), traits_of(model), warm_up_s or 30.0, weather_checks(weather))


AirOfHours = Sequence[tuple[datetime, list[HourAir]]]
_WET_H = 6


def site_weather(hours: AirOfHours, f: JobFields, model: AircraftModel, sun_words: str | None, own: OwnValues) -> SiteWeather:
    """Return what checks ask of the weather at a take-off.

    ``hours``: a day of them, the last that of the take-off; of several figures of one thing the worse counts.
    """
    place, airs = place_of(f), hours[-1][1] if hours else []
    seen = {key: [r.value for r in rows] for key, rows in hour_readings(airs, place).items()}

    def worst(key: str, pick: Callable[[list[float]], float] = max) -> float | None:
        return pick(seen[key]) if seen.get(key) else None

    fell = [
        (max((a.rain_mm_h or 0.0 for a in x), default=0.0), max((a.snow_mm_h or 0.0 for a in x), default=0.0)) for _, x in hours
    ]
    ground = [w.wind_m_s for a in airs if (w := wind_at(a, place, 2.0)) is not None]
    return SiteWeather(
        air_c=worst("air_c", min),
        spread_k=worst("spread_k", min),
        rain_mm_h=worst("rain_mm_h"),
        snow_mm_h=worst("snow_mm_h"),
        wet_mm=sum(rain for rain, _ in fell[-_WET_H:]),
        snow_mm=sum(snow for _, snow in fell),
        snow_said=any(a.snow_mm_h for _, x in hours for a in x if a.origin != "forecast"),
        open_snow=f.wind.cover == "water",
        trees=f.wind.cover == "wood",
        up_m_s=worst("wind_m_s"),
        low_m_s=min(ground, default=None),
        height_m=place.height_m,
        chill_c=worst("chill_c", min),
        sun_words=sun_words,
        pale=model.pale,
        policy=checks_by_weather(own),
    )


def low_sun_words(home: tuple[float, float], sortie: SortieOut, at: datetime, zone: tzinfo, own: OwnValues) -> str | None:
    """Return when a low sun stands on the way home of a sortie that takes off now; None where it does not while it comes home."""
    policy = low_sun(own)
    bearing = azimuth_deg(*sortie.leave, *home)
    utc = at.astimezone(UTC)
    now_min = utc.hour * 60.0 + utc.minute
    comes, lands = now_min, now_min + sortie.time_s / 60
    for a, b in blinded(*home, utc.date(), bearing, now_min - 120.0, lands + 120.0, policy):
        if a < lands and comes < b:
            begins, ends = (utc.replace(hour=0, minute=0, second=0) + timedelta(minutes=m) for m in (a, b))
            return (
                f"sensors blinded {begins.astimezone(zone):%H:%M}–{ends.astimezone(zone):%H:%M} on the way home of "
                f"S{sortie.number}, at {bearing:.0f}°"
            )
    return None


def check_value(checks: tuple[Check, ...], key: str, value: Any, cells: int) -> None:
    """Raise `LimitError` at the key unless the entry can be what it says."""
    found = next((c for c in checks if c.key == key), None)
    if found is None:
        raise CoreError("There is no such check on this list.", key)
    if value is not None:
        check_entry(found, value, cells)


def check_remark_of(checks: tuple[Check, ...], key: str, answer: Answer, words: str) -> None:
    """Raise `LimitError` at the key unless the remark says what it has to."""
    found = next((c for c in checks if c.key == key), None)
    if found is None:
        raise CoreError("There is no such check on this list.", key)
    check_remark(found, Remark(answer, words))


def preflight(  # noqa: PLR0913 - all that a list is judged by
    checks: tuple[Check, ...],
    entries: Mapping[str, bool | float | list[float]],
    limits: dict[str, Limit],
    weather: Verdict | None,
    *,
    cells: int,
    computed: dict[str, float],
    grounded: str,
    cannot_fly: str,
    watched: Sequence[str],
    cells_test: tuple[Word, str] | None,
    remarks: Mapping[str, EntryOut],
    own: OwnValues,
) -> JudgedList:
    """Return a list judged as it stands."""
    return judge_preflight(
        checks,
        entries,
        limits,
        cells=cells,
        weather=weather,
        computed=computed,
        grounded=grounded,
        cannot_fly=cannot_fly,
        watched=watched,
        cells_test=cells_test,
        remarks={k: Remark(e.answer, e.words) for k, e in remarks.items() if e.answer},
        policy=bands(own),
    )


CLIMB_WORDS: dict[Word, str] = {"go": "Go on", "care": "Go on with care", "no": "Come back"}
_OF_TEST: dict[str, Word] = {"good": "go", "replace soon": "care", "inconclusive": "care", "not judged": "care", "bad": "no"}


def word_of_test(result: LoadTestResult) -> tuple[Word, str]:
    """Return what a load test means for the flight under way: its word, and why."""
    word = _OF_TEST.get(result.verdict, "go")
    return word, "" if word == "go" else result.words


def preflight_body(p: JudgedList, limits: dict[str, Limit]) -> PreflightBody:
    """Return a judged list as screens show it, by parts."""
    parts = []
    for part, words in PARTS:
        lines = [x for x in p.lines if x.check.part == part]
        shown = [_line(x, limits) for x in lines]
        parts.append(CheckPart(part=part, words=words, lines=shown, open=sum(not x.done for x in lines)))
    return PreflightBody(
        word=p.word,
        words=WORDS[p.word],
        parts=parts,
        open_count=p.open_count,
        reasons=list(p.reasons),
        hard=list(p.hard),
        may_override=p.may_override,
        climb_word=p.climb,
        climb_words=CLIMB_WORDS[p.climb],
        climb_open_count=p.climb_open_count,
        climb_reasons=list(p.climb_reasons),
        weather=to_verdict(p.weather) if p.weather is not None else None,
    )


def _line(line: Line, limits: dict[str, Limit]) -> CheckLine:
    q = QUANTITIES.get(line.check.limits)
    limit = limits.get(line.check.limits)
    return CheckLine(
        key=line.check.key,
        words=line.check.words,
        entry=line.check.entry,
        caution=line.check.caution,
        because=line.check.because,
        follows=line.check.follows,
        likely=list(line.check.likely),
        answer=line.remark.answer if line.remark else "",
        remark=line.remark.words if line.remark else "",
        done=line.done,
        verdict=line.verdict,
        reason=line.reason,
        unit=q.unit if q else "",
        scale=q.scale if q else 1.0,
        decimals=q.decimals if q else 1,
        least=_bound(limit.least) if limit else None,
        most=_bound(limit.most) if limit else None,
    )


def cannot_fly(
    pack: Pack,
    measured: MeasuredPack,
    f: JobFields,
    packs_count: int,
    plan: JobPlan,
    sortie: SortieOut,
    pack_c: float,
    charge_frac: float,
    method: ColdMethod,
) -> str:
    """Return why a pack at this temperature and charge cannot fly a sortie, or nothing if it can."""
    powers, sorties = plan.powers, f.sorties
    try:
        usable = usable_energy(
            pack_today(pack, measured, pack_c, charge_frac, measured=True),
            Demand(powers.work_w / packs_count, max(powers.peak_w, powers.work_w) / packs_count, f.wind.air_c),
            ReservePolicy(sorties.landing_frac, sorties.floor_frac, sorties.reserve_method),
            method,
        )
    except CoreError as bad:
        return bad.message
    if usable.usable_wh * packs_count < sortie.energy_wh - 0.5:
        return (
            f"Pack {pack.name} at {pack_c:.0f} °C and {charge_frac:.0%} gives {usable.usable_wh * packs_count:.0f} Wh; "
            f"this sortie takes {sortie.energy_wh:.0f} Wh. Warm or charge it, take a stronger pack, or cut the sortie shorter."
        )
    return ""


def people_in_cold(v: Verdict | None) -> PeopleCold | None:
    """Return the wind chill of an hour and after how long the crew should be relieved."""
    row = next((r for r in v.rows if r.key == "chill_c"), None) if v is not None else None
    if row is None or row.value is None:
        return None
    return PeopleCold(chill_c=row.value, relief_s=relief_s(row.value))


def levels() -> list[LevelOut]:
    """Return the levels in order."""
    return [LevelOut(key=k, words=LEVEL_WORDS[k]) for k in LEVELS]
