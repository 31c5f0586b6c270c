"""What is worth knowing of a plan that does not stop it, each with its consequence."""

from __future__ import annotations

from collections.abc import Sequence

from lentra.addressing.headroom import Usage
from lentra.registry.models import Pool
from lentra.registry.plans.comparing import Comparison
from lentra.registry.plans.slots import Finding, ResolvedPlan


def remarks(
    wanted: ResolvedPlan, comparison: Comparison, usage: Sequence[tuple[Pool, Usage, Usage]], give_back: bool
) -> list[Finding]:
    """Remarks on a plan and on the pools it draws from."""
    text = wanted.text
    found = []
    zones = [zone.zone for zone in text.zones]
    for entry in text.tiers:
        missing = [zone for zone in zones if entry.zones is not None and zone not in entry.zones]
        if missing:
            found.append(
                Finding(
                    text.where(f"{entry.path}.zones"),
                    f"tier {entry.key} is missing in {', '.join(missing[:8])}",
                    f"what runs in {entry.key} cannot move to {missing[0]} when another zone fails",
                )
            )
        if entry.room == 0 and not (text.summarise != "none" and text.spare_tiers):
            found.append(
                Finding(
                    text.where(entry.path),
                    f"no room is kept behind the blocks of tier {entry.key}",
                    "one that outgrows its block may have to be replaced by another",
                )
            )
    sheets = {pool.sheet_id: pool.sheet for pool, _, _ in usage}
    for sheet in sheets.values():
        if sheet.zones is not None and len(zones) < sheet.zones:
            found.append(
                Finding(
                    text.where("zones"),
                    f"the plan spans {len(zones)} zone{'' if len(zones) == 1 else 's'}, and rule sheet {sheet.name} wants "
                    f"{sheet.zones} at least",
                    "too few are left when a zone fails",
                )
            )
    for pool, before, after in usage:
        if before.free and not after.free:
            found.append(
                Finding(
                    pool.name,
                    f"pool {pool.name} has no IPv{after.family} left afterwards",
                    "the next request there is refused until a range is added",
                )
            )
        elif before.used_percent < pool.critical_percent <= after.used_percent:
            found.append(
                Finding(
                    pool.name,
                    f"pool {pool.name} goes from {before.used_percent:.0f} % to {after.used_percent:.0f} % of "
                    f"IPv{after.family}",
                    f"it passes its critical threshold of {pool.critical_percent} %",
                )
            )
    for slot, subnet in comparison.resized:
        now = " and ".join(str(block) for block in subnet.blocks())
        then = " and ".join(f"/{n}" for n in slot.lengths.values())
        found.append(
            Finding(
                text.where(slot.entry.path),
                f"{slot.key} is {now}, the plan now wants {then}",
                f"a commit leaves {subnet.name} as it is: grow, shrink or replace it",
            )
        )
    if comparison.unwanted:
        names = ", ".join(subnet.name for subnet in comparison.unwanted[:5])
        more = f" and {len(comparison.unwanted) - 5} more" if len(comparison.unwanted) > 5 else ""
        stay = "they stay until they are given back on request"
        go = f"{len(comparison.unwanted)} are given back: each cools as its pool says, then it is gone"
        found.append(Finding("zones", f"no longer wanted: {names}{more}", go if give_back else stay))
    return found
