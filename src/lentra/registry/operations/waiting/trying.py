"""Try the approval rules on a request, without asking."""

from __future__ import annotations

from typing import Any

from lentra.registry.operations.waiting.performing import Asking, facts_of, in_words, perform
from lentra.registry.rules.approvals import all_rules, first_met, is_about, is_met, rule_in_words
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change


def try_rules(change: Change, asking: Asking) -> dict[str, Any]:
    """What would become of a request if a requester made it; only in a preview, since it is done for that.

    Returns:
        ``summary`` of what it would be given, ``decision`` (waits, granted), the name of the ``rule`` that decides (None if
        none does), and all ``rules`` in their order: ``name``, ``words``, ``decision``, whether it is ``about`` such a
        request, and whether it is ``met``.

    Raises:
        whatever the operation raises.
    """
    require(change.actor, "requester", "try the approval rules")
    assert change.preview
    change.beyond_quota = True
    result = perform(change, asking)
    facts = facts_of(change, result, bool(change.over))
    rules = all_rules()
    decides = first_met(rules, facts)
    rows = []
    for rule in rules.all:
        about = is_about(rule, facts)
        rows.append(
            {
                "name": rule.name,
                "words": rule_in_words(rule),
                "decision": rule.decision,
                "about": about,
                "met": about and is_met(rule, facts),
            }
        )
    if change.over and not (decides and decides.when == "beyond-quota"):
        raise change.over
    return {
        "summary": in_words(asking, facts),
        "decision": decides.decision if decides else "granted",
        "rule": decides.name if decides else None,
        "rules": rows,
    }
