"""The unit of work: clock, actor, operation, time budget, retry, idempotency key, ledger.

`run_transaction` runs a piece of work in a transaction and commits it together with its ledger entries and an
`Operation` row. Whoever repeats an operation with its key gets the first answer again.
"""

from __future__ import annotations

import logging
import random
import time
import uuid
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, TypeVar

from django.conf import settings
from django.db import Error, InterfaceError, OperationalError, connection, transaction

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Busy, Contradiction, KeyReused, StaleProposal
from lentra.registry.models import LedgerEntry, Operation, Person
from lentra.registry.transactions.change import AskedFirst, Change
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.failures import Clash, Verdict, judge, settled
from lentra.registry.transactions.proposals import no_longer, promise_of
from lentra.registry.transactions.revision import has_moved_on
from lentra.registry.transactions.sql import Prepared, Slot

Result = TypeVar("Result")
logger = logging.getLogger(__name__)

_first_answer = Prepared(
    lambda: Operation.objects.filter(actor=Slot("actor"), key=Slot("key")).values_list(
        "digest", "answer", "status", "at"
    )
)

KEY_LIFETIME = timedelta(hours=24)
BUDGET_SECONDS = 10.0  # for all tries of one request together
LOCK_WAIT_SECONDS = settings.LOCK_WAIT_SECONDS  # a statement's own limit: a try is begun only if that is left
LOOKING_SECONDS = 6.0  # more, to find out whether a change whose answer was lost went through
LOOKS = 4  # at one and the same thing that somebody else was first with, before it is told as it is
on_retry: list[Callable[[], None]] = []  # called whenever a change is tried again, for whoever counts
# Called with each change, for whoever keeps what follows from it.
before_commit: list[Callable[[Change], None]] = []


@dataclass
class Outcome:
    """What a change came to. `answer` is what `render` made of the work's result."""

    answer: Any
    notes: list[str] = field(default_factory=list)
    replayed: bool = False
    status: int = 200
    entries: list[LedgerEntry] = field(default_factory=list)


class EndedElsewhere(Exception):
    """Something that has ended is in the way, in a pool that is not open: it is opened too, and the work run again."""

    def __init__(self, pool: int) -> None:
        self.pool = pool


class _Undo(Exception):
    """Leaves the transaction of a preview without a trace."""

    def __init__(self, outcome: Outcome) -> None:
        self.outcome = outcome


class _Tries:
    """The tries of one change: one time budget, a pause after each that clashed, a few looks at each thing that is taken."""

    def __init__(self) -> None:
        self.count = 0
        self.also_open: set[int] = set()
        self.end = time.monotonic() + BUDGET_SECONDS
        self._looks: Counter[str] = Counter()

    def again(self, failure: Exception, verdict: Verdict) -> None:
        """Wait a little before the next try.

        Raises:
            Busy: the budget does not reach for another.
            Refusal: looking again has not helped; says who has what was asked for.
        """
        self.count += 1
        if verdict is Verdict.LOOK_AGAIN:
            self._looks[str(failure)] += 1
            if self._looks[str(failure)] >= LOOKS:
                raise settled(failure)
        pause = random.uniform(0.2, 1.0) * min(0.01 * 2**self.count, 0.3)
        if time.monotonic() + pause + LOCK_WAIT_SECONDS > self.end:
            raise Busy("too many changes at once: nothing was changed; try again in a moment")
        time.sleep(pause)
        for callback in on_retry:
            callback()

    def open_too(self, pool: int) -> None:
        """Another pool is to be opened in the next try."""
        if pool in self.also_open:
            raise Contradiction("something that has ended does not go away; run a verification of the registry")
        self.also_open.add(pool)


def run_transaction(
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
    status: int = 200,
    proposal: str | None = None,
    key_with_lock: bool = False,
) -> Outcome:
    """Run `work` as one change: all of it is committed, or nothing.

    It is the outermost transaction (READ COMMITTED). `work` may be run several times: it must not keep anything from
    one run for the next. Threads do not share a change.

    Args:
        work: does everything through the `Change` it is given.
        key: the caller's idempotency key; `digest` tells whether it comes with the same request again.
        preview: do all of it, tell the answer, and undo it.
        render: turns the result into the answer (JSON).
        kept: what of the answer is kept for repeats: secrets that are told once are left out.
        status: that of the answer by HTTP, kept with it.
        key_with_lock: the key is looked up together with what the work asks under its first lock.
        proposal: the token of a preview with the same digest (see `proposals.seal_change`): do what it showed, or nothing.

    Raises:
        Refusal: whatever the work refuses, or the database; nothing has changed then.
        KeyReused: the key came before with another digest.
        StaleProposal: what was shown is no longer possible, or no longer what would be done.
        Busy: still clashing when the time budget is used up, or the database cannot be reached.
    """
    clock = clock or SystemClock()
    operation = uuid.uuid4()
    tries = _Tries()
    promise = promise_of(proposal, digest) if proposal else None
    while True:
        try:
            with transaction.atomic(durable=True):
                change = Change(clock, actor, operation, why, tries.count, preview, tries.also_open, promise)
                if key_with_lock:
                    change.asks_first = _asked_first(actor, key, digest, change.now)
                elif repeated := first_answer(actor, key, digest, change.now):
                    return repeated
                if promise:
                    promise.begin()
                result = work(change)
                if change.asks_first and (repeated := first_answer(actor, key, digest, change.now)):
                    raise _Undo(repeated)
                if promise:
                    promise.refuse_other(change.own_entries)
                outcome = Outcome(render(result, change), change.notes, entries=change.entries, status=status)
                if preview:
                    change.batch.send()
                    raise _Undo(outcome)
                for keep in before_commit:
                    keep(change)
                change.batch.insert([_operation(change, key, digest, kept(outcome.answer), status)])
                change.batch.send(commit=True)
            return outcome
        except _Undo as undo:
            return undo.outcome
        except Refusal as refusal:
            if change.asks_first and (repeated := first_answer(actor, key, digest, change.now)):
                return repeated
            if has_moved_on(change.goes_by):  # refused by what no longer holds
                tries.count += 1
                continue
            late = promise and refusal.status == 409 and not isinstance(refusal, StaleProposal)
            raise no_longer(refusal) if late else refusal
        except EndedElsewhere as ended:
            tries.open_too(ended.pool)
        except (Error, Clash, UnicodeEncodeError) as failure:
            verdict = judge(failure)
            if verdict is None:
                raise
            if isinstance(verdict, Refusal):
                if isinstance(verdict, Contradiction):
                    logger.error("refused by the database: %s", failure)
                raise verdict from failure
            # The transaction may have been committed before the connection broke.
            if verdict is Verdict.LOST and (committed := _committed(operation, tries.end + LOOKING_SECONDS)):
                return committed
            tries.again(failure, verdict)


def settle_until_now(change: Change) -> None:
    """Have what follows from a change kept as far as it has come, and hold no more of it in memory: for very large ones."""
    for keep in before_commit:
        keep(change)
    change.batch.send()
    change.forget_entered()


def first_answer(actor: Person | None, key: str | None, digest: str, now: Any) -> Outcome | None:
    """The first answer, if this key has already been used by this person in the last 24 hours.

    Raises:
        KeyReused: it came with another request.
    """
    if key is None or actor is None:
        return None
    return _told_first(_first_answer(actor=actor.pk, key=key), actor, key, digest, now)


def _asked_first(actor: Person | None, key: str | None, digest: str, now: Any) -> AskedFirst | None:
    """The question for the first answer, for whoever asks something anyway; ends the work if there is one."""
    if key is None or actor is None:
        return None

    def seen(rows: list[tuple[Any, ...]]) -> None:
        if repeated := _told_first(rows, actor, key, digest, now):
            raise _Undo(repeated)

    return _first_answer, {"actor": actor.pk, "key": key}, seen


def _told_first(rows: list[tuple[Any, ...]], actor: Person, key: str, digest: str, now: Any) -> Outcome | None:
    """What the rows of that question come to."""
    if not rows:
        return None
    first_digest, answer, status, at = rows[0]
    if now - at > KEY_LIFETIME:
        Operation.objects.filter(actor=actor.pk, key=key).delete()
        return None
    if first_digest != digest:
        raise KeyReused(
            f"the idempotency key {key!r} was used at {at:%Y-%m-%d %H:%M:%S} UTC with another body",
            field="Idempotency-Key",
            received=key,
            rule="the same key within 24 hours stands for the same request",
            suggestions=[uuid.uuid4()],
        )
    return Outcome(answer, replayed=True, status=status)


def _operation(change: Change, key: str | None, digest: str, answer: Any, status: int) -> Operation:
    return Operation(
        id=change.operation,
        actor=change.actor.pk if change.actor else None,
        key=key,
        digest=digest,
        answer=answer,
        status=status,
        at=change.now,
    )


def _committed(operation: uuid.UUID, end: float) -> Outcome | None:
    """Look an operation up after its connection broke; waits a little for the database to return."""
    for wait in (0.05, 0.5, 1.5, 3.0):
        connection.close()
        if time.monotonic() + wait > end:
            break
        time.sleep(wait)
        try:
            found = Operation.objects.filter(pk=operation).first()
        except (OperationalError, InterfaceError):
            continue
        return Outcome(found.answer, status=found.status) if found else None
    raise Busy(
        "the database cannot be reached: try again in a moment with the same idempotency key, which gives "
        "the first answer if the change did go through"
    )
