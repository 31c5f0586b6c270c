"""Add and edit a source, have it asked now, and have that left off."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import ASKED_KINDS, Look, Source
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sealed import sealed
from lentra.registry.rules.sources import check_credential
from lentra.registry.transactions.change import Change

_ANEW = {"address", "parts", "takes", "credential", "every", "follows"}  # with any of these it is asked at once


def add_source(change: Change, values: dict[str, Any]) -> Source:
    """Add a source; one that is asked is asked at once. Its credential is sealed, and told to nobody.

    Raises:
        Invalid, NameTaken, NotAllowed: as for every set-up object.
    """
    source = add_record(change, Source.KIND, _sealed(values.get("kind", "file"), values))
    assert isinstance(source, Source)
    if source.kind in ASKED_KINDS:
        Look.objects.create(source=source, due_at=change.now)
    return source


def edit_source(change: Change, number: int, values: dict[str, Any], version: int | None = None) -> Source:
    """Edit a source; it is asked anew if it is asked otherwise.

    Raises:
        Invalid, NameTaken, StaleEdit, NotAllowed: as for adding.
    """
    kind = find_locked(Source, number).kind
    source = edit_record(change, Source.KIND, number, _sealed(kind, values), version)
    assert isinstance(source, Source)
    if source.kind in ASKED_KINDS and _ANEW & values.keys():
        Look.objects.filter(pk=source.pk).update(due_at=change.now, tries=0, position="")
    return source


def ask_now(change: Change, number: int, version: int | None = None) -> Source:
    """Have a source asked now, whenever it is due.

    Raises:
        WrongState: it is not asked, but what it saw is sent.
        NotAllowed, StaleEdit.
    """
    source = _asked(change, number, "have a source asked", version)
    Look.objects.filter(pk=source.pk).update(due_at=change.now, tries=0, cancelled=False)
    change.entered(source, "ask", None, None)
    source.save(update_fields=["last_entry"])
    return source


def leave_off(change: Change, number: int, version: int | None = None) -> Source:
    """Have the asking of a source left off; what it saw last is kept, and it is asked again when it is due.

    Raises:
        WrongState: it is not being asked.
        NotAllowed, StaleEdit.
    """
    source = _asked(change, number, "leave a survey off", version)
    look = Look.objects.select_for_update().get(pk=source.pk)
    if look.begun_at is None and (look.due_at is None or look.due_at > change.now):
        raise WrongState(f"{source.name} is not being asked: there is nothing to leave off")
    Look.objects.filter(pk=source.pk).update(cancelled=True)
    change.entered(source, "leave off", None, None)
    source.save(update_fields=["last_entry"])
    return source


def _asked(change: Change, number: int, to: str, version: int | None) -> Source:
    require(change.actor, "planner", to)
    source = find_locked(Source, number, version=version, related=("realm",))
    if source.kind not in ASKED_KINDS:
        raise WrongState(
            f"{source.name} is of kind {source.kind}, which is not asked: what it saw is sent (lentra survey send)"
        )
    return source


def _sealed(kind: str, values: dict[str, Any]) -> dict[str, Any]:
    if not values.get("credential"):
        return values
    check_credential(kind, values["credential"])
    return {**values, "credential": sealed(values["credential"])}
