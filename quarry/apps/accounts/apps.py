"""App configuration."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Accounts."""

    name = "quarry.apps.accounts"
    label = "accounts"
