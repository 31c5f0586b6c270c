"""Findings as they are to be, and the one way in which those that are there are brought up to that."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lentra.registry.models import WORST_FIRST, Finding, Realm, Subnet
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

DNS = "dns"  # the kind of those of DNS zones


@dataclass
class Wanted:
    """A finding as it is to be."""

    kind: str
    family: int | None
    first: int | None
    last: int | None
    text: str
    fact: str = ""
    recorded: str = ""
    seen: list[dict[str, str]] = field(default_factory=list)
    subnet: Subnet | None = None
    dns_zone: int | None = None
    dns_name: str = ""

    @property
    def rank(self) -> tuple[int, int]:
        """How bad it is: the worst is opened last, since the newest is told first. An IPv6 network that is open is
        worse than an IPv4 one, since nobody looks for it."""
        return -WORST_FIRST.index(self.kind), self.family or 0

    def key(self, realm: Realm) -> str:
        """What keeps it single while it lasts."""
        if self.dns_zone is not None:
            name = hashlib.blake2s(self.dns_name.encode(), digest_size=16).hexdigest()
            return f"{realm.pk}/{self.kind}/{self.dns_zone}/{name}/{self.fact}"
        return f"{realm.pk}/{self.kind}/{self.family}/{self.first:x}/{self.last:x}/{self.fact}"

    def values(self) -> dict[str, Any]:
        """What it says, which may change while it lasts."""
        subnet = self.subnet
        return {
            "text": self.text[:400],
            "recorded": self.recorded[:200],
            "seen": self.seen,
            "subnet": subnet.pk if subnet else None,
            "subnet_name": subnet.name if subnet else "",
            "project": subnet.project_id if subnet else None,
            "project_name": subnet.project.name if subnet else "",
        }


def bring_up_to_date(
    change: Change, realm: Realm, wanted: Mapping[str | None, Wanted], living: Mapping[str | None, Finding]
) -> dict[str, int]:
    """Open those that are new, close those whose difference is gone; returns how many of each, and how many there are.

    One that stays is written only if what it says is another: that it was seen again is no change.
    """
    fresh = [
        Finding(
            realm=realm,
            kind=one.kind,
            family=one.family,
            first=one.first,
            last=one.last,
            dns_zone=one.dns_zone,
            dns_name=one.dns_name,
            fact=one.fact,
            living=key,
            opened_at=change.now,
            **one.values(),
        )
        for key, one in wanted.items()
        if key not in living
    ]
    change.added(fresh, verb="open")
    gone = [one.pk for key, one in living.items() if key not in wanted]
    other = [one.pk for key, one in living.items() if key in wanted and _moved(one, wanted[key], change)]
    for finding in lock_all(Finding.objects.filter(pk__in=gone)):
        change.edited(finding, "close", state="closed", closed_at=change.now, living=None)
    for finding in lock_all(Finding.objects.filter(pk__in=other)):
        change.edited(finding, "edit", **wanted[finding.living].values(), **_opened_again(finding, change))
    return {"opened": len(fresh), "closed": len(gone), "open": len(wanted)}


def _moved(finding: Finding, wanted: Wanted, change: Change) -> bool:
    """Whether one that stays says something else now."""
    differs = any(getattr(finding, name) != value for name, value in wanted.values().items())
    return differs or bool(_opened_again(finding, change))


def _opened_again(finding: Finding, change: Change) -> dict[str, Any]:
    """What becomes of one that was dismissed until a day which has come."""
    if finding.state == "dismissed" and finding.until and finding.until <= change.now.date():
        return {"state": "open", "reason": "", "until": None}
    return {}
