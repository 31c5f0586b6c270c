"""DNS: reverse names, which DNS zone a name lies in, which records follow from what hosts have, and serials.

Names are texts in lower case without a dot at their end; data are texts as in a zone file (RFC 1035, section 5.1).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from lentra.addressing.prefix import Prefix, address_text, parse_prefix
from lentra.addressing.refusal import Refusal

LONGEST_NAME, LONGEST_LABEL = 253, 63  # RFC 1035, section 2.3.4, as text
BY_HAND, HOST, OF_SUBNET, ALIAS = range(4)  # whose a name is first
_REVERSE = {4: ("in-addr.arpa", 8), 6: ("ip6.arpa", 4)}
_LABEL = re.compile(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?")
_CLASSLESS = re.compile(r"(\d{1,3})([/-])(\d{1,3})")
_SERIALS = 1 << 32


def reverse_name(family: int, address: int) -> str:
    """The name of an address in in-addr.arpa (RFC 1035, section 3.5) or ip6.arpa (RFC 3596, section 2.5), without a dot at
    its end.

    >>> reverse_name(4, 0x0A2A0125)
    '37.1.42.10.in-addr.arpa'
    """
    if family == 4:
        return ".".join(str(byte) for byte in reversed(address.to_bytes(4, "big"))) + ".in-addr.arpa"
    return ".".join(reversed(f"{address:032x}")) + ".ip6.arpa"


def is_reverse(name: str) -> bool:
    """Whether a name lies in the reverse tree."""
    return any(name == top or name.endswith(f".{top}") for top, _ in _REVERSE.values())


def range_of(name: str) -> Prefix | None:
    """The addresses whose names lie in a reverse DNS zone; None for a name that stands for none.

    That of a part of a /24 may be written with its length (RFC 2317, section 4) or with its last address.

    >>> str(range_of("64/26.2.0.192.in-addr.arpa")), str(range_of("64-127.2.0.192.in-addr.arpa"))
    ('192.0.2.64/26', '192.0.2.64/26')
    """
    for family, (top, bits) in _REVERSE.items():
        if not name.endswith(f".{top}"):
            continue
        labels = name.removesuffix(f".{top}").split(".")[::-1]
        if family == 4 and len(labels) == 4 and (part := _CLASSLESS.fullmatch(labels[3])):
            return _part(labels[:3], int(part[1]), part[2], int(part[3]))
        digits = r"0|[1-9]\d{0,2}" if family == 4 else "[0-9a-f]"
        if len(labels) * bits > (32 if family == 4 else 128) or not all(re.fullmatch(digits, d) for d in labels):
            return None
        values = [int(digit, 10 if family == 4 else 16) for digit in labels]
        if max(values) >= 1 << bits:
            return None
        first = 0
        for value in values:
            first = first << bits | value
        length = len(values) * bits
        return Prefix(family, first << ((32 if family == 4 else 128) - length), length)
    return None


def _part(octets: Sequence[str], first: int, mark: str, end: int) -> Prefix | None:
    """A part of a /24, by its first address and its length, or its last address."""
    length = end if mark == "/" else 33 - (end - first + 1).bit_length() if end > first else 0
    try:
        part = parse_prefix(f"{'.'.join(octets)}.{first}/{length}")
    except Refusal:
        return None
    return part if 24 < length < 32 and (mark == "/" or part.last & 255 == end) else None


def usable_label(text: str) -> str:
    """A name of the registry as it can be in the name of a host (RFC 1123, section 2.1): no underscores, no spaces."""
    return re.sub(r"[^a-z0-9.-]+", "-", text.lower()).strip("-.")


def is_host_name(name: str) -> bool:
    """Whether a host can be called so (RFC 1123, section 2.1)."""
    return len(name) <= LONGEST_NAME and all(
        len(label) <= LONGEST_LABEL and _LABEL.fullmatch(label) for label in name.split(".")
    )


@dataclass(frozen=True)
class Domain:
    """A DNS zone: its number, its name, and of a reverse one the addresses. `delegated`: others keep what is in it.

    `servers` are names of name servers with their addresses behind them, where those lie in it (glue); `ds` the data of its
    DS records (RFC 4034, section 5), for the DNS zone around it.
    """

    number: int
    name: str
    range: Prefix | None = None
    delegated: bool = False
    servers: tuple[str, ...] = ()
    ds: tuple[str, ...] = ()


@dataclass(frozen=True, order=True)
class Entry:
    """One record in a DNS zone: `domain` is the number of that, `owner` the whole name."""

    domain: int
    owner: str
    type: str
    data: str


@dataclass(frozen=True)
class Claim:
    """A host, or something else, that is to have a name: with these addresses, or as another name of what has one.

    `rank` and then `host` say who has a name that several claim; those of one host are one.
    """

    name: str
    rank: int
    host: int
    addresses: tuple[tuple[int, int], ...] = ()  # family and address
    alias_of: str = ""


class Domains:
    """The DNS zones of a realm: which a name lies in, and how they hang together."""

    def __init__(self, domains: Iterable[Domain]) -> None:
        self._by_name = {domain.name: domain for domain in domains}
        self._by_range = {domain.range: domain for domain in self._by_name.values() if domain.range}
        self._lengths = sorted({(r.family, r.length) for r in self._by_range}, key=lambda one: -one[1])

    def __iter__(self) -> Iterator[Domain]:
        return iter(self._by_name.values())

    def around(self, name: str) -> Domain | None:
        """The innermost one that a name lies in; its own, if it is that of a DNS zone."""
        while True:
            if found := self._by_name.get(name):
                return found
            name, dot = name.partition(".")[2], "." in name
            if not dot:
                return None

    def of_address(self, family: int, address: int) -> tuple[Domain, str] | None:
        """The narrowest reverse one that an address lies in, and the name of the address in it."""
        bits = 32 if family == 4 else 128
        for of, length in self._lengths:
            if of == family:
                range_ = Prefix(family, address >> (bits - length) << (bits - length), length)
                if found := self._by_range.get(range_):
                    return found, owner_in(found, family, address)
        return None

    def parent(self, domain: Domain) -> Domain | None:
        """The one that a DNS zone is delegated out of."""
        return self.around(domain.name.partition(".")[2])

    def structure(self) -> Iterator[Entry]:
        """Name servers, delegations with DS records and glue, and what leads into parts of a /24.

        An address of such a part is another name of one in the part's own DNS zone (RFC 2317, section 4).
        """
        for domain in self:
            parent = self.parent(domain)
            keeps = [one for one in (domain, parent) if one and not one.delegated]
            for server in domain.servers:
                name, *glue = server.split()
                for keeper in keeps:
                    yield Entry(keeper.number, domain.name, "NS", f"{name}.")
                    if name == domain.name or name.endswith(f".{domain.name}"):
                        for text in glue:
                            yield Entry(keeper.number, name, "AAAA" if ":" in text else "A", text)
            if parent is None or parent.delegated:
                continue
            for data in domain.ds:
                yield Entry(parent.number, domain.name, "DS", data)
            part = domain.range
            if part and part.family == 4 and 24 < part.length < 32:
                for address in range(part.first, part.last + 1):
                    alias = f"{owner_in(domain, 4, address)}."
                    yield Entry(parent.number, reverse_name(4, address), "CNAME", alias)

    def entries(self, claim: Claim) -> Iterator[Entry]:
        """The records by which a claim is met: of an address both ways, of another name one that leads to the first."""
        forward = self.around(claim.name)
        own = forward if forward and not forward.delegated else None
        if claim.alias_of:
            if own:
                yield Entry(own.number, claim.name, "CNAME", f"{claim.alias_of}.")
            return
        for family, address in claim.addresses:
            if own:
                kind = "A" if family == 4 else "AAAA"
                yield Entry(own.number, claim.name, kind, address_text(family, address))
            back = self.of_address(family, address)
            if back and not back[0].delegated:
                yield Entry(back[0].number, back[1], "PTR", f"{claim.name}.")


def owner_in(domain: Domain, family: int, address: int) -> str:
    """The name of an address in a reverse DNS zone: in a part of a /24 the last octet before its name."""
    part = domain.range
    if part and part.family == 4 and 24 < part.length < 32:
        return f"{address & 255}.{domain.name}"
    return reverse_name(family, address)


def winners(claims: Iterable[Claim], by_hand: Mapping[str, bool]) -> dict[str, tuple[int, int]]:
    """Who has each name that is claimed, by rank and host: one host alone; nobody, where it is taken otherwise.

    Args:
        by_hand: names that further records have by hand; True where that is another name (CNAME), beside which there is
            nothing else (RFC 1034, section 3.6.2).
    """
    found: dict[str, tuple[int, int]] = {}
    for claim in claims:
        taken = by_hand.get(claim.name)
        if taken or (taken is not None and claim.alias_of):
            continue
        mine = (claim.rank, claim.host)
        found[claim.name] = min(mine, found.get(claim.name, mine))
    return found


def is_newer(serial: int, other: int) -> bool:
    """Whether a serial comes after another, in a circle of 32 bits (RFC 1982, section 3.2)."""
    return serial != other and (serial - other) % _SERIALS < _SERIALS // 2


def next_serial(*seen: int) -> int:
    """A serial that comes after all of those that were seen (RFC 1982, section 3.1), and is not 0.

    >>> next_serial(4_294_967_295)
    1
    """
    newest = 0
    for serial in seen:
        if serial and (not newest or is_newer(serial, newest)):
            newest = serial
    return (newest + 1) % _SERIALS or 1
