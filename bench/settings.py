"""The product's settings with one empty view beside its own addresses."""

from quarry.project.settings import *  # noqa: F403

ROOT_URLCONF = "bench.urls"
