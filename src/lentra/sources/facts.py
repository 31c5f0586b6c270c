"""What is told of one thing that was seen, read into what a sighting keeps."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from lentra.addressing.exposure import Route, reach_of
from lentra.addressing.prefix import parse_address, parse_prefix, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.operations.findings.take_survey import Seen
from lentra.registry.operations.subnets.record_addresses import read_mac

TEXTS = ("name", "zone", "region", "project", "tag", "gateway", "dhcp", "state", "public")
_LONGEST = 200


def told(where: str, read: Callable[[str], Any], text: str) -> Any:
    """What a text is read as; a refusal says where it stands."""
    try:
        return read(text)
    except Refusal as refusal:
        refusal.field = where
        raise


def seen_of(one: Mapping[str, Any], where: str) -> Seen:
    """A range or an address with its facts, as a document of our own tells it.

    Raises:
        Refusal: something of it cannot be read; says where.
    """
    facts = {name: str(one[name])[:_LONGEST] for name in TEXTS if one.get(name) not in (None, "")}
    if one.get("mac"):
        facts["mac"] = told(f"{where}.mac", read_mac, str(one["mac"]))
    if facts.get("gateway"):
        told(f"{where}.gateway", parse_address, facts["gateway"])
    if "address" in one:
        family, address = told(f"{where}.address", parse_address, one["address"])
        return Seen(family, address, address, True, facts)
    family, first, last = told(f"{where}.range", parse_range, one["range"])
    if "routes" in one:
        facts |= reach_facts(routes_of(one["routes"], f"{where}.routes"), family)
    return Seen(family, first, last, False, facts)


def routes_of(rows: Sequence[Mapping[str, Any]], where: str) -> list[Route]:
    """Routes: ``to`` a prefix, ``via`` a word, perhaps a ``name``."""
    return [
        Route(told(f"{where}.{n}.to", parse_prefix, row["to"]), row["via"], str(row.get("name") or "")[:60])
        for n, row in enumerate(rows)
    ]


def reach_facts(routes: Sequence[Route], family: int) -> dict[str, str]:
    """How far a network with these routes can be reached, and by which."""
    reach, proof = reach_of([route for route in routes if route.to.family == family])
    return {"reach": reach, "route": str(proof) if proof else "it has no route beyond itself"}


class Collected:
    """What was seen, one sighting for each range or address: what is told of one twice is put together."""

    def __init__(self) -> None:
        self._seen: dict[tuple[int, int, int, bool], Seen] = {}

    def __len__(self) -> int:
        return len(self._seen)

    def add(self, one: Seen) -> None:
        """Add a sighting; of a fact that is told twice the first word holds."""
        known = self._seen.get(one.key)
        self._seen[one.key] = (
            Seen(one.family, one.first, one.last, one.single, one.facts | known.facts) if known else one
        )

    def all(self) -> list[Seen]:
        """All of it."""
        return list(self._seen.values())


def is_list(part: Any, where: str, what: str) -> list[Mapping[str, Any]]:
    """A list of mappings, or nothing.

    Raises:
        Invalid: it is something else.
    """
    part = part or []
    if not isinstance(part, list) or not all(isinstance(one, Mapping) for one in part):
        raise Invalid(f"{where} is to be {what}: a list", field=f"document.{where}")
    return part
