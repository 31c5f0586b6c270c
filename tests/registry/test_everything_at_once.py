"""Every operation at the same moment as every other on the same records, and every proposal with something in between."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal
from tests.registry.conftest import World
from tests.registry.test_space_stays_right import at_once, reserve


class Ground:
    """Records that all operations below work on: a pool and one carved from it, subnets, a record, a reservation, a plan."""

    def __init__(self) -> None:
        from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

        self.world = world = World()
        self.pool = world.pool("10.40.64.0/20", "fd46:40::/48", cooling_days=0)
        self.inner = world.carve(self.pool, "10.40.72.0/22")
        self.subnet, self.other = world.ask(self.pool, length=26, count=2, room=1, tag="next")
        (self.held,) = world.ask(self.pool, length=27, hold_minutes=30)
        self.kept = reserve(world, self.pool, "10.40.68.0/24")
        world.do(record_addresses, self.subnet.pk, AddressRequest(name="mast", address=self.address(3)))
        self.keep_out = world.keep_out("10.40.79.0/24")

    def address(self, n: int) -> str:
        from lentra.addressing.prefix import address_text

        return address_text(4, self.subnet.blocks()[0].first + n)

    def document(self, zones: int = 1) -> dict:
        return {
            "format": "lentra-plan-1",
            "name": "layout",
            "project": self.world.project.name,
            "pools": {"ipv4": f"{self.world.realm_name}:{self.pool.name}"},
            "zones": [self.world.zone.name],
            "tiers": [{"tier": self.world.tier.name, "length": 27, "count": 2}],
            "summarise": "zone",
            "room": {"tiers": 1},
        }


def _do(path: str, *values, **named):
    """An operation, by module and name, on a ground; values may be functions of it."""

    def run(ground: Ground):
        import importlib

        module, _, name = path.rpartition(".")
        operation = getattr(importlib.import_module(f"lentra.registry.operations.{module}"), name)
        given_values = [value(ground) if callable(value) else value for value in values]
        given_names = {key: value(ground) if callable(value) else value for key, value in named.items()}
        return ground.world.do(operation, *given_values, **given_names, why="at once")

    return run


def _commit(ground: Ground):
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.reading import read_document

    ground.world.do(commit_plan, read_document(ground.document()))


def _record(ground: Ground):
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    ground.world.do(record_addresses, ground.subnet.pk, AddressRequest(name="late", address=ground.address(40)))


def _renumber(name: str, **wanted):
    def run(ground: Ground):
        from lentra.registry.operations.renumbering.laying import Wanted
        from lentra.registry.operations.renumbering.renumber import start_renumbering

        of = wanted or {"from_subnets": [ground.subnet.pk]}
        ground.world.do(start_renumbering, name, Wanted(**of, realm=ground.world.realm_name))

    return run


OPERATIONS = {
    "hand out": lambda g: g.world.ask(g.pool, length=26),
    "hand out there": lambda g: g.world.ask(g.pool, prefix="10.40.65.0/26"),
    "hold": lambda g: g.world.ask(g.pool, length=27, hold_minutes=5, name="quay-x"),
    "draw": lambda g: g.world.ask(g.pool, length=26, count=2, reservation=g.kept.pk),
    "confirm": _do("subnets.replace_subnet.confirm_held", lambda g: g.held.pk),
    "replace": _do("subnets.replace_subnet.replace_subnet", lambda g: g.subnet.pk, {}),
    "grow": _do("subnets.grow.grow_subnet", lambda g: g.subnet.pk),
    "shrink": _do("subnets.grow.shrink_subnet", lambda g: g.subnet.pk, length=28),
    "keep room": _do("subnets.grow.set_room", lambda g: g.subnet.pk, 0),
    "give back": _do("subnets.give_back.give_back_subnet", lambda g: g.subnet.pk, despite_use=True),
    "edit": _do("subnets.edit_subnet.edit_subnet", lambda g: g.subnet.pk, {"purpose": "other", "gateway": "last"}),
    "retag": _do("subnets.edit_subnet.edit_subnet", lambda g: g.other.pk, {"tag": 9}),
    "record": _record,
    "reserve": lambda g: reserve(g.world, g.pool, "10.40.65.0/25", name="now"),
    "give reservation back": _do("reservations.reserve.give_back_reservation", lambda g: g.kept.pk),
    "carve": lambda g: g.world.carve(g.pool, "10.40.65.0/24", name="berths"),
    "give pool back": _do("pools.carve_pool.give_back_pool", lambda g: g.inner.pk),
    "add range": _do("pools.add_pool.add_range", lambda g: g.pool.pk, P("10.41.0.0/24")),
    "keep out": lambda g: g.world.keep_out("10.40.65.0/26"),
    "lift": _do("pools.add_keep_out.remove_keep_out", lambda g: g.keep_out),
    "rebase": _do(
        "pools.change_range.change_range", lambda g: g.pool.pk, P("10.40.64.0/20"), P("10.43.64.0/20"), rebase=True
    ),
    "commit plan": _commit,
    "renumber": _renumber("east-quay"),
    "vacate": _renumber("emptied", from_ranges=[parse_range("10.40.64.0/22")], vacate=True),
    "second family": _do("subnets.add_family.add_second_family", lambda g: g.pool.pk),
}


@pytest.mark.parametrize("first", OPERATIONS)
def test_each_operation_beside_every_other_at_the_same_moment(registry_database, first):
    from lentra.registry.reports.verify import verify

    names = list(OPERATIONS)
    for second in names[names.index(first) :: 2]:  # each pair once over all, every other one a run of this list
        ground = Ground()
        told = at_once(lambda: OPERATIONS[first](ground), lambda: OPERATIONS[second](ground))  # noqa: B023
        odd = [one for one in told if isinstance(one, Exception) and not isinstance(one, Refusal)]
        assert not odd, (first, second, odd)
        assert not any(getattr(one, "code", "") in ("busy", "contradiction") for one in told), (second, told)
        found = verify(ground.world.realm)
        assert found["clean"], (first, second, found["offences"], told)


# --- proposals: exactly what was shown, or refused ---


def _shown_request(ground: Ground, token: str | None, preview: bool):
    made = ground.world.ask(ground.pool, preview=preview, length=27, count=2, room=1, tag="next", proposal=token)
    subnets = made.subnets if preview else made
    return getattr(made, "token", ""), [(s.name, s.tag, [str(b) for b in s.blocks()]) for s in subnets]


def _shown_drawing(ground: Ground, token: str | None, preview: bool):
    made = ground.world.ask(ground.pool, preview=preview, length=27, reservation=ground.kept.pk, proposal=token)
    subnets = made.subnets if preview else made
    return getattr(made, "token", ""), [(s.name, [str(b) for b in s.blocks()]) for s in subnets]


def _shown(ground: Ground, preview: bool, work):
    from lentra.registry.transactions.run import run_transaction

    box = []
    run_transaction(
        work, clock=ground.world.clock, preview=preview, render=lambda result, change: box.append(result)
    )
    return box[-1]


def _shown_replacement(ground: Ground, token: str | None, preview: bool):
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet

    values = {"proposal": token} if token else {}
    made = _shown(ground, preview, lambda change: replace_subnet(change, ground.other.pk, values))
    return made.token, [(s.name, s.tag, [str(b) for b in s.blocks()]) for s in made.subnets]


def _shown_plan(ground: Ground, token: str | None, preview: bool):
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.reading import read_document

    text = read_document(ground.document())
    made = _shown(ground, preview, lambda change: commit_plan(change, text, proposal=token))
    if made.errors:
        raise Refusal(made.errors[0].text)
    slots = [(p.slot.key, p.name, [str(b.block) for b in p.blocks.values()]) for p in made.added]
    return made.token, [*slots, *((r.first, r.last, r.kind, r.zone) for r in made.reserving)]


def _shown_move(ground: Ground, token: str | None, preview: bool):
    from lentra.registry.operations.pools.change_range import change_range

    old, new = P("10.40.64.0/20"), P("10.44.64.0/20")
    made = _shown(
        ground,
        preview,
        lambda change: change_range(change, ground.pool.pk, old, new, rebase=token is None, proposal=token),
    )
    return made.token, [(m.owner, str(m.was), str(m.lands)) for m in made.moves]


PROPOSALS = (_shown_request, _shown_drawing, _shown_replacement, _shown_plan, _shown_move)


@given(
    st.sampled_from(PROPOSALS),
    st.lists(st.sampled_from(list(OPERATIONS)), max_size=3),
    st.integers(0, 40),
)
@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_commit_by_a_proposal_does_what_was_shown_or_refuses(registry_database, proposal, between, minutes):
    from lentra.registry.reports.verify import verify

    ground = Ground()
    token, seen = proposal(ground, None, True)
    for name in between:
        try:
            OPERATIONS[name](ground)
        except Refusal:
            continue
    ground.world.later(minutes=minutes)
    try:
        _, done = proposal(ground, token, False)
    except Refusal as refusal:
        assert between or minutes, refusal
        assert len(refusal.message) > 20
    else:
        assert done == seen
    found = verify(ground.world.realm)
    assert found["clean"], (proposal.__name__, between, found["offences"])


def test_a_committed_plan_committed_again_by_its_preview_changes_nothing(registry_database):
    from lentra.registry.reports.verify import verify

    ground = Ground()
    for _ in range(3):
        token, _ = _shown_plan(ground, None, True)
        _shown_plan(ground, token, False)
        assert verify(ground.world.realm)["clean"]
    states = [state for _, state in ground.world.space(ground.pool)]
    assert [len(list(group)) for state, group in itertools.groupby(sorted(states)) if state == "reserved"]
