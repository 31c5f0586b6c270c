"""What follows from links: of what both of two realms have in pools, one keeps out what the other may hand out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from django.db.models import Q

from lentra.addressing.matching import merged
from lentra.addressing.meeting import NEITHER, ONE, OTHER, Share, Space, Spans, apart, common, divide, touch
from lentra.addressing.prefix import range_text
from lentra.registry.errors import Invalid
from lentra.registry.lookup.meeting import (
    Pair,
    given_way,
    in_pools_of_both,
    kept_out_in,
    links_now,
    lock_joined,
    meetings_of,
    spans_of,
    used_in,
)
from lentra.registry.models import KeepOut, Link, PoolRange, Realm
from lentra.registry.operations.findings.judge_meetings import judge_meetings
from lentra.registry.operations.pools.add_keep_out import keep_out_all, lift_all
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change

MOST_SHARES = 5000  # ranges that realms are divided into, at once
# Realm -> ranges (family, first, last) that it is to hand out.
Chosen = Mapping[int, Sequence[tuple[int, int, int]]]


def shares_of(pair: Pair, where: Space, chosen: Chosen | None = None) -> list[tuple[int, Share]]:
    """How two realms that meet somewhere would be divided there: (family, share), the first of `pair` being ``one``.

    Args:
        where: what both have in pools.
    """
    found: list[tuple[int, Share]] = []
    for family, spans in where.items():
        if not spans:
            continue
        one, other = ([(r.first, r.last) for r in used_in(realm, family, spans)] for realm in pair)
        wanted = {
            side: _of_family(chosen or {}, realm, family) for side, realm in zip((ONE, OTHER), pair, strict=True)
        }
        never = {
            side: [(r.first, r.last) for r in kept_out_in(realm, family, spans)]
            for side, realm in zip((ONE, OTHER), pair, strict=True)
        }
        found += [(family, share) for share in divide(spans, one, other, wanted, never)]
    return found


def _chosen_by(pair: Pair, chosen: Chosen, family: int) -> Spans:
    """What is chosen for either of two realms: it is divided anew."""
    return [span for realm in pair for span in _of_family(chosen, realm, family)]


def _of_family(chosen: Chosen, realm: int, family: int) -> Spans:
    return merged([(first, last) for of, first, last in chosen.get(realm, ()) if of == family])


def settle_meetings(
    change: Change, before: Iterable[Pair], links: Sequence[Link] | None = None, chosen: Chosen | None = None
) -> None:
    """Bring what follows from links up to date, where realms meet now or met before; their outlines are locked.

    Args:
        before: the pairs that met before the change.
        links: those there are now, if they are not as they are stored.
        chosen: what is to be handed out in which realm, where neither uses it.
    """
    met = meetings_of(links_now() if links is None else links)
    pairs = sorted(met.keys() | set(before))
    if not pairs:
        return
    where = {pair: in_pools_of_both(pair, met.get(pair, {})) for pair in pairs}
    names = dict(Realm.objects.filter(pk__in={n for pair in pairs for n in pair}).values_list("pk", "name"))
    with open_pools(change, _pools_over(where)):
        for pair in pairs:
            _settle(change, pair, where[pair], names, chosen)
    for realm in sorted(names):
        judge_meetings(change, Realm.objects.get(pk=realm))


def _pools_over(where: Mapping[Pair, Space]) -> list[int]:
    """The pools over what realms both have, in both of them: nobody hands out there meanwhile."""
    over: defaultdict[tuple[int, int], list[tuple[int, int]]] = defaultdict(list)
    for pair, space in where.items():
        for family, spans in space.items():
            for realm in pair:
                over[realm, family] += spans
    found = set()
    for (realm, family), spans in over.items():
        rows = PoolRange.objects.filter(realm=realm, family=family).values_list("pool", "first", "last")
        wanted = merged(spans)
        found |= {pool for pool, first, last in rows if touch(wanted, first, last)}
    return sorted(found)


def _settle(change: Change, pair: Pair, where: Space, names: Mapping[int, str], chosen: Chosen | None) -> None:
    """Lift what two realms need no longer keep out for each other, and divide what is not divided yet."""
    kept = given_way(pair)
    ripe = _ripe(pair, kept)
    there = {
        family: apart(spans, merged([*ripe.get(family, []), *_chosen_by(pair, chosen or {}, family)]))
        for family, spans in where.items()
    }
    parts = {k.pk: common([(k.first, k.last)], there.get(k.family, [])) for k in kept}
    stays = {k.pk: parts[k.pk] == [(k.first, k.last)] for k in kept}
    narrowed = [k for k in kept if not stays[k.pk]]
    fresh = [_anew(keep_out, *span) for keep_out in narrowed for span in parts[keep_out.pk]]
    divided = spans_of([*(k for k in kept if stays[k.pk]), *fresh])
    missing = {family: apart(spans, divided.get(family, [])) for family, spans in where.items()}
    shares = shares_of(pair, missing, chosen)
    if len(shares) > MOST_SHARES:
        raise Invalid(
            f"what {names[pair[0]]} and {names[pair[1]]} both have falls into {len(shares):,} parts, so much do they lie "
            f"between each other: {MOST_SHARES:,} at most",
            field="other",
            suggestions=["let less of it be seen", "give back what is unused, or renumber, first"],
        )
    for family, first, last, to in _ranges(shares):
        for loser, winner in _losing(pair, to):
            has = "has it too" if to == NEITHER else "hands it out"
            fresh.append(
                KeepOut(
                    realm_id=loser,
                    family=family,
                    first=first,
                    last=last,
                    kind="linked",
                    reason=f"realm {names[winner]}, which this one meets, {has}",
                    source="links",
                    since=change.now.date(),
                    in_favour_of_id=winner,
                    over_use=to == NEITHER,
                )
            )
    keep_out_all(change, fresh)
    lift_all(change, narrowed)
    for realm in pair:
        if own := [k for k in fresh if k.realm_id == realm]:
            first_of = range_text(own[0].family, own[0].first, own[0].last)
            more = f" and {len(own) - 1:,} more" if len(own) > 1 else ""
            beside = names[pair[0] if realm == pair[1] else pair[1]]
            change.note(f"{names[realm]} keeps out {first_of}{more}, which {beside} hands out, or has")


def refuse_unhad(link: Link, where: Space, chosen: Chosen) -> None:
    """Refuse what is chosen to be handed out by one of the realms of a link, and is not to be had.

    Args:
        where: what both have in pools where they meet.

    Raises:
        Invalid: they do not both have it, the other one uses it, or it is chosen for both; says which part.
    """
    names = {link.one_id: link.one.name, link.other_id: link.other.name}
    for field, realm, other in (
        ("one_gives", link.one_id, link.other_id),
        ("other_gives", link.other_id, link.one_id),
    ):
        for family, first, last in chosen.get(realm, ()):
            span, spans, text = [(first, last)], where.get(family, []), range_text(family, first, last)
            told: dict[str, Any] = {"field": field, "received": text}
            if rest := apart(span, spans):
                raise Invalid(
                    f"{text} cannot be given to {names[realm]}: {range_text(family, *rest[0])} is nothing that it and "
                    f"{names[other]} both have in pools where they meet",
                    rule="what both have is divided, and nothing else",
                    suggestions=[range_text(family, *one) for one in spans[:5]],
                    **told,
                )
            if used := [one for one in used_in(other, family, span) if touch(span, one.first, one.last)]:
                shown = [range_text(family, one.first, one.last) for one in used[:20]]
                raise Invalid(
                    f"{text} cannot be given to {names[realm]}: {names[other]} uses {shown[0]} of it",
                    rule="what one of them uses is its own",
                    conflicts=[{"range": one, "realm": names[other]} for one in shown],
                    **told,
                )
            if twice := common(span, _of_family(chosen, other, family)):
                raise Invalid(
                    f"{range_text(family, *twice[0])} is chosen for {names[realm]} and for {names[other]}: one of them "
                    "hands it out",
                    **told,
                )


def _losing(pair: Pair, to: str) -> list[Pair]:
    """Which realm keeps out in favour of which; while both use it, whatever either gives back is kept out there."""
    one, other = pair
    return [(other, one)] if to == ONE else [(one, other)] if to == OTHER else [(one, other), (other, one)]


def _ripe(pair: Pair, kept: Sequence[KeepOut]) -> dict[int, Spans]:
    """What both realms keep out for each other since both used it, and not both do any more: it is divided anew."""
    found = {}
    for family in (4, 6):
        of_one, of_other = (
            merged([(k.first, k.last) for k in kept if (k.realm_id, k.family) == (realm, family)])
            for realm in pair
        )
        if twice := common(of_one, of_other):
            one, other = (merged([(r.first, r.last) for r in used_in(realm, family, twice)]) for realm in pair)
            found[family] = apart(twice, common(one, other))
    return found


def divide_ripe(change: Change, realm: int) -> bool:
    """Divide anew what a realm and one that it meets have both used, once one of them has given it back.

    Returns:
        whether there was anything.
    """
    rows = KeepOut.objects.filter(Q(realm=realm) | Q(in_favour_of=realm), over_use=True)
    pairs = sorted({(min(a, b), max(a, b)) for a, b in rows.values_list("realm", "in_favour_of").distinct()})
    ripe = [pair for pair in pairs if any(_ripe(pair, given_way(pair)).values())]
    if ripe:
        lock_joined(realm)
        settle_meetings(change, ripe)
    return bool(ripe)


def _anew(keep_out: KeepOut, first: int, last: int) -> KeepOut:
    facts: dict[str, Any] = {
        name: getattr(keep_out, name)
        for name in ("realm_id", "family", "kind", "reason", "source", "since", "in_favour_of_id", "over_use")
    }
    return KeepOut(first=first, last=last, **facts)


def _ranges(shares: Sequence[tuple[int, Share]]) -> list[tuple[int, int, int, str]]:
    """Shares of the same side that follow one another as one, whyever they are its own."""
    found: list[tuple[int, int, int, str]] = []
    for family, share in shares:
        first = share.first
        if found and (found[-1][0], found[-1][2] + 1, found[-1][3]) == (family, first, share.to):
            first = found.pop()[1]
        found.append((family, first, share.last, share.to))
    return found


def follow_ranges(change: Change, realm: int) -> None:
    """After a realm has lost top-level ranges: nobody keeps out in its favour what it does not have any more."""
    kept = KeepOut.objects.filter(Q(realm=realm) | Q(in_favour_of=realm)).exclude(in_favour_of=None)
    pairs = {
        (min(one, other), max(one, other)) for one, other in kept.values_list("realm", "in_favour_of").distinct()
    }
    if pairs:
        settle_meetings(change, pairs)
