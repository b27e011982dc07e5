"""What can be done with searches, one verb a file: right, lock, decide, save, history."""

from quarry.apps.search.services.add_report import add_report
from quarry.apps.search.services.add_search import add_search
from quarry.apps.search.services.add_search_photo import add_search_photo
from quarry.apps.search.services.end_search import end_search
from quarry.apps.search.services.give_segment import give_segment
from quarry.apps.search.services.keep_kind import keep_kind
from quarry.apps.search.services.keep_trial import keep_trial
from quarry.apps.search.services.launch_first import launch_first
from quarry.apps.search.services.lay_segments import lay_segments
from quarry.apps.search.services.report_flown import report_flown
from quarry.apps.search.services.save_search import save_search
from quarry.apps.search.services.set_kind_archived import set_kind_archived
from quarry.apps.search.services.set_search_archived import set_search_archived
from quarry.apps.search.services.set_trial_archived import set_trial_archived
from quarry.apps.search.services.take_back_report import take_back_report
from quarry.apps.search.services.take_over import take_over

__all__ = [
    "add_report",
    "add_search",
    "add_search_photo",
    "end_search",
    "give_segment",
    "keep_kind",
    "keep_trial",
    "launch_first",
    "lay_segments",
    "report_flown",
    "save_search",
    "set_kind_archived",
    "set_search_archived",
    "set_trial_archived",
    "take_back_report",
    "take_over",
]
