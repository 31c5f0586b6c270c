"""Rename and relabel a subnet, and edit what else may be said about it."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Frozen
from lentra.registry.ledger import Change
from lentra.registry.models import Subnet
from lentra.registry.naming import refuse_taken_subnet_name, split_name
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.permissions import require_project
from lentra.registry.queries.find import find
from lentra.registry.setup import check_name

EDITABLE = ("name", "purpose", "notes", "labels", "hosts", "growth")
FIXED = ("realm", "pool", "project", "zone", "region", "tier", "blocks")


def edit_subnet(change: Change, subnet_ref: Any, values: dict[str, Any], version: int | None = None) -> Subnet:
    """Set values on a subnet.

    Raises:
        Frozen: realm, pool, place and range never change: hand out another and give this one back.
        NameTaken: a living or cooling subnet has the name.
        NotAllowed, StaleEdit.
    """
    subnet = find(Subnet, subnet_ref, "subnet", related=("project",))
    require_project(change.actor, subnet.project, "edit a subnet")
    subnet = Subnet.objects.select_for_update().get(pk=subnet.pk)
    refuse_stale(subnet, version)
    if fixed := [field for field in values if field not in EDITABLE]:
        raise Frozen(
            f"{fixed[0]} of a subnet cannot change: hand out another subnet and give this one back",
            field=fixed[0],
            rule=f"fixed: {', '.join(FIXED)}",
        )
    if "name" in values and values["name"] != subnet.name:
        check_name(values["name"])
        refuse_taken_subnet_name(subnet.realm_id, values["name"], besides=subnet.pk)
        values["name_stem"], values["name_number"] = split_name(values["name"])
    change.edited(subnet, **values)
    return subnet
