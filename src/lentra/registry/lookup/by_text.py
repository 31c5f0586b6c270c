"""Subnets and ledger entries by a text, found by indexes: words of purpose and notes, parts of names.

Names are made of stems that many have in common: a part of a name is looked for in the stems, of which there are few.
Where a text fits very many, they are not gathered first: whoever reads them in order soon meets the next one.
"""

from __future__ import annotations

import re
from typing import Any

from django.db import connection
from django.db.models import Q, QuerySet

from lentra.registry.lookup.any_of import begins
from lentra.registry.models import LedgerEntry, Subnet, SubnetWords

_MOST = 2000  # that are gathered
_STEMS_AT_ONCE = 200
_SHORTEST = 3  # letters of a word that is indexed
_LONGEST_NUMBER = 6  # digits that are looked for in a name's number
_WORD = re.compile(r"\w+")
_ENDS_IN_NUMBER = re.compile(rf"(.*?)(\d{{1,{_LONGEST_NUMBER}}})")


class _VeryManyError(Exception):
    """A text fits more than are gathered."""


def speaking_of(text: str) -> Q:
    """The subnets with a text in their name, or with words that begin as all of its do in their purpose or notes.

    Capitals are no matter; words of fewer than three letters are passed over.
    """
    text = text.strip()
    words = [word for word in _WORD.findall(text) if len(word) >= _SHORTEST]
    try:
        return Q(pk__in=_worded(words) | _named(text.lower()))
    except _VeryManyError:
        named = Q(name__contains=text.lower())
        return named | _words_begin(words) if words else named


def entries_named(text: str) -> Q:
    """The ledger entries about records whose name begins with a text."""
    rows = LedgerEntry.objects.filter(begins("name", text.lower()))
    try:
        return Q(number__in=_gathered(rows.values_list("number", flat=True)))
    except _VeryManyError:
        return begins("name", text.lower())


def _gathered(values: QuerySet) -> set[Any]:
    found = set(values[: _MOST + 1])
    if len(found) > _MOST:
        raise _VeryManyError
    return found


def _worded(words: list[str]) -> set[int]:
    """Subnets in whose purpose or notes each of some words begins one; by the full-text index."""
    if not words:
        return set()
    asked = " ".join(f"+{word}*" for word in words)
    rows = SubnetWords.objects.extra(where=["MATCH(text) AGAINST (%s IN BOOLEAN MODE)"], params=[asked])
    return _gathered(rows.values_list("subnet", flat=True))


def _words_begin(words: list[str]) -> Q:
    """The same, for whoever reads subnets in order anyway."""
    found = Q()
    for word in words:
        begins_one = rf"(*UCP)(?i)\b{word}"
        found &= Q(purpose__iregex=begins_one) | Q(notes__iregex=begins_one)
    return found


def _named(text: str) -> set[int]:
    """Subnets whose name has a part; the part may end in the first digits of the name's number."""
    found = _gathered(Subnet.objects.filter(begins("name", text)).values_list("pk", flat=True))
    wanted = [(text, Q())]
    if (match := _ENDS_IN_NUMBER.fullmatch(text)) and match[1]:
        wanted.append((match[1] + "{nn", _numbers_from(match[2]) & Q(name__contains=text)))
    for part, numbered in wanted:
        for realm, stems in _stems_with(part).items():
            for start in range(0, len(stems), _STEMS_AT_ONCE):
                lot = stems[start : start + _STEMS_AT_ONCE]
                rows = Subnet.objects.filter(numbered, realm=realm, name_stem__in=lot)
                found |= _gathered(rows.values_list("pk", flat=True))
                if len(found) > _MOST:
                    raise _VeryManyError
    return found


def _numbers_from(digits: str) -> Q:
    """The numbers whose first digits are these."""
    found = Q()
    for more in range(_LONGEST_NUMBER + 1 - len(digits)):
        low = int(digits) * 10**more
        found |= Q(name_number__gte=low, name_number__lt=low + 10**more)
    return found


def _stems_with(part: str) -> dict[int, list[str]]:
    """By realm, the stems of names with a part; each stem is read once from the index, however many have it."""
    escaped = part.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_")
    stems: dict[int, list[str]] = {}
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT realm_id, name_stem FROM (SELECT DISTINCT realm_id, name_stem FROM registry_subnet) AS stems "
            "WHERE name_stem LIKE %s LIMIT %s",
            [f"%{escaped}%", _MOST + 1],
        )
        if cursor.rowcount > _MOST:
            raise _VeryManyError
        for realm, stem in cursor.fetchall():
            stems.setdefault(realm, []).append(stem)
    return stems
