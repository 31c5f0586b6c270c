"""What a link may be: two realms, and ranges that are some."""

from __future__ import annotations

from datetime import datetime

from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.models import Link
from lentra.registry.rules.names import check_name

MOST_SHOWN = 200  # ranges that a side shows


def check_link(link: Link, now: datetime) -> None:
    """A name, two realms, and what each shows of itself."""
    check_name(link.name)
    check_joins(link)
    for field in ("one_shows", "other_shows"):
        shown = getattr(link, field)
        if len(shown) > MOST_SHOWN:
            raise Invalid(
                f"{len(shown)} ranges: {MOST_SHOWN} at most; wider ones say the same",
                field=field,
                received=len(shown),
            )
        for n, text in enumerate(shown):
            try:
                parse_range(text)
            except Refusal as refusal:
                raise refusal.about(f"{field}.{n}")


def check_joins(link: Link) -> None:
    """Two realms, not one.

    Raises:
        Invalid.
    """
    if link.one_id == link.other_id:
        raise Invalid(
            f"a link joins two realms, and {link.one.name} is one",
            field="other",
            received=link.one.name,
            suggestions=["another realm"],
        )
