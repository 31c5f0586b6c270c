"""Expect a plan: what it would hand out becomes planned needs of its pools, so that their forecasts know of it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from lentra.registry.errors import Invalid, PlanNotPossible
from lentra.registry.ledger import Change
from lentra.registry.models import PlannedNeed, Pool, Project
from lentra.registry.operations.add_set_up import refuse_taken_name
from lentra.registry.operations.commit_plan import propose_plan
from lentra.registry.outlooks import forget_outlooks
from lentra.registry.permissions import require
from lentra.registry.plans.reading import PlanText


@dataclass(frozen=True)
class _Kind:
    pool: Pool
    family: int
    length: int


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
        first = proposed.errors[0]
        raise PlanNotPossible(f"{first.path}: {first.text}", field=first.path, suggestions=first.suggestions)
    counts: dict[_Kind, int] = {}
    for placed in proposed.added:
        for family, laid in placed.blocks.items():
            kind = _Kind(placed.slot.pools[family], family, laid.block.length)
            counts[kind] = counts.get(kind, 0) + 1
    if not counts:
        raise Invalid(f"all of plan {text.name} is handed out already", field="text", received=text.name)
    known = list(PlannedNeed.objects.filter(plan=text.name))
    change.removed(known)
    project = Project.objects.get(name=text.project)
    needs = [
        PlannedNeed(
            name=f"{text.name}-{kind.pool.name}-ipv{kind.family}-{kind.length}"[:120],
            pool=kind.pool,
            family=kind.family,
            length=kind.length,
            count=count,
            day=day,
            project=project,
            plan=text.name,
            reason=f"plan {text.name}",
        )
        for kind, count in sorted(counts.items(), key=lambda item: (item[0].pool.name, item[0].family))
    ]
    for need in needs:
        refuse_taken_name("planned need", need)
    change.added(needs)
    forget_outlooks([need.pool_id for need in [*known, *needs]])
    return needs
