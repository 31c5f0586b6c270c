"""Reading ranges out of pasted lines: lists, spreadsheet cells, access rules, routes.

Nothing of a line is dropped: what belongs to a range is read as a part of it (a length, a mask, a wildcard, an end), words
beside it become its name, and what cannot be read is said.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal

_DASHES = str.maketrans({"–": "-", "—": "-", "−": "-", "‐": "-", "‑": "-"})
_ADDRESS = r"(?:[0-9]+(?:\.[0-9]+){3}|(?=[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*:)[0-9A-Fa-f:.]+(?:%\w+)?)"
_RANGE = re.compile(
    rf"(?P<address>{_ADDRESS})"
    rf"(?:\s*/\s*(?P<length>{_ADDRESS}|[0-9]+)|\s*-\s*(?P<end>{_ADDRESS}|[0-9]+)(?![\w.])|\s+to\s+(?P<to>{_ADDRESS}))?"
)
_BESIDE = re.compile(r"[\s,;\"']+(?P<mask>[0-9]+(?:\.[0-9]+){3})(?![\w.])")
_LONGEST_NAME = 100


@dataclass(frozen=True, slots=True)
class Read:
    """One range of a line, or what is wrong with it.

    Args:
        line: the line's number, from 1.
        text: the part of it that was read.
        span: family, first and last address; None where it cannot be read.
        name: the words beside it.
        why: what is wrong, with values that would do in `suggestions`.
    """

    line: int
    text: str
    span: tuple[int, int, int] | None
    name: str = ""
    why: str = ""
    suggestions: tuple[str, ...] = ()


def read_lines(lines: Iterable[str]) -> Iterator[Read]:
    """Every range of every line. Lines that are empty, or nothing but a comment or a heading, have none.

    >>> [(r.text, r.name) for r in read_lines(["10.40.0.0 255.255.0.0  quay cameras", "# ours"])]
    [('10.40.0.0/255.255.0.0', 'quay cameras')]
    """
    first = True
    for number, line in enumerate(lines, 1):
        bare = line.partition("#")[0].translate(_DASHES).strip(" \t\r\n*•")
        if not re.search(r"\w", bare):
            continue
        if first and not re.search(r"[0-9:]", bare):
            first = False
            continue  # a heading
        first = False
        yield from _read_line(number, bare)


def _read_line(number: int, line: str) -> Iterator[Read]:
    at, found = 0, []
    rest = ""
    while match := _RANGE.search(line, at):
        before, start = line[at : match.start()], match.start()
        if stuck := re.search(r"[\w./]+$", before):  # a part of the same word
            start -= len(stuck[0])
        rest += line[at:start]
        text, at = line[start : match.start()] + match["address"], match.end()
        if beside := match["length"]:
            text += f"/{beside}"
        elif end := match["end"] or match["to"]:
            text += f"-{end}"
        elif mask := _BESIDE.match(line, at):
            text, at = f"{text}/{mask['mask']}", mask.end()
        if stuck := re.match(r"[\w./:]+", line[at:]):
            text, at = text + stuck[0], at + len(stuck[0])
        found.append(text)
    rest += line[at:]
    name = " ".join(re.sub(r"[\"',;|]+|(?<!\w)-+(?!\w)", " ", rest).split())[:_LONGEST_NAME]
    if not found:
        yield Read(number, line[:_LONGEST_NAME], None, why="there is no address in this line")
    for text in found:
        try:
            yield Read(number, text, parse_range(text), name)
        except Refusal as refusal:
            yield Read(number, text, None, name, refusal.message, tuple(refusal.suggestions))
