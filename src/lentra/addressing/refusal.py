"""The root of every refusal, and those that the core itself makes.

    Refusal                  something asked for cannot be had; says why, with evidence and a way out
    ├── BadPrefix            text that is not a prefix or address
    │   └── OffBoundary      host bits are set: the first address is not a multiple of the size
    ├── WrongFamily          IPv4 where IPv6 is meant, or the other way round
    ├── LengthOutOfBounds    a prefix length that the rule sheet or the pool does not allow
    ├── ForbiddenRange       a range that the rule sheet forbids
    ├── HostsDoNotFit        a length given that is too small for the hosts given
    ├── WorkloadsOutOfBounds more or fewer workloads a node than the rule sheet allows
    ├── ClusterDoesNotFit    a subnet too small for a cluster's nodes and workloads
    ├── BadNameService       a name-service address that its service range cannot have
    ├── BadAddress           an address that a block cannot give: outside, withheld, in the DHCP range
    ├── OutsideParent        a range that lies in no range of its pool
    └── Conflict             what is asked for makes sense, but what is there stands against it
        ├── CannotGrow       a block that cannot grow where it is; says what is in the way
        ├── Overlaps         a range that something else holds, wholly or in part
        │   └── KeptOut      the same, held by a keep-out
        └── Exhausted        no free space of the length asked for

The registry's own refusals (`lentra.registry.errors`) grow from the same root, so that every interface
can present any of them in one way.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Self


class Refusal(ValueError):
    """Something asked for cannot be had.

    Args:
        message: one sentence in plain words, with the values that matter.
        field: name of the input that is at fault, if one is.
        received: the value received.
        rule: the rule that says no, in words.
        conflicts: what stands in the way; each a mapping with at least ``range``.
        suggestions: values that would be accepted in place of ``received``.
    """

    code: ClassVar[str] = "refused"
    title: ClassVar[str] = "Refused"
    status: ClassVar[int] = 400  # of an answer by HTTP (RFC 9110, section 15)

    def __init__(
        self,
        message: str,
        *,
        field: str | None = None,
        received: object = None,
        rule: str | None = None,
        conflicts: Sequence[Mapping[str, Any]] = (),
        suggestions: Sequence[object] = (),
    ) -> None:
        super().__init__(message)
        self.message = message
        self.field = field
        self.received = received
        self.rule = rule
        self.conflicts = list(conflicts)
        self.suggestions = [str(value) for value in suggestions]

    def with_(
        self,
        *,
        message: str | None = None,
        conflicts: Sequence[Mapping[str, Any]] | None = None,
        suggestions: Sequence[object] | None = None,
        rule: str | None = None,
    ) -> Self:
        """The same refusal, told with more: whatever is given takes the place of what it had."""
        return type(self)(
            message or self.message,
            field=self.field,
            received=self.received,
            rule=rule or self.rule,
            conflicts=self.conflicts if conflicts is None else conflicts,
            suggestions=self.suggestions if suggestions is None else suggestions,
        )

    def about(self, field: str) -> Self:
        """The same refusal, naming the input it is about unless it already does."""
        if self.field is None:
            self.field = field
        return self


class Conflict(Refusal):
    """What is asked for makes sense, but what is there stands against it."""

    code = "conflict"
    title = "Conflict"
    status = 409


class BadPrefix(Refusal):
    """Text that is not a prefix or address."""

    code = "bad-prefix"
    title = "Not a prefix"


class OffBoundary(BadPrefix):
    """Host bits are set: the first address is not a multiple of the block's size."""

    code = "off-boundary"
    title = "Off boundary"


class WrongFamily(Refusal):
    """IPv4 where IPv6 is meant, or the other way round."""

    code = "wrong-family"
    title = "Wrong address family"


class LengthOutOfBounds(Refusal):
    """A prefix length that the rule sheet or the pool does not allow."""

    code = "length-out-of-bounds"
    title = "Length out of bounds"


class ForbiddenRange(Refusal):
    """The rule sheet forbids the range."""

    code = "forbidden-range"
    title = "Forbidden range"


class HostsDoNotFit(Refusal):
    """The length given is too small for the hosts given."""

    code = "hosts-do-not-fit"
    title = "Hosts do not fit"


class WorkloadsOutOfBounds(Refusal):
    """More or fewer workloads a node than the rule sheet allows."""

    code = "workloads-out-of-bounds"
    title = "Workloads out of bounds"


class ClusterDoesNotFit(Refusal):
    """The subnet is too small for the cluster's nodes and workloads."""

    code = "cluster-does-not-fit"
    title = "Cluster does not fit"


class BadNameService(Refusal):
    """The name-service address cannot be had in the service range."""

    code = "bad-name-service"
    title = "Name-service address not possible"


class BadAddress(Refusal):
    """An address that the block cannot give: outside, withheld, in the DHCP range."""

    code = "bad-address"
    title = "Address not possible"


class CannotGrow(Conflict):
    """The block cannot grow where it is."""

    code = "cannot-grow"
    title = "Cannot grow in place"


class OutsideParent(Refusal):
    """The range lies in no range of its pool."""

    code = "outside-parent"
    title = "Outside the pool"


class Overlaps(Conflict):
    """Something else holds the range, wholly or in part."""

    code = "overlaps"
    title = "Already in use"


class KeptOut(Overlaps):
    """A keep-out holds the range, wholly or in part."""

    code = "kept-out"
    title = "Kept out"


class Exhausted(Conflict):
    """There is no free space of the length asked for."""

    code = "exhausted"
    title = "No space left"
