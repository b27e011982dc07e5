"""A day as it was flown: its sorties, its swaps, its charges, and how it kept to its plan."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import NAMESPACE_URL, UUID, uuid5

from quarry.apps.day.fields import later
from quarry.apps.day.mappers.live import Reading
from quarry.apps.day.models import LandedSortie
from quarry.apps.day.repository import FLOWN_SCHEMA, FlownCharge, FlownDay, RunFrame
from quarry.core.day.events import standing
from quarry.core.day.observed import observed
from quarry.core.day.records import DayCharge
from quarry.core.day.state import DayState, Frame, share_of_whole
from quarry.core.rotation.scatter import LearnedScatter, PromiseKept, Scatter, learn

_LONGEST_SWAP = 2.5  # times the swap that was entered; longer was waiting or lunch


def flown_day(r: Reading, landed: list[LandedSortie]) -> FlownDay:
    """Return how a day kept to its plan so far, from the sorties that have landed."""
    kept = r.kept
    planned = {f.flight for f in kept.plan.flights}
    flown_as_planned = [s for s in landed if s.sortie in planned]
    return FlownDay(
        FLOWN_SCHEMA,
        kept.plan.makespan_s,
        kept.p90_s,
        max((s.landing_s for s in landed), default=None),
        len(planned),
        sum(s.planned_s for s in flown_as_planned),
        len(landed),
        sum(s.landing_s - s.takeoff_s for s in flown_as_planned),
        tuple(_swaps(kept, r.frame, r.state)),
        tuple(FlownCharge(c.key, c.pack, c.pack_w) for c in r.records if isinstance(c, DayCharge)),
        kept.p50_s,
        observed(r.frame, r.events),
    )


def told_by(assumed: Scatter, days: Sequence[FlownDay]) -> tuple[LearnedScatter, PromiseKept]:
    """Return what flown and closed days tell of how times scatter, and how their forecasts were kept."""
    promised = [d for d in days if d.promised_s is not None and d.promised_half_s is not None and d.finish_s is not None]
    kept = PromiseKept(
        len(promised),
        sum(d.finish_s <= d.promised_half_s for d in promised if d.finish_s is not None and d.promised_half_s is not None),
        sum(d.finish_s <= d.promised_s for d in promised if d.finish_s is not None and d.promised_s is not None),
    )
    return learn(assumed, [d.times for d in days]), kept


def landed_sorties(r: Reading, opens: datetime) -> list[LandedSortie]:
    """Return the sorties of a day that have landed as rows, in order of take-off; nothing is written."""
    kept, frame, state = r.kept, r.frame, r.state
    who = {str(e.get("flight")): e.who for e in standing(r.events) if e.kind == "launched"}
    found = []
    for f in state.flights.values():
        if f.word != "landed" or not math.isfinite(f.takeoff_s) or f.landing_s <= f.takeoff_s:
            continue
        figures = kept.figures(f.id)
        route = frame.routes.get(f.id.rstrip("+"))
        planned = state.sorties[f.id]
        packs = list(frame.members.get(f.set, ()))
        row = LandedSortie(
            organisation_id=r.run.organisation_id,
            run=r.run,
            sortie=f.id,
            key=f.key,
            took_off_at=later(opens, f.takeoff_s),
            takeoff_s=f.takeoff_s,
            landing_s=f.landing_s,
            to_frac=f.left_frac if math.isfinite(f.left_frac) else None,
            aircraft_id=UUID(f.aircraft),
            aircraft_name=kept.aircraft_name(f.aircraft),
            packs=packs,
            pack_ids=[kept.pack_ids[n] for n in packs],
            record_keys=[str(k) for k in record_keys(r.run.pk, f.key, packs)],
            job_id=UUID(figures.job) if figures else None,
            letter=figures.letter if figures else "",
            who=who.get(f.id, ""),
            planned_s=planned.flight_s,
            planned_frac=planned.energy_frac,
            hectares=route.area_ha * share_of_whole(state, f.id) * f.done_frac if route else 0.0,
            work=f.work,
            what=route.what if route else "",
            air_c=kept.air_c,
        )
        found.append(row)
    return sorted(found, key=lambda s: (s.takeoff_s, s.sortie))


@dataclass(frozen=True, slots=True)
class LookAtLanding:
    """What was seen of one pack at a landing, under the key of its record."""

    key: UUID
    pack_id: str
    figures: Mapping[str, bool | str]


def looks_of(r: Reading) -> list[LookAtLanding]:
    """Return what was seen of packs at the landings of a day: those that came down wet or swollen."""
    found = []
    for f in r.state.flights.values():
        if f.word != "landed" or not {"wet", "swollen"} & set(f.marks):
            continue
        seen: dict[str, bool | str] = {"moisture": "wet" in f.marks, "swelling": "swollen" in f.marks}
        figures = {k: v for k, v in seen.items() if v} | {"words": f"landing of {f.id}", "of": str(r.run.pk)}
        for name in r.frame.members.get(f.set, ()):
            key = record_keys(r.run.pk, f"{f.key}-{'-'.join(sorted(f.marks))}", [name], "look")[0]
            found.append(LookAtLanding(key, r.kept.pack_ids[name], figures))
    return found


def record_keys(run_id: UUID, key: str, packs: Sequence[str], kind: str = "flight") -> list[UUID]:
    """Return the keys under which a sortie, or a charge, is written into the records of its packs."""
    return [uuid5(NAMESPACE_URL, f"{run_id}/{key}/{name}/{kind}") for name in packs]


def _swaps(kept: RunFrame, frame: Frame, state: DayState) -> list[float]:
    entered = frame.task.swap_s / (kept.swap_times or 1.0)
    found = []
    for craft in {f.aircraft for f in state.flights.values()}:
        flights = sorted(
            (f for f in state.flights.values() if f.aircraft == craft and f.word == "landed"), key=lambda f: f.takeoff_s
        )
        gaps = [(b.takeoff_s - a.landing_s) / entered for a, b in zip(flights[:-1], flights[1:], strict=True)]
        found += [g for g in gaps if 0.0 < g <= _LONGEST_SWAP]
    return found
