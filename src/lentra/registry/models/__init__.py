"""All records."""

from lentra.registry.models.people import ROLES, Membership, Person, Token
from lentra.registry.models.records import Lease, LedgerEntry, Operation, Record
from lentra.registry.models.setup import Project, Realm, Region, Sheet, Tier, Zone
from lentra.registry.models.space import ExtentRow, KeepOut, Pool, PoolRange, Space
from lentra.registry.models.subnets import Subnet, place_key

__all__ = [
    "ROLES",
    "ExtentRow",
    "KeepOut",
    "Lease",
    "LedgerEntry",
    "Membership",
    "Operation",
    "Person",
    "Pool",
    "PoolRange",
    "Project",
    "Realm",
    "Record",
    "Region",
    "Sheet",
    "Space",
    "Subnet",
    "Tier",
    "Token",
    "Zone",
    "place_key",
]
