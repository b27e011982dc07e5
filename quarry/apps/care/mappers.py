"""Records of a pack to the core's snapshot, verdict and care, and back to plain data. Days count from 1970 in UTC."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.models import Charging, PackRecord
from quarry.apps.care.views import (
    AlarmsSet,
    BenchOut,
    CapacityOut,
    CareTaskOut,
    LabelOut,
    LevelsOut,
    LifeBedOut,
    LifeOut,
    LimitsOut,
    MarkOut,
    MoneyOut,
    PackBody,
    PackLine,
    ResistanceOut,
    RuleLimit,
    RuleOut,
    SetOut,
    TestOut,
    TransportOut,
    VerdictOut,
    WarrantyOut,
)
from quarry.apps.fleet.mappers import MeasuredPack, charge_law, energy_today_wh
from quarry.apps.fleet.models import Pack, PackModel
from quarry.apps.workings import WorkingOut, to_working
from quarry.core.base.errors import CoreError
from quarry.core.base.shapes import plain
from quarry.core.base.sources import ASSUMED, MEASURED
from quarry.core.base.working import Working, explain
from quarry.core.cells.chemistry import chemistry_of
from quarry.core.cells.resistance import rate_of_current, sustainable_current_a
from quarry.core.packs.at_the_charger import OnBench, bench_charge
from quarry.core.packs.care import care_tasks
from quarry.core.packs.charge_back import draw_a
from quarry.core.packs.depth import DepthTable, depth_table
from quarry.core.packs.forecast import Forecast, Money, forecast, money, robust_trend, trend_ahead
from quarry.core.packs.health import Health, HealthRule, first_ohm, judge_health, rule_working, worst_growth
from quarry.core.packs.label import LabelFigures, label_figures
from quarry.core.packs.life import life_of
from quarry.core.packs.load_test import LoadTest, LoadTestResult, judge_load_test, query_load
from quarry.core.packs.policy import PackPolicy
from quarry.core.packs.records import LoadTested, Record, check_record, record_of
from quarry.core.packs.sets import SetMember, judge_set
from quarry.core.packs.snapshot import (
    Entry,
    PackKind,
    PackSnapshot,
    digest,
    fold,
    grounds,
    health_today_frac,
    pack_state,
    snapshot_from,
    standing_entries,
    test_policy,
)
from quarry.core.packs.transport import transport_advice
from quarry.core.packs.warranty import WarrantyTerms, warranty_of
from quarry.core.power.charging import charge_ratio

RecordRefused = CoreError
__all__ = ["LoadTestResult", "PackSnapshot"]
DAY_S = 86_400.0


def day_of(at: datetime) -> float:
    """Return a moment as days since 1970."""
    return at.timestamp() / DAY_S


def _day_of_date(d: date | None) -> int | None:
    return None if d is None else (d - date(1970, 1, 1)).days


def date_of(day: float) -> date:
    """Return the date of a day count."""
    return datetime.fromtimestamp(day * DAY_S, UTC).date()


def kind_of(pack: Pack, charge_entered_frac: float | None = None) -> PackKind:
    """Return what a pack is by its label and by what was entered when it joined the register."""
    m = pack.model
    bought = _day_of_date(pack.bought_on)
    return PackKind(
        chemistry_of(m.chemistry),
        m.cells,
        m.capacity_ah,
        m.drains_itself,
        float(pack.cycles),
        pack.charge_frac if charge_entered_frac is None else charge_entered_frac,
        bought if bought is not None else day_of(pack.added_at),
        bought,
        m.test_good_v,
        m.test_bad_v,
    )


def parse(kind: str, figures: Mapping[str, Any], model: PackModel) -> Record:
    """Return a checked record of a pack of this model; raises `RecordRefused` at the figure that is wrong."""
    made = record_of(kind, dict(figures))
    check_record(made, chemistry_of(model.chemistry), model.cells, model.capacity_ah)
    return made


def query(record: Record, model: PackModel) -> None:
    """Raise `RecordRefused` at volts that are asked about before they are written: no pack shows them under full power."""
    if isinstance(record, LoadTested):
        query_load(chemistry_of(model.chemistry), model.cells, record.cell_v, record.total_v)


def figures_of(record: Record) -> Any:
    """Return a record as it is stored: empty figures left out."""
    return {k: v for k, v in plain(record).items() if v not in (None, "", [])}


def entries(rows: Iterable[PackRecord]) -> list[Entry]:
    """Return stored records as the core's, in the order in which they were written."""
    return [Entry(str(r.key), day_of(r.at), record_of(r.kind, r.figures), str(r.corrects or "")) for r in rows]


def standing_keys(rows: Iterable[PackRecord]) -> set[str]:
    """Return the keys of the records that stand: neither corrected nor withdrawn."""
    return {e.key for e in standing_entries(entries(rows))}


def snapshot_of(
    pack: Pack, rows: Iterable[PackRecord], policy: PackPolicy, charge_entered_frac: float | None = None
) -> PackSnapshot:
    """Return what the records of a pack tell."""
    return fold(kind_of(pack, charge_entered_frac), entries(rows), policy)


def empty_snapshot(pack: Pack, policy: PackPolicy) -> PackSnapshot:
    """Return the snapshot of a pack without records."""
    return fold(kind_of(pack), [], policy)


def snapshot_json(snapshot: PackSnapshot) -> Any:
    """Return the digest of a snapshot for keeping."""
    return plain(digest(snapshot))


def stored_snapshot(digest: Any) -> PackSnapshot:
    """Return the snapshot that was kept."""
    return snapshot_from(digest)


def measured(snapshot: PackSnapshot) -> MeasuredPack:
    """Return what planning needs beyond flags: resistance of a mean cell at 25 °C and the weakest over it."""
    last = snapshot.history.resistance[-1].cell_ohm if snapshot.history.resistance else ()
    mean = sum(last) / len(last) if last else None
    weak = max(1.0, min(5.0, max(last) / mean)) if mean else 1.0
    return MeasuredPack(mean, weak)


@dataclass(frozen=True, slots=True)
class Flags:
    """What planning needs of a pack: health, charge, and whether and why it may not fly."""

    health_frac: float
    charge_frac: float
    grounded: bool
    grounded_why: str


def flags(snapshot: PackSnapshot, health_entered_frac: float) -> Flags:
    """Return what planning needs of a pack."""
    why = grounds(snapshot.history)
    health_frac = health_today_frac(snapshot.history, health_entered_frac)
    return Flags(health_frac, min(1.0, max(0.0, snapshot.charge_frac)), bool(why), why[:160])


def judge(snapshot: PackSnapshot, policy: PackPolicy, today: float) -> Health:
    """Return the verdict of a pack today."""
    return judge_health(snapshot.history, today, policy.health)


def line(pack: Pack, snapshot: PackSnapshot, policy: PackPolicy, today: float, next_flight: date | None) -> PackLine:
    """Return a pack as the list shows it: verdict and why, charge, cycles, and what it needs today."""
    health = judge(snapshot, policy, today)
    model = pack.model
    state = pack_state(
        pack.name,
        kind_of(pack),
        snapshot,
        drains_after_days=model.drains_after_days or policy.care.storage_after_days,
        next_flight_day=None if next_flight is None else int(_day_of_date(next_flight) or 0),
    )
    tasks = [] if pack.archived_at else care_tasks(state, health, int(today), policy.care)
    return PackLine(
        id=pack.pk,
        version=pack.version,
        archived=pack.archived_at is not None,
        name=pack.name,
        model=model.name,
        model_id=model.pk,
        mates=pack.mates,
        level=health.level,
        words=health.words,
        may_override=health.may_override,
        charge_frac=min(1.0, max(0.0, snapshot.charge_frac)),
        health_frac=health_today_frac(snapshot.history, pack.health_frac),
        health_measured=bool(snapshot.history.capacity),
        cycles=snapshot.history.cycles,
        flights=snapshot.flights_count,
        tasks=[
            CareTaskOut(kind=t.kind, due=date_of(t.due_day), words=t.words, by_itself=t.by_itself, late=int(today) - t.due_day)
            for t in tasks
        ],
    )


Shelved = tuple[Pack, PackSnapshot, PackLine]


def sets(packs: Sequence[Shelved], policy: PackPolicy) -> list[SetOut]:
    """Return the matched sets among packs, each judged."""
    groups: dict[tuple[str, str], list[Shelved]] = {}
    for one in packs:
        if one[0].mates and not one[0].archived_at:
            groups.setdefault((str(one[0].model_id), one[0].mates), []).append(one)
    found = []
    for (_, mates), group in sorted(groups.items(), key=lambda g: g[0][1]):
        if len(group) < 2:
            continue
        verdict = judge_set([_member(*one) for one in group], policy.sets)
        found.append(
            SetOut(
                mates=mates,
                model_id=group[0][0].model_id,
                packs=[p.name for p, _, _ in group],
                level=verdict.level,
                words=verdict.words,
                working=to_working(verdict.working),
            )
        )
    return found


def _member(pack: Pack, snapshot: PackSnapshot, shown: PackLine) -> SetMember:
    last = snapshot.history.resistance[-1].cell_ohm if snapshot.history.resistance else None
    mean = sum(last) / len(last) if last else None
    return SetMember(pack.name, shown.level, shown.health_frac, snapshot.history.cycles, mean)


def load_test_result(record: Record, model: PackModel, policy: PackPolicy) -> LoadTestResult | None:
    """Return the verdict of a load test record, None for any other."""
    if not isinstance(record, LoadTested):
        return None
    test = LoadTest(model.cells, record.cell_v, record.total_v, record.start_frac, record.rest_cell_v, record.pack_c)
    return judge_load_test(chemistry_of(model.chemistry), test, test_policy(model.test_good_v, model.test_bad_v, policy))


def verdict_of(record: Record, model: PackModel, policy: PackPolicy) -> VerdictOut | None:
    """Return the verdict of a load test, None for any other record."""
    found = load_test_result(record, model, policy)
    if found is None:
        return None
    return VerdictOut(
        verdict=found.verdict,
        words=found.words,
        weakest_cell=found.weakest_cell,
        weakest_v=found.weakest_v,
        working=to_working(found.working),
    )


def label(pack: Pack, snapshot: PackSnapshot, policy: PackPolicy) -> LabelFigures:
    """Return the figures of a pack's label."""
    return label_figures(
        snapshot.timed,
        pack.model.capacity_ah,
        health_today_frac(snapshot.history, pack.health_frac),
        landing_frac=policy.landing_frac,
        method=policy.reserve_method,
    )


def _price(pack: Pack) -> float | None:
    return pack.price if pack.price is not None else pack.model.price


def alarms_of(snapshot: PackSnapshot) -> AlarmsSet | None:
    """Return the alarm levels that were set for a pack."""
    return AlarmsSet(*snapshot.alarms) if snapshot.alarms else None


def body(pack: Pack, snapshot: PackSnapshot, rows: Sequence[PackRecord], policy: PackPolicy, today: float) -> PackBody:
    """Return everything that a pack's page draws beside its line of the list and its records."""
    health = judge(snapshot, policy, today)
    h, model = snapshot.history, pack.model
    ahead = forecast(h, policy.health)
    chemistry = chemistry_of(model.chemistry)
    figures = label(pack, snapshot, policy)
    cap, growth = policy.health.capacity_frac, policy.health.resistance_growth
    trend = robust_trend([c.cycles for c in h.capacity], [c.health_frac for c in h.capacity])
    worst_25 = max(h.resistance[-1].cell_ohm) if h.resistance else None
    true_a = sustainable_current_a(model.capacity_ah, worst_25) if worst_25 else None
    spoiled = h.swollen or h.damaged
    transport = transport_advice(model.cells, model.nominal_cell_v, model.capacity_ah, spoiled=spoiled)
    grown = worst_growth(h.resistance)
    return PackBody(
        life=_life(pack, rows, today, policy),
        rules=[_rule(r) for r in health.rules],
        resistance=[ResistanceOut(at=date_of(r.day), cycles=r.cycles, cell_ohm=list(r.cell_ohm)) for r in h.resistance],
        worst_cell=grown[1] if grown else None,
        first_ohm=first_ohm(h.resistance)[grown[1] - 1] if grown else None,
        capacity=[CapacityOut(at=date_of(c.day), cycles=c.cycles, health_frac=c.health_frac) for c in h.capacity],
        capacity_trend=trend,
        capacity_ahead=trend_ahead(trend, h.capacity[-1].cycles, cap.replace) if trend is not None else None,
        capacity_limits=LimitsOut(watch=cap.watch, replace=cap.replace),
        resistance_limits=LimitsOut(watch=growth.watch, replace=growth.replace),
        forecast=ahead,
        tests=_tests(rows, model, policy),
        test_levels=LevelsOut(
            good=model.test_good_v or chemistry.test_good_v,
            bad=model.test_bad_v or chemistry.test_bad_v,
            full=chemistry.full_v,
        ),
        flown_s=snapshot.flown_s,
        flights=snapshot.flights_count,
        money=_money(pack, snapshot, ahead.cycles_left),
        label=LabelOut(
            hard_s=figures.hard_s,
            gentle_s=figures.gentle_s,
            shown_frac=figures.shown_frac,
            flights=figures.flights,
            alarms=alarms_of(snapshot),
        ),
        true_a=true_a,
        true_c=rate_of_current(true_a, model.capacity_ah) if true_a else None,
        transport=TransportOut(
            energy_wh=transport.energy_wh,
            travel=transport.travel,
            most_charge_frac=transport.most_charge_frac,
            words=transport.words,
            too_full=(transport.most_charge_frac or 1.0) < snapshot.charge_frac - 0.005,
        ),
        chemistry=chemistry.name,
        volts_tell=chemistry.volts_tell,
        depth=_depth(pack, snapshot, ahead, policy),
        warranty=_warranty(pack, int(today)),
    )


def _depth(pack: Pack, snapshot: PackSnapshot, ahead: Forecast, policy: PackPolicy) -> DepthTable | None:
    """Return what several depths give over the life of a pack; None before a timed flight says how fast it is drawn."""
    flown_s, put_back_ah = sum(t.flown_s for t in snapshot.timed), sum(t.put_back_ah for t in snapshot.timed)
    if flown_s <= 0 or put_back_ah <= 0:
        return None
    h = snapshot.history
    shares = [t.used_frac for t in snapshot.timed if t.used_frac is not None]
    used = sum(shares) / len(shares) if shares else 1.0 - policy.landing_frac
    full_s = pack.model.capacity_ah * health_today_frac(h, pack.health_frac) / (put_back_ah / flown_s)
    if ahead.cycles_left is not None:
        cycles, source = h.cycles + ahead.cycles_left, MEASURED
    else:
        cycles, source = policy.health.cycles.replace or 300.0, ASSUMED
    try:
        return depth_table(max(1.0, cycles), used, full_s, _price(pack), policy.depth.power_count, source=source)
    except CoreError:
        return None


def _warranty(pack: Pack, today: int) -> WarrantyOut | None:
    terms = WarrantyTerms(pack.model.warranty_replace_days, pack.model.warranty_prorata_days)
    found = warranty_of(terms, _day_of_date(pack.bought_on), today)
    if found is None:
        return None
    until = [None if d is None else date_of(d) for d in (found.replace_until_day, found.prorata_until_day)]
    return WarrantyOut(replace_until=until[0], prorata_until=until[1], share_frac=found.share_frac, words=found.words)


def _life(pack: Pack, rows: Sequence[PackRecord], today: float, policy: PackPolicy) -> LifeOut:
    life = life_of(kind_of(pack), entries(rows), today, policy)
    return LifeOut(
        beds=[
            LifeBedOut(begins=date_of(b.from_day), ends=date_of(b.to_day), state=b.state, flights=b.flights) for b in life.beds
        ],
        marks=[MarkOut(at=date_of(m.at_day), words=m.words, grave=m.grave) for m in life.marks],
    )


def _rule(r: HealthRule) -> RuleOut:
    return RuleOut(
        name=r.name,
        level=r.level,
        measured=r.measured,
        unit=r.unit,
        limits=[RuleLimit(kind=x.kind, value=x.value, falling=x.falling) for x in r.limits],
        says=r.says,
        words=r.words,
        source=r.source.words,
    )


def _money(pack: Pack, snapshot: PackSnapshot, cycles_left: float | None) -> MoneyOut | None:
    price, cost = _price(pack), _cost(pack, snapshot, cycles_left)
    if price is None or cost is None:
        return None
    return MoneyOut(price=price, so_far=cost.so_far, over_life=cost.over_life)


def _tests(rows: Sequence[PackRecord], model: PackModel, policy: PackPolicy) -> list[TestOut]:
    by_key = {str(r.key): r for r in rows}
    found = []
    for e in standing_entries(entries(rows)):
        try:
            result = load_test_result(e.record, model, policy)
        except CoreError:
            continue
        if result is not None and isinstance(e.record, LoadTested):
            row = by_key[e.key]
            found.append(
                TestOut(
                    key=row.key,
                    at=row.at,
                    cell_v=list(e.record.cell_v),
                    verdict=result.verdict,
                    weakest_cell=result.weakest_cell,
                    weakest_v=result.weakest_v,
                    words=result.words,
                )
            )
    return found


def working(pack: Pack, snapshot: PackSnapshot, policy: PackPolicy, today: float, key: str) -> WorkingOut | None:
    """Return the working of one number of a pack's page by its key, None if there is none."""
    if key == "verdict":
        return to_working(judge(snapshot, policy, today).working)
    if key.startswith("rule."):
        rule = next((r for r in judge(snapshot, policy, today).rules if r.name == key[5:]), None)
        return to_working(rule_working(snapshot.history, rule)) if rule else None
    title, func = _WORKINGS.get(key, ("", None))
    if func is None:
        return None
    explained = explain(func, pack, snapshot, policy)
    if not explained.steps:
        return None
    last = explained.steps[-1]
    return to_working(Working(title, last.value, last.unit, explained.steps))


def _cost(pack: Pack, snapshot: PackSnapshot, cycles_left: float | None) -> Money | None:
    price = _price(pack)
    if price is None:
        return None
    recorded = snapshot.history.cycles - pack.cycles
    return money(price, snapshot.flown_s, recorded, cycles_left, before_count=pack.cycles)


def _sustainable(pack: Pack, snapshot: PackSnapshot, _policy: PackPolicy) -> object:
    if not snapshot.history.resistance:
        return None
    worst = max(snapshot.history.resistance[-1].cell_ohm)
    return rate_of_current(sustainable_current_a(pack.model.capacity_ah, worst), pack.model.capacity_ah)


def _draw(_pack: Pack, snapshot: PackSnapshot, _policy: PackPolicy) -> object:
    return [draw_a(f.put_back_ah, f.flown_s) for f in snapshot.timed[-5:]]


_WORKINGS: dict[str, tuple[str, Any]] = {
    "forecast": ("Cycles left", lambda _p, s, policy: forecast(s.history, policy.health)),
    "money": ("For each minute so far", lambda p, s, _policy: _cost(p, s, None)),
    "money.life": (
        "For each minute over its life",
        lambda p, s, policy: _cost(p, s, forecast(s.history, policy.health).cycles_left),
    ),
    "label": ("Minutes on the label", label),
    "current": ("Current that its resistance can bear", _sustainable),
    "draw": ("Draw of its last flights", _draw),
}


def bench_ratio(pack: Pack, row: Charging) -> float | None:
    """Return how long a charge at the bench to full took, in times of what the law says; None if it tells nothing."""
    if row.ended_at is None:
        return None
    energy_wh = energy_today_wh(pack)
    length_s = (row.ended_at - row.began_at).total_seconds()
    return charge_ratio(
        energy_wh, row.from_frac, 1.0, row.rate_c * energy_wh, charge_law(pack.model), length_s, pack.model.balance_s
    )


def bench(pack: Pack, asked: ChargeAsked, port_w: float | None, supply_leads: int) -> BenchOut:
    """Return the steps of a charge at the bench; raises `RecordRefused` if this pack must not be charged."""
    m = pack.model
    on_bench = OnBench(
        chemistry_of(m.chemistry),
        m.cells,
        m.capacity_ah,
        m.most_rate_c,
        asked.pack_c,
        None,
        pack.grounded_why or "grounded" if pack.grounded else "",
        asked.shown,
        supply_leads,
    )
    explained = explain(bench_charge, on_bench, goal=asked.goal, rate_c_count=asked.rate_c, port_w=port_w)
    last = explained.steps[-1]
    return BenchOut(
        current_a=explained.value.current_a,
        full_v=explained.value.full_v,
        on=list(explained.value.on),
        off=list(explained.value.off),
        cautions=list(explained.value.cautions),
        working=to_working(Working("Current of the charge", last.value, last.unit, explained.steps)),
    )
