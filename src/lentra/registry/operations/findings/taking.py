"""Strays that a rule has taken over as they are found."""

from __future__ import annotations

from collections.abc import Iterator

from lentra.addressing.refusal import Refusal
from lentra.registry.models import Finding, Realm, TakingRule
from lentra.registry.operations.findings.become import TakeOver, become, can_become
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.transactions.change import Change

MOST_AT_ONCE = 500  # the rest with the next survey


def judge_realm(change: Change, realm_id: int) -> dict[str, int]:
    """Judge a realm by what was seen and is recorded now, whatever has moved."""
    lock_sources(realm=realm_id)
    return judge_and_take(change, Realm.objects.get(pk=realm_id))


def judge_and_take(change: Change, realm: Realm) -> dict[str, int]:
    """Judge a realm, take over the strays that a rule speaks of, and judge anew if there were any."""
    counts = judge(change, realm)
    taken = sum(_taken(change, finding, rule) for finding, rule in _meant(realm))
    if taken:
        change.note(f"{taken:,} strays were taken over by rules")
        again = judge(change, realm)
        counts = {
            "opened": counts["opened"] + again["opened"],
            "closed": counts["closed"] + again["closed"],
            "open": again["open"],
        }
    return counts


def _meant(realm: Realm) -> Iterator[tuple[Finding, TakingRule]]:
    rules = list(TakingRule.objects.filter(realm=realm).select_related("source", "project").order_by("name"))
    if not rules:
        return
    strays = Finding.objects.filter(realm=realm, kind="stray", state="open").select_related("realm").order_by("pk")
    found = 0
    for finding in strays:
        rule = next((rule for rule in rules if _speaks_of(rule, finding)), None)
        if rule and found < MOST_AT_ONCE:
            found += 1
            yield finding, rule


def _speaks_of(rule: TakingRule, finding: Finding) -> bool:
    by_source = rule.source is None or any(one["source"] == rule.source.name for one in finding.seen)
    by_project = rule.project_id is None or rule.project_id == finding.project
    inside = finding.subnet is None or rule.becomes != "keep-out"
    return by_source and by_project and inside and rule.becomes in can_become(finding)


def _taken(change: Change, finding: Finding, rule: TakingRule) -> bool:
    try:
        become(change, finding, TakeOver(rule.becomes, reason=f"by the rule {rule.name}"))
    except Refusal as why:
        change.note(f"{finding.range_text} was not taken over by {rule.name}: {why.message}")
        return False
    return True
