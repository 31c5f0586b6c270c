"""The entry point for a web server."""

import os
import sys

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "lentra.service.settings")
# A thread that holds a pool's lock needs the interpreter again after each statement: let it have it soon.
sys.setswitchinterval(0.0005)
application = get_wsgi_application()
