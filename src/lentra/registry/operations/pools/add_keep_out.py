"""Add and remove a keep-out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.meeting import common
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Overlaps, Refusal
from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.spans import few_spans
from lentra.registry.models import KeepOut, Pool, PoolRange
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import describe, extents_over
from lentra.registry.space.keep_outs import follow_keep_outs, keep_outs_over
from lentra.registry.space.locking import lock_outline, open_pools
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

MOST_AT_ONCE = 1000
_IN_USE = (State.HELD, State.HANDED_OUT, State.ROOM, State.RESERVED, State.COOLING)


def add_keep_out(change: Change, values: dict[str, Any], despite_use: bool = False) -> KeepOut:
    """Declare a range used or forbidden elsewhere.

    Free space it covers is kept out at once; space in use follows as it becomes free.

    Args:
        values: fields of `KeepOut`.
        despite_use: accept a range over space in use, which then counts as a clash.

    Raises:
        Overlaps: space in use is covered and `despite_use` is not set; lists it.
        NotAllowed, Invalid: as for every set-up object.
    """
    require(change.actor, "planner", "add a keep-out")
    realm, family, first, last = values["realm"].pk, values["family"], values["first"], values["last"]
    lock_outline(realm)
    others = keep_outs_over(realm, family, first, last)
    with _open_pools_over(change, realm, family, first, last) as stores:
        in_use = [
            describe(row, first, last) for row in extents_over(realm, family, first, last) if row.state in _IN_USE
        ]
        keep_out = add_record(change, "keep-out", values)
        assert isinstance(keep_out, KeepOut)
        if in_use and not despite_use:
            raise _in_use(keep_out, in_use)
        for other in others[:8]:
            change.note(_beside(keep_out, other))
        for clash in in_use[:20]:
            change.note(f"{clash['range']} stays in use ({clash.get('owner')}) and is a clash until given back")
        for store, ranges in stores:
            before = store.space.kept_out
            for part in ranges:
                follow_keep_outs(store, realm, max(first, part.first), min(last, part.last))
            if taken := store.space.kept_out - before:
                pool = Pool.objects.get(pk=store.space.pool_id)
                change.note(f"{keep_out.range_text} takes {taken:,} free addresses of pool {pool.name}")
    return keep_out


def add_keep_outs(change: Change, rows: Sequence[dict[str, Any]], despite_use: bool = False) -> list[KeepOut]:
    """Declare several ranges used or forbidden elsewhere: all of them, or none.

    Raises:
        Refusal: as for one of them; says which row it is about.
    """
    if not 1 <= len(rows) <= MOST_AT_ONCE:
        raise Invalid(f"{len(rows):,} keep-outs at once: 1 to {MOST_AT_ONCE:,}", field="rows", received=len(rows))
    made = []
    for n, values in enumerate(rows):
        try:
            made.append(add_keep_out(change, values, despite_use))
        except Refusal as refusal:
            if not isinstance(refusal, Overlaps | Invalid):
                raise
            told = refusal.with_(message=f"row {n + 1}: {refusal.message}")
            told.field = f"rows.{n}" + (f".{refusal.field}" if refusal.field else "")
            raise told
    return made


def keep_out_all(change: Change, keep_outs: Sequence[KeepOut]) -> None:
    """Keep out what follows from something else, also over what is in use; the outlines of its realms are locked."""
    change.added(keep_outs)
    _follow(change, keep_outs)


def _follow(change: Change, keep_outs: Sequence[KeepOut]) -> None:
    """Bring the space under keep-outs that have come, or gone, in line with those that there are now."""
    over: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for keep_out in keep_outs:
        over.setdefault((keep_out.realm_id, keep_out.family), []).append((keep_out.first, keep_out.last))
    for (realm, family), spans in sorted(over.items()):
        few = few_spans(spans)
        with _open_pools_over(change, realm, family, few[0][0], few[-1][1]) as stores:
            for store, ranges in stores:
                for part in ranges:
                    for first, last in common([(part.first, part.last)], few):
                        follow_keep_outs(store, realm, first, last)


def _beside(keep_out: KeepOut, other: KeepOut) -> str:
    """How a keep-out lies to one that is there already."""
    same = (other.first, other.last) == (keep_out.first, keep_out.last)
    inside = other.first <= keep_out.first and keep_out.last <= other.last
    around = keep_out.first <= other.first and other.last <= keep_out.last
    how = "is kept out already" if same else "lies in" if inside else "contains" if around else "overlaps"
    words = f"{other.range_text} (keep-out {other.pk}: {other.reason})"
    return (
        f"{keep_out.range_text} {how}: keep-out {other.pk}, {other.reason}"
        if same
        else f"{keep_out.range_text} {how} {words}"
    )


def _in_use(keep_out: KeepOut, in_use: list[dict[str, Any]]) -> Overlaps:
    return Overlaps(
        f"{keep_out.range_text} covers space in use: {in_use[0]['range']} "
        f"({in_use[0].get('owner', in_use[0]['state'])})"
        + (f" and {len(in_use) - 1} more" if len(in_use) > 1 else ""),
        field="range",
        received=keep_out.range_text,
        rule="over space in use only when requested explicitly (despite_use=true)",
        conflicts=in_use[:20],
        suggestions=["despite_use: true"],
    )


def remove_keep_out(change: Change, keep_out: KeepOut, version: int | None = None) -> KeepOut:
    """Lift a keep-out: what no other keep-out covers becomes free again.

    Raises:
        Invalid: no reason is given; lifting one is worth a reason.
        WrongState: it follows from a finding, or from links.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "lift a keep-out")
    if not change.why.strip():
        raise Invalid(
            f"lifting the keep-out of {keep_out.range_text} ({keep_out.reason}) needs a reason",
            field="why",
            rule="the ledger says why a keep-out was lifted",
        )
    if keep_out.in_favour_of is not None:
        raise WrongState(
            f"{keep_out.range_text} is kept out since realm {keep_out.in_favour_of.name}, which this one meets, hands it "
            "out: take the link away, or let less of it be seen",
            rule="linked realms never hand out the same",
            suggestions=["lentra link list"],
        )
    if keep_out.finding_id is not None:
        raise WrongState(
            f"{keep_out.range_text} is kept out since something was seen there: dismiss finding {keep_out.finding_id}, "
            "or take it over",
            suggestions=[f"dismiss finding {keep_out.finding_id}"],
        )
    return lift(change, keep_out, version)


def lift(change: Change, keep_out: KeepOut, version: int | None = None) -> KeepOut:
    """Lift a keep-out, whoever has declared it."""
    lock_outline(keep_out.realm_id)
    keep_out = find_locked(KeepOut, keep_out.pk, version=version)
    change.removed([keep_out])
    _follow(change, [keep_out])
    return keep_out


def lift_all(change: Change, keep_outs: Sequence[KeepOut]) -> None:
    """Lift keep-outs that follow from something else; the outlines of their realms are locked."""
    gone = lock_all(KeepOut.objects.filter(pk__in=[keep_out.pk for keep_out in keep_outs]))
    change.removed(gone)
    _follow(change, gone)


@contextmanager
def _open_pools_over(
    change: Change, realm: int, family: int, first: int, last: int
) -> Iterator[list[tuple[DatabaseExtents, list[Prefix]]]]:
    """Open every pool with a range over first..last; each store with those ranges.

    A pool may be carved while the first ones are locked, so it looks again until there is no new one.
    """
    rows = PoolRange.objects.filter(realm_id=realm, family=family, first__lte=last, last__gte=first)
    with ExitStack() as open_now:
        over: dict[int, list[Prefix]] = {}
        while True:
            found: dict[int, list[Prefix]] = {}
            for row in rows.all():
                found.setdefault(row.pool_id, []).append(row.prefix)
            if found.keys() <= over.keys():
                break
            pools = open_now.enter_context(open_pools(change, found))
            over = found
        yield [(pools[pool][family], ranges) for pool, ranges in sorted(over.items())]
