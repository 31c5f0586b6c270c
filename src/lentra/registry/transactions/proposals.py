"""Proposals: what a preview showed, sealed into a token, so that a commit can do exactly that.

A proposal of any change is its ledger entries, without moments and without numbers that are taken anew. A commit by it
takes from them what it would otherwise choose, and is refused unless its own entries are the same. Hand-outs and plans,
which choose much, have tokens of their own (`seal`).
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import zip_longest
from typing import Any

from django.core import signing
from django.core.serializers.json import DjangoJSONEncoder

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, StaleProposal
from lentra.registry.models import LedgerEntry

_SALT, _SALT_OF_CHANGES = "lentra.proposal", "lentra.change"
LIFETIME_SECONDS = 24 * 3600


@dataclass(frozen=True)
class Shown:
    """One thing of a proposal: its name, blocks and segment tag, and why the blocks lie there."""

    name: str
    blocks: list[str]
    tag: int | None = None
    why: list[str] = field(default_factory=list)


Told = list[Any]  # verb, kind, name, before, after of a ledger entry
_NOT_PROMISED = {  # moments, and why it is done: both are those of the commit
    *("at", "created_at", "changed_at", "ends_at", "attached_at", "revoked_at", "expires_at"),
    *("begun_at", "ended_at", "moved_at"),
    *("opened_at", "closed_at", "seen_at", "taken_at"),
    *("decided_at", "lapses_at", "reminds_at", "made_at", "decision"),
}
_TOLD_IN_FULL = 200  # entries; of more, only that they are the same is known


def told_of(entries: Sequence[LedgerEntry]) -> list[Told]:
    """What ledger entries say, in a way that does not differ between a preview and its commit."""
    made = {entry.number: f"new {n}" for n, entry in enumerate(entries) if entry.subject is None}
    told = [[e.verb, e.kind, e.name, _lasting(e.before, made), _lasting(e.after, made)] for e in entries]
    return json.loads(json.dumps(told, cls=DjangoJSONEncoder))


def _lasting(facts: dict[str, Any] | None, made: dict[int, str]) -> dict[str, Any] | None:
    if facts is None:
        return None
    return {name: _known_as(name, value, made) for name, value in facts.items() if name not in _NOT_PROMISED}


def _known_as(name: str, value: Any, made: dict[int, str]) -> Any:
    """A value, with the number of what the change itself makes told by its place."""
    if name == "made" or name.endswith("_ids"):  # numbers of several
        return [made.get(number, number) for number in value]
    return made.get(value, value) if name.endswith("_id") else value


def seal_change(digest: str, entries: Sequence[LedgerEntry]) -> str:
    """A token for what a change with that digest does."""
    told = told_of(entries)
    body = {"digest": digest, "same": _hash(told), "told": told[:_TOLD_IN_FULL]}
    return signing.dumps(body, salt=_SALT_OF_CHANGES, compress=True)


@dataclass
class Promise:
    """What a preview promised: the entries that its change has, some of them in full."""

    same: str
    told: list[Told]
    _taken: dict[str, int] = field(default_factory=dict)

    def begin(self) -> None:
        """A try begins: nothing has been taken from it."""
        self._taken.clear()

    def next(self, kind: str) -> dict[str, Any] | None:
        """What was shown of the next record of a kind that the change makes or changes; None if nothing was."""
        facts = [told[4] | {"name": told[2]} for told in self.told if told[1] == kind and told[4] is not None]
        place = self._taken.get(kind, 0)
        self._taken[kind] = place + 1
        return facts[place] if place < len(facts) else None

    def refuse_other(self, entries: Sequence[LedgerEntry]) -> None:
        """Refuse a change that is not what was shown.

        Raises:
            StaleProposal: says where it differs.
        """
        told = told_of(entries)
        if _hash(told) == self.same:
            return
        pairs = zip_longest(self.told, told[:_TOLD_IN_FULL])
        differing = [{"shown": _words(was), "now": _words(now)} for was, now in pairs if was != now]
        first = differing[0] if differing else {"shown": "what was shown", "now": "something else"}
        raise StaleProposal(
            f"what was shown is no longer what would be done: shown was {first['shown']}; now it would be {first['now']}",
            field="proposal",
            rule="a commit by a proposal does exactly what was shown",
            conflicts=differing[:20],
            suggestions=["preview again"],
        )


def promise_of(token: str, digest: str) -> Promise:
    """What the token of a change's preview stands for.

    Raises:
        Invalid: not a token of ours, too old, or made for another request.
    """
    body = _opened(token, digest, _SALT_OF_CHANGES)
    return Promise(body["same"], body["told"])


def no_longer(refusal: Refusal) -> Refusal:
    """What a commit by a proposal is refused with, if what stands against it came after the preview."""
    return StaleProposal(
        f"what was shown is no longer possible: {refusal.message}",
        field="proposal",
        rule=refusal.rule,
        conflicts=refusal.conflicts,
        suggestions=["preview again", *refusal.suggestions],
    )


def _words(told: Told | None) -> str:
    if told is None:
        return "nothing"
    verb, kind, name, before, after = told
    was, now = before or {}, after or {}
    names = [name for name in sorted(now) if now[name] != was.get(name) and (now[name] or was.get(name))][:6]
    values = ", ".join(
        f"{name} {now[name]}" + (f" instead of {was[name]}" if was.get(name) else "") for name in names
    )
    return f"{verb} {kind} {name}" + (f" ({values})" if values else "")


def _hash(told: list[Told]) -> str:
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()


def seal(digest: str, shown: list[Shown]) -> str:
    """A token for what a request with that digest would make."""
    body = {"digest": digest, "made": [[s.name, s.blocks, s.tag, s.why] for s in shown]}
    return signing.dumps(body, salt=_SALT, compress=True)


def unseal(token: str, digest: str) -> list[Shown]:
    """What the token stands for.

    Raises:
        Invalid: not a token of ours, too old, or made for another request.
    """
    return [Shown(*values) for values in _opened(token, digest, _SALT)["made"]]


def _opened(token: str, digest: str, salt: str) -> dict[str, Any]:
    try:
        body = signing.loads(token, salt=salt, max_age=LIFETIME_SECONDS)
    except signing.SignatureExpired:
        raise Invalid("the proposal is older than a day: preview again", field="proposal")
    except signing.BadSignature:
        raise Invalid("not a valid proposal token: take it from a preview as it is", field="proposal")
    if body["digest"] != digest:
        raise Invalid(
            "the proposal was made for another request: send the same request as for the preview, or preview "
            "again",
            field="proposal",
        )
    return body
