"""Writing limits: sheets with reasons, preflight lists, overrides with right, name and reason."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import date
from uuid import UUID, uuid4

from django.db import IntegrityError, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, Stale, record
from quarry.apps.care.services import add_record
from quarry.apps.fleet.models import Aircraft, AircraftModel, Pack
from quarry.apps.jobs.models import Job
from quarry.apps.jobs.queries import job_of
from quarry.apps.limits import mappers
from quarry.apps.limits.models import LimitSheet, Preflight
from quarry.apps.limits.queries import judged, page, preflight_of
from quarry.apps.limits.repository import entries_kept, entries_of, override_kept
from quarry.apps.limits.views import EntryOut, EntryValue, LimitRule, OverrideOut


def _who(actor: User) -> str:
    return actor.full_name or actor.username


@transaction.atomic
def save_sheet(
    *,
    actor: User,
    level: str,
    rules: list[LimitRule],
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
        raise Stale(asdict(page()))
    try:
        mappers.check_rules(rules)
    except mappers.LimitError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    before = {r.key: r for r in mappers.rules_of(row)}
    kept: list[LimitRule] = []
    for r in rules:
        old, why = before.get(r.key), r.why.strip()
        if old is not None and (old.least, old.most, old.why) == (r.least, r.most, why):
            kept.append(old)
            continue
        if not why:
            raise DomainError("missing", "Say why: where the limit comes from, or what taught you.", r.key)
        kept.append(replace(r, why=why, by=_who(actor), at=timezone.now().isoformat()))
    if len({r.key for r in kept}) < len(kept):
        raise DomainError("invalid", "A quantity stands twice on this sheet. Take one out.", kept[-1].key)
    was = list(row.rules)
    row.rules = mappers.rules_kept(kept)
    row.version += 1
    row.save()
    record(
        actor=actor,
        action="limits.changed",
        row=row,
        label=mappers.sheet_name(row),
        before={"rules": was},
        after={"rules": row.rules},
    )
    return row


def _sheet(actor: User, level: str, aircraft_model_id: UUID | None, work: str, job_id: UUID | None) -> LimitSheet:
    model: AircraftModel | None = None
    job: Job | None = None
    if level == "aircraft":
        model = AircraftModel.objects.filter(pk=aircraft_model_id).first() if aircraft_model_id else None
        if model is None:
            raise DomainError("not_found", "Choose a model of aircraft.", "aircraft_model_id")
    elif level == "work":
        if work not in ("mapping", "spraying", "search"):
            raise DomainError("not_found", "Choose a kind of work.", "work")
    elif level == "job":
        job = Job.objects.filter(pk=job_id).first() if job_id else None
        if job is None:
            raise DomainError("not_found", "Choose a job.", "job_id")
    elif level != "organisation":
        raise DomainError("invalid", "There is no such level.", "level")
    of_work = work if level == "work" else ""
    sheets = LimitSheet.objects.select_for_update().filter(level=level, archived_at=None)
    row = sheets.filter(aircraft_model=model, work=of_work, job=job).first()
    return row or LimitSheet(organisation=actor.organisation, level=level, version=0, aircraft_model=model, work=of_work, job=job)


@transaction.atomic
def begin_with_starter(*, actor: User) -> list[LimitSheet]:
    """Fill the sheets of the house and of each kind of work that are not there yet with usual values."""
    require(actor, "limits:write")
    made = []
    for level, work in (("organisation", ""), ("work", "mapping"), ("work", "spraying"), ("work", "search")):
        row = _sheet(actor, level, None, work, None)
        if row.version == 0:
            made.append(save_sheet(actor=actor, level=level, work=work, rules=mappers.starter(level, work), version=0))
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
    wanted = aircraft_id or job.aircraft_id
    aircraft = Aircraft.objects.filter(pk=wanted).select_related("model__pack_model").first() if wanted else None
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


def _may_enter(row: Preflight, part: str, key: str) -> None:
    """Refuse a check at the wrong time: before launch what only flight can show, after it what was to be done before."""
    if part == "climb":
        if row.state == "open":
            raise DomainError("not_ready", "This is checked in the first climb: clear the list and launch first.", key)
        if row.state not in ("cleared", "overridden"):
            raise DomainError("closed", "This list is closed. Begin a new one for the next take-off.", key)
    else:
        _open(row)


@transaction.atomic
def enter(*, actor: User, preflight_id: UUID, entries: dict[str, EntryValue]) -> Preflight:
    """Keep entries of a list; a value of None opens a check again. Each entry carries who and when.

    Cells measured in the first climb are written into the records of the pack, once.
    """
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    job = row.job
    job.aircraft_model = row.aircraft.model
    checks = mappers.checks_of(job, row.aircraft.model, 30.0)
    part = {c.key: c.part for c in checks}
    kept = entries_of(row)
    for key, value in entries.items():
        _may_enter(row, part.get(key, ""), key)
        try:
            mappers.check_value(checks, key, value, row.aircraft.model.pack_model.cells)
        except mappers.LimitError as bad:
            raise DomainError(bad.code, bad.message, bad.field) from bad
        before = kept.get(key)
        kept[key] = EntryOut(value=value, by=_who(actor), at=timezone.now().isoformat())
        if key == "cells":
            kept[key] = replace(kept[key], record=_cells_to_record(actor, row, kept, before, value))
    row.entries = entries_kept(kept)
    result = judged(row).result
    if row.state == "open":
        row.word, row.reasons = result.word, list(result.reasons)
    row.version += 1
    row.save()
    return row


def _cells_to_record(
    actor: User, row: Preflight, entries: dict[str, EntryOut], before: EntryOut | None, value: EntryValue
) -> str:
    """Write cells of the first climb into the records of the pack as a load test; returns the record's key.

    The same cells again change nothing; others stand in the place of those before.
    """
    packs = list(row.packs.all())
    was = before.record if before is not None else ""
    if len(packs) != 1 or (was and before is not None and before.value == value):
        return was
    label = f"preflight {row.job.letter}{row.sortie}"
    if not isinstance(value, list):
        if was:
            add_record(actor=actor, pack_id=packs[0].pk, kind="withdrawal", figures={"words": label}, corrects=UUID(was))
        return ""
    figures: dict[str, EntryValue] = {"cell_v": value}
    for name, key in (("start_frac", "charge_frac"), ("pack_c", "pack_c")):
        figures[name] = entries[key].value if key in entries else None
    try:
        made = add_record(
            actor=actor,
            pack_id=packs[0].pk,
            kind="load test",
            figures={k: v for k, v in figures.items() if v is not None},
            note=label,
            corrects=UUID(was) if was else None,
        )
    except DomainError as bad:
        raise DomainError(bad.code, bad.message, "cells") from bad
    return str(made.key)


@transaction.atomic
def decide_climb(*, actor: User, preflight_id: UUID, go_on: bool) -> Preflight:
    """End a list after the first climb and hover: go on with the sortie, or come back."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    if row.state not in ("cleared", "overridden"):
        raise DomainError("not_ready", "Clear the list and launch first.", "")
    result = judged(row).result
    if go_on and result.climb == "no":
        first = result.climb_reasons[0] if result.climb_reasons else f"{result.climb_open_count} checks are not done."
        raise DomainError("no_go", f"Come back: {first}", "")
    row.state = "went on" if go_on else "came back"
    row.version += 1
    row.save()
    label = f"{row.job.letter}{row.sortie}, {row.aircraft.name}"
    record(actor=actor, action="preflight.climb", row=row, label=label, after={"state": row.state, "word": result.climb})
    return row


@transaction.atomic
def clear(*, actor: User, preflight_id: UUID) -> Preflight:
    """Close a list that is a go or a go with care."""
    require(actor, "preflight:write")
    row = preflight_of(preflight_id, lock=True)
    _open(row)
    result = judged(row).result
    if result.word == "no":
        first = result.reasons[0] if result.reasons else f"{result.open_count} checks are not done."
        raise DomainError("no_go", f"It is no go: {first}", "")
    _close(row, actor, "cleared", result)
    return row


@transaction.atomic
def override(*, actor: User, preflight_id: UUID, name: str, reason: str) -> Preflight:
    """Override a no go: with the right, a name and a reason; never past a grounded pack or a hard floor."""
    require(actor, "limits:override")
    row = preflight_of(preflight_id, lock=True)
    _open(row)
    result = judged(row).result
    if result.word != "no":
        raise DomainError("invalid", "It is no no go: clear the list instead.", "")
    if result.hard:
        raise DomainError("hard", f"Nobody may override this: {result.hard[0]}", "reason")
    if len(name.strip()) < 3:
        raise DomainError("missing", "Write the name of the person who decides.", "name")
    if len(reason.strip()) < 8:
        raise DomainError("missing", "Write the reason in a few words: it stays with the flight.", "reason")
    given = OverrideOut(
        name=name.strip()[:120],
        reason=reason.strip()[:500],
        by=_who(actor),
        at=timezone.now().isoformat(),
        in_spite_of=list(result.reasons)[:12] or [f"{result.open_count} checks not done"],
    )
    row.override = override_kept(given)
    _close(row, actor, "overridden", result)
    return row


def _close(row: Preflight, actor: User, state: str, result: mappers.JudgedList) -> None:
    row.state, row.word, row.reasons, row.closed_at = state, result.word, list(result.reasons), timezone.now()
    row.version += 1
    row.save()
    label = f"{row.job.letter}{row.sortie}, {row.aircraft.name}"
    record(actor=actor, action=f"preflight.{state}", row=row, label=label, after={"word": row.word, "override": row.override})
