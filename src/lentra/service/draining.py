"""How the launcher tells the web server's workers that the service is about to stop: by a file."""

from __future__ import annotations

import os
from pathlib import Path

DRAINING = "LENTRA_DRAINING_FILE"  # the variable with its path


def is_draining() -> bool:
    """True from the moment that the service is to stop."""
    path = os.environ.get(DRAINING, "")
    return bool(path) and Path(path).exists()
