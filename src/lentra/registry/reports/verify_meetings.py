"""Rule 1 across realms that meet: what both have in pools is kept out in one of them, but for what was in use before."""

from __future__ import annotations

from collections.abc import Iterator

from lentra.addressing.meeting import apart, common, touch
from lentra.addressing.prefix import range_text
from lentra.registry.lookup.meeting import given_way, in_pools_of_both, links_now, meetings_of, spans_of, used_in
from lentra.registry.models import KeepOut, Realm


def check_meetings(only: Realm | None) -> Iterator[tuple[str, str]]:
    """What is wrong, and where: of all realms, or of those that one meets."""
    met = meetings_of(links_now())
    names = dict(Realm.objects.values_list("pk", "name"))
    for pair, where in met.items():
        if only and only.pk not in pair:
            continue
        both, kept = in_pools_of_both(pair, where), given_way(pair)
        at = f"{names[pair[0]]} and {names[pair[1]]}"
        divided = spans_of(kept)
        for family, spans in both.items():
            for first, last in apart(spans, divided.get(family, [])):
                yield f"both have {range_text(family, first, last)}, and neither keeps it out for the other", at
        for keep_out in kept:
            yield from ((what, at) for what in _departures(keep_out, both.get(keep_out.family, []), names))
    rows = KeepOut.objects.exclude(in_favour_of=None)
    for keep_out in rows.filter(realm=only) if only else rows:
        pair = min(keep_out.realm_id, keep_out.in_favour_of_id), max(keep_out.realm_id, keep_out.in_favour_of_id)
        if pair not in met:
            yield f"{keep_out.range_text} is kept out for a realm that it does not meet", names[keep_out.realm_id]


def _departures(keep_out: KeepOut, both: list[tuple[int, int]], names: dict[int, str]) -> Iterator[str]:
    family, span = keep_out.family, (keep_out.first, keep_out.last)
    if common([span], both) != [span]:
        yield f"{keep_out.range_text} is kept out in {names[keep_out.realm_id]}, where they do not meet"
    for used in () if keep_out.over_use else used_in(keep_out.realm_id, family, [span]):
        if touch([span], used.first, used.last):
            shown = range_text(family, used.first, used.last)
            yield f"{shown} is in use in {names[keep_out.realm_id]}, and it is the other's to hand out"
