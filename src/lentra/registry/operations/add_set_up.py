"""Add a set-up object: a rule sheet, region, zone, tier, project."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import NameTaken
from lentra.registry.ledger import Change
from lentra.registry.models import Record
from lentra.registry.permissions import require
from lentra.registry.setup import SETUPS


def add_set_up(change: Change, kind: str, values: dict[str, Any], **more: Any) -> Record:
    """Add an object of a kind with these values.

    Raises:
        NotAllowed: the actor's role does not reach.
        Invalid: a value breaks a rule of the kind.
        NameTaken: another one has the name.
    """
    set_up = SETUPS[kind]
    require(change.actor, set_up.role, f"add a {kind}")
    record = set_up.model(**values)
    set_up.check(record)
    refuse_taken_name(kind, record)
    change.added([record], **more)
    set_up.follows(record)
    return record


def refuse_taken_name(kind: str, record: Record) -> None:
    """Refuse a name that another object of the kind has (in its realm, if it lies in one)."""
    name = getattr(record, "name", None)
    if name is None:
        return
    others = SETUPS[kind].model._default_manager.filter(name=name).exclude(pk=record.pk)
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
