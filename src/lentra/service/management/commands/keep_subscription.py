"""`lentra-service keep_subscription`: a subscription that comes from the service's settings, added or brought up to date."""

from __future__ import annotations

import os
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from lentra.registry.models import Subscription
from lentra.registry.operations.subscriptions.subscribe import add_subscription, edit_subscription
from lentra.registry.transactions.run import run_transaction

SECRET = "LENTRA_ALERT_SECRET"


class Command(BaseCommand):
    help = f"Keep a subscription to an address, its secret in {SECRET}."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("name")
        parser.add_argument("endpoint")
        parser.add_argument("--kind", action="append", default=[], help="kind of records; any without")
        parser.add_argument("--about", default="")

    def handle(self, *args: Any, **options: Any) -> None:
        values = {"endpoint": options["endpoint"], "kinds": options["kind"], "about": options["about"]}
        secret = os.environ[SECRET]
        there = Subscription.objects.filter(name=options["name"]).first()
        if there is None:
            wanted = {**values, "name": options["name"], "secret": secret}
            run_transaction(lambda change: add_subscription(change, wanted), why="as the service is set up")
        elif there.secret != secret or any(getattr(there, name) != value for name, value in values.items()):
            run_transaction(
                lambda change: edit_subscription(change, there.pk, {**values, "secret": secret}),
                why="as the service is set up",
            )
