"""`lentra-service ship_sheets`: the rule sheets that come with Lentra, where they are not there yet."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.core.management.base import BaseCommand

from lentra.addressing.rules import SHIPPED
from lentra.registry.models import Sheet
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.transactions.run import run_transaction


class Command(BaseCommand):
    help = "Add the rule sheets that come with Lentra; those that are there stay as they are."

    def handle(self, *args: Any, **options: Any) -> None:
        present = set(Sheet.objects.values_list("name", flat=True))
        for sheet in SHIPPED:
            if sheet.name not in present:
                run_transaction(
                    lambda change, sheet=sheet: add_record(change, "rule sheet", asdict(sheet)),  # type: ignore[misc]
                    why="comes with Lentra",
                )
