"""`lentra-service add_admin NAME`: the first person of a new installation."""

from __future__ import annotations

import getpass
import sys
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from lentra.addressing.refusal import Refusal
from lentra.registry.models import Person
from lentra.registry.operations.people.manage_people import add_person
from lentra.registry.transactions.run import run_transaction


class Command(BaseCommand):
    help = "Add an admin. The password is asked for, or read from standard input if that is no terminal."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name", nargs="?")
        parser.add_argument("--look", action="store_true", help="add nobody, and fail where nobody is known yet")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["look"]:
            if not Person.objects.exists():
                raise CommandError("nobody is known here yet")
            return
        if not options["name"]:
            raise CommandError("give the admin's name")
        asked = sys.stdin.isatty()
        password = getpass.getpass("Password: ") if asked else sys.stdin.readline().rstrip("\n")
        values = {"name": options["name"], "role": "admin"}
        try:
            run_transaction(lambda change: add_person(change, values, password, []), why="added by the operator")
        except Refusal as refusal:
            raise CommandError(refusal.message)
        self.stdout.write(f"{options['name']} can sign in as admin.")
