"""What each pack needs from a person today, and why."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from quarry.core.base.errors import require_range
from quarry.core.packs.health import Health

TaskKind = Literal[
    "recycle", "take out of service", "load test", "bring to storage", "monthly check", "balance", "order successor"
]
_URGENT: tuple[TaskKind, ...] = (
    "recycle",
    "take out of service",
    "load test",
    "bring to storage",
    "monthly check",
    "balance",
    "order successor",
)


@dataclass(frozen=True, slots=True)
class CarePolicy:
    """After how many days without a flight a pack goes to storage charge, is checked, or is tested before it serves."""

    storage_after_days: int = 3
    check_every_days: int = 30
    test_after_days: int = 21
    storage_frac: float = 0.6
    storage_slack_frac: float = 0.1
    balance_from_v: float = 0.02

    def __post_init__(self) -> None:
        require_range(self.storage_after_days, 0, 60, "policy.storage_after_days", "Storage after", "days")
        require_range(self.check_every_days, 1, 365, "policy.check_every_days", "Check every", "days")
        require_range(self.test_after_days, 1, 365, "policy.test_after_days", "Test after", "days")
        require_range(self.storage_frac, 0.2, 0.8, "policy.storage_frac", "Storage charge", "")


@dataclass(frozen=True, slots=True)
class PackState:
    """What is known of a pack on its shelf; days on any common count, None where it never happened.

    ``drains_after_days`` is set where the pack brings itself down to storage charge, and when it begins to;
    ``testable`` is false where the load test says nothing of its chemistry.
    """

    name: str
    charge_frac: float
    in_service_day: int
    last_used_day: int | None = None
    last_tested_day: int | None = None
    last_checked_day: int | None = None
    next_flight_day: int | None = None
    drains_after_days: int | None = None
    rest_spread_v: float | None = None
    successor_ordered: bool = False
    out_of_service: bool = False
    testable: bool = True


@dataclass(frozen=True, slots=True)
class CareTask:
    """One thing to do: since or from when it is due, why, and whether the pack does it by itself."""

    pack: str
    kind: TaskKind
    due_day: int
    words: str
    by_itself: bool = False


def _leaving(health: Health) -> tuple[TaskKind, str]:
    if health.may_override:
        return "take out of service", health.words
    return "recycle", "Swollen or damaged: to recycling, in a fire-resistant container until then."


def care_tasks(state: PackState, health: Health, today_day: int, policy: CarePolicy | None = None) -> tuple[CareTask, ...]:
    """Return what a pack needs today, most urgent first.

    A pack that is to fly within the days after which it would go to storage is left as it is. A grounded pack is
    never charged or tested: it leaves.
    """
    p = policy or CarePolicy()
    found: list[CareTask] = []

    def add(kind: TaskKind, due: int, words: str, *, by_itself: bool = False) -> None:
        if due <= today_day:
            found.append(CareTask(state.name, kind, due, words, by_itself))

    if health.level == "grounded":
        if not state.out_of_service:
            kind, words = _leaving(health)
            add(kind, today_day, words)
        return tuple(found)
    seen = [d for d in (state.last_used_day, state.last_tested_day) if d is not None]
    used = max(seen, default=state.in_service_day)
    idle = today_day - used
    soon = state.next_flight_day is not None and state.next_flight_day - today_day <= p.storage_after_days
    over = state.charge_frac - p.storage_frac
    if not soon and over > p.storage_slack_frac:
        if state.drains_after_days is not None:
            due = used + state.drains_after_days
            add(
                "bring to storage",
                due,
                f"It brings itself down from {state.charge_frac:.0%} by now: look that it did.",
                by_itself=True,
            )
        else:
            words = f"{state.charge_frac:.0%} charged and {idle} days without a flight: bring it to {p.storage_frac:.0%}."
            add("bring to storage", used + p.storage_after_days, words)
    elif not soon and over < -p.storage_slack_frac:
        add(
            "bring to storage",
            used + p.storage_after_days,
            f"Only {state.charge_frac:.0%} left: charge it to {p.storage_frac:.0%}.",
        )
    checked = max(
        [*seen, *([state.last_checked_day] if state.last_checked_day is not None else [])], default=state.in_service_day
    )
    add(
        "monthly check",
        checked + p.check_every_days,
        f"{today_day - checked} days since it was looked at: volts, swelling, top up.",
    )
    tested = state.last_tested_day
    if not state.testable:
        pass
    elif tested is None:
        add(
            "load test",
            today_day if state.next_flight_day is not None else used + p.test_after_days,
            "Never load-tested: new packs fail too.",
        )
    elif idle >= p.test_after_days:
        add("load test", used + p.test_after_days, f"{idle} days in storage: test it before it flies.")
    if state.rest_spread_v is not None and state.rest_spread_v >= p.balance_from_v:
        add("balance", today_day, f"Its cells rest {1000 * state.rest_spread_v:.0f} mV apart: charge it with the balance lead.")
    if health.level == "replace soon" and not state.successor_ordered:
        add("order successor", today_day, health.words)
    return tuple(sorted(found, key=lambda t: (_URGENT.index(t.kind), t.due_day)))
