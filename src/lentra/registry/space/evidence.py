"""What is at an address, and what overlaps a range: innermost extents, their owners, the pools around them."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import Q, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS, Prefix, address_text, range_text, starts_around
from lentra.registry.models import Address, ExtentRow, KeepOut, Pool, PoolRange, Realm, Subnet
from lentra.registry.space.keep_outs import keep_outs_over

_WITH = ("pool", "child", "subnet__project", "subnet__zone", "subnet__region", "subnet__tier", "reservation")
_MOST = 1000
_KEY = ("pool_id", "family", "first")
Key = tuple[int, int, int]  # of an extent: pool, family, first address


def extents_over(realm_id: int, family: int, first: int, last: int, most: int = _MOST) -> list[ExtentRow]:
    """The innermost extents of a realm that share an address with first..last, in order, owners read along."""
    rows = ExtentRow.objects.filter(realm_id=realm_id, family=family).exclude(state=State.CARVED)
    found = holding(rows, family, first)
    if first < last:
        found += rows.filter(first__gt=first, first__lte=last).order_by("first").values_list(*_KEY)[:most]
    return owners_read(found)


def holding(rows: QuerySet[ExtentRow], family: int, address: int) -> list[Key]:
    """The keys of those extents that hold an address.

    Asked for by equality at the few addresses where such an extent may start: to look for the last one that starts before
    the address would be a walk through all of them.
    """
    size = {length: 1 << (BITS[family] - length) for length in range(BITS[family] + 1)}
    probed = rows.filter(first__in=starts_around(family, address)).values_list(*_KEY, "length")
    return [(pool, of, first) for pool, of, first, length in probed if first + size[length] > address]


def owners_read(keys: Collection[Key]) -> list[ExtentRow]:
    """Extents by key, in order of address, with the owners that are told of them.

    Their keys are found first: joined to what is searched for, owners would have the database begin with them.
    """
    wanted = set(keys)
    if not wanted:
        return []
    pools, families, firsts = (set(column) for column in zip(*wanted, strict=True))
    rows = ExtentRow.objects.filter(pool__in=pools, family__in=families, first__in=firsts).select_related(*_WITH)
    return sorted((row for row in rows if row.pk in wanted), key=lambda row: row.first)


def owner_of(subnet: Subnet) -> dict[str, Any]:
    """A subnet as evidence: its name and number, and whose it is."""
    return {
        "owner": subnet.name,
        "id": subnet.pk,
        "project": subnet.project.name,
        "zone": subnet.zone.name if subnet.zone else None,
        "region": subnet.region.name if subnet.region else None,
        "tier": subnet.tier.name,
    }


def describe(row: ExtentRow, first: int, last: int) -> dict[str, Any]:
    """An extent as evidence: its range, state and owner, and how many addresses of first..last it takes."""
    subnet = row.subnet
    start: int = max(row.first, first)
    shared = min(row.prefix.last, last) - start + 1
    facts: dict[str, Any] = {
        "range": str(row.prefix),
        "state": State(row.state).word,
        "pool": row.pool.name,
        "addresses": shared,
    }
    if subnet:
        facts |= owner_of(subnet)
        if subnet.ends_at:
            facts["until"] = subnet.ends_at
    if row.state == State.CARVED and row.child:
        facts |= {"owner": row.child.name, "kind": "pool"}
    if row.reservation:
        facts |= {
            "owner": row.reservation.name,
            "reservation": row.reservation.pk,
            "reason": row.reservation.reason,
        }
        if row.reservation.service:
            facts["service"] = row.reservation.service
        if row.reservation.ends_at:
            facts["until"] = row.reservation.ends_at
    if row.state == State.KEPT_OUT:
        reasons = keep_outs_over(row.realm_id, row.family, start, min(row.prefix.last, last))
        if reasons:
            facts |= {"owner": f"keep-out: {reasons[0].reason}", "keep_out": reasons[0].pk}
    return facts


def conflicts_over(realm_id: int, prefix: Prefix, most: int = 20) -> list[dict[str, Any]]:
    """What stands in the way of a prefix: every innermost extent over it that is not free."""
    rows = extents_over(realm_id, prefix.family, prefix.first, prefix.last)
    used = [row for row in rows if row.state != State.FREE]
    return [describe(row, prefix.first, prefix.last) for row in used[:most]]


def pool_chain(realm_id: int, family: int, first: int, last: int) -> list[Pool]:
    """The pools whose ranges hold all of first..last, outermost first."""
    ranges = PoolRange.objects.filter(realm_id=realm_id, family=family, first__lte=first, last__gte=last)
    return [r.pool for r in ranges.order_by("length", "pool_id").select_related("pool__realm", "pool__sheet")]


def around(realm_id: int, family: int, first: int, last: int) -> dict[str, dict[str, Any] | None]:
    """What lies directly before and after first..last."""
    before = extents_over(realm_id, family, first - 1, first - 1)[:1] if first else []
    top = 1 << BITS[family]
    after = extents_over(realm_id, family, last + 1, last + 1)[:1] if last + 1 < top else []
    return {
        "before": describe(before[0], before[0].first, before[0].prefix.last) if before else None,
        "after": describe(after[0], after[0].first, after[0].prefix.last) if after else None,
    }


def realms_with_pools(family: int, first: int, last: int) -> list[int]:
    """The numbers of the realms that have a pool over any of first..last."""
    here = Q(first__in=starts_around(family, first), last__gte=first) | Q(first__gt=first, first__lte=last)
    rows = PoolRange.objects.filter(here, family=family, top=True)
    return sorted({*rows.order_by().values_list("realm_id", flat=True)})


def realms_at(family: int, first: int, last: int) -> list[Realm]:
    """The realms that have a pool or a keep-out over any of first..last, by name."""
    kept_out = KeepOut.objects.filter(family=family, first__lte=last, last__gte=first)
    numbers = {*realms_with_pools(family, first, last), *kept_out.values_list("realm_id", flat=True)}
    return list(Realm.objects.filter(pk__in=numbers).order_by("name"))


def whereabouts(realm: Realm, family: int, first: int, last: int) -> dict[str, Any]:
    """Everything known about a range of a realm.

    Returns:
        ``range``, ``pools`` (the owner chain, outermost first), ``holders`` (innermost extents over it, free
        ones too), ``keep_outs``, address ``records`` with the public addresses that they have, and what lies
        ``before`` and ``after`` the holders.
    """
    rows = extents_over(realm.pk, family, first, last, 200)
    low = min([first, *(row.prefix.first for row in rows)])
    high = max([last, *(row.prefix.last for row in rows)])
    return {
        "realm": {"id": realm.pk, "name": realm.name},
        "range": range_text(family, first, last),
        "pools": [{"id": p.pk, "name": p.name} for p in pool_chain(realm.pk, family, first, last)],
        "holders": [describe(row, first, last) for row in rows],
        "keep_outs": [
            {"id": k.pk, "range": k.range_text, "kind": k.kind, "reason": k.reason}
            for k in keep_outs_over(realm.pk, family, first, last)[:50]
        ],
        "records": records_in(realm.pk, family, first, last),
        **around(realm.pk, family, low, high),
    }


def records_in(realm_id: int, family: int, first: int, last: int, most: int = 50) -> list[dict[str, Any]]:
    """Address records of a realm from first to last, in order, each with the public addresses that lead to it."""
    rows = Address.objects.filter(realm_id=realm_id, family=family, address__range=(first, last)).order_by(
        "address"
    )
    return [
        {
            "id": record.pk,
            "address": record.text,
            "name": record.name,
            "kind": record.kind,
            "mac": record.mac,
            "purpose": record.purpose,
            "subnet": {"id": record.subnet_id, "name": record.subnet.name},
            "public": public_of(record),
        }
        for record in rows.select_related("subnet").prefetch_related("public__extents")[:most]
    ]


def public_of(record: Address) -> list[dict[str, Any]]:
    """The public addresses that are attached to an address record."""
    return [
        {
            "id": held.pk,
            "name": held.name,
            "address": address_text(block.family, block.first),
            "how": held.attached_how,
        }
        for held in record.public.all()
        for block in held.blocks()
    ]


def taken_over(realm_id: int, prefix: Prefix) -> list[dict[str, Any]]:
    """What keeps a prefix from being used in a realm: extents in use, and keep-outs, also where no pool is."""
    return taken_in(realm_id, prefix.family, prefix.first, prefix.last)


def taken_in(realm_id: int, family: int, first: int, last: int) -> list[dict[str, Any]]:
    rows = extents_over(realm_id, family, first, last)
    used = [describe(row, first, last) for row in rows if row.state not in (State.FREE, State.KEPT_OUT)]
    kept = [
        {
            "range": keep_out.range_text,
            "state": State.KEPT_OUT.word,
            "owner": f"keep-out: {keep_out.reason}",
            "keep_out": keep_out.pk,
            "addresses": min(keep_out.last, last) - max(keep_out.first, first) + 1,
        }
        for keep_out in keep_outs_over(realm_id, family, first, last)
    ]
    return used + kept
