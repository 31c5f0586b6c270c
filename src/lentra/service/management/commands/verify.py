"""`lentra-service verify`: whether all that must hold, holds, as JSON; ends with 1 where it does not."""

from __future__ import annotations

import json
import sys
from typing import Any

from django.core.management.base import BaseCommand

from lentra.registry.reports.verify import verify


class Command(BaseCommand):
    help = "Verify the whole registry, and tell what does not hold."

    def handle(self, *args: Any, **options: Any) -> None:
        found = verify()
        self.stdout.write(json.dumps(found))
        if not found["clean"]:
            sys.exit(1)
