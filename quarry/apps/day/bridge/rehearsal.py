"""Rehearsals: the simulated world of the core, to and from plain data."""

from __future__ import annotations

import math
from dataclasses import fields
from typing import Any

from quarry.apps.day.bridge.live import rotation_of
from quarry.apps.day.models import DayRun
from quarry.core.base.errors import CoreError, MissingInput, require_range
from quarry.core.day.calls import DayCall, calls_from
from quarry.core.day.debrief import rehearse
from quarry.core.day.events import Event
from quarry.core.day.rehearsal import FAULTS, Fault, World
from quarry.core.day.replan import replan
from quarry.core.day.state import DayState, Frame

_KEPT = ("made", "due", "put_off", "length", "early", "mute_until_s", "owed", "struck", "weak")
_PROMPT_STEP_S = 30.0


def check_fault(fault: dict[str, Any], frame: dict[str, Any], field: str) -> None:
    """Raise `EventRefused` at what cannot go wrong on this day."""
    pre = f"{field}." if field else ""
    if fault["kind"] not in FAULTS:
        raise MissingInput(f"A fault is one of {', '.join(FAULTS)}.", f"{pre}kind")
    require_range(fault["at_s"], 0.0, 24 * 3600.0, f"{pre}at_s", "The time of a fault", "s")
    require_range(fault["length_s"], 30.0, 6 * 3600.0, f"{pre}length_s", "The length of a fault", "s")
    about = str(fault["about"])
    ports = sum(c["ports"] for c in frame["task"]["chargers"])
    known = {*frame["flights"], *frame["pack_ids"], *(str(n) for n in range(1, ports + 1))}
    if about and about.rstrip("+") not in known:
        raise MissingInput(f"{about} is no sortie, pack or port of this day.", f"{pre}about")


def world_of(run: DayRun, frame: Frame) -> World:
    """Return the simulated world of a rehearsal as it was left."""
    kept = run.rehearsal
    world = World(frame, kept["seed"], [Fault(**f) for f in kept["faults"]])
    for name, value in kept["memory"].items():
        if name == "owed":
            world.owed = [(at, kind, figures) for at, kind, figures in value]
        elif name in ("struck", "weak"):
            setattr(world, name, set(value))
        elif name == "mute_until_s":
            world.mute_until_s = -math.inf if value is None else value
        else:
            setattr(world, name, value)
    return world


def memory_of(world: World) -> dict[str, Any]:
    """Return what a simulated world remembers, as plain data."""
    found = {f.name: getattr(world, f.name) for f in fields(world) if f.name in _KEPT}
    mute = world.mute_until_s if math.isfinite(world.mute_until_s) else None
    return found | {
        "struck": sorted(world.struck),
        "weak": sorted(world.weak),
        "owed": [list(o) for o in world.owed],
        "mute_until_s": mute,
    }


def step(run: DayRun, frame: Frame, world: World, state: DayState, now_s: float) -> tuple[list[Event], tuple[DayCall, ...]]:
    """Return what happens in a rehearsal up to now, and the calls it was answered by."""
    had = replan(frame, state, rotation_of(run.current), now_s, anew=False)
    kept = run.frame
    calls = calls_from(frame, state, had.task, had.plan, now_s, kept["turn_backs_s"], kept["air_c"])
    return world.step(state, calls, now_s, by_hand=run.rehearsal["by_hand"]), calls


def faults_told() -> list[dict[str, str]]:
    """Return what can go wrong, each with its words."""
    return [{"kind": k, "words": w} for k, w in FAULTS.items()]


def rehearsal_told(run: DayRun) -> dict[str, Any]:
    """Return a rehearsal as a screen shows it."""
    kept = run.rehearsal
    struck = set(kept["memory"].get("struck", ()))
    return {
        "speed": run.speed,
        "seed": kept["seed"],
        "by_hand": kept["by_hand"],
        "closed": run.closed_at is not None,
        "faults": [f | {"words": FAULTS[f["kind"]], "struck": k in struck} for k, f in enumerate(kept["faults"])],
        "can": faults_told(),
        "better": kept.get("better"),
    }


def better_answers(run: DayRun, frame: Frame) -> dict[str, Any]:
    """Return how the same world would have gone with every call answered at once, with its faults and without.

    Each is the last landing and how many sorties were flown by then, those that were flown on counted too.
    """
    kept, plan = run.rehearsal, rotation_of(run.frame["plan"])

    def played(faults: list[Fault]) -> tuple[float | None, int]:
        try:
            day = rehearse(frame, plan, World(frame, kept["seed"], faults), run.frame["turn_backs_s"], step_s=_PROMPT_STEP_S)
        except CoreError:
            return None, 0
        return (day.debrief.flown_s if math.isfinite(day.debrief.flown_s) else None), day.debrief.sorties

    prompt_s, prompt = played([Fault(**f) for f in kept["faults"]])
    calm_s, calm = played([]) if kept["faults"] else (None, 0)
    return {"prompt_s": prompt_s, "prompt_sorties": prompt, "calm_s": calm_s, "calm_sorties": calm}
