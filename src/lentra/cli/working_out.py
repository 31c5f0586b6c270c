"""Working out: size, pack, split, carries, cluster, check, fits."""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, client_for, confirmed_change, read_file
from lentra.cli.looking import add_sheet_options, given
from lentra.cli.options import Several, read_bits
from lentra.cli.output import WHOLE, cell, grouped, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer

_COUNTS = ("total", "withheld", "usable", "needed", "spare")


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser(
        "size",
        help="how large a block a number of hosts needs",
        epilog="example: lentra size 180 --growth 40 --sheet four-and-one\n"
        "example: lentra size 180 --zones 3 --gateway --balancers 2\n"
        "example: lentra size --subnets 300 --family 6",
    )
    command.add_argument("hosts", type=int, nargs="?", help="addresses that hosts need")
    command.add_argument("--length", type=read_bits, help="check this length, or say what it carries")
    command.add_argument("--growth", type=int, help="percent on top")
    command.add_argument("--family", type=int, choices=[4, 6], help="IPv4 (usual) or IPv6")
    command.add_argument("--zones", type=int, help="spread over so many zones, so that one may fail")
    command.add_argument("--gateway", action="store_const", const="true", help="one more address, for a gateway")
    command.add_argument("--balancers", type=int, help="so many more addresses, for balancers")
    command.add_argument("--subnets", type=int, help="size a range for so many subnets instead")
    add_sheet_options(command)
    command.set_defaults(run=_size)

    command = commands.add_parser(
        "pack",
        help="size several subnets, and pack them largest first",
        epilog="example: lentra pack data=700 app=250 edge=110 ops=20 link=/29 --inside 10.40.128.0/21",
    )
    command.add_argument(
        "need",
        nargs="+",
        help="NAME=HOSTS, NAME=HOSTS+GROWTH or NAME=/LENGTH; with @ZONE at the end, for one zone",
    )
    command.add_argument("--inside", help="pack them into this block")
    command.add_argument("--realm", help="into what is really free there")
    plan = command.add_argument_group("make this a plan: tells its text, to be committed with lentra plan commit")
    plan.add_argument("--plan-project", help="who the plan is for")
    plan.add_argument("--plan-pool", help="the pool that it draws from")
    plan.add_argument("--plan-zone", action=Several, help="the zones it spans; several with commas")
    plan.add_argument("--plan-tier", help="the tier of those whose name is no tier's")
    command.add_argument("--family", type=int, choices=[4, 6], help="IPv4 (usual) or IPv6")
    add_sheet_options(command)
    command.set_defaults(run=_pack)

    command = commands.add_parser(
        "split", help="split a block equally", epilog="example: lentra split 10.40.64.0/20 --into 6"
    )
    command.add_argument("prefix", help="such as 10.40.64.0/20")
    command.add_argument("--into", type=int, help="at least so many parts")
    command.add_argument("--length", type=read_bits, help="into parts of this length")
    command.add_argument("--realm", help="tell which parts are free there, and who takes the others")
    command.add_argument("--name", help="the stem of the parts' names")
    command.add_argument("--zone", action=Several, help="zones that the parts go to in turn; several with commas")
    add_sheet_options(command)
    command.set_defaults(run=_split)

    command = commands.add_parser(
        "carries",
        help="how many hosts, subnets or cluster nodes a block carries",
        epilog="example: lentra carries 10.40.64.0/22 --workloads 40 --balancers 3 --sheet four-and-one",
    )
    command.add_argument("prefix", help="such as 10.40.64.0/20")
    command.add_argument("--workloads", type=int, help="workloads a node, to count cluster nodes")
    command.add_argument("--surge", type=int, help="nodes more while a cluster is renewed (1)")
    command.add_argument("--balancers", type=int, help="load balancers, an address each")
    add_sheet_options(command)
    command.set_defaults(run=_carries)

    _add_cluster(commands)

    command = commands.add_parser(
        "check",
        help="how ranges lie to all that is known: unknown; ours, free; equal, inside, contains, overlaps",
        epilog="example: lentra check --realm fleet 10.40.64.0/24 10.44.3.0/24 172.16.0.10-172.16.0.40",
    )
    command.add_argument("range", nargs="*", help="a prefix, an address, or first-last")
    command.add_argument("--realm", action="append", help="may be given several times; all realms without it")
    command.add_argument("--file", help="a file with ranges, words beside them are kept; - for standard input")
    command.add_argument("--strict", action="store_true", help="exit with 1 unless all of them are unknown to us")
    command.set_defaults(run=_check)

    command = commands.add_parser(
        "fits",
        help="what still fits in a pool, a region or a realm",
        epilog="example: lentra fits --region north-coast",
    )
    for name in ("pool", "region", "realm"):
        command.add_argument(f"--{name}", help=f"in this {name}")
    command.set_defaults(run=_fits)


def _add_cluster(commands: Any) -> None:
    parser = commands.add_parser(
        "cluster", help="size a cluster, and set up its address space", epilog=_CLUSTER_EXAMPLE
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    size = verbs.add_parser(
        "size",
        help="work out a cluster's ranges",
        epilog="example: lentra cluster size 12 --workloads 40 --balancers 3 --sheet four-and-one",
    )
    add_sheet_options(size)
    make = verbs.add_parser("set-up", help="hand out and reserve all of them in one go", epilog=_CLUSTER_EXAMPLE)
    make.add_argument("--name", required=True, help="what the cluster is called")
    for name in ("pool", "project", "tier"):
        make.add_argument(f"--{name}", required=True, help=f"which {name}")
    make.add_argument("--zone", help="where")
    make.add_argument("--region", help="where no zone applies")
    make.add_argument("--workload-range", help="exactly this one; found if left out")
    make.add_argument("--bridge-range", help="declared as kept out")
    make.add_argument(
        "--take-as", choices=["reserve", "keep out"], help="whether its ranges are reserved or kept out"
    )
    for command in (size, make):
        command.add_argument("nodes", type=int, help="nodes at work")
        command.add_argument("--surge", type=int, help="nodes on top during an upgrade (1)")
        command.add_argument(
            "--workloads", type=int, help="most workloads on a node; left out, what the rule sheet says"
        )
        command.add_argument("--balancers", type=int, help="addresses for internal balancers")
        command.add_argument(
            "--own-range", action="store_const", const=True, help="workloads have a range of their own"
        )
        command.add_argument("--most-nodes", type=int, help="nodes that it may grow to")
        command.add_argument("--zones", type=int, help="spread over so many zones, so that one may fail")
        command.add_argument("--services", type=int, help="how many services, to size their range")
        command.add_argument("--length", type=read_bits, help="the node subnet's length, if wider than needed")
        command.add_argument("--service-range", help="range of the cluster's services")
        command.add_argument("--name-service", help="address of the name service; offset 10 if left out")
    size.set_defaults(run=_cluster_size)
    add_change_options(make)
    make.set_defaults(run=_cluster_set_up)


_CLUSTER_EXAMPLE = (
    "example: lentra cluster set-up 6 --name berth --pool ml-1-general --project tide-model --tier app --zone ml-1 "
    "--service-range 10.47.240.0/22 --preview"
)
_NEED = (
    *("nodes", "surge", "workloads", "balancers", "own_range", "length", "service_range", "name_service"),
    *("most_nodes", "zones", "services"),
)


def _size(options: argparse.Namespace) -> int:
    client = client_for(options)
    if options.subnets is not None:
        size = client.size_range(options.subnets, **given(options, "growth", "family", "sheet", "pool"))
        if options.output != "table":
            show_record(size, options.output)
            return DONE
        print(styled(f"/{size['length']}", "bold") + f" under {size['sheet']}: {size['why_not_smaller']}")
        print(f"holds {grouped(size['holds'])} × /{size['unit']}, {grouped(size['spare'])} spare")
        return DONE
    names = ("hosts", "length", "growth", "family", "sheet", "pool", "zones", "gateway", "balancers")
    size = client.size(**given(options, *names))
    if options.output != "table":
        show_record(size, options.output)
        return DONE
    if size["zones"]:
        print(f"{size['hosts']:,} hosts in each of {size['zones']} zones, so that one may fail:")
    print(styled(f"/{size['length']}", "bold") + f" under {size['sheet']}: {size['why_not_smaller']}")
    _show_counts(size)
    return DONE


def _show_counts(size: dict[str, Any]) -> None:
    show_rows([{"of": n, "addresses": grouped(size[n])} for n in _COUNTS], ("of", "addresses"), "table")


def _pack(options: argparse.Namespace) -> int:
    needs = [_need(text) for text in options.need]
    of_plan = {"project": options.plan_project, "pool": options.plan_pool, "zones": options.plan_zone}
    under = given(options, "inside", "family", "sheet", "pool", "realm")
    if any(of_plan.values()):
        if missing := [name for name, value in of_plan.items() if not value]:
            raise WrongUse(f"a plan needs --plan-{missing[0].removesuffix('s')} too")
        under["as_plan"] = of_plan | ({"tier": options.plan_tier} if options.plan_tier else {})
    found = client_for(options).size_several(needs, **under)
    if "as_plan" in under and options.output == "table":
        print(found["plan"], end="")
        return DONE
    if options.output in WHOLE:
        show_record(found, options.output)
        return DONE
    rows = [
        {"name": s["name"], "zone": s["zone"], "block": s["block"], "length": f"/{s['size']['length']}"}
        | {n: s["bounds"][n] if s["bounds"] else None for n in ("first_usable", "last_usable")}
        | {n: grouped(s["size"][n]) for n in ("usable", "needed", "spare")}
        for s in found["sized"]
    ]
    where = ("first_usable", "last_usable") if options.inside else ()
    zones = ("zone",) if any(row["zone"] for row in rows) else ()
    show_rows(rows, ("name", *zones, "block", "length", *where, "usable", "needed", "spare"), options.output)
    if options.output == "table":
        print(f"all of them: {grouped(found['total'])} addresses, a {found['least']} holds them")
        if options.inside:
            print(f"left over: {', '.join(found['left']) or 'nothing'} = {grouped(found['left_over'])} addresses")
    return DONE


def _need(text: str) -> dict[str, Any]:
    text, _, zone = text.partition("@")
    if zone:
        return _need(text) | {"zone": zone}
    name, mark, amount = text.partition("=")
    hosts, _, growth = amount.partition("+")
    if mark and amount.startswith("/") and amount[1:].isdigit():
        return {"name": name, "length": int(amount[1:])}
    if mark and hosts.isdigit() and (not growth or growth.rstrip("%").isdigit()):
        return {"name": name, "hosts": int(hosts), "growth": int(growth.rstrip("%") or 0)}
    raise WrongUse(f"{text!r} is not a need: write data=700, app=110+10 or link=/29")


def _split(options: argparse.Namespace) -> int:
    if (options.into is None) == (options.length is None):
        raise WrongUse("say --into how many parts, or of which --length")
    how = given(options, "into", "length", "realm", "name", "zone", "sheet", "pool")
    split = client_for(options).split(options.prefix, **how)
    if options.output in WHOLE:
        show_record(split, options.output)
        return DONE
    rows = [{"n": n, "part": part["prefix"], **part} for n, part in enumerate(split["parts"])]
    more = [name for name in ("name", "zone", "taken_by") if any(part[name] for part in split["parts"])]
    show_rows(rows, ("n", "part", "first", "last", "first_usable", "last_usable", "usable", *more), options.output)
    if options.output == "table":
        spare = (
            f", {split['spare']} spare ({grouped(split['spare_addresses'])} addresses)" if split["spare"] else ""
        )
        shown = f"; the first {len(split['parts']):,} are shown" if len(split["parts"]) < split["count"] else ""
        free = f", {grouped(split['free'])} of them free" if split["free"] is not None else ""
        print(f"{grouped(split['count'])} × /{split['length']}{spare}{free}{shown}")
    return DONE


def _carries(options: argparse.Namespace) -> int:
    found = client_for(options).carries(
        options.prefix, **given(options, "workloads", "surge", "balancers", "sheet", "pool")
    )
    if options.output == "table":
        found["hosts"] = grouped(found["hosts"])
        found["subnets"] = ", ".join(f"{grouped(count)} × {length}" for length, count in found["subnets"].items())
    show_record(found, options.output)
    return DONE


def _cluster_size(options: argparse.Namespace) -> int:
    found = client_for(options).size_cluster(**given(options, *_NEED, "sheet", "pool"))
    if options.output != "table":
        show_record(found, options.output)
        return DONE
    _show_cluster(found)
    _show_counts(found["subnet"])
    return DONE


def _show_cluster(found: dict[str, Any]) -> None:
    size = found["subnet"]
    print(
        f"node subnet {styled('/' + str(size['length']), 'bold')} under {size['sheet']}: {size['why_not_smaller']}"
    )
    if found["workload_length"] is not None:
        print(f"workload range /{found['workload_length']}, a /{found['slice_length']} for each node")
    if found["zones"]:
        print(
            f"one in each of {found['zones']} zones, for {found['nodes_of_a_zone']} nodes each, so that one may fail"
        )
    print(f"carries {grouped(found['most_nodes'])} nodes" + (" in each zone" if found["zones"] else ""))
    if found["service_length"] is not None:
        print(f"service range /{found['service_length']}")
    if services := found["services"]:
        print(
            f"service range {services['prefix']}: default service {services['default_service']}, "
            f"name service {services['name_service']}"
        )


def _cluster_set_up(options: argparse.Namespace) -> int:
    client = client_for(options)
    names = ("name", "pool", "project", "tier", "zone", "region", "workload_range", "bridge_range", "take_as")
    wanted = given(options, *names, *_NEED)

    def call(preview: bool) -> Answer:
        return client.set_up_cluster(preview=preview, why=options.why, **wanted)

    def words(made: dict[str, Any]) -> str:
        lines = [f"hand out {cell(made['subnet']['blocks'])} as {made['subnet']['name']}"]
        lines += [f"reserve {r['range']} as {r['name']}" for r in made["reservations"]]
        lines += [f"keep out {k['range']}: {k['reason']}" for k in made["keep_outs"]]
        if services := made["size"]["services"]:
            lines.append(
                f"(default service {services['default_service']}, name service {services['name_service']})"
            )
        return "\n  ".join(lines)

    confirmed_change(options, call, words)
    return DONE


def _check(options: argparse.Namespace) -> int:
    ranges = list(options.range)
    if options.file:
        ranges += read_file(options.file).splitlines()
    if not ranges:
        raise WrongUse("give ranges to check, or a --file with one a line")
    found = client_for(options).check_ranges(options.realm, ranges)
    rows = [row | {"range": row["range"] or row["text"]} for row in found]
    columns = ["line", "range", "how", "pool", "why"]
    show_rows(rows, (*columns, *(["name"] if any(row["name"] for row in rows) else [])), options.output)
    counts = Counter(row["how"] for row in found)
    print(", ".join(f"{grouped(n)} {how}" for how, n in counts.most_common()), file=sys.stderr)
    return REFUSED if options.strict and set(counts) != {"unknown"} else DONE


def _fits(options: argparse.Namespace) -> int:
    found = client_for(options).still_fits(**given(options, "pool", "region", "realm"))
    rows = [
        row | {"length": f"/{row['length']}", "count": grouped(row["count"]), "mostly_in": row["pools"]}
        for row in found
    ]
    if options.output in WHOLE:
        show_rows(found, (), options.output)
    else:
        show_rows(rows, ("family", "length", "count", "mostly_in"), options.output)
    return DONE
