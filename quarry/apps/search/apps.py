"""App configuration."""

from django.apps import AppConfig


class SearchConfig(AppConfig):
    """Searches with their segments, reports and sorties; kinds of person; trials of sweep width."""

    name = "quarry.apps.search"
    label = "search"
