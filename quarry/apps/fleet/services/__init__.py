"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.fleet.services.accept_calibration import accept_calibration
from quarry.apps.fleet.services.add_alike import add_alike
from quarry.apps.fleet.services.add_samples import add_samples
from quarry.apps.fleet.services.add_thing import add_thing
from quarry.apps.fleet.services.change_thing import change_thing
from quarry.apps.fleet.services.roll_back_calibration import roll_back_calibration
from quarry.apps.fleet.services.set_archived import set_archived

__all__ = [
    "accept_calibration",
    "add_alike",
    "add_samples",
    "add_thing",
    "change_thing",
    "roll_back_calibration",
    "set_archived",
]
