"""People are told by mail: at once or once a day, by a real mail server on loopback, until it has taken it."""

from __future__ import annotations

import uuid
from email import message_from_bytes, policy

import pytest
from aiosmtpd.controller import Controller

from tests.conftest import any_free_port

HOLDER = uuid.uuid4()


class Postbox:
    """A mail server that keeps what it takes, and is away or full when it is told to be."""

    def __init__(self):
        self.mails, self.answer = [], "250 taken"
        self.server = Controller(self, hostname="127.0.0.1", port=any_free_port())

    async def handle_DATA(self, server, session, envelope):
        if self.answer.startswith("250"):
            self.mails.append(message_from_bytes(envelope.content, policy=policy.default))
        return self.answer

    def to(self, address):
        return [mail for mail in self.mails if address in mail["to"]]


@pytest.fixture
def postbox(settings_of_mail):
    box = Postbox()
    box.server.start()
    settings_of_mail(box.server.port)
    yield box
    box.server.stop()


@pytest.fixture
def settings_of_mail(registry_database, monkeypatch):
    from django.conf import settings

    def use(port):
        monkeypatch.setattr(settings, "EMAIL_HOST", "127.0.0.1")
        monkeypatch.setattr(settings, "EMAIL_PORT", port)
        monkeypatch.setattr(settings, "EMAIL_BACKEND", "django.core.mail.backends.smtp.EmailBackend")
        monkeypatch.setattr(settings, "PUBLIC_URL", "https://lentra.ferry.example")
        monkeypatch.setattr(settings, "MAIL_ON", True)

    return use


@pytest.fixture
def talk(world, postbox):
    """A requester, a planner told at once, one told daily, one told never; and what makes letters of the feed."""
    from lentra.publishing.mailing import send_letters, write_letters
    from lentra.registry.models import Letter, LettersRead, Person
    from lentra.registry.operations.people.manage_people import set_own_mail
    from lentra.registry.transactions.ordering import newest_placed, order_committed

    Person.objects.update(email="")  # people of other tests
    Letter.objects.all().delete()
    holder = HOLDER

    def place():
        from lentra.registry.upkeep import take_lease

        take_lease(holder, world.clock, name="events")
        order_committed("events", holder)

    place()
    LettersRead.objects.update_or_create(pk=1, defaults={"upto": newest_placed()})
    asker = world.person("requester", [world.project])
    planners = {how: world.person("planner") for how in ("at once", "daily", "never")}
    for how, person in {"at once": asker, **planners}.items():
        world.do(set_own_mail, {"email": f"{person.name}@ferry.example", "mail": how}, actor=person)
    world.do(set_own_mail, {"email": f"{asker.name}@ferry.example"}, actor=asker)
    world.do(set_own_mail, {"email": "once@ferry.example"}, actor=planners["at once"])

    def deliver():
        place()
        write_letters(world.clock)
        return send_letters(world.clock)

    yield asker, planners, deliver
    Person.objects.update(email="")


def asked(world, asker, **values):
    from tests.registry.test_waiting import ask, rule

    pool = world.pool("10.40.64.0/20")
    rule(world, "wider-than", limit=26)
    return ask(world, asker, pool=pool.pk, length=24, **values)


def decided(world, actor, operation, request, *values):
    from tests.registry.test_waiting import decide

    return decide(world, actor, operation, request, *values)


def test_planners_hear_of_what_waits_and_who_asked_of_what_became_of_it(world, talk, postbox):
    asker, planners, deliver = talk
    waiting = asked(world, asker, why="gates of the northern quay")
    assert deliver() == 1
    (mail,) = postbox.to("once@ferry.example")
    assert mail["subject"] == f"{asker.name} asks, and a planner is to decide: {waiting.summary}"
    text, html = (mail.get_body((kind,)).get_content() for kind in ("plain", "html"))
    for part in (text, html):
        assert "gates of the northern quay" in part
        assert "10.40.64.0/24" in part
        assert f"https://lentra.ferry.example/waiting/{waiting.pk}" in part
    assert "<table" in html
    assert "<table" not in text
    assert deliver() == 0  # told once
    decided(world, planners["at once"], "refuse", waiting, "a /26 <will> do")
    assert deliver() == 1
    (told,) = postbox.to(f"{asker.name}@ferry.example")
    assert "has refused what you asked for" in told["subject"]
    assert "a /26 <will> do" in told.get_body(("plain",)).get_content()
    assert "a /26 &lt;will&gt; do" in told.get_body(("html",)).get_content()


def test_once_a_day_all_of_it_comes_in_one_mail_and_never_is_never(world, talk, postbox):
    asker, planners, deliver = talk
    waiting = asked(world, asker)
    decided(world, asker, "say", waiting, "it is for the northern quay")
    deliver()
    daily = f"{planners['daily'].name}@ferry.example"
    assert not postbox.to(daily)
    world.later(days=1)
    deliver()
    (digest,) = postbox.to(daily)
    assert digest["subject"] == "2 things about requests"
    assert "it is for the northern quay" in digest.get_body(("plain",)).get_content()
    assert not postbox.to(f"{planners['never'].name}@ferry.example")


def test_mail_that_is_not_taken_is_tried_again_and_comes_once(world, talk, postbox):
    from lentra.registry.models import Letter

    asker, _, deliver = talk
    postbox.answer = "452 the box is full"
    asked(world, asker)
    deliver()
    letters = Letter.objects.filter(sent_at=None, tries=1)
    assert letters.count() == 1
    assert deliver() == 0  # not before it is due
    postbox.answer = "250 taken"
    world.later(minutes=2)
    assert deliver() == 1
    assert len(postbox.to("once@ferry.example")) == 1
