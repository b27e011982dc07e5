from __future__ import annotations

from uuid import UUID

from django.db import IntegrityError, transaction
from django.utils import timezone

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care import mappers
from quarry.apps.care.fields import ChargeAsked
from quarry.apps.care.models import Charging
from quarry.apps.care.queries import pack_of
from quarry.apps.fleet.mappers import not_charged_words
from quarry.apps.fleet.models import Charger


def begin_charge(*, actor: User, pack_id: UUID, asked: ChargeAsked) -> Charging:
    """Begin a charge at the bench; refused for a pack that must not be charged and for a port in use."""
    require(actor, "packs:record")
    pack = pack_of(pack_id)
    charger = Charger.objects.select_related("model").filter(pk=asked.charger_id).first() if asked.charger_id else None
    try:
        mappers.bench(pack, asked, None, 1)
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
