"""What a day is planned from, by keys that stay the same when names change, and how two plans of it differ in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from quarry.core.dayplan.task import DayTask

_FIXED = "fixed"


@dataclass(frozen=True, slots=True)
class PlanInput:
    """One thing that a day is planned from: what it is called, and how it stands."""

    name: str
    value: str


@dataclass(frozen=True, slots=True)
class HourWord:
    """The verdict of an hour: go, care or no; ``unknown``: nothing is known of it."""

    word: str
    unknown: bool


def plan_inputs(
    day: DayTask, hours: Mapping[str, Sequence[HourWord]], problems: Sequence[tuple[str, str, str]]
) -> dict[str, PlanInput]:
    """Return what a day is planned from, by stable keys.

    ``hours``: by id of the job its hours judged; ``problems``: (id, name, why) of each job that could not be planned.
    """
    task, inputs = day.task, day.inputs
    found: dict[str, PlanInput] = {}
    for s in task.sets:
        slow = "" if s.slowness == 1.0 else f", charges {s.slowness:.2f} times as long as computed"
        value = f"{s.start_frac:.0%} at start, {s.capacity_wh:.0f} Wh each{slow}"
        found["set:" + "+".join(p.id for p in day.members[s.id])] = PlanInput(f"pack {s.id}", value)
    ids = {p.name: p.id for p in inputs.packs}
    for name, why in day.left_out.items():
        found[f"set:{ids.get(name, name)}"] = PlanInput(f"pack {name}", f"left out: {why}")
    for job in inputs.jobs:
        minutes = sum(f.flight_s for f in task.flights if day.flights[f.id].job == job.id) / 60
        found[f"job:{job.id}"] = PlanInput(f"job {job.letter}", f"{len(job.sorties)} sorties, {minutes:.0f} min in the air")
        if job.id in hours:
            found[f"hours:{job.id}"] = PlanInput(f"weather window of {job.letter}", _hours(hours[job.id]))
    for job_id, name, why in problems:
        found[f"job:{job_id}"] = PlanInput(f"job {name}", f"not planned: {why}")
    spans = ", ".join(f"{a / 3600:.2f} to {b / 3600:.2f} h" for a, b in task.windows or ())
    found["hours"] = PlanInput("hours", spans)
    found["supply"] = PlanInput("supply", "no limit" if task.site_power_w is None else f"{task.site_power_w:.0f} W")
    found["chargers"] = PlanInput("chargers", ", ".join(f"{c.name} ({c.ports})" for c in day.chargers) or "none")
    found["bench"] = PlanInput("where packs lie", f"{inputs.bench_c:.0f} °C")
    found["swap"] = PlanInput("swap", f"{task.swap_s / 60:g} min")
    for job in inputs.jobs:
        if job.fill_s > task.swap_s:
            found[f"fill:{job.id}"] = PlanInput(f"mixing and filling for {job.letter}", f"{job.fill_s / 60:g} min")
    found["rest_after_flight"] = PlanInput("rest after flight", f"{task.rest_after_flight_s / 60:g} min")
    found["rest_after_charge"] = PlanInput("rest after charge", f"{task.rest_after_charge_s / 60:g} min")
    found |= {f"learned:{key}": PlanInput(key, words) for key, words in inputs.learned.words.items()}
    names = {a.id: a.name for a in day.aircraft}
    for crew in task.crews:
        found["crew:" + "+".join(sorted(crew.aircraft))] = PlanInput(crew.id, " and ".join(names[a] for a in crew.aircraft))
    for source in day.supply.each:
        for n, (a, b) in enumerate(source.stops):
            value = f"{inputs.hours.clock(a)} to {inputs.hours.clock(b)}"
            found[f"refuel:{source.name}:{n}"] = PlanInput(f"refuelling of {source.name}", value)
    for pin in inputs.pins:
        found[f"pin:{pin.kind}:{pin.flight}:{pin.set}:{pin.port}:{pin.from_s}:{pin.to_s}"] = PlanInput(pin.words, _FIXED)
    for key in ("packs", "rates", "aim"):
        found[f"method:{key}"] = PlanInput(f"method of {key}", getattr(inputs.methods, key))
    return found


def _hours(hours: Sequence[HourWord]) -> str:
    words = "".join("?" if h.unknown else {"go": "o", "care": "c", "no": "x"}[h.word] for h in hours)
    closed = sum(h.word == "no" and not h.unknown for h in hours)
    return f"{closed} of {len(hours)} hours closed ({words})"


def changes(before: Mapping[str, PlanInput], now: Mapping[str, PlanInput]) -> list[str]:
    """Return in sentences what is different."""
    found = []
    for key in dict.fromkeys([*before, *now]):
        a, b = before.get(key), now.get(key)
        if a == b:
            continue
        if a is None and b is not None:
            found.append(f"fixed: {b.name}" if b.value == _FIXED else f"{b.name}: {b.value}")
        elif b is None and a is not None:
            found.append(f"no longer fixed: {a.name}" if a.value == _FIXED else f"{a.name}: no longer in the day")
        elif a is not None and b is not None:
            renamed = "" if a.name == b.name else f" (now {b.name})"
            found.append(
                f"{a.name}{renamed}: {a.value} → {b.value}" if a.value != b.value else f"{a.name} is now called {b.name}"
            )
    return found
