"""App configuration."""

from django.apps import AppConfig


class FleetConfig(AppConfig):
    """Fleet."""

    name = "quarry.apps.fleet"
    label = "fleet"
