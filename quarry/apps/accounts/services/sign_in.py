from __future__ import annotations

from django.conf import settings
from django_scopes import scope

from quarry.apps.accounts.backends import ByCompany, SeveralCompanies
from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import note_sign_in_refused
from quarry.apps.accounts.models import User
from quarry.apps.accounts.services._tries import check_tries, count_wrong


def sign_in(*, username: str, password: str, address: str, company: str = "") -> User:
    """Return the person whose name, or address of mail, and password these are.

    Wrong tries count per name *and* address, so nobody can lock a crew out from elsewhere and one
    crew member's slip does not lock out the others behind the same address.
    """
    check_tries(username, address, settings.SIGN_IN_TRIES)
    try:
        user = ByCompany().authenticate(None, username, password, company)
    except SeveralCompanies:
        raise DomainError("which_company", "Several companies have a person of this name. Enter yours too.", "company") from None
    if user is None:
        count_wrong(username, address)
        named = User.objects.filter(username__iexact=username).select_related("organisation")[:2]
        if len(named) == 1:
            with scope(organisation=named[0].organisation):
                note_sign_in_refused(person=named[0], address=address)
        raise DomainError("wrong_password", "Name or password is wrong. Check both and try again.", "password")
    return user
