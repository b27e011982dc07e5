from __future__ import annotations

from uuid import UUID

from django.db import transaction
from django.utils import timezone

from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.care.models import PackRecord
from quarry.apps.care.queries import pack_of, policy
from quarry.apps.care.services._charges import open_charge
from quarry.apps.care.services._records import write_record
from quarry.apps.care.services.refresh_pack import refresh_pack
from quarry.apps.fleet.mappers import energy_today_wh

_SHORTEST_S = 30.0
_LONGEST_S = 172_800.0


@transaction.atomic
def end_charge(
    *, actor: User, charging_id: UUID, to_frac: float | None, put_back_ah: float | None, most_c: float | None
) -> PackRecord:
    """End a charge and record it."""
    require(actor, "packs:record")
    row = open_charge(charging_id)
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
    made = write_record(actor, pack, "charge", figures, now, "", row.pk, None)
    row.ended_at = now
    row.save(update_fields=["ended_at"])
    refresh_pack(actor=actor, pack=pack)
    return made
