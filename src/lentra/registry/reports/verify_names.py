"""Rule 12: what is kept of DNS zones is what follows from the registry, and each name is that of who comes first.

What has not been followed yet is left out: names are kept a moment after a change.
"""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Q

from lentra.registry.lookup.not_kept import not_kept
from lentra.registry.models import DnsEntry, DnsZone, Realm
from lentra.registry.naming.facts import entries_by_hand, entries_of_subnets, parts_of
from lentra.registry.naming.keeping import by_name, said_of, standing_of, winning_of
from lentra.registry.naming.serving import REFUSED
from lentra.registry.naming.touched import FOLLOWED, Touched, touched_by
from lentra.registry.rules.naming import Naming

_BEHIND = 20_000  # changes that may wait to be followed: with more, nothing can be said


class NamesCheck:
    """What is wrong with names, of all realms or of one, and where; `count` entries have been looked at."""

    def __init__(self, only: Realm | None) -> None:
        self._only = {} if only is None else {"realm": only.pk}
        self.count = 0

    def offences(self) -> Iterator[tuple[str, str]]:
        """What is wrong, and where."""
        with_names = (model.objects.filter(**self._only) for model in (DnsZone, DnsEntry))
        realms = {realm for rows in with_names for realm in rows.values_list("realm", flat=True).distinct()}
        waiting = not_kept(FOLLOWED, _BEHIND) if realms else None
        if waiting is None:
            return
        touched = touched_by(waiting)
        for realm in Realm.objects.filter(pk__in=realms - touched.whole).order_by("pk"):
            naming = Naming(realm.pk)
            for what in (*self._derived(naming, realm.pk, touched), *self._settled(naming, realm.pk)):
                yield what, f"{realm.name}, names in DNS"

    def _derived(self, naming: Naming, realm: int, touched: Touched) -> Iterator[str]:
        """Whether what is claimed is what follows."""
        if realm not in touched.by_hand:
            yield from self._differing(realm, Q(subnet=None), entries_by_hand(naming))
        for here, old in parts_of(realm):
            rest = here.exclude(pk__in=touched.subnets)
            yield from self._differing(
                realm, old & ~Q(subnet__in=touched.subnets), entries_of_subnets(naming, rest)
            )

    def _differing(self, realm: int, old: Q, new: Iterator[DnsEntry]) -> Iterator[str]:
        there = {row.key: row for row in DnsEntry.objects.filter(old, realm=realm, claimed=True)}
        for row in {row.key: row for row in new}.values():
            kept = there.pop(row.key, None)
            if kept is None:
                yield f"{row.owner} {row.type} {row.data} follows from the registry and is not kept"
            elif said_of(kept) != said_of(row):
                yield f"{row.owner} {row.type} {row.data} is kept as {said_of(kept)}, it is {said_of(row)}"
        for row in there.values():
            yield f"{row.owner} {row.type} {row.data} is kept and does not follow from the registry"

    def _settled(self, naming: Naming, realm: int) -> Iterator[str]:
        """Whether each name is that of who comes first, and what is to be done on the servers follows from that."""
        for rows in by_name(realm):
            winning = winning_of(rows)
            self.count += len(rows)
            for row in rows:
                zone = naming.zones.get(row.dns_zone)
                what = f"{row.owner} {row.type} {row.data}"
                if row.wins != (row.key in winning):
                    yield f"{what} is {'' if row.wins else 'not '}published, and another comes first"
                elif zone is None or not (row.claimed or row.there):
                    yield f"{what} is of no use any more"
                elif row.pending != REFUSED and (row.there, row.pending) != standing_of(row, zone):
                    yield f"{what} is not in the state on its server that follows from who has the name"
