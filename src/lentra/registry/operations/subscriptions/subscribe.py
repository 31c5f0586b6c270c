"""Add a subscription, edit one, pause it, have it go on, from any number that one chooses."""

from __future__ import annotations

import secrets
from typing import Any

from lentra.registry.errors import WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Progress, Subscription
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.ordering import newest_placed, position_of


def add_subscription(change: Change, values: dict[str, Any]) -> Subscription:
    """Have changes sent to an address from now on. Without a `secret` one is made; `told_secret` of the result has it.

    Raises:
        Invalid: the address may not be sent to, a kind is none, the secret is too short.
        NameTaken, NotAllowed.
    """
    made = "" if values.get("secret") else secrets.token_urlsafe(32)
    subscription = add_record(change, Subscription.KIND, {**values, **({"secret": made} if made else {})})
    assert isinstance(subscription, Subscription)
    Progress.objects.create(subscription=subscription, sent=newest_placed())
    subscription.told_secret = made or None
    return subscription


def edit_subscription(
    change: Change, number: int, values: dict[str, Any], version: int | None = None
) -> Subscription:
    """Edit a subscription; an empty `secret` has another one made.

    Raises:
        Invalid, NameTaken, StaleEdit, NotAllowed: as for adding.
    """
    made = secrets.token_urlsafe(32) if values.get("secret") == "" else ""
    subscription = edit_record(
        change, Subscription.KIND, number, {**values, **({"secret": made} if made else {})}, version
    )
    assert isinstance(subscription, Subscription)
    subscription.told_secret = made or None
    if "endpoint" in values:
        _at_once(subscription)
    return subscription


def pause_subscription(change: Change, number: int, reason: str, version: int | None = None) -> Subscription:
    """Send nothing for now; what is changed meanwhile is sent once it goes on.

    Raises:
        WrongState: it is paused already.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "pause a subscription")
    subscription = find_locked(Subscription, number, version=version)
    if subscription.paused:
        raise WrongState(f"{subscription.name} is paused already: {subscription.paused}", received="paused")
    who = change.actor.name if change.actor else "lentra"
    change.edited(subscription, "pause", paused=(reason.strip() or f"by {who}")[:300])
    return subscription


def resume_subscription(
    change: Change, number: int, after: int | None = None, version: int | None = None
) -> Subscription:
    """Go on sending: from where it stood, or from behind a number, also where that was sent before.

    Raises:
        Invalid: there has never been such a number.
        WrongState: it is not paused, and no number is given.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "resume a subscription")
    subscription = find_locked(Subscription, number, version=version)
    if after is None and not subscription.paused:
        raise WrongState(
            f"{subscription.name} is not paused: give the number from behind which to send again",
            field="after",
            suggestions=[0],
        )
    progress = Progress.objects.select_for_update().get(subscription=subscription)
    if after is not None:
        position_of(after)  # refuses one that never was
        change.entered(subscription, "send again", {"sent": progress.sent}, {"sent": after})
        subscription.save(update_fields=["last_entry"])
        progress.sent = after
        progress.save()
    if subscription.paused:
        change.edited(subscription, "resume", paused="")
    _at_once(subscription)
    return subscription


def _at_once(subscription: Subscription) -> None:
    """Whatever was in the way of it is tried again at once."""
    Progress.objects.filter(subscription=subscription).update(tries=0, failing_since=None, due_at=None)
