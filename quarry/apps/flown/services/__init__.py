"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.flown.services.fly_gaps import fly_gaps
from quarry.apps.flown.services.make_proof import make_proof

__all__ = ["fly_gaps", "make_proof"]
