"""Writing limits: sheets with reasons, preflight lists, overrides with right, name and reason."""

from __future__ import annotations

from datetime import date
from typing import Any
from uuid import UUID, uuid4

from django.db import IntegrityError, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Stale, record
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.selectors import job_of
from quarry.apps.limits import bridge
from quarry.apps.limits.models import LimitSheet, Preflight
from quarry.apps.limits.selectors import judged, page, preflight_of

Plain = dict[str, Any]


def _who(actor: User) -> str:
    return actor.full_name or actor.username


@transaction.atomic
def save_sheet(
    *,
    actor: User,
    level: str,
    rules: list[Plain],
    version: int,
    aircraft_model_id: UUID | None = None,
    work: str = "",
    job_id: UUID | None = None,
) -> LimitSheet:
    """Set the limits of a level; a changed limit needs a reason.

    ``version`` is 0 for a sheet that is not there yet. Raises `Stale` if somebody saved in between.
    """
    require(actor, "limits:write")
    row = _sheet(actor, level, aircraft_model_id, work, job_id)
    if row.version != version:
        raise Stale(page())
    try:
        bridge.check_rules(rules)
    except bridge.LimitError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    before = {r["key"]: r for r in row.rules}
    kept: list[Plain] = []
    for r in rules:
        old = before.get(r["key"])
        bare = {"key": r["key"], "least": r.get("least"), "most": r.get("most"), "why": (r.get("why") or "").strip()}
        if old is not None and all(old.get(k) == bare[k] for k in ("least", "most", "why")):
            kept.append(old)
            continue
        if not bare["why"]:
            raise DomainError("missing", "Say why: where the limit comes from, or what taught you.", r["key"])
        kept.append(bare | {"by": _who(actor), "at": timezone.now().isoformat()})
    if len({r["key"] for r in kept}) < len(kept):
        raise DomainError("invalid", "A quantity stands twice on this sheet. Take one out.", kept[-1]["key"])
    was = list(row.rules)
    row.rules = kept
    row.version += 1
    row.save()
    record(
        actor=actor, action="limits.changed", row=row, label=bridge.sheet_name(row), before={"rules": was}, after={"rules": kept}
    )
    return row


def _sheet(actor: User, level: str, aircraft_model_id: UUID | None, work: str, job_id: UUID | None) -> LimitSheet:
    links: Plain = {"aircraft_model": None, "work": "", "job": None}
    if level == "aircraft":
        links["aircraft_model"] = AircraftModel.objects.filter(pk=aircraft_model_id).first()
        if links["aircraft_model"] is None:
            raise DomainError("not_found", "Choose a model of aircraft.", "aircraft_model_id")
    elif level == "work":
        if work not in ("mapping", "spraying", "search"):
            raise DomainError("not_found", "Choose a kind of work.", "work")
        links["work"] = work
    elif level == "job":
        links["job"] = Job.objects.filter(pk=job_id).first()
        if links["job"] is None:
            raise DomainError("not_found", "Choose a job.", "job_id")
    elif level != "organisation":
        raise DomainError("invalid", "There is no such level.", "level")
    row = LimitSheet.objects.select_for_update().filter(level=level, archived_at=None, **links).first()
    return row or LimitSheet(organisation=actor.organisation, level=level, version=0, **links)


@transaction.atomic
def begin_with_starter(*, actor: User) -> list[LimitSheet]:
    """Fill the sheets of the house and of each kind of work that are not there yet with usual values."""
    require(actor, "limits:write")
    made = []
    for level, work in (("organisation", ""), ("work", "mapping"), ("work", "spraying"), ("work", "search")):
        row = _sheet(actor, level, None, work, None)
        if row.version == 0:
            made.append(save_sheet(actor=actor, level=level, work=work, rules=bridge.starter(level, work), version=0))
    return made


def begin_preflight(
    *,
    actor: User,
    job_id: UUID,
    aircraft_id: UUID | None,
    pack_ids: list[UUID],
    sortie: int,
    on: date | None = None,
    key: UUID | None = None,
) -> Preflight:
    """Begin a list before a take-off; the same key again, or a list already open for it, gives that list."""
    require(actor, "preflight:write")
    key = key or uuid4()
    there = Preflight.objects.filter(key=key).first()
    if there is not None:
        return preflight_of(there.pk)
    job = job_of(job_id)
    aircraft = Aircraft.objects.filter(pk=aircraft_id or job.aircraft_id).select_related("model__pack_model").first()
    if aircraft is None:
        raise DomainError("missing", "Choose the aircraft that flies.", "aircraft_id")
    packs = list(Pack.objects.filter(pk__in=pack_ids, archived_at=None))
    if len(packs) != len(set(pack_ids)):
        raise DomainError("not_found", "Choose packs that are on the shelf.", "pack_ids")
    if len(packs) != aircraft.model.packs_count or any(p.model_id != aircraft.model.pack_model_id for p in packs):
        n = aircraft.model.packs_count
        raise DomainError(
            "invalid", f"{aircraft.name} flies {n} of {aircraft.model.pack_model.name}. Choose {n} of these.", "pack_ids"
        )
    day = on or timezone.localdate()
    for open_one in Preflight.objects.filter(job=job, aircraft=aircraft, sortie=max(1, sortie), on=day, state="open"):
        if {p.pk for p in open_one.packs.all()} == set(pack_ids):
            return preflight_of(open_one.pk)
    try:
        with transaction.atomic():
            row = Preflight.objects.create(
                organisation=actor.organisation,
                key=key,
                job=job,
                aircraft=aircraft,
                sortie=max(1, sortie),
                on=day,
                by=actor,
            )
            row.packs.set(packs)
    except IntegrityError:  # two taps at once
        return preflight_of(Preflight.objects.get(key=key).pk)
    return preflight_of(row.pk)


def _open(row: Preflight) -> None:
    if row.state != "open":
        raise DomainError("closed", "This list is closed. Begin a new one for the next take-off.", "")


@transaction.atomic
def enter(*, actor: User, preflight_id: UUID, entries: Plain) -> Preflight:
    """Keep entries of a list; a value of None opens a check again. Each entry carries who and when."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    _open(row)
    job = row.job
    job.aircraft_model = row.aircraft.model
    checks = bridge.checks_of(job, row.aircraft.model, 30.0)
    for key, value in entries.items():
        try:
            bridge.check_value(checks, key, value, row.aircraft.model.pack_model.cells)
        except bridge.LimitError as bad:
            raise DomainError(bad.code, bad.message, bad.field) from bad
        row.entries[key] = {"value": value, "by": _who(actor), "at": timezone.now().isoformat()}
    told, _ = judged(row)
    row.word, row.reasons = told.word, list(told.reasons)
    row.version += 1
    row.save()
    return row


@transaction.atomic
def clear(*, actor: User, preflight_id: UUID) -> Preflight:
    """Close a list that is a go or a go with care."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    _open(row)
    told, _ = judged(row)
    if told.word == "no":
        first = told.reasons[0] if told.reasons else f"{told.open_count} checks are not done."
        raise DomainError("no_go", f"It is no go: {first}", "")
    _close(row, actor, "cleared", told)
    return row


@transaction.atomic
def override(*, actor: User, preflight_id: UUID, name: str, reason: str) -> Preflight:
    """Launch in spite of a no go: with the right, a name and a reason; never past a grounded pack or a hard floor."""
    require(actor, "limits:override")
    row = preflight_of(preflight_id, lock=True)
    _open(row)
    told, _ = judged(row)
    if told.word != "no":
        raise DomainError("invalid", "It is no no go: clear the list instead.", "")
    if told.hard:
        raise DomainError("hard", f"Nobody may override this: {told.hard[0]}", "reason")
    if len(name.strip()) < 3:
        raise DomainError("missing", "Write the name of the person who decides.", "name")
    if len(reason.strip()) < 8:
        raise DomainError("missing", "Write the reason in a few words: it stays with the flight.", "reason")
    row.override = {
        "name": name.strip()[:120],
        "reason": reason.strip()[:500],
        "by": _who(actor),
        "at": timezone.now().isoformat(),
        "in_spite_of": list(told.reasons)[:12] or [f"{told.open_count} checks not done"],
    }
    _close(row, actor, "overridden", told)
    return row


def _close(row: Preflight, actor: User, state: str, told: Any) -> None:
    row.state, row.word, row.reasons, row.closed_at = state, told.word, list(told.reasons), timezone.now()
    row.version += 1
    row.save()
    label = f"{row.job.letter}{row.sortie}, {row.aircraft.name}"
    record(actor=actor, action=f"preflight.{state}", row=row, label=label, after={"word": row.word, "override": row.override})
