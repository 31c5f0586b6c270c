"""A database and a service for measuring, and pools filled with many subnets by bulk insert."""

from __future__ import annotations

import os
import socket
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any

from lentra.service.database import OwnDatabase


def free_port() -> int:
    """A port on loopback that nothing listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def empty_database() -> Iterator[str]:
    """A fresh database for another process; tells its address."""
    with tempfile.TemporaryDirectory(prefix="lentra-bench-") as folder:
        own = OwnDatabase(Path(folder), free_port())
        own.start()
        try:
            yield own.url
        finally:
            own.stop()


@contextmanager
def database() -> Iterator[OwnDatabase]:
    """A fresh database, with Django set up on it, a realm, places and people."""
    with tempfile.TemporaryDirectory(prefix="lentra-bench-") as folder:
        own = OwnDatabase(Path(folder), free_port())
        own.start()
        os.environ |= {
            "LENTRA_DATABASE_URL": own.url,
            "DJANGO_SETTINGS_MODULE": "lentra.service.settings",
            "LENTRA_SECRET_KEY": "a secret for measuring only, and long enough",
        }
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0)
        call_command("ship_sheets")
        set_up()
        try:
            yield own
        finally:
            from django.db import connection

            connection.close()
            own.stop()


def do(operation, *values, **named):  # type: ignore[no-untyped-def]
    """Run one operation; returns its result."""
    from lentra.registry.transactions.run import run_transaction

    kept = []
    run_transaction(
        lambda change: operation(change, *values, **named), render=lambda result, _: kept.append(result)
    )
    return kept[-1]


def set_up() -> None:
    """One realm, region, project and tier, ten zones, one planner with a token."""
    from lentra.registry.models import Region
    from lentra.registry.operations.people.manage_people import add_person
    from lentra.registry.operations.people.tokens import add_token
    from lentra.registry.operations.setup.add_realm import add_realm
    from lentra.registry.operations.setup.add_record import add_record

    do(add_realm, {"name": "bench"})
    do(add_record, "region", {"name": "coast"})
    region = Region.objects.get(name="coast")
    for n in range(10):
        do(add_record, "zone", {"name": f"z-{n}", "region": region})
        do(add_record, "tier", {"name": f"t-{n}"})
    do(add_record, "project", {"name": "ticketing"})
    person = do(add_person, {"name": "petra", "role": "planner"}, None, [])
    _, os.environ["BENCH_TOKEN"] = do(add_token, person, "bench")


def add_pool(name: str, prefix: str, sheet: str = "ends-withheld", **more: str):  # type: ignore[no-untyped-def]
    """A top-level pool of one range."""
    from lentra.addressing.prefix import parse_prefix
    from lentra.registry.models import Realm, Sheet
    from lentra.registry.operations.pools.add_pool import add_pool as add

    values = {
        "name": name,
        "realm": Realm.objects.get(name="bench"),
        "sheet": Sheet.objects.get(name=sheet),
        "cooling_days": 0,
        **more,
    }
    return do(add, values, [parse_prefix(prefix)])


def take_numbers(count: int) -> list[int]:
    """Numbers for so many records to come, lowest first."""
    from lentra.registry.models import Number
    from lentra.registry.transactions.sql import numbering, read_text

    return sorted(number for (number,) in read_text(numbering(Number, count)))


def _entry(subnet, moment):  # type: ignore[no-untyped-def]
    """The ledger entry of a subnet that was handed out."""
    from lentra.registry.models import LedgerEntry

    return LedgerEntry(
        number=subnet.pk,
        at=moment,
        operation=uuid.UUID(int=subnet.pk),
        actor_name="lentra",
        verb="hand out",
        kind="subnet",
        name=subnet.name,
        realm=subnet.realm_id,
        after=subnet.made_facts(),
    )


def fill(pool, prefix: str, count: int, days: int = 0) -> None:  # type: ignore[no-untyped-def]
    """Fill a pool with /30 subnets, so many days old, every fifth place left free, as rows of history (not by asking)."""
    from django.db import connection

    from lentra.addressing.extents import Extent, State
    from lentra.addressing.prefix import Prefix, parse_prefix, prefixes_of_range
    from lentra.addressing.tiles import TileChanges
    from lentra.registry.models import ExtentRow, LedgerEntry, Project, Space, Subnet, Tier, Tile, Zone, place_key
    from lentra.registry.space.keeping import Sums, prepare
    from lentra.registry.space.tenures import Course
    from lentra.registry.space.tiles import add_tiles
    from lentra.registry.transactions.sql import Batch, insert

    whole = parse_prefix(prefix)
    zones, tiers = list(Zone.objects.select_related("region")), list(Tier.objects.all())
    project = Project.objects.get(name="ticketing")
    moment = LedgerEntry.objects.order_by("-number").values_list("at", flat=True)[0]
    ExtentRow.objects.filter(pool=pool).delete()
    places = [n for n in range(count + count // 4) if n % 5 != 4][:count]
    sums = Sums()
    for at in range(0, count, 20_000):
        part = list(enumerate(places[at : at + 20_000], at))
        numbers = dict(zip((n for n, _ in part), take_numbers(len(part)), strict=True))
        subnets, extents, tenures = [], [], []
        for n, slot in part:
            block = Prefix(4, whole.first + 4 * slot, 30)
            zone, tier = zones[n % 10], tiers[n // 10 % 10]
            subnets.append(
                Subnet(
                    id=numbers[n],
                    last_entry=numbers[n],
                    realm_id=pool.realm_id,
                    pool=pool,
                    project=project,
                    region=zone.region,
                    zone=zone,
                    tier=tier,
                    name=f"{pool.name}-{n}",
                    name_stem=f"{pool.name}-{{nn}}",
                    name_number=n,
                    place=place_key(block),
                    created_at=moment - timedelta(days=days),
                )
            )
            prepare(subnets[-1], [(pool.pk, block, State.HANDED_OUT)])
            sums.count(subnets[-1].counted, 1)
            extents.append(
                ExtentRow(
                    pool=pool,
                    realm_id=pool.realm_id,
                    family=4,
                    first=block.first,
                    length=30,
                    state=State.HANDED_OUT,
                    subnet_id=numbers[n],
                )
            )
            subnets[-1].known_blocks = [block]
        entries = [_entry(subnet, moment) for subnet in subnets]
        insert(entries)
        insert(subnets)
        for entry in entries:
            course = Course("subnet", entry.number)
            course.enter(entry.number, entry.operation, entry.at, entry.after)
            tenures += course.going_on.values()
        insert(tenures)
        insert(extents)
    used = set(places)
    gaps = [whole.first + 4 * n for n in range(places[-1] + 1) if n not in used]
    free = [Prefix(4, first, 30) for first in gaps]
    free += prefixes_of_range(4, whole.first + 4 * (places[-1] + 1), whole.last)
    # Gaps are single places between used ones: none can join.
    insert(
        [
            ExtentRow(
                pool=pool, realm_id=pool.realm_id, family=4, first=p.first, length=p.length, state=State.FREE
            )
            for p in free
        ]
    )
    Tile.objects.filter(pool=pool).delete()
    tiles = TileChanges(4)
    for n in places:
        tiles.count(Extent(Prefix(4, whole.first + 4 * n, 30), State.HANDED_OUT), 1)
    for p in free:
        tiles.count(Extent(p), 1)
    batch = Batch()
    add_tiles(pool.pk, tiles, batch)
    sums.add_to(batch)
    batch.send()
    counts: dict[str, int] = {}
    for p in free:
        counts[str(p.length)] = counts.get(str(p.length), 0) + 1
    Space.objects.filter(pool=pool).update(
        free=sum(p.size for p in free),
        handed_out=4 * count,
        free_counts=counts,
        largest_free=min(p.length for p in free),
    )
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE TABLE registry_extent, registry_subnet, registry_tenure")
        cursor.fetchall()


def upkeep() -> None:
    """As in a service that runs: readings taken, and the outlooks worked out from them."""
    from lentra.registry.foresight.outlooks import refresh_outlooks
    from lentra.registry.foresight.readings import take_readings
    from lentra.registry.transactions.clock import SystemClock

    take_readings(SystemClock())
    while refresh_outlooks(SystemClock()):
        pass


def client() -> Any:
    """A client of the API within this process, signed in."""
    from django.conf import settings
    from rest_framework.test import APIClient

    settings.ALLOWED_HOSTS = ["testserver"]
    return APIClient(headers={"Authorization": f"Bearer {os.environ['BENCH_TOKEN']}"})


def get(client: Any, call: str) -> Any:
    """The answer to a call of the API, or of a path from the root, which must succeed."""
    answer = client.get(call if call.startswith("/") else f"/api/v1/{call}")
    assert answer.status_code == 200, (call, answer.content)
    return answer
