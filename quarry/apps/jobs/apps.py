"""App configuration."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Jobs."""

    name = "quarry.apps.jobs"
    label = "jobs"
