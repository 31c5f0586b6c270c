"""The registry's refusals, grown from the core's root (`lentra.addressing.refusal`).

Refusal
├── UnknownName          a name that nothing has; lists the nearest
├── Invalid              a value of the wrong kind or out of range
├── NameTaken            another living or cooling record has the name
├── InUse                a record that others still use cannot be removed
├── Frozen               a field that cannot change once the record is in use
├── ZoneNotInRegion      zone and region given do not belong together
├── WrongPool            the pool serves another place or project
├── NotPrivate           a public range in a realm that is private only
├── TooManyRanges        the pool has as many ranges as its rule sheet allows
├── NeedsIpv4            the rule sheet wants IPv4 beside IPv6
├── TagTaken             another subnet of the zone has the segment tag
├── NoDhcp               the rule sheet knows no DHCP
├── AddressTaken         another record has the address or the hardware address
├── KeptForService       the range or subnet is kept for another service alone
├── QuotaReached         the project holds as many public addresses as it may
├── StillAttached        a public address that is attached cannot be given back
├── DoesNotFit           what lives in a range does not fit the new one
├── BadPlan              a plan's text or values are wrong; says line and path
├── PlanNotPossible      a plan that cannot be committed as it stands
├── WrongState           the subnet's state does not allow it
├── NotAllowed           the person's role or membership does not reach
├── StaleEdit            the record has changed since it was read
├── StaleProposal        what was previewed is no longer possible as shown
├── KeyReused            the idempotency key came before with another body
└── Busy                 too many others at once, or the database is away: try again
"""

from __future__ import annotations

from lentra.addressing.refusal import Refusal


class UnknownName(Refusal):
    """A name that nothing has; lists the nearest."""

    code = "unknown-name"
    title = "Unknown name"


class Invalid(Refusal):
    """A value of the wrong kind or out of range."""

    code = "invalid-value"
    title = "Value not accepted"


class NameTaken(Refusal):
    """Another living or cooling record has the name."""

    code = "name-taken"
    title = "Name taken"


class InUse(Refusal):
    """A record that others still use cannot be removed."""

    code = "in-use"
    title = "Still in use"


class Frozen(Refusal):
    """A field that cannot change once the record is in use."""

    code = "frozen-field"
    title = "Cannot change any more"


class ZoneNotInRegion(Refusal):
    """Zone and region given do not belong together."""

    code = "zone-not-in-region"
    title = "Zone not in region"


class WrongPool(Refusal):
    """The pool serves another place or project."""

    code = "wrong-pool"
    title = "Pool does not serve this"


class NotPrivate(Refusal):
    """A public range in a realm that is private only."""

    code = "not-private"
    title = "Not private"


class TooManyRanges(Refusal):
    """The pool has as many ranges as its rule sheet allows."""

    code = "too-many-ranges"
    title = "Too many ranges"


class NeedsIpv4(Refusal):
    """The rule sheet wants IPv4 beside IPv6."""

    code = "needs-ipv4"
    title = "IPv4 needed beside IPv6"


class TagTaken(Refusal):
    """Another subnet of the zone has the segment tag."""

    code = "tag-taken"
    title = "Segment tag taken"


class NoDhcp(Refusal):
    """The rule sheet knows no DHCP."""

    code = "no-dhcp"
    title = "No DHCP here"


class AddressTaken(Refusal):
    """Another record has the address or the hardware address."""

    code = "address-taken"
    title = "Address taken"


class KeptForService(Refusal):
    """The range or subnet is kept for another service alone."""

    code = "kept-for-service"
    title = "Kept for one service"


class QuotaReached(Refusal):
    """The project holds as many public addresses as it may."""

    code = "quota-reached"
    title = "Quota reached"


class StillAttached(Refusal):
    """A public address that is attached cannot be given back."""

    code = "still-attached"
    title = "Still attached"


class DoesNotFit(Refusal):
    """What lives in a range does not fit the new one."""

    code = "does-not-fit"
    title = "Does not fit the new range"


class BadPlan(Refusal):
    """A plan's text or values are wrong; says line and path."""

    code = "bad-plan"
    title = "Plan cannot be read"


class PlanNotPossible(Refusal):
    """A plan that cannot be committed as it stands."""

    code = "plan-not-possible"
    title = "Plan not possible"


class WrongState(Refusal):
    """The subnet's state does not allow it."""

    code = "wrong-state"
    title = "Not in this state"


class NotAllowed(Refusal):
    """The person's role or membership does not reach."""

    code = "not-allowed"
    title = "Not allowed"


class StaleEdit(Refusal):
    """The record has changed since it was read."""

    code = "stale-edit"
    title = "Changed meanwhile"


class StaleProposal(Refusal):
    """What was previewed is no longer possible as shown."""

    code = "stale-proposal"
    title = "Proposal out of date"


class KeyReused(Refusal):
    """The idempotency key came before with another body."""

    code = "key-reused"
    title = "Key used for something else"


class Busy(Refusal):
    """Too many others at once, or the database is away: try again."""

    code = "busy"
    title = "Try again"
