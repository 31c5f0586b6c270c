"""Prefixes of both families as one small value type.

Use `parse_prefix` at a boundary, where text comes in: it refuses bad text and says what would be right.
Everywhere else pass `Prefix` values around. `ipaddress` parses and prints; arithmetic is on integers.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from lentra.addressing.refusal import BadPrefix, OffBoundary, Refusal, WrongFamily

BITS = {4: 32, 6: 128}
_LONGEST_TEXT = 60


@dataclass(frozen=True, slots=True, order=True)
class Prefix:
    """An aligned block of addresses. Sorts by family, then first address, then widest first.

    Args:
        family: 4 or 6.
        first: first address as a whole number.
        length: prefix length, 0 to 32 (IPv4) or 128 (IPv6).

    Example:
        >>> block = parse_prefix("10.40.64.0/20")
        >>> block.size, str(block.child(23, 5))
        (4096, '10.40.74.0/23')
    """

    family: int
    first: int
    length: int

    def __post_init__(self) -> None:
        if __debug__:  # left out by python -O
            bits = BITS[self.family]
            if (
                not 0 <= self.length <= bits
                or self.first >> bits
                or self.first & ((1 << (bits - self.length)) - 1)
            ):
                raise ValueError(f"no prefix: family {self.family}, first {self.first}, length {self.length}")

    @property
    def bits(self) -> int:
        """Address width in bits: 32 or 128."""
        return BITS[self.family]

    @property
    def size(self) -> int:
        """Number of addresses."""
        return 1 << (BITS[self.family] - self.length)

    @property
    def last(self) -> int:
        """Last address, as a whole number."""
        return self.first + (1 << (BITS[self.family] - self.length)) - 1

    def __str__(self) -> str:
        return prefix_text(self.family, self.first, self.length)

    def contains(self, other: Prefix) -> bool:
        """True if every address of `other` is in this prefix."""
        return (
            self.family == other.family and self.length <= other.length and self.first <= other.first <= self.last
        )

    def overlaps(self, other: Prefix) -> bool:
        """True if the two share an address."""
        return self.family == other.family and self.first <= other.last and other.first <= self.last

    def enclosing(self, length: int) -> Prefix:
        """The prefix of that (shorter or equal) length which contains this one."""
        if not 0 <= length <= self.length:
            raise ValueError(f"/{length} does not enclose /{self.length}")
        return containing(self.family, self.first, length)

    def buddy(self) -> Prefix:
        """The other half of the enclosing prefix one bit shorter."""
        return Prefix(self.family, self.first ^ self.size, self.length)

    def child(self, length: int, n: int) -> Prefix:
        """The n-th (from 0) prefix of `length` inside this one."""
        if not self.length <= length <= self.bits or not 0 <= n < 1 << (length - self.length):
            raise ValueError(f"{self} has no /{length} number {n}")
        return Prefix(self.family, self.first + (n << (self.bits - length)), length)

    def children(self, length: int) -> Iterator[Prefix]:
        """All prefixes of `length` inside this one, in order."""
        for n in range(1 << (length - self.length)):
            yield self.child(length, n)

    def reverse_names(self, most: int = 256) -> list[str]:
        """Names of the reverse DNS zones that make up exactly the block (RFC 1035 section 3.5, RFC 3596 section 2.5).

        A length between two label boundaries has several zones; at most so many are told. An IPv4 block longer than /24
        that is no single address is a part of its /24's zone, delegated as RFC 2317 section 4 has it
        (``128/25.64.40.10.in-addr.arpa``).
        """
        step = 8 if self.family == 4 else 4
        if self.family == 4 and 24 < self.length < 32:
            octets = [str(self.first >> shift & 255) for shift in (24, 16, 8)]
            return [".".join([f"{self.first & 255}/{self.length}", *reversed(octets), "in-addr.arpa"])]
        boundary = -(-self.length // step) * step
        count = min(1 << (boundary - self.length), most)
        return [self.child(boundary, n)._zone(step) for n in range(count)]

    def _zone(self, step: int) -> str:
        """Name of the zone of a block on a label boundary."""
        digits = (
            [str(self.first >> shift & 255) for shift in (24, 16, 8, 0)]
            if step == 8
            else list(f"{self.first:032x}")
        )
        suffix = "in-addr.arpa" if step == 8 else "ip6.arpa"
        return ".".join([*reversed(digits[: self.length // step]), suffix])


def containing(family: int, address: int, length: int) -> Prefix:
    """The prefix of that length which contains the address."""
    shift = BITS[family] - length
    return Prefix(family, address >> shift << shift, length)


def address_text(family: int, address: int) -> str:
    """Text form: dotted quad, or RFC 5952 for IPv6."""
    if family == 4:
        return f"{address >> 24}.{address >> 16 & 255}.{address >> 8 & 255}.{address & 255}"
    return str(ipaddress.IPv6Address(address))


def prefix_text(family: int, first: int, length: int) -> str:
    """Text form of a prefix."""
    return f"{address_text(family, first)}/{length}"


def range_text(family: int, first: int, last: int) -> str:
    """A range as one prefix if it is one, else as ``first-last``."""
    pieces = prefixes_of_range(family, first, last)
    if len(pieces) == 1:
        return str(pieces[0])
    return f"{address_text(family, first)}-{address_text(family, last)}"


def ranges_text(blocks: Sequence[Prefix]) -> str:
    """Blocks as a row says them: those that lie together as one range, with spaces between."""
    spans: list[list[int]] = []
    for block in sorted(blocks):
        if spans and spans[-1][0] == block.family and spans[-1][2] + 1 == block.first:
            spans[-1][2] = block.last
        else:
            spans.append([block.family, block.first, block.last])
    return " ".join(range_text(*span) for span in spans)


def widest_on_boundary(family: int, address: int) -> Prefix:
    """The largest aligned prefix that starts at the address."""
    if address == 0:
        return Prefix(family, 0, 0)
    zeros = (address & -address).bit_length() - 1
    return Prefix(family, address, BITS[family] - zeros)


def starts_around(family: int, address: int) -> set[int]:
    """Where an aligned block that holds the address may start: at one address for each length."""
    bits = BITS[family]
    return {address >> (bits - length) << (bits - length) for length in range(bits + 1)}


def ending_before(family: int, address: int) -> list[Prefix]:
    """The aligned blocks that end just before an address, the narrowest first; none before address 0."""
    zeros = (address & -address).bit_length()  # of its last bits, and one more
    return [Prefix(family, address - (1 << power), BITS[family] - power) for power in range(zeros)]


def prefixes_of_range(family: int, first: int, last: int) -> list[Prefix]:
    """The fewest aligned prefixes that make up exactly first..last, in order."""
    bits, pieces = BITS[family], []
    while first <= last:
        room = (last - first + 1).bit_length() - 1
        zeros = (first & -first).bit_length() - 1 if first else bits
        power = min(room, zeros)
        pieces.append(Prefix(family, first, bits - power))
        first += 1 << power
    return pieces


def without(outer: Prefix, inner: Prefix) -> list[Prefix]:
    """Set difference: the fewest prefixes, in order, that make up `outer` without `inner`, which lies inside it.

    Raises:
        ValueError: it does not.
    """
    if not outer.contains(inner):
        raise ValueError(f"{inner} does not lie inside {outer}")
    left = prefixes_of_range(outer.family, outer.first, inner.first - 1)
    return left + prefixes_of_range(outer.family, inner.last + 1, outer.last)


_ADDRESS = (1 << 128) - 1


def aggregate(prefixes: list[Prefix]) -> list[Prefix]:
    """The fewest prefixes that cover exactly the same addresses, in order. Joins only buddies."""
    keys = [(prefix.family << 128 | prefix.first) << 8 | prefix.length for prefix in prefixes]
    keys.sort()
    rows = ((key >> 136, key >> 8 & _ADDRESS, key & 255, "") for key in keys)
    return [Prefix(family, first, length) for family, first, length, _ in _joined(rows)]


def aggregate_in_order(marked: Iterable[tuple[Prefix, str]]) -> Iterator[tuple[Prefix, str]]:
    """As `aggregate`, one after the other, of prefixes that come in order, each with a mark (or none).

    A joined prefix has the mark of any of its parts. However many there are, a few are held at a time: what lies before a
    gap can join with nothing behind it.
    """
    rows = ((prefix.family, prefix.first, prefix.length, mark) for prefix, mark in marked)
    return ((Prefix(family, first, length), mark) for family, first, length, mark in _joined(rows))


def _joined(rows: Iterable[tuple[int, int, int, str]]) -> Iterator[tuple[int, int, int, str]]:
    """Rows of family, first address, length and mark, in order, with buddies joined."""
    waiting: list[tuple[int, int, int, str]] = []  # that follow on one another: one of each size at most
    covered, in_family = -1, 0  # the last address of them, and their family
    for family, first, length, mark in rows:
        if waiting and family == in_family and first <= covered:
            if mark and not waiting[-1][3]:
                waiting[-1] = (*waiting[-1][:3], mark)
            continue
        if waiting and (family != in_family or first != covered + 1):
            yield from waiting
            waiting.clear()
        size = 1 << (BITS[family] - length)
        covered, in_family = first + size - 1, family
        while waiting and first & size and waiting[-1][2] == length and waiting[-1][1] == first - size:
            _, first, _, its = waiting.pop()
            length, size, mark = length - 1, size << 1, its or mark
        waiting.append((family, first, length, mark))
    yield from waiting


# --- reading text ------------------------------------------------------------------------------------


def parse_prefix(text: str, *, family: int | None = None) -> Prefix:
    """Read ``address/length``.

    Args:
        text: for example ``10.40.64.0/20`` or ``2001:db8:46aa::/48``.
        family: the family expected, if only one will do.

    Raises:
        OffBoundary: host bits are set; suggests the containing block, the next block and the widest
            prefix on boundary at that address.
        WrongFamily: not the family expected.
        BadPrefix: anything else that is wrong with the text.
    """
    shown = _clean(text)
    address, slash, length_text = shown.partition("/")
    if not slash:
        got_family, number = _parse_address(address, shown)
        single, *blocks = [Prefix(got_family, number, BITS[got_family]), *_meant_by("", got_family, number)]
        blocks = [block for block in blocks if block != single][:1]
        words = f", or a block such as {blocks[0]}" if blocks else ""
        raise BadPrefix(
            f"{shown!r} has no prefix length: write {single} for the single address{words}",
            received=text,
            suggestions=[single, *blocks],
        )
    got_family, number = _parse_address(address, shown)
    bits = BITS[got_family]
    if got_family == 4 and "." in length_text:
        length_text = str(_length_of_mask(length_text, shown, number))
    if not re.fullmatch(r"[0-9]{1,3}", length_text) or int(length_text) > bits:
        raise BadPrefix(
            f"{length_text!r} in {shown!r} is no IPv{got_family} prefix length: it is a whole number "
            f"from 0 to {bits}",
            received=text,
            suggestions=_meant_by(length_text, got_family, number),
        )
    if len(length_text) > 1 and length_text[0] == "0":
        right = f"{address}/{int(length_text)}"
        raise BadPrefix(
            f"the length in {shown!r} has a leading zero: write {right}", received=text, suggestions=[right]
        )
    if family is not None and family != got_family:
        raise WrongFamily(f"{shown} is IPv{got_family}; IPv{family} is needed here", received=text)
    return on_boundary(got_family, number, int(length_text))


def _length_of_mask(text: str, shown: str, address: int) -> int:
    """The prefix length that a network mask (255.255.254.0) or a wildcard (0.0.1.255) stands for."""
    _, mask = _parse_address(text, shown)
    top = (1 << 32) - 1
    # A mask has its ones at the front, a wildcard at the end; all ones or none are read as a mask.
    for ones, is_wildcard in ((mask, False), (mask ^ top, True)):
        zeros = ones ^ top
        if zeros & (zeros + 1) == 0 and not (is_wildcard and mask == 0):
            return 32 - zeros.bit_length()
    raise BadPrefix(
        f"{text!r} in {shown!r} is neither a network mask nor a wildcard: its ones do not lie together",
        received=shown,
        suggestions=[widest_on_boundary(4, address)],
    )


def _meant_by(length: str, family: int, address: int) -> list[Prefix]:
    """What a wrong length was probably meant to be: a slip of the finger, or else a common length at that address."""
    widest = widest_on_boundary(family, address).length
    usual = (24, 16, 8, 32) if family == 4 else (64, 56, 48, 128)
    slips = [
        int(part) for part in (length[1:], length[:-1]) if part.isascii() and part.isdigit() and len(part) < 4
    ]
    fitting = [n for n in (*slips, *usual) if widest <= n <= BITS[family]]
    return [Prefix(family, address, n) for n in list(dict.fromkeys(fitting))[:2]] or [
        Prefix(family, address, BITS[family])
    ]


def on_boundary(family: int, address: int, length: int) -> Prefix:
    """The prefix of that length at that address.

    Raises:
        OffBoundary: the address is not a multiple of the block's size.
    """
    block = containing(family, address, length)
    if block.first == address:
        return block
    shown = f"{address_text(family, address)}/{length}"
    widest = widest_on_boundary(family, address)
    suggestions = [block]
    words = f"the block that contains it is {block}"
    if block.last + 1 < 1 << BITS[family]:
        following = Prefix(family, block.last + 1, length)
        suggestions.append(following)
        words += f", the next one is {following}"
    raise OffBoundary(
        f"{shown} is off boundary: {words}, and the widest prefix that starts at "
        f"{address_text(family, address)} is /{widest.length}",
        received=shown,
        rule="the first address of a block is a multiple of its size",
        suggestions=[*suggestions, widest],
    )


def parse_address(text: str, *, family: int | None = None) -> tuple[int, int]:
    """Read one address; returns (family, address as a whole number)."""
    shown = _clean(text)
    if "/" in shown:
        raise BadPrefix(
            f"{shown!r} is a prefix; one address is needed here",
            received=text,
            suggestions=[shown.partition("/")[0]],
        )
    got_family, number = _parse_address(shown, shown)
    if family is not None and family != got_family:
        raise WrongFamily(f"{shown} is IPv{got_family}; IPv{family} is needed here", received=text)
    return got_family, number


def parse_range(text: str) -> tuple[int, int, int]:
    """Read a prefix, one address, or ``first-last``; returns (family, first, last).

    The end may be short for IPv4: ``10.40.64.0-255``. Any dash will do.
    """
    shown = _clean(re.sub(r"\s*[-\u2010-\u2015\u2212]\s*", "-", text) if isinstance(text, str) else text)
    if "-" in shown:
        low, _, high = shown.partition("-")
        family, first = parse_address(low)
        if family == 4 and re.fullmatch(r"[0-9]{1,3}", high):
            high = f"{low.rpartition('.')[0]}.{high}"
        other, last = parse_address(high)
        if family != other:
            raise BadPrefix(f"{shown!r} mixes IPv4 and IPv6 in one range", received=text)
        if last < first:
            raise BadPrefix(
                f"{shown!r} is reversed: the first address comes first",
                received=text,
                suggestions=[f"{high.strip()}-{low.strip()}"],
            )
        return family, first, last
    if "/" in shown:
        prefix = parse_prefix(shown)
        return prefix.family, prefix.first, prefix.last
    family, first = parse_address(shown)
    return family, first, first


def _clean(text: str) -> str:
    if not isinstance(text, str):
        raise BadPrefix(f"a prefix is text such as 10.40.64.0/20, not {type(text).__name__}", received=text)
    shown = text.strip()
    if not shown:
        raise BadPrefix("a prefix is missing: write one such as 10.40.64.0/20", received=text)
    if len(shown) > _LONGEST_TEXT * 2 or not shown.isascii() or not shown.isprintable():
        raise BadPrefix(
            "this is not a prefix: it is too long or has characters that no address has",
            received=ascii(shown[:_LONGEST_TEXT]),
        )
    return shown


def _parse_address(text: str, shown: str) -> tuple[int, int]:
    if "%" in text:
        plain = text.partition("%")[0]
        raise BadPrefix(
            f"{shown!r} carries a zone id, which means something on one host only: leave out "
            f"{text[len(plain) :]!r}",
            received=shown,
            suggestions=[_as_it_would_do(shown.replace(text[len(plain) :], ""))],
        )
    if ":" in text:
        try:
            return 6, int(ipaddress.IPv6Address(text))
        except ValueError as why:
            raise BadPrefix(f"{shown!r} is no IPv6 prefix: {_reason(why)}", received=shown)
    octets = text.split(".")
    if len(octets) != 4:
        raise BadPrefix(
            f"{shown!r} is not a prefix: an IPv4 address has 4 numbers with dots between them, "
            f"an IPv6 address has colons",
            received=shown,
        )
    for octet in octets:
        if not re.fullmatch(r"[0-9]+", octet) or int(octet[:4]) > 255 or len(octet) > 4:
            raise BadPrefix(
                f"{octet!r} in {shown!r} is no IPv4 octet: each is a whole number from 0 to 255",
                received=shown,
            )
    if any(len(octet) > 1 and octet[0] == "0" for octet in octets):
        right = shown.replace(text, ".".join(str(int(octet)) for octet in octets), 1)
        raise BadPrefix(
            f"{shown!r} has an octet with a leading zero, which some programs read as octal: write {right}",
            received=shown,
            suggestions=[right],
        )
    return 4, int(ipaddress.IPv4Address(text))


def _as_it_would_do(text: str) -> str:
    """A suggestion that is accepted itself: a prefix on boundary."""
    try:
        return str(parse_prefix(text)) if "/" in text else text
    except Refusal as refusal:
        return refusal.suggestions[0] if refusal.suggestions else text


def _reason(why: Exception) -> str:
    """The standard library's words without the text, which the message already shows."""
    reason = str(why)
    return re.sub(r" in '[^']*'$", "", reason) or "it cannot be read"


def nearest_inside(prefix: Prefix, ranges: list[Prefix]) -> Prefix | None:
    """The prefix of the same length, inside one of the ranges, that is nearest; None if none is wide enough."""
    options = []
    for parent in ranges:
        if parent.family != prefix.family or parent.length > prefix.length:
            continue
        if prefix.first < parent.first:
            block = Prefix(parent.family, parent.first, prefix.length)
        else:
            block = containing(parent.family, min(prefix.first, parent.last), prefix.length)
        options.append((abs(block.first - prefix.first), block))
    return min(options)[1] if options else None
