"""What is the same for everybody and seldom changes, as this process keeps it: it holds for one revision of the set-up.

A change that goes by what is kept asks for the revision under its lock, and is tried again with what is true now if another
change has moved it on.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

from lentra.registry.models import (
    ApprovalRule,
    Person,
    Pool,
    Project,
    Quota,
    Realm,
    Region,
    SetUp,
    Sheet,
    Tier,
    Token,
    Zone,
)
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.failures import Clash

_KINDS = frozenset(
    kind.KIND for kind in (Realm, Sheet, Region, Zone, Tier, Project, Pool, Person, Token, Quota, ApprovalRule)
)
_MOST = 5000  # things kept by one process


class Kept:
    """Things of one revision."""

    def __init__(self, revision: int) -> None:
        self.revision = revision
        self.things: dict[Hashable, Any] = {}


_kept = Kept(0)


def known(change: Change, key: Hashable, read: Callable[[], tuple[Any, int]]) -> Any:
    """Something of the set-up, kept or read; the change remembers the revision that it goes by.

    Args:
        read: reads it with the revision of the set-up.

    Raises:
        Clash: the change goes by something else of an older revision already.
    """
    global _kept
    kept = _kept
    if not change.attempt and change.goes_by in (None, kept.revision) and (thing := kept.things.get(key)):
        change.goes_by = kept.revision
        return thing
    thing, revision = read()
    if revision != kept.revision or len(kept.things) >= _MOST:
        _kept = kept = Kept(revision)
    kept.things[key] = thing
    if not change.attempt:  # else something was in the way: now by what is there, whatever comes in between
        if change.goes_by not in (None, revision):
            raise Clash("the set-up has changed")
        change.goes_by = revision
    return thing


def move_on(change: Change) -> None:
    """Move the revision on if a change is one of the set-up; called before it is committed."""
    if any(entry.kind in _KINDS for entry in change.entries):
        change.batch.insert([SetUp(revision=1)], add=("revision",))
