"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.flown.services.fly_gaps import fly_gaps
from quarry.apps.flown.services.keep_photo_table import keep_photo_table
from quarry.apps.flown.services.keep_photos import keep_photos
from quarry.apps.flown.services.make_proof import make_proof
from quarry.apps.flown.services.set_photos_archived import set_photos_archived

__all__ = ["fly_gaps", "keep_photo_table", "keep_photos", "make_proof", "set_photos_archived"]
