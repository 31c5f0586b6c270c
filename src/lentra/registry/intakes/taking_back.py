"""Taking an intake back: all that it made goes again, as long as nobody has built on it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from lentra.registry.errors import BuiltOn
from lentra.registry.intakes.found import Progress
from lentra.registry.models import Address, ExtentRow, Intake, LedgerEntry, Subnet
from lentra.registry.operations.ledger.undo import holds_others, opposite
from lentra.registry.space.expiry import free_subnets
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all
from lentra.registry.transactions.run import settle_until_now

_AT_ONCE = 2000
_MOST_TOLD = 20


def take_back(change: Change, intake: Intake, progress: Progress) -> None:
    """Take back all that an intake made; what it updated is as it was before.

    Raises:
        BuiltOn: something of it was changed or used since; lists by what.
    """
    entries = LedgerEntry.objects.filter(
        number__range=(intake.first_entry, intake.final_entry), operation=intake.operation
    ).exclude(kind=Intake.KIND)
    made = entries.filter(kind=Subnet.KIND, subject=None).order_by("number")
    subnets = list(made.values_list("number", flat=True))
    others = list(entries.exclude(kind=Subnet.KIND, subject=None).order_by("number"))
    records = {entry.record for entry in others}
    _refuse_built_on(intake, [*subnets, *sorted(records)])
    new = {entry.number for entry in others if entry.subject is None}
    for entry in reversed(others):
        if entry.subject is not None and entry.subject not in new:
            opposite(entry)(change, entry)
    for count, numbers in _parts(subnets):
        pools = ExtentRow.objects.filter(subnet__in=numbers).values_list("pool", flat=True).distinct()
        with open_pools(change, pools) as open_ones:
            there = lock_all(Subnet.objects.filter(pk__in=numbers).order_by("pk"))
            free_subnets(change, there, open_ones, "take back")
        settle_until_now(change)
        progress("rows taken back", count, len(subnets))
    for entry in sorted((e for e in reversed(others) if e.subject is None), key=holds_others):
        opposite(entry)(change, entry)


def _refuse_built_on(intake: Intake, numbers: Sequence[int]) -> None:
    conflicts: list[dict[str, Any]] = []
    for _, part in _parts(numbers):
        later = LedgerEntry.objects.filter(subject__in=part).exclude(operation=intake.operation)
        for entry in later.order_by("number")[: _MOST_TOLD - len(conflicts)]:
            conflicts.append(
                {"range": entry.name, "owner": entry.actor_name, "kind": entry.verb, "entry": entry.number}
            )
        for address in Address.objects.filter(subnet__in=part)[: _MOST_TOLD - len(conflicts)]:
            if not LedgerEntry.objects.filter(number=address.pk, operation=intake.operation).exists():
                conflicts.append({"range": address.text, "owner": address.name, "kind": address.kind})
        if len(conflicts) >= _MOST_TOLD:
            break
    if conflicts:
        first = conflicts[0]
        raise BuiltOn(
            f"others have built on intake {intake.pk}: {first['range']}, {first['kind']} by {first['owner']}",
            rule="an intake is taken back while nobody has built on what it made",
            conflicts=conflicts,
            suggestions=[f"undo {one['entry']} first" for one in conflicts if "entry" in one][-1:],
        )


def _parts(numbers: Sequence[int]) -> Iterator[tuple[int, Sequence[int]]]:
    """Numbers in parts, each with how many there are up to its end."""
    for at in range(0, len(numbers), _AT_ONCE):
        part = numbers[at : at + _AT_ONCE]
        yield at + len(part), part
