"""What a service answers, and what a collection needs of whoever calls it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

if TYPE_CHECKING:
    import requests

Record = dict[str, Any]


@dataclass(frozen=True)
class Answer:
    """The answer to a changing call.

    Attributes:
        result: what was made or changed (or would be, in a preview).
        notes: what is worth knowing.
        changes: the ledger entries written.
        proposal: a preview's token: give it to the same call to have exactly what was shown.
        replayed: True if an earlier call with the same key had done it already.
    """

    result: Any
    notes: list[str]
    changes: list[Record]
    preview: bool
    proposal: str | None
    replayed: bool


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
    ) -> requests.Response:
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
    ) -> Answer:
        """A changing call."""

    def pages(self, path: str, query: Mapping[str, Any]) -> Iterator[Record]:
        """All records of a list."""
