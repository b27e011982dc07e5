"""Brings what was flown to the shape of this version; to be run after migrating."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand
from django_scopes import scope

from quarry.apps.accounts.models import Organisation
from quarry.apps.day.services.refresh_flown import refresh_flown


class Command(BaseCommand):
    """Read anew what another version kept, company by company."""

    help = "Read anew, from their events, the flown days that another version kept."

    def handle(self, *_args: Any, **_options: Any) -> None:
        """Do it for everybody."""
        for organisation in Organisation.objects.all():
            with scope(organisation=organisation):
                days = refresh_flown()
            if days:
                self.stdout.write(f"{organisation.name}: {days} flown days read anew")
