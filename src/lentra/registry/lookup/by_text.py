"""Subnets and ledger entries by a text, found by indexes: words of purpose and notes, parts of names.

Names are made of stems that many have in common: a part of a name is looked for in the stems, of which there are few.
Where a text fits very many, they are not gathered first: whoever reads them in order soon meets the next one.
"""

from __future__ import annotations

import re
from typing import Any

from django.db import connection
from django.db.models import Q

from lentra.registry.lookup.any_of import begins
from lentra.registry.models import LedgerEntry, Subnet, SubnetWords

_MOST = 2000  # that are gathered
_SHORTEST = 3  # letters of a word that is indexed
_WORD = re.compile(r"\w+")
_ENDS_IN_NUMBER = re.compile(r"(.*?)(\d{1,6})")


def speaking_of(text: str) -> Q:
    """The subnets with a text in their name, or with words that begin as its do in their purpose or notes."""
    text = text.strip()
    found = [*_worded(text), *_named(text.lower())]
    if len(found) <= _MOST:
        return Q(pk__in=found)
    return Q(name__contains=text.lower()) | Q(purpose__icontains=text) | Q(notes__icontains=text)


def entries_named(text: str) -> Q:
    """The ledger entries about records whose name begins with a text."""
    rows = LedgerEntry.objects.filter(begins("name", text.lower()))
    found = list(rows.values_list("number", flat=True)[: _MOST + 1])
    return Q(number__in=found) if len(found) <= _MOST else begins("name", text.lower())


def _worded(text: str) -> list[int]:
    """Subnets in whose purpose or notes all words of a text begin one; by the full-text index."""
    words = [word for word in _WORD.findall(text) if len(word) >= _SHORTEST]
    if not words:
        return []
    asked = " ".join(f"+{word}*" for word in words)
    rows = SubnetWords.objects.extra(where=["MATCH(text) AGAINST (%s IN BOOLEAN MODE)"], params=[asked])
    return list(rows.values_list("subnet", flat=True)[: _MOST + 1])


def _named(text: str) -> list[int]:
    """Subnets whose name has a part."""
    beginning = Subnet.objects.filter(begins("name", text)).values_list("pk", flat=True)
    found = set(beginning[: _MOST + 1])
    wanted: list[tuple[str, int | None]] = [(text, None)]
    if (match := _ENDS_IN_NUMBER.fullmatch(text)) and match[1]:
        wanted.append((match[1] + "{nn", int(match[2])))
    for part, number in wanted:
        of: dict[str, Any] = {} if number is None else {"name_number": number}
        for realm, stem in _stems_with(part):
            if len(found) > _MOST:
                return list(found)
            rows = Subnet.objects.filter(realm=realm, name_stem=stem, **of)
            found.update(rows.values_list("pk", flat=True)[: _MOST + 1])
    return list(found)


def _stems_with(part: str) -> list[tuple[int, str]]:
    """Realms and stems of names with a part; each stem is read once from the index, however many have it."""
    escaped = part.replace("\\", "\\\\").replace("%", r"\%").replace("_", r"\_")
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT realm_id, name_stem FROM (SELECT DISTINCT realm_id, name_stem FROM registry_subnet) AS stems "
            "WHERE name_stem LIKE %s LIMIT %s",
            [f"%{escaped}%", _MOST],
        )
        return list(cursor.fetchall())
