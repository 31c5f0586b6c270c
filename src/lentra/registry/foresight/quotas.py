"""When quotas will be reached: what is used of each, and how that has grown."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.forecast import Forecast, Sample, crossing, forecast
from lentra.registry.foresight.headroom import history_of
from lentra.registry.models import Quota, Reading
from lentra.registry.models.subnets import ANY_FAMILY
from lentra.registry.rules.quotas import LIMITS, used_of_each


def use_of_quotas(quotas: Sequence[Quota], now: datetime) -> dict[int, list[dict[str, Any]]]:
    """What is used of quotas, and when each limit will be reached: quota number -> a row for each limit.

    Returns:
        of each limit ``what``, the same in ``words``, ``limit``, ``used``, ``left``, and ``reached_on``: the likely day, or
        None with the reason in ``no_forecast``.
    """
    history = history_of("quota", [quota.pk for quota in quotas])
    found = {}
    for used in used_of_each(quotas, now):
        readings = history.get((used.quota.pk, ANY_FAMILY), [])
        found[used.quota.pk] = [
            {**row, "words": LIMITS[row["what"]], **_reached(readings, row, now)} for row in used.told()
        ]
    return found


def _reached(readings: Sequence[Reading], row: dict[str, Any], now: datetime) -> dict[str, Any]:
    if not row["left"]:
        return {"reached_on": now.date(), "no_forecast": None}
    what = row["what"]
    known = [Sample(r.day.toordinal(), int(r.states[what])) for r in readings if what in r.states]
    made = forecast(known)
    if not isinstance(made, Forecast):
        return {"reached_on": None, "no_forecast": made.reason}
    days = crossing(made, row["limit"]).likely
    if days is None:
        return {"reached_on": None, "no_forecast": "not within ten years"}
    return {"reached_on": now.date() + timedelta(days=days), "no_forecast": None}
