"""`lentra-service`: migrate, upkeep, the first admin, and Django's own management commands."""

import os
import sys


def main() -> None:
    """Run a management command with the service's settings."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "lentra.service.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)


if __name__ == "__main__":
    main()
