"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.imagery.services.add_imagery import add_imagery
from quarry.apps.imagery.services.set_imagery_archived import set_imagery_archived

__all__ = ["add_imagery", "set_imagery_archived"]
