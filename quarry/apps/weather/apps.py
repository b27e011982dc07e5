"""App configuration."""

from django.apps import AppConfig


class WeatherConfig(AppConfig):
    """Weather."""

    name = "quarry.apps.weather"
    label = "weather"
