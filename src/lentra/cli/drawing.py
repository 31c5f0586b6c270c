"""Drawn in the terminal or for paper: a prefix as a map, a project over zones and tiers, a report."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from itertools import groupby
from pathlib import Path
from typing import Any

from lentra.addressing.prefix import parse_prefix
from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.looking import given
from lentra.cli.output import WHOLE, grouped, show_record, show_rows, styled

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

    command = commands.add_parser(
        "grid", help="a project over zones and tiers, gaps marked", epilog="example: lentra grid ticketing"
    )
    command.add_argument("project", help="its name or number")
    command.set_defaults(run=_grid)

    command = commands.add_parser(
        "report",
        help="a printable page about a realm or a project",
        epilog="example: lentra report --realm fleet\nexample: lentra report --project ticketing --file ticketing.html",
    )
    command.add_argument("--realm", help="about this realm")
    command.add_argument("--project", help="about this project")
    command.add_argument("--file", help="write it here; to standard output if it is not given")
    command.set_defaults(run=_report)


def _map(options: argparse.Namespace) -> int:
    shown = client_for(options).map(**given(options, "range", "realm", "pool", "region"))
    if options.output in WHOLE:
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


def _grid(options: argparse.Namespace) -> int:
    found = client_for(options).grid(options.project)
    if options.output in WHOLE:
        show_record(found, options.output)
        return DONE
    if options.output == "csv":
        rows = [{**cell, **subnet} for cell in found["cells"] for subnet in cell["subnets"]]
        show_rows(rows, ("zone", "tier", "name", "blocks", "room", "hosts", "usable"), "csv")
        return DONE
    lines: list[dict[str, Any]] = []
    for tier in found["tiers"]:
        cells = [cell for cell in found["cells"] if cell["tier"] == tier]
        told = [_cell_text(cell) for cell in cells]
        for n in range(max(len(lines_of) for lines_of in told)):
            line = {cell["zone"]: (of[n] if n < len(of) else " ") for cell, of in zip(cells, told, strict=True)}
            lines.append({"tier": tier if n == 0 else " ", **line})
    show_rows(lines, ("tier", *found["zones"]), "table")
    return DONE


def _cell_text(cell: Mapping[str, Any]) -> list[str]:
    """A cell line by line: its blocks, then hosts of usable and room."""
    if cell["gap"]:
        return [styled("missing", "warn")]
    lines = [block for subnet in cell["subnets"] for block in subnet["blocks"]]
    if more := cell["count"] - len(cell["subnets"]):
        lines.append(styled(f"and {grouped(more)} more subnets", "dim"))
    if cell["usable"] != "0":
        lines.append(styled(f"{grouped(cell['hosts'])} of {grouped(cell['usable'])} hosts", "dim"))
    lines += [styled(f"room {piece}", "dim") for subnet in cell["subnets"] for piece in subnet["room"]]
    return lines


def _report(options: argparse.Namespace) -> int:
    page = client_for(options).report(**given(options, "realm", "project"))
    if options.file:
        try:
            Path(options.file).write_text(page)
        except OSError as fault:
            raise WrongUse(f"{options.file} cannot be written: {fault}")
        print(f"{styled('Done:', 'good')} {options.file}; open it in a browser to print it or save it as PDF")
    else:
        print(page, end="")
    return DONE
