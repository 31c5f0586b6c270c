"""The registry's refusals, grown from the core's root (`lentra.addressing.refusal`).

Refusal
├── UnknownName              a name that nothing has; lists the nearest
├── Invalid                  a value of the wrong kind or out of range
│   ├── ZoneNotInRegion      zone and region given do not belong together
│   ├── WrongPool            the pool serves another place or project, or gives no subnets (or no pools)
│   ├── NotPrivate           a public range in a realm that is private only
│   ├── TooManyRanges        the pool has as many ranges as its rule sheet allows
│   ├── NeedsIpv4            the rule sheet wants IPv4 beside IPv6
│   ├── NoDhcp               the rule sheet does not allow DHCP
│   ├── BadPlan              a plan's text or values are wrong; says line and path
│   └── BadEstate            an estate file's text or values are wrong; says line and path
├── Conflict
│   ├── NameTaken            another living or cooling record has the name
│   ├── TagTaken             another subnet of the zone has the segment tag
│   ├── AddressTaken         another record has the address or the hardware address
│   ├── InUse                what others still use, or what is recorded inside, stands against it
│   ├── Frozen               a field that cannot change once the record is in use
│   ├── KeptForService       the range or subnet is kept for another service alone
│   ├── QuotaReached         the project has as much as it may
│   ├── StillAttached        a public address that is attached cannot be given back
│   ├── BreaksRules          what is there would break under other rules; says how to mend it
│   ├── DoesNotFit           what lives in a range does not fit the new one
│   ├── PlanNotPossible      a plan that cannot be committed as it stands
│   ├── EstateNotPossible    an estate file that cannot be committed as it stands
│   ├── WrongState           the subnet's state does not allow it
│   ├── BuiltOn              a change that others have built on is not taken back
│   ├── CannotUndo           a change of a kind that has no opposite
│   └── StaleProposal        what was previewed is no longer possible as shown
├── NotAllowed               the person's role or membership does not reach
├── StaleEdit                the record has changed since it was read
├── KeyReused                the idempotency key came before with another body
├── WrongPassword            name or password is wrong
├── SecondFactorNeeded       the password is right, and a code is needed as well
├── SecondFactorMissing      one is required, and not set up yet
├── TooManyTries             sign-ins with this name or from this peer must wait
├── Busy                     too many others at once, or the database is away: try again
└── Contradiction            the database refused a write that would break a rule of the registry
"""

from __future__ import annotations

from lentra.addressing.refusal import Conflict, Refusal


class UnknownName(Refusal):
    """A name that nothing has; lists the nearest."""

    code = "unknown-name"
    title = "Unknown name"
    status = 404


class Invalid(Refusal):
    """A value of the wrong kind or out of range."""

    code = "invalid-value"
    title = "Value not accepted"


class NameTaken(Conflict):
    """Another living or cooling record has the name."""

    code = "name-taken"
    title = "Name taken"


class InUse(Conflict):
    """What others still use, or what is recorded inside, stands against it."""

    code = "in-use"
    title = "Still in use"


class Frozen(Conflict):
    """A field that cannot change once the record is in use."""

    code = "frozen-field"
    title = "Cannot change any more"


class ZoneNotInRegion(Invalid):
    """Zone and region given do not belong together."""

    code = "zone-not-in-region"
    title = "Zone not in region"


class WrongPool(Invalid):
    """The pool serves another place or project."""

    code = "wrong-pool"
    title = "Pool does not serve this"


class NotPrivate(Invalid):
    """A public range in a realm that is private only."""

    code = "not-private"
    title = "Not private"


class TooManyRanges(Invalid):
    """The pool has as many ranges as its rule sheet allows."""

    code = "too-many-ranges"
    title = "Too many ranges"


class BreaksRules(Conflict):
    """Something that is there would break under the rules wanted."""

    code = "breaks-rules"
    title = "What is there would break"


class NeedsIpv4(Invalid):
    """The rule sheet wants IPv4 beside IPv6."""

    code = "needs-ipv4"
    title = "IPv4 needed beside IPv6"


class TagTaken(Conflict):
    """Another subnet of the zone has the segment tag."""

    code = "tag-taken"
    title = "Segment tag taken"


class NoDhcp(Invalid):
    """The rule sheet does not allow DHCP."""

    code = "no-dhcp"
    title = "No DHCP here"


class AddressTaken(Conflict):
    """Another record has the address or the hardware address."""

    code = "address-taken"
    title = "Address taken"


class KeptForService(Conflict):
    """The range or subnet is kept for another service alone."""

    code = "kept-for-service"
    title = "Kept for one service"


class QuotaReached(Conflict):
    """The project has as much as it may."""

    code = "quota-reached"
    title = "Quota reached"


class StillAttached(Conflict):
    """A public address that is attached cannot be given back."""

    code = "still-attached"
    title = "Still attached"


class DoesNotFit(Conflict):
    """What lives in a range does not fit the new one."""

    code = "does-not-fit"
    title = "Does not fit the new range"


class BadPlan(Invalid):
    """A plan's text or values are wrong; says line and path."""

    code = "bad-plan"
    title = "Plan cannot be read"


class BadEstate(Invalid):
    """An estate file's text or values are wrong; says line and path."""

    code = "bad-estate"
    title = "Not an estate file"


class PlanNotPossible(Conflict):
    """A plan that cannot be committed as it stands."""

    code = "plan-not-possible"
    title = "Plan not possible"


class EstateNotPossible(Conflict):
    """An estate file that cannot be committed as it stands; lists what stops it."""

    code = "estate-not-possible"
    title = "Estate not possible"


class WrongState(Conflict):
    """The subnet's state does not allow it."""

    code = "wrong-state"
    title = "Not in this state"


class BuiltOn(Conflict):
    """A change that others have built on is not taken back; lists by what."""

    code = "built-on"
    title = "Others have built on it"


class CannotUndo(Conflict):
    """A change of a kind that has no opposite."""

    code = "cannot-undo"
    title = "Not taken back"


class NotAllowed(Refusal):
    """The person's role or membership does not reach."""

    code = "not-allowed"
    title = "Not allowed"
    status = 403


class StaleEdit(Refusal):
    """The record has changed since it was read."""

    code = "stale-edit"
    title = "Changed meanwhile"
    status = 412


class StaleProposal(Conflict):
    """What was previewed is no longer possible as shown."""

    code = "stale-proposal"
    title = "Proposal out of date"


class KeyReused(Refusal):
    """The idempotency key came before with another body."""

    code = "key-reused"
    title = "Key used for something else"
    status = 422


class WrongPassword(Refusal):
    """Name or password is wrong, or the person is no longer active."""

    code = "not-signed-in"
    title = "Not signed in"
    status = 401


class SecondFactorNeeded(Refusal):
    """The password is right, and a code of the second factor is needed as well."""

    code = "second-factor-needed"
    title = "A code is needed"
    status = 401


class SecondFactorMissing(Refusal):
    """The person is to have a second factor, and has set none up yet."""

    code = "second-factor-missing"
    title = "Set up a second factor"
    status = 403


class TooManyTries(Refusal):
    """Sign-ins with this name or from this peer must wait; `seconds` says how long."""

    code = "too-many-tries"
    title = "Too many tries"
    status = 429
    seconds = 1


class Busy(Refusal):
    """Too many others at once, or the database is away: try again."""

    code = "busy"
    title = "Try again"
    status = 503


class Contradiction(Refusal):
    """The database refused a write that would break a rule of the registry."""

    code = "contradiction"
    title = "The registry would contradict itself"
    status = 500
