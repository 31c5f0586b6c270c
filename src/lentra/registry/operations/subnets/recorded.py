"""What the records of a subnet have: which addresses, hardware addresses and names are taken, and what is free."""

from __future__ import annotations

from lentra.addressing.address_map import Inside, next_free, refuse_address
from lentra.addressing.prefix import address_text
from lentra.addressing.refusal import BadAddress, Exhausted, Refusal
from lentra.registry.errors import AddressTaken, Invalid, NameTaken
from lentra.registry.lookup.insides import insides_of
from lentra.registry.models import Address, Subnet


class Recorded:
    """What the records of a subnet have, those about to be added among them."""

    def __init__(self, subnet: Subnet) -> None:
        self.subnet = subnet
        self.insides = insides_of(subnet)
        self.at: dict[tuple[int, int], Address] = {}
        self.macs: dict[tuple[int, str], Address] = {}
        self.names: dict[tuple[int, str], Address] = {}
        for record in subnet.addresses.order_by("secondary"):
            self.add(record)

    def add(self, record: Address) -> None:
        """Take a record into account."""
        self.at[record.family, record.address] = record
        if record.mac:
            self.macs[record.family, record.mac] = record
        self.names.setdefault((record.family, record.name), record)

    def blocks(self, family: int) -> list[Inside]:
        """The blocks of a family.

        Raises:
            Invalid: there is none.
        """
        found = [inside for inside in self.insides if inside.block.family == family]
        if not found:
            raise Invalid(
                f"subnet {self.subnet.name} has no IPv{family} block",
                field="family",
                received=family,
                suggestions=sorted({inside.block.family for inside in self.insides}),
            )
        return found

    def busy(self, family: int) -> list[int]:
        """The addresses of a family that records have."""
        return [address for (of, address) in self.at if of == family]

    def free(self, family: int, count: int = 1) -> list[int]:
        """The next free addresses of a family.

        Raises:
            Exhausted: there are not so many.
        """
        found: list[int] = []
        refusal: Exhausted | None = None
        for inside in self.blocks(family):
            try:
                return found + next_free(inside, self.busy(family), count - len(found))
            except Exhausted as full:
                refusal = full
        assert refusal
        raise refusal

    def something_free(self, family: int) -> list[str]:
        """A free address of a family, for a suggestion; nothing if there is none."""
        try:
            return [address_text(family, self.free(family)[0])]
        except Refusal:
            return []

    def twin(self, address: int, besides: set[int]) -> int:
        """The IPv6 address for a host with an IPv4 address: the same offset in its block, or else the next free one.

        Args:
            besides: further addresses that are not to be had.
        """
        four = next(i.block for i in self.blocks(4) if i.block.first <= address <= i.block.last)
        six = self.blocks(6)[0]
        twin = six.block.first + address - four.first
        try:
            refuse_address(six, twin)
        except BadAddress:
            twin = -1
        if twin < 0 or (6, twin) in self.at or twin in (*six.fixed, *besides):
            return next(free for free in self.free(6, len(besides) + 1) if free not in besides)
        return twin

    def refuse_taken_name(self, name: str, family: int, secondary: bool, besides: int | None = None) -> None:
        """Refuse a name that another record has, unless it is said to be a further address of the same host."""
        other = self.names.get((family, name))
        if secondary and (other is None or other.pk == besides):
            raise Invalid(
                f"no host of {self.subnet.name} is called {name} in IPv{family}: a secondary address is a further one of a "
                "host that has one",
                field="secondary",
                received=name,
                suggestions=sorted({known for of, known in self.names if of == family})[:5],
            )
        if other is None or secondary or other.pk == besides:
            return
        free = next(
            f"{name}-{n}" for n in range(2, len(self.names) + 3) if (family, f"{name}-{n}") not in self.names
        )
        raise NameTaken(
            f"{other.name} is the name of {other.text} in {self.subnet.name} already; say so if this is a further "
            "address of the same host",
            field="name",
            received=other.name,
            rule="a name is recorded once in a subnet and family, but for secondary addresses",
            conflicts=[{"range": other.text, "owner": other.name, "id": other.pk}],
            suggestions=[free, "secondary: true"],
        )

    def refuse_taken_mac(self, mac: str | None, family: int, besides: int | None = None) -> None:
        """Refuse a hardware address that another record of the subnet has in the same family."""
        other = self.macs.get((family, mac)) if mac else None
        if other is not None and other.pk != besides:
            raise AddressTaken(
                f"{mac} is taken in {self.subnet.name} by {other.name} ({other.text})",
                field="mac",
                received=mac,
                rule="a hardware address is recorded once in a subnet and family",
                conflicts=[{"range": other.text, "owner": other.name, "id": other.pk}],
            )
