"""The segment tags of a zone or region: used and free, ranges, and members whose tag differs."""

from __future__ import annotations

from typing import Any

from lentra.registry.models import Region, Subnet, TagMember, Zone
from lentra.registry.rules.tags import HIGHEST, LOWEST, ranges_of, scopes_of


def tags_of(place: Zone | Region, outer: int = 0) -> dict[str, Any]:
    """What is known of the tags of a place.

    Args:
        outer: the outer tag under which they are; 0 for singly tagged segments.

    Returns:
        ``used``: each tag with its subnet, those of the region around (or its zones) among them; ``free`` as spans of
        tags; ``ranges`` with how many of each are used and free; ``next``: the lowest free above the lowest in use;
        ``after_last``: the first free after the highest in use; ``outer_tags`` in use there; ``differing`` members.
    """
    scopes = scopes_of(place)
    rows = Subnet.objects.filter(tag_scope__in=scopes, tag__isnull=False)
    used = list(rows.filter(outer_tag=outer).order_by("tag").select_related("tier", "zone", "region"))
    taken = {subnet.tag for subnet in used}
    ranges = ranges_of(place)
    forbidden = {tag for span in ranges if span.forbidden for tag in range(span.first, span.last + 1)}
    free = [tag for tag in range(LOWEST, HIGHEST + 1) if tag not in taken and tag not in forbidden]
    low, high = min(taken, default=LOWEST), max(taken, default=0)
    return {
        "place": {"id": place.pk, "name": place.name},
        "outer_tag": outer,
        "outer_tags": sorted(set(rows.exclude(outer_tag=0).order_by().values_list("outer_tag", flat=True))),
        "used": [
            {
                "tag": subnet.tag,
                "subnet": {"id": subnet.pk, "name": subnet.name},
                "tier": subnet.tier.name,
                "place": (subnet.zone or subnet.region).name,
            }
            for subnet in used
        ],
        "free": _spans(free),
        "ranges": [
            {
                "id": span.pk,
                "first": span.first,
                "last": span.last,
                "place": span.place_text,
                "tier": span.tier.name if span.tier else None,
                "forbidden": span.forbidden,
                "purpose": span.purpose,
                "used": sum(tag in span for tag in taken),
                "free": 0 if span.forbidden else sum(tag in span for tag in free),
            }
            for span in ranges
        ],
        "next": next((tag for tag in free if tag >= low), next(iter(free), None)),
        "after_last": next((tag for tag in free if tag > high), None),
        "differing": [_told(member) for member in differing(scopes)],
    }


def differing(scopes: list[int] | None = None) -> list[TagMember]:
    """Members whose tag is not that of their subnet, of these places or of all."""
    rows = TagMember.objects.filter(tag__isnull=False).select_related("subnet").order_by("subnet", "name")
    if scopes is not None:
        rows = rows.filter(subnet__tag_scope__in=scopes)
    return [member for member in rows if member.pair() != (member.subnet.outer_tag, member.subnet.tag)]


def _told(member: TagMember) -> dict[str, Any]:
    return {
        "id": member.pk,
        "name": member.name,
        "kind": member.kind,
        "tag": member.tag,
        "outer_tag": member.outer_tag,
        "subnet": {"id": member.subnet_id, "name": member.subnet.name},
        "subnet_tag": member.subnet.tag,
        "subnet_outer_tag": member.subnet.outer_tag,
    }


def _spans(tags: list[int]) -> list[str]:
    """Numbers in order, as the fewest spans: ``1-209``, ``212``."""
    spans: list[tuple[int, int]] = []
    for tag in tags:
        if spans and tag == spans[-1][1] + 1:
            spans[-1] = spans[-1][0], tag
        else:
            spans.append((tag, tag))
    return [str(first) if first == last else f"{first}-{last}" for first, last in spans]
