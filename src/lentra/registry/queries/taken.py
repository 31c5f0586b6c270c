"""What of a range is taken in a realm, and how a list of ranges lies to all that is known."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.overlap import relation
from lentra.addressing.prefix import Prefix, parse_range, prefixes_of_range, range_in_line, range_text
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.keep_outs import keep_outs_over
from lentra.registry.models import Realm
from lentra.registry.queries.whereabouts import describe, extents_over, pool_chain

MOST_RANGES = 1000


def taken_over(realm_id: int, prefix: Prefix) -> list[dict[str, Any]]:
    """What keeps a prefix from being used in a realm: extents in use, and keep-outs, also where no pool is."""
    return _taken(realm_id, prefix.family, prefix.first, prefix.last)


def _taken(realm_id: int, family: int, first: int, last: int) -> list[dict[str, Any]]:
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


def check_ranges(realm: Realm, texts: Iterable[str]) -> list[dict[str, Any]]:
    """How each range of a list lies to what is known in a realm.

    Returns:
        for each text its ``range``, ``how`` (free, equal, inside, contains, overlaps, or unreadable), the ``pool``
        around it, and ``with``: what it meets, each with ``how`` it lies to that.

    Raises:
        Invalid: too many at once.
    """
    texts = [range_in_line(text) for text in texts]
    texts = [text for text in texts if text]
    if len(texts) > MOST_RANGES:
        raise Invalid(
            f"{len(texts):,} ranges at once: {MOST_RANGES:,} at most", field="ranges", received=len(texts)
        )
    return [_check(realm, text) for text in texts]


def _check(realm: Realm, text: str) -> dict[str, Any]:
    try:
        family, first, last = parse_range(text)
    except Refusal as refusal:
        return {
            "text": text[:100],
            "range": None,
            "how": "unreadable",
            "why": refusal.message,
            "suggestions": refusal.suggestions,
            "pool": None,
            "with": [],
        }
    chain = pool_chain(realm.pk, family, first, last)
    met = []
    for fact in _taken(realm.pk, family, first, last):
        _, other_first, other_last = parse_range(fact["range"])
        met.append(
            fact | {"how": relation(first, last, other_first, other_last), "addresses": str(fact["addresses"])}
        )
    hows = {fact["how"] for fact in met}
    how = "free"
    for word in ("equal", "inside", "overlaps", "contains"):
        if word in hows:
            how = word
            break
    pieces = prefixes_of_range(family, first, last)
    return {
        "text": text[:100],
        "range": range_text(family, first, last),
        "how": how,
        "why": _in_words(how, met, chain[-1].name if chain else None),
        "suggestions": [str(p) for p in pieces[:8]] if len(pieces) > 1 else [],
        "pool": {"id": chain[-1].pk, "name": chain[-1].name} if chain else None,
        "with": met[:50],
    }


def _in_words(how: str, met: list[dict[str, Any]], pool: str | None) -> str:
    if how == "free":
        return f"free in pool {pool}" if pool else "in no pool, and nothing is known to use it"
    first = met[0]
    words = f"{how} {first['range']}: {first['state']}, {first.get('owner', '')}".rstrip(", ")
    if how == "equal":
        words = f"equal to {first['range']}: {first['state']}, {first.get('owner', '')}".rstrip(", ")
    return words + (f", and {len(met) - 1} more" if len(met) > 1 else "")
