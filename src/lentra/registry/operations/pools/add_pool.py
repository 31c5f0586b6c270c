"""Add a top-level pool to a realm, and ranges to it."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import ExtentStore, State, carve, carve_over_kept_out
from lentra.addressing.matching import merged
from lentra.addressing.meeting import apart, common
from lentra.addressing.placement import place
from lentra.addressing.prefix import Prefix, parse_prefix, range_text
from lentra.addressing.refusal import Exhausted, KeptOut, LengthOutOfBounds, Overlaps
from lentra.addressing.rules import RuleSheet
from lentra.addressing.special import PRIVATE, is_private, kind_of_space, prefilled_notes
from lentra.registry.errors import Invalid, NotPrivate, TooManyRanges, WrongPool
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.meeting import in_pools, lock_joined, met_by
from lentra.registry.lookup.serving import exhausted_in
from lentra.registry.models import Pool, PoolRange, Realm
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.requests.allocation import something_free
from lentra.registry.requests.request import no_range_yet
from lentra.registry.rules.names import numbered_names
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.keep_outs import keep_out_of, keep_outs_over
from lentra.registry.space.locking import Families, new_space, open_pools
from lentra.registry.space.outside import outside
from lentra.registry.transactions.change import Change


def add_pool(change: Change, values: dict[str, Any], ranges: list[Prefix]) -> Pool:
    """Add a pool with its ranges; what keep-outs cover of them is kept out from the start.

    Args:
        values: fields of `Pool`, references as records.

    Raises:
        NotAllowed, Invalid, NameTaken: as for every set-up object.
        Overlaps: a range that another top-level pool of the realm has, wholly or in part.
        NotPrivate: a public range in a realm that is private only.
        LengthOutOfBounds, TooManyRanges: the rule sheet does not allow it.
    """
    require(change.actor, "planner", "add a pool")
    for field in ("realm", "sheet"):
        if values.get(field) is None:
            raise Invalid(f"a top-level pool needs a {field}", field=field)
    if not ranges:
        raise Invalid("a pool needs at least one range", field="ranges", suggestions=["10.40.64.0/20"])
    realm: Realm = values["realm"]
    lock_joined(realm.pk)
    values = named(values, realm)
    pool = add_record(change, "pool", values, ranges=[str(r) for r in ranges])
    assert isinstance(pool, Pool)
    with open_pools(change, [pool.pk]):
        add_ranges_to(change, pool, realm, ranges)
    return pool


def named(values: dict[str, Any], realm: Realm) -> dict[str, Any]:
    """The values of a new pool with a name: as given, or by the realm's template.

    Raises:
        Invalid: no name is given, and the realm has no template of pools' names.
    """
    if values.get("name"):
        return values
    if not realm.pool_template:
        raise Invalid(
            f"a pool needs a name: realm {realm.name} has no template of pools' names",
            field="name",
            suggestions=["spare-quays"],
        )
    fields = {
        name: values[name].name if values.get(name) else "" for name in ("parent", "region", "zone", "project")
    }
    taken = Pool.objects.filter(realm=realm).values_list("name", flat=True)
    return {**values, "name": numbered_names(realm.pool_template, {**fields, "realm": realm.name}, taken)[0]}


def add_range(
    change: Change,
    pool_ref: Any,
    prefix: Prefix | None = None,
    length: tuple[int, int] | None = None,
    version: int | None = None,
) -> Pool:
    """Add a range to a pool; one that is carved out of another takes it from there.

    Args:
        prefix: exactly this range; `length`: (family, length) of one to find in the parent.

    Raises:
        Invalid: neither is given, or a length for a top-level pool.
        Overlaps, NotPrivate, LengthOutOfBounds, TooManyRanges: as for `add_pool`.
        OutsideParent, Exhausted, KeptOut: the parent cannot give it.
        StaleEdit: the pool has changed since `version`.
    """
    require(change.actor, "planner", "add a range")
    if (prefix is None) == (length is None):
        raise Invalid("give a range, or a length to find", field="range", suggestions=["10.40.64.0/20", "/20"])
    if shown := change.shown("pool"):
        prefix, length = parse_prefix(shown["ranges"][-1]), None
    found = find(Pool, pool_ref)
    if found.parent_id is None:
        if prefix is None:
            raise Invalid(
                f"pool {found.name} is carved out of nothing: say which range",
                field="range",
                suggestions=["10.48.0.0/16"],
            )
        lock_joined(found.realm_id)
    with open_pools(change, [found.pk, *([found.parent_id] if found.parent_id else [])]) as pools:
        pool = find_locked(Pool, found.pk, version=version, related=("sheet", "parent__sheet", "realm"))
        before = [str(r.prefix) for r in pool.ranges.all()]
        if pool.parent:
            given, lengths = ([prefix] if prefix else []), ([length] if length else [])
            (taken,) = take_ranges(pool.parent, pools[pool.parent.pk], given, lengths, None, pool.pk)
            store_ranges(change, pool, pool.sheet.rules(), [taken], top=False)
        else:
            assert prefix is not None
            taken = prefix
            add_ranges_to(change, pool, pool.realm, [taken])
        change.entered(pool, "add range", {"ranges": before}, {"ranges": [*before, str(taken)]})
        pool.save(update_fields=["last_entry"])
    return pool


def take_ranges(
    parent: Pool,
    stores: Families,
    ranges: list[Prefix],
    lengths: list[tuple[int, int]],
    placement: str | None,
    owner: int,
) -> list[Prefix]:
    """Take ranges out of an open parent's free space, for the pool numbered `owner`.

    Raises:
        WrongPool: the parent gives subnets alone.
        OutsideParent, Overlaps, KeptOut, Exhausted, WrongFamily.
    """
    if parent.gives == "subnets":
        raise WrongPool(
            f"subnets are handed out of pool {parent.name}, and no pools are carved out of it",
            field="parent",
            received=parent.name,
            rule="a pool gives subnets, pools, or both",
            suggestions=["edit the pool first: gives both"],
        )
    carved: list[Prefix] = []
    for prefix in ranges:
        held = any(row.prefix.contains(prefix) for row in parent.ranges.all())
        if not held:
            raise outside(parent, prefix, "ranges")
        try:
            carve_over_kept_out(stores[prefix.family], prefix, State.CARVED, owner)
        except Overlaps as refusal:
            raise _naming_owner(refusal, parent, prefix, stores).about("ranges")
        carved.append(prefix)
    for family, length in lengths:
        if family not in stores:
            raise no_range_yet(parent, family, "lengths")
        try:
            found = place(stores[family], length, placement or parent.placement(family))
        except Exhausted:
            raise exhausted_in(stores[family].space, parent, length, [])
        carve(stores[family], found.block, State.CARVED, owner, found.within)
        carved.append(found.block)
    return carved


def _naming_owner(refusal: Overlaps, parent: Pool, prefix: Prefix, stores: Families) -> Overlaps:
    """A refusal to carve, with who has the range and what is free instead."""
    conflicts = conflicts_over(parent.realm_id, prefix) or refusal.conflicts
    message = None
    if conflicts and conflicts[0].get("owner"):
        message = (
            f"{prefix} is not free: {conflicts[0]['range']} is {conflicts[0]['state']}, {conflicts[0]['owner']}"
        )
    free = something_free(stores[prefix.family], prefix.length, parent)
    return refusal.with_(
        message=message,
        conflicts=conflicts,
        suggestions=[free] if free else [],
        rule="a pool is carved out of free space",
    )


def add_ranges_to(change: Change, pool: Pool, realm: Realm, ranges: list[Prefix]) -> None:
    """Check new top-level ranges against the realm and the rule sheet, then add them."""
    for prefix in ranges:
        check_top_level(realm, prefix)
        store_ranges(change, pool, pool.sheet.rules(), [prefix], top=True)
        for text in prefilled_notes(prefix):
            change.note(text)
        for keep_out in keep_outs_over(realm.pk, prefix.family, prefix.first, prefix.last)[:5]:
            first, last = max(keep_out.first, prefix.first), min(keep_out.last, prefix.last)
            part = range_text(prefix.family, first, last)
            change.note(f"{part} of {prefix} is kept out: {keep_out.reason}")


def check_top_level(realm: Realm, prefix: Prefix, besides: PoolRange | None = None) -> None:
    """Refuse a top-level range that the realm cannot have.

    Args:
        besides: a range that it is to take the place of.

    Raises:
        NotPrivate, Overlaps: with a range of the realm, or of one that it meets by links.
    """
    if realm.private_only and not is_private(prefix):
        raise NotPrivate(
            f"{prefix} is {kind_of_space(prefix)}, and realm {realm.name} takes private ranges only (RFC 1918, RFC 4193)",
            field="ranges",
            received=prefix,
            rule=f"realm {realm.name} is private only",
            suggestions=["10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7"],
        )
    others = (
        PoolRange.objects.filter(
            realm=realm, top=True, family=prefix.family, first__lte=prefix.last, last__gte=prefix.first
        )
        .exclude(pk=besides.pk if besides else None)
        .select_related("pool")
    )
    if taken := list(others[:20]):
        raise Overlaps(
            f"{prefix} overlaps {taken[0].prefix} of pool {taken[0].pool.name} in realm {realm.name}",
            field="ranges",
            received=prefix,
            rule="top-level ranges of a realm never overlap",
            conflicts=_as_conflicts(taken, prefix),
            suggestions=[f"carve it out of pool {taken[0].pool.name}"],
        )
    _refuse_met(realm, prefix, besides)


def _refuse_met(realm: Realm, prefix: Prefix, besides: PoolRange | None) -> None:
    """Refuse a range that a realm which this one meets has in its pools: both would hand it out."""
    family, was = prefix.family, [(besides.first, besides.last)] if besides else []
    fresh = apart([(prefix.first, prefix.last)], was)
    met = met_by(realm.pk)
    for other, where in met.items():
        there = common(fresh, where.get(family, []))
        if not there or not (shared := common(there, in_pools(other)[family])):
            continue
        rows = PoolRange.objects.filter(
            realm=other, top=True, family=family, first__lte=prefix.last, last__gte=prefix.first
        )
        taken = list(rows.select_related("pool__realm").order_by("first")[:20])
        name = taken[0].pool.realm.name
        first, last = shared[0]
        free = _free_for_all([realm.pk, *met], prefix)
        raise Overlaps(
            f"{range_text(family, first, last)} of {prefix} is in pool {taken[0].pool.name} of realm {name}, which realm "
            f"{realm.name} meets by its links: both would hand it out",
            field="ranges",
            received=prefix,
            rule="realms that reach each other do not add ranges that one of them has",
            conflicts=[conflict | {"realm": name} for conflict in _as_conflicts(taken, prefix)],
            suggestions=[free] if free else [],
        )


def _as_conflicts(taken: list[PoolRange], prefix: Prefix) -> list[dict[str, Any]]:
    """Ranges of pools as evidence against another one."""
    return [
        {
            "range": str(row.prefix),
            "owner": row.pool.name,
            "pool": row.pool.name,
            "addresses": min(row.last, prefix.last) - max(row.first, prefix.first) + 1,
        }
        for row in taken
    ]


def _free_for_all(realms: list[int], prefix: Prefix) -> Prefix | None:
    """The first range as long that none of some realms has in a pool, in the private space that this one is in."""
    whole = next((p for p in PRIVATE if p.contains(prefix)), None)
    if whole is None:
        return None
    taken = merged([span for realm in realms for span in in_pools(realm)[prefix.family]])
    for first, last in apart([(whole.first, whole.last)], taken):
        start = -(-first // prefix.size) * prefix.size
        if start + prefix.size - 1 <= last:
            return Prefix(prefix.family, start, prefix.length)
    return None


def store_ranges(change: Change, pool: Pool, sheet: RuleSheet, ranges: list[Prefix], top: bool) -> None:
    """Add ranges to a pool that is open (or new) and make their space: free, but for what is kept out.

    Raises:
        LengthOutOfBounds, TooManyRanges, WrongFamily: the rule sheet does not allow them.
        Overlaps: two of them share addresses.
        KeptOut: nothing could ever be handed out of one.
    """
    for prefix in ranges:
        sheet.check_range(prefix)
        _refuse_too_small(pool, prefix)
        present = [r.prefix for r in pool.ranges.filter(family=prefix.family)]
        most = sheet.family(prefix.family).max_ranges
        if most is not None and len(present) >= most:
            raise TooManyRanges(
                f"pool {pool.name} has {len(present)} IPv{prefix.family} ranges, and rule sheet {sheet.name} "
                f"allows {most}",
                field="ranges",
                received=prefix,
                rule=f"{sheet.name}: at most {most} ranges a family",
                conflicts=[{"range": str(r), "pool": pool.name} for r in present],
                suggestions=["another pool"],
            )
        if clash := next((r for r in present if r.overlaps(prefix)), None):
            shown = range_text(prefix.family, max(clash.first, prefix.first), min(clash.last, prefix.last))
            raise Overlaps(
                f"{prefix} overlaps {clash} of the same pool in {shown}",
                field="ranges",
                received=prefix,
                conflicts=[{"range": str(clash), "owner": pool.name}],
            )
        PoolRange.objects.create(
            pool=pool,
            realm_id=pool.realm_id,
            family=prefix.family,
            first=prefix.first,
            last=prefix.last,
            length=prefix.length,
            top=top,
        )
        store = new_space(change, pool.pk, pool.realm_id, prefix.family)
        store.add_range(prefix)
        keep_out_of(store, prefix, pool.realm_id)
        _refuse_kept_out(pool, store, prefix)


def _refuse_too_small(pool: Pool, prefix: Prefix) -> None:
    """Refuse a range out of which the pool, by its own bounds, could never hand out anything."""
    longest = pool.longest_v4 if prefix.family == 4 else None
    if longest is not None and prefix.length > longest:
        raise LengthOutOfBounds(
            f"{prefix} is too small for pool {pool.name}, which hands out /{longest} at the smallest",
            field="ranges",
            received=prefix,
            rule=f"pool {pool.name}: longest IPv4 length /{longest}",
            suggestions=[f"/{longest}"],
        )


def _refuse_kept_out(pool: Pool, store: ExtentStore, prefix: Prefix) -> None:
    if any(extent.state is not State.KEPT_OUT for extent in store.overlapping(prefix.first, prefix.last)):
        return
    over = keep_outs_over(pool.realm_id, prefix.family, prefix.first, prefix.last)
    raise KeptOut(
        f"all of {prefix} is kept out, so nothing could ever be handed out of it: {over[0].range_text}, {over[0].reason}",
        field="ranges",
        received=prefix,
        rule="what is kept out is never handed out",
        conflicts=[{"range": k.range_text, "owner": f"keep-out: {k.reason}", "keep_out": k.pk} for k in over[:20]],
        suggestions=[f"lift the keep-out of {over[0].range_text} first, if it is wrong"],
    )
