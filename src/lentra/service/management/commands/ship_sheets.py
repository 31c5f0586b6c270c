"""`lentra-service ship_sheets`: the rule sheets that come with Lentra, where they are not there yet."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.core.management.base import BaseCommand

from lentra.addressing.rules import SHIPPED
from lentra.registry.envelope import perform
from lentra.registry.models import Sheet
from lentra.registry.operations.add_set_up import add_set_up


class Command(BaseCommand):
    help = "Add the rule sheets that come with Lentra; those that are there stay as they are."

    def handle(self, *args: Any, **options: Any) -> None:
        present = set(Sheet.objects.values_list("name", flat=True))
        for sheet in SHIPPED:
            if sheet.name not in present:
                perform(
                    lambda change, sheet=sheet: add_set_up(change, "rule sheet", asdict(sheet)),  # type: ignore[misc]
                    why="comes with Lentra",
                )
