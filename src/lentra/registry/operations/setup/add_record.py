"""Add a record of set-up: a rule sheet, region, zone, tier, project."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import NameTaken
from lentra.registry.models import Record
from lentra.registry.rules.kinds import KINDS
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change


def add_record(change: Change, kind: str, values: dict[str, Any], granted: bool = False, **more: Any) -> Record:
    """Add an object of a kind with these values.

    Args:
        granted: whoever asks for it may not add it, and a planner decides.
        more: goes into the ledger with it.

    Raises:
        NotAllowed: the actor's role does not reach.
        Invalid: a value breaks a rule of the kind.
        NameTaken: another one has the name.
    """
    known = KINDS[kind]
    if not granted:
        require(change.actor, known.role, f"add a {kind}")
    record = known.model(**values)
    for field, value in known.derived(record, values).items():
        setattr(record, field, value)
    known.check(record, change.now)
    refuse_taken_name(kind, record)
    change.added([record], **more)
    for text in known.remarks(record):
        change.note(text)
    return record


def refuse_taken_name(kind: str, record: Record) -> None:
    """Refuse a name that another object of the kind has (in its realm, if it lies in one)."""
    name = getattr(record, "name", None)
    if name is None:
        return
    others = KINDS[kind].model._default_manager.filter(name=name).exclude(pk=record.pk)
    if hasattr(record, "realm_id"):
        others = others.filter(realm=record.realm)
    if other := others.first():
        raise NameTaken(
            f"the name {name!r} is taken by {kind} number {other.pk}",
            field="name",
            received=name,
            conflicts=[{"range": name, "kind": kind, "id": other.pk}],
            suggestions=[f"{name}-2"],
        )
