"""App configuration."""

from django.apps import AppConfig


class FlownConfig(AppConfig):
    """Jobs as they were flown."""

    name = "quarry.apps.flown"
    label = "flown"
