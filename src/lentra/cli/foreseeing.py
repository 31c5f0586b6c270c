"""What is used, what lies idle, and how long it lasts: headroom, breakdown, changes, idle."""

from __future__ import annotations

import argparse
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.looking import given
from lentra.cli.options import add_limit
from lentra.cli.output import SHAPE, WHOLE, bar, counted, grouped, show_list, show_rows, styled

_PLACES = ("realm", "pool", "region", "zone", "tier", "project")
_SPARKS = "▁▂▃▄▅▆▇█"


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser(
        "headroom",
        help="how much more fits, and how long it lasts",
        epilog="example: lentra headroom quay-cameras\nexample: lentra headroom --region mainland\n"
        "example: lentra headroom --grows realm --realm fleet\nexample: lentra headroom --subnet crew-roster-ml-1-app-01",
    )
    command.add_argument("pool", nargs="?", help="one pool, with its lengths and thresholds")
    command.add_argument("--project", help="how a project grows (or, without a pool, pools of it)")
    for name in ("realm", "region", "zone"):
        command.add_argument(f"--{name}", help=f"pools of this {name}")
    command.add_argument(
        "--grows",
        choices=["project", "zone", "region", "realm"],
        help="tell how the project, zone, region or whole realm given grows",
    )
    command.add_argument("--subnet", help="how far the blocks of this subnet can grow in place")
    command.add_argument("--window-days", type=int, help="how far back the trend looks (182)")
    command.set_defaults(run=_headroom)

    command = commands.add_parser(
        "breakdown",
        help="usage by project, zone, tier… in any combination",
        epilog="example: lentra breakdown zone,tier --project ticketing",
    )
    command.add_argument("by", help="realm, pool, region, zone, tier, project; several with commas between")
    for name in _PLACES:
        command.add_argument(f"--{name}", help=f"only of this {name}")
    command.add_argument("--family", type=int, choices=[4, 6], help="IPv4 (usual) or IPv6")
    command.set_defaults(run=_breakdown)

    command = commands.add_parser(
        "changes",
        help="usage on a day, or what changed between two",
        epilog="example: lentra changes --since 2026-01-01 --realm fleet",
    )
    command.add_argument("--since", help="what changed since this day")
    command.add_argument("--until", help="up to this day (today)")
    command.add_argument("--on", help="usage on this day instead, from readings")
    command.add_argument("--realm", help="of this realm")
    command.add_argument("--pool", help="of this pool")
    command.set_defaults(run=_changes)

    command = commands.add_parser(
        "ranges",
        help="lists of ranges for access rules and routes",
        epilog="example: lentra ranges --project ticketing --tier app --aggregated\n"
        "example: lentra ranges --zone ml-1 --since 2026-10-01 -o csv",
    )
    for name in _PLACES:
        command.add_argument(f"--{name}", help=f"of this {name}")
    command.add_argument("--family", type=int, choices=[4, 6], help="one family only")
    command.add_argument("--aggregated", action="store_const", const="true", help="the fewest prefixes")
    command.add_argument("--since", help="mark what was added since this day, and list what is gone")
    command.set_defaults(run=_ranges)

    command = commands.add_parser(
        "idle",
        help="idle and odd things, each with a proposed step",
        epilog="example: lentra idle --project ticketing\n"
        'example: lentra idle --kind "block without use" --limit 10',
    )
    command.add_argument("--realm", help="of this realm")
    command.add_argument("--project", help="of this project")
    command.add_argument("--kind", action="append", help='of this kind, such as "block far too wide"; repeatable')
    add_limit(command)
    command.set_defaults(run=_idle)


def _headroom(options: argparse.Namespace) -> int:
    client = client_for(options)
    window = given(options, "window_days")
    if options.pool:
        found = client.pools.headroom(options.pool, **window)
        if options.output in WHOLE:
            show_rows(found, (), options.output)
        elif options.output == "csv":
            show_rows([line for row in found for line in _flat(row)], _FLAT, "csv")
        else:
            for row in found:
                _show_pool(options.pool, row)
        return DONE
    if options.subnet:
        return _show_blocks(options, client.subnets.headroom(options.subnet))
    if options.grows:
        ref = getattr(options, options.grows)
        if not ref:
            raise WrongUse(f"say which: --{options.grows} NAME")
        found = client.growth(options.grows, ref, **window)
        if options.output in WHOLE:
            show_rows(found, (), options.output)
        elif options.output == "csv":
            show_rows(found, ("family", "used", "per_month", "no_forecast"), "csv")
        else:
            for row in found:
                if options.grows == "realm":
                    _show_pool(ref, row)
                else:
                    print(styled(f"IPv{row['family']}", "bold") + f" {_pace(row)}  {_spark(row['readings'])}")
        return DONE
    found = list(client.headroom(**given(options, "realm", "region", "zone", "project"), **window))
    rows = [
        {
            "pool": row["pool"],
            "family": f"IPv{row['family']}",
            "in_use": bar(row["used_percent"]) if options.output == "table" else row["used_percent"],
            "growth": row["per_month"] if SHAPE.plain else _pace(row),
            **{t["name"]: "reached" if t["reached"] else t["likely"] for t in row["thresholds"]},
            "largest_free": row["largest_free"],
        }
        for row in found
    ]
    if options.output in WHOLE:
        show_rows(found, (), options.output)
    else:
        show_rows(
            rows,
            ("pool", "family", "in_use", "growth", "warning", "critical", "full", "largest_free"),
            options.output,
        )
    return DONE


_FLAT = (
    "family",
    "total",
    "used",
    "used_percent",
    "per_month",
    "threshold",
    "percent",
    "reached",
    "early",
    "likely",
    "late",
)


def _flat(row: dict[str, Any]) -> list[dict[str, Any]]:
    """A row for each threshold, with what is known of the whole."""
    return [{**row, **threshold, "threshold": threshold["name"]} for threshold in row["thresholds"]]


def _pace(row: dict[str, Any]) -> str:
    if row["no_forecast"]:
        return f"no forecast: {row['no_forecast']}"
    return f"+{counted(row['per_month'], row['family'])} a month"


def _show_pool(name: str, row: dict[str, Any]) -> None:
    used = bar(row["used_percent"], row["warning_percent"], row["critical_percent"])
    print(f"{styled(f'{name} IPv' + str(row['family']), 'bold')} {used}, {_pace(row)}")
    if row["readings"]:
        first, last = row["readings"][0]["day"], row["readings"][-1]["day"]
        print(f"  {_spark(row['readings'])}  {first} to {last}")
    share = row["confidence_percent"]
    rows = [
        t | {"percent": f"{t['percent']} %", "likely": "reached" if t["reached"] else t["likely"]}
        for t in row["thresholds"]
    ]
    show_rows(rows, ("name", "percent", "early", "likely", "late"), "table")
    if not row["no_forecast"]:
        print(
            styled(f"  early and late hold {share} % of such forecasts; trend of {row['window_days']} days", "dim")
        )
    for length in row["lengths"]:
        until = "for as long as can be seen"
        if length["until"]:
            until = f"at the present pace until {length['until']}: the last goes in {_about(length['days'])}"
        print(f"room for {grouped(length['fits'])} more /{length['length']}, {until}")
    for step in row["steps"]:
        sign = "+" if int(step["amount"]) > 0 else ""
        print(
            f"{step['day']}  {sign}{counted(step['amount'], row['family'])}  {step['what']} {step['name']}: {step['why']}"
        )
    print()


def _about(days: int) -> str:
    """A span in the largest unit that says enough."""
    for size, unit in ((365, "years"), (30, "months"), (7, "weeks")):
        if days >= 2 * size:
            return f"about {round(days / size)} {unit}"
    return "1 day" if days == 1 else f"{days} days"


def _show_blocks(options: argparse.Namespace, found: list[dict[str, Any]]) -> int:
    if options.output in WHOLE:
        show_rows(found, (), options.output)
        return DONE
    rows = [
        {
            "block": block["block"],
            "as": step["prefix"],
            "possible": step["possible"],
            "why": step["why"],
            "in_the_way": [f"{o['range']} ({o['owner'] or o['state']})" for o in step["in_the_way"][:3]],
        }
        for block in found
        for step in block["steps"]
    ]
    if options.output == "table":
        for block in found:
            hosts = f", {grouped(block['hosts'])} of {grouped(block['usable'])} hosts" if block["hosts"] else ""
            print(f"{styled(block['block'], 'bold')}{hosts}: can grow to {block['can_grow_to']}")
    show_rows(rows, ("block", "as", "possible", "why", "in_the_way"), options.output)
    return DONE


def _spark(readings: list[dict[str, Any]]) -> str:
    """Use over time in a line of at most 60 marks."""
    if not readings:
        return ""
    values = [int(r["used"]) for r in readings]
    step = max(1, -(-len(values) // 60))
    values = values[::step]
    low, high = min(values), max(values)
    span = max(1, high - low)
    return "".join(_SPARKS[(value - low) * (len(_SPARKS) - 1) // span] for value in values)


def _breakdown(options: argparse.Namespace) -> int:
    found = client_for(options).breakdown(options.by, **given(options, *_PLACES, "family"))
    if options.output in WHOLE:
        show_rows(found, (), options.output)
        return DONE
    dimensions = [name.strip() for name in options.by.split(",")]
    ipv4 = options.family != 6
    rows = [
        row
        | {
            "share": bar(row["percent"], 101, 101) if options.output == "table" else row["percent"],
            "addresses": counted(row["used"], 4 if ipv4 else 6),
            "hosts": f"{grouped(row['hosts'])} of {grouped(row['usable'])}"
            if ipv4 and not SHAPE.plain
            else row["hosts"],
        }
        for row in found
    ]
    show_rows(
        rows,
        (
            *dimensions,
            "subnets",
            "addresses",
            "share",
            *(("hosts",) if ipv4 else ()),
            *(("usable",) if ipv4 and SHAPE.plain else ()),
        ),
        options.output,
    )
    return DONE


def _changes(options: argparse.Namespace) -> int:
    client = client_for(options)
    scope = given(options, "realm", "pool")
    if options.on:
        found = client.usage_on(options.on, **scope)
        rows = [
            row
            | {
                "family": f"IPv{row['family']}",
                "in_use": row["used_percent"] if SHAPE.plain else f"{row['used_percent']} %",
            }
            for row in found
        ]
        show_rows(
            rows if options.output in ("table", "csv") else found,
            ("pool", "family", "day", "in_use"),
            options.output,
        )
        return DONE
    found = client.changes(options.since or "", **scope, **given(options, "until"))
    rows = [row | {"addresses": grouped(row["ipv4"])} for row in found]
    show_rows(
        rows if options.output in ("table", "csv") else found,
        ("what", "by", "subnets", "addresses"),
        options.output,
    )
    return DONE


def _ranges(options: argparse.Namespace) -> int:
    found = client_for(options).ranges(**given(options, *_PLACES, "family", "aggregated", "since"))
    if options.output != "table":
        show_rows(
            list(found), ("prefix", "family", "realm", "mark", "name", "project", "zone", "tier"), options.output
        )
        return DONE
    for row in found:  # plain lines, to be pasted or piped
        mark = {"added": "+ ", "gone": "- "}.get(row["mark"], "  ") if options.since else ""
        name = f"  # {row['name']}" if row["name"] else ""
        print(f"{mark}{row['prefix']}{name}")
    return DONE


def _idle(options: argparse.Namespace) -> int:
    columns = ("kind", "what", "where", "days", "why", "step")
    show_list(options, client_for(options).idle, given(options, "realm", "project", "kind"), columns)
    return DONE
