"""A company of one's own with its first lead; the password is asked for, or read from standard input."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction
from django_scopes import scope

from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import Organisation, Role, User


class Command(BaseCommand):
    """Add a company and its first lead."""

    help = "Add a company with its first lead: quarry add_company 'North Crew' lena"

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the names."""
        parser.add_argument("company")
        parser.add_argument("username")

    def handle(self, *_args: Any, company: str, username: str, **_options: Any) -> None:
        """Make both, or say why not."""
        name, username = company.strip(), username.strip()
        if not name or len(name) > 120:
            raise CommandError("Give the company a name of at most 120 characters.")
        if Organisation.objects.filter(name=name).exists():
            raise CommandError(f"There is a company called {name} already. Choose another name.")
        if not username or User.objects.filter(username=username).exists():
            raise CommandError(f"{username or 'Nobody'} cannot be the lead: choose a user name that is not taken.")
        password = getpass.getpass("Password of the lead: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        user = User(username=username, role=Role.LEAD)
        try:
            validate_password(password, user)
        except ValidationError as bad:
            raise CommandError(" ".join(bad.messages)) from bad
        with transaction.atomic():
            user.organisation = Organisation.objects.create(name=name)
            user.set_password(password)
            user.save()
            with scope(organisation=user.organisation):
                record(actor=user, action="organisation.made", row=user.organisation, label=name)
        self.stdout.write(f"{name} is there. Sign in as {username}; Today leads through the rest.")
