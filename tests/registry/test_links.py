"""Links: realms that are joined never hand out the same, whatever is done in whatever order, by however many at once."""

from __future__ import annotations

from contextlib import suppress
from datetime import timedelta
from itertools import combinations

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from lentra.addressing.prefix import parse_prefix, parse_range
from lentra.addressing.refusal import Overlaps, Refusal
from lentra.registry.errors import CannotUndo, Invalid, WrongState
from tests.registry.conftest import World
from tests.registry.test_space_stays_right import at_once, reserve


@pytest.fixture
def beside(world):
    """Another world, whose realm is going to be joined to the first."""
    return World()


def link(world, other, name="", **values):
    from lentra.registry.models import Link
    from lentra.registry.operations.links.keep_link import add_link

    chosen = values.pop("chosen", None)
    fields = {"name": name or f"{world.realm_name}-tunnel", "one": world.realm, "other": other.realm, **values}
    world.do(add_link, fields, chosen)
    return Link.objects.get(name=fields["name"])


def unlink(world, found):
    from lentra.registry.operations.links.keep_link import remove_link

    world.do(remove_link, found.pk)


def used(world):
    from lentra.registry.models import ExtentRow

    rows = ExtentRow.objects.filter(realm=world.realm.pk, state__in=(1, 2, 3, 4, 5)).exclude(
        subnet=None, reservation=None
    )
    return [row.prefix for row in rows]


def clashing(one, other):
    return {(str(a), str(b)) for a in used(one) for b in used(other) if a.overlaps(b)}


def clean(*worlds):
    from lentra.registry.reports.verify import verify

    for world in worlds:
        found = verify(world.realm)
        assert found["clean"], found["offences"]


def clashes_of(world):
    from lentra.registry.models import Finding

    rows = Finding.objects.filter(realm=world.realm.pk, kind="clash").exclude(living=None).order_by("first")
    return [finding.range_text for finding in rows]


def test_what_both_have_is_handed_out_by_one_of_them_alone(world, beside):
    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/21", "10.48.0.0/20")
    world.ask(ours, prefix="10.40.64.0/24")
    beside.ask(theirs, prefix="10.40.70.0/24")
    found = link(world, beside)
    assert clashing(world, beside) == set()
    for _ in range(40):
        for one, pool in ((world, ours), (beside, theirs)):
            with suppress(Refusal):
                one.ask(pool, length=25)
    assert clashing(world, beside) == set()
    assert len(used(world)) + len(used(beside)) > 60
    with pytest.raises(Refusal):
        beside.ask(theirs, prefix="10.40.65.0/24")
    clean(world, beside)
    unlink(world, found)
    beside.ask(theirs, prefix="10.40.65.0/24")
    clean(world, beside)


def test_a_link_over_what_both_use_needs_a_reason_and_is_a_finding_until_one_is_gone(world, beside):
    from lentra.registry.models import Finding, KeepOut, Realm
    from lentra.registry.operations.findings.judge_meetings import judge_meetings
    from lentra.registry.operations.links.settle import divide_ripe
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20", cooling_days=0)
    (mine,) = world.ask(ours, prefix="10.40.64.0/24")
    (half,) = beside.ask(theirs, prefix="10.40.64.128/25")
    with pytest.raises(Invalid, match="are both in use: a link over that needs a reason") as refused:
        link(world, beside)
    assert {row["range"] for row in refused.value.conflicts} == {"10.40.64.0/24", "10.40.64.128/25"}
    assert clashes_of(world) == []
    link(world, beside, reason="the piers are joined in spring")
    assert clashes_of(world) == ["10.40.64.0/24"]
    assert clashes_of(beside) == ["10.40.64.128/25"]
    told = Finding.objects.filter(realm=world.realm.pk).latest("pk")
    assert half.name in told.text
    assert told.subnet == mine.pk
    with pytest.raises(Refusal):  # what lies beside it is of whoever has more of it
        beside.ask(theirs, prefix="10.40.65.0/24")
    beside.do(give_back_subnet, half.pk, at_once=True)
    for realm in (world.realm, beside.realm):
        world.do(lambda change, realm=realm: judge_meetings(change, Realm.objects.get(pk=realm.pk)))
    assert clashes_of(world) == clashes_of(beside) == []
    with pytest.raises(Refusal):  # and now the other's alone
        beside.ask(theirs, prefix="10.40.64.128/25")
    answers = []
    for _ in range(2):
        world.do(lambda change: answers.append(divide_ripe(change, world.realm.pk)))
    assert answers == [True, False]
    assert not KeepOut.objects.filter(realm__in=(world.realm.pk, beside.realm.pk), over_use=True).exists()
    world.do(give_back_subnet, mine.pk, at_once=True)
    world.ask(ours, prefix="10.40.64.128/25")
    clean(world, beside)


def test_what_the_wider_side_gives_back_is_not_handed_out_over_what_the_other_still_has(world, beside):
    from lentra.registry.operations.links.settle import divide_ripe
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    ours, theirs = world.pool("10.40.64.0/20", cooling_days=0), beside.pool("10.40.64.0/20")
    (wide,) = world.ask(ours, prefix="10.40.64.0/24")
    beside.ask(theirs, prefix="10.40.64.0/26")
    link(world, beside, reason="until the docks have moved")
    world.do(give_back_subnet, wide.pk, at_once=True)
    with pytest.raises(Refusal, match="has it too"):
        world.ask(ours, prefix="10.40.64.0/25")
    world.ask(ours, prefix="10.40.64.128/25")
    world.do(divide_ripe, beside.realm.pk)
    with pytest.raises(Refusal, match="hands it out"):
        world.ask(ours, prefix="10.40.64.0/26")
    assert clashing(world, beside) == set()
    clean(world, beside)


def test_the_planner_says_who_hands_out_what_neither_uses(world, beside):
    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20")
    chosen = {beside.realm.pk: [parse_range("10.40.72.0/21")]}
    link(world, beside, chosen=chosen)
    beside.ask(theirs, prefix="10.40.72.0/24")
    world.ask(ours, prefix="10.40.64.0/24")
    for one, pool, text in ((world, ours, "10.40.73.0/24"), (beside, theirs, "10.40.65.0/24")):
        with pytest.raises(Refusal, match="hands it out"):
            one.ask(pool, prefix=text)


def test_the_division_is_chosen_anew_and_nothing_that_is_not_to_be_had(world, beside):
    from lentra.registry.operations.links.keep_link import edit_link

    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/21", "10.50.0.0/24")
    world.ask(ours, prefix="10.40.64.0/24")
    found = link(world, beside)
    for wrong, says in (
        ({beside.realm.pk: [parse_range("10.50.0.0/24")]}, "is nothing that it and"),
        ({beside.realm.pk: [parse_range("10.40.64.0/23")]}, "uses 10.40.64.0/24 of it"),
        (
            {n: [parse_range("10.40.66.0/24")] for n in (world.realm.pk, beside.realm.pk)},
            "one of them hands it out",
        ),
    ):
        with pytest.raises(Invalid, match=says):
            world.do(edit_link, found.pk, {}, None, wrong)
    with pytest.raises(Refusal):
        beside.ask(theirs, prefix="10.40.66.0/24")
    world.do(
        edit_link, found.pk, {"about": "the yard grows"}, None, {beside.realm.pk: [parse_range("10.40.66.0/23")]}
    )
    beside.ask(theirs, prefix="10.40.66.0/24")
    with pytest.raises(Refusal, match="hands it out"):
        world.ask(ours, prefix="10.40.67.0/24")
    clean(world, beside)


def test_a_range_that_a_linked_realm_has_is_not_added(world, beside):
    from lentra.registry.models import KeepOut
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out
    from lentra.registry.operations.pools.add_pool import add_range

    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.48.0.0/20")
    found = link(world, beside)
    with pytest.raises(Overlaps, match="which realm .* meets by its links: both would hand it out") as refused:
        world.do(add_range, ours.pk, parse_prefix("10.48.0.0/19"))
    assert refused.value.conflicts[0]["pool"] == theirs.name
    (free,) = refused.value.suggestions
    world.do(add_range, ours.pk, parse_prefix(free))
    answers = at_once(
        *(
            lambda one=one, pool=pool: one.do(add_range, pool.pk, parse_prefix("172.20.0.0/16"))
            for one, pool in ((world, ours), (beside, theirs))
        )
    )
    assert sum(isinstance(answer, Overlaps) for answer in answers) == 1, answers
    clean(world, beside)
    unlink(world, found)
    far = World()
    far.pool("10.48.0.0/20")
    link(beside, far)
    kept = KeepOut.objects.get(realm__in=(beside.realm.pk, far.realm.pk), kind="linked")
    with pytest.raises(WrongState, match="hands it out"):
        far.do(remove_keep_out, kept, why="no more of it")


def test_what_a_side_does_not_show_does_not_meet_and_a_hub_sees_both(world, beside):
    from lentra.registry.operations.links.keep_link import edit_link

    hub = World()
    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20")
    first = link(world, hub, one_shows=["10.40.64.0/24"], other_shows=["10.99.0.0/24"])
    link(beside, hub, one_shows=["10.40.65.0/24"], other_shows=["10.99.0.0/24"])
    for one, pool in ((world, ours), (beside, theirs)):
        one.ask(pool, prefix="10.40.66.0/24")
    world.ask(ours, prefix="10.40.65.0/24")
    beside.ask(theirs, prefix="10.40.65.0/25")
    with pytest.raises(Invalid, match="are both in use"):
        world.do(edit_link, first.pk, {"one_shows": []})
    world.do(edit_link, first.pk, {"one_shows": ["10.40.64.0/23"], "reason": "for the winter"})
    assert clashes_of(world) == ["10.40.65.0/24"]
    assert clashing(world, beside) == {("10.40.66.0/24", "10.40.66.0/24"), ("10.40.65.0/24", "10.40.65.0/25")}
    clean(world, beside, hub)


def test_a_link_is_taken_back_with_what_followed_from_it_and_nothing_of_that_by_itself(world, beside):
    from lentra.registry.models import KeepOut, LedgerEntry, Link, Realm
    from lentra.registry.operations.findings.judge_meetings import judge_meetings
    from lentra.registry.operations.ledger.undo import undo
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20")
    world.ask(ours, prefix="10.40.64.0/24")
    (mine,) = beside.ask(theirs, prefix="10.40.64.0/25")
    found = link(world, beside, reason="for a winter")
    assert clashes_of(world) == ["10.40.64.0/24"]
    beside.do(give_back_subnet, mine.pk, at_once=True)
    world.do(lambda change: judge_meetings(change, Realm.objects.get(pk=world.realm.pk)))
    closed = LedgerEntry.objects.filter(kind="finding", verb="close", realm=world.realm.pk).latest("number")
    with pytest.raises(CannotUndo, match="follows from how realms are linked"):
        world.do(undo, closed.number)
    world.do(undo, found.pk)
    assert not Link.objects.filter(pk=found.pk).exists()
    assert not KeepOut.objects.filter(in_favour_of__in=(world.realm.pk, beside.realm.pk)).exists()
    clean(world, beside)


def test_verification_tells_what_is_not_divided_and_who_hands_out_what_is_not_his(world, beside):
    from lentra.registry.models import ExtentRow, KeepOut
    from lentra.registry.reports.verify import verify

    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20")
    (mine,) = world.ask(ours, prefix="10.40.64.0/24")
    link(world, beside)
    rows = KeepOut.objects.filter(in_favour_of=world.realm.pk)
    rows.update(over_use=False)
    lost = ExtentRow.objects.filter(pool=theirs, state=6).order_by("first").first()
    (other,) = beside.ask(beside.pool("10.50.0.0/24", name="apart"), length=26)
    ExtentRow.objects.filter(pool=theirs, family=4, first=lost.first).update(state=2, subnet=other.pk)
    told = [offence["what"] for offence in verify(beside.realm)["offences"]]
    assert any("it is the other's to hand out" in what for what in told), told
    ExtentRow.objects.filter(pool=theirs, family=4, first=lost.first).update(state=6, subnet=None)
    rows.delete()
    told = [offence["what"] for offence in verify(world.realm)["offences"]]
    assert "both have 10.40.64.0/20, and neither keeps it out for the other" in told
    assert mine.pk


def test_a_reservation_of_the_loser_stays_his(world, beside):
    ours, theirs = world.pool("10.40.64.0/20"), beside.pool("10.40.64.0/20")
    kept = reserve(beside, theirs, "10.40.68.0/24")
    link(world, beside)
    with pytest.raises(Refusal):
        world.ask(ours, prefix="10.40.68.0/25")
    beside.ask(theirs, length=26, reservation=kept.pk)
    clean(world, beside)


class Joined(RuleBasedStateMachine):
    """Three realms over the same ranges: pools, ranges, hand-outs, releases, keep-outs, links and their removal."""

    RANGES = ("10.40.0.0/22", "10.40.4.0/22", "10.40.8.0/22", "10.40.2.0/23")

    def __init__(self):
        super().__init__()
        self.worlds = [World() for _ in range(3)]
        self.pools = [world.pool("10.60.0.0/24", cooling_days=1) for world in self.worlds]
        self.links = {}
        self.living = [[], [], []]
        self.declared = set()

    def attempt(self, work, *values, **named):
        try:
            return work(*values, **named)
        except Refusal as refusal:
            assert len(str(refusal)) > 10
            return None

    def now(self):
        return {
            (one, other): clashing(self.worlds[one], self.worlds[other])
            for one, other in combinations(range(3), 2)
        }

    @rule(at=st.integers(0, 2), text=st.sampled_from(RANGES))
    def extend(self, at, text):
        from lentra.registry.operations.pools.add_pool import add_range

        self.attempt(self.worlds[at].do, add_range, self.pools[at].pk, parse_prefix(text))

    @rule(at=st.integers(0, 2), text=st.sampled_from(RANGES))
    def shorten(self, at, text):
        from lentra.registry.operations.pools.remove_range import remove_range

        self.attempt(self.worlds[at].do, remove_range, self.pools[at].pk, parse_prefix(text))

    @rule(at=st.integers(0, 2), length=st.integers(23, 26), where=st.sampled_from(["low", "snug", "roomy"]))
    def ask(self, at, length, where):
        made = self.attempt(self.worlds[at].ask, self.pools[at], length=length, placement=where)
        self.living[at] += [subnet.pk for subnet in made or ()]

    @rule(at=st.integers(0, 2), pick=st.integers(0, 5), soon=st.booleans())
    def give_back(self, at, pick, soon):
        from lentra.registry.operations.subnets.give_back import give_back_subnet

        if self.living[at]:
            number = self.living[at].pop(pick % len(self.living[at]))
            self.attempt(self.worlds[at].do, give_back_subnet, number, at_once=soon)

    @rule(at=st.integers(0, 2), text=st.sampled_from(RANGES))
    def keep_out(self, at, text):
        self.attempt(self.worlds[at].keep_out, text, despite_use=True)

    @rule(at=st.integers(0, 2), passes=st.booleans(), some=st.booleans())
    def join(self, at, passes, some):
        one, other = at, (at + 1) % 3
        if (one, other) in self.links:
            return
        shows = {"one_shows": ["10.40.0.0/21"]} if some else {}
        self.links[one, other] = link(
            self.worlds[one],
            self.worlds[other],
            f"{self.worlds[one].realm_name}-{other}-{len(self.declared)}-l",
            reason="joined although both use it",
            passes_on=passes,
            **shows,
        )
        self.declared |= {(pair, clash) for pair, found in self.now().items() for clash in found}

    @rule(pick=st.integers(0, 2))
    def part(self, pick):
        if self.links:
            pair = sorted(self.links)[pick % len(self.links)]
            unlink(self.worlds[pair[0]], self.links.pop(pair))

    @rule(at=st.integers(0, 2))
    def divide(self, at):
        from lentra.registry.operations.links.settle import divide_ripe

        self.worlds[at].do(divide_ripe, self.worlds[at].realm.pk)

    @rule(days=st.integers(0, 2))
    def wait(self, days):
        from lentra.registry.upkeep import expire_all_due

        for world in self.worlds:
            world.clock.moment += timedelta(days=days)
            expire_all_due(world.clock)

    @invariant()
    def what_meets_clashes_only_as_declared(self):
        from lentra.registry.lookup.meeting import links_now, meetings_of

        met = meetings_of(links_now())
        for (one, other), found in self.now().items():
            numbers = self.worlds[one].realm.pk, self.worlds[other].realm.pk
            where = met.get(tuple(sorted(numbers)), {}).get(4, [])
            for clash in found:
                a, b = (parse_prefix(text) for text in clash)
                first, last = max(a.first, b.first), min(a.last, b.last)
                if any(low <= last and first <= high for low, high in where):
                    assert ((one, other), clash) in self.declared, clash
        clean(*self.worlds)


Joined.TestCase.settings = settings(
    max_examples=12, stateful_step_count=25, deadline=None, suppress_health_check=list(HealthCheck)
)


@pytest.mark.usefixtures("registry_database")
class TestJoined(Joined.TestCase):
    pass
