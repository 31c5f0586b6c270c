"""Tables that are brought in: preview, commit, watch, stop, take back, what was left."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, agreed, client_for
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, as_option, bar, cell, grouped, show_list, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Client

TABLES = (
    *("subnets", "address records", "keep-outs", "reservations", "pools"),
    *("projects", "regions", "zones", "tiers"),
)
OUTCOMES = ("new", "pool", "same", "differs", "refused")
_EXAMPLE = "example: lentra intake preview demo/tables/quays.csv --mapping demo/tables/quays.yaml"
_SHOWN = 15  # refused rows of a preview


def add_commands(commands: Any) -> None:
    """Add ``intake`` with its verbs."""
    parser = commands.add_parser("intake", help="bring tables in: spreadsheets, CSV, JSON lines", epilog=_EXAMPLE)
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")

    command = verbs.add_parser(
        "preview", help="what every row of a table would become; changes nothing", epilog=_EXAMPLE
    )
    _add_file(command)
    command.set_defaults(run=_preview)

    command = verbs.add_parser(
        "commit",
        help="bring a table in: all of it, or nothing",
        epilog="example: lentra intake commit demo/tables/quays.csv --mapping demo/tables/quays.yaml --preview",
    )
    _add_file(command)
    command.add_argument("--good-rows", action="store_true", help="leave out the rows that are refused")
    command.add_argument("--left", metavar="FILE", help="write the rows that were left out here, with why")
    add_change_options(command)
    command.set_defaults(run=_commit)

    command = verbs.add_parser("list", help="list intakes", epilog="example: lentra intake list")
    command.add_argument(
        "--state",
        action=Several,
        choices=["open", "committed", "taken back", "dropped"],
        help="in one of these states",
    )
    command.add_argument("--table", action=Several, choices=TABLES, help="of this kind of records")
    add_limit(command)
    command.set_defaults(run=_list)

    for name, words, run in (
        ("show", "an intake: its columns, counts and usage", _show),
        ("watch", "how far the service is with it, until it is done", _watch),
        ("stop", "stop what is being done with it", _stop),
        ("drop", "let an open one go", _drop),
    ):
        command = verbs.add_parser(name, help=words, epilog="example: lentra intake list")
        command.add_argument("number", type=int, help="its number")
        command.set_defaults(run=run)

    command = verbs.add_parser("rows", help="what becomes of each row", epilog="example: lentra intake list")
    command.add_argument("number", type=int, help="its number")
    command.add_argument("--outcome", action=Several, choices=OUTCOMES, help="of these outcomes")
    add_limit(command)
    command.set_defaults(run=_rows)

    command = verbs.add_parser(
        "left", help="the rows that were refused, as a table with why", epilog="example: lentra intake list"
    )
    command.add_argument("number", type=int, help="its number")
    command.add_argument("--to", metavar="FILE", default="-", help="ends in .csv, .xlsx or .jsonl; - for CSV here")
    command.set_defaults(run=_left)

    command = verbs.add_parser(
        "take-back", help="take all back that an intake made", epilog="example: lentra intake list"
    )
    command.add_argument("number", type=int, help="its number")
    add_change_options(command)
    command.set_defaults(run=_take_back)


def _add_file(command: argparse.ArgumentParser) -> None:
    """The file, and what its columns mean."""
    command.add_argument(
        "file", help="the table: .csv, .xlsx or .jsonl; the number of an intake that was uploaded"
    )
    command.add_argument("--table", choices=TABLES, default="subnets", help="the kind of records in it (subnets)")
    command.add_argument("--sheet-name", dest="sheet", metavar="NAME", help="the workbook's sheet (its first one)")
    command.add_argument("--encoding", help="of a text file (found out)")
    command.add_argument(
        "--column", action="append", default=[], metavar="FIELD=HEADING", help="what a column means"
    )
    command.add_argument(
        "--set", action="append", default=[], metavar="FIELD=VALUE", help="for rows that say none"
    )
    command.add_argument(
        "--value", action="append", default=[], metavar="FIELD:WAS=MEANT", help="what stands for what in a column"
    )
    command.add_argument(
        "--as-label", action="append", default=[], metavar="HEADING", help="a column that becomes a label"
    )
    command.add_argument("--realm", help="of rows that name none")
    command.add_argument("--pool", help="of rows that name none (the innermost around each)")
    command.add_argument("--outer", choices=["pools"], help="a row that contains others becomes a pool")
    command.add_argument("--make-missing", action="store_true", help="make regions, zones, tiers and projects")
    command.add_argument("--update", action="store_true", help="take over facts that differ")
    command.add_argument("--mapping", metavar="FILE", help="a file with all of that, written by --save-mapping")
    command.add_argument("--save-mapping", metavar="FILE", help="keep all of that in a file")


def options_of(options: argparse.Namespace) -> dict[str, Any]:
    """What the columns mean, as the API takes it: the mapping file, and what is said beside it."""
    said: dict[str, Any] = _mapping(options.mapping) if options.mapping else {}
    said.setdefault("columns", {}).update(_pairs("--column", options.column))
    said.setdefault("set", {}).update(_pairs("--set", options.set))
    for text in options.value:
        name, mark, words = text.partition(":")
        was, equals, meant = words.rpartition("=")
        if not mark or not equals:
            raise WrongUse(f"--value {text!r}: write it as zone:Skarvik hall A=nc-1")
        said.setdefault("values", {}).setdefault(name, {})[was] = meant
    if options.as_label:
        said["labels"] = [*said.get("labels", []), *options.as_label]
    for name in ("sheet", "encoding", "realm", "pool", "outer"):
        if getattr(options, name):
            said[name] = getattr(options, name)
    for name in ("make_missing", "update"):
        if getattr(options, name):
            said[name] = True
    return {name: value for name, value in said.items() if value}


def _pairs(option: str, texts: list[str]) -> dict[str, str]:
    found = {}
    for text in texts:
        name, mark, value = text.partition("=")
        if not mark:
            raise WrongUse(f"{option} {text!r}: write it as field=value")
        found[name] = value
    return found


def _mapping(path: str) -> dict[str, Any]:
    import yaml  # takes a while: only where it is asked for

    try:
        found = yaml.safe_load(Path(path).read_text())
    except OSError as why:
        raise WrongUse(f"{path} cannot be read: {why.strerror}")
    except (yaml.YAMLError, UnicodeDecodeError) as fault:
        raise WrongUse(f"{path} is no mapping: {fault}")
    if not isinstance(found, dict):
        raise WrongUse(f"{path} is no mapping: it says columns, set and values")
    return found


def _uploaded(options: argparse.Namespace) -> dict[str, Any]:
    """The intake of a file, or one that is there, once it was looked at."""
    client: Client = client_for(options)
    said = options_of(options)
    if options.save_mapping:
        import yaml

        Path(options.save_mapping).write_text(yaml.safe_dump(said, sort_keys=True, allow_unicode=True))
    if options.file.isdigit() and not Path(options.file).exists():
        number = int(options.file)
        if said:
            client.intakes.change(number, said)
    else:
        try:
            data = sys.stdin.buffer.read() if options.file == "-" else Path(options.file).read_bytes()
        except OSError as why:
            raise WrongUse(f"{options.file} cannot be read: {why.strerror}")
        name = "standard input" if options.file == "-" else Path(options.file).name
        number = client.intakes.upload(name, options.table, data, said)["id"]
    return _waited(client, number)


def _waited(client: Client, number: int) -> dict[str, Any]:
    """The intake, once nothing is being done with it; on a terminal with how far it is."""
    shown = sys.stderr.isatty()

    def told(intake: dict[str, Any]) -> None:
        if shown:
            print(f"\r\x1b[K{_progress(intake)}", end="", file=sys.stderr, flush=True)

    found = client.intakes.wait(number, told)
    if shown:
        print("\r\x1b[K", end="", file=sys.stderr)
    return found


def _progress(intake: dict[str, Any]) -> str:
    words = f"intake {intake['id']} {intake['stage']}"
    if intake["of"]:
        of = f" of {grouped(intake['total'])}" if intake["total"] else ""
        words += f": {intake['of']} {grouped(intake['done'])}{of}"
    return words


def _preview(options: argparse.Namespace) -> int:
    intake = _uploaded(options)
    return _show_look(options, intake)


def _show_look(options: argparse.Namespace, intake: dict[str, Any]) -> int:
    """Show what was found of a table; the exit code says whether all of it may come in."""
    client: Client = client_for(options)
    if options.output != "table":
        rows = list(client.intakes.rows(intake["id"]))
        if options.output in WHOLE:
            show_record({**intake, "rows": rows}, options.output)
        else:
            show_rows(
                [_flat(row) for row in rows],
                ("number", "outcome", "prefix", "name", "pool", "why"),
                options.output,
            )
        return REFUSED if intake["fault"] or intake["counts"].get("refused") else DONE
    print(styled(f"intake {intake['id']}: {intake['name']}, {intake['table']}", "bold"))
    if intake["told"]:
        print(styled(intake["told"], "dim"))
    show_rows(
        [{**column, "samples": " · ".join(column["samples"])} for column in intake["columns"]],
        ("heading", "field", "guessed", "samples"),
        "table",
    )
    _show_fault(intake)
    if not intake["counts"]:
        return REFUSED
    for outcome, style in (("differs", "warn"), ("refused", "bad")):
        count = intake["counts"].get(outcome, 0)
        if count:
            print(styled(f"{grouped(count)} {'row' if count == 1 else 'rows'} {_words(outcome)}:", style))
            first = [
                row
                for row, _ in zip(
                    client.intakes.rows(intake["id"], outcome=outcome, limit=_SHOWN), range(_SHOWN), strict=False
                )
            ]
            for row in first:
                print(f"  row {row['number']}: {_why(row)}")
            if count > len(first):
                print(
                    f"  and {grouped(count - len(first))} more: lentra intake rows {intake['id']} --outcome {outcome}"
                )
    for kind, names in intake["missing"].items():
        print(
            f"made for them: {kind} {', '.join(names[:20])}"
            + (f" and {len(names) - 20} more" if len(names) > 20 else "")
        )
    for usage in intake["usage"]:
        print(
            f"{usage['pool']} IPv{usage['family']}: {bar(usage['before_percent'])} → {bar(usage['after_percent'])}"
        )
    print(", ".join(f"{grouped(count)} {_words(outcome)}" for outcome, count in sorted(intake["counts"].items())))
    return REFUSED if intake["counts"].get("refused") or intake["fault"] else DONE


def _words(outcome: str) -> str:
    return {
        "new": "new",
        "pool": "become pools",
        "same": "there already",
        "differs": "there with other facts",
        "refused": "refused",
    }[outcome]


def _why(row: dict[str, Any]) -> str:
    told = row["told"]
    if row["outcome"] == "differs":
        return f"{told.get('name', '')}: " + ", ".join(
            f"{name} {was or 'none'} → {now or 'none'}" for name, (was, now) in told["differs"].items()
        )
    where = f"{told['field']}: " if told.get("field") else ""
    ways = [as_option(text) for text in told.get("suggestions") or []][:3]
    would = f"; would work: {', '.join(ways)}" if ways else ""
    return f"{where}{told.get('message', '')}{would}"


def _flat(row: dict[str, Any]) -> dict[str, Any]:
    told = row["told"]
    why = _why(row) if row["outcome"] in ("refused", "differs") else ""
    return {
        **row,
        **{name: told.get(name, "") for name in ("prefix", "name", "pool", "zone", "tier", "project")},
        "why": why,
    }


def _show_fault(intake: dict[str, Any]) -> None:
    if fault := intake["fault"]:
        print(f"{styled('refused:', 'bad', sys.stderr)} {fault['message']}", file=sys.stderr)
        for conflict in fault["conflicts"][:8]:
            print(f"  in the way: {cell(conflict)}", file=sys.stderr)
        if fault["suggestions"]:
            print(f"  would work: {', '.join(fault['suggestions'])}", file=sys.stderr)


def _commit(options: argparse.Namespace) -> int:
    client: Client = client_for(options)
    intake = _uploaded(options)
    refused = intake["counts"].get("refused", 0)
    possible = bool(intake["counts"]) and not intake["fault"] and (not refused or options.good_rows)
    if options.preview or not possible:
        code = _show_look(options, intake)
        return DONE if possible else code
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        _show_look(options, intake)
        if not agreed(
            "Bring it in?" if not refused else f"Bring it in without the {grouped(refused)} refused rows?"
        ):
            print(f"Nothing was changed; it stays open: lentra intake commit {intake['id']}")
            return DONE
    client.intakes.commit(intake["id"], intake["proposal"], good_rows=options.good_rows, why=options.why)
    done = _waited(client, intake["id"])
    if done["state"] != "committed":
        return _show_look(options, done)
    if options.left and refused:
        _write_left(client, done["id"], options.left)
    if options.output != "table":
        show_record(done, options.output)
        return DONE
    made = ", ".join(
        f"{grouped(count)} {_words(what) if what != 'updated' else what}" for what, count in done["made"].items()
    )
    print(styled("Done: ", "good") + f"intake {done['id']} is committed: {made or 'nothing was new'}")
    if refused:
        print(f"{grouped(refused)} rows were left out: lentra intake left {done['id']} --to left.csv")
    return DONE


def _list(options: argparse.Namespace) -> int:
    of = {name: value for name in ("state", "table") if (value := getattr(options, name))}
    columns = ("id", "name", "table", "state", "stage", "person", "created_at", "counts", "made")
    show_list(options, client_for(options).intakes.list, of, columns)
    return DONE


def _show(options: argparse.Namespace) -> int:
    _show_look(options, client_for(options).intakes.get(options.number))
    return DONE


def _watch(options: argparse.Namespace) -> int:
    intake = _waited(client_for(options), options.number)
    return _show_look(options, intake)


def _rows(options: argparse.Namespace) -> int:
    def fetch(**query: Any) -> Any:
        return client_for(options).intakes.rows(options.number, **query)

    of = {"outcome": options.outcome} if options.outcome else {}
    show_list(options, fetch, of, ("number", "outcome", "prefix", "name", "pool", "why"), _flat)
    return DONE


def _stop(options: argparse.Namespace) -> int:
    client_for(options).intakes.stop(options.number)
    print(styled("Done: ", "good") + f"intake {options.number} is stopped: nothing of it stays")
    return DONE


def _drop(options: argparse.Namespace) -> int:
    client_for(options).intakes.drop(options.number)
    print(styled("Done: ", "good") + f"intake {options.number} is dropped")
    return DONE


def _left(options: argparse.Namespace) -> int:
    _write_left(client_for(options), options.number, options.to)
    return DONE


def _write_left(client: Client, number: int, to: str) -> None:
    form = "csv" if to == "-" else to.rpartition(".")[2]
    if form not in ("csv", "xlsx", "jsonl"):
        raise WrongUse(f"{to}: it ends in none of .csv, .xlsx, .jsonl")
    data = client.intakes.left(number, form)
    if to == "-":
        sys.stdout.write(data.decode())
    else:
        Path(to).write_bytes(data)


def _take_back(options: argparse.Namespace) -> int:
    client: Client = client_for(options)
    intake = client.intakes.get(options.number)
    made = ", ".join(f"{grouped(count)} {what}" for what, count in intake["made"].items()) or "nothing"
    words = f"take back intake {intake['id']} ({intake['name']}): {made}"
    if options.preview:
        print(f"Would {words}")
        return DONE
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        print(f"This will {words}")
        if not agreed("Go ahead?"):
            print("Nothing was changed.")
            return DONE
    client.intakes.take_back(options.number, why=options.why)
    done = _waited(client, options.number)
    if done["state"] != "taken back":
        _show_fault(done)
        return REFUSED
    print(styled("Done: ", "good") + f"intake {done['id']} is taken back")
    return DONE
