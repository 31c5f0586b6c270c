"""Plans: preview, hold, commit, list, show, remove; written as YAML or JSON files."""

from __future__ import annotations

import argparse
import json
import sys
from typing import TYPE_CHECKING, Any

from lentra.cli.context import (
    DONE,
    REFUSED,
    WrongUse,
    add_change_options,
    agreed,
    asking_said,
    client_for,
    confirmed_change,
    read_file,
    waits_in_words,
)
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, bar, cell, grouped, show_list, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer, Client

_COLUMNS = ("slot", "change", "name", "blocks", "usable", "gateway", "tag", "room")
_EXAMPLE = "example: lentra plan preview demo/plans/gate-readers.yaml"


def add_commands(commands: Any) -> None:
    """Add ``plan`` with its verbs."""
    parser = commands.add_parser("plan", help="lay a project out over zones and tiers in one go", epilog=_EXAMPLE)
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "preview", help="every block, with notes and errors; changes nothing", epilog=_EXAMPLE
    )
    command.add_argument("file", help="the plan, YAML or JSON; - for standard input")
    command.set_defaults(run=_preview)

    command = verbs.add_parser(
        "hold",
        help="set a plan's space aside for some minutes",
        epilog="example: lentra plan hold demo/plans/gate-readers.yaml --minutes 15 --preview",
    )
    command.add_argument("file", help="the plan, YAML or JSON; - for standard input")
    command.add_argument("--minutes", type=int, default=15, help="how long (15)")
    add_change_options(command)
    command.set_defaults(run=_commit)

    command = verbs.add_parser(
        "commit",
        help="hand all of it out, or nothing",
        epilog="example: lentra plan commit demo/plans/gate-readers.yaml --preview",
    )
    command.add_argument("file", help="the plan, YAML or JSON; - for standard input")
    command.add_argument("--give-back", action="store_true", help="also give back what is no longer wanted")
    command.add_argument("--despite-use", action="store_true", help="also where something is recorded inside")
    add_change_options(command)
    command.set_defaults(run=_commit, minutes=0)

    command = verbs.add_parser(
        "expect",
        help="count on a plan: what it would hand out becomes planned needs",
        epilog="example: lentra plan expect demo/plans/gate-readers.yaml --day 2027-03-01 --preview",
    )
    command.add_argument("file", help="the plan, YAML or JSON; - for standard input")
    command.add_argument("--day", required=True, help="when it will be committed")
    add_change_options(command)
    command.set_defaults(run=_expect)

    command = verbs.add_parser("list", help="list plans", epilog="example: lentra plan list")
    for name in ("realm", "project"):
        command.add_argument(f"--{name}", action=Several, help=f"of this {name}; several with commas")
    command.add_argument("--state", action=Several, choices=["held", "committed"], help="held or committed")
    command.add_argument("--text", help="part of the name")
    add_limit(command)
    command.set_defaults(run=_list)

    command = verbs.add_parser(
        "show",
        help="a plan, and where the registry has departed from it",
        epilog="example: lentra plan show tide-halls",
    )
    command.add_argument("ref", help="name or number")
    command.add_argument("--text", action="store_true", help="its text, as it was written")
    command.set_defaults(run=_show)

    command = verbs.add_parser(
        "settle",
        help="settle a departure: take it over into the plan, or put it right",
        epilog="example: lentra plan show tide-halls",
    )
    command.add_argument("ref", help="name or number")
    command.add_argument("slot", help="the slot that has departed, such as nc-1/app/1")
    way = command.add_mutually_exclusive_group(required=True)
    way.add_argument("--take-over", action="store_true", help="the plan accepts what is there")
    way.add_argument("--put-right", action="store_true", help="what is there becomes what the plan says")
    add_change_options(command)
    command.set_defaults(run=_settle)

    command = verbs.add_parser(
        "remove",
        help="remove a plan",
        epilog="example: lentra plan remove tide-halls --give-back --despite-use --preview",
    )
    command.add_argument("ref", help="name or number")
    command.add_argument("--give-back", action="store_true", help="with all its subnets given back")
    command.add_argument("--despite-use", action="store_true", help="also where something is recorded inside")
    add_change_options(command)
    command.set_defaults(run=_remove)

    command = verbs.add_parser(
        "schema", help="the JSON Schema of the format", epilog="example: lentra plan schema"
    )
    command.set_defaults(run=_schema)


def _preview(options: argparse.Namespace) -> int:
    return _show_proposed(client_for(options).plans.preview(read_file(options.file)), options.output)


def _show_proposed(seen: Answer, form: str) -> int:
    """Show a preview; the exit code says whether the plan is possible."""
    found = seen.result
    if form in WHOLE:
        show_record(found, form)
    elif form == "csv":
        show_rows(found["blocks"], _COLUMNS, form)
    else:
        show_rows(found["blocks"], _COLUMNS, form)
        for kept in found["reserving"]:
            where = f" in {kept['zone']}" if kept["zone"] else ""
            print(f"kept back: {kept['range']} ({kept['kind']}{where})")
        print(", ".join(f"{count} {what}" for what, count in found["counts"].items() if count) or "nothing to do")
        for usage in found["usage"]:
            print(
                f"{usage['pool']['name']} IPv{usage['family']}: {bar(usage['before_percent'])} → "
                f"{bar(usage['after_percent'])}, largest free {usage['largest_free_after'] or 'none'}"
            )
        _show_findings(found)
    return DONE if found["possible"] else REFUSED


def _show_findings(found: dict[str, Any]) -> None:
    for kind, style in (("notes", "warn"), ("errors", "bad")):
        for finding in found[kind]:
            word = styled("note:" if kind == "notes" else "error:", style, sys.stderr)
            print(f"{word} {finding['where']}: {finding['text']}", file=sys.stderr)
            print(f"  then: {finding['consequence']}", file=sys.stderr)
            if finding["suggestions"]:
                print(f"  would work: {', '.join(finding['suggestions'][:5])}", file=sys.stderr)


def _commit(options: argparse.Namespace) -> int:
    client, text = client_for(options), read_file(options.file)
    more: dict[str, Any] = {"hold_minutes": options.minutes} if options.minutes else {}
    if getattr(options, "give_back", False):
        more["give_back"] = True
        more["despite_use"] = options.despite_use
    with client.telling(**asking_said(options)):
        return _committed(options, client, text, more)


def _committed(options: argparse.Namespace, client: Client, text: str, more: dict[str, Any]) -> int:
    seen = client.plans.preview(text, **more)
    if seen.waits and options.output not in WHOLE:
        print(f"Before that, it has to {waits_in_words(seen.waits)}")
    if options.preview or not seen.result["possible"]:
        if options.output in WHOLE:
            show_record(vars(seen), options.output)
            return DONE if seen.result["possible"] else REFUSED
        return _show_proposed(seen, options.output)
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        _show_proposed(seen, "table")
        if not agreed(f"Hold it for {options.minutes} minutes?" if options.minutes else "Commit it?"):
            print("Nothing was changed.")
            return DONE
    done = client.plans.commit(text, why=options.why, proposal=seen.proposal, **more)
    if options.output != "table":
        show_record(vars(done), options.output)
        return DONE
    if done.waits:
        print(styled("Asked: ", "warn") + f"it has to {waits_in_words(done.waits)}")
        return DONE
    counts = ", ".join(f"{count} {what}" for what, count in done.result["counts"].items() if count)
    name = cell(done.result["plan"])
    until = f" until {done.result['ends_at']}" if done.result["ends_at"] else ""
    print(
        styled("Done: ", "good")
        + f"plan {name} {'held' + until if until else 'committed'}: {counts or 'as it was'}"
    )
    return DONE


def _expect(options: argparse.Namespace) -> int:
    client, text = client_for(options), read_file(options.file)

    def call(preview: bool) -> Answer:
        return client.plans.expect(text, options.day, preview=preview, why=options.why)

    def told(found: dict[str, Any]) -> str:
        needs = ", ".join(f"{n['count']} × /{n['length']} of {n['pool']['name']}" for n in found["needs"])
        return f"expect on {options.day}: {needs}"

    confirmed_change(options, call, told)
    return DONE


def _list(options: argparse.Namespace) -> int:
    of = {name: value for name in ("realm", "project", "state", "text") if (value := getattr(options, name))}
    columns = ("name", "realm", "project", "state", "ends_at", "changed_at")
    show_list(options, client_for(options).plans.list, of, columns)
    return DONE


def _show(options: argparse.Namespace) -> int:
    client: Client = client_for(options)
    plan = client.plans.get(options.ref)
    if options.text:
        print(plan["source"] or json.dumps(plan["document"], indent=2, ensure_ascii=False), end="")
        return DONE
    if options.output != "table":
        show_record({**plan, "departures": client.plans.departures(plan["id"])}, options.output)
        return DONE
    print(styled(f"{plan['realm']['name']} > {plan['name']}", "bold"))
    show_record(plan, "table", ("name", "realm", "document", "source", "version"))
    show_rows(
        client.subnets.list(plan=plan["id"], limit=1000), ("plan_slot", "name", "blocks", "state", "tag"), "table"
    )
    departures = client.plans.departures(plan["id"])
    print(styled(f"{grouped(len(departures))} departures from the plan", "bold" if departures else "dim"))
    if departures:
        show_rows(departures, ("slot", "what", "subnet", "step", "accepted"), "table")
    return DONE


def _settle(options: argparse.Namespace) -> int:
    client, how = client_for(options), "take over" if options.take_over else "put right"

    def call(preview: bool) -> Answer:
        return client.plans.settle(options.ref, options.slot, how, preview=preview, why=options.why)

    confirmed_change(options, call, lambda plan: f"{how}: slot {options.slot} of plan {plan['name']}")
    return DONE


def _remove(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.plans.remove(
            options.ref,
            give_back=options.give_back,
            despite_use=options.despite_use,
            preview=preview,
            why=options.why,
        )

    more = " and give back all its subnets" if options.give_back else ""
    confirmed_change(options, call, lambda plan: f"remove plan {plan['name']}{more}")
    return DONE


def _schema(options: argparse.Namespace) -> int:
    show_record(client_for(options).plans.schema(), "yaml" if options.output == "yaml" else "json")
    return DONE
