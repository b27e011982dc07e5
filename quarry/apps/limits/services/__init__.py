"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.limits.services.begin_preflight import begin_preflight
from quarry.apps.limits.services.begin_with_starter import begin_with_starter
from quarry.apps.limits.services.clear import clear
from quarry.apps.limits.services.decide_climb import decide_climb
from quarry.apps.limits.services.enter import GivenRemark, enter
from quarry.apps.limits.services.override import override
from quarry.apps.limits.services.save_sheet import save_sheet

__all__ = [
    "GivenRemark",
    "begin_preflight",
    "begin_with_starter",
    "clear",
    "decide_climb",
    "enter",
    "override",
    "save_sheet",
]
