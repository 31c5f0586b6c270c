"""DNS: the names that addresses have in the reverse tree."""

from __future__ import annotations


def reverse_name(family: int, address: int) -> str:
    """The name of an address in in-addr.arpa (RFC 1035, section 3.5) or ip6.arpa (RFC 3596, section 2.5), without a dot at
    its end.

    >>> reverse_name(4, 0x0A2A0125)
    '37.1.42.10.in-addr.arpa'
    """
    if family == 4:
        return ".".join(str(byte) for byte in reversed(address.to_bytes(4, "big"))) + ".in-addr.arpa"
    return ".".join(reversed(f"{address:032x}")) + ".ip6.arpa"
