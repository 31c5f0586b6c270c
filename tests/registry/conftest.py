"""A small world of its own for each test: realm, places, people, a pool."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime, timedelta

import pytest

from lentra.addressing.prefix import parse_prefix, parse_range
from lentra.registry.transactions.clock import SetClock


class World:
    """Runs operations under a set clock and keeps names apart from other tests'."""

    def __init__(self) -> None:
        from lentra.registry.models import Project, Realm, Region, Sheet, Tier, Zone
        from lentra.registry.operations.setup.add_realm import add_realm
        from lentra.registry.operations.setup.add_record import add_record

        self.clock = SetClock(datetime(2026, 3, 1, 8, tzinfo=UTC))
        mark = uuid.uuid4().hex[:8]
        self.realm_name = f"r-{mark}"
        self.do(add_realm, {"name": self.realm_name})
        self.realm = Realm.objects.get(name=self.realm_name)
        self.do(add_record, "region", {"name": f"isles-{mark}"})
        self.region = Region.objects.get(name=f"isles-{mark}")
        self.do(add_record, "zone", {"name": f"pier-{mark}", "region": self.region})
        self.zone = Zone.objects.get(name=f"pier-{mark}")
        self.do(add_record, "tier", {"name": f"app-{mark}"})
        self.tier = Tier.objects.get(name=f"app-{mark}")
        self.do(add_record, "project", {"name": f"ferry-{mark}"})
        self.project = Project.objects.get(name=f"ferry-{mark}")
        self.sheets = {sheet.name: sheet for sheet in Sheet.objects.all()}

    def do(self, operation, *values, actor=None, why="", preview=False, **named):
        from lentra.registry.transactions.run import run_transaction

        return run_transaction(
            lambda change: operation(change, *values, **named),
            actor=actor,
            clock=self.clock,
            why=why,
            preview=preview,
            render=lambda result, change: None,
        )

    def later(self, **span) -> None:
        self.clock.moment += timedelta(**span)

    def pool(self, *ranges, name="pool", sheet="ends-withheld", **values):
        from lentra.registry.models import Pool
        from lentra.registry.operations.pools.add_pool import add_pool

        fields = {"name": name, "realm": self.realm, "sheet": self.sheets[sheet], **values}
        self.do(add_pool, fields, [parse_prefix(text) for text in ranges])
        return Pool.objects.get(realm=self.realm, name=name)

    def carve(self, parent, *ranges, name="inner", lengths=(), **values):
        from lentra.registry.models import Pool
        from lentra.registry.operations.pools.carve_pool import carve_pool

        self.do(carve_pool, parent.pk, {"name": name, **values}, [parse_prefix(t) for t in ranges], list(lengths))
        return Pool.objects.get(realm=self.realm, name=name)

    def ask(self, pool, preview=False, actor=None, **wanted):
        """Hand out; returns the subnets (or the whole answer of a preview)."""
        from lentra.registry.operations.subnets.hand_out import hand_out
        from lentra.registry.requests.request import SubnetRequest
        from lentra.registry.transactions.run import run_transaction

        fields = {
            "pool": pool.pk,
            "project": self.project.name,
            "tier": self.tier.name,
            "zone": self.zone.name,
            **wanted,
        }
        box = []
        run_transaction(
            lambda change: hand_out(change, SubnetRequest(**fields)),
            actor=actor,
            clock=self.clock,
            preview=preview,
            render=lambda result, change: box.append(result),
        )
        return box[-1] if preview else box[-1].subnets

    def keep_out(self, text, despite_use=False, **values):
        from lentra.registry.models import KeepOut
        from lentra.registry.operations.pools.add_keep_out import add_keep_out

        family, first, last = parse_range(text)
        fields = {"realm": self.realm, "family": family, "first": first, "last": last, "reason": "used elsewhere"}
        self.do(add_keep_out, fields | values, despite_use)
        return KeepOut.objects.filter(realm=self.realm, first=first, last=last).latest("id")

    def limit(self, project=None, **limits):
        """Set a quota, or edit the one that is there."""
        from lentra.registry.models import Quota
        from lentra.registry.operations.setup.limit_project import add_quota, edit_quota

        where = {name: limits.pop(name, None) for name in ("realm", "region", "pool")}
        project = project or self.project
        there = Quota.objects.filter(project=project, **where).first()
        if there:
            self.do(edit_quota, there.pk, limits)
        else:
            self.do(add_quota, {"project": project, **where, **limits})
        return there or Quota.objects.get(project=project, **where)

    def space(self, pool):
        """The pool's extents as (prefix, state) in order."""
        from lentra.addressing.extents import State
        from lentra.registry.models import ExtentRow

        rows = ExtentRow.objects.filter(pool=pool).order_by("family", "first")
        return [(str(row.prefix), State(row.state).word) for row in rows]

    def person(self, role, projects=()):
        from lentra.registry.models import Person
        from lentra.registry.operations.people.manage_people import add_person

        name = f"{role}-{uuid.uuid4().hex[:8]}"
        self.do(add_person, {"name": name, "role": role}, None, list(projects))
        return Person.objects.get(name=name)


@pytest.fixture
def world(registry_database) -> World:
    from lentra.registry.models import Reading

    Reading.objects.all().delete()  # every world begins on the same day
    return World()


@pytest.fixture
def holds(world):
    """Checks that everything that must hold, holds in the test's own world."""
    from lentra.registry.reports.verify import verify

    def check():
        found = verify(world.realm)
        assert found["clean"], found["offences"]

    return check


@pytest.fixture
def readings(world):
    """Takes readings day by day while something happens."""

    def run(days, happening=lambda n: None):
        from lentra.registry.foresight.readings import take_readings

        for n in range(days):
            happening(n)
            take_readings(world.clock)
            world.later(days=1)

    return run
