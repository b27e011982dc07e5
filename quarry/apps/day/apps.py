"""App configuration."""

from django.apps import AppConfig


class DayConfig(AppConfig):
    """Day."""

    name = "quarry.apps.day"
    label = "day"

    def ready(self) -> None:
        """Have records of packs told to the days that are being flown."""
        from quarry.apps.care.services import listen
        from quarry.apps.day.services import hear_of_pack

        listen(lambda actor, heard: hear_of_pack(actor=actor, heard=heard))
