"""The refusal of a range that is not in its pool, with the way out."""

from __future__ import annotations

from lentra.addressing.prefix import Prefix, address_text, nearest_inside
from lentra.addressing.refusal import OutsideParent, WrongFamily
from lentra.registry.models import Pool
from lentra.registry.space.evidence import pool_chain


def outside(pool: Pool, prefix: Prefix, field: str = "prefix") -> OutsideParent | WrongFamily:
    """Says which ranges the pool has, what is nearest inside, and which other pool contains the prefix."""
    ranges = [row.prefix for row in pool.ranges.all()]
    own = [r for r in ranges if r.family == prefix.family]
    if not own:
        return WrongFamily(
            f"pool {pool.name} has no IPv{prefix.family} range: add one first",
            field=field,
            received=prefix,
            conflicts=[{"range": str(r), "pool": pool.name} for r in ranges],
        )
    nearest = nearest_inside(prefix, own)
    shown = ", ".join(f"{r} (ends {address_text(r.family, r.last)})" for r in own[:4])
    words = f"{prefix} is outside pool {pool.name}: {shown}"
    suggestions: list[object] = []
    if nearest:
        words += f"; nearest inside is {nearest}"
        suggestions.append(nearest)
    others = [p for p in pool_chain(pool.realm_id, prefix.family, prefix.first, prefix.last) if p != pool]
    if others:
        words += f"; pool {others[-1].name} contains it"
        suggestions.append(f"pool {others[-1].name}")
    return OutsideParent(
        words,
        field=field,
        received=prefix,
        rule="a block lies wholly inside one range of its pool",
        conflicts=[{"range": str(r), "pool": pool.name} for r in own],
        suggestions=suggestions,
    )
