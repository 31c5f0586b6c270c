"""Realms in which something has moved are judged anew: a finding closes when its difference is gone, by whomever."""

from __future__ import annotations

import time

from lentra.registry.lookup.meeting import joined, links_now
from lentra.registry.models import LedgerEntry, Source
from lentra.registry.operations.findings.taking import judge_realm
from lentra.registry.operations.links.settle import divide_ripe
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.feed import read_feed
from lentra.registry.transactions.ordering import newest_placed
from lentra.registry.transactions.run import run_transaction

_ANYWAY = 3600.0  # seconds, after which a realm is judged although nothing has moved: what was seen grows old
_RESTS = 10  # times as long as judging it took, until a realm is judged again
_AT_ONCE = 1000  # entries of the ledger
_OWN = ("finding", "survey", "source")  # kinds whose entries come from surveys, which judge


class Judging:
    """Which realms are to be judged, by the entries that were committed since it looked last."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._after = newest_placed()
        self._moved: set[int] = set()
        self._not_before: dict[int, float] = {}
        self._at_last: dict[int, float] = {}

    def judge_moved(self) -> int:
        """Judge the realms in which something has moved; returns how many. One that takes long is judged more seldom."""
        surveyed = set(Source.objects.exclude(seen_at=None).values_list("realm", flat=True))
        links = links_now()
        linked = {realm for link in links for realm in (link.one_id, link.other_id)}
        surveyed |= linked
        self._look(surveyed)
        self._moved |= joined(self._moved, links)  # what one gives back is no clash of the others any more
        judged = 0
        for realm in sorted(surveyed):
            began = time.monotonic()
            old = began - self._at_last.get(realm, float("-inf")) > _ANYWAY
            if not (realm in self._moved or old) or began < self._not_before.get(realm, 0):
                continue
            self._moved.discard(realm)
            if realm in linked:
                run_transaction(lambda change, realm=realm: divide_ripe(change, realm), clock=self._clock)  # type: ignore[misc]
            run_transaction(lambda change, realm=realm: judge_realm(change, realm), clock=self._clock)  # type: ignore[misc]
            self._at_last[realm] = time.monotonic()
            self._not_before[realm] = self._at_last[realm] + _RESTS * (self._at_last[realm] - began)
            judged += 1
        return judged

    def _look(self, realms: set[int]) -> None:
        entries = LedgerEntry.objects.filter(realm__in=realms).exclude(kind__in=_OWN)
        part = read_feed(entries.only("number", "realm"), self._after, _AT_ONCE)
        self._after = part.after
        self._moved |= {entry.realm for entry in part.entries if entry.realm}
