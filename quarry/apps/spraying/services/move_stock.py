from __future__ import annotations

from typing import Literal
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import locked, record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.spraying.models import Batch, StockMove
from quarry.apps.spraying.queries import left_in_batches
from quarry.apps.spraying.services._amounts import check_amount


@transaction.atomic
def move_stock(
    *, actor: User, batch_id: UUID, kind: Literal["received", "used", "counted", "disposed"], amount: float, words: str = ""
) -> Batch:
    """Record what came to a batch, was used or disposed of, or what was counted of it: then the difference is the move.

    Raises
    ------
    DomainError
        The amount cannot be, or more would be taken than there is.
    """
    require(actor, "records:write")
    row = locked(Batch, batch_id, "batch")
    product = row.product
    left = left_in_batches([product.pk]).get(row.pk, 0.0)
    if kind == "counted":
        if amount != 0:
            check_amount(amount, product.unit)
        change = amount - left
    else:
        check_amount(amount, product.unit)
        change = amount if kind == "received" else -amount
    if left + change < -1e-9:
        raise DomainError(
            "out_of_range",
            f"Batch {row.name} holds {left:.3g} {product.unit}. If that is wrong, record what you counted first.",
            "amount",
        )
    StockMove.objects.create(
        organisation=actor.organisation, batch=row, amount=change, kind=kind, words=words.strip()[:200], by=actor
    )
    record(actor=actor, action=f"batch.{kind}", row=row, label=f"{product.name}: {row.name}, {change:+g} {product.unit}")
    return row
