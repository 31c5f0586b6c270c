"""Whoever subscribes is told of changes and alerts: signed, in order, again until they are taken, and nowhere else."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import uuid
from datetime import UTC, datetime, timedelta

import pytest
import requests

from lentra.registry.errors import Invalid, WrongState
from lentra.registry.transactions.clock import SystemClock
from tests.conftest import ROOT, any_free_port
from tests.taking import Taker

SECRET = "between the two of us"


@pytest.fixture
def receiver(tmp_path):
    """The demo's receiver as a process; tells its address and what it has taken."""
    port, log = any_free_port(), tmp_path / "taken.log"
    with log.open("wb") as output:
        process = subprocess.Popen(
            [sys.executable, str(ROOT / "demo/receiver.py"), str(port)],
            env={**os.environ, "LENTRA_ALERT_SECRET": SECRET},
            stdout=output,
            stderr=output,
        )
    for _ in range(100):
        try:
            requests.get(f"http://127.0.0.1:{port}/", timeout=1)
            break
        except requests.ConnectionError:
            time.sleep(0.05)
    yield f"http://127.0.0.1:{port}/", log
    process.terminate()
    process.wait()


@pytest.fixture
def taker():
    one = Taker()
    yield one
    one.stop()


@pytest.fixture
def hosts(registry_database, monkeypatch):
    """Lists hosts, as the operator does."""
    from django.conf import settings

    return lambda *listed: monkeypatch.setattr(settings, "EVENT_HOSTS", list(listed))


@pytest.fixture
def board(world, hosts):
    """Adds subscriptions, places what is committed, and sends to them."""
    from lentra.publishing.delivering import deliver
    from lentra.registry.models import Lease, Progress, Subscription
    from lentra.registry.operations.subscriptions.subscribe import add_subscription
    from lentra.registry.transactions.ordering import order_committed
    from lentra.registry.upkeep import take_lease

    holder = uuid.uuid4()

    class Board:
        def place(self):
            assert take_lease(holder, SystemClock(), timedelta(minutes=5), "events")
            while order_committed("events", holder):
                pass

        def add(self, url, listed=True, **values):
            hosts(*(["127.0.0.1"] if listed else []))
            self.place()
            world.do(
                add_subscription,
                {"name": f"board-{uuid.uuid4().hex[:8]}", "endpoint": url, "secret": SECRET, **values},
            )
            return Subscription.objects.latest("pk")

        def send(self, subscription):
            self.place()
            return deliver(subscription.pk, world.clock)

        def progress(self, subscription):
            return Progress.objects.select_related("subscription").get(pk=subscription.pk)

    yield Board()
    Subscription.objects.all().delete()
    Lease.objects.filter(pk="events").delete()


def test_a_change_is_told_as_an_event_of_the_open_format(world, board, taker):
    one = board.add(taker.url, kinds=["subnet"], realms=[world.realm.pk])
    pool = world.pool("10.76.0.0/24")
    (hall,) = world.ask(pool, length=26, name="hall")
    assert board.send(one) == 1
    (event,) = taker.taken
    assert {name: event[name] for name in ("specversion", "source", "type", "subject", "datacontenttype")} == {
        "specversion": "1.0",
        "source": "/api/v1/ledger",
        "type": "lentra.subnet.hand-out",
        "subject": f"subnet/{hall.pk}",
        "datacontenttype": "application/json",
    }
    assert event["id"] == str(hall.pk)
    assert event["data"]["after"]["blocks"] == ["10.76.0.0/26"]
    assert event["data"]["realm"] == {"id": world.realm.pk, "name": world.realm.name}
    assert board.send(one) == 0  # taken once is enough


def test_only_what_is_asked_for_is_told_and_never_what_is_about_people(world, board, taker):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.77.0.0/24", cooling_days=0)
    everything = board.add(taker.url)
    backs = board.add(taker.url, verbs=["give back"], realms=[world.realm.pk])
    own = board.add(taker.url, projects=[world.project.pk], kinds=["subnet", "address record"])
    others = board.add(taker.url, projects=[world.project.pk + 1])
    world.person("planner")
    (hall,) = world.ask(pool, length=26)
    world.do(record_addresses, hall.pk, AddressRequest(address="10.77.0.9", name="gate"))
    world.do(edit_subnet, hall.pk, {"purpose": "tickets"})
    world.do(give_back_subnet, hall.pk, despite_use=True)
    board.send(everything)
    kinds = {event["data"]["kind"] for event in taker.taken}
    assert "person" not in kinds
    assert {"subnet", "address record"} <= kinds
    for one, count in ((backs, 2), (own, 5), (others, 0)):
        taker.taken.clear()
        board.send(one)
        assert len(taker.taken) == count, [event["type"] for event in taker.taken]
    assert board.progress(others).sent == board.progress(own).sent  # nothing of it is looked at again


def test_a_subnet_that_was_handed_over_is_told_of_to_whom_it_belongs(world, board, taker):
    from lentra.registry.models import Project
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.hand_over import hand_over

    world.do(add_record, "project", {"name": f"{world.project.name}-b"})
    other = Project.objects.get(name=f"{world.project.name}-b")
    giver = board.add(taker.url, kinds=["subnet"], projects=[world.project.pk])
    (hall,) = world.ask(world.pool("10.83.0.0/24"), length=26)
    world.later(hours=1)
    world.do(hand_over, hall.pk, other.name)
    world.later(hours=1)
    world.do(edit_subnet, hall.pk, {"purpose": "none of the giver's business"})
    board.send(giver)
    assert [event["data"]["verb"] for event in taker.taken] == ["hand out", "hand over"]


def test_what_is_not_taken_comes_again_under_its_id_and_nothing_overtakes_it(world, board, taker):
    one = board.add(taker.url, kinds=["subnet"], realms=[world.realm.pk])
    pool = world.pool("10.78.0.0/24")
    made = world.ask(pool, length=28, count=3)
    taker.answers = [204, 500, 302, 204]
    assert board.send(one) == 1
    progress = board.progress(one)
    assert (progress.tries, progress.outcome, progress.failing_since) == (1, "answered 500", world.clock.now())
    assert board.send(one) == 0  # not due yet
    world.later(seconds=2)
    assert board.send(one) == 0  # a redirect is not followed
    assert board.progress(one).outcome == "answered 302"
    world.later(minutes=1)
    assert board.send(one) == 2
    first, second, third = (str(subnet.pk) for subnet in made)
    assert taker.tried == [first, second, second, second, third]
    assert [event["id"] for event in taker.taken] == [first, second, third]
    assert (board.progress(one).tries, board.progress(one).taken) == (0, 3)


def test_after_long_failure_it_is_paused_and_goes_on_from_any_number(world, board, taker, caplog):
    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.subscriptions.subscribe import pause_subscription, resume_subscription

    caplog.set_level("INFO", logger="lentra.events")
    gone = f"http://127.0.0.1:{any_free_port()}/hook?token=hidden"
    one = board.add(gone, kinds=["subnet"], realms=[world.realm.pk])
    (hall,) = world.ask(world.pool("10.79.0.0/24"), length=26)
    for _ in range(60):
        board.send(one)
        if board.progress(one).subscription.paused:
            break
        world.later(hours=1, seconds=1)
    paused = board.progress(one).subscription.paused
    assert paused.startswith(f"event {hall.pk} has not been taken since")
    assert "nobody listens there" in paused
    assert "hidden" not in caplog.text
    last = LedgerEntry.objects.filter(kind="subscription").latest("number")
    assert (last.verb, last.actor_name) == ("pause", "lentra")
    board.place()
    assert board.send(one) == 0
    from lentra.registry.operations.subscriptions.subscribe import edit_subscription

    world.do(edit_subscription, one.pk, {"endpoint": taker.url})
    world.do(resume_subscription, one.pk)
    assert board.send(one) == 1
    with pytest.raises(WrongState):
        world.do(resume_subscription, one.pk)
    with pytest.raises(Invalid):
        world.do(resume_subscription, one.pk, after=10**12)
    world.do(resume_subscription, one.pk, after=hall.pk - 1)
    assert board.send(one) == 1
    assert [event["id"] for event in taker.taken] == [str(hall.pk)] * 2
    world.do(pause_subscription, one.pk, "the office moves")
    with pytest.raises(WrongState):
        world.do(pause_subscription, one.pk, "again")


def test_an_alert_reaches_a_receiver_that_checks_its_signature(world, board, receiver):
    from lentra.registry.foresight.alerts import check_alerts
    from lentra.registry.operations.subscriptions.subscribe import edit_subscription

    url, log = receiver
    one = board.add(url, kinds=["alert"], realms=[world.realm.pk], secret="between some others")
    pool = world.pool("10.40.0.0/24", warning_percent=50, critical_percent=75)
    (half,) = world.ask(pool, length=25)
    check_alerts(world.clock)
    assert board.send(one) == 0
    assert log.read_text() == ""
    assert board.progress(one).outcome == "answered 401"
    world.do(edit_subscription, one.pk, {"secret": SECRET, "endpoint": url})
    assert board.send(one) == 1
    assert "lentra.alert.open" in log.read_text()
    assert "pool, IPv4: 50.0 % in use, warning is 50 %" in log.read_text()
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    world.do(give_back_subnet, half.pk)
    world.later(days=8)
    world.ask(pool, length=30)  # ends what is due
    check_alerts(world.clock)
    assert board.send(one) == 1
    assert "lentra.alert.resolve" in log.read_text()


@pytest.mark.parametrize(
    ("url", "words"),
    [
        ("ftp://board.example/", "no address to send to"),
        ("board.example/hook", "no address to send to"),
        ("http://board.example/hook", "is not listed, and http would send in the clear"),
        ("https://petra:pw@board.example/", "tells them to whoever reads the list"),
        ("https://board.example:99999/", "is no address"),
    ],
)
def test_an_address_that_may_not_be_sent_to_is_refused_with_what_may(world, board, url, words):
    with pytest.raises(Invalid) as refused:
        board.add(url, listed=False)
    assert refused.value.field == "endpoint"
    assert words in str(refused.value)


@pytest.mark.parametrize(
    ("host", "words"),
    [
        ("localhost", "leads to this machine"),
        ("127.0.0.1", "leads to this machine"),
        ("[::1]", "leads to this machine"),
        ("[::ffff:127.0.0.1]", "leads to this machine"),
        ("169.254.10.1", "this machine's link"),
        ("0.0.0.0", "leads to this machine"),
    ],
)
def test_nothing_is_sent_to_this_machine_or_its_link_unless_it_is_listed(hosts, host, words):
    from lentra.publishing.posting import Post

    hosts()
    outcome = Post(f"https://{host}:9/", SECRET).send("1", b"{}", "application/json")
    assert not outcome.taken
    assert words in outcome.words
    assert "is not listed" in Post(f"http://{host}:9/", SECRET).send("1", b"{}", "application/json").words


def test_kinds_and_secrets_that_cannot_be_are_refused(world, board, taker):
    for values, words in (
        ({"kinds": ["person"]}, "about people"),
        ({"kinds": ["subnets"]}, "no kind 'subnets'"),
        ({"secret": "short"}, "16 letters at least"),
    ):
        with pytest.raises(Invalid) as refused:
            board.add(taker.url, **values)
        assert words in f"{refused.value} {refused.value.rule}"


def test_an_old_or_altered_event_is_not_taken(receiver):
    from lentra.publishing.posting import signature

    url, log = receiver
    body = b'{"type":"lentra.alert.open","data":{"name":"x"}}'

    def post(sent: bytes, age: int) -> int:
        stamp = str(int(datetime.now(UTC).timestamp()) - age)
        headers = {
            "webhook-id": "17",
            "webhook-timestamp": stamp,
            "webhook-signature": signature(SECRET, "17", stamp, body),
        }
        return requests.post(url, data=sent, headers=headers, timeout=5).status_code

    assert post(body, 0) == 204
    assert post(body.replace(b"x", b"y"), 0) == 401
    assert post(body, 3600) == 401
    assert requests.post(url, data=body, timeout=5).status_code == 401
    assert log.read_text().count("lentra.alert.open") == 1
