"""Where the token reaches that signs the actor in: asked at the door to space, and of whatever lies inside a block."""

from __future__ import annotations

from lentra.registry.errors import NotAllowed
from lentra.registry.models import Person, Pool


def require_place(actor: Person | None, realm: int, pool: int) -> None:
    """Refuse a change of a pool's space, or of what lies in it, by a token that does not reach there.

    Raises:
        NotAllowed: naming what the token reaches.
    """
    token = actor.token if actor else None
    if token is None or not (token.realms or token.pools):
        return
    if (not token.realms or realm in token.realms) and (not token.pools or pool in token.pools):
        return
    name = Pool.objects.filter(pk=pool).values_list("name", flat=True).first() or f"number {pool}"
    raise NotAllowed(
        f"token {token.name} does not reach pool {name}: another is needed",
        field="pool",
        received=name,
        rule="a token for some realms or pools changes nothing elsewhere",
        suggestions=list(
            Pool.objects.filter(pk__in=token.pools).order_by("name").values_list("name", flat=True)[:10]
        ),
    )
