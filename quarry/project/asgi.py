"""The ASGI application."""

from __future__ import annotations

import os
import warnings

from django.core.asgi import get_asgi_application

# Files of the build are small and read at once; Django would rather stream them asynchronously.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "quarry.project.settings")
application = get_asgi_application()
