"""Reading a plan from YAML or JSON text; what is wrong is told with line and path."""

from __future__ import annotations

import difflib
import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

import yaml
from jsonschema import Draft202012Validator
from jsonschema.exceptions import ValidationError, best_match
from yaml.constructor import SafeConstructor
from yaml.events import CollectionEndEvent, CollectionStartEvent, ScalarEvent

from lentra.addressing.texts import misleading
from lentra.registry.errors import BadPlan, Invalid

MOST_TEXT = 300_000  # characters
_MOST_DEEP, _MOST_PARTS, _LONGEST_KEY = 12, 100_000, 100
_NUMBER_LIKE = re.compile(r"[-+]?(?=.{21})[0-9a-fA-FxXoO_:.]+")
_Loader: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
Step = str | int


@dataclass(frozen=True)
class TierPlan:
    """One entry of a plan's tiers. `key` is its tier's name, or what it is called in the plan."""

    path: str
    tier: str
    key: str
    hosts: int | None
    growth: int
    length: int | None
    exposure: str | None
    zones: tuple[str, ...] | None
    count: int
    room: int
    gateway: str | None
    tag: Any
    purpose: str


@dataclass(frozen=True)
class ZonePlan:
    """One zone of a plan, with the pool of each family that its blocks come from."""

    path: str
    zone: str
    pools: dict[int, str]


@dataclass(frozen=True)
class PlanText:
    """A plan as read. `document` is the plain mapping that it was read from."""

    name: str  # empty until the realm's template has given it one
    project: str
    realm: str | None
    zones: list[ZonePlan]
    tiers: list[TierPlan]
    summarise: str
    spare_zones: int
    spare_tiers: int
    names: str | None
    tags_from: int | None
    placement: str | None
    labels: dict[str, str]
    document: dict[str, Any]
    lines: dict[str, int] = field(default_factory=dict)

    @property
    def families(self) -> list[int]:
        """The families asked for, IPv4 first."""
        return sorted({family for zone in self.zones for family in zone.pools})

    def where(self, path: str) -> str:
        """A place of the plan in words: ``line 7, tiers[1].hosts``."""
        return _where(path, self.lines)


@cache
def schema() -> dict[str, Any]:
    """The published JSON Schema of the format."""
    return json.loads((Path(__file__).parent / "plan.schema.json").read_text())


def read_plan(text: str) -> PlanText:
    """Read a plan's text.

    Raises:
        BadPlan: it is no YAML or JSON, has a key twice or one that is not known, or a value that the format does
            not allow; all faults are listed, each with line and path.
    """
    document, lines = parsed(text, "plan", MOST_TEXT, _MOST_PARTS, BadPlan)
    return read_document(document, lines)


def parsed(
    text: str, what: str, most_text: int, most_parts: int, bad: type[Invalid]
) -> tuple[Any, dict[str, int]]:
    """A text, YAML or JSON, as plain values, with the line of each path in it.

    Args:
        what: it is, in a word; `bad`: the refusal of one that cannot be read.

    Raises:
        Invalid: of the kind `bad`; says the line.
    """
    if len(text) > most_text:
        raise bad(f"the {what} has {len(text):,} characters: {most_text:,} at most", field="text")
    lines: dict[str, int] = {}
    try:
        _refuse_strange(text, most_parts, bad)
        node = yaml.compose(text, Loader=_Loader)
        if node is None:
            raise bad(f"the {what} is empty", field="text", suggestions=[f"format: lentra-{what}-1"])
        _note_lines(node, "", lines)
        return SafeConstructor().construct_document(node), lines
    except yaml.MarkedYAMLError as fault:
        mark = fault.problem_mark or fault.context_mark
        line = mark.line + 1 if mark else 1
        raise bad(f"line {line}: {fault.problem or 'this is not YAML or JSON'}", field=f"line {line}")
    except (yaml.YAMLError, ValueError, RecursionError) as fault:
        if isinstance(fault, Invalid):
            raise
        raise bad("this is not YAML or JSON", field="text")


def _refuse_strange(text: str, most_parts: int, bad: type[Invalid]) -> None:
    """Refuse what no file needs and what can make a short text endless: anchors, aliases, tags, depth, huge numbers."""
    depth = 0
    for count, event in enumerate(yaml.parse(text, Loader=_Loader)):
        line = event.start_mark.line + 1 if event.start_mark else 1
        depth += isinstance(event, CollectionStartEvent) - isinstance(event, CollectionEndEvent)
        fault = None
        if getattr(event, "anchor", None):
            fault = "anchors and aliases (& and *) are not read: write it out"
        elif (tag := getattr(event, "tag", None)) is not None:
            fault = f"the tag {tag[:40]} is not read: leave it out"
        elif depth > _MOST_DEEP:
            fault = f"more than {_MOST_DEEP} levels inside each other"
        elif count > most_parts:
            fault = f"more than {most_parts:,} parts"
        elif isinstance(event, ScalarEvent) and event.implicit[0] and _NUMBER_LIKE.fullmatch(event.value):
            fault = "a number of more than 20 digits"
        if fault:
            raise bad(f"line {line}: {fault}", field=f"line {line}")


def read_given(values: Mapping[str, Any]) -> PlanText:
    """A plan that is given as ``text`` or as ``document``.

    Raises:
        BadPlan: it cannot be read.
    """
    return read_plan(values["text"]) if "text" in values else read_document(values["document"])


def read_document(document: Any, lines: dict[str, int] | None = None) -> PlanText:
    """Read a plan from a plain mapping.

    Raises:
        BadPlan: as for `read_plan`.
    """
    lines = lines or {}
    faults = [_fault(path, why, lines) for path, why in _strange_values(document)][:50]
    if not faults:
        faults = [_fault_of(error, lines) for error in _errors(document)]
    if not faults:
        faults = list(_contradictions(document, lines))
    if faults:
        first = faults[0]
        more = f" (and {len(faults) - 1} more)" if len(faults) > 1 else ""
        raise BadPlan(
            f"{first['range']}: {first['why']}{more}",
            field=first["path"] or "text",
            rule="the plan's JSON Schema: /api/v1/plan-schema.json",
            conflicts=[{k: v for k, v in fault.items() if k != "suggestions"} for fault in faults[:50]],
            suggestions=first["suggestions"],
        )
    room = document.get("room", {})
    tags = document.get("tags", None)
    tags_from = tags["from"] if isinstance(tags, dict) else None
    default_tag = "next" if isinstance(tags, dict) else tags
    return PlanText(
        name=document.get("name", ""),
        project=document["project"],
        realm=document.get("realm"),
        zones=list(_zones(document)),
        tiers=list(_tiers(document, room.get("block", 0), default_tag)),
        summarise=document.get("summarise", "none"),
        spare_zones=room.get("zones", 0),
        spare_tiers=room.get("tiers", 0),
        names=document.get("names"),
        tags_from=tags_from,
        placement=document.get("placement"),
        labels=document.get("labels", {}),
        document=document,
        lines=lines,
    )


def _zones(document: dict[str, Any]) -> Iterator[ZonePlan]:
    for n, entry in enumerate(document["zones"]):
        given: dict[str, Any] = {"zone": entry} if isinstance(entry, str) else entry
        pools: dict[str, str] = {**document["pools"], **given.get("pools", {})}
        yield ZonePlan(
            f"zones[{n}]", given["zone"], {int(family[-1]): pool for family, pool in sorted(pools.items())}
        )


def _tiers(document: dict[str, Any], room: int, tag: Any) -> Iterator[TierPlan]:
    for n, entry in enumerate(document["tiers"]):
        yield TierPlan(
            path=f"tiers[{n}]",
            tier=entry["tier"],
            key=entry.get("as", entry["tier"]),
            hosts=entry.get("hosts"),
            growth=entry.get("growth", 0),
            length=entry.get("length"),
            exposure=entry.get("exposure"),
            zones=tuple(entry["zones"]) if "zones" in entry else None,
            count=entry.get("count", 1),
            room=entry.get("room", room),
            gateway=entry.get("gateway", document.get("gateway")),
            tag=entry.get("tag", tag),
            purpose=entry.get("purpose", document.get("purpose", "")),
        )


def _contradictions(document: dict[str, Any], lines: dict[str, int]) -> Iterator[dict[str, Any]]:
    """What the schema cannot say."""
    zones = [entry if isinstance(entry, str) else entry["zone"] for entry in document["zones"]]
    for n, zone in enumerate(zones):
        if zone in zones[:n]:
            yield _fault(f"zones[{n}]", f"zone {zone} is there twice", lines)
    ipv4 = "ipv4" in document["pools"] or any(
        isinstance(entry, dict) and "ipv4" in entry.get("pools", {}) for entry in document["zones"]
    )
    keys: list[str] = []
    for n, entry in enumerate(document["tiers"]):
        path, key = f"tiers[{n}]", entry.get("as", entry["tier"])
        if key in keys:
            yield _fault(
                path, f"{key!r} is there twice: tell the entries apart with 'as'", lines, [f"as: {key}-2"]
            )
        keys.append(key)
        if ipv4 and "hosts" not in entry and "length" not in entry:
            yield _fault(path, "say how much: hosts or length", lines, ["hosts: 110", "length: 25"])
        for zone in entry.get("zones", []):
            if zone not in zones:
                yield _fault(f"{path}.zones", f"{zone!r} is none of the plan's zones", lines, _near(zone, zones))
    room = document.get("room", {})
    if document.get("summarise", "none") == "none" and (room.get("zones") or room.get("tiers")):
        yield _fault("room", "spare zones and tiers need a prefix to lie under", lines, ["summarise: zone"])


def _errors(document: Any) -> list[ValidationError]:
    validator = Draft202012Validator(schema())
    found = []
    for error in validator.iter_errors(document):
        deepest = best_match([error, *(error.context or [])]) if error.context else error
        found.append(deepest or error)
    return sorted(found, key=lambda error: [str(step) for step in error.absolute_path])


def _fault_of(error: ValidationError, lines: dict[str, int]) -> dict[str, Any]:
    path = _path(error.absolute_path)
    if error.validator == "additionalProperties" and isinstance(error.instance, dict):
        known = list(error.schema.get("properties", {}))
        odd = next((key for key in error.instance if key not in known), "?")
        inner = f"{path}.{odd}" if path else str(odd)
        return _fault(inner, f"there is no such key; known are {', '.join(known)}", lines, _near(str(odd), known))
    if error.validator == "required":
        named = re.match(r"'(.+)' is a required property", error.message)
        missing = named[1] if named else ", ".join(error.validator_value)
        return _fault(path, f"{missing} is missing", lines, [f"{missing}: …"])
    if error.validator in ("enum", "const"):
        values = error.validator_value if error.validator == "enum" else [error.validator_value]
        return _fault(
            path, f"{error.instance!r} is none of {', '.join(map(str, values))}", lines, [str(v) for v in values]
        )
    if error.validator == "type":
        return _fault(path, f"{error.instance!r} is not {_type_words(error.validator_value)}"[:200], lines)
    bounds = {"minimum": "at least", "maximum": "at most"}
    if error.validator in bounds:
        limit = error.validator_value
        return _fault(
            path, f"{error.instance} is out of range: {bounds[error.validator]} {limit}", lines, [str(limit)]
        )
    return _fault(path, error.message[:200], lines)


def _strange_values(value: Any, path: str = "") -> Iterator[tuple[str, str]]:
    """Paths of texts with characters that cannot be printed, of numbers without measure, and of keys that are not text."""
    if isinstance(value, dict):
        for key, inner in value.items():
            if not isinstance(key, str):
                yield path, f"the key {str(key)[:40]} is not text: put it in quotes"
            else:
                yield from _strange_values(inner, f"{path}.{key[:_LONGEST_KEY]}" if path else key[:_LONGEST_KEY])
    elif isinstance(value, list):
        for n, inner in enumerate(value):
            yield from _strange_values(inner, f"{path}[{n}]")
    elif isinstance(value, str) and (character := misleading(value)):
        yield path, f"has {character}, which cannot stand in a text"
    elif isinstance(value, int) and value.bit_length() > 63:
        yield path, "is a number without measure"


def _type_words(kind: Any) -> str:
    words = {"object": "a mapping", "array": "a list", "string": "text", "integer": "a whole number"}
    return words.get(kind, str(kind)) if isinstance(kind, str) else " or ".join(words.get(k, k) for k in kind)


def _fault(path: str, why: str, lines: dict[str, int], suggestions: Sequence[str] = ()) -> dict[str, Any]:
    line = _line(path, lines)
    return {"range": _where(path, lines), "path": path, "line": line, "why": why, "suggestions": list(suggestions)}


def _where(path: str, lines: dict[str, int]) -> str:
    line = _line(path, lines)
    return f"line {line}, {path}" if line and path else f"line {line}" if line else path or "the plan"


def _line(path: str, lines: dict[str, int]) -> int | None:
    """The line of a path, or of the nearest thing around it."""
    while path and path not in lines:
        path = path[: max(path.rfind("."), path.rfind("["), 0)]
    return lines.get(path)


def _path(steps: Iterable[Step]) -> str:
    path = ""
    for step in steps:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    return path


def _near(word: str, known: Sequence[str]) -> list[str]:
    return difflib.get_close_matches(word, known, n=3, cutoff=0.5) or list(known[:3])


def _note_lines(node: yaml.Node, path: str, lines: dict[str, int]) -> None:
    """The line of every path; refuses keys that are there twice."""
    lines.setdefault(path, node.start_mark.line + 1)
    if isinstance(node, yaml.MappingNode):
        seen: set[str] = set()
        for key, value in node.value:
            if not isinstance(key, yaml.ScalarNode):
                line = key.start_mark.line + 1
                raise BadPlan(f"line {line}: a key is a word, not a list or mapping", field=f"line {line}")
            name = str(key.value)[:_LONGEST_KEY]
            inner = f"{path}.{name}" if path else name
            if name in seen:
                line = key.start_mark.line + 1
                raise BadPlan(f"line {line}, {inner}: the key is there twice", field=inner)
            seen.add(name)
            lines[inner] = key.start_mark.line + 1
            _note_lines(value, inner, lines)
    elif isinstance(node, yaml.SequenceNode):
        for n, value in enumerate(node.value):
            _note_lines(value, f"{path}[{n}]", lines)
