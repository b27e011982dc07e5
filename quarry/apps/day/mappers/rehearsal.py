"""Rehearsals: the simulated world of the core, to and from what is kept of it, and what screens show."""

from __future__ import annotations

import math
from uuid import UUID

from quarry.apps.day.models import DayRun
from quarry.apps.day.repository import RehearsalSettings, RunFrame, WorldMemory, rehearsal_from, rotation_from
from quarry.apps.day.views.live import BetterOut, FaultKind, FaultOut, RehearsalOut
from quarry.core.base.errors import CoreError, MissingInput, require_range
from quarry.core.day.calls import DayCall
from quarry.core.day.events import Event
from quarry.core.day.playing import play_on, rehearse
from quarry.core.day.rehearsal import FAULTS, Fault, World
from quarry.core.day.state import Frame
from quarry.core.rotation.scatter import Scatter, without_reaction


def fault_of(kind: str, at_s: float, about: str, length_s: float, frame: RunFrame, field: str) -> Fault:
    """Return a fault; raises `CoreError` at what cannot go wrong on this day."""
    pre = f"{field}." if field else ""
    if kind not in FAULTS:
        raise MissingInput(f"A fault is one of {', '.join(FAULTS)}.", f"{pre}kind")
    require_range(at_s, 0.0, 24 * 3600.0, f"{pre}at_s", "The time of a fault", "s")
    require_range(length_s, 30.0, 6 * 3600.0, f"{pre}length_s", "The length of a fault", "s")
    ports = sum(c.ports for c in frame.task.chargers)
    known = {*frame.flights, *frame.pack_ids, *(str(n) for n in range(1, ports + 1))}
    if about and about.rstrip("+") not in known:
        raise MissingInput(f"{about} is no sortie, pack or port of this day.", f"{pre}about")
    return Fault(kind, at_s, about, length_s)


def world_of(kept: RehearsalSettings, frame: Frame, scatter: Scatter) -> World:
    """Return the simulated world of a rehearsal as it was left; its times scatter as those of the day were forecast to."""
    m = kept.memory
    return World(
        frame,
        kept.seed,
        list(kept.faults),
        scatter,
        made=m.made,
        struck=set(m.struck),
        mute_until_s=-math.inf if m.mute_until_s is None else m.mute_until_s,
        put_off=dict(m.put_off),
        length=dict(m.length),
        early=dict(m.early),
        weak=set(m.weak),
        due=dict(m.due),
        owed=list(m.owed),
    )


def memory_of(world: World) -> WorldMemory:
    """Return what a simulated world remembers."""
    return WorldMemory(
        made=world.made,
        due=dict(world.due),
        put_off=dict(world.put_off),
        length=dict(world.length),
        early=dict(world.early),
        mute_until_s=world.mute_until_s if math.isfinite(world.mute_until_s) else None,
        owed=list(world.owed),
        struck=sorted(world.struck),
        weak=sorted(world.weak),
    )


def play(
    run: DayRun, kept: RunFrame, frame: Frame, world: World, events: list[Event], now_s: float
) -> tuple[list[Event], tuple[DayCall, ...]]:
    """Return what happens in a rehearsal up to now, each thing at its own time, and the calls it was answered by."""
    by_hand = rehearsal_from(run).by_hand
    return play_on(frame, rotation_from(run.current), world, events, now_s, kept.turn_backs_s, air_c=kept.air_c, by_hand=by_hand)


def fault_kinds() -> list[FaultKind]:
    """Return what can go wrong, each with its words."""
    return [FaultKind(k, w) for k, w in FAULTS.items()]


def to_rehearsal(run: DayRun, of: UUID, now_s: float) -> RehearsalOut:
    """Return a rehearsal as a screen shows it."""
    kept = rehearsal_from(run)
    struck = set(kept.memory.struck)
    return RehearsalOut(
        id=run.day_id,
        of=of,
        now_s=now_s,
        speed=run.speed,
        seed=kept.seed,
        by_hand=kept.by_hand,
        closed=run.closed_at is not None,
        faults=[FaultOut(f.kind, f.at_s, f.about, f.length_s, FAULTS[f.kind], k in struck) for k, f in enumerate(kept.faults)],
        can=fault_kinds(),
        better=kept.better,
    )


def better_answers(kept: RehearsalSettings, frame: RunFrame) -> BetterOut:
    """Return how the same world would have gone with every call answered at once, with its faults and without.

    Each is the last landing and how many sorties were flown by then, those that were flown on counted too.
    """
    core = frame.core()

    def played(faults: list[Fault]) -> tuple[float | None, int]:
        try:
            prompt_crew = World(core, kept.seed, faults, without_reaction(frame.scatter))
            day = rehearse(core, frame.plan, prompt_crew, frame.turn_backs_s)
        except CoreError:
            return None, 0
        return (day.debrief.flown_s if math.isfinite(day.debrief.flown_s) else None), day.debrief.sorties

    prompt_s, prompt = played(list(kept.faults))
    calm_s, calm = played([]) if kept.faults else (None, 0)
    return BetterOut(prompt_s, prompt, calm_s, calm)
