"""What two linked realms both use: a clash in each of them, for as long as both do."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from lentra.addressing.overlap import Range
from lentra.addressing.prefix import range_text
from lentra.registry.lookup.meeting import KEPT_OUT, Held, kind_of, meeting_places, met_by
from lentra.registry.models import Finding, Realm, Reservation, Subnet
from lentra.registry.operations.findings.wanted import Wanted, bring_up_to_date
from lentra.registry.space.locking import lock_outline
from lentra.registry.transactions.change import Change

FACT = "link"  # that tells these clashes from those of what was seen
MOST = 2000  # of a realm, told as findings
_TOLD = 3  # of what meets one, told by name


def judge_meetings(change: Change, realm: Realm) -> dict[str, int]:
    """Open a finding for what a realm uses and one that it meets uses as well, and close those that are gone."""
    change.batch.send()
    living = {one.living: one for one in Finding.objects.filter(realm=realm, fact=FACT).exclude(living=None)}
    met = met_by(realm.pk)
    if not met and not living:
        return {"opened": 0, "closed": 0, "open": 0}
    wanted: dict[str | None, Wanted] = {one.key(realm): one for one in _wanted(realm, met)}
    if wanted.keys() != living.keys():
        lock_outline(realm.pk)  # one judges it at a time
        living = {one.living: one for one in Finding.objects.filter(realm=realm, fact=FACT).exclude(living=None)}
    return bring_up_to_date(change, realm, wanted, living)


def _wanted(realm: Realm, met: dict[int, Any]) -> Iterator[Wanted]:
    """A finding for each block or reservation of the realm that another uses as well."""
    with_whom: defaultdict[tuple[int, int, int], list[tuple[Range[Held], Range[Held]]]] = defaultdict(list)
    for other, where in sorted(met.items()):
        for clash in meeting_places((realm.pk, other), where):
            if kind_of(clash) != KEPT_OUT:
                own = clash.left
                with_whom[own.family, own.first, own.last].append((own, clash.right))
    names = dict(Realm.objects.filter(pk__in=met).values_list("pk", "name"))
    sides = [side for pairs in with_whom.values() for pair in pairs for side in pair]
    owning = Subnet.objects.select_related("project")
    subnets = owning.in_bulk({side.owner.subnet for side in sides if side.owner.subnet})
    kept = Reservation.objects.in_bulk({side.owner.reservation for side in sides if side.owner.reservation})
    for (family, first, last), pairs in list(with_whom.items())[:MOST]:
        seen = [
            {"source": f"realm {names[other.owner.realm]}", "value": _named(other, subnets, kept)}
            for _, other in pairs
        ]
        told = ", ".join(f"{one['value']} of {one['source']}" for one in seen[:_TOLD])
        more = f" and {len(seen) - _TOLD:,} more" if len(seen) > _TOLD else ""
        mine = _named(pairs[0][0], subnets, kept)
        yield Wanted(
            "clash",
            family,
            first,
            last,
            f"{mine} meets {told}{more}: the realms are linked, and both use the addresses",
            FACT,
            mine,
            seen[:50],
            subnets.get(pairs[0][0].owner.subnet or 0),
        )


def _named(held: Range[Held], subnets: dict[int, Subnet], kept: dict[int, Reservation]) -> str:
    """Something in use, by its name and range."""
    shown, of = range_text(held.family, held.first, held.last), held.owner
    if of.subnet in subnets:
        return f"{subnets[of.subnet].name} ({shown}, {of.state.word})"
    if of.reservation in kept:
        return f"reservation {kept[of.reservation].name} ({shown})"
    return f"{shown} ({of.state.word})"
