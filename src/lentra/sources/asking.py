"""Asking a source that answers by itself: what comes of it is sightings, or words why there are none."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from lentra.registry.operations.findings.take_survey import MOST_AT_ONCE, Seen

Progress = Callable[[int], None]  # told how much there is so far; raises `Cancelled` if it is to be left off


class CannotAsk(Exception):
    """A source that is unreachable, refuses, or answers what it should not; its text says so and tells no secret."""


class Cancelled(Exception):
    """Somebody has had it left off."""


@dataclass
class Answered:
    """What a source has told: what it sees, what it sees no more (if it told changes), how far its feed has been read."""

    seen: Sequence[Seen]
    position: str = ""
    gone: list[tuple[int, int, int, bool]] = field(default_factory=list)


def bounded(count: int) -> None:
    """Refuse to go on with more than a survey may have.

    Raises:
        CannotAsk: it is more.
    """
    if count > MOST_AT_ONCE:
        raise CannotAsk(f"it tells of more than {MOST_AT_ONCE:,} ranges and addresses: name the parts that matter")
