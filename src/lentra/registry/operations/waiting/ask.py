"""Ask: done at once, or kept for a planner to decide, as the approval rules say."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any
from urllib.parse import urlsplit

from lentra.registry.errors import Invalid
from lentra.registry.models import ApprovalRule, WaitingRequest
from lentra.registry.operations.waiting.held import drop_held
from lentra.registry.operations.waiting.performing import (
    Asking,
    facts_of,
    in_words,
    numbers_made,
    perform,
    pool_of,
    token_of,
)
from lentra.registry.rules.approvals import (
    Facts,
    all_rules,
    first_met,
    is_about,
    is_bound,
    kept_rules,
    rule_in_words,
)
from lentra.registry.rules.permissions import require_project
from lentra.registry.rules.waiting import find_waiting, require_own
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.proposals import Promise, told_of

MOST_LINKS = 10
MAY_HOLD = ("subnets", "plan", "reservation")
_RESERVING = ApprovalRule(
    name="reserving", when="always", decision="waits", holds=True, reminds_after=2, lapses_after=14
)


@dataclass(frozen=True)
class Waits:
    """A request that waits: by which rule, and what it would have been given."""

    asking: Asking
    rule: ApprovalRule
    words: str
    facts: Facts
    shown: dict[str, Any]

    def told(self, request: WaitingRequest | None = None) -> dict[str, Any]:
        """As it is answered: the rule, whether the space is held, until when; the number of the request, once it is made."""
        lapses = self.facts.now + timedelta(days=self.rule.lapses_after)
        return {
            "rule": self.rule.name,
            "words": self.words,
            "holds": request.held if request else self.holds,
            "lapses_at": request.lapses_at if request else lapses,
            "request": request.pk if request else None,
        }

    @property
    def holds(self) -> bool:
        """Whether its space is held meanwhile: what changes a subnet in use is not held, nor what is beyond a quota."""
        return self.rule.holds and self.asking.what in MAY_HOLD and not self.facts.beyond_quota


class MustWait(Exception):
    """What was asked for waits: nothing of it is kept, and `keep_waiting` is to be done in its place."""

    def __init__(self, waits: Waits) -> None:
        self.waits = waits


def ask(change: Change, asking: Asking) -> Any:
    """Do what is asked for; of a preview, `change.waits` says what would become of it.

    Raises:
        MustWait: a planner is to decide on it.
        whatever the operation raises.
    """
    if not is_bound(change.actor):
        if asking.instead_of:
            _withdraw_former(change, asking.instead_of)
        return perform(change, asking)
    if asking.instead_of:
        _withdraw_former(change, asking.instead_of)
    rules = kept_rules(change) if asking.what == "subnets" else all_rules()
    change.beyond_quota = any(rule.when == "beyond-quota" and rule.decision == "waits" for rule in rules.all)
    change.for_planner = asking.what == "reservation"
    result = perform(change, asking)
    if change.preview and not getattr(result, "added", True):
        return result  # a plan that wants nothing more, or cannot be had
    facts = facts_of(change, result, bool(change.over))
    rule = first_met(rules, facts)
    if asking.what == "reservation":
        require_project(change.actor, facts.project, "ask for a reservation")
        rule = rule if rule and rule.decision == "waits" else _RESERVING
    if change.over and not any(one.when == "beyond-quota" and is_about(one, facts) for one in rules.all):
        raise change.over
    if rule is None or rule.decision == "granted":
        return result
    words = "reserving is for planners to do" if rule is _RESERVING else rule_in_words(rule)
    if change.over and rule.when != "beyond-quota":
        words += "; it goes beyond a quota as well"
    shown = {"told": told_of(change.own_entries), "token": asking.proposal or token_of(result)}
    change.waits = Waits(replace(asking, proposal=None), rule, words, facts, shown)
    if not change.preview:
        raise MustWait(change.waits)
    return result


def keep_waiting(change: Change, waits: Waits) -> WaitingRequest:
    """Keep a request for a planner to decide on, and hold the space that it was shown, if its rule says so.

    Raises:
        Invalid: the day has passed, a link is none.
        whatever holding raises: it is no longer there.
    """
    asking, facts = waits.asking, waits.facts
    check_links(asking.links)
    if asking.needed_by:
        check_needed_by(change, asking.needed_by)
    if asking.instead_of:
        _withdraw_former(change, asking.instead_of)
    lapses = change.now + timedelta(days=waits.rule.lapses_after)
    change.for_planner = asking.what == "reservation"
    made: list[int] = []
    if waits.holds:
        change.promise = Promise("", waits.shown["told"])
        made = numbers_made(perform(change, asking, held_until=lapses))
        change.batch.send()
    pool = pool_of(facts)
    request = WaitingRequest(
        what=asking.what,
        asker=change.actor,
        project=facts.project,
        realm_id=pool.realm_id,
        pool=pool,
        summary=in_words(asking, facts),
        values=asking.values,
        subject=asking.subject,
        shown=waits.shown,
        rule=waits.rule.name,
        rule_words=waits.words,
        reason=change.why,
        needed_by=asking.needed_by,
        links=asking.links,
        held=waits.holds,
        made=made,
        created_at=change.now,
        reminds_at=change.now + timedelta(days=waits.rule.reminds_after) if waits.rule.reminds_after else None,
        lapses_at=lapses,
    )
    change.added([request], "wait")
    change.note(f"it waits for a planner: {waits.words}")
    if waits.holds:
        change.note(f"what was shown is held until {lapses:%Y-%m-%d %H:%M} UTC, or until it is decided")
    return request


def _withdraw_former(change: Change, number: int) -> None:
    """Withdraw the request that another replaces, with what it holds."""
    former = find_waiting(change, number, "replace a request", may=require_own)
    drop_held(change, former)
    change.edited(
        former,
        "withdraw",
        state="withdrawn",
        held=False,
        made=[],
        decision="asked for anew",
        decided_at=change.now,
    )


def check_needed_by(change: Change, day: date) -> None:
    """Refuse a day that has passed.

    Raises:
        Invalid.
    """
    today = change.now.date()
    if day < today:
        raise Invalid(f"{day} has passed", field="needed_by", received=day, suggestions=[today])


def check_links(links: list[str]) -> None:
    """Refuse what is no link, and too many of them.

    Raises:
        Invalid.
    """
    if len(links) > MOST_LINKS:
        raise Invalid(f"{len(links)} links: {MOST_LINKS} at most", field="links", received=len(links))
    for link in links:
        parts = urlsplit(link)
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise Invalid(
                f"{link[:100]!r} is no link",
                field="links",
                received=link[:100],
                rule="http:// or https://, and a host",
                suggestions=["https://wiki.ferry.example/quays"],
            )
