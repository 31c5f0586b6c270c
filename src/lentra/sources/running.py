"""Sources that are due are asked, and feeds followed; where that comes to nothing, what was seen last stays."""

from __future__ import annotations

import logging
from collections.abc import Callable
from datetime import datetime, timedelta

from django.db.models import Q

from lentra.addressing.refusal import Refusal
from lentra.registry.models import Look, Source
from lentra.registry.operations.findings.take_survey import Seen, take_changes, take_survey
from lentra.registry.rules.sealed import unsealed
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction
from lentra.sources.asking import Answered, Cancelled, CannotAsk, Progress
from lentra.sources.inventory import ask_inventory, follow_inventory
from lentra.sources.transfer import ask_name_server

logger = logging.getLogger("lentra.surveys")
_ASK: dict[str, Callable[[Source, str, Progress], Answered]] = {
    "name-server": ask_name_server,
    "inventory": ask_inventory,
}
_SPARED = timedelta(seconds=20)  # between two readings of all that there is, where a feed does not go on
_WAITS = (1, 5, 15, 60)  # minutes until a source that fails is asked again; the last goes on


def due_sources(now: datetime) -> list[int]:
    """The sources that are to be asked now."""
    return list(Look.objects.filter(due_at__lte=now).values_list("pk", flat=True))


def followed_sources() -> list[int]:
    """The sources whose feeds are followed: they have been asked once, and do not fail."""
    rows = Look.objects.filter(source__follows=True, failing_since=None).exclude(position="")
    return list(rows.values_list("pk", flat=True))


def survey(number: int, clock: Clock) -> None:
    """Ask a source for all that it sees, and take that as its survey."""
    source, begun = Source.objects.get(pk=number), clock.now()
    Look.objects.filter(pk=number).update(begun_at=begun, got=0)

    def progress(got: int) -> None:
        if not Look.objects.filter(pk=number, cancelled=False).update(got=got):
            raise Cancelled

    try:
        progress(0)
        answered = _ASK[source.kind](source, _credential(source), progress)
        seen = [one for one in answered.seen if _is_taken(source, one)]
        run_transaction(lambda change: take_survey(change, number, seen, begun), clock=clock)
    except Cancelled:
        _noted(source, clock, "left off", begun)
    except (CannotAsk, Refusal) as why:
        _noted(source, clock, str(why), begun, failed=True)
    else:
        Look.objects.filter(pk=number).update(position=answered.position[:200])
        _noted(source, clock, f"{len(seen):,} seen", begun)


def follow(number: int, clock: Clock) -> bool:
    """Take what has changed since a feed was read last; False if that came to nothing: all of it is asked for then."""
    source, look = Source.objects.get(pk=number), Look.objects.get(pk=number)
    now = clock.now()
    try:
        answered = follow_inventory(source, _credential(source), look.position)
        seen = [one for one in answered.seen if _is_taken(source, one)]
        if seen or answered.gone:
            run_transaction(lambda change: take_changes(change, number, seen, answered.gone, now), clock=clock)
    except (CannotAsk, Refusal) as why:
        logger.info("source %s: its feed: %s", source.name, why)
        again = max(now, look.asked_at + _SPARED) if look.asked_at else now
        Look.objects.filter(pk=number).update(due_at=again, position="", outcome=f"its feed: {why}"[:300])
        return False
    Look.objects.filter(pk=number, position=look.position).update(position=answered.position[:200])
    return True


def _credential(source: Source) -> str:
    try:
        return unsealed(source.credential) if source.credential else ""
    except ValueError as why:
        raise CannotAsk(f"its credential cannot be read: {why}; give it anew")


def _is_taken(source: Source, one: Seen) -> bool:
    return not source.takes or ("addresses" if one.single else "ranges") in source.takes


def _noted(source: Source, clock: Clock, outcome: str, begun: datetime, failed: bool = False) -> None:
    """What came of asking a source, and when it is asked again: unless somebody has had it asked meanwhile."""
    now = clock.now()
    look = Look.objects.get(pk=source.pk)
    wait = timedelta(minutes=source.every) if source.every else None
    if failed:
        again = timedelta(minutes=_WAITS[min(look.tries, len(_WAITS) - 1)])
        wait = min(wait, again) if wait else again
        logger.warning("source %s: %s", source.name, outcome)
    rows = Look.objects.filter(pk=source.pk)
    rows.update(
        begun_at=None,
        cancelled=False,
        asked_at=begun,
        outcome=outcome[:300],
        failing_since=(look.failing_since or begun) if failed else None,
        tries=look.tries + 1 if failed else 0,
    )
    rows.filter(Q(due_at=None) | Q(due_at__lte=begun)).update(due_at=now + wait if wait else None)
