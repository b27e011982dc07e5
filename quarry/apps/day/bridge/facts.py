"""What a plan was made from, in words, so that two plans can be told apart by a person."""

from __future__ import annotations

from quarry.apps.day.bridge.pins import pin_words
from quarry.apps.day.bridge.plan import Roster


def facts_of(r: Roster) -> dict[str, str]:
    """Return by name what a day was planned from."""
    task = r.task
    found: dict[str, str] = {}
    for s in task.sets:
        slow = "" if s.slowness == 1.0 else f", charges {s.slowness:.2f} times as long as computed"
        found[f"pack {s.id}"] = f"{s.start_frac:.0%} at start, {s.capacity_wh:.0f} Wh each{slow}"
    for name, why in r.left_out.items():
        found[f"pack {name}"] = f"left out: {why}"
    for g in r.gates:
        mine = [f for f in task.flights if r.flights[f.id].letter == g.letter]
        minutes = sum(f.flight_s for f in mine) / 60
        found[f"job {g.letter}"] = f"{len(mine)} sorties, {minutes:.0f} min in the air"
        words = "".join({"go": "o", "care": "c", "no": "x"}[h.word] if not h.unknown else "?" for h in g.hours)
        closed = sum(h.word == "no" and not h.unknown for h in g.hours)
        found[f"gate of {g.letter}"] = f"{closed} of {len(g.hours)} hours closed ({words})"
    for p in r.problems:
        found[f"job {p.name}"] = f"not planned: {p.message}"
    found["hours"] = ", ".join(f"{a / 3600:.2f} to {b / 3600:.2f} h" for a, b in task.windows or ())
    found["supply"] = "no limit" if task.site_power_w is None else f"{task.site_power_w:.0f} W"
    found["chargers"] = ", ".join(f"{c.name} ({c.model.ports})" for c in r.chargers) or "none"
    found["where packs lie"] = f"{r.bench_c:.0f} °C"
    found["swap"] = f"{task.swap_s / 60:g} min"
    found["rest after flight"] = f"{task.rest_after_flight_s / 60:g} min"
    found["rest after charge"] = f"{task.rest_after_charge_s / 60:g} min"
    found |= r.learnt
    for pin in r.pins:
        found[pin_words(pin)] = "fixed"
    for key, value in r.schools.items():
        found[f"school of {key}"] = value
    return found


def changes(before: dict[str, str], now: dict[str, str]) -> list[str]:
    """Return in sentences what is different."""
    found = []
    for key in dict.fromkeys([*before, *now]):
        a, b = before.get(key), now.get(key)
        if a == b:
            continue
        if a is None:
            found.append(f"{key}: {b}" if b != "fixed" else f"fixed: {key}")
        elif b is None:
            found.append(f"{key}: no longer in the day" if a != "fixed" else f"no longer fixed: {key}")
        else:
            found.append(f"{key}: {a} → {b}")
    return found
