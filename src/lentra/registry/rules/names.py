"""Names: what is one, and those of subnets, from the realm's template or given.

A template is text with fields in braces: ``{project}-{zone}-{tier}-{nn}``. ``{nn}`` is the number, with two digits or
more; ``{nn:3}`` with three or more. Nothing else is read in it.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from typing import Any

from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.lookup.target import Target
from lentra.registry.models import Pool, Realm, Subnet
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.run import EndedElsewhere
from lentra.registry.transactions.sql import Prepared, Slot

LONGEST = 63
LONGEST_TEMPLATE = 120
MOST_STARS = 4  # in a pattern
_OF_SUBNET = ("subnet", "project", "zone", "region", "tier", "environment")
TEMPLATES = {  # of a realm -> the fields that each may have, beside its number
    "name_template": ("project", "zone", "region", "tier", "pool", "environment"),
    "pool_template": ("parent", "region", "zone", "project", "realm"),
    "reservation_template": ("kind", "pool", "realm"),
    "plan_template": ("project", "realm"),
    "address_template": ("kind", "subnet", "project", "zone", "tier"),
}
DNS_TEMPLATES = {  # of a DNS zone -> the fields that each may have; names in DNS have no number
    "host_names": ("name", *_OF_SUBNET),
    "gateway_names": _OF_SUBNET,
    "edge_names": ("edge", *_OF_SUBNET),
    "public_names": ("name", *_OF_SUBNET),
}
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
        usable = usable_name(str(name)) or "quay-1"
        raise Invalid(
            f"{str(name)[:100]!r} is not a valid name: lower-case letters, digits, dot, dash and underscore, at least one "
            f"letter, {LONGEST} characters at most, letter or digit at both ends",
            field=field,
            received=name,
            suggestions=[usable] if NAME.fullmatch(usable) else [],
        )


def usable_name(text: str) -> str:
    """A name made of what is usable in a text; empty if nothing is."""
    usable = re.sub(r"[^a-z0-9._-]+", "-", text.lower()[:200]).strip("-._")[:LONGEST].rstrip("-._")
    if usable and not NAME.fullmatch(usable):
        usable = f"n-{usable}"[:LONGEST].rstrip("-._")
    return usable


def check_template(template: str, field: str = "name_template") -> None:
    """Refuse a name template that no name can come of: unknown fields, no number, letters that no name has, too long.

    Args:
        field: the template's own field, by which it is known what it may say; subnets' where that is not one.

    Raises:
        Invalid.
    """
    fields = {**TEMPLATES, **DNS_TEMPLATES}.get(field, TEMPLATES["name_template"])
    counted = field != "plan_template" and field not in DNS_TEMPLATES

    def refuse(fault: str) -> Invalid:
        known = ", ".join("{" + name + "}" for name in fields)
        number = ", {nn}, and {nn:3} for three digits" if counted else ""
        example = f"{{{fields[0]}}}-{'{nn}' if counted else f'{{{fields[1]}}}'}"
        return Invalid(
            f"the template {fault}; fields are {known}{number}",
            field=field,
            received=template[:LONGEST_TEMPLATE],
            suggestions=["{project}-{zone}-{tier}-{nn}" if fields == TEMPLATES["name_template"] else example],
        )

    if len(template) > LONGEST_TEMPLATE:
        raise refuse(f"has {len(template):,} characters, {LONGEST_TEMPLATE} at most")
    for name in _FIELD.findall(template):
        if name not in fields and not _NUMBER.fullmatch("{" + name + "}"):
            raise refuse(f"has no field {{{name}}}")
    numbers = len(_NUMBER.findall(template))
    if counted and numbers != 1:
        raise refuse("needs {nn} once, so that names differ")
    if not counted and numbers:
        raise refuse("has a number, and the same plan has the same name each time")
    rest = _FIELD.sub("", template)
    if "{" in rest or "}" in rest:
        raise refuse("has a brace without its other half")
    shortest = numbered(filled(template, dict.fromkeys(fields, "a")), 1)
    try:
        check_numbered(shortest)
    except Invalid:
        raise refuse(f"would make names such as {shortest!r}, which are not valid")


def check_pattern(pattern: str) -> None:
    """Refuse a pattern that names of subnets cannot be held against.

    Raises:
        Invalid.
    """
    fields = (*TEMPLATES["name_template"], "nn")
    unknown = [name for name in _FIELD.findall(pattern) if name not in fields]
    rest = _FIELD.sub("", pattern).replace("*", "")
    fault = None
    if unknown:
        fault = f"has no field {{{unknown[0]}}}; fields are " + ", ".join("{" + name + "}" for name in fields)
    elif pattern.count("*") > MOST_STARS:
        fault = f"has {pattern.count('*')} stars, {MOST_STARS} at most"
    elif re.search(r"[^a-z0-9._-]", rest):
        fault = "has letters that no name has"
    if fault or len(pattern) > LONGEST_TEMPLATE:
        raise Invalid(
            f"the pattern {fault or f'is longer than {LONGEST_TEMPLATE} characters'}; * stands for anything, {{nn}} for a "
            "number",
            field="name_pattern",
            received=pattern[:LONGEST_TEMPLATE],
            suggestions=["{project}-*"],
        )


def refuse_off_pattern(pattern: str, name: str, values: Mapping[str, str]) -> None:
    """Refuse a name that somebody has given, if the realm's pattern does not allow it.

    Args:
        values: what the pattern's fields stand for.

    Raises:
        Invalid.
    """
    if not pattern:
        return
    wanted = _NUMBER.sub("{nn}", filled(pattern, values))
    expression = "".join(
        {"*": ".*", "{nn}": r"\d+"}.get(part, re.escape(part)) for part in re.split(r"(\*|\{nn\})", wanted)
    )
    if not re.fullmatch(expression, name):
        example = re.sub(r"^[-._]+|[-._]+$", "", wanted.replace("*", name[:20]).replace("{nn}", "01"))[:LONGEST]
        raise Invalid(
            f"the name {name!r} is not of the pattern {wanted}",
            field="name",
            received=name,
            rule=f"names that are given are of the pattern {pattern}",
            suggestions=[example] if NAME.fullmatch(example) and re.fullmatch(expression, example) else [],
        )


def numbered_names(template: str, values: Mapping[str, str], taken: Iterable[str], count: int = 1) -> list[str]:
    """Names from a template, numbered onward from the highest number that is taken.

    Raises:
        Invalid: they would be too long, or no names.
    """
    stem = re.sub(r"([-._])[-._]+", r"\1", filled(template, {n: v.replace(" ", "-") for n, v in values.items()}))
    known = [split_name(name, stem) for name in taken]
    highest = max((number for its_stem, number in known if its_stem == stem), default=0)
    names = [numbered(stem, highest + n) for n in range(1, count + 1)]
    for name in {names[0], names[-1]}:
        check_numbered(name)
    return names


def name_values(target: Target, pool: Pool) -> dict[str, str]:
    """What the fields of a subnet's template stand for."""
    return {
        "project": target.project.name,
        "environment": target.project.environment,
        "region": target.region.name,
        "zone": target.zone.name if target.zone else target.region.name,
        "tier": target.tier.name,
        "pool": pool.name,
    }


def stem_for(realm: Realm, target: Target, pool: Pool, template: str | None = None) -> str:
    """A template (the realm's own if None) filled in for a request, but for its number."""
    return filled(template or realm.name_template, name_values(target, pool))


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


def split_name(name: str, stem: str | None = None, lengths: Collection[int] = ()) -> tuple[str, int]:
    """Stem and number of a name, so that numbering takes note of it.

    Args:
        stem: the stem it was made from, if it was; a name without one is taken to end in its number.
        lengths: prefix lengths of its blocks: a name that ends in one of them is named after its range, not numbered.
    """
    if stem is not None and (field := _NUMBER.search(stem)):
        number = name.removeprefix(stem[: field.start()]).removesuffix(stem[field.end() :])
        if number.isascii() and number.isdigit() and len(number) < 10 and numbered(stem, int(number)) == name:
            return stem, int(number)
    match = _NUMBERED.fullmatch(name)
    return (match[1] + "{nn}", int(match[2])) if match and int(match[2]) not in lengths else (name, 0)


def highest_number(realm_id: int, stem: str) -> tuple[Prepared, dict[str, Any]]:
    """The query for the highest number that a stem has in a realm."""
    return _highest_number, {"realm": realm_id, "stem": stem}


def names_for(
    change: Change, pool: Pool, target: Target, given: str | None, stem: str | None, count: int, highest: int
) -> list[str]:
    """Names for new subnets: as given, or numbered onward from the highest number of the stem.

    Raises:
        NameTaken: the given name belongs to a living or cooling subnet; proposes the next free one.
        Invalid: no name, or too long a one.
    """
    values = name_values(target, pool) if given else {}
    if stem is None:
        assert given
        check_name(given)
        refuse_off_pattern(pool.realm.name_pattern, given, values)
        refuse_taken_subnet_name(change, pool.realm_id, given)
        return [given]
    names = numbered_onward(change, pool.realm_id, stem, highest, count)
    for name in {names[0], names[-1]}:
        check_numbered(name)
        if given:
            refuse_off_pattern(pool.realm.name_pattern, name, values)
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
    stem = _with_number(taken.name_stem)
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


def with_end(name: str, end: str) -> str:
    """A name with something at its end, cut where it would be too long."""
    return name[: LONGEST - len(end)].rstrip("-._") + end


def numbered(stem: str, number: int) -> str:
    """A stem with its number in: two digits unless it says how many, more where needed."""
    return _NUMBER.sub(lambda field: f"{number:0{int(field[1] or 2)}d}", stem)


def _with_number(stem: str) -> str:
    return stem if _NUMBER.search(stem) else stem + "-{nn}"


def filled(template: str, values: Mapping[str, str]) -> str:
    """A template with its fields filled in, but for its number."""
    return _FIELD.sub(
        lambda field: values[field[1]] if field[1] in values and field[1] != "nn" else field[0], template
    )
