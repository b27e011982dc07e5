"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.accounts.services._sessions import RIGHTS_CHANNEL
from quarry.apps.accounts.services.add_person import add_person
from quarry.apps.accounts.services.anonymise_person import anonymise_person
from quarry.apps.accounts.services.change_own_password import change_own_password
from quarry.apps.accounts.services.change_person import PersonChange, change_person
from quarry.apps.accounts.services.end_sessions import end_sessions
from quarry.apps.accounts.services.make_token import make_token
from quarry.apps.accounts.services.remove_second_steps import remove_second_steps
from quarry.apps.accounts.services.reset_at_server import reset_at_server
from quarry.apps.accounts.services.reset_password import reset_password
from quarry.apps.accounts.services.revoke_token import revoke_token
from quarry.apps.accounts.services.set_company import CompanyChange, set_company
from quarry.apps.accounts.services.set_forgotten_password import set_forgotten_password
from quarry.apps.accounts.services.set_preferences import set_preferences
from quarry.apps.accounts.services.set_retention import set_retention
from quarry.apps.accounts.services.sign_in import sign_in

__all__ = [
    "RIGHTS_CHANNEL",
    "CompanyChange",
    "PersonChange",
    "add_person",
    "anonymise_person",
    "change_own_password",
    "change_person",
    "end_sessions",
    "make_token",
    "remove_second_steps",
    "reset_at_server",
    "reset_password",
    "revoke_token",
    "set_company",
    "set_forgotten_password",
    "set_preferences",
    "set_retention",
    "sign_in",
]
