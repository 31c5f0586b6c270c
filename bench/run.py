"""`script/bench`: all measurements, printed as a table and kept in docs/performance.md, each part with its day."""

from __future__ import annotations

import json
import os
import platform
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from bench import (
    backtest,
    cluster,
    core,
    core_lists,
    ground,
    hand_outs,
    in_browser,
    intakes,
    memory,
    plans,
    questions,
    spent,
    through_http,
)

_PAST = 5  # measurements of a part that are told beside the last one
PAGE = Path(__file__).parent.parent / "docs" / "performance.md"
RESULTS = Path(__file__).parent / "results.json"
QUICK = "--quick" in sys.argv
QUICK_PARTS = ("core", "http", "questions")
Rows = list[tuple[str, str, str]]
PARTS = ("core", "backtest", "http", "memory", "size", "questions", "plans", "intakes", "spent", "cluster")


def main() -> None:
    """Measure the parts named on the command line, or all of them; what was measured of the others stays as it is."""
    parts = [word for word in sys.argv[1:] if word != "--quick"] or list(QUICK_PARTS if QUICK else PARTS)
    if unknown := set(parts) - set(PARTS):
        raise SystemExit(f"no such part: {', '.join(sorted(unknown))}; there are {', '.join(PARTS)}")
    if len(parts) == 1:
        rows = _told(_measured(parts[0]))
        if not QUICK:  # what is measured in a hurry is shown, and not kept
            _keep(parts[0], rows)
        return
    for part in [name for name in PARTS if name in parts]:  # each with a process and a database of its own
        subprocess.run([sys.executable, "-m", "bench.run", part, *(["--quick"] if QUICK else [])], check=True)


def _measured(part: str) -> Rows:
    if part == "core":
        return [*core.measure(), *core_lists.measure(10 if QUICK else 1)]
    if part == "backtest":
        return backtest.measure()
    if part == "cluster":
        return cluster.measure()
    with ground.database() as database:
        if part == "http":
            return through_http.measure(database.url)
        if part == "spent":
            return spent.measure()
        if part == "memory":
            return memory.measure(database.url)
        if part == "plans":
            return plans.measure()
        if part == "intakes":
            return intakes.measure(intakes.QUICK if QUICK else intakes.ROWS)
        if part == "questions":
            return questions.measure(questions.QUICK if QUICK else questions.SIZES)
        return [*hand_outs.measure(), *in_browser.measure(database.url)]


def _told(rows: Rows) -> Rows:
    for what, measured, aim in rows:
        print(f"{what:75} {measured:>32}   aim {aim}" if aim else f"{what:75} {measured:>32}", flush=True)
    return rows


def _keep(part: str, rows: Rows) -> None:
    """Keep what was measured, and write the page anew from all that is kept."""
    kept = json.loads(RESULTS.read_text()) if RESULTS.exists() else {}
    past = kept.get(part, {}).get("past", [])
    if part in kept:
        past = [
            *past,
            {"day": kept[part]["day"], "rows": [[what, measured] for what, measured, _ in kept[part]["rows"]]},
        ]
    kept[part] = {"day": f"{datetime.now(UTC):%Y-%m-%d}", "rows": rows, "past": past[-_PAST:]}
    RESULTS.write_text(
        json.dumps({name: kept[name] for name in PARTS if name in kept}, indent=1, ensure_ascii=False) + "\n"
    )
    PAGE.write_text(_page({name: kept[name] for name in PARTS if name in kept}))
    print(f"kept in {PAGE}")


def _history(kept: dict[str, Any]) -> str:
    """What the rows of the last measurement were before, where they were measured."""
    lines = []
    for part in kept.values():
        for what, measured, _ in part["rows"]:
            before = [
                f"{was} ({past['day']})"
                for past in part.get("past", [])
                for row, was in past["rows"]
                if row == what
            ]
            if before:
                lines.append(f"| {what} | {' → '.join([*before, measured])} |")
    return "\n".join(lines) or "| | |"


def _page(kept: dict[str, Any]) -> str:
    lines = "\n".join(
        f"| {what} | {measured} | {aim} | {part['day']} |"
        for part in kept.values()
        for what, measured, aim in part["rows"]
    )
    return f"""# Performance

Written by `script/bench`. Every figure but those in brackets is a ratio (or a share), measured side by
side in one run of its part, so that it means the same on another machine. "N× at 1,000,000" is how much longer the same
takes there; "N× beside" is how much faster than the plain way.

Measured on {os.cpu_count()} cores, Python {platform.python_version()}, MariaDB on the
same machine, two service processes that work on eight requests at once each, 16 clients.

| what | measured | aim | day |
|---|---|---|---|
{lines}

## What makes it so

Free space is found by equality probes on one index, never by a scan or sort; the number of
free extents per length is kept with the pool; a hand-out of any number of subnets writes its extents in one
statement; a record's number is the number of its first ledger entry, so that no row is written twice; the map is drawn
from sums that are kept at every fourth prefix length with each change, and from the extents that are wide enough to see.
What is told of many subnets together is read from sums that each change keeps; what is looked for has an index, in the
order in which it is told; long lists are read and sent as they come.

## What is below its aim, and why

- **Hand-outs beside a bare insert.** The bare insert signs in, inserts one row, commits. A hand-out is eighteen statements
  in three packets, since it writes a ledger entry, the subnet with an index for every question, its extents, counters,
  tiles, sums and the proof for whoever repeats it. Both sides sign in by the same prepared statement, which took 40 %
  off the bare insert. What is left of a hand-out is the database's own time and the framework's; more threads change
  nothing on two processors.
- **One pool.** Hand-outs take their turn at the pool's row, from the packet that locks it to the one that commits. Requests
  that wait for the same pool are not put together in one transaction. What that could save is bounded: with commits
  that wait for no disk one pool gives 228 a second instead of 223, and 50 pools, where nobody waits for another, 321, which
  is what two processors do. A third more is not to be had of it, and each request may be refused by itself, so that what
  it has taken of the space would have to be taken back out of the others'.
- **Core.** A layout of zones × tiers is objects made one by one, and the standard library's way makes as many. Forecasts are
  compared with the same slopes worked out plainly, without the spread at other horizons. Give-backs join up to the
  widest free block in one look, where the plain way looks at two neighbours.

## Before

What rows above were in former measurements of their part.

| what | then → now |
|---|---|
{_history(kept)}
"""


if __name__ == "__main__":
    main()
