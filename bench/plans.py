"""A plan of 10,000 subnets in both families, beside a bare bulk insert of the same rows."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from typing import Any

ZONES, TIERS = 200, 50


def measure() -> list[tuple[str, str, str]]:
    """Preview and commit in one transaction each; then the same rows by `bulk_create`, and memory."""
    from bench import ground
    from lentra.addressing.prefix import parse_prefix
    from lentra.registry.models import Pool, Realm, Region, Sheet
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.operations.pools.add_pool import add_pool
    from lentra.registry.operations.setup.add_realm import add_realm
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.plans.reading import read_document
    from lentra.registry.transactions.run import run_transaction

    region = Region.objects.get(name="coast")
    for n in range(ZONES):
        ground.do(add_record, "zone", {"name": f"pz-{n}", "region": region})
    for n in range(TIERS):
        ground.do(add_record, "tier", {"name": f"pt-{n}"})
    ground.do(add_realm, {"name": "bench-plans"})  # apart from the other measurements' ranges
    values = {
        "name": "plan-pool",
        "realm": Realm.objects.get(name="bench-plans"),
        "sheet": Sheet.objects.get(name="ends-withheld"),
    }
    ground.do(add_pool, values, [parse_prefix("172.16.0.0/13"), parse_prefix("fd46:200::/44")])
    text = read_document(
        {
            "format": "lentra-plan-1",
            "name": "large",
            "project": "ticketing",
            "pools": {"ipv4": "plan-pool", "ipv6": "plan-pool"},
            "zones": [f"pz-{n}" for n in range(ZONES)],
            "tiers": [{"tier": f"pt-{n}", "hosts": 10} for n in range(TIERS)],
            "summarise": "zone",
        }
    )
    shown, preview = _timed(
        lambda: (
            run_transaction(
                lambda change: commit_plan(change, text), preview=True, render=lambda p, _: p.token
            ).answer
        )
    )
    before = _memory()
    count, commit = _timed(
        lambda: (
            run_transaction(
                lambda change: commit_plan(change, text, proposal=shown), render=lambda p, _: len(p.added)
            ).answer
        )
    )
    memory = _memory() - before
    assert count == ZONES * TIERS
    bare = _bare_insert(Pool.objects.get(name="plan-pool"))
    return [
        (
            f"plan of {count:,} subnets in both families: commit beside a bare bulk insert",
            f"{bare / commit:.2f}",
            "0.5",
        ),
        ("the same: preview beside its commit", f"{preview / commit:.2f}×", ""),
        (f"the same: memory beyond the preview's, token {len(shown) // 1024} KiB", f"{memory:.0f} MiB", ""),
    ]


def _bare_insert(pool: Any) -> float:
    """Seconds to insert the same ledger entries, subnets and extents with `bulk_create`, nothing else."""
    from django.db import transaction

    from bench import ground
    from lentra.registry.models import ExtentRow, LedgerEntry, Operation, Plan, Reservation, Subnet

    subnets = list(Subnet.objects.filter(pool=pool))
    extents = list(ExtentRow.objects.filter(pool=pool, subnet__isnull=False))
    entries = list(LedgerEntry.objects.filter(pk__in=[s.pk for s in subnets]))
    ExtentRow.objects.filter(pool=pool).delete()
    Subnet.objects.filter(pool=pool)._raw_delete("default")
    Reservation.objects.filter(pool=pool).delete()
    Plan.objects.all().delete()
    Operation.objects.all().delete()
    for entry, number in zip(entries, ground.take_numbers(len(entries)), strict=True):
        entry.pk = number
    for subnet in subnets:
        subnet.plan_id = None

    def insert() -> None:
        with transaction.atomic():
            LedgerEntry.objects.bulk_create(entries, batch_size=2000)
            Subnet.objects.bulk_create(subnets, batch_size=2000)
            ExtentRow.objects.bulk_create(extents, batch_size=2000)

    return _timed(insert)[1]


def _timed(work: Callable[[], Any]) -> tuple[Any, float]:
    start = time.perf_counter()
    result = work()
    return result, time.perf_counter() - start


def _memory() -> float:
    """The most memory this process has had, in MiB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
