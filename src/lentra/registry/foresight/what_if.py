"""What if: the operations that are thought of, really carried out in a transaction that is undone, and what is seen then."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any

from lentra.addressing.forecast import WINDOW_DAYS
from lentra.addressing.headroom import Usage
from lentra.addressing.prefix import BITS, Prefix
from lentra.registry.errors import Invalid
from lentra.registry.foresight.headroom import SpaceForecast, ahead_of
from lentra.registry.foresight.steps import KnownStep
from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Subnet
from lentra.registry.operations.plans.commit_plan import commit_plan
from lentra.registry.operations.pools.add_pool import add_range
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.plans.reading import PlanText
from lentra.registry.reports.idle import idle_subnets
from lentra.registry.reports.usage import handed_out_lengths, usage_facts
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction

MOST_GIVEN_BACK = 200


@dataclass(frozen=True)
class SupposedNeed:
    """So many blocks of a length, asked for on a day."""

    family: int
    length: int
    count: int
    day: date


@dataclass(frozen=True)
class Supposed:
    """What is thought of for one pool.

    Args:
        ranges: added to the pool.
        plan: committed.
        growth_percent: the pace of growth beside today's; 100 is as it is.
        give_back: subnets given back, their cooling over; with `give_back_idle` also those without any use.
        needs: asked for later.
    """

    ranges: Sequence[Prefix] = ()
    plan: PlanText | None = None
    growth_percent: int = 100
    give_back: Sequence[Any] = ()
    give_back_idle: bool = False
    needs: Sequence[SupposedNeed] = field(default=())


def what_if(pool_ref: Any, supposed: Supposed, clock: Clock, window_days: int = WINDOW_DAYS) -> dict[str, Any]:
    """How long a pool lasts today, and if all of that were done: side by side. Nothing is changed.

    Returns:
        ``pool``, ``done`` (in words), and per family ``today`` and ``then`` (as for headroom) with what still fits in each.

    Raises:
        Refusal: whatever the operations refuse.
        Invalid: nothing is supposed, or too much is given back at once.
    """
    if supposed == Supposed():
        raise Invalid(
            "say what to suppose: ranges, a plan, growth, needs, or what is given back",
            field="growth_percent",
            suggestions=["growth_percent: 150", "give_back_idle: true"],
        )
    return run_transaction(
        lambda change: _both(change, pool_ref, supposed, clock, window_days),
        clock=clock,
        preview=True,
        render=lambda told, change: told | {"notes": change.notes},
    ).answer


def _both(change: Change, pool_ref: Any, supposed: Supposed, clock: Clock, window_days: int) -> dict[str, Any]:
    pool = find(Pool, pool_ref, "pool", related=("realm", "sheet"))
    # A change of its own, which does not know that it will be undone: a previewed plan writes nothing.
    trial = Change(clock, None, uuid.uuid4(), "what if", change.attempt, preview=False)
    with open_pools(trial, [pool.pk]):
        pass  # what is due has ended
    today = ahead_of(pool, change.now, window_days)
    done = [*_add_ranges(trial, pool, supposed), *_give_back(trial, pool, supposed), *_plan(trial, supposed)]
    trial.batch.send()
    for note in trial.notes:
        change.note(note)
    after = ahead_of(pool, change.now, window_days)
    if supposed.growth_percent != 100:
        done.append(f"growth at {supposed.growth_percent} % of today's pace")
    families = []
    for family, there in after.items():
        # A family that the pool only then has, has nothing today.
        now = today.get(family) or replace(there, usage=Usage(family, {}, {}), readings=[])
        then = _then(now, there, supposed, done)
        families.append(
            {
                "family": family,
                "today": now.facts(pool.thresholds()),
                "then": then.facts(pool.thresholds()),
                "still_fits": _still_fits(now, then, pool),
            }
        )
    return {"pool": {"id": pool.pk, "name": pool.name}, "done": done, "families": families}


def _then(now: SpaceForecast, after: SpaceForecast, supposed: Supposed, done: list[str]) -> SpaceForecast:
    """What is to come after the supposed operations: the trend of today from the use of then."""
    used = (now.usage.used, after.usage.used)
    steps = list(now.steps)
    for need in supposed.needs:
        if need.family == now.family:
            words = f"{need.count} × /{need.length} on {need.day}"
            amount = need.count << (BITS[need.family] - need.length)
            steps.append(KnownStep(need.day, amount, "supposed", words, "what if"))
            fits = after.usage.still_fits(need.length)
            done.append(words if need.count <= fits else f"{words}, of which {need.count - fits:,} do not fit")
    return replace(
        now,
        usage=after.usage,
        steps=sorted(steps, key=lambda step: step.day),
        pace=supposed.growth_percent / 100,
        shift=used[1] - used[0],
    )


def _add_ranges(trial: Change, pool: Pool, supposed: Supposed) -> list[str]:
    for prefix in supposed.ranges:
        add_range(trial, pool.pk, prefix)
    return [f"{prefix} added" for prefix in supposed.ranges]


def _plan(trial: Change, supposed: Supposed) -> list[str]:
    if supposed.plan is None:
        return []
    made = commit_plan(trial, supposed.plan)
    return [f"plan {supposed.plan.name}: {len(made.added)} subnets handed out"]


def _give_back(trial: Change, pool: Pool, supposed: Supposed) -> list[str]:
    numbers = [find(Subnet, ref, "give_back").pk for ref in supposed.give_back]
    if supposed.give_back_idle:
        numbers += [subnet.pk for subnet in idle_subnets(pool, trial.now)]
    numbers = list(dict.fromkeys(numbers))
    if len(numbers) > MOST_GIVEN_BACK:
        raise Invalid(
            f"{len(numbers)} subnets to be given back: {MOST_GIVEN_BACK} at most",
            field="give_back",
            received=len(numbers),
        )
    given = []
    for number in numbers:
        given.append(give_back_subnet(trial, number, at_once=True, despite_use=True).name)
        trial.batch.send()
    if not given:
        return ["nothing is idle: nothing given back"] if supposed.give_back_idle else []
    return [f"{', '.join(given[:5])}{f' and {len(given) - 5} more' if len(given) > 5 else ''} given back"]


def _still_fits(now: SpaceForecast, then: SpaceForecast, pool: Pool) -> list[dict[str, Any]]:
    rows: dict[int, dict[str, Any]] = {}
    for word, ahead in (("today", now), ("then", then)):
        lengths = handed_out_lengths(pool, ahead.family)
        for row in usage_facts(ahead.usage, pool.unit_v6, lengths=lengths)["still_fits"]:
            rows.setdefault(row["length"], {"length": row["length"], "today": "0", "then": "0"})[word] = row[
                "count"
            ]
    return [rows[length] for length in sorted(rows)]
