#!/usr/bin/env python3
"""Django's command line for developers; `quarry` is the product's."""

import os
import sys

from quarry.project.loading import load_once

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "quarry.project.settings")
    with load_once():
        import django
        from django.core.management import execute_from_command_line

        django.setup()
    execute_from_command_line(sys.argv)
