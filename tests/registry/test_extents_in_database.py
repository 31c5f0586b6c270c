"""The database's store of extents keeps the same contract as the one in memory."""

import pytest
from hypothesis import HealthCheck, settings

from tests.extents_contract import ExtentsMachine


@pytest.fixture(autouse=True)
def _database(registry_database):
    """The machine makes its pools in this database."""


class InDatabase(ExtentsMachine):
    @staticmethod
    def make_store(family, ranges):
        from lentra.registry.models import ExtentRow, Pool, PoolRange, Realm, Sheet, Space
        from lentra.registry.space.store import DatabaseExtents

        realm, _ = Realm.objects.get_or_create(name="machine", defaults={"id": 10**12, "last_entry": 0})
        sheet = Sheet.objects.first()
        pool, _ = Pool.objects.get_or_create(
            name="machine", realm=realm, defaults={"id": 10**12 + 1, "last_entry": 0, "sheet": sheet}
        )
        for model in (ExtentRow, PoolRange, Space):
            model.objects.filter(pool=pool).delete()
        for r in ranges:
            PoolRange.objects.create(
                pool=pool, realm=realm, family=family, first=r.first, last=r.last, length=r.length, top=True
            )
        store = DatabaseExtents(Space.objects.create(pool=pool, realm=realm, family=family))
        store._ranges = []
        for r in ranges:
            store.add_range(r)
        InDatabase.sync(store)
        return store

    @staticmethod
    def sync(store):
        from lentra.registry.transactions.sql import Batch

        batch = Batch()
        store.save(batch)
        batch.send()

    @staticmethod
    def read_all(store):
        return store.overlapping(store.ranges[0].first, store.ranges[-1].last)

    def teardown(self):
        from lentra.registry.models import ExtentRow, Pool, PoolRange, Realm, Space

        for model in (ExtentRow, PoolRange, Space):
            model.objects.filter(pool_id=10**12 + 1).delete()
        Pool.objects.filter(pk=10**12 + 1).delete()
        Realm.objects.filter(pk=10**12).delete()


TestInDatabase = InDatabase.TestCase
TestInDatabase.settings = settings(
    max_examples=12, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
)


def test_many_extents_that_come_free_ask_for_their_buddies_together(registry_database):
    from django.db import connection
    from django.test.utils import CaptureQueriesContext

    from lentra.addressing.extents import Extent, State, carve, give_back, require_free
    from lentra.addressing.prefix import parse_prefix

    whole = parse_prefix("10.40.0.0/16")
    store = InDatabase.make_store(4, [whole])
    taken = [whole.child(26, n) for n in range(0, 1024, 3)]  # apart from one another, so that each has a buddy
    for block in taken:
        carve(store, block, State.KEPT_OUT, None, within=require_free(store, block))
    InDatabase.sync(store)
    with CaptureQueriesContext(connection) as asked:
        free = give_back(store, [Extent(block, State.KEPT_OUT) for block in taken])
    assert [str(prefix) for prefix in free] == ["10.40.0.0/16"]
    assert len(asked) <= 4
    InDatabase.sync(store)
    assert [(str(e.prefix), e.state) for e in store.overlapping(whole.first, whole.last)] == [
        ("10.40.0.0/16", State.FREE)
    ]
