"""Proposals: what a preview showed, sealed into a token, so that a commit can do exactly that."""

from __future__ import annotations

from dataclasses import dataclass, field

from django.core import signing

from lentra.registry.errors import Invalid

_SALT = "lentra.proposal"
LIFETIME_SECONDS = 24 * 3600


@dataclass(frozen=True)
class Shown:
    """One thing of a proposal: its name, blocks and segment tag, and why the blocks lie there."""

    name: str
    blocks: list[str]
    tag: int | None = None
    why: list[str] = field(default_factory=list)


def seal(digest: str, shown: list[Shown]) -> str:
    """A token for what a request with that digest would make."""
    body = {"digest": digest, "made": [[s.name, s.blocks, s.tag, s.why] for s in shown]}
    return signing.dumps(body, salt=_SALT, compress=True)


def unseal(token: str, digest: str) -> list[Shown]:
    """What the token stands for.

    Raises:
        Invalid: not a token of ours, too old, or made for another request.
    """
    try:
        body = signing.loads(token, salt=_SALT, max_age=LIFETIME_SECONDS)
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
    return [Shown(*values) for values in body["made"]]
