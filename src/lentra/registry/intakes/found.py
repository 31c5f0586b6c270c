"""What becomes of a row: its outcome, and what is told of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction

from lentra.addressing.refusal import Refusal
from lentra.registry.space.locking import save_pools
from lentra.registry.transactions.change import Change

_MOST_TOLD = 5  # of what stands in the way of one row


@dataclass
class Found:
    """What becomes of a row.

    Args:
        number: of the row in its file.
        cells: as they were read.
        said: what they say, field by field.
        fixed: fields that the row itself says nothing of.
        takes: addresses that it takes of a pool, by the pool's number and family.
        outcome: one of `OUTCOMES`; empty while it is not known.
        told: why it is refused, what differs, or what it would be.
    """

    number: int
    cells: dict[str, Any]
    said: dict[str, str] = field(default_factory=dict)
    fixed: frozenset[str] = frozenset()
    takes: dict[tuple[int, int], int] = field(default_factory=dict)
    outcome: str = ""
    told: dict[str, Any] = field(default_factory=dict)

    def refuse(self, refusal: Refusal) -> None:
        """Refuse the row; the first reason is told."""
        if self.outcome != "refused":
            self.outcome = "refused"
            self.told = told_of(refusal)

    @property
    def essence(self) -> tuple[Any, ...]:
        """What tells this outcome from another: of it a proposal is made."""
        told = self.told
        return (
            self.number,
            self.outcome,
            told.get("name"),
            told.get("prefix"),
            told.get("pool"),
            told.get("tag"),
            told.get("differs"),
        )


def told_of(refusal: Refusal) -> dict[str, Any]:
    """A refusal as it is kept with a row."""
    conflicts = [
        {name: str(value) for name, value in one.items() if value is not None} for one in refusal.conflicts
    ]
    return {
        "message": refusal.message,
        "code": refusal.code,
        "field": refusal.field,
        "rule": refusal.rule,
        "conflicts": conflicts[:_MOST_TOLD],
        "suggestions": refusal.suggestions[:_MOST_TOLD],
    }


def counts_of(found: Iterable[Found]) -> dict[str, int]:
    """How many rows have each outcome."""
    counts: dict[str, int] = {}
    for one in found:
        counts[one.outcome] = counts.get(one.outcome, 0) + 1
    return counts


@contextmanager
def refused_alone(change: Change, one: Found) -> Iterator[None]:
    """A part of a change about one row: what refuses it takes nothing of the others back."""
    save_pools(change)
    made, gone, entries, notes = len(change.made), len(change.gone), len(change.entries), len(change.notes)
    try:
        with transaction.atomic():
            yield
            save_pools(change)
    except Refusal as refusal:
        one.refuse(refusal)
        change.open_pools.clear()
        del change.made[made:], change.gone[gone:], change.entries[entries:], change.notes[notes:]
        change.batch.forget()


Progress = Callable[[str, int, int], None]  # what is counted, how many, of how many


def rows_in_words(numbers: Sequence[int], most: int = 8) -> str:
    """Rows by their numbers: ``row 3``, ``rows 3, 4 and 5 more``."""
    shown = ", ".join(str(number) for number in numbers[:most])
    more = f" and {len(numbers) - most:,} more" if len(numbers) > most else ""
    return f"row{'' if len(numbers) == 1 else 's'} {shown}{more}"
