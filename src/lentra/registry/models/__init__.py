"""All records: what a row means, and what the database itself refuses.

A `Record` is a thing whose every change is in the ledger. Extents, counters and tiles are not records: they are kept
by `space`. Uniqueness among the living uses nullable columns, since NULL never collides.
"""

from lentra.registry.models.addresses import ADDRESS_KINDS, Address
from lentra.registry.models.foresight import (
    ALERT_KINDS,
    ALERT_STAGES,
    Alert,
    Delivery,
    Outlook,
    PlannedNeed,
    Verified,
)
from lentra.registry.models.people import ROLES, Membership, Person, SignInCount, Token
from lentra.registry.models.plans import PLAN_STATES, Plan
from lentra.registry.models.readings import Reading
from lentra.registry.models.records import Lease, LedgerEntry, Number, Operation, Record
from lentra.registry.models.reserved import RESERVATION_KINDS, Reservation
from lentra.registry.models.setup import (
    ENVIRONMENTS,
    EXPOSURES,
    SITES,
    Outline,
    Project,
    Realm,
    Region,
    SetUp,
    Sheet,
    Tier,
    Zone,
)
from lentra.registry.models.space import (
    CERTAINTIES,
    GIVES,
    KEEP_OUT_KINDS,
    NUMBERINGS,
    ORIGINS,
    ExtentRow,
    KeepOut,
    Pool,
    PoolRange,
    Space,
    Tile,
)
from lentra.registry.models.subnets import (
    IPV6_HOSTS,
    SUBNET_STATES,
    TRANSLATIONS,
    Subnet,
    SubnetLabel,
    SubnetSum,
    SubnetWords,
    place_key,
)
from lentra.registry.models.tags import MEMBER_KINDS, TagMember, TagRange

__all__ = [
    "ADDRESS_KINDS",
    "ALERT_KINDS",
    "ALERT_STAGES",
    "CERTAINTIES",
    "ENVIRONMENTS",
    "EXPOSURES",
    "GIVES",
    "IPV6_HOSTS",
    "KEEP_OUT_KINDS",
    "MEMBER_KINDS",
    "NUMBERINGS",
    "ORIGINS",
    "PLAN_STATES",
    "RESERVATION_KINDS",
    "ROLES",
    "SITES",
    "SUBNET_STATES",
    "TRANSLATIONS",
    "Address",
    "Alert",
    "Delivery",
    "ExtentRow",
    "KeepOut",
    "Lease",
    "LedgerEntry",
    "Membership",
    "Number",
    "Operation",
    "Outline",
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
    "SetUp",
    "Sheet",
    "SignInCount",
    "Space",
    "Subnet",
    "SubnetLabel",
    "SubnetSum",
    "SubnetWords",
    "TagMember",
    "TagRange",
    "Tier",
    "Tile",
    "Token",
    "Verified",
    "Zone",
    "place_key",
]
