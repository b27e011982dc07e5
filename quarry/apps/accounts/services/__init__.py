"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.accounts.services.add_person import add_person
from quarry.apps.accounts.services.change_own_password import change_own_password
from quarry.apps.accounts.services.change_person import change_person
from quarry.apps.accounts.services.reset_at_server import reset_at_server
from quarry.apps.accounts.services.reset_password import reset_password
from quarry.apps.accounts.services.set_company import CompanyChange, set_company
from quarry.apps.accounts.services.set_preferences import set_preferences
from quarry.apps.accounts.services.sign_in import sign_in

__all__ = [
    "CompanyChange",
    "add_person",
    "change_own_password",
    "change_person",
    "reset_at_server",
    "reset_password",
    "set_company",
    "set_preferences",
    "sign_in",
]
