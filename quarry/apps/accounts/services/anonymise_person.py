from __future__ import annotations

from allauth.mfa.models import Authenticator

from quarry.apps.accounts.errors import DomainError
from quarry.apps.accounts.history import record
from quarry.apps.accounts.models import ApiToken, HistoryEntry, User
from quarry.apps.accounts.permissions import require
from quarry.apps.accounts.retention import erasing
from quarry.apps.accounts.services._people import person_dict, person_of
from quarry.apps.accounts.services._sessions import end_all

_ABOUT = ("person", "session", "right")


def anonymise_person(*, actor: User, person_id: int) -> User:
    """Take the name and address of somebody without access away for good; what was done stays, done by a number.

    Names that people wrote into notes and signatures of preflight lists stay: they are part of what was recorded.
    """
    require(actor, "people:write")
    with erasing(actor.organisation):
        person = person_of(actor, person_id)
        if person.is_active:
            raise DomainError("active", "Take this person's access away first.", "active")
        before = person.username
        person.username, person.full_name, person.email = f"person-{person.pk}", "", ""
        person.set_unusable_password()
        person.save()
        end_all(person)
        Authenticator.objects.filter(user=person).delete()
        ApiToken.objects.filter(made_by=person).update(name="")
        of_them = HistoryEntry.objects.filter(thing__in=_ABOUT, thing_id=str(person.pk))
        for line in of_them.iterator():
            kept = {"before": line.before, "after": line.after}
            bare = {k: {n: v for n, v in d.items() if n in ("role", "active", "kind")} if d else d for k, d in kept.items()}
            label = line.label.replace(before, person.username)
            HistoryEntry.objects.filter(pk=line.pk).update(label=label, **bare)
        record(actor=actor, action="person.anonymised", row=person, label=person.username, after=person_dict(person))
    return person
