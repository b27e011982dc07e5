"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.day.services.add_day import add_day
from quarry.apps.day.services.begin_rehearsal import FaultGiven, begin_rehearsal
from quarry.apps.day.services.call_home import call_home
from quarry.apps.day.services.close_run import close_run
from quarry.apps.day.services.copy_day import copy_day
from quarry.apps.day.services.go_on_playing import go_on_playing
from quarry.apps.day.services.halt_rehearsal import halt_rehearsal
from quarry.apps.day.services.hear_of_pack import hear_of_pack
from quarry.apps.day.services.join_run import join_run
from quarry.apps.day.services.let_go_wrong import let_go_wrong
from quarry.apps.day.services.look_back import look_back
from quarry.apps.day.services.post_events import PostedEvent, post_events
from quarry.apps.day.services.post_telemetry import Reported, post_telemetry
from quarry.apps.day.services.put_rehearsal_away import put_rehearsal_away
from quarry.apps.day.services.refresh_flown import refresh_flown
from quarry.apps.day.services.remember_world import remember_world
from quarry.apps.day.services.save_day import save_day
from quarry.apps.day.services.set_archived import set_archived
from quarry.apps.day.services.start_day import start_day
from quarry.apps.day.services.start_run import start_run
from quarry.apps.day.services.steer_rehearsal import steer_rehearsal
from quarry.apps.day.services.stop_search import stop_search
from quarry.apps.day.services.stopped_plan import stopped_plan
from quarry.apps.day.services.take_better import take_better
from quarry.apps.day.services.tell_screens import tell_screens
from quarry.apps.day.services.undo_start import undo_start

__all__ = [
    "FaultGiven",
    "PostedEvent",
    "Reported",
    "add_day",
    "begin_rehearsal",
    "call_home",
    "close_run",
    "copy_day",
    "go_on_playing",
    "halt_rehearsal",
    "hear_of_pack",
    "join_run",
    "let_go_wrong",
    "look_back",
    "post_events",
    "post_telemetry",
    "put_rehearsal_away",
    "refresh_flown",
    "remember_world",
    "save_day",
    "set_archived",
    "start_day",
    "start_run",
    "steer_rehearsal",
    "stop_search",
    "stopped_plan",
    "take_better",
    "tell_screens",
    "undo_start",
]
