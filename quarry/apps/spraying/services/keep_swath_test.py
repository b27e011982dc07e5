from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Aircraft
from quarry.apps.spraying import mappers
from quarry.apps.spraying.models import SwathTest


@transaction.atomic
def keep_swath_test(
    *,
    actor: User,
    aircraft_id: UUID,
    catches: Sequence[tuple[float, float]],
    wanted_frac: float,
    way: str,
    height_m: float,
    nozzle: str = "",
    wind_m_s: float | None = None,
) -> SwathTest:
    """Keep a swath test with the aircraft that flew it: jobs of that aircraft offer its spacing.

    Raises
    ------
    DomainError
        There is no such aircraft, or the catches allow no spacing; at its field.
    """
    require(actor, "fleet:write")
    aircraft = Aircraft.objects.filter(pk=aircraft_id, archived_at=None).first()
    if aircraft is None:
        raise DomainError("not_found", "Choose an aircraft that exists.", "aircraft_id")
    try:
        mappers.check_flown(height_m, wind_m_s)
        spacing_m, variation_frac = mappers.widest_even(catches, wanted_frac, way)
    except mappers.SprayError as bad:
        raise DomainError(bad.code, bad.message, bad.field) from bad
    row = SwathTest.objects.create(
        organisation=actor.organisation,
        aircraft=aircraft,
        height_m=height_m,
        nozzle=nozzle.strip()[:60],
        wind_m_s=wind_m_s,
        catches=[list(c) for c in catches],
        wanted_frac=wanted_frac,
        way=way,
        spacing_m=spacing_m,
        variation_frac=variation_frac,
        by=actor,
    )
    record(actor=actor, action="swath_test.saved", row=row, label=f"{aircraft.name}: {spacing_m:.1f} m, {way}")
    return row
