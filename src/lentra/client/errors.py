"""What can go wrong: one exception per problem code of the API.

LentraError
├── NotReachable             no answer from the service, after all retries
└── Problem                  the service said no, with a problem document (RFC 9457)
    ├── NotSignedIn          the token is missing, unknown, ended or revoked
    ├── NotAllowed           role or project membership does not reach
    ├── NotFound             there is nothing at this address
    ├── UnknownName          a name that nothing has; suggestions are the nearest
    ├── UnknownField         a field that the call does not know
    ├── Malformed            the body is no JSON
    ├── TooLarge             the body is too large
    ├── TooManyTries         too many sign-ins: wait
    ├── InvalidValue         a value of the wrong kind or out of range
    ├── BadPrefix            text that is not a prefix
    ├── OffBoundary          host bits are set
    ├── WrongFamily          IPv4 where IPv6 is meant, or the other way round
    ├── LengthOutOfBounds    rule sheet or pool do not allow the length
    ├── HostsDoNotFit        the length is too small for the hosts
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
    ├── TooManyRanges        the rule sheet allows no more ranges
    ├── NeedsIpv4            the rule sheet wants IPv4 beside IPv6
    ├── WorkloadsOutOfBounds more or fewer workloads a node than the rule sheet allows
    ├── ClusterDoesNotFit    the subnet is too small for the cluster
    ├── BadNameService       a name-service address that the service range cannot have
    ├── BadAddress           an address that the block cannot give
    ├── CannotGrow           the block cannot grow where it is
    ├── TagTaken             another subnet of the zone has the segment tag
    ├── NoDhcp               the rule sheet does not allow DHCP
    ├── AddressTaken         another record has the address or the hardware address
    ├── KeptForService       the range or subnet is kept for another service alone
    ├── QuotaReached         the project holds as many public addresses as it may
    ├── StillAttached        a public address that is attached cannot be given back
    ├── DoesNotFit           what lives in a range does not fit the new one
    ├── BadPlan              a plan's text or values are wrong; says line and path
    ├── PlanNotPossible      a plan that cannot be committed as it stands
    ├── WrongState           the subnet's state does not allow it
    ├── StaleEdit            the record has changed since it was read
    ├── StaleProposal        what was previewed is no longer possible
    ├── KeyReused            the idempotency key came before with another body
    ├── Busy                 try again in a moment
    ├── Refused              a refusal without a kind of its own
    ├── Conflict             what is there stands against it, in a way without a kind of its own
    └── Contradiction        the database refused a write that would break a rule of the registry
"""

from __future__ import annotations

from collections.abc import Mapping
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


_CODES = [
    "not-signed-in",
    "not-allowed",
    "not-found",
    "unknown-name",
    "unknown-field",
    "malformed",
    "too-large",
    "too-many-tries",
    "invalid-value",
    "bad-prefix",
    "off-boundary",
    "wrong-family",
    "length-out-of-bounds",
    "hosts-do-not-fit",
    "outside-parent",
    "overlaps",
    "kept-out",
    "exhausted",
    "name-taken",
    "in-use",
    "frozen-field",
    "zone-not-in-region",
    "wrong-pool",
    "not-private",
    "too-many-ranges",
    "needs-ipv4",
    "workloads-out-of-bounds",
    "cluster-does-not-fit",
    "bad-name-service",
    "bad-address",
    "cannot-grow",
    "tag-taken",
    "no-dhcp",
    "address-taken",
    "kept-for-service",
    "quota-reached",
    "still-attached",
    "does-not-fit",
    "bad-plan",
    "plan-not-possible",
    "wrong-state",
    "stale-edit",
    "stale-proposal",
    "key-reused",
    "busy",
    "refused",
    "conflict",
    "contradiction",
]


def _class_for(code: str) -> type[Problem]:
    name = "".join(word.capitalize() for word in code.split("-"))
    return type(name, (Problem,), {"code": code, "__doc__": f"Problem code ``{code}``.", "__module__": __name__})


BY_CODE: dict[str, type[Problem]] = {code: _class_for(code) for code in _CODES}
globals().update({problem.__name__: problem for problem in BY_CODE.values()})


def problem_from(document: Mapping[str, Any]) -> Problem:
    """The exception for a problem document."""
    return BY_CODE.get(str(document.get("code")), Problem)(document)
