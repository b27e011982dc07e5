"""Who a name and a password belong to: a name is unique within its company, an address of mail everywhere."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.hashers import make_password
from django.db.models import Q
from django.http import HttpRequest

from quarry.apps.accounts.models import User

_MOST = 8


class SeveralCompanies(Exception):
    """Name and password fit people of several companies; only the company tells them apart."""


class ByCompany(ModelBackend):
    """Finds a person by name, and company where that is given, or by address of mail."""

    def authenticate(
        self,
        request: HttpRequest | None,  # noqa: ARG002 - the framework passes it
        username: str | None = None,
        password: str | None = None,
        company: str = "",
        **_more: Any,
    ) -> User | None:
        """Return the person whose password it is, or None; raises `SeveralCompanies`."""
        if not username or not password:
            return None
        those = User.objects.filter(Q(username__iexact=username) | Q(email__iexact=username), is_active=True)
        if company:
            those = those.filter(organisation__name__iexact=company.strip())
        people = list(those.select_related("organisation").order_by("pk")[:_MOST])
        if not people:
            # As long as for a name that is there: the time says nothing about who is.
            make_password(password)
        fits = [p for p in people if p.check_password(password)]
        if len(fits) > 1:
            raise SeveralCompanies
        return fits[0] if fits else None
