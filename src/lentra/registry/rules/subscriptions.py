"""What a subscription may be: where it sends to, and what it asks for."""

from __future__ import annotations

from datetime import datetime
from urllib.parse import urlsplit

from django.conf import settings

from lentra.reaching import is_listed
from lentra.registry.errors import Invalid
from lentra.registry.models import Record, Subscription
from lentra.registry.rules.names import check_name
from lentra.registry.rules.permissions import ABOUT_PEOPLE

SHORTEST_SECRET = 16
ALERT = "alert"


def kinds_told() -> list[str]:
    """Kinds of ledger entries that are sent out: all but those about people."""
    kinds = {model.KIND for model in Record.__subclasses__()} | {ALERT}
    return sorted(kinds - set(ABOUT_PEOPLE))


def check_subscription(subscription: Subscription, now: datetime) -> None:
    """A name, an address that may be sent to, kinds that there are, a secret that is one."""
    check_name(subscription.name)
    _check_endpoint(subscription.endpoint)
    known = kinds_told()
    for kind in subscription.kinds:
        if kind not in known:
            secret = kind in ABOUT_PEOPLE
            raise Invalid(
                f"{kind!r} is about people: sent to nobody" if secret else f"there is no kind {kind!r} of record",
                field="kinds",
                received=kind,
                rule=f"one of {', '.join(known)}",
                suggestions=[one for one in known if one[:3] == kind[:3]] or known[:5],
            )
    if len(subscription.secret) < SHORTEST_SECRET:
        raise Invalid(
            f"a secret of {len(subscription.secret)} letters is guessed: {SHORTEST_SECRET} at least, or leave it to us",
            field="secret",
            rule=f"{SHORTEST_SECRET} letters at least",
        )


def _check_endpoint(url: str) -> None:
    try:
        parts = urlsplit(url)
        host, port = parts.hostname or "", parts.port or (443 if parts.scheme == "https" else 80)
    except ValueError as fault:
        raise Invalid(f"{url!r} is no address: {fault}", field="endpoint", received=url)
    wanted = "https://host/path, or http:// to a host that the operator has listed (LENTRA_EVENT_HOSTS)"
    if parts.scheme not in ("https", "http") or not host:
        raise Invalid(
            f"{url!r} is no address to send to",
            field="endpoint",
            received=url,
            rule=wanted,
            suggestions=[f"https://{host or 'events.ferry.example'}/"],
        )
    if parts.username or parts.password:
        raise Invalid(
            "an address with a name or password in it tells them to whoever reads the list: events are signed instead",
            field="endpoint",
            rule=wanted,
        )
    if parts.scheme == "http" and not is_listed(host, port, settings.EVENT_HOSTS):
        raise Invalid(
            f"{host}:{port} is not listed, and http would send in the clear",
            field="endpoint",
            received=url,
            rule=wanted,
            suggestions=[f"https://{host}/"],
        )
