"""Expect a plan: what it would hand out becomes planned needs of its pools, so that their forecasts know of it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from lentra.registry.errors import Invalid
from lentra.registry.models import PlannedNeed, Pool, Project
from lentra.registry.operations.plans.commit_plan import not_possible, propose_plan
from lentra.registry.plans.reading import PlanText
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

_STEM = 58  # of a name of 63 characters


@dataclass(frozen=True)
class _Kind:
    pool: Pool
    family: int
    length: int


def _order(item: tuple[_Kind, int]) -> tuple[str, int, int]:
    kind, _ = item
    return kind.pool.name, kind.family, kind.length


def expect_plan(change: Change, text: PlanText, day: date) -> list[PlannedNeed]:
    """Add a planned need for each pool, family and length that the plan would take blocks of.

    Needs that were added for a plan of the same name before are replaced.

    Raises:
        PlanNotPossible: as for committing it.
        Invalid: the day has passed, or everything in it is handed out already.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "expect a plan")
    if day < change.now.date():
        raise Invalid(f"{day} has passed", field="day", received=day, suggestions=[change.now.date()])
    proposed = propose_plan(change, text)
    if proposed.errors:
        raise not_possible(proposed.errors)
    counts: dict[_Kind, int] = {}
    for placed in proposed.added:
        for family, laid in placed.blocks.items():
            kind = _Kind(placed.slot.pools[family], family, laid.block.length)
            counts[kind] = counts.get(kind, 0) + 1
    if not counts:
        raise Invalid(f"all of plan {text.name} is handed out already", field="text", received=text.name)
    realm = next(iter(counts)).pool.realm_id
    known = lock_all(PlannedNeed.objects.filter(plan=text.name, pool__realm=realm))
    change.removed(known)
    project = Project.objects.get(name=text.project)
    stem = text.name[:_STEM].rstrip("-._")
    # Names of needs are unique over all realms, those of plans are not.
    taken = set(PlannedNeed.objects.filter(name__startswith=stem).values_list("name", flat=True))
    names = (name for n in range(1, len(counts) + len(taken) + 1) if (name := f"{stem}-{n}") not in taken)
    needs = [
        PlannedNeed(
            name=name,
            pool=kind.pool,
            family=kind.family,
            length=kind.length,
            count=count,
            day=day,
            project=project,
            plan=text.name,
            reason=f"plan {text.name}",
        )
        for name, (kind, count) in zip(names, sorted(counts.items(), key=_order), strict=False)
    ]
    change.added(needs)
    return needs
