"""What can be done here, one verb a file: right, lock, decide, save, history."""

from quarry.apps.weather.services.add_reading import add_reading
from quarry.apps.weather.services.add_report import add_report
from quarry.apps.weather.services.add_table import add_table
from quarry.apps.weather.services.ask_weather_service import ask_weather_service
from quarry.apps.weather.services.report_from_service import report_from_service
from quarry.apps.weather.services.set_withdrawn import set_withdrawn

__all__ = [
    "add_reading",
    "add_report",
    "add_table",
    "ask_weather_service",
    "report_from_service",
    "set_withdrawn",
]
