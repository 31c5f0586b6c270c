"""What can go wrong: one exception per problem code of the API, in groups.

LentraError
├── NotReachable             no answer from the service, after all retries
└── Problem                  the service said no, with a problem document (RFC 9457)
    ├── Denied               neither sign-in nor role reach
    │   ├── NotSignedIn          the token is missing, unknown, ended or revoked
    │   ├── NotAllowed           role or project membership does not reach
    │   ├── SecondFactorNeeded   a code is needed beside the password
    │   ├── SecondFactorMissing  one is required, and not set up yet
    │   └── TooManyTries         too many sign-ins: wait
    ├── Missing              nothing is called that
    │   ├── NotFound             there is nothing at this address
    │   └── UnknownName          a name that nothing has; suggestions are the nearest
    ├── WrongInput           what is asked for makes no sense as it stands
    │   ├── UnknownField         a field that the call does not know
    │   ├── Malformed            the body is no JSON
    │   ├── TooLarge             the body is too large
    │   ├── InvalidValue         a value of the wrong kind or out of range
    │   ├── BadPrefix            text that is not a prefix
    │   ├── OffBoundary          host bits are set
    │   ├── WrongFamily          IPv4 where IPv6 is meant, or the other way round
    │   ├── LengthOutOfBounds    rule sheet or pool do not allow the length
    │   ├── HostsDoNotFit        the length is too small for the hosts
    │   ├── WorkloadsOutOfBounds more or fewer workloads a node than the rule sheet allows
    │   ├── ClusterDoesNotFit    the subnet is too small for the cluster
    │   ├── BadNameService       a name-service address that the service range cannot have
    │   ├── BadAddress           an address that the block cannot give
    │   ├── BadPlan              a plan's text or values are wrong; says line and path
    │   ├── BadEstate            an estate file's text or values are wrong; says line and path
    │   ├── NotATable            a file that no table can be read out of
    │   └── KeyReused            the idempotency key came before with another body
    ├── OutOfDate            what was read or previewed has changed since
    │   ├── StaleEdit            the record has changed since it was read
    │   └── StaleProposal        what was previewed is no longer possible
    ├── OutsideParent        the range lies in no range of the pool
    ├── Overlaps             something else holds the range
    ├── KeptOut              a keep-out holds the range
    ├── Exhausted            no free space of that length
    ├── NameTaken            a living or cooling record has the name
    ├── InUse                what is in use cannot be removed
    ├── FrozenField          a field that cannot change any more
    ├── ZoneNotInRegion      zone and region do not belong together
    ├── WrongPool            the pool serves another place or project
    ├── NotPrivate           a public range in a private-only realm
    ├── ForbiddenRange       the rule sheet forbids the range
    ├── TooManyRanges        the rule sheet allows no more ranges
    ├── NeedsIpv4            the rule sheet wants IPv4 beside IPv6
    ├── CannotGrow           the block cannot grow where it is
    ├── TagTaken             another subnet of the zone has the segment tag
    ├── NoDhcp               the rule sheet does not allow DHCP
    ├── AddressTaken         another record has the address or the hardware address
    ├── KeptForService       the range or subnet is kept for another service alone
    ├── QuotaReached         the project holds as many public addresses as it may
    ├── StillAttached        a public address that is attached cannot be given back
    ├── BreaksRules          what is there would break under other rules; says how to mend it
    ├── DoesNotFit           what lives in a range does not fit the new one
    ├── PlanNotPossible      a plan that cannot be committed as it stands
    ├── EstateNotPossible    an estate file that cannot be committed as it stands
    ├── WrongState           the subnet's state does not allow it
    ├── BuiltOn              a change that others have built on is not taken back
    ├── CannotUndo           a change of a kind that has no opposite
    ├── Busy                 try again in a moment
    ├── Refused              a refusal without a kind of its own
    ├── Conflict             what is there stands against it, in a way without a kind of its own
    ├── Contradiction        the database refused a write that would break a rule of the registry
    ├── MethodNotAllowed     the address exists, but not with this method
    ├── NoCsrfToken          a session's changing call without its token
    ├── UnsupportedMediaType the body is said to be something else than JSON
    ├── NotAcceptable        the answer is wanted as something that it cannot be
    └── Failed               a fault of the service's own; its log has more
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar


class LentraError(Exception):
    """Anything that this library raises."""


class NotReachable(LentraError):
    """No answer from the service, after all retries."""


class Problem(LentraError):
    """The service said no. `document` is its problem document, whose fields are attributes here."""

    code: ClassVar[str] = ""

    def __init__(self, document: Mapping[str, Any]) -> None:
        super().__init__(str(document.get("detail", "the service gave no reason")))
        self.document = document
        self.status = int(document.get("status", 0))
        self.problem_code = str(document.get("code", ""))
        self.title = str(document.get("title", ""))
        self.field: str | None = document.get("field")
        self.rule: str | None = document.get("rule")
        self.conflicts: list[dict[str, Any]] = list(document.get("conflicts", []))
        self.suggestions: list[str] = list(document.get("suggestions", []))
        self.request_id: str | None = None  # in the service's log
        self.retry_after: int | None = None  # seconds, if the service said so


class Denied(Problem):
    """Neither sign-in nor role reach."""


class Missing(Problem):
    """Nothing is called that."""


class WrongInput(Problem):
    """What is asked for makes no sense as it stands."""


class OutOfDate(Problem):
    """What was read or previewed has changed since."""


class NotSignedIn(Denied):
    """The token is missing, unknown, ended or revoked."""

    code = "not-signed-in"


class NotAllowed(Denied):
    """Role or project membership does not reach."""

    code = "not-allowed"


class NotFound(Missing):
    """There is nothing at this address."""

    code = "not-found"


class UnknownName(Missing):
    """A name that nothing has; suggestions are the nearest."""

    code = "unknown-name"


class UnknownField(WrongInput):
    """A field that the call does not know."""

    code = "unknown-field"


class Malformed(WrongInput):
    """The body is no JSON."""

    code = "malformed"


class TooLarge(WrongInput):
    """The body is too large."""

    code = "too-large"


class SecondFactorNeeded(Denied):
    """The password is right, and a code of the second factor is needed as well."""

    code = "second-factor-needed"


class SecondFactorMissing(Denied):
    """A second factor is required, and has to be set up first."""

    code = "second-factor-missing"


class SignOnNotProved(Denied):
    """What an identity provider has answered does not prove who somebody is."""

    code = "sign-on-not-proved"


class TooManyTries(Denied):
    """Too many sign-ins: wait."""

    code = "too-many-tries"


class InvalidValue(WrongInput):
    """A value of the wrong kind or out of range."""

    code = "invalid-value"


class BadPrefix(WrongInput):
    """Text that is not a prefix."""

    code = "bad-prefix"


class OffBoundary(WrongInput):
    """Host bits are set."""

    code = "off-boundary"


class WrongFamily(WrongInput):
    """IPv4 where IPv6 is meant, or the other way round."""

    code = "wrong-family"


class LengthOutOfBounds(WrongInput):
    """Rule sheet or pool do not allow the length."""

    code = "length-out-of-bounds"


class HostsDoNotFit(WrongInput):
    """The length is too small for the hosts."""

    code = "hosts-do-not-fit"


class OutsideParent(Problem):
    """The range lies in no range of the pool."""

    code = "outside-parent"


class Overlaps(Problem):
    """Something else holds the range."""

    code = "overlaps"


class KeptOut(Problem):
    """A keep-out holds the range."""

    code = "kept-out"


class Exhausted(Problem):
    """No free space of that length."""

    code = "exhausted"


class NameTaken(Problem):
    """A living or cooling record has the name."""

    code = "name-taken"


class InUse(Problem):
    """What is in use cannot be removed."""

    code = "in-use"


class FrozenField(Problem):
    """A field that cannot change any more."""

    code = "frozen-field"


class ZoneNotInRegion(Problem):
    """Zone and region do not belong together."""

    code = "zone-not-in-region"


class WrongPool(Problem):
    """The pool serves another place or project."""

    code = "wrong-pool"


class NotPrivate(Problem):
    """A public range in a private-only realm."""

    code = "not-private"


class ForbiddenRange(WrongInput):
    """The rule sheet forbids the range."""

    code = "forbidden-range"


class TooManyRanges(Problem):
    """The rule sheet allows no more ranges."""

    code = "too-many-ranges"


class NeedsIpv4(Problem):
    """The rule sheet wants IPv4 beside IPv6."""

    code = "needs-ipv4"


class WorkloadsOutOfBounds(WrongInput):
    """More or fewer workloads a node than the rule sheet allows."""

    code = "workloads-out-of-bounds"


class ClusterDoesNotFit(WrongInput):
    """The subnet is too small for the cluster."""

    code = "cluster-does-not-fit"


class BadNameService(WrongInput):
    """A name-service address that the service range cannot have."""

    code = "bad-name-service"


class BadAddress(WrongInput):
    """An address that the block cannot give."""

    code = "bad-address"


class CannotGrow(Problem):
    """The block cannot grow where it is."""

    code = "cannot-grow"


class TagTaken(Problem):
    """Another subnet of the zone has the segment tag."""

    code = "tag-taken"


class NoDhcp(Problem):
    """The rule sheet does not allow DHCP."""

    code = "no-dhcp"


class AddressTaken(Problem):
    """Another record has the address or the hardware address."""

    code = "address-taken"


class KeptForService(Problem):
    """The range or subnet is kept for another service alone."""

    code = "kept-for-service"


class QuotaReached(Problem):
    """The project holds as many public addresses as it may."""

    code = "quota-reached"


class StillAttached(Problem):
    """A public address that is attached cannot be given back."""

    code = "still-attached"


class BreaksRules(Problem):
    """What is there would break under other rules; `conflicts` say why, and how to mend it."""

    code = "breaks-rules"


class DoesNotFit(Problem):
    """What lives in a range does not fit the new one."""

    code = "does-not-fit"


class BadPlan(WrongInput):
    """A plan's text or values are wrong; says line and path."""

    code = "bad-plan"


class BadEstate(WrongInput):
    """An estate file's text or values are wrong; says line and path."""

    code = "bad-estate"


class NotATable(WrongInput):
    """A file that no table can be read out of; says where and why."""

    code = "not-a-table"


class EstateNotPossible(Problem):
    """An estate file that cannot be committed as it stands; `conflicts` lists what stops it."""

    code = "estate-not-possible"


class PlanNotPossible(Problem):
    """A plan that cannot be committed as it stands."""

    code = "plan-not-possible"


class WrongState(Problem):
    """The subnet's state does not allow it."""

    code = "wrong-state"


class BuiltOn(Problem):
    """A change that others have built on is not taken back; lists by what."""

    code = "built-on"


class CannotUndo(Problem):
    """A change of a kind that has no opposite."""

    code = "cannot-undo"


class StaleEdit(OutOfDate):
    """The record has changed since it was read."""

    code = "stale-edit"


class StaleProposal(OutOfDate):
    """What was previewed is no longer possible."""

    code = "stale-proposal"


class KeyReused(WrongInput):
    """The idempotency key came before with another body."""

    code = "key-reused"


class Busy(Problem):
    """Try again in a moment."""

    code = "busy"


class SignOnAway(Problem):
    """The identity provider does not answer."""

    code = "sign-on-away"


class Refused(Problem):
    """A refusal without a kind of its own."""

    code = "refused"


class Conflict(Problem):
    """What is there stands against it, in a way without a kind of its own."""

    code = "conflict"


class Contradiction(Problem):
    """The database refused a write that would break a rule of the registry."""

    code = "contradiction"


class MethodNotAllowed(Problem):
    """The address exists, but not with this method."""

    code = "method-not-allowed"


class NoCsrfToken(Problem):
    """A session's changing call without its token."""

    code = "no-csrf-token"


class UnsupportedMediaType(Problem):
    """The body is said to be something else than JSON."""

    code = "unsupported-media-type"


class NotAcceptable(Problem):
    """The answer is wanted as something that it cannot be."""

    code = "not-acceptable"


class Failed(Problem):
    """A fault of the service's own; its log has more."""

    code = "failed"


def _with_codes(kind: type[Problem]) -> Iterator[type[Problem]]:
    for below in kind.__subclasses__():
        if below.code:
            yield below
        yield from _with_codes(below)


BY_CODE: dict[str, type[Problem]] = {kind.code: kind for kind in _with_codes(Problem)}


def problem_from(document: Mapping[str, Any]) -> Problem:
    """The exception for a problem document."""
    return BY_CODE.get(str(document.get("code")), Problem)(document)
