"""`lentra-service add_admin NAME`: the first person of a new installation."""

from __future__ import annotations

import getpass
import sys
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from lentra.addressing.refusal import Refusal
from lentra.registry.envelope import perform
from lentra.registry.operations.manage_people import add_person


class Command(BaseCommand):
    help = "Add an admin. The password is asked for, or read from standard input if that is no terminal."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        asked = sys.stdin.isatty()
        password = getpass.getpass("Password: ") if asked else sys.stdin.readline().rstrip("\n")
        values = {"name": options["name"], "role": "admin"}
        try:
            perform(lambda change: add_person(change, values, password, []), why="added by the operator")
        except Refusal as refusal:
            raise CommandError(refusal.message)
        self.stdout.write(f"{options['name']} can sign in as admin.")
