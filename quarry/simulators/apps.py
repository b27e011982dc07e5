"""App configuration: only the management command of the demo."""

from django.apps import AppConfig


class StandinsConfig(AppConfig):
    """Stand-ins."""

    name = "quarry.simulators"
    label = "simulators"
