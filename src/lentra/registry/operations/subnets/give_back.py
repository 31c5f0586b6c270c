"""Give back a subnet: active, then cooling, then free and gone from the registry (but not its ledger)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.extents import Extent, State
from lentra.registry.errors import InUse, StillAttached, WrongState
from lentra.registry.lookup.sightings import seen_lately
from lentra.registry.models import Address, Pool, Subnet
from lentra.registry.operations.subnets.opened import open_subnet, refuse_moving
from lentra.registry.operations.subnets.record_addresses import refuse_public
from lentra.registry.rules.permissions import require
from lentra.registry.space.expiry import free_extents, free_subnets, reservations_of
from lentra.registry.space.locking import Pools, open_pools_of
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all


def give_back_subnet(
    change: Change, subnet_ref: Any, at_once: bool = False, version: int | None = None, despite_use: bool = False
) -> Subnet:
    """Give a subnet back. Its range and name cool for as long as its pool says, or are free at once.

    Args:
        at_once: skip cooling, or end it now; for planners.
        despite_use: although it has address records, a DHCP range or a gateway, which then go with it.

    Raises:
        NotAllowed: neither planner nor requester of the project, or `at_once` by a requester.
        WrongState: it is cooling already.
        StillAttached: it is a public address that is attached to something.
        InUse: something is recorded in it, and `despite_use` was not said; lists it.
        StaleEdit: it has changed since `version`.
    """
    if at_once:
        require(change.actor, "planner", "free a subnet at once")
    with open_subnet(change, subnet_ref, "give back a subnet", version) as (subnet, pools):
        if subnet.state == "cooling" and not at_once:
            raise WrongState(
                f"subnet {subnet.name} has been given back already: it cools until "
                f"{subnet.ends_at:%Y-%m-%d %H:%M} UTC",
                received=subnet.state,
                rule="a planner can end cooling at once",
                suggestions=["at_once: true"],
            )
        refuse_moving([subnet], "give it back")
        _refuse_attached([subnet])
        _refuse_used(change, [subnet], despite_use)
        subnet.known_blocks = subnet.blocks()
        _warn_of_seen(change, [subnet])
        days = 0 if at_once or subnet.state == "held" else subnet.pool.cooling_days
        _end(change, [subnet], pools, days)
    return subnet


def give_back_many(
    change: Change, subnets: Sequence[Subnet], despite_use: bool = False, told: bool = False
) -> None:
    """Give back subnets in use, together: each cools for as long as its pool says, or is free at once.

    Args:
        told: what is recorded in them is known to whoever does it, and need not be told again.

    Raises:
        StillAttached, InUse: as for `give_back_subnet`.
    """
    with open_pools_of(change, [subnet.pk for subnet in subnets]) as pools:
        there = lock_all(
            Subnet.objects.filter(pk__in=[s.pk for s in subnets], state__in=("active", "retiring"))
            .order_by("pk")
            .prefetch_related("extents")
        )
        refuse_moving(there, "give it back")
        _refuse_attached(there)
        if not told:
            _refuse_used(change, there, despite_use)
        _warn_of_seen(change, there)
        days = dict(Pool.objects.filter(pk__in={s.pool_id for s in there}).values_list("pk", "cooling_days"))
        for cooling in sorted(set(days.values())):
            _end(change, [subnet for subnet in there if days[subnet.pool_id] == cooling], pools, cooling)


def _warn_of_seen(change: Change, subnets: Sequence[Subnet]) -> None:
    """Tell what was seen in subnets in the last days: somebody may still be there."""
    for text in seen_lately(subnets, change.now):
        change.note(text)


def dependants(subnets: Sequence[Subnet]) -> list[dict[str, Any]]:
    """What is recorded in subnets: address records, DHCP ranges, gateways."""
    found: list[dict[str, Any]] = []
    records: dict[int, list[Address]] = {}
    for record in Address.objects.filter(subnet__in=subnets).order_by("family", "address"):
        records.setdefault(record.subnet_id, []).append(record)
    for subnet in subnets:
        for record in records.get(subnet.pk, ()):
            found.append({"range": record.text, "owner": record.name, "kind": record.kind, "subnet": subnet.name})
        for text in subnet.dhcp_ranges:
            found.append({"range": text, "owner": "DHCP range", "kind": "dhcp", "subnet": subnet.name})
        if subnet.gateway != "none":
            found.append({"range": subnet.gateway, "owner": "gateway", "kind": "gateway", "subnet": subnet.name})
    return found


def _refuse_attached(subnets: Sequence[Subnet]) -> None:
    for subnet in subnets:
        if subnet.attached_to:
            raise StillAttached(
                f"{subnet.blocks()[0]} ({subnet.name}) is attached to {subnet.attached_to}: detach it first",
                received=subnet.name,
                rule="what is attached is in use",
                conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.attached_to, "kind": "target"}],
                suggestions=["detach it"],
            )
    refuse_public(Address.objects.filter(subnet__in=subnets, public__isnull=False).distinct())


def _refuse_used(change: Change, subnets: Sequence[Subnet], despite_use: bool) -> None:
    """What is recorded in subnets goes with them only when that is said."""
    living = [subnet for subnet in subnets if subnet.state in ("active", "retiring")]
    found = dependants(living)
    if not found:
        return
    words = f"{found[0]['owner']} {found[0]['range']}"
    more = f" and {len(found) - 1} more" if len(found) > 1 else ""
    if not despite_use:
        raise InUse(
            f"{found[0]['subnet']} is in use by {words}{more}: give it back all the same only when that is meant",
            field="despite_use",
            rule="what is recorded in a subnet goes with it only when requested explicitly (despite_use=true)",
            conflicts=found[:20],
            suggestions=["despite_use: true"],
        )
    change.note(f"{words}{more} {'go' if more else 'goes'} with it")


def _end(change: Change, subnets: Sequence[Subnet], pools: Pools, cooling_days: int) -> None:
    if cooling_days:
        _cool(change, subnets, pools, change.now + timedelta(days=cooling_days))
        return
    free_subnets(change, subnets, pools, "give back")
    for subnet in subnets:
        subnet.state = "free"


def _cool(change: Change, subnets: Sequence[Subnet], pools: Pools, until: datetime) -> None:
    by_number = {subnet.pk: subnet for subnet in subnets}
    drawn_from = reservations_of(change, subnets)
    blocks: dict[int, list[str]] = {}
    for families in pools.values():
        for store in families.values():
            own = store.owned_by(*by_number)
            for extent in own:
                if extent.state is State.HANDED_OUT:
                    store.replace([extent], [Extent(extent.prefix, State.COOLING, extent.owner)])
                    blocks.setdefault(extent.owner or 0, []).append(str(extent.prefix))
                elif extent.state is State.ROOM:
                    subnet = by_number[extent.owner or 0]
                    free_extents(store, [extent], drawn_from.get(subnet.drawn_from_id or 0), subnet.realm_id)
            if own:
                store.due(until)
    before = [{"state": s.state, "ends_at": s.ends_at, "blocks": blocks.get(s.pk, [])} for s in subnets]
    change.entered_all(subnets, "give back", before, [{"state": "cooling", "ends_at": until}] * len(subnets))
    for subnet in subnets:
        subnet.state, subnet.ends_at = "cooling", until
    change.stored(subnets, "state", "ends_at")
