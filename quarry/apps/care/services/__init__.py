"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.care.services._heard import HeardOfPack, listen
from quarry.apps.care.services.add_photo import add_photo
from quarry.apps.care.services.add_record import add_record
from quarry.apps.care.services.add_rest_volts import RestVolts, add_rest_volts
from quarry.apps.care.services.begin_charge import begin_charge
from quarry.apps.care.services.cancel_charge import cancel_charge
from quarry.apps.care.services.end_charge import end_charge
from quarry.apps.care.services.refresh_all import refresh_all
from quarry.apps.care.services.refresh_pack import refresh_pack
from quarry.apps.care.services.register_changed import register_changed

__all__ = [
    "HeardOfPack",
    "RestVolts",
    "add_photo",
    "add_record",
    "add_rest_volts",
    "begin_charge",
    "cancel_charge",
    "end_charge",
    "listen",
    "refresh_pack",
    "refresh_all",
    "register_changed",
]
