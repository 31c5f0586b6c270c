"""Realms that meet by links: what clashes, the ways out, and who hands out what both have."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from typing import Any

from lentra.cli.context import DONE, client_for
from lentra.cli.looking import given
from lentra.cli.options import Several
from lentra.cli.output import WHOLE, grouped, show_record, show_rows, styled

_KINDS = {"living": "bad", "planned": "warn", "kept out": "dim"}
_LINES = 40  # of each list that are shown
_SIGNS = " ▁▂▃▄▅▆▇█"


def add_link_verbs(verbs: Any) -> None:
    """What can be done with links beside setting them up."""
    command = verbs.add_parser(
        "preview",
        help="what would meet if two realms were linked: clashes, ways out, and who would hand out what both have",
        epilog="example: lentra link preview fleet shipyard",
    )
    command.add_argument("one", help="the first realm")
    command.add_argument("other", help="the second realm")
    for side in ("one", "other"):
        command.add_argument(
            f"--{side}-shows", action=Several, metavar="RANGE", help="what is seen of it; everything, if left out"
        )
        command.add_argument(
            f"--{side}-gives", action=Several, metavar="RANGE", help="what it is to hand out of what both have"
        )
    command.add_argument(
        "--passes-on", action="store_true", default=None, help="traffic goes on to further realms"
    )
    command.set_defaults(run=_preview)
    command = verbs.add_parser(
        "clashes", help="what clashes by a link that is there", epilog="example: lentra link clashes pilot-tunnel"
    )
    command.add_argument("ref", help="name or number")
    command.set_defaults(run=_clashes)
    command = verbs.add_parser(
        "graph", help="which realms meet, and how much clashes", epilog="example: lentra link graph"
    )
    command.set_defaults(run=_graph)


def _preview(options: argparse.Namespace) -> int:
    how = given(options, "one_shows", "other_shows", "one_gives", "other_gives", "passes_on")
    return _show(client_for(options).meetings(options.one, options.other, **how), options.output)


def _clashes(options: argparse.Namespace) -> int:
    return _show(client_for(options).links.meetings(options.ref), options.output)


def _show(meetings: Sequence[Mapping[str, Any]], form: str) -> int:
    if form in WHOLE:
        show_record({"meetings": list(meetings)}, form)
        return DONE
    if form == "csv":
        show_rows([_row(line) for meeting in meetings for line in meeting["lines"]], list(_COLUMNS), form)
        return DONE
    if not meetings:
        print("nothing meets")
    for meeting in meetings:
        _tell(meeting)
    return DONE


_COLUMNS = ("kind", "range", "one", "other", "addresses", "cheapest")


def _row(line: Mapping[str, Any]) -> dict[str, Any]:
    """A line of clashes as a row."""
    return {
        "kind": line["kind"],
        "range": line["range"],
        "one": _side(line["one"]),
        "other": _side(line["other"]),
        "addresses": line["addresses"],
        "cheapest": line["ways"][0]["words"],
    }


def _side(side: Mapping[str, Any]) -> str:
    """What one realm has there: its owner, how much, where."""
    count = side["subnet_count"]
    what = f" {side['subnets'][0]['name']}" if count == 1 else f" {count:,} subnets" if count else ""
    zones = f" in {', '.join(side['zones'][:3])}" if side["zones"] else ""
    first = side["ranges"][0] + (f" and {side['range_count'] - 1:,} more" if side["range_count"] > 1 else "")
    return f"{side['whose']}{what}{zones}: {first} ({', '.join(side['states'])})"


def _tell(meeting: Mapping[str, Any]) -> None:
    one, other = meeting["one"]["name"], meeting["other"]["name"]
    counts = ", ".join(f"{count:,} {kind}" for kind, count in meeting["clashes"].items() if count)
    print(f"{styled(f'{one} and {other}', 'bold')}: {counts or 'no clashes'}", end="")
    print(f"; {grouped(meeting['addresses'])} addresses of both" if counts else "")
    for line in meeting["lines"][:_LINES]:
        kind = line["kind"]
        print(f"  {styled(kind.ljust(8), _KINDS[kind])} {line['range']}  {grouped(line['addresses'])} addresses")
        print(f"           {one}: {_side(line['one'])}")
        print(f"           {other}: {_side(line['other'])}")
        print(f"           cheapest: {line['ways'][0]['words']}")
        if _others(line):
            print(f"           {styled('or ' + '; '.join(_others(line)), 'dim')}")
    if (left := len(meeting["lines"]) - _LINES + meeting["more_lines"]) > 0:
        print(styled(f"  {left:,} lines more: --output json", "dim"))
    for strip in meeting["strips"][:_LINES]:
        print(f"  {strip['range']}  which both have")
        for name, side in ((one, "one"), (other, "other")):
            print(f"    {_drawn([cell[side] for cell in strip['cells']])}  {name}")
        if any(cell["clash"] for cell in strip["cells"]):
            print(f"    {''.join('×' if cell['clash'] else '·' for cell in strip['cells'])}  × both use it")
    if meeting["shares"]:
        print("  handed out from now on by:")
    for share in meeting["shares"][:_LINES]:
        mark = styled(" (proposed)", "dim") if share["proposed"] else ""
        print(
            f"    {share['range'].ljust(34)} {(share['realm'] or 'whoever keeps it').ljust(16)} {share['why']}{mark}"
        )
    if (left := len(meeting["shares"]) - _LINES + meeting["more_shares"]) > 0:
        print(styled(f"    {left:,} more: --output json", "dim"))


def _others(line: Mapping[str, Any]) -> list[str]:
    """The other ways out of a clash, in words."""
    return [way["words"] for way in line["ways"][1:]]


def _drawn(percents: Sequence[float]) -> str:
    return "".join(_SIGNS[min(len(_SIGNS) - 1, -int(-percent * (len(_SIGNS) - 1) // 100))] for percent in percents)


def _graph(options: argparse.Namespace) -> int:
    graph = client_for(options).realm_graph()
    if options.output in WHOLE:
        show_record(graph, options.output)
        return DONE
    by_pair = {frozenset((one["one"], one["other"])): one for one in graph["meetings"]}
    linked = {frozenset((link["one"], link["other"])) for link in graph["links"]}
    rows = [
        {"link": link["name"], "kind": link["kind"], "one": link["one"], "other": link["other"]}
        | {"clashes": by_pair.get(frozenset((link["one"], link["other"])), {"clashes": 0})["clashes"]}
        for link in graph["links"]
    ]
    rows += [
        {"link": "", "kind": "by others", "one": one["one"], "other": one["other"], "clashes": one["clashes"]}
        for pair, one in by_pair.items()
        if pair not in linked
    ]
    show_rows(rows, ["link", "kind", "one", "other", "clashes"], options.output)
    if options.output == "table":
        alone = [r["name"] for r in graph["realms"] if not any(r["name"] in pair for pair in linked)]
        print(styled(f"joined to none: {', '.join(alone) or 'no realm'}", "dim"))
    return DONE
