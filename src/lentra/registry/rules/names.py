"""Names: what is one, and those of subnets, from the realm's template or given.

A template is text with fields in braces: ``{project}-{zone}-{tier}-{nn}``. ``{nn}`` is the number, with two digits or
more; ``{nn:3}`` with three or more. Nothing else is read in it.
"""

from __future__ import annotations

import re
from typing import Any

from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.lookup.target import Target
from lentra.registry.models import Pool, Realm, Subnet
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.run import EndedElsewhere
from lentra.registry.transactions.sql import Prepared, Slot

LONGEST = 63
LONGEST_TEMPLATE = 120
TEMPLATE_FIELDS = ("project", "zone", "region", "tier", "pool", "environment", "nn")
NAME = re.compile(r"(?=.*[a-z])[a-z0-9][a-z0-9._-]{0,61}[a-z0-9]|[a-z]")
_FIELD = re.compile(r"\{([^{}]*)\}")
_NUMBER = re.compile(r"\{nn(?::([1-6]))?\}")
_NUMBERED = re.compile(r"(.*\D)(\d{2,4})$")

_highest_number = Prepared(
    lambda: (
        Subnet.objects.filter(realm=Slot("realm"), name_stem=Slot("stem"))
        .order_by("-name_number")
        .values_list("name_number")[:1]
    )
)


def check_name(name: str, field: str = "name") -> None:
    """Refuse a name that could not be part of a host name or would read as a number.

    Raises:
        Invalid: with a name made of what is usable in it.
    """
    if not isinstance(name, str) or not NAME.fullmatch(name):
        usable = re.sub(r"[^a-z0-9._-]+", "-", str(name).lower()[:200]).strip("-._")[:LONGEST].rstrip("-._")
        if not NAME.fullmatch(usable):
            usable = f"n-{usable}"[:LONGEST].rstrip("-._") if usable else "quay-1"
        raise Invalid(
            f"{str(name)[:100]!r} is not a valid name: lower-case letters, digits, dot, dash and underscore, at least one "
            f"letter, {LONGEST} characters at most, letter or digit at both ends",
            field=field,
            received=name,
            suggestions=[usable] if NAME.fullmatch(usable) else [],
        )


def check_template(template: str, field: str = "name_template") -> None:
    """Refuse a name template that no name can come of: unknown fields, no number, letters that no name has, too long.

    Raises:
        Invalid.
    """

    def refuse(fault: str) -> Invalid:
        known = ", ".join("{" + name + "}" for name in TEMPLATE_FIELDS)
        return Invalid(
            f"the name template {fault}; fields are {known}, and {{nn:3}} for three digits",
            field=field,
            received=template[:LONGEST_TEMPLATE],
            suggestions=["{project}-{zone}-{tier}-{nn}"],
        )

    if len(template) > LONGEST_TEMPLATE:
        raise refuse(f"has {len(template):,} characters, {LONGEST_TEMPLATE} at most")
    for name in _FIELD.findall(template):
        if name not in TEMPLATE_FIELDS and not _NUMBER.fullmatch("{" + name + "}"):
            raise refuse(f"has no field {{{name}}}")
    if len(_NUMBER.findall(template)) != 1:
        raise refuse("needs {nn} once, so that names differ")
    rest = _FIELD.sub("", template)
    if "{" in rest or "}" in rest:
        raise refuse("has a brace without its other half")
    shortest = numbered(_filled(template, dict.fromkeys(TEMPLATE_FIELDS, "a")), 1)
    try:
        check_numbered(shortest)
    except Invalid:
        raise refuse(f"would make names such as {shortest!r}, which are not valid")


def stem_for(realm: Realm, target: Target, pool: Pool, template: str | None = None) -> str:
    """A template (the realm's own if None) filled in for a request, but for its number."""
    values = {
        "project": target.project.name,
        "environment": target.project.environment,
        "region": target.region.name,
        "zone": target.zone.name if target.zone else target.region.name,
        "tier": target.tier.name,
        "pool": pool.name,
    }
    return _filled(template or realm.name_template, values)


def check_numbered(name: str) -> None:
    """Refuse a name that a template made too long, or that is not valid.

    Raises:
        Invalid.
    """
    if len(name) > LONGEST:
        raise Invalid(
            f"the name {name[:100]!r} has {len(name)} characters, {LONGEST} at most: give a shorter one",
            field="name",
            received=name[:200],
            suggestions=[name[-LONGEST:].lstrip("-._")],
        )
    check_name(name)


def wanted_stem(pool: Pool, target: Target, count: int, given: str | None) -> str | None:
    """The stem that names are to be numbered from; None for one name that is used as it is given."""
    if given and count == 1 and not _NUMBER.search(given):
        return None
    stem = given or stem_for(pool.realm, target, pool)
    if given:
        stem = _with_number(given)
        check_template(stem, "name")
    return _with_number(stem)


def split_name(name: str, stem: str | None = None) -> tuple[str, int]:
    """Stem and number of a name, so that numbering takes note of it.

    Args:
        stem: the stem it was made from, if it was; a name without one is taken to end in its number.
    """
    if stem is not None and (field := _NUMBER.search(stem)):
        number = name.removeprefix(stem[: field.start()]).removesuffix(stem[field.end() :])
        if number.isascii() and number.isdigit() and len(number) < 10 and numbered(stem, int(number)) == name:
            return stem, int(number)
    match = _NUMBERED.fullmatch(name)
    return (match[1] + "{nn}", int(match[2])) if match else (name, 0)


def highest_number(realm_id: int, stem: str) -> tuple[Prepared, dict[str, Any]]:
    """The query for the highest number that a stem has in a realm."""
    return _highest_number, {"realm": realm_id, "stem": stem}


def names_for(
    change: Change, pool: Pool, given: str | None, stem: str | None, count: int, highest: int
) -> list[str]:
    """Names for new subnets: as given, or numbered onward from the highest number of the stem.

    Raises:
        NameTaken: the given name belongs to a living or cooling subnet; proposes the next free one.
        Invalid: no name, or too long a one.
    """
    if stem is None:
        assert given
        check_name(given)
        refuse_taken_subnet_name(change, pool.realm_id, given)
        return [given]
    names = numbered_onward(change, pool.realm_id, stem, highest, count)
    for name in {names[0], names[-1]}:
        check_numbered(name)
    return names


def numbered_onward(change: Change, realm_id: int, stem: str, highest: int, count: int) -> list[str]:
    """The next names of a stem; those that somebody has given by hand are passed over once they were met."""
    names = [numbered(stem, highest + n) for n in range(1, count + 1)]
    if change.attempt:
        more = [numbered(stem, highest + n) for n in range(1, count + 301)]
        taken = set(Subnet.objects.filter(realm=realm_id, name__in=more).values_list("name", flat=True))
        names = [name for name in more if name not in taken][:count]
    return names


def refuse_taken_subnet_name(change: Change, realm_id: int, name: str, besides: int | None = None) -> None:
    """Refuse a name that a living or cooling subnet of the realm has.

    Raises:
        NameTaken: says by what, until when, and which name is free.
        EndedElsewhere: the subnet has ended by now, in a pool that is not open.
    """
    taken = Subnet.objects.filter(realm_id=realm_id, name=name).exclude(pk=besides).first()
    if taken is None:
        return
    refuse_ended(change, taken)
    stem = _with_number(split_name(name, taken.name_stem)[0])
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


def refuse_ended(change: Change, subnet: Subnet) -> None:
    """What has ended by now is in nobody's way: the pool that it ends with is opened too.

    Raises:
        EndedElsewhere.
    """
    if subnet.ends_at is not None and subnet.ends_at <= change.now:
        raise EndedElsewhere(subnet.pool_id)


def numbered(stem: str, number: int) -> str:
    """A stem with its number in: two digits unless it says how many, more where needed."""
    return _NUMBER.sub(lambda field: f"{number:0{int(field[1] or 2)}d}", stem)


def _with_number(stem: str) -> str:
    return stem if _NUMBER.search(stem) else stem + "-{nn}"


def _filled(template: str, values: dict[str, str]) -> str:
    return _FIELD.sub(
        lambda field: values[field[1]] if field[1] in values and field[1] != "nn" else field[0], template
    )
