"""What the database's errors mean: tried again, looked up, or told as the refusal that they are.

lock wait time-out, deadlock, certification failure   another change was in the way: try again
duplicate key                                         somebody was first: look again; the key's own refusal if it stays
a row that is not what it was believed to be          the same
row still referenced, protected row                   in use
referenced row gone                                   somebody removed it just now: look again
text too long, number out of range                    not accepted
a check of the database                               the registry would contradict itself: refused, and logged
connection lost                                       the outcome is unknown: look the operation up
"""

from __future__ import annotations

import re
from enum import Enum
from typing import Any

from django.db import DataError, InterfaceError
from django.db.models import ProtectedError, RestrictedError

from lentra.addressing.refusal import Overlaps, Refusal
from lentra.registry.errors import AddressTaken, Contradiction, InUse, Invalid, NameTaken, TagTaken

_LOCK_CLASHES = {1205, 1213, 1020, 1180}
_CONNECTION_LOST = {1047, 1053, 1927, 2002, 2003, 2006, 2013, 2055, 4031}
OTHER_ROWS = 30001  # ours, of `sql.Batch.send`: a statement has found other rows than it must
_DUPLICATE, _REFERENCED, _NO_REFERENCE, _CHECK = 1062, {1217, 1451}, {1216, 1452}, {3819, 4025}
_KEYS: dict[str, tuple[type[Refusal], str, str]] = {  # unique key -> refusal, field, what has it
    "subnet_name_in_realm": (NameTaken, "name", "another subnet of the realm has the name"),
    "subnet_tag_in_zone": (TagTaken, "tag", "another subnet of the zone has the segment tag"),
    "pool_name_in_realm": (NameTaken, "name", "another pool of the realm has the name"),
    "reservation_name_in_realm": (NameTaken, "name", "another reservation of the realm has the name"),
    "plan_name_in_realm": (NameTaken, "name", "another plan of the realm has the name"),
    "address_once_in_subnet": (AddressTaken, "address", "another record of the subnet has the address"),
    "mac_once_in_subnet": (AddressTaken, "mac", "another record of the subnet has the hardware address"),
    "range_once_in_pool": (Overlaps, "range", "the pool has a range that begins there"),
    "PRIMARY": (Overlaps, "prefix", "something else has begun at that address"),
    "name": (NameTaken, "name", "another record of the kind has the name"),
}


class Clash(Exception):
    """A row is not what this change has read: somebody wrote it in between. Nothing was written over."""


class Verdict(Enum):
    """What is to be done about a failure that may go by itself."""

    TRY_AGAIN = "another change was in the way"
    LOOK_AGAIN = "somebody was first"
    LOST = "the connection was lost"


def judge(failure: Exception) -> Verdict | Refusal | None:
    """What a failure of the database means; None if it is none of ours."""
    if isinstance(failure, Clash):
        return Verdict.LOOK_AGAIN
    if isinstance(failure, ProtectedError | RestrictedError):
        return _in_use(failure)
    number = failure.args[0] if failure.args else 0
    if isinstance(failure, InterfaceError) or number in _CONNECTION_LOST:
        return Verdict.LOST
    if number in _LOCK_CLASHES:
        return Verdict.TRY_AGAIN
    if number in (_DUPLICATE, OTHER_ROWS) or number in _NO_REFERENCE:
        return Verdict.LOOK_AGAIN
    if number in _REFERENCED:
        return InUse("something still uses it: it cannot be removed", rule="what is in use stays")
    if number in _CHECK:
        return Contradiction(
            f"the change was refused by the database, since the registry would contradict itself: {_text(failure)}; "
            "run a verification of the registry",
            rule="counters equal counting",
        )
    if isinstance(failure, DataError):
        column = re.search(r"column '(\w+)'", _text(failure))
        field = column[1] if column else None
        return Invalid(f"{field or 'a value'} is too long or out of range: nothing was changed", field=field)
    if isinstance(failure, UnicodeEncodeError):
        return Invalid("a text has characters that stand for nothing (lone surrogates): nothing was changed")
    return None


def settled(failure: Exception) -> Refusal:
    """The refusal of what somebody else has, when looking again did not help."""
    text = _text(failure)
    key = re.search(r"for key '(?:\w+\.)?(\w+)'", text)
    entry = re.search(r"Duplicate entry '(.*)' for key", text)
    if key:
        kind, field, why = _KEYS.get(key[1], (InUse, "", f"it is there already ({key[1]})"))
        received = entry[1] if entry else None
        if received and key[1] != "name":  # the key begins with the number of the realm, zone, pool or subnet
            received = received.partition("-")[2]
        return kind(
            f"{why}: {received}", field=field or None, received=received, rule="looked at again, it stays so"
        )
    if isinstance(failure, Clash) or failure.args[:1] == (OTHER_ROWS,):
        return Contradiction(
            f"{text}; run a verification of the registry", rule="the database refuses a second owner"
        )
    return InUse("something that it refers to was removed meanwhile", rule="what is referred to exists")


def _in_use(failure: ProtectedError | RestrictedError) -> InUse:
    objects: set[Any] = (
        failure.protected_objects if isinstance(failure, ProtectedError) else failure.restricted_objects
    )
    users = [
        {"range": getattr(one, "label_text", str(one)), "kind": getattr(one, "KIND", "record"), "id": one.pk}
        for one in list(objects)[:20]
    ]
    words = f"{users[0]['kind']} {users[0]['range']}" if users else "another record"
    more = f" and {len(objects) - 1} more" if len(objects) > 1 else ""
    return InUse(
        f"it is used by {words}{more}: it cannot be removed", conflicts=users, rule="what is in use stays"
    )


def _text(failure: Exception) -> str:
    return str(failure.args[1] if len(failure.args) > 1 else failure)
