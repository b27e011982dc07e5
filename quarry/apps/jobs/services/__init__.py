"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.jobs.services.add_job import add_job
from quarry.apps.jobs.services.add_terrain import add_terrain
from quarry.apps.jobs.services.copy_job import copy_job
from quarry.apps.jobs.services.read_boundary_file import read_boundary_file
from quarry.apps.jobs.services.read_control_file import read_control_file
from quarry.apps.jobs.services.save_job import save_job
from quarry.apps.jobs.services.set_archived import set_archived
from quarry.apps.jobs.services.set_terrain_archived import set_terrain_archived
from quarry.apps.jobs.services.split_job import split_job
from quarry.apps.jobs.services.split_strips import split_strips

__all__ = [
    "add_job",
    "add_terrain",
    "copy_job",
    "read_boundary_file",
    "read_control_file",
    "save_job",
    "set_archived",
    "set_terrain_archived",
    "split_job",
    "split_strips",
]
