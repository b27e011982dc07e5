from __future__ import annotations

from datetime import date
from uuid import UUID

from django.db import transaction

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import User
from quarry.apps.accounts.permissions import require
from quarry.apps.fleet.models import Product
from quarry.apps.spraying.models import Batch, StockMove
from quarry.apps.spraying.services._amounts import check_amount


@transaction.atomic
def add_batch(*, actor: User, product_id: UUID, name: str, amount: float, expires_on: date | None = None) -> Batch:
    """Add a batch of a product to the store with what was received.

    Raises
    ------
    DomainError
        There is no such product, its store has a batch of that name, or the amount cannot be.
    """
    require(actor, "records:write")
    product = Product.objects.filter(pk=product_id, archived_at=None).first()
    if product is None:
        raise DomainError("not_found", "Choose a product that exists.", "product_id")
    name = name.strip()
    if not name:
        raise DomainError("missing", "Enter the batch number from the container.", "name")
    check_amount(amount, product.unit)
    if Batch.objects.filter(product=product, name__iexact=name, archived_at=None).exists():
        raise DomainError("taken", f"The store has a batch {name} of {product.name}. Record what came to it there.", "name")
    row = Batch.objects.create(organisation=actor.organisation, product=product, name=name, expires_on=expires_on)
    StockMove.objects.create(organisation=actor.organisation, batch=row, amount=amount, kind="received", by=actor)
    record(actor=actor, action="batch.added", row=row, label=f"{product.name}: {name}, {amount:g} {product.unit}")
    return row
