"""The entry point for a web server."""

import os
import sys

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.core.wsgi import get_wsgi_application

SHORTEST_SECRET = 20

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "lentra.service.settings")
if settings.SECRET_KEY == settings.NO_SECRET or len(settings.SECRET_KEY) < SHORTEST_SECRET:
    raise ImproperlyConfigured(
        f"LENTRA_SECRET_KEY is not set or has fewer than {SHORTEST_SECRET} characters: sessions and proposals are signed "
        "with it; make one with: openssl rand -base64 48"
    )
# A thread that holds a pool's lock needs the interpreter again after each statement: let it have it soon.
sys.setswitchinterval(0.0005)
application = get_wsgi_application()
