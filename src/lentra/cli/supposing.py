"""What to do about it: alerts, what if, and which blocks to move so that a length fits again."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, add_change_options, client_for, confirmed_change, read_file
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit, positive, read_bits
from lentra.cli.output import WHOLE, bar, counted, grouped, show_list, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer


def _need(text: str) -> dict[str, Any]:
    """``6x/24@2027-03-01``: six /24 asked for on that day; ``4x6/64@…`` for IPv6."""
    count, mark, rest = text.partition("x")
    prefix, at, day = rest.partition("@")
    family, slash, length = prefix.rpartition("/")
    if not (mark and at and slash and count.isdigit() and length.isdigit() and family in ("", "4", "6")):
        raise argparse.ArgumentTypeError("write 6x/24@2027-03-01, or 4x6/64@2027-03-01 for IPv6")
    return {"count": int(count), "family": int(family or 4), "length": int(length), "day": day}


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser(
        "what-if",
        help="how long a pool lasts with more ranges, a plan, other growth, or idle blocks given back",
        epilog="example: lentra what-if quay-cameras --range 10.40.164.0/22 --growth 150\n"
        "example: lentra what-if model-halls --need 8x/24@2027-02-01 --plan demo/plans/gate-readers.yaml",
    )
    command.add_argument("pool", help="its name or number")
    command.add_argument("--range", action="append", help="add this range (may be given again)")
    command.add_argument("--plan", help="commit this plan, a file")
    command.add_argument("--growth", type=int, help="growth in percent of today's pace (100)")
    command.add_argument("--give-back", action="append", metavar="SUBNET", help="give this subnet back")
    command.add_argument("--give-back-idle", action="store_const", const=True, help="give back what nothing uses")
    command.add_argument("--need", action="append", type=_need, help="6x/24@2027-03-01: six /24 on that day")
    command.add_argument("--window-days", type=int, help="how far back the trend looks (182)")
    command.set_defaults(run=_what_if)

    command = commands.add_parser(
        "compact",
        help="which few blocks to move so that a length fits again",
        epilog="example: lentra compact trial-stands --length 24",
    )
    command.add_argument("pool", help="its name or number")
    command.add_argument("--length", type=read_bits, required=True, help="the length that is wanted")
    command.add_argument("--family", type=int, choices=[4, 6], default=4, help="IPv4 (usual) or IPv6")
    command.set_defaults(run=_compact)

    command = commands.add_parser(
        "alerts",
        help="thresholds that are reached, or will be soon",
        epilog="example: lentra alerts --realm fleet",
    )
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    command.add_argument("--pool", action=Several, help="of this pool; several with commas")
    command.add_argument("--resolved", action="store_const", const="true", help="also those that are over")
    add_limit(command)
    command.add_argument(
        "--acknowledged",
        choices=("true", "false"),
        help="those that somebody looks after, or those that nobody does",
    )
    command.set_defaults(run=_alerts)

    parser = commands.add_parser(
        "alert", help="acknowledge and mute alerts", epilog="example: lentra alerts --acknowledged false"
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "acknowledge",
        help="say that somebody looks after one; nobody is told of it for a while",
        epilog="example: lentra alert acknowledge 1 --reason 'space comes back in May' --until 2027-05-01 --preview",
    )
    command.add_argument("number", type=positive, help="its number")
    command.add_argument("--reason", required=True, help="who looks after it, and how")
    command.add_argument("--until", help="nobody is told of it until then, such as 2027-03-01")
    add_change_options(command)
    command.set_defaults(run=_acknowledge)
    command = verbs.add_parser(
        "reopen", help="take the acknowledgement of one back", epilog="example: lentra alerts --acknowledged true"
    )
    command.add_argument("number", type=positive, help="its number")
    add_change_options(command)
    command.set_defaults(run=_reopen)


def _what_if(options: argparse.Namespace) -> int:
    supposed: dict[str, Any] = given(options, "give_back", "give_back_idle", "window_days")
    if options.range:
        supposed["ranges"] = options.range
    if options.growth is not None:
        supposed["growth_percent"] = options.growth
    if options.need:
        supposed["needs"] = options.need
    if options.plan:
        supposed["text"] = read_file(options.plan)
    told = client_for(options).pools.what_if(options.pool, **supposed)
    if options.output in WHOLE:
        show_record(told, options.output)
        return DONE
    rows = [row for family in told["families"] for row in _beside(family)]
    if options.output == "csv":
        show_rows(rows, ("family", "what", "today", "then"), "csv")
        return DONE
    print(styled(f"What if, of {told['pool']['name']}: ", "bold") + "; ".join(told["done"]))
    for family in told["families"]:
        print(f"IPv{family['family']}  today {_used(family['today'])}")
        print(f"      then  {_used(family['then'])}")
        show_rows(_beside(family), ("what", "today", "then"), "table")
    return DONE


def _used(facts: dict[str, Any]) -> str:
    return bar(facts["used_percent"], facts["warning_percent"], facts["critical_percent"])


def _beside(family: dict[str, Any]) -> list[dict[str, Any]]:
    """Every figure of today beside that of then."""
    today, then = family["today"], family["then"]
    rows = [
        ("in all", *(counted(facts["total"], family["family"]) for facts in (today, then))),
        ("in use", *(counted(facts["used"], family["family"]) for facts in (today, then))),
    ]
    for now, later in zip(today["thresholds"], then["thresholds"], strict=True):
        rows.append((f"{now['name']}, {now['percent']} %", _when(now), _when(later)))
    until = {row["length"]: row["until"] for row in then["lengths"]}
    for row in today["lengths"]:
        rows.append((f"/{row['length']} until", row["until"] or "-", until.get(row["length"]) or "-"))
    rows += [
        (f"/{row['length']} still fit", grouped(row["today"]), grouped(row["then"]))
        for row in family["still_fits"]
        if row["today"] != "0" or row["then"] != "0"
    ]
    return [{"family": family["family"], "what": what, "today": a, "then": b} for what, a, b in rows]


def _when(threshold: dict[str, Any]) -> str:
    return "reached" if threshold["reached"] else threshold["likely"] or "not in sight"


def _compact(options: argparse.Namespace) -> int:
    told = client_for(options).pools.compaction(options.pool, options.length, options.family)
    if options.output in WHOLE:
        show_record(told, options.output)
        return DONE
    rows = [
        {"frees": option["prefix"], "do": what, **block}
        for option in told["options"]
        for what, blocks in (("move", option["blocks"]), ("give up room", option["room"]))
        for block in blocks
    ]
    columns = ("frees", "do", "prefix", "subnet", "project", "zone", "tier", "addresses")
    if options.output == "csv":
        show_rows(rows, columns, "csv")
        return DONE
    name = told["pool"]["name"]
    print(
        f"{styled(name, 'bold')}: {counted(told['free'], told['family'])} free, the largest free is "
        f"{told['largest_free'] or 'none'}; together they could give a {told['possible'] or 'nothing'}"
    )
    if told["why"]:
        print(told["why"])
        return DONE
    for option in told["options"]:
        moved = len(option["blocks"])
        print(
            f"\nfor {styled(option['prefix'], 'bold')}: move {moved} {'block' if moved == 1 else 'blocks'}, "
            f"{counted(option['addresses'], told['family'])}"
        )
        show_rows([row for row in rows if row["frees"] == option["prefix"]], columns[1:], "table")
        print(styled(f"where to: lentra renumber preview --from {option['prefix']}", "dim"))
    return DONE


def _alerts(options: argparse.Namespace) -> int:
    columns = ("id", "since", "realm", "pool", "family", "threshold", "stage", "state", "text")
    filters = given(options, "realm", "pool", "resolved", "acknowledged")
    shown = dict if options.output in WHOLE else _told_alert
    show_list(options, client_for(options).alerts, filters, columns, shown)
    return DONE


def _told_alert(row: Any) -> dict[str, Any]:
    state, since = "over" if row["resolved_at"] else "open", row["opened_at"][:16].replace("T", " ")
    if row["acknowledged_by"] and not row["resolved_at"]:
        until = f", muted until {row['muted_until'][:16].replace('T', ' ')}" if row["muted_until"] else ""
        state = f"{row['acknowledged_by']}: {row['acknowledged_why']}{until}"
    return {**row, "state": state, "since": since}


def _acknowledge(options: argparse.Namespace) -> int:
    client, until = client_for(options), options.until
    if until and "T" not in until:
        until = f"{until}T00:00:00Z"

    def call(preview: bool) -> Answer:
        return client.acknowledge_alert(options.number, options.reason, until, preview=preview, why=options.why)

    muted = f", and mute it until {options.until}" if until else ""
    confirmed_change(options, call, lambda alert: f"acknowledge alert {alert['id']} ({alert['text']}){muted}")
    return DONE


def _reopen(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.reopen_alert(options.number, preview=preview, why=options.why)

    confirmed_change(options, call, lambda alert: f"take alert {alert['id']} up again ({alert['text']})")
    return DONE
