"""App configuration."""

from django.apps import AppConfig


class ImageryConfig(AppConfig):
    """Pictures of the ground."""

    name = "quarry.apps.imagery"
    label = "imagery"
