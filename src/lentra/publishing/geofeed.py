"""Where public ranges are, as a geofeed (RFC 8805), and what points to it (RFC 9632); who announces them (RFC 8416)."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

from lentra.addressing.geofeed import Authorisation, Location
from lentra.addressing.prefix import Prefix, address_text

MEDIA = "text/csv; charset=utf-8"  # RFC 8805, section 2.1
PLACE = "/geofeed.csv"


def geofeed(located: Sequence[tuple[Prefix, Location]]) -> str:
    """Lines of prefix, country, subdivision, city; the postal code is left empty, as section 2.1.1.5 would have it."""
    text = io.StringIO()
    text.write("# prefix,country,subdivision,city,postal code\n")
    lines = csv.writer(text, lineterminator="\n")
    for prefix, place in located:
        lines.writerow([str(prefix), place.country, place.subdivision, place.city, ""])
    return text.getvalue()


def pointers(tops: Sequence[Prefix], address: str) -> list[dict[str, str]]:
    """What a routing registry's object of each range is to say, so that the geofeed is found (RFC 9632, section 3).

    Args:
        address: where the geofeed is, by https.
    """
    line = f"geofeed: {address}"
    return [
        {"kind": "inet6num", "object": str(prefix), "attribute": line}
        if prefix.family == 6
        else {
            "kind": "inetnum",
            "object": f"{address_text(4, prefix.first)} - {address_text(4, prefix.last)}",
            "attribute": line,
        }
        for prefix in tops
    ]


def assertions(authorised: Sequence[tuple[Authorisation, str]]) -> dict[str, Any]:
    """Authorisations as locally added assertions (RFC 8416, section 3.4.1)."""
    return {
        "slurmVersion": 1,
        "validationOutputFilters": {"prefixFilters": [], "bgpsecFilters": []},
        "locallyAddedAssertions": {
            "prefixAssertions": [
                {
                    "asn": one.origin,
                    "prefix": str(one.prefix),
                    "maxPrefixLength": one.longest,
                    "comment": f"pool {pool}",
                }
                for one, pool in authorised
            ],
            "bgpsecAssertions": [],
        },
    }
