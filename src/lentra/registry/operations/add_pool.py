"""Add a top-level pool to a realm, and ranges to it."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State, carve, carve_over_kept_out
from lentra.addressing.placement import place
from lentra.addressing.prefix import Prefix, range_text
from lentra.addressing.refusal import Exhausted, Overlaps
from lentra.addressing.rules import RuleSheet
from lentra.addressing.special import is_private, prefilled_notes
from lentra.registry.errors import Invalid, NotPrivate, TooManyRanges
from lentra.registry.keep_outs import keep_out_of, keep_outs_over
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, PoolRange, Realm, Space
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.permissions import require
from lentra.registry.queries.find import find
from lentra.registry.queries.outside import outside
from lentra.registry.queries.serving import exhausted_in
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.requests import no_range_yet
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents


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
    realm = lock_outline(values["realm"].pk)
    if not ranges:
        raise Invalid("a pool needs at least one range", field="ranges", suggestions=["10.40.64.0/20"])
    pool = add_set_up(change, "pool", values, ranges=[str(r) for r in ranges])
    assert isinstance(pool, Pool)
    add_ranges_to(change, pool, realm, ranges)
    return pool


def add_range(
    change: Change, pool_ref: Any, prefix: Prefix | None = None, length: tuple[int, int] | None = None
) -> Pool:
    """Add a range to a pool; one that is carved out of another takes it from there.

    Args:
        prefix: exactly this range; `length`: (family, length) of one to find in the parent.

    Raises:
        Invalid: neither is given, or a length for a top-level pool.
        Overlaps, NotPrivate, LengthOutOfBounds, TooManyRanges: as for `add_pool`.
        OutsideParent, Exhausted, KeptOut: the parent cannot give it.
    """
    require(change.actor, "planner", "add a range")
    pool = find(Pool, pool_ref, related=("sheet", "parent__sheet", "realm"))
    if (prefix is None) == (length is None):
        raise Invalid("give a range, or a length to find", field="range", suggestions=["10.40.64.0/20", "/20"])
    before = [str(r.prefix) for r in pool.ranges.all()]
    if pool.parent:
        stores = open_extents(pool.parent, lock_spaces([pool.parent_id, pool.pk]))
        (taken,) = take_ranges(pool.parent, stores, [prefix] if prefix else [], [length] if length else [], None)
        store = stores[taken.family]
        store.replace([Extent(taken, State.CARVED)], [Extent(taken, State.CARVED, pool.pk)])
        for each in stores.values():
            each.save()
        store_ranges(pool, pool.sheet.rules(), [taken], top=False)
    else:
        if prefix is None:
            raise Invalid(
                f"pool {pool.name} is carved out of nothing: say which range",
                field="range",
                suggestions=["10.48.0.0/16"],
            )
        taken = prefix
        realm = lock_outline(pool.realm_id)
        lock_spaces([pool.pk])
        add_ranges_to(change, pool, realm, [taken])
    change.entered(pool, "add range", {"ranges": before}, {"ranges": [*before, str(taken)]})
    pool.save(update_fields=["last_entry"])
    return pool


def take_ranges(
    parent: Pool,
    stores: dict[int, DatabaseExtents],
    ranges: list[Prefix],
    lengths: list[tuple[int, int]],
    placement: str | None,
) -> list[Prefix]:
    """Take ranges out of a parent's free space, as carved extents without an owner yet."""
    carved: list[Prefix] = []
    for prefix in ranges:
        held = any(row.prefix.contains(prefix) for row in parent.ranges.all())
        if not held:
            raise outside(parent, prefix, "ranges")
        store = stores[prefix.family]
        try:
            carve_over_kept_out(store, prefix, State.CARVED, None)
        except Overlaps as refusal:
            refusal.conflicts = list(conflicts_over(parent.realm_id, prefix)) or refusal.conflicts
            raise refusal.about("ranges")
        carved.append(prefix)
    for family, length in lengths:
        if family not in stores:
            raise no_range_yet(parent, family, "lengths")
        try:
            found = place(stores[family], length, placement or parent.placement(family))
        except Exhausted:
            raise exhausted_in(stores[family].space, parent, length, [])
        carve(stores[family], found.block, State.CARVED, None, found.within)
        carved.append(found.block)
    return carved


def lock_outline(realm_id: int) -> Realm:
    """Lock a realm for a change of its top-level ranges or keep-outs."""
    realm = Realm.objects.select_for_update().get(pk=realm_id)
    realm.outline += 1
    realm.save(update_fields=["outline"])
    return realm


def add_ranges_to(change: Change, pool: Pool, realm: Realm, ranges: list[Prefix]) -> None:
    """Check new top-level ranges against the realm and the rule sheet, then add them."""
    for prefix in ranges:
        check_top_level(realm, prefix)
        store_ranges(pool, pool.sheet.rules(), [prefix], top=True)
        for text in prefilled_notes(prefix):
            change.note(text)
        for keep_out in keep_outs_over(realm.pk, prefix.family, prefix.first, prefix.last)[:5]:
            change.note(f"{keep_out.range_text} of {prefix} is kept out: {keep_out.reason}")


def check_top_level(realm: Realm, prefix: Prefix, besides: PoolRange | None = None) -> None:
    """Refuse a top-level range that the realm cannot have.

    Args:
        besides: a range that it is to take the place of.

    Raises:
        NotPrivate, Overlaps.
    """
    if realm.private_only and not is_private(prefix):
        raise NotPrivate(
            f"{prefix} is public, and realm {realm.name} takes private ranges only (RFC 1918, RFC 4193)",
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
            conflicts=[
                {
                    "range": str(row.prefix),
                    "owner": row.pool.name,
                    "pool": row.pool.name,
                    "addresses": min(row.last, prefix.last) - max(row.first, prefix.first) + 1,
                }
                for row in taken
            ],
            suggestions=[f"carve it out of pool {taken[0].pool.name}"],
        )


def store_ranges(pool: Pool, sheet: RuleSheet, ranges: list[Prefix], top: bool) -> None:
    """Add ranges to a pool and make their space: free, but for what is kept out.

    Raises:
        LengthOutOfBounds, TooManyRanges, WrongFamily: the rule sheet does not allow them.
        Overlaps: two of them share addresses.
    """
    for prefix in ranges:
        sheet.check_range_length(prefix.family, prefix.length)
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
        space, _ = Space.objects.get_or_create(pool=pool, family=prefix.family)
        store = DatabaseExtents(space, pool.realm_id)
        store.add_free(prefix)
        keep_out_of(store, prefix, pool.realm_id)
        store.save()
