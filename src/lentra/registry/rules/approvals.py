"""Approval rules: which requests are granted at once, and which wait for a planner."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo, available_timezones

from lentra.addressing.prefix import BITS
from lentra.registry.errors import Invalid
from lentra.registry.lookup.kept import known
from lentra.registry.models import ApprovalRule, Person, Pool, Project, Space, Subnet, Tier
from lentra.registry.rules.names import check_name
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.revision import revision_in, revision_of_set_up
from lentra.registry.transactions.sql import read_together

MONTH = timedelta(days=30)
_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_HOURS = re.compile(
    r"(mon|tue|wed|thu|fri|sat|sun)(?:-(mon|tue|wed|thu|fri|sat|sun))? (\d\d):(\d\d)-(\d\d):(\d\d)"
)
_NEEDS_LIMIT = {  # what its limit is, the least and the most of it
    "wider-than": ("an IPv4 length", 0, 32),
    "more-at-once": ("how many at once", 1, 100_000),
    "more-in-a-month": ("how many in 30 days", 1, 1_000_000),
    "share-of-pool": ("a percentage", 1, 100),
}
_ABOUT = ("realm", "pool", "project", "tier")


@dataclass(frozen=True)
class Facts:
    """What a request would be given: the blocks as (pool, family, length), how many subnets, for whom and what.

    Conditions look at what was there before the `change` that gives it, however much of that is written already.
    """

    project: Project
    tiers: Sequence[Tier]
    blocks: Sequence[tuple[Pool, int, int]]
    subnets: int
    beyond_quota: bool
    change: Change

    @property
    def now(self) -> datetime:
        """When it is asked for."""
        return self.change.now

    @cached_property
    def pools(self) -> dict[int, Pool]:
        """The pools that it would be given something out of."""
        return {pool.pk: pool for pool, _, _ in self.blocks}

    @cached_property
    def before(self) -> dict[tuple[int, int], tuple[int, int]]:
        """How many addresses of those pools were in use, and how many there are, by pool and family."""
        opened = self.change.open_pools
        found = {}
        for space in Space.objects.filter(pool__in=list(self.pools)):
            store = opened.get(space.pool_id, {}).get(space.family)
            used = store.used_before if store else space.total - space.free
            found[space.pool_id, space.family] = (used, space.total)
        return found

    def lately(self) -> int:
        """How many subnets the project was given in a month, those of this change aside, as far as they are still there."""
        own = [record.pk for record in self.change.made if isinstance(record, Subnet)]
        rows = Subnet.objects.filter(project=self.project.pk, created_at__gt=self.now - MONTH)
        return rows.exclude(pk__in=own).count()

    def of_pool(self, pool: int, family: int) -> int:
        """How many addresses of a pool it would be given."""
        return sum(1 << (BITS[f] - length) for p, f, length in self.blocks if (p.pk, f) == (pool, family))


class Rules:
    """All approval rules in their order, as a process keeps them."""

    def __init__(self, rules: Sequence[ApprovalRule]) -> None:
        self.all = sorted(rules, key=lambda rule: (rule.place, rule.pk))


def kept_rules(change: Change) -> Rules:
    """The approval rules, as this process keeps them: for a change that asks under its lock whether they still hold."""

    def read() -> tuple[Rules, int]:
        (revision,) = read_together(revision_of_set_up())
        return all_rules(), revision_in(revision)

    found = known(change, ("approval rules",), read)
    assert isinstance(found, Rules)
    return found


def all_rules() -> Rules:
    """The approval rules, as they are now."""
    return Rules(list(ApprovalRule.objects.select_related("realm", "pool", "project", "tier")))


def is_bound(actor: Person | None) -> bool:
    """Whether somebody's requests go by approval rules: planners grant, and need nobody to grant them theirs."""
    return actor is not None and not actor.may("planner")


def first_met(rules: Rules, facts: Facts) -> ApprovalRule | None:
    """The rule that decides on a request; None: it is granted at once."""
    return next((rule for rule in rules.all if is_about(rule, facts) and is_met(rule, facts)), None)


def is_about(rule: ApprovalRule, facts: Facts) -> bool:
    """Whether a rule is about such a request at all."""
    pools = facts.pools.values()
    return (
        (rule.realm_id is None or any(pool.realm_id == rule.realm_id for pool in pools))
        and (rule.pool_id is None or rule.pool_id in facts.pools)
        and (rule.project_id is None or rule.project_id == facts.project.pk)
        and (rule.tier_id is None or any(tier.pk == rule.tier_id for tier in facts.tiers))
        and (not rule.environment or rule.environment == facts.project.environment)
    )


def is_met(rule: ApprovalRule, facts: Facts) -> bool:
    """Whether the condition of a rule holds for a request."""
    return _MET[rule.when](rule, facts)


def _wider(rule: ApprovalRule, facts: Facts) -> bool:
    limits = {4: rule.limit, 6: rule.limit_v6}
    return any((limit := limits[family]) is not None and length < limit for _, family, length in facts.blocks)


def _many_in_a_month(rule: ApprovalRule, facts: Facts) -> bool:
    return facts.subnets > 0 and facts.lately() + facts.subnets > (rule.limit or 0)


def _share(rule: ApprovalRule, facts: Facts) -> bool:
    return any(
        100 * facts.of_pool(pool, family) > (rule.limit or 0) * total
        for (pool, family), (_, total) in facts.before.items()
    )


def _above_warning(rule: ApprovalRule, facts: Facts) -> bool:
    asked = {(pool.pk, family) for pool, family, _ in facts.blocks}
    return any(
        total and 100 * used >= facts.pools[pool].warning_percent * total
        for (pool, family), (used, total) in facts.before.items()
        if (pool, family) in asked
    )


def _outside_hours(rule: ApprovalRule, facts: Facts) -> bool:
    local = facts.now.astimezone(ZoneInfo(rule.time_zone))
    return not any(
        local.weekday() in days and begins <= local.time() < ends for days, begins, ends in _spans(rule.hours)
    )


_MET: dict[str, Callable[[ApprovalRule, Facts], bool]] = {
    "always": lambda rule, facts: True,
    "wider-than": _wider,
    "more-at-once": lambda rule, facts: facts.subnets > (rule.limit or 0),
    "more-in-a-month": _many_in_a_month,
    "share-of-pool": _share,
    "public-space": lambda rule, facts: any(pool.exposure == "public" for pool in facts.pools.values()),
    "beyond-quota": lambda rule, facts: facts.beyond_quota,
    "pool-above-warning": _above_warning,
    "outside-hours": _outside_hours,
}


def condition_in_words(rule: ApprovalRule) -> str:
    """When a rule is met, as the rest of a sentence."""
    lengths = [f"/{length}" for length in (rule.limit, rule.limit_v6) if length is not None]
    where = "".join(f", {name} {getattr(rule, name).name}" for name in _ABOUT if getattr(rule, f"{name}_id"))
    where += f", environment {rule.environment}" if rule.environment else ""
    words = {
        "always": "whatever it asks for",
        "wider-than": f"if a block is wider than {' or '.join(lengths)}",
        "more-at-once": f"if it asks for more than {rule.limit} subnets at once",
        "more-in-a-month": f"if the project gets more than {rule.limit} subnets in 30 days",
        "share-of-pool": f"if it takes more than {rule.limit} % of a pool",
        "public-space": "if it asks for public space",
        "beyond-quota": "if it goes beyond a quota",
        "pool-above-warning": "if the pool is above its warning threshold",
        "outside-hours": f"if it comes outside {rule.hours} ({rule.time_zone})",
    }
    return words[rule.when] + where


def rule_in_words(rule: ApprovalRule) -> str:
    """A rule as a sentence without its end."""
    does = "a request waits for a planner" if rule.decision == "waits" else "a request is granted at once"
    return f"{does} {condition_in_words(rule)}"


def check_rule(rule: ApprovalRule, now: datetime) -> None:
    """A limit where the condition has one, hours that can be read, days that are some."""
    check_name(rule.name)
    if rule.when in _NEEDS_LIMIT:
        what, low, high = _NEEDS_LIMIT[rule.when]
        given = (rule.limit, rule.limit_v6 if rule.when == "wider-than" else None)
        if all(limit is None for limit in given):
            raise Invalid(
                f"{rule.when} needs a limit: {what}", field="limit", suggestions=[max(low, min(24, high))]
            )
        if rule.limit is not None and not low <= rule.limit <= high:
            raise Invalid(
                f"{rule.limit} is no limit of {rule.when}: {what}, {low} to {high:,}",
                field="limit",
                received=rule.limit,
                suggestions=[max(low, min(rule.limit, high))],
            )
    if rule.limit_v6 is not None and not 0 <= rule.limit_v6 <= 128:
        raise Invalid("an IPv6 length is 0 to 128", field="limit_v6", received=rule.limit_v6, suggestions=[56])
    if rule.when == "outside-hours":
        list(_spans(rule.hours))
    if rule.time_zone not in available_timezones():
        raise Invalid(
            f"there is no time zone {rule.time_zone!r}",
            field="time_zone",
            received=rule.time_zone,
            rule="a name of the IANA time zone database",
            suggestions=["UTC", "Europe/Oslo"],
        )
    if not 1 <= rule.lapses_after <= 365:
        raise Invalid("what waits lapses after 1 to 365 days", field="lapses_after", received=rule.lapses_after)
    if rule.reminds_after >= rule.lapses_after:
        raise Invalid(
            f"a reminder after {rule.reminds_after} days comes too late: it lapses after {rule.lapses_after}",
            field="reminds_after",
            received=rule.reminds_after,
            suggestions=[rule.lapses_after - 1],
        )


def _spans(hours: str) -> Iterator[tuple[range, time, time]]:
    """Days of the week and hours: ``mon-fri 08:00-17:00, sat 09:00-12:00``.

    Raises:
        Invalid: they cannot be read.
    """
    for part in hours.split(","):
        found = _HOURS.fullmatch(part.strip().lower())
        wrong = Invalid(
            f"{part.strip()!r} are no hours: days, then hours",
            field="hours",
            received=hours,
            suggestions=["mon-fri 08:00-17:00"],
        )
        if not found:
            raise wrong
        first = _DAYS.index(found[1])
        last = _DAYS.index(found[2]) if found[2] else first
        try:
            begins, ends = time(int(found[3]), int(found[4])), time(int(found[5]), int(found[6]))
        except ValueError:
            raise wrong
        if last < first or ends <= begins:
            raise wrong
        yield range(first, last + 1), begins, ends
