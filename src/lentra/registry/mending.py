"""Mending the whole registry: every pool in a change of its own, so that nobody waits long."""

from __future__ import annotations

from lentra.registry.models import Person, Pool
from lentra.registry.naming.keeping import keep_anew
from lentra.registry.operations.pools.mend_space import mend_space
from lentra.registry.reports.verify import snapshot
from lentra.registry.reports.verify_names import NamesCheck
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction


def mend_registry(
    actor: Person | None, *, clock: Clock | None = None, why: str = "", preview: bool = False
) -> list[str]:
    """Count every pool anew and write what differs; returns what was mended (or would be), in words.

    What stands in DNS zones, if it is not what follows from the registry, is derived anew by whoever keeps it.

    Raises:
        NotAllowed: the actor is no admin.
    """
    require(actor, "admin", "mend counters")
    mended: list[str] = []
    for pool in Pool.objects.order_by("pk").values_list("pk", flat=True):
        outcome = run_transaction(
            lambda change, pool=pool: mend_space(change, pool),  # type: ignore[misc]
            actor=actor,
            clock=clock,
            why=why,
            preview=preview,
            render=lambda words, _: words,
        )
        mended += outcome.answer
    with snapshot():
        wrong = any(NamesCheck(None).offences())
    if wrong:
        mended.append("the entries of all DNS zones are derived anew")
        if not preview:
            keep_anew()
    return mended
