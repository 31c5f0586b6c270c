"""The registry as a file: write, preview, commit, departures, schema."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, agreed, client_for, read_file
from lentra.cli.output import WHOLE, grouped, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer

_COLUMNS = ("where", "what", "facts")
_EXAMPLE = "example: lentra estate write --realm harbour-lab"


def add_commands(commands: Any) -> None:
    """Add ``estate`` with its verbs."""
    parser = commands.add_parser("estate", help="the registry, a realm or a project as a file", epilog=_EXAMPLE)
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "write", help="write it: set-up, pools, keep-outs, reservations, needs", epilog=_EXAMPLE
    )
    command.add_argument("--realm", help="of this realm alone")
    command.add_argument("--project", help="of this project alone")
    command.add_argument("--subnets", action="store_true", help="with the subnets that are in use")
    command.add_argument("--addresses", action="store_true", help="with the address records")
    command.add_argument("--to", metavar="FILE", default="-", help="YAML, or JSON if it ends in .json; - for here")
    command.set_defaults(run=_write)

    for name, words in (
        ("preview", "what a file would add, edit and take away; changes nothing"),
        ("departures", "where the registry differs from a file, what the file does not have included"),
    ):
        command = verbs.add_parser(name, help=words, epilog=f"example: lentra estate {name} demo/lab.yaml")
        command.add_argument("file", help="the estate, YAML or JSON; - for standard input")
        command.add_argument("--take-away", action="store_true", help="also take away what is not in the file")
        command.add_argument("--fail-on-change", action="store_true", help="exit with 1 if anything differs")
        command.set_defaults(run=_preview, why="")

    command = verbs.add_parser(
        "commit",
        help="do what a file says: all of it, or nothing",
        epilog="example: lentra estate commit demo/lab.yaml --preview",
    )
    command.add_argument("file", help="the estate, YAML or JSON; - for standard input")
    command.add_argument("--take-away", action="store_true", help="also take away what is not in the file")
    add_change_options(command)
    command.set_defaults(run=_commit)

    command = verbs.add_parser(
        "schema", help="the JSON Schema of the format", epilog="example: lentra estate schema"
    )
    command.set_defaults(run=_schema)


def _write(options: argparse.Namespace) -> int:
    of = {name: value for name in ("realm", "project") if (value := getattr(options, name))}
    flags = {name: "true" for name in ("subnets", "addresses") if getattr(options, name)}
    found = client_for(options).estate(**of, **flags)
    if options.to == "-":
        if options.output == "table":
            print(found["text"], end="")
        else:
            show_record(found["document"], options.output)
        return DONE
    text = (
        json.dumps(found["document"], indent=2, ensure_ascii=False) + "\n"
        if options.to.endswith(".json")
        else found["text"]
    )
    try:
        Path(options.to).write_text(text)
    except OSError as why:
        raise WrongUse(f"{options.to} cannot be written: {why.strerror}")
    sections = [name for name, entries in found["document"].items() if isinstance(entries, dict)]
    told = ", ".join(f"{grouped(len(found['document'][name]))} {name}" for name in sections)
    print(styled("Done: ", "good") + f"{options.to}: {told}")
    return DONE


def _preview(options: argparse.Namespace) -> int:
    text = read_file(options.file)
    plans = _plans_of(options.file, text)
    seen = client_for(options).commit_estate(text, files=plans, take_away=options.take_away, preview=True)
    show_estate(seen, options.output)
    if not seen.result["possible"]:
        return REFUSED
    departs = seen.result["changes"] or (options.verb == "departures" and seen.result["entries"])
    return REFUSED if departs and options.fail_on_change else DONE


def _plans_of(file: str, text: str) -> dict[str, str]:
    """The plans that an estate file names, read from beside it; what cannot be read of it the service says."""
    if "plans" not in text:
        return {}
    import yaml  # takes a while: only where it may be needed

    try:
        names = (yaml.safe_load(text) or {}).get("plans") or []
    except (yaml.YAMLError, AttributeError):
        return {}
    folder = Path() if file == "-" else Path(file).parent
    return {name: read_file(str(folder / name)) for name in names if isinstance(name, str) and name != "-"}


def show_estate(seen: Answer, form: str, absent: bool = True) -> None:
    """What an estate would add, edit and take away, or why not; also what is not in it, unless `absent` is False."""
    found = seen.result
    if form in WHOLE:
        show_record(found, form)
        return
    entries = [entry for entry in found["entries"] if absent or entry["what"] != "not in the file"]
    show_rows([{**entry, "facts": _facts(entry)} for entry in entries], _COLUMNS, form)
    if form == "table":
        for section, counts in found["counts"].items():
            told = {what: count for what, count in counts.items() if absent or what != "not in the file"}
            if told:
                print(f"{section}: " + ", ".join(f"{grouped(count)} {what}" for what, count in told.items()))


def _facts(entry: dict[str, Any]) -> str:
    if entry["message"]:
        would = f"; would work: {', '.join(entry['suggestions'][:3])}" if entry["suggestions"] else ""
        return f"{entry['message']}{would}"
    return ", ".join(f"{name}: {was or 'none'} → {now or 'none'}" for name, (was, now) in entry["differs"].items())


def _commit(options: argparse.Namespace) -> int:
    client, text = client_for(options), read_file(options.file)
    what = {"files": _plans_of(options.file, text), "take_away": options.take_away, "why": options.why}
    seen = client.commit_estate(text, preview=True, **what)
    possible = seen.result["possible"]
    if options.preview or not possible:
        show_estate(seen, options.output)
        return DONE if possible else REFUSED
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        show_estate(seen, "table")
        if not agreed("Commit it?"):
            print("Nothing was changed.")
            return DONE
    with client.following(seen.proposal):
        done = client.commit_estate(text, **what)
    if options.output != "table":
        show_record(vars(done), options.output)
        return DONE
    print(styled("Done: ", "good") + sums_of(done.result))
    return DONE


def sums_of(result: dict[str, Any]) -> str:
    """What an estate came to, over all of its sections."""
    sums: dict[str, int] = {}
    for counts in result["counts"].values():
        for what, count in counts.items():
            sums[what] = sums.get(what, 0) + count
    return ", ".join(f"{grouped(count)} {what}" for what, count in sums.items() if what != "same") or "as it was"


def _schema(options: argparse.Namespace) -> int:
    found = client_for(options).call("GET", "estate-schema.json").json()
    show_record(found, "json" if options.output == "table" else options.output)
    return DONE
