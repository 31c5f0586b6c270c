"""The one way in which anything changes: clock, actor, operation, locks, retry, ledger.

`perform` runs a piece of work in a transaction and commits it together with its ledger entries and an
`Operation` row. Whoever repeats an operation with its key gets the first answer again.
"""

from __future__ import annotations

import random
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, TypeVar

from django.db import IntegrityError, InterfaceError, OperationalError, connection, transaction

from lentra.registry.clock import Clock, SystemClock
from lentra.registry.errors import Busy, KeyReused
from lentra.registry.ledger import Change
from lentra.registry.models import LedgerEntry, Operation, Person
from lentra.registry.statements import Prepared, Slot

Result = TypeVar("Result")

_first_answer = Prepared(
    lambda: Operation.objects.filter(actor=Slot("actor"), key=Slot("key")).values_list("digest", "answer", "at")
)

KEY_LIFETIME = timedelta(hours=24)
on_retry: list[Callable[[], None]] = []  # called whenever a change is tried again, for whoever counts
ATTEMPTS = 8
_LOCK_CLASHES = {1205, 1213, 1020}  # lock wait time-out, deadlock or certification failure, row changed
_CONNECTION_LOST = {1047, 1053, 1927, 2002, 2003, 2006, 2013, 2055, 4031}


@dataclass
class Outcome:
    """What a change came to. `answer` is what `render` made of the work's result."""

    answer: Any
    notes: list[str] = field(default_factory=list)
    replayed: bool = False
    entries: list[LedgerEntry] = field(default_factory=list)


class SettleFirst(Exception):
    """Something that has ended is in the way: `settle` ends it, in a change of its own, and the work is tried again."""

    def __init__(self, settle: Callable[[Clock], object]) -> None:
        self.settle = settle


class _Undo(Exception):
    """Leaves the transaction of a preview without a trace."""

    def __init__(self, outcome: Outcome) -> None:
        self.outcome = outcome


def perform(
    work: Callable[[Change], Result],
    *,
    actor: Person | None = None,
    clock: Clock | None = None,
    why: str = "",
    key: str | None = None,
    digest: str = "",
    preview: bool = False,
    render: Callable[[Result, Change], Any] = lambda result, change: None,
    kept: Callable[[Any], Any] = lambda answer: answer,
) -> Outcome:
    """Run `work` as one change.

    Args:
        work: does everything through the `Change` it is given; may be run several times.
        key: the caller's idempotency key; `digest` tells whether it comes with the same request again.
        preview: do all of it, tell the answer, and undo it.
        render: turns the result into the answer (JSON).
        kept: what of the answer is kept for repeats: secrets that are told once are left out.

    Raises:
        Refusal: whatever the work refuses; nothing has changed then.
        KeyReused: the key came before with another digest.
        Busy: still clashing after some tries, or the database cannot be reached.
    """
    clock = clock or SystemClock()
    operation = uuid.uuid4()
    for attempt in range(ATTEMPTS):
        if attempt:
            for told in on_retry:
                told()
        try:
            with transaction.atomic():
                change = Change(clock, actor, operation, why, attempt, preview)
                if repeated := _repeated(change, key, digest):
                    return repeated
                result = work(change)
                outcome = Outcome(render(result, change), change.notes, entries=change.entries)
                if preview:
                    change.batch.send()
                    raise _Undo(outcome)
                change.batch.insert(
                    [
                        Operation(
                            id=operation,
                            actor=actor.pk if actor else None,
                            key=key,
                            digest=digest,
                            answer=kept(outcome.answer),
                            at=change.now,
                        )
                    ]
                )
                change.batch.send()
            return outcome
        except _Undo as undo:
            return undo.outcome
        except SettleFirst as ended:
            ended.settle(clock)
            continue
        except IntegrityError:
            continue  # somebody was first with the same name, place or key, and is done: look again
        except (OperationalError, InterfaceError) as failure:
            number = failure.args[0] if failure.args else 0
            if number not in _LOCK_CLASHES and not _is_lost(failure):
                raise
            # The transaction may have been committed before the connection broke.
            if number not in _LOCK_CLASHES and (committed := _committed(operation)):
                return committed
        time.sleep(random.uniform(0.2, 1.0) * min(0.02 * 2**attempt, 0.5))
    raise Busy("too many changes at once: nothing was changed; try again in a moment")


def _repeated(change: Change, key: str | None, digest: str) -> Outcome | None:
    """The first answer, if this key has already been used by this person."""
    if key is None or change.actor is None:
        return None
    rows = _first_answer(actor=change.actor.pk, key=key)
    if not rows:
        return None
    first_digest, answer, at = rows[0]
    if change.now - at > KEY_LIFETIME:
        Operation.objects.filter(actor=change.actor.pk, key=key).delete()
        return None
    if first_digest != digest:
        raise KeyReused(
            f"the idempotency key {key!r} was used at {at:%Y-%m-%d %H:%M:%S} UTC with another body",
            field="Idempotency-Key",
            received=key,
            rule="the same key within 24 hours stands for the same request",
            suggestions=[uuid.uuid4()],
        )
    return Outcome(answer, replayed=True)


def _is_lost(failure: Exception) -> bool:
    number = failure.args[0] if failure.args else 0
    return isinstance(failure, InterfaceError) or number in _CONNECTION_LOST


def _committed(operation: uuid.UUID) -> Outcome | None:
    """Look an operation up after its connection broke; waits a little for the database to return."""
    for wait in (0.05, 0.5, 1.5, 3.0):
        connection.close()
        time.sleep(wait)
        try:
            found = Operation.objects.filter(pk=operation).first()
        except (OperationalError, InterfaceError):
            continue
        return Outcome(found.answer) if found else None
    raise Busy(
        "the database cannot be reached: try again in a moment with the same idempotency key, which gives "
        "the first answer if the change did go through"
    )
