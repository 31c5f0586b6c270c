"""Whatever is done in whatever order, everything that must hold, holds; and looking agrees with counting."""

from __future__ import annotations

from datetime import timedelta

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, containing, parse_prefix
from lentra.addressing.refusal import Refusal
from tests.registry.test_dns import add_zone, keep


@pytest.fixture(autouse=True)
def _database(registry_database):
    """The machine's worlds live in this database."""


BASE = parse_prefix("10.40.0.0/20")


class AnyOrder(RuleBasedStateMachine):
    """Requests, holds, growth, reservations, releases, carving, keep-outs, hosts with their names in DNS, renumberings and
    upkeep in random order, in one realm."""

    def __init__(self):
        super().__init__()
        from tests.registry.conftest import World

        self.world = World()
        self.pools = [self.world.pool(str(BASE), "fd46:40::/48", cooling_days=1)]
        self.living: list[int] = []
        self.kept: list[int] = []
        self.moves = 0
        add_zone(self.world, "ferry.example", gateway_names="gate.{subnet}")
        add_zone(self.world, "40.10.in-addr.arpa")

    def attempt(self, work, *values, **named):
        """Do something; a refusal must leave a reason."""
        try:
            return work(*values, **named)
        except Refusal as refusal:
            assert len(str(refusal)) > 10
            return None

    @rule(
        pick=st.integers(0, 9),
        length=st.integers(22, 30),
        count=st.integers(1, 3),
        how=st.sampled_from(["snug", "low", "roomy"]),
        families=st.sampled_from([[4], [4, 6]]),
        room=st.integers(0, 2),
        hold=st.sampled_from([0, 0, 30]),
    )
    def ask(self, pick, length, count, how, families, room, hold):
        pool = self.pools[pick % len(self.pools)]
        if 6 in families and not any(r.family == 6 for r in pool.ranges.all()):
            families = [4]
        asked = {"length": length, "count": count, "placement": how, "families": families}
        made = self.attempt(self.world.ask, pool, **asked, room=room, hold_minutes=hold)
        self.living += [subnet.pk for subnet in made or []]

    @rule(pick=st.integers(0, 9), at=st.integers(0, 4095), length=st.integers(24, 30))
    def ask_exactly(self, pick, at, length):
        block = containing(4, BASE.first + at, length)
        made = self.attempt(self.world.ask, self.pools[pick % len(self.pools)], prefix=str(block))
        self.living += [subnet.pk for subnet in made or []]

    @precondition(lambda self: self.living)
    @rule(pick=st.integers(0, 99), at_once=st.booleans())
    def release(self, pick, at_once):
        from lentra.registry.operations.subnets.give_back import give_back_subnet

        number = self.living.pop(pick % len(self.living))
        self.attempt(self.world.do, give_back_subnet, number, at_once=at_once, despite_use=number % 2 == 0)

    @precondition(lambda self: self.living)
    @rule(
        pick=st.integers(0, 99),
        name=st.sampled_from(["crane", "light_1", "light-1", "horn"]),
        aliases=st.sampled_from([[], [], ["quay"], ["horn"]]),
    )
    def host(self, pick, name, aliases):
        from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

        wanted = AddressRequest(name=name, aliases=aliases, secondary=pick % 5 == 0)
        self.attempt(self.world.do, record_addresses, self.living[pick % len(self.living)], wanted)

    @rule(pick=st.integers(0, 99), how=st.sampled_from(["release", "aliases", "name"]))
    def change_host(self, pick, how):
        from lentra.registry.models import Address
        from lentra.registry.operations.subnets.record_addresses import edit_address, release_address

        there = list(Address.objects.filter(realm=self.world.realm).order_by("pk"))
        if not there:
            return
        record = there[pick % len(there)].pk
        if how == "release":
            self.attempt(self.world.do, release_address, record)
        else:
            values = (
                {"aliases": ["quay", "pier"][: pick % 3]} if how == "aliases" else {"name": f"buoy-{pick % 3}"}
            )
            self.attempt(self.world.do, edit_address, record, values)

    @rule()
    def names_are_kept(self):
        keep()

    @precondition(lambda self: self.living)
    @rule(
        pick=st.integers(0, 99),
        length=st.integers(21, 30),
        how=st.sampled_from(["grow", "shrink", "room", "replace"]),
    )
    def resize(self, pick, length, how):
        from lentra.registry.models import Subnet
        from lentra.registry.operations.subnets.grow import grow_subnet, set_room, shrink_subnet
        from lentra.registry.operations.subnets.replace_subnet import replace_subnet

        number = self.living[pick % len(self.living)]
        if how == "grow":
            self.attempt(
                self.world.do, grow_subnet, number, length=length, downward=pick % 2 == 0, second=pick % 3 == 0
            )
        elif how == "shrink":
            self.attempt(self.world.do, shrink_subnet, number, length=length, as_room=pick % 2 == 0)
        elif how == "room":
            self.attempt(self.world.do, set_room, number, pick % 3)
        else:
            self.attempt(self.world.do, replace_subnet, number, {"length": length})
            self.living += (
                Subnet.objects.filter(replaces=number).exclude(pk__in=self.living).values_list("pk", flat=True)
            )

    @rule(
        pick=st.integers(0, 9),
        first=st.integers(0, 4000),
        extra=st.integers(0, 200),
        hours=st.sampled_from([0, 5, 30]),
    )
    def reserve(self, pick, first, extra, hours):
        from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

        ends_at = self.world.clock.moment + timedelta(hours=hours) if hours else None
        span = (4, BASE.first + first, BASE.first + first + extra)
        wanted = ReservationRequest(self.pools[pick % len(self.pools)].pk, "to come", range=span, ends_at=ends_at)
        self.attempt(self.world.do, reserve, wanted)

    @rule(pick=st.integers(0, 9), length=st.integers(26, 30))
    def draw(self, pick, length):
        from lentra.registry.models import Reservation

        kept = list(Reservation.objects.filter(realm=self.world.realm).order_by("pk"))
        if kept:
            one = kept[pick % len(kept)]
            made = self.attempt(self.world.ask, one.pool, length=length, reservation=one.pk)
            self.living += [subnet.pk for subnet in made or []]

    @rule(pick=st.integers(0, 9))
    def give_reservation_back(self, pick):
        from lentra.registry.models import Reservation
        from lentra.registry.operations.reservations.reserve import give_back_reservation

        kept = list(Reservation.objects.filter(realm=self.world.realm).order_by("pk"))
        if kept:
            self.world.do(give_back_reservation, kept[pick % len(kept)].pk)

    @rule(hours=st.integers(1, 40))
    def time_passes(self, hours):
        from lentra.registry.upkeep import run_upkeep

        self.world.clock.moment += timedelta(hours=hours)
        run_upkeep(self.world.clock)

    @rule(pick=st.integers(0, 9), length=st.integers(22, 26))
    def carve(self, pick, length):
        if len(self.pools) < 5:
            parent = self.pools[pick % len(self.pools)]
            name = f"carved-{len(self.pools)}-{self.world.clock.moment:%j%H}-{pick}"
            made = self.attempt(self.world.carve, parent, name=name, lengths=[(4, length)])
            if made:
                self.pools.append(made)

    @precondition(lambda self: len(self.pools) > 1)
    @rule()
    def give_pool_back(self):
        from lentra.registry.models import Pool
        from lentra.registry.operations.pools.carve_pool import give_back_pool

        self.attempt(self.world.do, give_back_pool, self.pools[-1].pk)
        self.pools = [p for p in self.pools if Pool.objects.filter(pk=p.pk).exists()]

    @rule(first=st.integers(0, 4000), extra=st.integers(0, 95), despite_use=st.booleans())
    def keep_out(self, first, extra, despite_use):
        text = "-".join(str(Prefix(4, BASE.first + n, 32)).partition("/")[0] for n in (first, first + extra))
        made = self.attempt(self.world.keep_out, text, despite_use)
        if made:
            self.kept.append(made.pk)

    @precondition(lambda self: self.kept)
    @rule()
    def lift(self):
        from lentra.registry.models import KeepOut
        from lentra.registry.operations.pools.add_keep_out import remove_keep_out

        self.world.do(remove_keep_out, KeepOut.objects.get(pk=self.kept.pop()), why="found unused")

    @rule(
        pick=st.integers(0, 99),
        part=st.integers(0, 15),
        what=st.sampled_from(["range", "range", "subnet", "pool"]),
        elsewhere=st.booleans(),
        waves=st.sampled_from(["at-once", "zone"]),
    )
    def renumber(self, pick, part, what, elsewhere, waves):
        from lentra.registry.operations.renumbering.laying import Wanted
        from lentra.registry.operations.renumbering.renumber import start_renumbering

        pool = self.pools[pick % len(self.pools)].pk
        first = BASE.first + 256 * part
        wanted = {
            "range": {"from_ranges": [(4, first, first + 255)], "vacate": pick % 2 == 0},
            "subnet": {"from_subnets": self.living[pick % 7 : pick % 7 + 2] or [1]},
            "pool": {"from_pool": self.pools[part % len(self.pools)].pk},
        }[what]
        self.moves += 1
        meant = Wanted(**wanted, to_pool=pool if elsewhere else None, realm=self.world.realm_name)
        self.attempt(self.world.do, start_renumbering, f"move-{self.moves}", meant, waves=waves)
        self.living_again()

    @precondition(lambda self: self.moves)
    @rule(
        pick=st.integers(0, 99), how=st.sampled_from(["begin_wave", "finish_wave", "turn_back"]), one=st.booleans()
    )
    def move_on(self, pick, how, one):
        from lentra.registry.models import Move, Renumbering
        from lentra.registry.operations.renumbering import waves

        there = list(Renumbering.objects.filter(realm=self.world.realm, state="moving").order_by("pk"))
        if not there:
            return
        made = there[pick % len(there)]
        first = Move.objects.filter(renumbering=made).order_by("place")[pick % 2 : pick % 2 + 1]
        part = waves.Part(subnets=[move.old_id for move in first] if one else [])
        self.attempt(self.world.do, getattr(waves, how), made.pk, part)
        self.living_again()

    def living_again(self):
        from lentra.registry.models import Subnet

        rows = Subnet.objects.filter(realm=self.world.realm).exclude(state="cooling").order_by("pk")
        self.living = list(rows.values_list("pk", flat=True))

    @invariant()
    def everything_holds(self):
        from lentra.registry.reports.verify import verify

        found = verify(self.world.realm)
        assert found["clean"], found["offences"]

    @invariant()
    def looking_finds_what_a_plain_search_finds(self):
        """The one-step look-up of what holds an address, beside comparing with every extent."""
        from lentra.registry.models import ExtentRow
        from lentra.registry.space.evidence import extents_over

        rows = list(ExtentRow.objects.filter(realm=self.world.realm, family=4).exclude(state=State.CARVED))
        for at in (0, 77, 1023, 2048, 4095):
            address = BASE.first + at
            (expected,) = [r for r in rows if r.prefix.first <= address <= r.prefix.last]
            (found,) = extents_over(self.world.realm.pk, 4, address, address)
            assert (found.pk, found.state) == (expected.pk, expected.state)

    @invariant()
    def what_keep_outs_cover_is_never_free(self):
        from lentra.registry.models import ExtentRow, KeepOut

        free = ExtentRow.objects.filter(realm=self.world.realm, family=4, state=State.FREE)
        for keep_out in KeepOut.objects.filter(pk__in=self.kept):
            for row in free:
                assert row.prefix.last < keep_out.first or keep_out.last < row.prefix.first


TestAnyOrder = AnyOrder.TestCase
TestAnyOrder.settings = settings(
    max_examples=12, stateful_step_count=20, deadline=None, suppress_health_check=list(HealthCheck)
)
