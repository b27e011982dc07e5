"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.logbook.services.accept_held import accept_held
from quarry.apps.logbook.services.accept_lesson import accept_lesson
from quarry.apps.logbook.services.change_flight import FlightSaid, change_flight
from quarry.apps.logbook.services.delete_file import delete_file
from quarry.apps.logbook.services.read_again import read_again
from quarry.apps.logbook.services.read_waiting import read_waiting
from quarry.apps.logbook.services.say_columns import say_columns

__all__ = [
    "FlightSaid",
    "accept_held",
    "accept_lesson",
    "change_flight",
    "delete_file",
    "read_again",
    "read_waiting",
    "say_columns",
]
