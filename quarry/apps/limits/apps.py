"""App configuration."""

from django.apps import AppConfig


class LimitsConfig(AppConfig):
    """Limits."""

    name = "quarry.apps.limits"
    label = "limits"
