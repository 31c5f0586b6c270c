"""What may wait: hand-outs, replacements, growth, plans, reservations. How each is done, held, and what it comes to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from lentra.addressing.prefix import parse_prefix, prefixes_of_range
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Project, Reservation, Subnet, Tier
from lentra.registry.operations.plans.commit_plan import commit_plan, require_may_commit
from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
from lentra.registry.operations.subnets.grow import grow_subnet
from lentra.registry.operations.subnets.hand_out import HandedOut, hand_out
from lentra.registry.operations.subnets.replace_subnet import replace_subnet
from lentra.registry.plans.proposing import Proposed, seal
from lentra.registry.plans.reading import read_given
from lentra.registry.requests.request import SubnetRequest
from lentra.registry.rules.approvals import Facts
from lentra.registry.transactions.change import Change

Values = Mapping[str, Any]


@dataclass(frozen=True)
class Asking:
    """What somebody asks for.

    Args:
        what: one of `ASKED`. `values`: what of it, as the API takes it.
        subject: the subnet that is to grow, or to be replaced.
        version: the edit version of that. `proposal`: the token of a preview.
        needed_by, links: what a planner is told with it. `instead_of`: a waiting request that this one replaces.
    """

    what: str
    values: dict[str, Any]
    subject: int | None = None
    version: int | None = None
    proposal: str | None = None
    needed_by: date | None = None
    links: list[str] = field(default_factory=list)
    instead_of: int | None = None


def perform(change: Change, asking: Asking, held_until: datetime | None = None) -> Any:
    """Do what is asked for; or only hold it until a moment.

    Raises:
        whatever the operation raises.
    """
    values = dict(asking.values)
    if asking.what == "subnets":
        meant = {"pool": None, **values, "proposal": asking.proposal, "held_until": held_until}
        return hand_out(change, SubnetRequest(**meant))
    if asking.what == "replacement":
        return replace_subnet(change, asking.subject, {**values, "proposal": asking.proposal}, asking.version)
    if asking.what == "growth":
        return grow_subnet(change, asking.subject, **values, version=asking.version)
    if asking.what == "plan":
        require_may_commit(change.actor)  # before a long text is read
        return commit_plan(
            change,
            read_given(values),
            values.get("text", ""),
            proposal=asking.proposal,
            hold_minutes=values.get("hold_minutes"),
            give_back=values.get("give_back", False),
            despite_use=values.get("despite_use", False),
            held_until=held_until,
        )
    return reserve(change, reservation_meant(values, held_until))


def reservation_meant(values: Values, held_until: datetime | None = None) -> ReservationRequest:
    """A reservation as it was asked for."""
    meant = dict(values)
    if meant.get("ends_at"):
        meant["ends_at"] = datetime.fromisoformat(meant["ends_at"])
    if meant.get("range"):
        meant["range"] = tuple(meant["range"])
    for name, model in (("projects", Project), ("tiers", Tier)):
        meant[name] = [find(model, ref, name) for ref in meant.get(name) or []]
    if held_until:
        meant["ends_at"] = held_until
    return ReservationRequest(**meant)


def facts_of(change: Change, result: Any, beyond_quota: bool) -> Facts:
    """What an operation came to, as approval rules see it."""
    rest = (beyond_quota, change)
    if isinstance(result, HandedOut):
        first = result.subnets[0]
        blocks = [
            (first.pool, b.family, b.length) for one in result.subnets for b in one.known_blocks or one.blocks()
        ]
        return Facts(first.project, [first.tier], blocks, len(result.subnets), *rest)
    if isinstance(result, Proposed):
        targets = [one.slot.target for one in result.added]
        blocks = [
            (one.slot.pools[family], family, laid.block.length)
            for one in result.added
            for family, laid in one.blocks.items()
        ]
        project = targets[0].project if targets else find(Project, result.text.project, "project")
        return Facts(project, [target.tier for target in targets], blocks, len(targets), *rest)
    if isinstance(result, Subnet):
        entry = next(entry for entry in reversed(change.entries) if entry.verb == "grow")
        before, after = (entry.before or {})["blocks"], (entry.after or {})["blocks"]
        new = [parse_prefix(text) for text in after if text not in before]
        return Facts(result.project, [result.tier], [(result.pool, b.family, b.length) for b in new], 0, *rest)
    assert isinstance(result, Reservation)
    pieces = prefixes_of_range(result.family, result.first, result.last)
    blocks = [(result.pool, piece.family, piece.length) for piece in pieces]
    return Facts(_first_project(result), list(result.tiers.all()), blocks, 0, *rest)


def _first_project(reservation: Reservation) -> Project:
    project = reservation.projects.order_by("pk").first()
    if project is None:
        raise Invalid(
            "say for which project: a reservation that a planner is to grant is drawn from by one",
            field="projects",
        )
    return project


def numbers_made(result: Any) -> list[int]:
    """The numbers of what an operation made, or changed."""
    if isinstance(result, HandedOut):
        return [subnet.pk for subnet in result.subnets]
    if isinstance(result, Proposed):
        return [result.plan.pk] if result.plan else []
    return [result.pk]


def prefixes_in(result: Any) -> list[str]:
    """The prefixes of what an operation made or changed; of a growth, those of the whole subnet."""
    if isinstance(result, HandedOut):
        return [str(block) for subnet in result.subnets for block in subnet.known_blocks or subnet.blocks()]
    if isinstance(result, Proposed):
        return [str(laid.block) for one in result.added for laid in one.blocks.values()]
    if isinstance(result, Subnet):
        return [str(block) for block in result.blocks()]
    return [result.range_text]


def token_of(result: Any) -> str:
    """The token of a plan's proposal; empty for all else, which is told by ledger entries."""
    return seal(result) if isinstance(result, Proposed) else ""


def in_words(asking: Asking, facts: Facts) -> str:
    """What is asked for, in a few words."""
    lengths = sorted({f"/{length}" for _, _, length in facts.blocks}, key=lambda text: int(text[1:]))
    sizes = " and ".join(lengths[:3]) + (" and others" if len(lengths) > 3 else "")
    pools = ", ".join(sorted({pool.name for pool in facts.pools.values()}))[:60]
    what = {
        "subnets": f"{facts.subnets} × {sizes}" if facts.subnets > 1 else sizes,
        "replacement": f"a replacement, {sizes},",
        "growth": f"growth to {sizes}",
        "plan": f"a plan of {facts.subnets} subnets",
        "reservation": f"a reservation of {sizes}",
    }[asking.what]
    return f"{what} for {facts.project.name} out of {pools}"[:200]


def pool_of(facts: Facts) -> Pool:
    """The pool that most is asked out of."""
    return max(facts.pools.values(), key=lambda pool: sum(1 for p, _, _ in facts.blocks if p.pk == pool.pk))
