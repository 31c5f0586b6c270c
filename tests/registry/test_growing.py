"""Room, growing, shrinking, replacing; ranges that change; the second family."""

import pytest

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Refusal


def test_room_is_kept_at_hand_out_and_grown_into(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.grow import grow_subnet

    pool = world.pool("10.40.64.0/23")
    (first,) = world.ask(pool, length=26, room=1, hosts=50)
    (second,) = world.ask(pool, length=26)
    assert [str(p) for p in first.room()] == ["10.40.64.64/26"]
    assert str(second.blocks()[0]) == "10.40.64.128/26"  # not in the room
    world.do(grow_subnet, first.pk, hosts=100)
    grown = Subnet.objects.get(pk=first.pk)
    assert ([str(b) for b in grown.blocks()], grown.room(), grown.hosts) == (["10.40.64.0/25"], [], 100)
    holds()


def test_growing_says_what_is_in_the_way_and_what_would_do(world, holds):
    from lentra.registry.operations.subnets.grow import grow_subnet

    pool = world.pool("10.40.64.0/23")
    first, second = world.ask(pool, length=26, count=2)
    with pytest.raises(Refusal) as refused:
        world.do(grow_subnet, first.pk)
    assert refused.value.code == "cannot-grow"
    assert f"10.40.64.64/26 (handed out, {second.name}) is in the way" in str(refused.value)
    assert refused.value.suggestions == ["second block 10.40.64.128/26", "replace it with 10.40.64.128/25"]
    with pytest.raises(Refusal, match="first address would change"):
        world.do(grow_subnet, second.pk)
    world.do(grow_subnet, first.pk, second=True)
    assert [str(b) for b in type(first).objects.get(pk=first.pk).blocks()] == ["10.40.64.0/26", "10.40.64.128/26"]
    holds()


def test_growing_downward_is_done_on_explicit_word_alone(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.grow import grow_subnet

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, prefix="10.40.64.128/25")
    with pytest.raises(Refusal) as refused:
        world.do(grow_subnet, one.pk)
    assert "downward: true" in refused.value.suggestions
    world.do(grow_subnet, one.pk, downward=True)
    assert str(Subnet.objects.get(pk=one.pk).blocks()[0]) == "10.40.64.0/24"
    holds()


def test_growing_beyond_the_pool_or_its_bounds_is_refused(world):
    from lentra.registry.operations.subnets.grow import grow_subnet

    pool = world.pool("10.40.64.0/25", longest_v4=29, shortest_v4=25)
    (one,) = world.ask(pool, length=25)
    with pytest.raises(Refusal, match="pool pool hands out /25 to /29"):
        world.do(grow_subnet, one.pk)


def test_shrinking_gives_back_the_unused_part(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.grow import set_room, shrink_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=25, hosts=100)
    with pytest.raises(Refusal, match="100 hosts are expected"):
        world.do(shrink_subnet, one.pk, length=26)
    world.do(record_addresses, one.pk, AddressRequest(name="mast", address="10.40.64.100"))
    with pytest.raises(Refusal, match=r"10\.40\.64\.100 \(mast\) would be outside") as refused:
        world.do(shrink_subnet, one.pk, hosts=50)
    assert refused.value.code == "in-use"
    world.do(shrink_subnet, one.pk, keep=P("10.40.64.64/26"), hosts=50)
    assert str(Subnet.objects.get(pk=one.pk).blocks()[0]) == "10.40.64.64/26"
    assert ("10.40.64.0/26", "free") in world.space(pool)
    (two,) = world.ask(pool, length=26, prefix="10.40.64.128/26")
    world.do(set_room, two.pk, 1)
    assert ("10.40.64.192/26", "room") in world.space(pool)
    world.do(set_room, two.pk, 0)
    world.do(shrink_subnet, two.pk, length=27, as_room=True)
    assert ("10.40.64.160/27", "room") in world.space(pool)
    holds()


def test_a_replaced_subnet_retires_beside_the_new_one_until_it_is_given_back(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet

    pool = world.pool("10.40.64.0/24")
    (old,) = world.ask(pool, hosts=20, purpose="boards")
    world.do(replace_subnet, old.pk, {"hosts": 60})
    new = Subnet.objects.get(replaces=old.pk)
    old.refresh_from_db()
    assert (old.state, new.state, new.purpose) == ("retiring", "active", "boards")
    assert new.blocks()[0].length == 26
    with pytest.raises(Refusal, match="is retiring"):
        world.do(replace_subnet, old.pk, {"hosts": 60})
    world.do(give_back_subnet, old.pk)
    old.refresh_from_db()
    assert old.state == "cooling"
    holds()


def test_what_cannot_be_edited_offers_to_replace(world):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=26)
    with pytest.raises(Refusal) as refused:
        world.do(edit_subnet, one.pk, {"zone": "elsewhere"})
    assert (refused.value.code, refused.value.suggestions) == ("frozen-field", ["replace"])


# --- the second family ---


def test_ipv6_is_added_to_a_pool_and_to_its_subnets_with_paired_numbering(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.pools.add_pool import add_range
    from lentra.registry.operations.subnets.add_family import add_second_family

    parent = world.pool("10.40.0.0/16", "fd46:40::/44")
    pool = world.carve(parent, "10.40.64.0/24")
    subnets = world.ask(pool, length=26, count=3)
    with pytest.raises(Refusal, match="has no IPv6 range: add one to pool inner first"):
        world.do(add_second_family, pool.pk)
    with pytest.raises(Refusal, match="has no IPv6 range"):
        world.ask(pool, length=26, families=[4, 6])
    world.do(add_range, pool.pk, length=(6, 56))
    world.do(add_second_family, pool.pk)
    found = [[str(b) for b in Subnet.objects.get(pk=s.pk).blocks()][1] for s in subnets]
    assert found == ["fd46:40::/64", "fd46:40:0:1::/64", "fd46:40:0:2::/64"]
    holds()


def test_blocks_numbered_by_segment_tag(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.add_family import add_second_family

    pool = world.pool("10.40.64.0/24", "fd46:40::/48")
    (tagged,) = world.ask(pool, length=26, tag=17)
    world.do(add_second_family, pool.pk, P("fd46:40:0:1100::/56"), "tag")
    assert str(Subnet.objects.get(pk=tagged.pk).blocks()[1]) == "fd46:40:0:1111::/64"
    world.ask(pool, length=26)
    with pytest.raises(Refusal, match="has no segment tag to number by"):
        world.do(add_second_family, pool.pk, None, "tag")
    holds()


# --- ranges that change ---


def test_a_range_is_widened_and_narrowed_while_all_stays_where_it_is(world, holds):
    from lentra.registry.operations.pools.change_range import change_range

    pool = world.pool("10.40.64.0/24")
    world.ask(pool, length=26)
    world.do(change_range, pool.pk, P("10.40.64.0/24"), P("10.40.64.0/22"))
    assert sum(P(text).size for text, _ in world.space(pool)) == 1024
    world.do(change_range, pool.pk, P("10.40.64.0/22"), P("10.40.64.0/25"))
    assert world.space(pool) == [("10.40.64.0/26", "handed out"), ("10.40.64.64/26", "free")]
    holds()


def test_rebasing_lists_every_child_first_and_moves_them_only_on_a_word(world, holds):
    from lentra.registry.models import Address, Reservation, Subnet
    from lentra.registry.operations.pools.change_range import change_range
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    top = world.pool("10.40.0.0/16")
    pool = world.carve(top, "10.40.64.0/22", name="mid")
    inner = world.carve(pool, "10.40.65.0/24", name="low")
    (one,) = world.ask(pool, length=26)
    (two,) = world.ask(inner, length=26)
    world.do(edit_subnet, two.pk, {"gateway": "10.40.65.1", "dhcp": "10.40.65.20-10.40.65.30"})
    world.do(record_addresses, two.pk, AddressRequest(name="mast", address="10.40.65.5"))
    world.do(
        reserve, ReservationRequest(pool.pk, "kept", range=(4, P("10.40.66.0/24").first, P("10.40.66.0/24").last))
    )
    before = world.space(pool) + world.space(inner)
    with pytest.raises(Refusal) as refused:
        world.do(change_range, pool.pk, P("10.40.64.0/22"), P("10.40.96.0/22"))
    assert refused.value.code == "does-not-fit"
    lands = {c["range"]: c["lands"] for c in refused.value.conflicts}
    assert lands == {
        "10.40.64.0/26": "10.40.96.0/26",
        "10.40.65.0/24": "10.40.97.0/24",
        "10.40.66.0/24": "10.40.98.0/24",
    }
    assert world.space(pool) + world.space(inner) == before
    world.do(change_range, pool.pk, P("10.40.64.0/22"), P("10.40.96.0/22"), rebase=True)
    assert str(Subnet.objects.get(pk=one.pk).blocks()[0]) == "10.40.96.0/26"
    moved = Subnet.objects.get(pk=two.pk)
    assert (str(moved.blocks()[0]), moved.gateway, moved.dhcp) == (
        "10.40.97.0/26",
        "10.40.97.1",
        "10.40.97.20-10.40.97.30",
    )
    assert Address.objects.get(subnet=two).text == "10.40.97.5"
    assert Reservation.objects.get(pool=pool).range_text == "10.40.98.0/24"
    holds()


def test_what_has_no_place_in_the_new_range_is_named(world, holds):
    from lentra.registry.operations.pools.change_range import change_range

    pool = world.pool("10.40.64.0/24")
    world.ask(pool, prefix="10.40.64.192/26", name="far-end")
    with pytest.raises(Refusal, match=r"10\.40\.64\.192/26 \(far-end\) has no place in 10\.41\.0\.0/25"):
        world.do(change_range, pool.pk, P("10.40.64.0/24"), P("10.41.0.0/25"), rebase=True)
    holds()
