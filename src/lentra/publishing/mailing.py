"""Telling people by mail what becomes of requests: at once or once a day, again until the mail is taken.

A letter is kept in the same transaction as how far the feed was read, and noted as sent after the mail was taken: at least
once.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from smtplib import SMTPException
from typing import Any

from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.db import transaction
from django.template.loader import render_to_string

from lentra.registry.models import LedgerEntry, Letter, LettersRead, Person, WaitingRequest
from lentra.registry.reports.waiting import blocks_shown
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.feed import read_feed
from lentra.registry.transactions.ordering import newest_placed

logger = logging.getLogger("lentra.mail")

DIGEST_HOUR = 6  # UTC
WAITS = (1, 5, 15, 60, 240)  # minutes between two tries; the last goes on
GIVEN_UP_AFTER = timedelta(days=7)
_AT_ONCE = 200
_IN_ONE_ROUND = 2000  # letters that are looked at; the rest in the next round
_HEADLINES = {
    "wait": "{by} asks, and a planner is to decide",
    "grant": "{by} has granted what you asked for",
    "refuse": "{by} has refused what you asked for",
    "withdraw": "{by} has withdrawn a request",
    "lapse": "What you asked for has lapsed: nobody has decided on it",
    "say": "{by} has said something about a request",
    "pass on": "{by} has passed a request on to you",
    "remind": "A request still waits for a decision",
}


@dataclass(frozen=True)
class News:
    """One thing to be told: its headline, the request, and facts about it."""

    headline: str
    request: WaitingRequest
    facts: list[tuple[str, Any]]
    link: str


def is_on() -> bool:
    """Whether there is somewhere to hand mail to."""
    return bool(settings.MAIL_ON)


def write_letters(clock: Clock) -> int:
    """Write a letter for each person that is to know of what the feed says of requests; returns how many."""
    with transaction.atomic():
        read, fresh = LettersRead.objects.select_for_update().get_or_create(
            pk=1, defaults={"upto": newest_placed()}
        )
        if fresh:
            return 0
        part = read_feed(LedgerEntry.objects.filter(kind=WaitingRequest.KIND), read.upto, _AT_ONCE)
        if part.after == read.upto:
            return 0
        now = clock.now()
        letters = [
            Letter(person=person, entry=entry.number, request=entry.record, made_at=now, due_at=_due(person, now))
            for entry in part.entries
            for person in _readers(entry)
        ]
        Letter.objects.bulk_create(letters, ignore_conflicts=True)
        read.upto = part.after
        read.save()
    return len(letters)


def send_letters(clock: Clock, still_ours: Callable[[], bool] = lambda: True) -> int:
    """Send what is due, one mail for each person; returns how many mails were taken."""
    now = clock.now()
    due: dict[int, list[Letter]] = {}
    waiting = Letter.objects.filter(sent_at=None, due_at__lte=now).select_related("person").order_by("entry")
    for letter in waiting[:_IN_ONE_ROUND]:
        due.setdefault(letter.person_id, []).append(letter)
    sent = 0
    for letters in due.values():
        if not still_ours():
            break
        sent += _send(letters[:_AT_ONCE], now)
    return sent


def _due(person: Person, now: datetime) -> datetime:
    """When somebody is told: at once, or the next morning with all else."""
    if person.mail == "at once":
        return now
    morning = now.replace(hour=DIGEST_HOUR, minute=0, second=0, microsecond=0)
    return morning if morning > now else morning + timedelta(days=1)


def _readers(entry: LedgerEntry) -> list[Person]:
    """Who is to know of an entry about a request: never who made it."""
    request = WaitingRequest.objects.filter(pk=entry.record).select_related("asker", "assigned_to").first()
    if request is None:
        return []
    deciders = (
        [request.assigned_to]
        if request.assigned_to
        else list(Person.objects.filter(role__in=("planner", "admin")))
    )
    if entry.verb in ("wait", "remind", "edit", "withdraw"):
        meant: Iterable[Person] = deciders if entry.verb != "edit" else []
    elif entry.verb in ("grant", "refuse", "lapse"):
        meant = [request.asker]
    elif entry.verb == "pass on":
        meant = [request.assigned_to] if request.assigned_to else []
    elif entry.verb == "say":
        talked = LedgerEntry.objects.filter(subject=request.pk, verb="say").values_list("actor", flat=True)
        others = Person.objects.filter(pk__in=set(talked))
        meant = {person.pk: person for person in (request.asker, *deciders, *others)}.values()
    else:
        meant = []
    return [one for one in meant if one.active and one.email and one.mail != "never" and one.pk != entry.actor]


def _send(letters: Sequence[Letter], now: datetime) -> int:
    person = letters[0].person
    numbers = [letter.pk for letter in letters]
    news = [one for letter in letters if (one := _news(letter)) is not None]
    if news:
        subject = (
            f"{news[0].headline}: {news[0].request.summary}"
            if len(news) == 1
            else f"{len(news)} things about requests"
        )
        context = {"all": news, "subject": subject, "because": _because(person)}
        mail = EmailMultiAlternatives(
            subject=subject[:200],
            body=render_to_string("lentra/mail/requests.txt", context),
            to=[f'"{person.full_name or person.name}" <{person.email}>'.replace("\n", " ")],
            headers={"Message-ID": f"<lentra-{numbers[0]}-{letters[0].entry}@{settings.MAIL_HOST_NAME}>"},
        )
        mail.attach_alternative(render_to_string("lentra/mail/requests.html", context), "text/html")
        try:
            mail.send()
        except (OSError, SMTPException, ValueError) as failure:
            _put_off(letters, failure, now)
            return 0
    Letter.objects.filter(pk__in=numbers).update(sent_at=now, outcome="taken")
    return int(bool(news))


def _put_off(letters: Sequence[Letter], failure: Exception, now: datetime) -> None:
    """Note that a mail was not taken, and when it is tried again; after a week it is given up."""
    logger.warning("mail to %s put off: %s", letters[0].person.name, type(failure).__name__)
    for letter in letters:
        wait = timedelta(minutes=WAITS[min(letter.tries, len(WAITS) - 1)])
        values: dict[str, Any] = {"tries": letter.tries + 1, "outcome": f"{type(failure).__name__}"[:200]}
        if now - letter.made_at > GIVEN_UP_AFTER:
            values |= {"sent_at": now, "outcome": "given up"}
        Letter.objects.filter(pk=letter.pk).update(due_at=now + wait, **values)


def _because(person: Person) -> str:
    return "you decide on requests" if person.may("planner") else "you have asked for something"


def _news(letter: Letter) -> News | None:
    entry = LedgerEntry.objects.filter(pk=letter.entry).first()
    related = ("asker", "project", "pool", "decided_by")
    request = WaitingRequest.objects.filter(pk=letter.request).select_related(*related).first()
    if entry is None or request is None:
        return None
    after = entry.after or {}
    facts: list[tuple[str, Any]] = [
        ("asked by", request.asker.full_name or request.asker.name),
        ("reason", request.reason),
        ("needed by", request.needed_by),
        ("waits because", request.rule_words if entry.verb in ("wait", "remind", "pass on") else ""),
        ("blocks", ", ".join(blocks_shown(request)[:8]) if entry.verb != "refuse" else ""),
        ("said", after.get("text", "")),
        ("why", after.get("decision", "")),
        ("at", f"{entry.at:%Y-%m-%d %H:%M} UTC"),
    ]
    facts += [
        (one["what"], f"{one['granted']} in the place of {one['asked']}") for one in after.get("differs") or []
    ]
    headline = _HEADLINES.get(entry.verb, "{by} has changed a request").format(by=entry.actor_name)
    address = f"{settings.PUBLIC_URL}/waiting/{request.pk}" if settings.PUBLIC_URL else ""
    return News(headline, request, [(name, value) for name, value in facts if value], address)
