"""Changes shown as they are committed, until one has seen enough."""

from __future__ import annotations

import argparse
import csv
import json
import sys
import time
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.output import cell, no_formula, styled

_WIDTHS = {"number": 7, "at": 16, "who": 10, "verb": 12, "kind": 14, "name": 28}
_PAUSE = 2.0


def follow_ledger(options: argparse.Namespace, filters: dict[str, Any], told: Any) -> int:
    """Show the entries that come, a line each; goes on where it was when the service has been away.

    Args:
        told: makes of an entry a row with what is shown.
    """
    from lentra.client.errors import Busy, NotReachable

    if options.output == "yaml":
        raise WrongUse("what comes line by line is no YAML: -o jsonl has a line of JSON for each entry")
    columns = (*_WIDTHS, "what", "why")
    writer = csv.writer(sys.stdout, lineterminator="\n")
    if options.output == "csv":
        writer.writerow(columns)
    client, after = client_for(options), options.after
    while True:
        try:
            for entry in client.follow(after, **filters):
                after = entry["number"]
                if options.output in ("json", "jsonl"):
                    print(json.dumps(entry, ensure_ascii=False), flush=True)
                    continue
                row = told(entry)
                if options.output == "csv":
                    writer.writerow([no_formula(cell(row.get(column))) for column in columns])
                    sys.stdout.flush()
                else:
                    print(_line(row), flush=True)
        except KeyboardInterrupt:
            return DONE
        except (NotReachable, Busy) as away:
            print(styled(f"lentra: {away}; tried again", "dim", sys.stderr), file=sys.stderr)
            time.sleep(_PAUSE)


def _line(row: dict[str, Any]) -> str:
    at = str(row["at"])[:16].replace("T", " ")
    parts = [cell({**row, "at": at}.get(name)).ljust(width) for name, width in _WIDTHS.items()]
    more = "; ".join(text for text in (cell(row["what"]), cell(row["why"])) if text != "-")
    return "  ".join([*parts, more]).rstrip()
