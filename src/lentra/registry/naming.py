"""Names of subnets: from the realm's template, or given."""

from __future__ import annotations

import re
from datetime import datetime
from functools import partial
from typing import Any

from lentra.registry.endings import settle
from lentra.registry.envelope import SettleFirst
from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.models import Pool, Realm, Subnet
from lentra.registry.queries.target import Target
from lentra.registry.setup import check_name
from lentra.registry.statements import Prepared, Slot

_NUMBERED = re.compile(r"(.*\D)(\d{2,4})$")
_LONGEST = 63


_highest_number = Prepared(
    lambda: (
        Subnet.objects.filter(realm=Slot("realm"), name_stem=Slot("stem"))
        .order_by("-name_number")
        .values_list("name_number")[:1]
    )
)


def stem_for(realm: Realm, target: Target, pool: Pool, template: str | None = None) -> str:
    """A template (the realm's own if None) filled in for a request, but for its number ``{nn}``."""
    values = {
        "project": target.project.name,
        "environment": target.project.environment,
        "region": target.region.name,
        "zone": target.zone.name if target.zone else target.region.name,
        "tier": target.tier.name,
        "pool": pool.name,
        "nn": "{nn}",
    }
    return (template or realm.name_template).format(**values)


def check_numbered(name: str) -> None:
    """Refuse a name that a template made too long, or that is no name.

    Raises:
        Invalid.
    """
    if len(name) > _LONGEST:
        raise Invalid(
            f"the name {name!r} has {len(name)} characters, {_LONGEST} at most: give a shorter one",
            field="name",
            received=name,
            suggestions=[name[-_LONGEST:].lstrip("-._")],
        )
    check_name(name)


def wanted_stem(pool: Pool, target: Target, count: int, given: str | None) -> str | None:
    """The stem that names are to be numbered from; None for one name that is used as it is given."""
    if given and count == 1 and "{nn}" not in given:
        return None
    stem = given or stem_for(pool.realm, target, pool)
    return stem if "{nn}" in stem else stem + "-{nn}"


def split_name(name: str, stem: str | None = None) -> tuple[str, int]:
    """Stem and number of a name, so that numbering takes note of it.

    Args:
        stem: the stem it was made from, if it was; a name without one is taken to end in its number.
    """
    if stem is not None:
        before, _, after = stem.partition("{nn}")
        number = name.removeprefix(before).removesuffix(after)
        if number.isdigit() and numbered(stem, int(number)) == name:
            return stem, int(number)
    match = _NUMBERED.fullmatch(name)
    return (match[1] + "{nn}", int(match[2])) if match else (name, 0)


def highest_number(realm_id: int, stem: str) -> tuple[Prepared, dict[str, Any]]:
    """The query for the highest number that a stem has in a realm."""
    return _highest_number, {"realm": realm_id, "stem": stem}


def names_for(
    pool: Pool, given: str | None, stem: str | None, count: int, highest: int, now: datetime
) -> list[str]:
    """Names for new subnets: as given, or numbered onward from the highest number of the stem.

    Raises:
        NameTaken: the given name belongs to a living or cooling subnet; proposes the next free one.
        Invalid: no name, or too long a one.
    """
    if stem is None:
        assert given
        check_name(given)
        refuse_taken_subnet_name(pool.realm_id, given, now)
        return [given]
    names = [numbered(stem, highest + n) for n in range(1, count + 1)]
    for name in {names[0], names[-1]}:
        check_numbered(name)
    return names


def refuse_taken_subnet_name(realm_id: int, name: str, now: datetime, besides: int | None = None) -> None:
    """Refuse a name that a living or cooling subnet of the realm has.

    Raises:
        NameTaken: says by what, until when, and which name is free.
        SettleFirst: the subnet has ended by now, in a pool that nobody has locked since.
    """
    taken = Subnet.objects.filter(realm_id=realm_id, name=name).exclude(pk=besides).first()
    if taken is None:
        return
    if taken.ends_at is not None and taken.ends_at <= now:
        raise SettleFirst(partial(settle, taken.pool_id))
    stem = split_name(name, taken.name_stem)[0]
    stem = stem if "{nn}" in stem else stem + "-{nn}"
    rows = _highest_number(realm=realm_id, stem=stem)
    free = numbered(stem, max(1, rows[0][0] if rows else 0) + 1)
    state = f"cooling until {taken.ends_at:%Y-%m-%d %H:%M} UTC" if taken.ends_at else taken.state
    raise NameTaken(
        f"the name {name!r} is taken by subnet number {taken.pk} ({state}); free is {free!r}",
        field="name",
        received=name,
        rule="names are unique among the living and cooling subnets of a realm",
        conflicts=[
            {
                "range": ", ".join(str(b) for b in taken.blocks()),
                "owner": taken.name,
                "id": taken.pk,
                "state": taken.state,
                "until": taken.ends_at,
            }
        ],
        suggestions=[free],
    )


def numbered(stem: str, number: int) -> str:
    """A stem with its number in: two digits, more where needed."""
    return stem.replace("{nn}", f"{number:02d}")
