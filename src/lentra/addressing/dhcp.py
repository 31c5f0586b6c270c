"""What DHCP hands out of a block: ranges, with exclusions taken out of them."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence

from lentra.addressing.address_map import Inside
from lentra.addressing.prefix import address_text, parse_range
from lentra.addressing.refusal import BadAddress, Refusal

MOST_RANGES = 16  # of a block, and as many exclusions

Span = tuple[int, int]  # first and last address


def span_text(family: int, first: int, last: int) -> str:
    """A range as DHCP is told it: first-last, or one address."""
    if first == last:
        return address_text(family, first)
    return f"{address_text(family, first)}-{address_text(family, last)}"


def spans_in(inside: Inside, texts: Iterable[str]) -> list[Span]:
    """Those of some ranges (first-last, or prefixes) that lie in a block, in order."""
    found = [parse_range(text) for text in texts]
    block = inside.block
    return sorted(
        (first, last) for family, first, last in found if family == block.family and first in _all_of(inside)
    )


def _all_of(inside: Inside) -> range:
    return range(inside.block.first, inside.block.last + 1)


def without_excluded(ranges: Sequence[Span], excluded: Sequence[Span]) -> list[Span]:
    """What is left of ranges.

    >>> without_excluded([(10, 20)], [(12, 13), (20, 20)])
    [(10, 11), (14, 19)]
    """
    left: list[Span] = []
    for first, last in ranges:
        at = first
        for low, high in sorted(excluded):
            if high < at or low > last:
                continue
            if low > at:
                left.append((at, low - 1))
            at = high + 1
        if at <= last:
            left.append((at, last))
    return left


def dhcp_ranges(
    inside: Inside, texts: Sequence[str], taken: Mapping[int, str], excluded: Sequence[str] = ()
) -> list[Span]:
    """Read and check what DHCP hands out of a block.

    Args:
        inside: the block, with its gateway and DHCP service.
        texts: ranges; `excluded`: parts of them that are not handed out after all.
        taken: addresses that records have, with their names.

    Returns:
        The stretches that are left, in order.

    Raises:
        BadPrefix: reversed, or no range.
        BadAddress: outside the block, over withheld addresses, over the gateway, over a record, over one another; an
            exclusion that lies in no range.
    """
    for field, given in (("dhcp", texts), ("dhcp_excluded", excluded)):
        if len(given) > MOST_RANGES:
            raise BadAddress(f"{len(given)} ranges: {MOST_RANGES} at most", field=field, received=len(given))
    ranges = [_usable(inside, text, taken) for text in texts]
    for (one, its_text), (other, other_text) in itertools.combinations(zip(ranges, texts, strict=True), 2):
        if one[0] <= other[1] and other[0] <= one[1]:
            raise BadAddress(
                f"the DHCP ranges {its_text} and {other_text} overlap",
                field="dhcp",
                received=other_text,
                suggestions=[span_text(inside.block.family, min(one[0], other[0]), max(one[1], other[1]))],
            )
    cuts = [_excluded(inside, text, ranges, texts) for text in excluded]
    left = without_excluded(sorted(ranges), cuts)
    for text in texts:
        _refuse_over_others(inside, text, left, taken)
    return left


def widest_dhcp(inside: Inside, taken: Iterable[int]) -> str | None:
    """The widest run of usable addresses that nothing else has, as text; None without any."""
    stops = sorted({*taken, *inside.fixed})
    best: Span | None = None
    start = inside.low
    for stop in [*[s for s in stops if inside.low <= s <= inside.high], inside.high + 1]:
        if stop > start and (best is None or stop - start > best[1] - best[0] + 1):
            best = (start, stop - 1)
        start = stop + 1
    return span_text(inside.block.family, *best) if best else None


def _usable(inside: Inside, text: str, taken: Mapping[int, str]) -> Span:
    """A range of addresses that hosts can have."""
    family, first, last = _read(text, "dhcp")
    usable = f"{address_text(inside.block.family, inside.low)}-{address_text(inside.block.family, inside.high)}"
    fault = None
    if family != inside.block.family or first < inside.block.first or last > inside.block.last:
        fault = f"is outside {inside.block}"
    elif first < inside.low or last > inside.high:
        fault = f"covers addresses that the rule sheet withholds; usable are {usable}"
    if fault:
        raise _no_range(inside, text, fault, taken)
    return first, last


def _excluded(inside: Inside, text: str, ranges: Sequence[Span], texts: Sequence[str]) -> Span:
    family, first, last = _read(text, "dhcp_excluded")
    if family == inside.block.family and any(low <= first and last <= high for low, high in ranges):
        return first, last
    raise BadAddress(
        f"{text} is excluded from no DHCP range: " + (", ".join(texts) or "there is none"),
        field="dhcp_excluded",
        received=text,
        rule="what is excluded lies in a DHCP range",
    )


def _refuse_over_others(inside: Inside, text: str, left: Sequence[Span], taken: Mapping[int, str]) -> None:
    """Refuse a range that hands out the gateway, the DHCP service, or what a record has."""
    _, first, last = parse_range(text)
    family = inside.block.family

    def handed_out(address: int) -> bool:
        return first <= address <= last and any(low <= address <= high for low, high in left)

    if inside.gateway is not None and handed_out(inside.gateway):
        raise _no_range(inside, text, f"covers the gateway, {address_text(family, inside.gateway)}", taken)
    if inside.dhcp_service is not None and handed_out(inside.dhcp_service):
        service = address_text(family, inside.dhcp_service)
        raise _no_range(inside, text, f"covers the address of the DHCP service, {service}", taken)
    if over := sorted(address for address in taken if handed_out(address)):
        names = ", ".join(f"{address_text(family, a)} ({taken[a]})" for a in over[:3])
        more = " and more" if len(over) > 3 else ""
        raise _no_range(inside, text, f"covers addresses that records have: {names}{more}", taken)


def _no_range(inside: Inside, text: str, fault: str, taken: Iterable[int]) -> BadAddress:
    return BadAddress(
        f"the DHCP range {text} {fault}",
        field="dhcp",
        received=text,
        rule="a DHCP range holds usable addresses that nothing else has; exclude what it must not hand out",
        suggestions=[widest] if (widest := widest_dhcp(inside, taken)) else [],
    )


def _read(text: str, field: str) -> tuple[int, int, int]:
    try:
        return parse_range(text)
    except Refusal as refusal:
        raise refusal.about(field)
