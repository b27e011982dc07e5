"""App configuration."""

from django.apps import AppConfig


class PolicyConfig(AppConfig):
    """Policy."""

    name = "quarry.apps.policy"
    label = "policy"
