"""Writing records: each is checked, added once, and what it changes for planning is set at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from django.db import IntegrityError, transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.services import DomainError, record
from quarry.apps.care import mappers
from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.models import Charging, PackRecord, PackSnapshot
from quarry.apps.care.queries import pack_of, policy
from quarry.apps.fleet.mappers import energy_today_wh, not_charged_words
from quarry.apps.fleet.models import Charger, Pack, PackModel, Thing

_SHORTEST_S = 30.0
_LONGEST_S = 172_800.0
CLOCK_SLACK = timedelta(minutes=10)
FIRST = datetime(2000, 1, 1, tzinfo=UTC)


def add_record(
    *,
    actor: User,
    pack_id: UUID,
    kind: str,
    figures: Mapping[str, Any],
    at: datetime | None = None,
    note: str = "",
    key: UUID | None = None,
    corrects: UUID | None = None,
) -> PackRecord:
    """Add a record to a pack; sending the same ``key`` twice writes once.

    ``corrects`` names the record in whose place this one stands; a withdrawal puts nothing there.
    """
    require(actor, "packs:retire" if kind == "release" else "packs:record")
    with transaction.atomic():
        pack = pack_of(pack_id, lock=True)
        made = _write(actor, pack, kind, figures, at, note, key, corrects)
        refresh(actor, pack)
    return made


def _write(
    actor: User,
    pack: Pack,
    kind: str,
    figures: Mapping[str, Any],
    at: datetime | None,
    note: str,
    key: UUID | None,
    corrects: UUID | None,
) -> PackRecord:
    when = at or timezone.now()
    _check_time(when)
    try:
        entered = mappers.figures_of(mappers.parse(kind, figures, pack.model))
    except mappers.RecordRefused as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    if key is not None:
        there = PackRecord.objects.filter(key=key).first()
        if there is not None:
            if (there.pack_id, there.kind, there.figures) == (pack.pk, kind, entered):
                return there
            raise DomainError("taken", "This record was sent before with other figures. Record it anew.", "key")
    _check_correction(pack, kind, corrects)
    if kind == "release" and pack.grounded:
        _check_release(pack)
    return PackRecord.objects.create(
        organisation=actor.organisation,
        key=key or uuid4(),
        pack=pack,
        kind=kind,
        at=when,
        figures=entered,
        note=note.strip()[:300],
        corrects=corrects,
        by=actor,
    )


def _check_time(when: datetime) -> None:
    if when > timezone.now() + CLOCK_SLACK:
        raise DomainError("future", f"{when:%d %B %Y %H:%M} lies in the future. Correct the date.", "at")
    if when < FIRST:
        raise DomainError("too_old", "Before the year 2000 there were no such packs. Correct the date.", "at")


def _check_correction(pack: Pack, kind: str, corrects: UUID | None) -> None:
    if corrects is None:
        if kind == "withdrawal":
            raise DomainError("missing", "Say which record is taken back.", "corrects")
        return
    wrong = PackRecord.objects.filter(pack=pack, key=corrects).first()
    if wrong is None:
        raise DomainError("not_found", "The record to correct is not one of this pack.", "corrects")
    if kind not in ("withdrawal", wrong.kind):
        raise DomainError("invalid", f"A {wrong.kind} is corrected by a {wrong.kind}, or withdrawn.", "kind")


def _check_release(pack: Pack) -> None:
    if pack.grounded_why.startswith(("swollen", "damaged")):
        raise DomainError("grounded", "A swollen or damaged pack stays grounded. Take it to recycling.", "kind")


def refresh(actor: User | None, pack: Pack) -> PackSnapshot:
    """Fold the records of a pack anew and set what planning needs; a change of grounding goes into the history."""
    kept, _new = PackSnapshot.objects.get_or_create(
        pack=pack,
        defaults={
            "organisation": pack.organisation,
            "digest": {},
            "health_entered_frac": pack.health_frac,
            "charge_entered_frac": pack.charge_frac,
        },
    )
    snapshot = mappers.snapshot_of(pack, PackRecord.objects.filter(pack=pack), policy(), kept.charge_entered_frac)
    kept.digest = mappers.kept(snapshot)
    kept.save(update_fields=["digest"])
    found = mappers.flags(snapshot, kept.health_entered_frac)
    if actor is not None and found.grounded != pack.grounded:
        before = {"grounded": pack.grounded, "grounded_why": pack.grounded_why}
        after = {"grounded": found.grounded, "grounded_why": found.grounded_why}
        word = "grounded" if found.grounded else "released"
        record(actor=actor, action=f"pack.{word}", row=pack, label=pack.name, before=before, after=after)
    changed = [x.name for x in fields(found) if getattr(pack, x.name) != getattr(found, x.name)]
    if changed:
        for name in changed:
            setattr(pack, name, getattr(found, name))
        pack.version += 1
        pack.save(update_fields=[*changed, "version"])
    return kept


@transaction.atomic
def register_changed(actor: User, row: Thing) -> None:
    """Fold anew what a change of the register touches: the pack, or all packs of a model. What records tell stands above it."""
    if not isinstance(row, Pack | PackModel):
        return
    found = Pack.objects.filter(snapshot__isnull=False).select_related("model")
    for pack in found.filter(model=row) if isinstance(row, PackModel) else found.filter(pk=row.pk):
        refresh(actor, pack)


def refresh_all(actor: User | None) -> int:
    """Fold every pack with records anew, as after a change of the policy; returns how many."""
    packs = list(Pack.objects.filter(snapshot__isnull=False).select_related("model"))
    with transaction.atomic():
        for pack in packs:
            refresh(actor, pack)
    return len(packs)


@dataclass(frozen=True, slots=True)
class RestVolts:
    """Resting voltage of one pack, as it was read."""

    pack_id: UUID
    cell_v: tuple[float, ...] = ()
    total_v: float | None = None
    pack_c: float | None = None
    key: UUID | None = None

    def figures(self) -> Mapping[str, Any]:
        """Return what was read."""
        read = (("cell_v", list(self.cell_v) or None), ("total_v", self.total_v), ("pack_c", self.pack_c))
        return {name: value for name, value in read if value is not None}


def add_rest_volts(*, actor: User, rows: Sequence[RestVolts], at: datetime | None = None) -> list[PackRecord]:
    """Add rest volts of many packs at once: all, or none and every row that is wrong by its number."""
    require(actor, "packs:record")
    wrong: list[tuple[int, DomainError]] = []
    made = []
    with transaction.atomic():
        packs = []
        for k, row in enumerate(rows):
            try:
                pack = pack_of(row.pack_id, lock=True)
                made.append(_write(actor, pack, "rest volts", row.figures(), at, "", row.key, None))
                packs.append(pack)
            except DomainError as bad:
                wrong.append((k, bad))
        if wrong:
            problems = [{"row": k, "field": bad.field, "detail": bad.message} for k, bad in wrong]
            raise DomainError("rows", wrong[0][1].message, f"rows.{wrong[0][0]}", extra={"problems": problems})
        for pack in packs:
            refresh(actor, pack)
    return made


def begin_charge(*, actor: User, pack_id: UUID, asked: ChargeAsked) -> Charging:
    """Begin a charge at the bench; refused for a pack that must not be charged and for a port in use."""
    require(actor, "packs:record")
    pack = pack_of(pack_id)
    charger = Charger.objects.select_related("model").filter(pk=asked.charger_id).first() if asked.charger_id else None
    try:
        mappers.bench(pack, asked, None)
    except mappers.RecordRefused as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    wrong = not_charged_words(charger, pack.model) if charger is not None else ""
    if charger is not None and wrong:
        raise DomainError(
            "invalid", f"{charger.name} does not charge {pack.name}: {wrong}. Choose another charger.", "charger_id"
        )
    if charger is not None and not 1 <= asked.port <= charger.model.ports:
        raise DomainError("invalid", f"{charger.name} has {charger.model.ports} ports.", "port")
    try:
        with transaction.atomic():
            return Charging.objects.create(
                organisation=actor.organisation,
                pack=pack,
                charger=charger,
                port=asked.port,
                goal=asked.goal,
                rate_c=asked.rate_c,
                from_frac=pack.charge_frac,
                start_c=asked.pack_c,
                began_at=timezone.now(),
                by=actor,
            )
    except IntegrityError as taken:
        pack_busy = "one_charge_at_a_time" in str(taken)
        words = f"{pack.name} is on charge already." if pack_busy else "Another pack is on this port. Choose a free one."
        raise DomainError("taken", words, "pack" if pack_busy else "port") from taken


@transaction.atomic
def end_charge(
    *, actor: User, charging_id: UUID, to_frac: float | None, put_back_ah: float | None, most_c: float | None
) -> PackRecord:
    """End a charge and record it."""
    require(actor, "packs:record")
    row = _open_charge(charging_id)
    now = timezone.now()
    pack = pack_of(row.pack_id, lock=True)
    goal = policy().care.storage_frac if row.goal == "storage" else 1.0
    ends_frac = goal if to_frac is None else to_frac
    length_s = (now - row.began_at).total_seconds()
    figures = {
        # A pack that holds more than it was to get was not read right when it went on.
        "from_frac": row.from_frac if row.from_frac is None or row.from_frac <= ends_frac else None,
        "to_frac": ends_frac,
        "put_back_ah": put_back_ah,
        "start_c": row.start_c,
        "most_c": most_c,
        "mode": f"{row.rate_c:g} C",
        "port": f"{row.charger.name} {row.port}" if row.charger else "",
        "charger_id": str(row.charger_id or ""),
        "pack_w": row.rate_c * energy_today_wh(pack),
    }
    if length_s >= _SHORTEST_S:
        figures["charged_s"] = min(length_s, _LONGEST_S)
    made = _write(actor, pack, "charge", figures, now, "", row.pk, None)
    row.ended_at = now
    row.save(update_fields=["ended_at"])
    refresh(actor, pack)
    return made


@transaction.atomic
def cancel_charge(*, actor: User, charging_id: UUID) -> None:
    """Take back a charge that was begun by mistake: nothing is recorded."""
    require(actor, "packs:record")
    row = _open_charge(charging_id)
    row.delete()


def _open_charge(charging_id: UUID) -> Charging:
    row = Charging.objects.select_for_update(of=("self",)).select_related("charger").filter(pk=charging_id, ended_at=None).first()
    if row is None:
        raise DomainError("not_found", "This charge has ended already.")
    return row
