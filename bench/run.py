"""`script/bench`: all measurements in one run, printed as a table and kept in docs/performance.md."""

from __future__ import annotations

import os
import platform
import sys
from datetime import UTC, datetime
from pathlib import Path

from bench import backtest, cluster, core, ground, hand_outs, in_browser, memory, plans, through_http

PAGE = Path(__file__).parent.parent / "docs" / "performance.md"
PARTS = ("core", "backtest", "http", "memory", "size", "plans", "cluster")


def main() -> None:
    """Measure the parts named on the command line, or all of them (only that is kept)."""
    parts = sys.argv[1:] or list(PARTS)
    rows: list[tuple[str, str, str]] = []
    if "core" in parts:
        rows += _told(core.measure())
    if "backtest" in parts:
        rows += _told(backtest.measure())
    if {"http", "memory", "size", "plans"} & set(parts):
        with ground.database() as database:
            if "http" in parts:
                rows += _told(through_http.measure(database.url))
            if "memory" in parts:
                rows += _told(memory.measure(database.url))
            if "plans" in parts:
                rows += _told(plans.measure())
            if "size" in parts:
                rows += _told(hand_outs.measure())
                rows += _told(in_browser.measure(database.url))
    if "cluster" in parts:
        rows += _told(cluster.measure())
    if set(parts) == set(PARTS):
        PAGE.write_text(_page(rows))
        print(f"kept in {PAGE}")


def _told(rows: list[tuple[str, str, str]]) -> list[tuple[str, str, str]]:
    for what, measured, aim in rows:
        print(f"{what:75} {measured:>32}   aim {aim}" if aim else f"{what:75} {measured:>32}", flush=True)
    return rows


def _page(rows: list[tuple[str, str, str]]) -> str:
    lines = "\n".join(f"| {what} | {measured} | {aim} |" for what, measured, aim in rows)
    return f"""# Performance

Written by `script/bench`. Every figure but those in brackets is a ratio (or a share), measured side by
side in one run, so that it means the same on another machine. "N× at 1,000,000" is how much longer the same
takes there; "N× beside" is how much faster than the plain way.

Measured {datetime.now(UTC):%Y-%m-%d} on {os.cpu_count()} cores, Python {platform.python_version()}, MariaDB on the
same machine, two service processes that work on eight requests at once each, 16 clients.

| what | measured | aim |
|---|---|---|
{lines}

What makes it so: free space is found by equality probes on one index, never by a scan or sort; the number of
free extents per length is kept with the pool; a hand-out of any number of subnets writes its extents in one
statement; a record's number is the number of its first ledger entry, so that no row is written twice; the map is drawn
from sums that are kept at every fourth prefix length with each change, and from the extents that are wide enough to see.
"""


if __name__ == "__main__":
    main()
