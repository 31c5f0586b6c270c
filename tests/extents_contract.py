"""What every store of extents must do, checked against a plain map of addresses to states."""

from __future__ import annotations

from collections.abc import Callable

from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from lentra.addressing.extents import Extent, State, carve, give_back, require_free
from lentra.addressing.placement import place, place_beside
from lentra.addressing.prefix import Prefix, containing
from lentra.addressing.refusal import Exhausted, Overlaps

SPAN = 256  # addresses of the model; two ranges with a gap between them
OWNERS = (None,)


class ExtentsMachine(RuleBasedStateMachine):
    """Random carving, placing and giving back on a store, beside a bitmap written for this."""

    make_store: Callable[[int, list[Prefix]], object]
    sync: Callable[[object], None] = staticmethod(lambda store: None)
    read_all: Callable[[object], list[Extent]]

    @initialize(family=st.sampled_from([4, 6]))
    def start(self, family):
        bits = 32 if family == 4 else 128
        self.base = int.from_bytes(b"\x0a\x28", "big") << (bits - 16)
        self.family, self.bits = family, bits
        self.ranges = [
            Prefix(family, self.base, bits - 7),
            Prefix(family, self.base + 128, bits - 6),
        ]  # 128 and 64 addresses, buddies in part: nothing may join across them
        self.store = type(self).make_store(family, list(self.ranges))
        self.model = dict.fromkeys(range(192))  # address -> taken prefix, None when free

    def prefix(self, at, power):
        return containing(self.family, self.base + at % 192, self.bits - power)

    def taken(self):
        return sorted({p for p in self.model.values() if p is not None})

    def mark(self, prefix, value):
        for n in range(prefix.first - self.base, prefix.last - self.base + 1):
            self.model[n] = value

    @rule(at=st.integers(0, 191), power=st.integers(0, 5))
    def carve_exactly(self, at, power):
        prefix = self.prefix(at, power)
        span = range(prefix.first - self.base, prefix.last - self.base + 1)
        if all(self.model[n] is None for n in span):
            carve(self.store, prefix, State.HANDED_OUT, None, require_free(self.store, prefix))
            self.mark(prefix, prefix)
        else:
            try:
                require_free(self.store, prefix)
            except Overlaps as refusal:
                assert refusal.conflicts
            else:
                raise AssertionError(f"{prefix} was given twice")

    @rule(power=st.integers(0, 6), how=st.sampled_from(["snug", "low", "roomy", "beside"]), at=st.integers(0, 191))
    def place_somewhere(self, power, how, at):
        length = self.bits - power
        free = [
            Prefix(self.family, self.base + n, length)
            for n in range(0, 192, 1 << power)
            if all(self.model.get(m, 1) is None for m in range(n, n + (1 << power)))
        ]
        try:
            if how == "beside":
                neighbour = self.prefix(at, 0)
                found = place_beside(self.store, length, neighbour)
            else:
                found = place(self.store, length, how)
        except Exhausted:
            assert not free
            return
        assert found.block in free
        if how == "low":
            assert found.block == min(free)
        widths = [extent.prefix.length for extent in self.extents() if extent.state is State.FREE]
        if how == "snug":
            assert found.within.length == max(n for n in widths if n <= length)
        if how == "roomy":
            assert found.within.length == min(widths)
        carve(self.store, found.block, State.HANDED_OUT, None, found.within)
        self.mark(found.block, found.block)

    @precondition(lambda self: self.taken())
    @rule(n=st.integers(0, 200), many=st.integers(1, 4))
    def give_some_back(self, n, many):
        taken = self.taken()
        chosen = [taken[(n + k) % len(taken)] for k in range(min(many, len(taken)))]
        give_back(self.store, [Extent(p, State.HANDED_OUT, None) for p in chosen])
        for prefix in chosen:
            self.mark(prefix, None)

    def extents(self):
        type(self).sync(self.store)
        return type(self).read_all(self.store)

    @invariant()
    def the_partition_is_the_model(self):
        if not hasattr(self, "store"):
            return
        extents = self.extents()
        assert sum(e.prefix.size for e in extents) == 192
        for extent in extents:
            span = range(extent.prefix.first - self.base, extent.prefix.last - self.base + 1)
            expected = None if extent.state is State.FREE else extent.prefix
            assert all(self.model[n] == expected for n in span)
        free = [e.prefix for e in extents if e.state is State.FREE]
        for prefix in free:  # joined wherever that stays inside a range
            whole = prefix.enclosing(prefix.length - 1)
            if any(r.contains(whole) for r in self.ranges):
                assert prefix.buddy() not in free
        counts = {}
        for prefix in free:
            counts[prefix.length] = counts.get(prefix.length, 0) + 1
        assert dict(self.store.free_counts()) == counts
