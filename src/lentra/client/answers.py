"""What a service answers, and what a collection needs of whoever calls it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, Protocol, TypedDict, TypeVar
from urllib.parse import quote

if TYPE_CHECKING:
    import httpx

Record = dict[str, Any]
Row = TypeVar("Row")
Result = TypeVar("Result")


class Page(TypedDict, Generic[Row]):
    """A page of a list; `next` and `previous` are the addresses of those beside it."""

    next: str | None
    previous: str | None
    results: list[Row]


@dataclass(frozen=True)
class Answer(Generic[Result]):
    """The answer to a changing call.

    Attributes:
        result: what was made or changed (or would be, in a preview).
        notes: what is worth knowing.
        changes: the ledger entries written.
        proposal: a preview's token: give it to the same call to have exactly what was shown.
        replayed: True if an earlier call with the same key had done it already.
        waits: why it waits for a planner, until when, and the number of the ``request``; None if it was done. What waits
            has no result.
    """

    result: Result
    notes: list[str]
    changes: list[Record]
    preview: bool
    proposal: str | None
    replayed: bool
    waits: Record | None = None

    @classmethod
    def of(cls, answer: httpx.Response) -> Answer[Result]:
        """The answer that a service has sent."""
        told = answer.json()
        return cls(
            result=told["result"],
            notes=told["notes"],
            changes=told["changes"],
            preview=told["preview"],
            proposal=told["proposal"],
            waits=told.get("waits"),
            replayed=answer.headers.get("Idempotent-Replay") == "true",
        )


class Caller(Protocol):
    """Makes the calls of the API."""

    def call(
        self,
        method: str,
        path: str,
        *,
        query: Mapping[str, Any] | None = None,
        body: Mapping[str, Any] | None = None,
        headers: Mapping[str, str] | None = None,
        safe: bool = False,
    ) -> httpx.Response:
        """One call."""

    def change(
        self,
        method: str,
        path: str,
        body: Mapping[str, Any] | None = None,
        *,
        preview: bool = False,
        why: str = "",
        key: str | None = None,
        version: int | None = None,
    ) -> Answer[Any]:
        """A changing call."""

    def pages(self, path: str, query: Mapping[str, Any]) -> Iterator[Record]:
        """All records of a list."""


def part(ref: str | int) -> str:
    """A name or number as a part of an address."""
    return quote(str(ref), safe=":")
