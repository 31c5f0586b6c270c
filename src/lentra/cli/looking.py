"""Looking: explain, show, list, usage, ledger, verify."""

from __future__ import annotations

import argparse
import re
from functools import partial
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, REFUSED, add_change_options, client_for, confirmed_change
from lentra.cli.following import follow_ledger
from lentra.cli.options import Empty, Several, WrongUse, add_limit, read_bits
from lentra.cli.output import SHAPE, WHOLE, bar, cell, grouped, show_list, show_record, show_rows, styled, usable
from lentra.cli.remembering import is_range, show_tenures

if TYPE_CHECKING:
    from lentra.client import Client

SUBNET_COLUMNS = (
    "name",
    "blocks",
    "state",
    "project",
    "zone",
    "tier",
    "tag",
    "outer_tag",
    "pool",
    "hosts",
    "purpose",
)
_FILTERS = (
    *("realm", "pool", "project", "region", "zone", "tier", "state", "family"),
    *("length", "wider_than", "label", "inside", "covering", "text", "tag", "plan", "since", "until", "order"),
    *("exposure", "origin"),
)
_SEVERAL = set(_FILTERS) - {"wider_than", "label", "inside", "covering", "text", "since", "until", "order"}
_CHOICES = {
    "state": ["held", "active", "retiring", "cooling"],
    "family": ["4", "6"],
    "exposure": ["private", "public", "isolated"],
    "origin": ["own", "provider"],
    "order": ["address", "name", "oldest", "newest"],
}
_READ = {"length": read_bits, "wider_than": read_bits}
_LEDGER_HELP = {
    "kind": "kind of record, such as subnet; several with commas",
    "record": "number of a record; several with commas",
    "actor": "who did it; several with commas",
    "verb": "what was done, such as 'hand out'; several with commas",
    "realm": "of this realm; several with commas",
    "since": "entered on that day or later, such as 2026-03-01",
    "until": "entered on that day or before",
    "text": "part of the record's name",
}
_LEDGER_SEVERAL = {"kind", "record", "actor", "verb", "realm"}
_SHOWN_AROUND = ("before", "after")


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser(
        "explain", help="all facts about a prefix", epilog="example: lentra explain 10.40.64.0/20"
    )
    command.add_argument("prefix", help="such as 10.40.64.0/20")
    add_sheet_options(command)
    command.set_defaults(run=_explain)

    add_subnet_verbs(commands)
    command = commands.add_parser(
        "today",
        help="what you come for: what waits, alerts, what fills first, what ends soon",
        epilog="example: lentra today",
    )
    command.set_defaults(run=_today)

    command = commands.add_parser(
        "usage",
        help="usage of pools, as bars",
        epilog="example: lentra usage --region north-coast\nexample: lentra usage --together --realm fleet",
    )
    command.add_argument("--together", action="store_true", help="all pools together, no address counted twice")
    command.add_argument("pool", nargs="?", help="one pool, with what still fits per length")
    for name in ("realm", "region", "zone", "project"):
        command.add_argument(f"--{name}", action=Several, help=f"only of this {name}; several with commas")
    command.add_argument(
        "--parent", action=Several, help="only those carved out of this pool; several with commas"
    )
    command.add_argument(
        "--exposure",
        action=Several,
        choices=_CHOICES["exposure"],
        help="only of this exposure; several with commas",
    )
    command.add_argument(
        "--origin", action=Several, choices=_CHOICES["origin"], help="only of this origin; several with commas"
    )
    command.add_argument("--top", action="store_const", const="true", help="only those carved out of no other")
    command.add_argument("--text", help="only those whose name has this in it")
    command.set_defaults(run=_usage)

    command = commands.add_parser(
        "ledger",
        help="who changed what, and when",
        epilog="example: lentra ledger --kind pool --limit 5\n"
        "changes as they come: lentra ledger --follow --realm fleet -o jsonl",
    )
    for name, words in _LEDGER_HELP.items():
        command.add_argument(f"--{name}", action=Several if name in _LEDGER_SEVERAL else "store", help=words)
    command.add_argument("--order", choices=["newest", "oldest"], help="newest first, or oldest")
    command.add_argument("--follow", action="store_true", help="show what comes from now on, until it is stopped")
    command.add_argument("--after", type=int, help="with --follow: begin behind the entry with this number")
    add_limit(command, 20)
    command.set_defaults(run=_ledger)

    command = commands.add_parser(
        "verify", help="check that everything that must hold, holds", epilog="example: lentra verify"
    )
    command.add_argument(
        "--mend",
        action="store_true",
        help="rebuild counters, tiles and due times from what is there, where they differ (admins)",
    )
    add_change_options(command)
    command.set_defaults(run=_verify)


def add_subnet_verbs(commands: Any) -> None:
    """Add ``show`` and ``list``."""
    command = commands.add_parser(
        "show",
        help="what is at an address, a prefix, a name, a pool",
        epilog="example: lentra show 10.41.80.1\nexample: lentra show 10.41.80.1 --on 2026-09-01",
    )
    command.add_argument("what", help="an address, a prefix, a range first-last, or the name of a subnet or pool")
    command.add_argument("--realm", help="look in this realm only")
    command.add_argument(
        "--on", help="who had the address on that day, or at that moment, such as 2026-09-01T08:00Z"
    )
    command.set_defaults(run=_show)

    command = commands.add_parser(
        "list", help="list subnets", epilog="example: lentra list --zone nc-1 --tier app --state active"
    )
    for name in _FILTERS:
        several = name in _SEVERAL
        command.add_argument(
            f"--{name.replace('_', '-')}",
            dest=name,
            action=Several if several else "store",
            choices=_CHOICES.get(name),
            type=_READ.get(name, str),
            help=_HELP.get(name, f"only of this {name}") + ("; several with commas" if several else ""),
        )
    add_limit(command)
    command.set_defaults(run=_list)


_HELP = {
    "state": "active, cooling, retiring or held",
    "family": "4 or 6",
    "label": "key or key=value",
    "inside": "only with a block inside this prefix",
    "covering": "only with a block that contains this prefix or address",
    "text": "part of name, purpose or notes",
    "tag": "with this segment tag",
    "plan": "made by this plan",
    "exposure": "whose tier has this exposure",
    "origin": "out of pools of this origin",
    "order": "address, name, oldest or newest",
    "length": "of this length, such as /26",
    "wider_than": "wider than this length: /26 finds /25 and wider",
    "since": "handed out on that day or later, such as 2026-03-01",
    "until": "handed out on that day or before",
}


def add_sheet_options(command: argparse.ArgumentParser) -> None:
    """Which rule sheet is meant."""
    which = command.add_mutually_exclusive_group()
    which.add_argument("--sheet", help="under this rule sheet (ends-withheld)")
    which.add_argument("--pool", help="under the rule sheet of this pool")


def given(options: argparse.Namespace, *names: str) -> dict[str, Any]:
    """The options that were given, by name; those that are to be empty as what empties them."""
    values = {name: value for name in names if (value := getattr(options, name, None)) is not None}
    return {name: value.value if isinstance(value, Empty) else value for name, value in values.items()}


def _explain(options: argparse.Namespace) -> int:
    facts = client_for(options).explain(options.prefix, **given(options, "sheet", "pool"))
    places = facts["places"]
    if options.output == "table":
        del facts["places"]
        facts = facts | {n: grouped(facts[n]) for n in ("total", "withheld", "usable")}
        facts["children"] = ", ".join(f"{grouped(c)} × {n}" for n, c in facts["children"].items())
    show_record(facts, options.output)
    for place in places if options.output == "table" else ():
        print()
        _show_place(place)
    return DONE


def _show(options: argparse.Namespace) -> int:
    client = client_for(options)
    if options.on:
        return _show_then(options)
    if re.fullmatch(r"[0-9a-fA-F]{2}([:-][0-9a-fA-F]{2}){5}", options.what) and _show_else(client, options):
        return DONE
    if is_range(options.what):
        found = client.whereabouts(options.what, options.realm)
        if options.output == "csv":
            rows = [{"realm": place["realm"], **holder} for place in found for holder in place["holders"]]
            show_rows(
                rows, ("realm", "range", "state", "owner", "pool", "project", "zone", "tier", "until"), "csv"
            )
            return DONE
        if options.output != "table":
            show_rows(found, (), options.output)
            return DONE
        known = [place for place in found if place["pools"] or place["keep_outs"]]
        for place in known:
            _show_place(place)
        if not known:
            print(f"{options.what} is in no pool and under no keep-out of any realm")
        return DONE
    name = f"{options.realm}:{options.what}" if options.realm else options.what
    from lentra.client.errors import UnknownName

    try:
        _show_subnet(client, name, options.output)
    except UnknownName as unknown:
        try:
            _show_pool(client, name, options.output)
        except UnknownName as no_pool:
            if _show_else(client, options):
                return DONE
            near = [*unknown.suggestions[:3], *no_pool.suggestions[:3]]
            no_pool.args = (f"neither a subnet nor a pool is called {options.what!r}",)
            no_pool.suggestions = near
            raise no_pool from None
    return DONE


def _show_then(options: argparse.Namespace) -> int:
    """Who had an address on an earlier day."""
    if not is_range(options.what):
        raise WrongUse(
            f"--on is for an address or a range, {options.what} is neither: lentra history {options.what}"
        )
    options.limit, options.usual_limit = None, None
    return show_tenures(options, options.what, on=options.on, **given(options, "realm"))


def _show_else(client: Client, options: argparse.Namespace) -> bool:
    """A project with all it holds; or whatever else is called so, or has it as its hardware address."""
    from lentra.client.errors import UnknownName

    try:
        project = client.projects.get(options.what)
    except UnknownName:
        found = client.search(options.what)["records"]
        if options.realm:
            found = [record for record in found if record["realm"] and record["realm"]["name"] == options.realm]
        if found:
            show_rows(found, ("kind", "name", "realm", "about", "why", "id"), options.output)
        return bool(found)
    if options.output == "table":
        show_record(project, "table", ("version",))
    options.limit, options.usual_limit = None, 20
    show_holdings(client, str(project["id"]), options)
    return True


def _show_place(place: dict[str, Any]) -> None:
    chain = " > ".join([place["realm"]["name"], *(pool["name"] for pool in place["pools"])])
    print(styled(f"{place['range']} in {chain}", "bold"))
    columns = ("range", "state", "owner", "project", "zone", "tier", "until")
    if place["holders"]:
        show_rows(place["holders"], columns, "table")
    for keep_out in place["keep_outs"]:
        print(f"kept out: {keep_out['range']} ({keep_out['kind']}): {keep_out['reason']}")
    if place["records"]:
        records = [
            {**record, "public": [one["address"] for one in record["public"]]} for record in place["records"]
        ]
        show_rows(records, ("address", "name", "kind", "mac", "subnet", "public", "purpose"), "table")
    _show_around(place)
    print()


def _show_around(place: dict[str, Any]) -> None:
    for side in _SHOWN_AROUND:
        if near := place[side]:
            owner = f", {near['owner']}" if near.get("owner") else ""
            print(styled(f"{side:6} {near['range']} {near['state']}{owner}", "dim"))


def _show_subnet(client: Client, name: str, form: str) -> None:
    subnet = client.subnets.get(name)
    if form != "table":
        show_record(subnet, form)
        return
    print(styled(f"{subnet['realm']['name']} > {subnet['pool']['name']} > {subnet['name']}", "bold"))
    blocks = [{**block, "usable": usable(block)} for block in subnet["blocks"]]
    show_rows(blocks, ("prefix", "first", "last", "usable"), "table")
    hidden = ("name", "realm", "pool", "blocks", "version", "growth", "plan_slot")
    unset = [name for name, value in subnet.items() if value in (0, "none", [])]
    show_record({**subnet, **_seen_in_words(subnet)}, "table", (*hidden, *unset, "seen"))
    for place in client.subnets.neighbours(subnet["id"]):
        _show_around(place)


def _seen_in_words(subnet: dict[str, Any]) -> dict[str, Any]:
    """The exposure declared beside the one seen, and when it was seen last."""
    seen = subnet["seen"]
    own = "its own" if subnet["exposure"] else "by its tier"
    told = [f"{seen['declared']}, {own}"]
    for one in seen["effective"]:
        differs = f" ({one['differs']})" if one["differs"] else ""
        told.append(f"IPv{one['family']} as seen: {one['reach']}{differs}, {one['proof']}")
    return {"exposure": "; ".join(told), "last seen": seen["last_seen_at"] or "never"}


def show_holdings(client: Client, ref: str, options: argparse.Namespace) -> None:
    """All that a project holds: in a table, counts first."""
    if options.output == "table":
        print(_totals_in_words(client.projects.totals(ref)))
    columns = ("kind", "name", "realm", "ranges", "state", "place", "tier", "about")
    show_list(options, partial(client.projects.holdings, ref), {}, columns)


def _totals_in_words(totals: dict[str, Any]) -> str:
    counts = [f"{grouped(n)} {state}" for state, n in totals["subnets"].items()]
    lines = [f"subnets: {', '.join(counts) or 'none'}"]
    for block in totals["blocks"]:
        many = f", {grouped(block['addresses'])} addresses" if block["family"] == 4 else ""
        lines.append(f"  {block['realm']['name']}: {grouped(block['count'])} × /{block['length']}{many}")
    public = totals["public"]
    lines.append(f"public addresses: {public['held']} held, {public['idle']} idle")
    for quota in totals["quotas"]:
        lines.append(f"quota of {quota['name']}:")
        lines += [f"  {_limit_in_words(row)}" for row in quota["use"]]
    return "\n".join(lines)


def _limit_in_words(row: dict[str, Any]) -> str:
    """One limit of a quota: what is used of it, and when it will be reached."""
    if not row["left"]:
        ahead = "nothing left"
    else:
        ahead = f"reached about {row['reached_on']}" if row["reached_on"] else f"no day told: {row['no_forecast']}"
    return f"{row['words']}: {grouped(row['used'])} of {grouped(row['limit'])}, {ahead}"


def _show_pool(client: Client, name: str, form: str) -> None:
    pool = client.pools.get(name)
    usage = client.pools.usage(pool["id"])
    if form != "table":
        show_record({**pool, "usage": usage}, form)
        return
    above = [pool["realm"]["name"], *([pool["parent"]["name"]] if pool["parent"] else [])]
    print(styled(" > ".join([*above, pool["name"]]), "bold"))
    show_record(pool, "table", ("name", "realm", "parent", "id", "version"))
    _show_usage(usage)


def _show_usage(usage: dict[str, Any]) -> None:
    for own in usage["own"]:
        print()
        unit = "addresses" if own["family"] == 4 else f"in {own['unit']}"
        used = bar(own["used_percent"], usage["warning_percent"], usage["critical_percent"])
        print(f"{styled('IPv' + str(own['family']), 'bold')} {used}, largest free {own['largest_free'] or '-'}")
        states = [
            {"state": state, unit: grouped(amount), "percent": f"{own['percent'][state]:.3f} %"}
            for state, amount in own["units"].items()
            if int(own["addresses"][state])
        ]
        show_rows(states, ("state", unit, "percent"), "table")
        fits = [f"{grouped(f['count'])} × /{f['length']}" for f in own["still_fits"] if int(f["count"])]
        print(f"still fits: {', '.join(fits) or 'nothing'}")
        density = (
            f", HD ratio {own['hd_ratio']} (threshold {own['hd_threshold']})"
            if own["hd_ratio"] is not None
            else ""
        )
        print(f"fragmentation {own['fragmentation_percent']} %{density}")


def _list(options: argparse.Namespace) -> int:
    show_list(options, client_for(options).subnets.list, given(options, *_FILTERS), SUBNET_COLUMNS)
    return DONE


def _today(options: argparse.Namespace) -> int:
    told = client_for(options).today()
    if options.output != "table":
        lines = [{"list": section["name"], **line} for section in told["sections"] for line in section["lines"]]
        show_rows(lines, ("list", "text", "note", "kind", "id"), options.output)
        return DONE
    if told["registry_is_empty"]:
        print("The registry is empty: lentra begin leads to a first layout.\n")
    for section in told["sections"]:
        more = section["total"] - len(section["lines"])
        print(styled(section["title"], "bold"))
        for line in section["lines"]:
            print(f"  {line['text']}" + (styled(f"  {line['note']}", "dim") if line["note"] else ""))
        if not section["lines"]:
            print(styled(f"  {section['empty']}", "dim"))
        if more > 0:
            print(styled(f"  and {more:,} more", "dim"))
    return DONE


def _usage(options: argparse.Namespace) -> int:
    client = client_for(options)
    if options.pool:
        usage = client.pools.usage(options.pool)
        if options.output != "table":
            show_record(usage, options.output)
        else:
            print(styled(usage["pool"]["name"], "bold"))
            _show_usage(usage)
        return DONE
    of = given(options, "realm", "region", "zone", "project")
    if options.together:
        whole = client.usage_together(**of)
        if options.output != "table":
            show_rows(whole, ("family", "total", "used_percent", "largest_free", "addresses"), options.output)
        else:
            print(styled(", ".join(str(name) for names in of.values() for name in names) or "all pools", "bold"))
            _show_usage({"own": whole, "warning_percent": 75, "critical_percent": 90})
        return DONE
    found = list(client.usage(**of, **given(options, "parent", "top", "text", "exposure", "origin")))
    if options.output in WHOLE:
        show_rows(found, (), options.output)
        return DONE
    rows = [
        {
            "pool": row["pool"],
            "realm": row["realm"],
            "family": f"IPv{own['family']}",
            "used": bar(own["used_percent"], row["warning_percent"], row["critical_percent"])
            if options.output == "table"
            else own["used_percent"],
            "free": own["addresses"]["free"] if SHAPE.plain else _free(own),
            "largest_free": own["largest_free"],
        }
        for row in found
        for own in row["own"]
    ]
    show_rows(rows, ("pool", "realm", "family", "used", "free", "largest_free"), options.output)
    return DONE


def _ledger(options: argparse.Namespace) -> int:
    if options.follow:
        if options.order or options.limit:
            raise WrongUse(
                "what is followed has no order but that of the commits, and no end: leave --order and --limit"
            )
        return follow_ledger(options, given(options, *_LEDGER_HELP), told_entry)
    if options.after is not None:
        raise WrongUse("--after says where to begin with --follow")
    columns = ("number", "at", "who", "verb", "kind", "name", "what", "why")
    filters = given(options, *_LEDGER_HELP, "order")
    show_list(options, client_for(options).ledger, filters, columns, told_entry)
    return DONE


def _free(own: dict[str, Any]) -> str:
    return grouped(own["units"]["free"]) + ("" if own["family"] == 4 else f" × {own['unit']}")


def told_entry(entry: dict[str, Any]) -> dict[str, Any]:
    """A ledger entry with who did it and what, in words."""
    return entry | {"who": entry["actor_name"], "what": _what(entry)}


def _what(entry: dict[str, Any]) -> str:
    before, after = entry["before"] or {}, entry["after"] or {}
    if before and after:
        return ", ".join(f"{f}: {cell(before.get(f))} → {cell(after[f])}" for f in after)
    facts = after or before
    return cell(facts.get("blocks") or facts.get("ranges") or facts.get("range"))


def _verify(options: argparse.Namespace) -> int:
    if options.mend:
        return _mend(options)
    found = client_for(options).verify()
    if options.output != "table":
        show_record(found, options.output)
    else:
        checked = ", ".join(
            f"{grouped(count)} {what.replace('_', ' ')}" for what, count in found["checked"].items()
        )
        print(f"Checked {checked}.")
        if found["clean"]:
            print(styled("All that must hold, holds.", "good"))
        else:
            show_rows(found["offences"], ("rule", "what", "where"), "table")
    return DONE if found["clean"] else REFUSED


def _mend(options: argparse.Namespace) -> int:
    client = client_for(options)

    def describe(result: dict[str, list[str]]) -> str:
        mended = result["mended"]
        if not mended:
            return "mend nothing: all counts are right"
        return "mend:\n  " + "\n  ".join(mended)

    confirmed_change(options, lambda preview: client.mend(preview=preview, why=options.why), describe)
    return DONE
