"""Add a realm, with the special ranges of the standards as its first keep-outs."""

from __future__ import annotations

from typing import Any

from lentra.addressing.special import SPECIAL
from lentra.registry.models import KeepOut, Realm
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.transactions.change import Change


def add_realm(change: Change, values: dict[str, Any]) -> Realm:
    """Add a realm.

    Raises:
        NotAllowed, Invalid, NameTaken: as for every set-up object.
    """
    realm = add_record(change, "realm", values)
    assert isinstance(realm, Realm)
    change.added(
        [
            KeepOut(
                realm=realm,
                family=special.prefix.family,
                first=special.prefix.first,
                last=special.prefix.last,
                kind="special",
                reason=special.why,
                source=special.source,
                since=change.now.date(),
            )
            for special in SPECIAL
        ]
    )
    return realm
