"""How many single public addresses a project may hold."""

from __future__ import annotations

from collections.abc import Mapping

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import QuotaReached
from lentra.registry.models import ExtentRow, Project

_HELD = (State.HELD, State.HANDED_OUT)


def refuse_over_quota(project: Project, lengths: Mapping[int, int], count: int) -> None:
    """Refuse single public addresses beyond a project's quota; locks the project.

    Raises:
        QuotaReached: names the held ones that are idle.
    """
    single = sum(1 for family, length in lengths.items() if length == BITS[family])
    quota = Project.objects.select_for_update().values_list("public_quota", flat=True).get(pk=project.pk)
    if not single or quota is None:
        return
    rows = ExtentRow.objects.filter(subnet__project=project, pool__exposure="public", state__in=_HELD)
    rows = rows.filter(length__in=BITS.values()).select_related("subnet")
    held = rows.count()
    if held + single * count <= quota:
        return
    idle = list(rows.filter(subnet__attached_to="").order_by("first")[:20])
    words = f"; idle: {', '.join(f'{row.prefix} ({row.subnet.name})' for row in idle[:5])}" if idle else ""
    raise QuotaReached(
        f"project {project.name} holds {held} public addresses, and its quota is {quota}{words}",
        field="project",
        received=project.name,
        rule=f"public addresses of {project.name}: {quota}",
        conflicts=[{"range": str(row.prefix), "owner": row.subnet.name, "state": "idle"} for row in idle],
        suggestions=[f"attach {idle[0].subnet.name}" if idle else "give one back"],
    )
