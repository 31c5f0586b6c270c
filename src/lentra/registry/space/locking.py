"""The one door to space: pools are opened, changed, and saved.

    with open_pools(change, [pool.pk]) as pools:
        carve(pools[pool.pk][4], block, ...)

Whoever changes a pool's space opens it here. It is locked (in order of pool number and family), what is due in it has
ended, there is a store for each family, and what was changed is saved when the context ends. A pool that is open
already is the same one again, so operations can be made of others.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

from lentra.registry.errors import Busy
from lentra.registry.models import ExtentRow, Number, Outline, Pool, Space, Tile
from lentra.registry.space.expiry import expire_due
from lentra.registry.space.store import DatabaseExtents, snuggest
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.failures import Clash
from lentra.registry.transactions.reach import require_place
from lentra.registry.transactions.revision import revision_in, revision_of_set_up
from lentra.registry.transactions.sql import Prepared, Slot, Text, numbering, read_together

Families = dict[int, DatabaseExtents]
Pools = Mapping[int, Families]  # pool number -> family -> store

_MOST_WAITING = 4  # threads of this process that may wait long for one pool
_STUCK_AFTER = 1.0  # seconds that somebody has waited for a pool, after which no more join in
_SPACE = [field.attname for field in Space._meta.concrete_fields]
_lock_one = Prepared(
    lambda: Space.objects.select_for_update().filter(pool=Slot("pool")).order_by("family").values_list(*_SPACE)
)


@contextmanager
def open_pools(change: Change, pools: Iterable[int], *, later: bool = False) -> Iterator[Pools]:
    """Open pools for a change of their space.

    Args:
        later: write with the change's batch at its end, where nothing reads the space before.

    Raises:
        Busy: too many others wait for one of them.
        NotAllowed: the token that signs the actor in does not reach there.
    """
    wanted = set(pools)
    _open(change, wanted | change.also_open)
    _refuse_unreached(change, wanted)
    yield change.open_pools
    _save(change, later)


@contextmanager
def open_pool(
    change: Change,
    pool: int,
    *queries: tuple[Prepared, dict[str, Any]],
    numbers: int = 0,
    snug: tuple[int, int] | None = None,
    later: bool = False,
) -> Iterator[tuple[Families, list[list[tuple[Any, ...]]]]]:
    """Open one pool, ask something and take numbers under its lock: in one round trip, where nothing is due.

    So is asked whether the change was done before, and whether the set-up is still as the change goes by it.

    Args:
        snug: family and length of a block whose snuggest place is going to be looked for.

    Yields:
        the pool's stores by family, and the rows of each query.

    Raises:
        Clash: the set-up has changed.
        NotAllowed: the token that signs the actor in does not reach there.
    """
    asked = list(queries)
    first, change.asks_first = change.asks_first, None
    asked += [first[:2]] if first else []
    asked += [revision_of_set_up()] if change.goes_by is not None else []
    asked += [snuggest(pool, *snug)] if snug else []
    if pool in change.open_pools or change.also_open:
        _open(change, {pool, *change.also_open})
        results = read_together(*asked) if asked else []
    else:
        change.batch.send()
        then: Sequence[Text] = [numbering(Number, numbers)] if numbers else []
        with _waiting([pool]):
            rows, *results = read_together((_lock_one, {"pool": pool}), *asked, then=then)
        if then:
            change.numbered(results.pop())
        if _enter(change, [pool], [Space.from_db(None, _SPACE, row) for row in rows]) and asked:
            results = read_together(*asked)
    _refuse_unreached(change, {pool})
    stores = change.open_pools[pool]
    if snug and (found := results.pop()) and snug[0] in stores:
        stores[snug[0]].foresee(found)
    if change.goes_by is not None and revision_in(results.pop()) != change.goes_by:
        raise Clash("the set-up has changed")
    if first:
        first[2](results.pop())
    yield stores, results
    _save(change, later)


@contextmanager
def open_pools_of(change: Change, subnets: Iterable[int], *more: int) -> Iterator[Pools]:
    """Open every pool in which subnets own space (their families may lie in several), and more.

    They may be moved while the first ones are locked, so it looks again until there is no new one.
    """
    numbers = list(subnets)
    rows = ExtentRow.objects.filter(subnet__in=numbers).values_list("pool", flat=True).distinct()
    wanted = {*rows, *more}
    while True:
        _open(change, wanted | change.also_open)
        if (found := {*rows.all(), *more}) <= wanted:
            break
        wanted |= found
    _refuse_unreached(change, wanted)
    yield change.open_pools
    _save(change, False)


def new_space(change: Change, pool: int, realm: int, family: int) -> DatabaseExtents:
    """The store of a family that an open (or new) pool had no range of until now."""
    store = change.open_pools.setdefault(pool, {}).get(family)
    if store is None:
        space = Space.objects.create(pool_id=pool, realm_id=realm, family=family)
        store = change.open_pools[pool][family] = DatabaseExtents(space)
    return store


def lock_outline(realm: int) -> None:
    """Lock a realm's outline, before any pool: for a change of its top-level ranges, keep-outs or links."""
    row, _ = Outline.objects.select_for_update().get_or_create(pk=realm)
    row.revision += 1
    row.save(update_fields=["revision"])


def lock_outlines(realms: Iterable[int]) -> None:
    """Lock the outlines of several realms, in the order of their numbers."""
    for realm in sorted(set(realms)):
        lock_outline(realm)


def set_rules(change: Change, pools: Iterable[int], entry: int) -> None:
    """Remember, with each open pool, the ledger entry by which the rules in force there have changed."""
    for pool in pools:
        for store in change.open_pools[pool].values():
            store.set_rules(entry)


def refuse_old_rules(pool: Pool, stores: Families) -> None:
    """Look again if the rules of an open pool have changed since the pool and its sheet were read, before it was locked.

    Raises:
        Clash.
    """
    read = max(pool.last_entry, pool.sheet.last_entry)
    if any(store.space.rules_entry > read for store in stores.values()):
        raise Clash(f"the rules of pool {pool.name} have changed")


def save_pools(change: Change) -> None:
    """Write what has changed in open pools until now, for whoever reads it before they are saved at the end."""
    _save(change, False)


def discard_changes(change: Change) -> None:
    """Forget what has changed in open pools since they were saved: for a look at where things would go."""
    change.open_pools.clear()


def close_pool(change: Change, pool: int) -> None:
    """Take an open pool's space out of the registry altogether; nothing may live in it."""
    for store in change.open_pools.pop(pool).values():
        for prefix in list(store.ranges):
            store.remove_range(prefix)
        store.save(change.batch)
    change.batch.send()
    Space.objects.filter(pool=pool).delete()
    Tile.objects.filter(pool=pool).delete()


def close_family(change: Change, pool: int, family: int) -> None:
    """Forget the space of an open pool in a family of which it has no range any more."""
    del change.open_pools[pool][family]
    Space.objects.filter(pool=pool, family=family).delete()
    Tile.objects.filter(pool=pool, family=family).delete()


def _open(change: Change, pools: set[int]) -> None:
    missing = sorted(pools - change.open_pools.keys())
    change.batch.send()
    if missing:
        with _waiting(missing):
            spaces = list(
                Space.objects.select_for_update().filter(pool_id__in=missing).order_by("pool_id", "family")
            )
        _enter(change, missing, spaces)


def _refuse_unreached(change: Change, pools: Iterable[int]) -> None:
    if change.actor is None or change.actor.token is None:
        return
    for pool in pools:
        for store in change.open_pools.get(pool, {}).values():
            require_place(change.actor, store.space.realm_id, pool)


def _enter(change: Change, pools: Sequence[int], spaces: Sequence[Space]) -> bool:
    """Keep the stores of pools that were locked, with what is due in them ended; True if anything was."""
    for pool in pools:
        change.open_pools[pool] = {s.family: DatabaseExtents(s) for s in spaces if s.pool_id == pool}
    due = sorted({s.pool_id for s in spaces if s.next_due and s.next_due <= change.now})
    for pool in due:
        expire_due(change, pool, lambda others: _open(change, others))
    if due:
        _save(change, False)
    return bool(due)


def _save(change: Change, later: bool) -> None:
    for pool in sorted(change.open_pools):
        for _, store in sorted(change.open_pools[pool].items()):
            store.save(change.batch)
    if not later:
        change.batch.send()


_guard = threading.Lock()
_waits: dict[int, list[float]] = {}  # pool -> since when threads of this process wait for it


@contextmanager
def _waiting(pools: Iterable[int]) -> Iterator[None]:
    """Wait for the locks of pools; not where others have waited long already, so that one stuck pool takes few threads.

    Raises:
        Busy.
    """
    since = time.monotonic()
    numbers = list(pools)
    with _guard:
        for pool in numbers:
            others = _waits.get(pool, [])
            if len(others) >= _MOST_WAITING and since - others[0] > _STUCK_AFTER:
                raise Busy(
                    f"{len(others)} others wait for pool number {pool}: nothing was changed; try again later"
                )
        for pool in numbers:
            _waits.setdefault(pool, []).append(since)
    try:
        yield
    finally:
        with _guard:
            for pool in numbers:
                _waits[pool].remove(since)
                if not _waits[pool]:
                    del _waits[pool]
