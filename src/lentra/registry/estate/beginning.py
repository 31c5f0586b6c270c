"""A guided beginning: a few answers become an estate file with a first plan, which is looked at whole and then committed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import yaml

from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.estate.estate import FORMAT, text_of_estate
from lentra.registry.lookup.find import find
from lentra.registry.models import Sheet
from lentra.registry.rules.names import check_name

PLAN = "first-plan.yaml"
_MOST = 16  # zones, tiers
_PUBLIC = ("edge", "public", "front")  # names of tiers that are likely to be reached from outside


@dataclass(frozen=True)
class Question:
    """One thing that is asked: its name, how it is put, and an answer that would do."""

    name: str
    label: str
    usual: str
    help: str = ""


@dataclass(frozen=True)
class Step:
    """One step: what it is about, in two sentences, and what is asked."""

    name: str
    title: str
    words: str
    questions: tuple[Question, ...]


STEPS = (
    Step(
        "realm",
        "Realm",
        "A realm is where addresses must be unique: your network, and all that is joined to it. Two realms may use the same "
        "range, so a lab that never meets the rest gets one of its own.",
        (Question("realm", "Name of the realm", "main"),),
    ),
    Step(
        "sheet",
        "Rule sheet",
        "A rule sheet says what your platform withholds of each subnet, and how wide a subnet may be. Some ship with the "
        "service, and an admin adds others.",
        (
            Question(
                "sheet", "Rule sheet", "ends-withheld", "ends-withheld: first and last address of each subnet"
            ),
        ),
    ),
    Step(
        "places",
        "Region and zones",
        "A zone is one place that may fail by itself, such as a machine hall; a region is the part of the world that zones "
        "lie in. Subnets are handed out for a zone.",
        (
            Question("region", "Name of the region", "home"),
            Question("zones", "Names of its zones", "hall-1, hall-2, hall-3", "with commas between"),
        ),
    ),
    Step(
        "tiers",
        "Tiers",
        "A tier says what runs in a subnet, and who can reach it: public, private or isolated. Three are "
        "enough to begin with.",
        (
            Question(
                "tiers", "Names of the tiers", "edge, app, data", "with commas between; edge is taken for public"
            ),
        ),
    ),
    Step(
        "project",
        "Project",
        "A project is who subnets are for. Its name becomes part of their names, so it is short.",
        (
            Question("project", "Name of the project", "first"),
            Question("contact", "Whom to ask", "", "may be empty"),
        ),
    ),
    Step(
        "pool",
        "Pool",
        "A pool is a range that blocks are handed out of. Take one that nothing else in your network uses.",
        (
            Question("pool", "Name of the pool", "main-pool"),
            Question("range", "Its range", "10.32.0.0/16", "a prefix, such as one out of 10.0.0.0/8 (RFC 1918)"),
        ),
    ),
    Step(
        "plan",
        "First plan",
        "A plan hands out a subnet for every zone and tier at once, laid out so that each can grow. You see all of it "
        "before anything is made.",
        (
            Question("hosts", "Hosts in each subnet", "60"),
            Question("growth", "Percent on top, to grow", "50"),
        ),
    ),
)
_USUAL = {question.name: question.usual for step in STEPS for question in step.questions}


@dataclass(frozen=True)
class Beginning:
    """An estate file, and the plan that it names."""

    document: dict[str, Any]
    text: str
    files: dict[str, str]


def beginning(answers: Mapping[str, str]) -> Beginning:
    """The estate file and the plan that answers come to; what is not answered is as usual.

    Raises:
        Invalid: an answer is none; says which would do.
        UnknownName: there is no such rule sheet.
    """
    for name in answers:
        if name not in _USUAL:
            raise Invalid(f"nothing is asked by the name {name!r}", field=name, suggestions=list(_USUAL)[:5])
    said = {name: str(answers.get(name, usual)).strip() for name, usual in _USUAL.items()}
    for name in ("realm", "region", "project", "pool"):
        check_name(said[name], name)
    find(Sheet, said["sheet"], "sheet")
    zones, tiers = _names("zones", said), _names("tiers", said)
    try:
        prefix = parse_prefix(said["range"])
    except Refusal as refusal:
        raise refusal.about("range")
    if prefix.family != 4:
        raise Invalid(
            "begin with an IPv4 range; IPv6 is added to the pool afterwards",
            field="range",
            suggestions=[_USUAL["range"]],
        )
    hosts, growth = _number("hosts", said, 1, 4000), _number("growth", said, 0, 400)
    realm, pool = said["realm"], said["pool"]
    document: dict[str, Any] = {
        "format": FORMAT,
        "realms": {realm: {}},
        "regions": {said["region"]: {}},
        "zones": {zone: {"region": said["region"]} for zone in zones},
        "tiers": {tier: {"exposure": "public" if tier in _PUBLIC else "private"} for tier in tiers},
        "projects": {said["project"]: {"contact": said["contact"]} if said["contact"] else {}},
        "pools": {f"{realm}:{pool}": {"sheet": said["sheet"], "ranges": [str(prefix)]}},
        "plans": [PLAN],
    }
    plan = {
        "format": "lentra-plan-1",
        "name": f"{said['project']}-first"[:63],
        "project": said["project"],
        "realm": realm,
        "pools": {"ipv4": pool},
        "zones": zones,
        "tiers": [{"tier": tier, "hosts": hosts, "growth": growth} for tier in tiers],
    }
    files = {PLAN: yaml.safe_dump(plan, sort_keys=False, allow_unicode=True, width=120)}
    return Beginning(document, text_of_estate(document), files)


def _names(name: str, said: Mapping[str, str]) -> list[str]:
    found = list(dict.fromkeys(part.strip() for part in said[name].split(",") if part.strip()))
    if not 1 <= len(found) <= _MOST:
        raise Invalid(
            f"{len(found)} {name}: 1 to {_MOST}, with commas between", field=name, suggestions=[_USUAL[name]]
        )
    for one in found:
        check_name(one, name)
    return found


def _number(name: str, said: Mapping[str, str], low: int, high: int) -> int:
    if not said[name].isdigit() or not low <= int(said[name]) <= high:
        raise Invalid(
            f"{said[name]!r} is no number from {low} to {high:,}",
            field=name,
            received=said[name],
            suggestions=[_USUAL[name]],
        )
    return int(said[name])
