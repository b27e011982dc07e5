"""Django's entry for the app."""

from django.apps import AppConfig


class LogbookConfig(AppConfig):
    """The logbook."""

    name = "quarry.apps.logbook"
    label = "logbook"
