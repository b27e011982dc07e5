"""App configuration."""

from django.apps import AppConfig


class CareConfig(AppConfig):
    """Care of packs."""

    name = "quarry.apps.care"
    label = "care"
