"""What people enter, and rows as the history keeps them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

Plain = dict[str, Any]  # a row as the history keeps it
Entered = Mapping[str, Any]  # figures as a form sends them, by the names of the columns
