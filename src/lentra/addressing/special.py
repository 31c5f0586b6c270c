"""Special-purpose ranges of the standards, and ranges that many platforms prefill.

Source: the IANA special-purpose address registries (RFC 6890) and the RFCs named with each entry. Private
(RFC 1918) and unique-local (RFC 4193) space is ordinary: it is what most pools are made of.
"""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.prefix import Prefix, parse_prefix


@dataclass(frozen=True, slots=True)
class Special:
    """A range that cannot be handed out as it stands, why, and where that is written."""

    prefix: Prefix
    why: str
    source: str


def _table(text: str) -> tuple[Special, ...]:
    rows = (line.split("|") for line in text.strip().splitlines())
    return tuple(Special(parse_prefix(p.strip()), why.strip(), src.strip()) for p, why, src in rows)


SPECIAL = _table(
    """
    0.0.0.0/8          | this network                          | RFC 791 section 3.2
    100.64.0.0/10      | shared address space                  | RFC 6598
    127.0.0.0/8        | loopback                              | RFC 1122 section 3.2.1.3
    169.254.0.0/16     | link-local                            | RFC 3927
    192.0.0.0/24       | protocol assignments                  | RFC 6890 section 2.1
    192.0.2.0/24       | documentation                         | RFC 5737
    192.31.196.0/24    | AS112 service                         | RFC 7535
    192.52.193.0/24    | automatic multicast tunneling         | RFC 7450
    192.88.99.0/24     | deprecated relay anycast              | RFC 7526
    192.175.48.0/24    | AS112 service                         | RFC 7534
    198.18.0.0/15      | benchmarking                          | RFC 2544
    198.51.100.0/24    | documentation                         | RFC 5737
    203.0.113.0/24     | documentation                         | RFC 5737
    224.0.0.0/4        | multicast                             | RFC 5771
    240.0.0.0/4        | reserved, limited broadcast at its end | RFC 1112 section 4
    ::/8               | reserved: unspecified, loopback, IPv4-mapped, translation | RFC 4291 section 2.5
    64:ff9b::/96       | translation, well-known prefix        | RFC 6052
    64:ff9b:1::/48     | translation, local use                | RFC 8215
    100::/64           | discard only                          | RFC 6666
    2001::/23          | protocol assignments                  | RFC 2928
    2001:db8::/32      | documentation                         | RFC 3849
    2002::/16          | deprecated relays (6to4)              | RFC 3056, RFC 7526
    2620:4f:8000::/48  | AS112 service                         | RFC 7534
    3fff::/20          | documentation                         | RFC 9637
    5f00::/16          | segment routing identifiers           | RFC 9602
    fe80::/10          | link-local                            | RFC 4291 section 2.5.6
    fec0::/10          | deprecated site-local                 | RFC 3879
    ff00::/8           | multicast                             | RFC 4291 section 2.7
    """
)

PRIVATE = tuple(parse_prefix(p) for p in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7"))

# Ranges that platforms, routers and container engines fill in when nobody says otherwise.
PREFILLED = _table(
    """
    10.0.0.0/16     | prefilled by many platforms for a first network | common default
    10.0.0.0/24     | prefilled by many home and office routers       | common default
    10.0.2.0/24     | prefilled inside virtual machines               | common default
    10.96.0.0/12    | prefilled for cluster services                  | common default
    10.244.0.0/16   | prefilled for cluster workloads                 | common default
    172.17.0.0/16   | prefilled for container bridges                 | common default
    172.31.0.0/16   | prefilled by many platforms for a first network | common default
    192.168.0.0/24  | prefilled by many home and office routers       | common default
    192.168.1.0/24  | prefilled by many home and office routers       | common default
    192.168.122.0/24 | prefilled for virtual machine networks         | common default
    """
)


_SHARED = parse_prefix("100.64.0.0/10")  # RFC 6598
NOT_PUBLIC = (*PRIVATE, _SHARED)  # what a public range holds nothing of


def kind_of_space(prefix: Prefix) -> str:
    """What a range is in one word: private, shared (RFC 6598), or public; mixed where it holds several of these."""
    if is_private(prefix):
        return "private"
    if _SHARED.contains(prefix):
        return "shared address space between providers and customers (RFC 6598)"
    return "mixed" if any(prefix.overlaps(other) for other in NOT_PUBLIC) else "public"


def is_private(prefix: Prefix) -> bool:
    """True if all of it is private (RFC 1918 section 3) or unique-local (RFC 4193 section 3) space."""
    return any(private.contains(prefix) for private in PRIVATE)


def prefilled_notes(prefix: Prefix) -> list[str]:
    """Notes for a range that equals, or is inside, one that many platforms prefill."""
    return [
        f"{prefix} {'is' if row.prefix == prefix else f'lies in {row.prefix}, which is'} {row.why}: "
        "it may clash once networks are joined"
        for row in PREFILLED
        if row.prefix.contains(prefix)
    ][:1]
