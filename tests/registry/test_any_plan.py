"""Whatever a plan asks for: its commit is its preview, everything that must hold holds, and again changes nothing."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.registry.conftest import World

_TIER = st.fixed_dictionaries(
    {"length": st.integers(24, 29)},
    optional={
        "count": st.integers(1, 3),
        "room": st.integers(0, 2),
        "gateway": st.sampled_from(["first", "last"]),
    },
)


@pytest.fixture(scope="module")
def ground(registry_database):
    """One realm with zones and tiers; each example has pools and a plan of its own in it."""
    from lentra.registry.operations.setup.add_record import add_record

    world = World()
    mark = world.realm_name[2:]
    for n in range(4):
        world.do(add_record, "zone", {"name": f"slip-{n}-{mark}", "region": world.region})
        world.do(add_record, "tier", {"name": f"deck-{n}-{mark}"})
    world.count = 0
    return world


@given(
    zones=st.integers(1, 4),
    tiers=st.lists(_TIER, min_size=1, max_size=4),
    summarise=st.sampled_from(["none", "zone", "plan"]),
    spare=st.tuples(st.integers(0, 2), st.integers(0, 2)),
    dual=st.sampled_from(["", "same pool", "other pool"]),
    tags=st.booleans(),
    missing=st.integers(0, 3),
    hold=st.booleans(),
)
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_any_plan(ground, zones, tiers, summarise, spare, dual, tags, missing, hold):
    from lentra.addressing.prefix import parse_prefix
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.operations.plans.remove_plan import remove_plan
    from lentra.registry.plans.reading import read_document
    from lentra.registry.reports.verify import verify
    from lentra.registry.transactions.run import run_transaction

    world = ground
    world.count += 1
    mark = world.realm_name[2:]
    pool = world.pool(
        f"10.{world.count}.0.0/16", f"fd46:{world.count:x}::/48", name=f"p{world.count}", cooling_days=0
    )
    world.ask(pool, length=27, count=world.count % 4 + 1, placement="roomy")
    other = world.pool(f"fd99:{world.count:x}::/48", name=f"v6-{world.count}") if dual == "other pool" else pool
    before = world.space(pool) + world.space(other)
    names = [f"slip-{n}-{mark}" for n in range(zones)]
    entries = [{"tier": f"deck-{n}-{mark}", **entry} for n, entry in enumerate(tiers)]
    if missing < len(entries) and zones > 1:
        entries[missing]["zones"] = names[1:]
    pools = {"ipv4": f"{world.realm_name}:{pool.name}"} | (
        {"ipv6": f"{world.realm_name}:{pool.name}"} if dual else {}
    )
    document = {
        "format": "lentra-plan-1",
        "name": f"plan-{world.count}",
        "project": world.project.name,
        "pools": pools,
        "zones": names,
        "tiers": entries,
        "summarise": summarise,
        **({"room": {"zones": spare[0], "tiers": spare[1]}} if summarise != "none" else {}),
        **({"tags": "next"} if tags else {}),
    }

    def run(text, preview=False, **options):
        box = []
        run_transaction(
            lambda change: commit_plan(change, text, **options),
            clock=world.clock,
            preview=preview,
            render=lambda result, change: box.append(result),
        )
        return box[-1]

    def told(proposed):
        return {
            p.slot.key: (p.name, p.tag, [str(b.block) for _, b in sorted(p.blocks.items())])
            for p in proposed.added
        }

    shown = run(read_document(document), preview=True)
    assert world.space(pool) + world.space(other) == before
    if shown.errors:  # the pool is in pieces already: then it says so, and nothing else
        assert {error.code for error in shown.errors} == {"exhausted"}
        return
    text = read_document(document)
    if hold:
        held = run(text, proposal=shown.token, hold_minutes=5)
        assert told(held) == told(shown)
        done = run(text)
    else:
        done = run(text, proposal=shown.token)
    assert told(done) == told(shown)
    after = world.space(pool) + world.space(other)
    for proposal in (None, run(text, preview=True).token):  # again, also by a preview's proposal: nothing changes
        repeated = run(read_document(document), proposal=proposal)
        assert (repeated.added, repeated.comparison.unwanted) == ([], [])
    assert world.space(pool) + world.space(other) == after
    if summarise != "none":
        for zone in names:
            own = [parse_prefix(b[0]) for key, (_, _, b) in told(done).items() if key.startswith(zone + "/")]
            others = [
                parse_prefix(b[0]) for key, (_, _, b) in told(done).items() if not key.startswith(zone + "/")
            ]
            if not own:
                continue
            low, high = min(b.first for b in own), max(b.last for b in own)
            assert not any(low <= other.first <= high for other in others)
    found = verify(world.realm)
    assert found["clean"], found["offences"]
    world.do(remove_plan, f"{world.realm_name}:plan-{world.count}", give_back=True, despite_use=True)
    assert world.space(pool) + world.space(other) == before
