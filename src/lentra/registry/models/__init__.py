"""All records."""

from lentra.registry.models.addresses import ADDRESS_KINDS, Address
from lentra.registry.models.foresight import ALERT_STAGES, THRESHOLDS, Alert, Delivery, Outlook, PlannedNeed
from lentra.registry.models.people import ROLES, Membership, Person, Token
from lentra.registry.models.plans import Plan
from lentra.registry.models.readings import Reading
from lentra.registry.models.records import Lease, LedgerEntry, Operation, Record
from lentra.registry.models.reserved import RESERVATION_KINDS, Reservation
from lentra.registry.models.setup import Project, Realm, Region, Sheet, Tier, Zone
from lentra.registry.models.space import ExtentRow, KeepOut, Pool, PoolRange, Space, Tile
from lentra.registry.models.subnets import Subnet, place_key

__all__ = [
    "ADDRESS_KINDS",
    "ALERT_STAGES",
    "RESERVATION_KINDS",
    "ROLES",
    "THRESHOLDS",
    "Address",
    "Alert",
    "Delivery",
    "ExtentRow",
    "KeepOut",
    "Lease",
    "LedgerEntry",
    "Membership",
    "Operation",
    "Outlook",
    "Person",
    "Plan",
    "PlannedNeed",
    "Pool",
    "PoolRange",
    "Project",
    "Reading",
    "Realm",
    "Record",
    "Region",
    "Reservation",
    "Sheet",
    "Space",
    "Subnet",
    "Tier",
    "Tile",
    "Token",
    "Zone",
    "place_key",
]
