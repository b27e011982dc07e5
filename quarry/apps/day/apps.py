"""App configuration."""

from django.apps import AppConfig


class DayConfig(AppConfig):
    """Day."""

    name = "quarry.apps.day"
    label = "day"
