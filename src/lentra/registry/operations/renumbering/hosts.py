"""Address records of a move: where each goes, how they are carried along, and who has moved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from lentra.addressing.address_map import GATEWAY_RULES, Inside
from lentra.addressing.prefix import Prefix, address_text
from lentra.addressing.refusal import Exhausted, Refusal
from lentra.addressing.renumbering import move_addresses, moved_text
from lentra.registry.lookup.insides import gateway_of, inside_of
from lentra.registry.models import Address, Pool, Subnet
from lentra.registry.operations.subnets.attach_address import attach_address
from lentra.registry.operations.subnets.edit_subnet import INSIDE, checked_inside
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

ALONG = ("ipv6_hosts", "name_servers", "dns_suffix")
_FIXED = ("gateway", "dhcp-service")  # kinds of records that may have an address that is withheld


@dataclass(frozen=True)
class HostMove:
    """One address record, and the address that it gets."""

    record: Address
    new: int | None

    @property
    def told(self) -> list[str]:
        """Name, old address, new address."""
        assert self.new is not None
        return [self.record.name, self.record.text, address_text(self.record.family, self.new)]


def inside_moved(
    change: Change, old: Subnet, olds: Sequence[Prefix], news: Sequence[Prefix], pool: Pool
) -> dict[str, object]:
    """What is fixed inside a subnet, at the same place inside its new blocks; what cannot be is told and left out."""
    texts: dict[str, str] = {}
    for name in INSIDE:
        text = getattr(old, name)
        parts = [] if not text or text in GATEWAY_RULES else [moved_text(p, olds, news) for p in text.split(", ")]
        if None in parts:
            change.note(f"{name.replace('_', ' ')} {text} of {old.name} has no place in {news[0]}: set another")
            continue
        texts[name] = ", ".join(str(part) for part in parts) if parts else text
    texts.setdefault("gateway", pool.sheet.gateway)
    values: dict[str, object] = {**texts, **{name: getattr(old, name) for name in ALONG}}
    plain = texts["gateway"] in GATEWAY_RULES and not any(texts.get(name) for name in INSIDE[1:])
    if plain and not values["ipv6_hosts"]:
        return values
    likely = Subnet(id=0, name=old.name, pool=pool, hosts=None, growth=0)
    likely.known_blocks = list(news)
    try:
        return checked_inside(likely, {name: value for name, value in values.items() if value})
    except Refusal as refusal:
        change.note(f"what is fixed inside {old.name} does not go along: {refusal.message}")
        return {"gateway": pool.sheet.gateway, "name_servers": old.name_servers, "dns_suffix": old.dns_suffix}


def host_moves(
    old: Subnet, new: Subnet, olds: Sequence[Prefix], news: Sequence[Prefix], records: Iterable[Address]
) -> list[HostMove]:
    """Where the address records of a subnet go."""
    found: list[HostMove] = []
    every = list(records)
    for one, other in zip(olds, news, strict=True):
        own = {r.address: r for r in every if r.family == one.family and one.first <= r.address <= one.last}
        if not own:
            continue
        inside = inside_of(new, other)
        fixed = _fixed(old, one, inside, own)
        rest = {a: r.kind in _FIXED for a, r in own.items() if a not in fixed}
        places: Mapping[int, int | None] = {**move_addresses(one, inside, rest), **fixed}
        found += [HostMove(record, places[address]) for address, record in sorted(own.items())]
    return found


def _fixed(old: Subnet, block: Prefix, inside: Inside, own: Mapping[int, Address]) -> dict[int, int]:
    """The records of the gateway and the DHCP service go with what they are of, wherever that is in the new block."""
    before = inside_of(old, block)
    pairs = ((gateway_of(old, block), inside.gateway), (before.dhcp_service, inside.dhcp_service))
    return {was: now for was, now in pairs if was is not None and now is not None and was in own}


def refuse_homeless(hosts: Iterable[tuple[Subnet, HostMove]]) -> None:
    """Refuse new blocks that have no place for every address record.

    Raises:
        Exhausted: says which, and what would do.
    """
    homeless = [(subnet, host) for subnet, host in hosts if host.new is None]
    if not homeless:
        return
    subnet, first = homeless[0]
    more = f" and {len(homeless) - 1} more" if len(homeless) > 1 else ""
    family = first.record.family
    raise Exhausted(
        f"{first.record.label_text} of {subnet.name}{more} would have no address: the new block is too small for what is "
        "recorded",
        field=f"length_v{family}",
        rule="every address record moves along",
        conflicts=[
            {"range": host.record.text, "owner": host.record.name, "kind": "address record"}
            for _, host in homeless[:20]
        ],
        suggestions=[f"leave length_v{family} out", "release records that nobody needs"],
    )


def carry(change: Change, moves: Sequence[tuple[Subnet, Sequence[HostMove]]]) -> None:
    """Record the new addresses of subnets whose new side begins; each is tied to the old one."""
    made = [
        Address(
            realm_id=new.realm_id,
            subnet=new,
            family=host.record.family,
            address=host.new,
            kind=host.record.kind,
            name=host.record.name,
            mac=host.record.mac,
            secondary=host.record.secondary,
            purpose=host.record.purpose,
            aliases=host.record.aliases,
            created_at=change.now,
            replaces=host.record,
        )
        for new, hosts in moves
        for host in hosts
    ]
    change.added(made)


def reattach(change: Change, pairs: Mapping[int, Address]) -> list[str]:
    """Attach the public addresses of some records to others.

    Args:
        pairs: number of the record that they are attached to now -> the one that they go to.

    Returns:
        what was attached anew, in words.
    """
    public = Subnet.objects.filter(attached_record__in=list(pairs), state__in=("active", "retiring"))
    told = []
    for subnet in public.order_by("place"):
        target = pairs[subnet.attached_record_id or 0]
        attach_address(
            change,
            subnet.pk,
            move=True,
            record=target.pk,
            how=subnet.attached_how or "one-to-one",
            purpose=subnet.attached_for,
        )
        told.append(f"{subnet.name} is attached to {target.label_text} now")
    return told


def mark_moved(change: Change, records: Sequence[Address], moved: bool) -> None:
    """Note that the hosts of records of the new side have moved, or that they have not; public addresses go along."""
    now = change.now if moved else None
    there = lock_all(
        Address.objects.filter(pk__in=[record.pk for record in records], moved_at__isnull=moved).order_by("pk")
    )
    if not there:
        return
    change.edited_all(there, "move" if moved else "move back", moved_at=now)
    if moved:
        pairs = {record.replaces_id: record for record in there if record.replaces_id}
    else:
        pairs = _back(record.pk for record in there)
    for words in reattach(change, pairs):
        change.note(words)


def give_up_attached(change: Change, news: Iterable[int]) -> None:
    """Attach public addresses of new subnets, which are about to go, to the old records again."""
    there = Subnet.objects.filter(attached_record__subnet__in=list(news)).values_list("attached_record", flat=True)
    for words in reattach(change, _back(there)):
        change.note(words)


def _back(numbers: Iterable[int]) -> dict[int, Address]:
    """The old records of new ones, as far as there are any: number of the new one -> the old one."""
    rows = Address.objects.filter(pk__in=list(numbers), replaces__isnull=False).select_related("replaces")
    return {record.pk: record.replaces for record in rows if record.replaces}
