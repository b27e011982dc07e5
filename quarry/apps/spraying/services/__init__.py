"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.spraying.services.add_batch import add_batch
from quarry.apps.spraying.services.close_day import close_day
from quarry.apps.spraying.services.enter_in_record import enter_in_record
from quarry.apps.spraying.services.keep_swath_test import keep_swath_test
from quarry.apps.spraying.services.move_stock import move_stock
from quarry.apps.spraying.services.set_batch_archived import set_batch_archived
from quarry.apps.spraying.services.set_swath_test_archived import set_swath_test_archived

__all__ = [
    "add_batch",
    "close_day",
    "enter_in_record",
    "keep_swath_test",
    "move_stock",
    "set_batch_archived",
    "set_swath_test_archived",
]
