"""Edit a rule sheet: freely where it allows more, and where it allows less, if all that is there keeps to it."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Invalid
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Pool, Sheet, Subnet
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sheets import refuse_breaks
from lentra.registry.space.locking import open_pools, set_rules
from lentra.registry.transactions.change import Change

_INSIDE = ("head", "tail")


def edit_sheet(change: Change, sheet_id: int, values: dict[str, Any], version: int | None = None) -> Sheet:
    """Set values on a rule sheet. Of a family's rules, those that are not given stay as they are.

    All pools under the sheet are locked meanwhile, so nothing is handed out by the old rules beside it.

    Raises:
        BreaksRules: a range, subnet, record or DHCP range would break; lists each with a way to mend it.
        StaleEdit, NotAllowed, Invalid, NameTaken: as for every record of set-up.
    """
    require(change.actor, "admin", "edit a rule sheet")
    sheet = find_locked(Sheet, sheet_id, version=version)
    before, values = sheet.rules(), dict(values)
    for family in ("v4", "v6"):
        given, present = values.get(family), getattr(sheet, family)
        if given is not None and present is not None:
            if not isinstance(given, dict):
                raise Invalid(f"{family} is a mapping of rules to numbers", field=family)
            values[family] = {**present, **given}
    pools = list(Pool.objects.filter(sheet=sheet).order_by("pk").prefetch_related("ranges"))
    with open_pools(change, [pool.pk for pool in pools]):
        edited = edit_record(change, "rule sheet", sheet.pk, values)
        assert isinstance(edited, Sheet)
        if pools:
            refuse_breaks(edited.rules(), pools, "v4" if "v4" in values else next(iter(values), "v4"), before)
            set_rules(change, [pool.pk for pool in pools], edited.last_entry)
    after = edited.rules()
    for was, now in ((before.v4, after.v4), (before.v6, after.v6)):
        if was and now and any(getattr(was, field) != getattr(now, field) for field in _INSIDE):
            moved = Subnet.objects.filter(pool__in=pools, gateway__in=("first", "last")).count()
            if moved:
                change.note(
                    f"{moved:,} subnets have their gateway by rule (first or last usable): it moves with what is withheld"
                )
    return edited
