"""Free space in which something was seen is kept out while that finding is open: nobody is given what is in use."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from typing import Any

from django.db.models import QuerySet

from lentra.addressing.prefix import BITS
from lentra.registry.models import Finding, KeepOut, PoolRange, Realm
from lentra.registry.operations.pools.add_keep_out import add_keep_out, lift, lift_all
from lentra.registry.space.locking import lock_outline
from lentra.registry.transactions.change import Change

MOST_KEPT_OUT = 2000  # in one change; the rest with the next


def keep_out_strays(change: Change, realm: Realm) -> None:
    """Keep out what open strays in the free space of pools say, and lift what no open one says any more."""
    strays = {f.pk: f for f in _open_strays(realm)}
    kept = {k.finding_id: k for k in KeepOut.objects.filter(realm=realm).exclude(finding_id=None)}
    if not strays and not kept:
        return
    pools = _Pools(realm)
    wanted = {number for number, stray in strays.items() if pools.keep_out(stray.family, stray.first, stray.last)}
    if over := sorted(kept.keys() - wanted):
        lock_outline(realm.pk)
        lift_all(change, [kept[number] for number in over])
    fresh = sorted(wanted - kept.keys())[:MOST_KEPT_OUT]
    notes = list(change.notes)
    for number in fresh:
        stray = strays[number]
        add_keep_out(change, {**keep_out_of(stray), "finding_id": number}, despite_use=True)
    change.notes[:] = notes
    if fresh:
        change.note(f"{len(fresh):,} free ranges in which something was seen are kept out until it is settled")
    if left := len(wanted - kept.keys()) - len(fresh):
        change.note(f"{left:,} more are kept out with the next surveys")


def _open_strays(realm: Realm) -> QuerySet[Finding]:
    return Finding.objects.filter(realm=realm, kind="stray", state="open", subnet=None).select_related("realm")


def keep_out_of(stray: Finding, reason: str = "") -> dict[str, Any]:
    """What is said of a keep-out where something was seen; who saw it, if no reason is given."""
    return {
        "realm": stray.realm,
        "family": stray.family,
        "first": stray.first,
        "last": stray.last,
        "reason": reason or seen_by(stray),
        "source": ", ".join(_sources(stray))[:200],
        "certainty": "likely",
    }


def seen_by(stray: Finding) -> str:
    """Who has seen a stray, in words."""
    return f"seen by {', '.join(_sources(stray))}"[:300]


def _sources(stray: Finding) -> list[str]:
    return list(dict.fromkeys(one["source"] for one in stray.seen))


def lift_of(change: Change, finding: Finding) -> None:
    """Lift what is kept out for a finding."""
    for keep_out in KeepOut.objects.filter(finding_id=finding.pk):
        lift(change, keep_out)


class _Pools:
    """The ranges of a realm's pools, and whether each keeps out what was seen."""

    def __init__(self, realm: Realm) -> None:
        rows = PoolRange.objects.filter(realm=realm).values_list(
            "family", "first", "length", "pool__keeps_out_seen"
        )
        self._by_place = {(family, first, length): keeps for family, first, length, keeps in rows}
        self._firsts: dict[int, Sequence[int]] = {
            family: sorted(first for of, first, _ in self._by_place if of == family) for family in (4, 6)
        }

    def keep_out(self, family: int, first: int, last: int) -> bool:
        """Whether the innermost pool around a range keeps it out; or any that lies in it."""
        bits = BITS[family]
        for length in range(bits, -1, -1):
            start = first >> (bits - length) << (bits - length)
            if (keeps := self._by_place.get((family, start, length))) is not None:
                return keeps
        place = bisect_left(self._firsts[family], first)
        return place < len(self._firsts[family]) and self._firsts[family][place] <= last
