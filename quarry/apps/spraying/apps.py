"""App configuration."""

from django.apps import AppConfig


class SprayingConfig(AppConfig):
    """The store, mix sheets and spray records."""

    name = "quarry.apps.spraying"
    label = "spraying"
