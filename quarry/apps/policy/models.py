"""What an organisation set otherwise than the defaults."""

from __future__ import annotations

from django.db import models

from quarry.apps.accounts.models import Owned


class Policy(Owned):
    """One row for each organisation: ``own`` maps the key of a setting to its value, reason, who and when."""

    own = models.JSONField(default=dict)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["organisation"], name="one_policy")]
