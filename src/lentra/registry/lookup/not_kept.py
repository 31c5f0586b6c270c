"""Changes that the entries of DNS zones have not followed yet: they are kept a moment after it."""

from __future__ import annotations

from collections.abc import Collection

from lentra.registry.models import DnsKept, LedgerEntry, Number
from lentra.registry.transactions.feed import read_feed


def not_kept(kinds: Collection[str], most: int) -> list[LedgerEntry] | None:
    """Entries of the ledger, of some kinds, that may not have been followed yet; None if there are more than so many."""
    kept = DnsKept.objects.filter(pk=1).first()
    if kept is None:
        return None
    rows = LedgerEntry.objects.filter(kind__in=kinds)
    found = list(rows.filter(number__in=Number.objects.filter(placed=False).values("pk"))[: most + 1])
    after = kept.number
    while len(found) <= most:
        part = read_feed(rows, after, most + 1)
        found += part.entries
        if part.after == after:
            return found
        after = part.after
    return None
