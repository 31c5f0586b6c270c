"""The pools of a realm by their ranges, so that the one around each of many blocks is found without asking the database."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from lentra.addressing.prefix import Prefix
from lentra.registry.models import Pool, PoolRange, Realm


class PoolsAround:
    """The pools of a realm by their ranges, with those that rows have become."""

    def __init__(self, realm: Realm) -> None:
        self.by_number = {
            pool.pk: pool for pool in Pool.objects.filter(realm=realm).select_related("realm", "sheet", "parent")
        }
        for pool in self.by_number.values():
            pool.sheet.known_rules = pool.sheet.rules()
        self.by_name = {pool.name: pool for pool in self.by_number.values()}
        self._ranges: dict[Prefix, Pool] = {}
        self._new: set[int] = set()
        for row in PoolRange.objects.filter(realm=realm).order_by("length", "top"):
            if pool := self.by_number.get(row.pool_id):
                self._innermost(row.prefix, pool)
        self._lengths: dict[int, list[int]] = {}
        self._measure()

    def _innermost(self, prefix: Prefix, pool: Pool) -> None:
        """Of two pools with the same range, the one that is carved out of the other."""
        there = self._ranges.get(prefix)
        if there is None or pool.parent_id == there.pk:
            self._ranges[prefix] = pool

    def _measure(self) -> None:
        for family in (4, 6):
            lengths = {prefix.length for prefix in self._ranges if prefix.family == family}
            self._lengths[family] = sorted(lengths, reverse=True)

    def add(self, pool: Pool, ranges: Iterable[Prefix]) -> None:
        """A pool that was carved just now."""
        self.by_number[pool.pk] = self.by_name[pool.name] = pool
        self._new.add(pool.pk)
        for prefix in ranges:
            self._ranges[prefix] = pool
        self._measure()

    def is_new(self, number: int) -> bool:
        """True if a pool was carved for the table."""
        return number in self._new

    def around(self, block: Prefix, longest: int) -> Pool | None:
        """The innermost pool around a block, by a range of no more than a length."""
        for length in self._lengths[block.family]:
            if length <= longest and (pool := self._ranges.get(block.enclosing(length))):
                return pool
        return None

    def holds(self, pool: Pool, block: Prefix) -> bool:
        """True if a range of the pool holds the block."""
        return any(prefix.contains(block) for prefix, one in self._ranges.items() if one.pk == pool.pk)

    def exactly(self, blocks: Sequence[Prefix]) -> Pool | None:
        """The pool whose ranges of their family are these blocks."""
        pool = self._ranges.get(blocks[0])
        if pool is None:
            return None
        own = {
            prefix
            for prefix, one in self._ranges.items()
            if one.pk == pool.pk and prefix.family == blocks[0].family
        }
        return pool if own == {block for block in blocks if block.family == blocks[0].family} else None
