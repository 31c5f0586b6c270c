"""Hand a subnet over to another project: same number, blocks, name and all that is recorded in it."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Invalid, WrongPool
from lentra.registry.lookup.find import find
from lentra.registry.models import Project, Subnet
from lentra.registry.operations.subnets.opened import IN_USE, locked_subnet, refuse_moving
from lentra.registry.rules.permissions import require_project
from lentra.registry.rules.quotas import refuse_over_quota, whole_take
from lentra.registry.rules.zone_limits import refuse_more_zones
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock


def hand_over(change: Change, subnet_ref: Any, project: Any, version: int | None = None) -> Subnet:
    """Give a subnet in use to another project. It leaves its plan, which was the old project's.

    Raises:
        WrongPool: its pool belongs to the old project alone.
        QuotaReached: the new project may have no more of what it is, or use no more zones there.
        NotAllowed: the actor acts for one of the two projects alone, or for none.
        Invalid, WrongState, StaleEdit.
    """
    subnet = locked_subnet(change, subnet_ref, "hand a subnet over", version, IN_USE)
    refuse_moving([subnet], "hand it over")
    other = find(Project, project, "project")
    require_project(change.actor, other, "take a subnet over")
    if other.pk == subnet.project_id:
        raise Invalid(f"{subnet.name} is of project {other.name} already", field="project", received=other.name)
    if subnet.pool.project_id not in (None, other.pk):
        raise WrongPool(
            f"pool {subnet.pool.name} serves project {subnet.project.name} alone: {subnet.name} cannot be another's there",
            field="project",
            received=other.name,
            rule="a pool with a project serves that alone",
            suggestions=[f"replace {subnet.name} by a subnet from another pool"],
        )
    lock(Project, other.pk)  # whoever limits it waits: no pool is open here
    refuse_over_quota(change, other, [whole_take(subnet)])
    if subnet.zone is not None:
        refuse_more_zones(change, other, subnet.region, [subnet.zone])
    if subnet.plan_id:
        change.note(
            f"it leaves plan {subnet.plan.name}, in which its slot {subnet.plan_slot} is empty from now on"
        )
    if subnet.project.name in subnet.name:
        change.note(f"it keeps its name, {subnet.name}: rename it where that misleads")
    change.edited(subnet, "hand over", project=other, plan=None, plan_slot="")
    return subnet
