"""`lentra space`: a prefix drawn line by line, each line an equal part of it."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from itertools import groupby
from typing import Any

from lentra.addressing.prefix import parse_prefix
from lentra.cli.context import DONE, client_for
from lentra.cli.looking import given
from lentra.cli.output import grouped, show_record, show_rows, styled

_WIDTH = 64
_LINES_BITS = 3
_SIGNS = {
    "free": "·",
    "handed out": "█",
    "held": "h",
    "room": "░",
    "reserved": "R",
    "cooling": "c",
    "kept out": "x",
    "carved": "P",
    "outside": " ",
}
_MIXED = "▁▂▃▄▅▆▇"
_STYLES = {"free": "good", "kept out": "bad", "reserved": "warn", "held": "warn", "cooling": "dim"}


def add_commands(commands: Any) -> None:
    """Add the command of this file."""
    command = commands.add_parser(
        "space",
        help="a range as a map: what is used, what is free, and whose it is",
        epilog="example: lentra space 10.40.96.0/19\nexample: lentra space --pool fleet-private",
    )
    command.add_argument("range", nargs="?", help="any prefix, also wider than a pool")
    for name in ("realm", "pool", "region"):
        command.add_argument(f"--{name}", help=f"where this {name} begins, if no range is given")
    command.add_argument("--pieces", action="store_true", help="list the pieces below the map")
    command.set_defaults(run=_map)


def _map(options: argparse.Namespace) -> int:
    shown = client_for(options).map(**given(options, "range", "realm", "pool", "region"))
    if options.output in ("json", "yaml"):
        show_record(shown, options.output)
        return DONE
    if options.output == "csv":
        _show_pieces(shown, "csv")
        return DONE
    steps = " > ".join([shown["realm"]["name"], *(step["name"] for step in shown["chain"])])
    print(f"{styled(shown['range'], 'bold')}  {styled(steps, 'dim')}")
    for line in drawn(shown["range"], shown["cells"]):
        print(line)
    seen = {state for cell in shown["cells"] for state in (cell["sums"] or {cell["state"]: 0})}
    legend = [f"{sign} {state}" for state, sign in _SIGNS.items() if state in seen and sign.strip()]
    if any(cell["state"] == "mixed" for cell in shown["cells"]):
        legend.append("▁…▇ several, as full as high")
    print(styled("   ".join(legend), "dim"))
    for pool in shown["pools"]:
        print(f"{'  ' * pool['depth']}{pool['name']}  {styled(pool['range'], 'dim')}")
    if len(shown["starts"]) > 1 and not options.range:
        others = ", ".join(start["range"] for start in shown["starts"][1:6])
        print(styled(f"further ranges: {others}", "dim"))
    if options.pieces:
        print()
        _show_pieces(shown, "table")
    return DONE


def drawn(view: str, cells: Sequence[Mapping[str, Any]]) -> list[str]:
    """The lines of a map: the prefix that each begins with, its space as signs, and how much of it is used."""
    prefix = parse_prefix(view)
    bits = min(_LINES_BITS, prefix.bits - prefix.length)
    names = [str(part) for part in prefix.children(prefix.length + bits)]
    slots = len(names) * _WIDTH
    signs = [(" ", "")] * slots
    used = [0.0] * len(names)
    for cell in cells:
        first = round(cell["start"] * slots)
        last = max(first + 1, round((cell["start"] + cell["share"]) * slots))
        share = 0.0 if cell["state"] == "outside" else 1 - int(cell["free"]) / int(cell["addresses"])
        sign = _SIGNS.get(cell["state"]) or _MIXED[min(int(share * len(_MIXED)), len(_MIXED) - 1)]
        for at in range(first, min(last, slots)):
            signs[at] = (sign, _STYLES.get(cell["state"], ""))
        start, end = cell["start"] * len(names), (cell["start"] + cell["share"]) * len(names)
        for line in range(int(start), min(len(names), -int(-end // 1))):
            used[line] += share * (min(end, line + 1) - max(start, line))
    width = max(len(name) for name in names)
    return [
        f"{name.rjust(width)} {_coloured(signs[n * _WIDTH : (n + 1) * _WIDTH])} {100 * used[n]:5.1f} %"
        for n, name in enumerate(names)
    ]


def _coloured(signs: Sequence[tuple[str, str]]) -> str:
    runs = ((style, "".join(sign for sign, _ in run)) for style, run in groupby(signs, key=lambda pair: pair[1]))
    return "".join(styled(text, style) if style else text for style, text in runs)


def _show_pieces(shown: Mapping[str, Any], form: str) -> None:
    rows = [
        {
            "range": cell["range"],
            "state": cell["state"],
            "whose": (cell["subnet"] or cell["child"] or cell["reservation"] or {}).get("name") or cell["why"],
            "project": cell["project"],
            "zone": cell["zone"],
            "tier": cell["tier"],
            "addresses": grouped(cell["addresses"]) if form == "table" else cell["addresses"],
            "free": grouped(cell["free"]) if form == "table" else cell["free"],
        }
        for cell in shown["cells"]
    ]
    show_rows(rows, ["range", "state", "whose", "project", "zone", "tier", "addresses", "free"], form)
