"""Address records: single addresses inside the blocks of subnets."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import models

from lentra.addressing.prefix import address_text
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Realm
from lentra.registry.models.subnets import Subnet

ADDRESS_KINDS = (
    *("host", "gateway", "router", "dhcp-service", "balancer"),
    *("virtual", "jump-host", "service", "reserved"),
)


class Address(Record):
    """One address inside a block, with what it is for. `mac` is None or 12 hexadecimal digits in pairs.

    `aliases` are further names of its host in DNS. `secondary`: a further address of the host that has the same name. One in
    the new block of a subnet that is moved `replaces` that of the old one, which may be gone by now; `moved_at` says since
    when its host has moved.
    """

    KIND = "address record"
    HIDDEN = ("replaces_id",)
    last_seen_at: datetime | None = None  # when a source saw it last, where that was looked up

    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="addresses", db_index=False)
    subnet = models.ForeignKey(Subnet, on_delete=models.PROTECT, related_name="addresses", db_index=False)
    family = models.PositiveSmallIntegerField()
    address: Any = AddressField()
    kind = models.CharField(max_length=16, choices=[(k, k) for k in ADDRESS_KINDS], default="host")
    name = name_field(120)
    mac = models.CharField(max_length=17, null=True, db_collation="ascii_bin")
    secondary = models.BooleanField(default=False)
    purpose = models.CharField(max_length=200, default="", blank=True)
    aliases: Any = models.JSONField(default=list, blank=True)
    created_at = models.DateTimeField()
    replaces = models.ForeignKey(
        "self", null=True, on_delete=models.DO_NOTHING, db_constraint=False, related_name="replaced_by"
    )
    moved_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["subnet", "family", "address"], name="address_once_in_subnet"),
            models.UniqueConstraint(fields=["subnet", "family", "mac"], name="mac_once_in_subnet"),
        ]
        indexes = [
            models.Index(fields=["realm", "family", "address"], name="address_place"),
            models.Index(fields=["name"], name="address_name"),
            models.Index(fields=["mac"], name="address_mac"),
        ]

    @property
    def text(self) -> str:
        """The address as text."""
        return address_text(self.family, self.address)

    @property
    def label_text(self) -> str:
        return f"{self.name} {self.text}"

    def facts(self) -> dict[str, Any]:
        return super().facts() | {"address": self.text}
