"""Write an estate file, and do what one says: what would be added, edited, taken away, and what stands against it."""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import yaml

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import BadEstate, EstateNotPossible, Invalid
from lentra.registry.estate.sections import IF_ASKED, SECTIONS, Section, canonical, records_of
from lentra.registry.intakes.found import Found, refused_alone
from lentra.registry.intakes.rows import differences
from lentra.registry.intakes.subnets import Options, SubnetTable
from lentra.registry.lookup.find import find
from lentra.registry.models import Project, Realm
from lentra.registry.operations.plans.commit_plan import commit_plan
from lentra.registry.plans.reading import parsed, read_plan
from lentra.registry.rules.permissions import require
from lentra.registry.space.locking import save_pools
from lentra.registry.transactions.change import Change

FORMAT = "lentra-estate-1"
MOST_TEXT, _MOST_PARTS = 20_000_000, 2_000_000
PLANS = "plans"
_HEAD = ("format", "realm", "project", PLANS)
_MOST_PLANS = 50
_MOST_TOLD = 50


@dataclass
class Entry:
    """What becomes of one entry of a file, or of a record that it does not have.

    Args:
        what: ``added``, ``edited``, ``same``, ``refused``, ``not in the file`` or ``taken away``.
    """

    section: str
    key: str
    line: int | None
    found: Found
    what: str = ""
    differs: dict[str, list[str]] = field(default_factory=dict)


@dataclass
class Proposed:
    """What an estate file comes to."""

    entries: list[Entry]

    @property
    def refused(self) -> list[Entry]:
        """What stands against it."""
        return [entry for entry in self.entries if entry.what == "refused"]

    @property
    def counts(self) -> dict[str, dict[str, int]]:
        """How many of each section become what."""
        counts: dict[str, dict[str, int]] = {}
        for entry in self.entries:
            of = counts.setdefault(entry.section, {})
            of[entry.what] = of.get(entry.what, 0) + 1
        return counts

    @property
    def changes(self) -> bool:
        """Whether anything would be another thing afterwards."""
        return any(entry.what in ("added", "edited", "taken away") for entry in self.entries)


def write_estate(
    realm: Realm | None = None, project: Project | None = None, also: tuple[str, ...] = ()
) -> dict[str, Any]:
    """The registry, a realm or a project as a document.

    Args:
        also: of ``subnets`` and ``address records``, those that are told too.
    """
    document: dict[str, Any] = {"format": FORMAT}
    document |= {"realm": realm.name} if realm else {}
    document |= {"project": project.name} if project else {}
    for name, section in SECTIONS.items():
        if name in IF_ASKED and name not in also:
            continue
        entries = {section.key(record): section.told(record) for record in records_of(section, realm, project)}
        if entries:
            document[name] = entries
    return document


def text_of_estate(document: Mapping[str, Any]) -> str:
    """A document as YAML, in the order that it has."""
    return yaml.safe_dump(dict(document), sort_keys=False, allow_unicode=True, width=120)


def read_estate(text: str) -> tuple[dict[str, Any], dict[str, int]]:
    """The text of an estate file, with the line of each path.

    Raises:
        BadEstate: it is no YAML or JSON, or has a section or field that there is not; says line and path.
    """
    document, lines = parsed(text, "estate", MOST_TEXT, _MOST_PARTS, BadEstate)
    check_document(document, lines)
    return document, lines


def check_document(document: Any, lines: Mapping[str, int]) -> None:
    """Refuse a document that is none of the format.

    Raises:
        BadEstate: with the line, and what there is instead.
    """

    def refuse(path: str, why: str, suggestions: list[str]) -> BadEstate:
        line = lines.get(path)
        where = f"line {line}, {path}" if line else path or "the estate"
        return BadEstate(f"{where}: {why}", field=path or "text", suggestions=suggestions)

    if not isinstance(document, dict):
        raise refuse("", "an estate is a mapping of sections", [f"format: {FORMAT}"])
    if document.get("format") != FORMAT:
        raise refuse("format", f"{document.get('format')!r} is not the format {FORMAT}", [f"format: {FORMAT}"])
    plans = document.get(PLANS) or []
    if not isinstance(plans, list) or len(plans) > _MOST_PLANS or not all(isinstance(name, str) for name in plans):
        raise refuse(PLANS, f"plans are a list of names of files, {_MOST_PLANS} at most", ["plans: [halls.yaml]"])
    for name, entries in document.items():
        if name in _HEAD:
            continue
        section = SECTIONS.get(name)
        if section is None:
            raise refuse(
                str(name),
                f"there is no such section; there are {', '.join(SECTIONS)}",
                _near(str(name), [*SECTIONS]),
            )
        if not isinstance(entries, dict):
            raise refuse(name, "a section is a mapping of keys", [])
        for key, facts in entries.items():
            path = f"{name}.{key}"
            if not isinstance(key, str) or not isinstance(facts or {}, dict):
                raise refuse(path, "an entry is a key with its facts", [])
            for fact in facts or {}:
                if fact not in (*section.fields, "was"):
                    known = ", ".join(section.fields)
                    raise refuse(
                        f"{path}.{fact}",
                        f"there is no such fact; there are {known}",
                        _near(str(fact), [*section.fields]),
                    )


def commit_estate(
    change: Change,
    document: Mapping[str, Any],
    lines: Mapping[str, int],
    take_away: bool = False,
    files: Mapping[str, str] | None = None,
) -> Proposed:
    """Do what an estate file says: all of it, or nothing.

    In a preview everything that stands against it is told in the entries.

    Args:
        take_away: also take away what is not in the file, of the sections that it has.
        files: the texts of the plans that it names, which are committed after all else.

    Raises:
        EstateNotPossible: something stands against it; lists all of it.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "commit an estate")
    realm = (
        find(Realm, document["realm"], "realm")
        if document.get("realm") and _there(Realm, document["realm"])
        else None
    )
    project = find(Project, document["project"], "project") if document.get("project") else None
    entries: list[Entry] = []
    for name, section in SECTIONS.items():
        given = document.get(name) or {}
        of = [
            Entry(name, canonical_key(name, key), lines.get(f"{name}.{key}"), _found(section, key, facts or {}))
            for key, facts in given.items()
        ]
        if name == "pools":
            _refuse_circles(of)
            of = sorted(of, key=lambda entry: _depth(entry, {one.key: one for one in of}))
        if name == "subnets":
            _bring_in(change, of)
        else:
            for entry in of:
                if entry.what != "refused":
                    with refused_alone(change, entry.found):
                        _do(change, section, entry)
        for entry in of:
            if entry.found.outcome == "refused":
                entry.what = "refused"
        entries += of
    entries += _absent(change, document, realm, project, take_away)
    for name in document.get(PLANS) or []:
        entry = Entry(PLANS, name, lines.get(f"{PLANS}.{name}") or lines.get(PLANS), Found(0, {}))
        with refused_alone(change, entry.found):
            _commit_plan(change, entry, files or {})
        if entry.found.outcome == "refused":
            entry.what = "refused"
        entries.append(entry)
    proposed = Proposed(entries)
    if proposed.refused and not change.preview:
        raise _not_possible(proposed)
    return proposed


def canonical_key(section: str, key: str) -> str:
    """A key as it is told, or as it stands where it cannot be read."""
    try:
        return canonical(section, key)
    except Refusal:
        return key


def _there(model: Any, name: str) -> bool:
    return bool(model.objects.filter(name=name).exists())


def _found(section: Section, key: str, facts: Mapping[str, Any]) -> Found:
    return Found(0, {"was": str(facts.get("was", ""))}, section.texts(key, facts))


def _do(change: Change, section: Section, entry: Entry) -> None:
    """Make, compare or edit the record of an entry."""
    kind, said = section.kind, entry.found.said
    there = None
    if was := entry.found.cells["was"]:
        old = {
            **said,
            **section.said(was if ":" in was or ":" not in entry.key else f"{entry.key.partition(':')[0]}:{was}"),
        }
        there = kind.there(kind.read(old))
    values = kind.read(said)
    there = kind.there(values) or there
    if there is None:
        kind.add(change, values)
        save_pools(change)
        entry.what = "added"
        return
    entry.differs = differences(kind, there, values)
    entry.what = "edited" if entry.differs else "same"
    if entry.differs:
        kind.edit(change, there, values)


def _bring_in(change: Change, of: list[Entry]) -> None:
    """The subnets of a file, placed together."""
    for n, entry in enumerate(of, 1):
        entry.found.number = entry.line or n
    table = SubnetTable(change, Options(update=True), lambda what, done, total: None)
    coming = table.look([entry.found for entry in of])
    if not any(entry.found.outcome == "refused" for entry in of):
        table.write(coming)
    words = {"new": "added", "same": "same", "differs": "edited", "refused": "refused"}
    for entry in of:
        entry.what = words[entry.found.outcome]
        entry.differs = entry.found.told.get("differs", {})


def _absent(
    change: Change, document: Mapping[str, Any], realm: Realm | None, project: Project | None, take_away: bool
) -> list[Entry]:
    """What is not in the file, of the sections that it has, those that others stand on last."""
    found = []
    for name, section in reversed(SECTIONS.items()):
        if name not in document:
            continue
        given = document[name] or {}
        keys = {canonical_key(name, key) for key in given}
        keys |= {str(facts["was"]) for facts in given.values() if facts and "was" in facts}
        for record in list(records_of(section, realm, project)):
            key = section.key(record)
            if key in keys:
                continue
            entry = Entry(name, key, None, Found(0, {}), "not in the file")
            if take_away:
                entry.what = "taken away"
                with refused_alone(change, entry.found):
                    section.remove(change, record)
                if entry.found.outcome == "refused":
                    entry.what = "refused"
            found.append(entry)
    return found


def _commit_plan(change: Change, entry: Entry, files: Mapping[str, str]) -> None:
    """Commit a plan that an estate file names."""
    text = files.get(entry.key, files.get(entry.key.rpartition("/")[2]))
    if text is None:
        raise Invalid(
            f"the text of {entry.key} does not come with the estate",
            field=PLANS,
            received=entry.key,
            rule="a plan is a file of its own: its text is sent along, as `lentra estate` does by itself",
            suggestions=[*files][:5],
        )
    plan = read_plan(text)
    before, preview = len(change.entries), change.preview
    change.preview = False  # of the estate: what is previewed as a whole is done, and undone, as a whole
    try:
        proposed = commit_plan(change, plan, text)
    finally:
        change.preview = preview
    entered = change.entries[before:]
    made = any(record is proposed.plan for record in change.made)
    entry.what = "added" if made else "edited" if entered else "same"
    if proposed.added:
        entry.differs = {"subnets": ["", str(len(proposed.added))]}


def _parent_of(entry: Entry) -> str:
    parent = entry.found.said.get("parent", "")
    return parent if ":" in parent or not parent else f"{entry.key.partition(':')[0]}:{parent}"


def _depth(entry: Entry, pools: Mapping[str, Entry]) -> int:
    depth, at = 0, entry
    while (above := pools.get(_parent_of(at))) and depth <= len(pools):
        depth, at = depth + 1, above
    return depth


def _refuse_circles(of: list[Entry]) -> None:
    """Refuse pools that are carved out of each other."""
    pools = {entry.key: entry for entry in of}
    for entry in of:
        if _depth(entry, pools) > len(pools):
            circle = [entry.key, _parent_of(entry)]
            entry.found.refuse(
                Invalid(
                    f"pool {entry.key} is carved out of {circle[1]}, which is carved out of it in turn",
                    field="parent",
                    received=circle[1],
                    rule="a pool is carved out of one that stands before it",
                )
            )
            entry.what = "refused"


def _not_possible(proposed: Proposed) -> EstateNotPossible:
    first = proposed.refused[0]
    more = f" (and {len(proposed.refused) - 1} more)" if len(proposed.refused) > 1 else ""
    return EstateNotPossible(
        f"{where(first)}: {first.found.told['message']}{more}",
        field=f"{first.section}.{first.key}",
        rule="an estate is committed whole or not at all",
        conflicts=[
            {"range": where(entry), "why": entry.found.told["message"], "code": entry.found.told["code"]}
            for entry in proposed.refused[:_MOST_TOLD]
        ],
        suggestions=first.found.told["suggestions"],
    )


def where(entry: Entry) -> str:
    """Where an entry stands: ``line 7, zones.nc-1``."""
    path = f"{entry.section}.{entry.key}"
    return f"line {entry.line}, {path}" if entry.line else path


def _near(text: str, known: list[str]) -> list[str]:
    return difflib.get_close_matches(text, known, n=3, cutoff=0.5) or known[:3]


def schema() -> dict[str, Any]:
    """The published JSON Schema of the format (draft 2020-12)."""
    value = {"type": ["string", "number", "boolean", "array", "object"]}

    def entries(section: Section) -> dict[str, Any]:
        facts = dict.fromkeys(section.fields, value) | {
            "was": {"type": "string", "description": "Its key until now."}
        }
        one = {"type": ["object", "null"], "properties": facts, "additionalProperties": False}
        return {"type": "object", "additionalProperties": one}

    head: dict[str, Any] = {
        "format": {"const": FORMAT},
        "realm": {"type": "string", "description": "The realm that it is of; left out, all of them."},
        "project": {"type": "string", "description": "The project that it is of."},
        PLANS: {
            "type": "array",
            "items": {"type": "string"},
            "maxItems": _MOST_PLANS,
            "description": "Files of plans, committed after all else.",
        },
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "An estate file of Lentra",
        "type": "object",
        "required": ["format"],
        "properties": head | {name: entries(section) for name, section in SECTIONS.items()},
        "additionalProperties": False,
    }
