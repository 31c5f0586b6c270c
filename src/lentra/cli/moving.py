"""Moving to other addresses: renumber and vacate, wave by wave, with what others must change."""

from __future__ import annotations

import argparse
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, add_change_options, client_for, confirmed_change
from lentra.cli.options import Several, WrongUse, add_limit, read_bits
from lentra.cli.output import WHOLE, bar, grouped, show_list, show_notes, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer, Client

_CHECKS = ("rules changed", "names changed", "hosts moved", "old silent")
_MAP = ("of", "name", "old", "new", "wave", "kept")
_LINES = 60  # of a map that a terminal is shown
_FILES = {
    "map": ("old beside new, for every subnet and address record", ("of", "name", "old", "new", "wave", "state")),
    "rules": ("ranges to add to rules now, and to take out at the end", ("wave", "when", "action", "range")),
    "dns": ("the DNS changes of each wave", ("wave", "action", "name", "type", "data")),
    "routes": ("what is routed before, during and after", ("phase", "family", "range")),
}


def add_commands(commands: Any) -> None:
    """Add ``renumber`` with its verbs, and ``vacate``."""
    parser = commands.add_parser(
        "renumber",
        help="move many subnets to other addresses, both sides living until each has moved",
        epilog="example: lentra renumber preview --from ticket-hall --to mainland",
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "preview",
        help="old beside new for every subnet and address record; changes nothing",
        epilog="example: lentra renumber preview --from ticket-hall --to mainland",
    )
    _add_wanted(command)
    command.set_defaults(run=_preview)
    command = verbs.add_parser(
        "start",
        help="hand out the new side: all at once, or wave by wave",
        epilog="example: lentra renumber start --from ticket-hall --to mainland --waves zone --preview",
    )
    _add_wanted(command)
    add_change_options(command)
    command.set_defaults(run=_start)
    command = verbs.add_parser("list", help="list renumberings", epilog="example: lentra renumber list")
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    command.add_argument("--subnet", action=Several, help="that this subnet has part in; several with commas")
    command.add_argument(
        "--state", action=Several, choices=["moving", "finished", "turned back"], help="several with commas"
    )
    add_limit(command)
    command.set_defaults(run=_list)
    command = verbs.add_parser(
        "show",
        help="how far it is, what holds it up, when it ends",
        epilog="example: lentra renumber show quay-west",
    )
    command.add_argument("ref", help="name or number")
    command.set_defaults(run=_show)
    command = verbs.add_parser(
        "moves", help="its subnets, one by one", epilog="example: lentra renumber moves quay-west --state moving"
    )
    command.add_argument("ref", help="name or number")
    command.add_argument("--wave", action=Several, help="of this wave; several with commas")
    states = ["planned", "moving", "finished", "turned back"]
    command.add_argument("--state", action=Several, choices=states, help="in this state; several with commas")
    add_limit(command)
    command.set_defaults(run=_moves)
    _add_changes(verbs)
    for what, (words, _) in _FILES.items():
        command = verbs.add_parser(
            what, help=words, epilog=f"example: lentra renumber {what} quay-west --output csv"
        )
        command.add_argument("ref", help="name or number")
        command.set_defaults(run=_told)
    _add_vacate(commands)


def _add_changes(verbs: Any) -> None:
    words = {
        "begin": ("hand out the new side of a wave; both sides live from then on", "--wave nc-3"),
        "finish": (
            "give the old side back; the new one takes over its names and tags",
            "--wave nc-2 --despite-use",
        ),
        "turn-back": ("give up what is not finished: the old side is in use as before", "--wave nc-2"),
    }
    for verb, (text, part) in words.items():
        command = verbs.add_parser(
            verb, help=text, epilog=f"example: lentra renumber {verb} quay-west {part} --preview"
        )
        command.add_argument("ref", help="name or number of the renumbering")
        command.add_argument("--wave", help="its moves of this wave; all, if neither wave nor subnets are named")
        command.add_argument("--subnets", action=Several, help="these subnets; several with commas")
        if verb == "finish":
            command.add_argument(
                "--despite-use", action="store_true", help="although hosts have not moved, or it is still seen"
            )
        add_change_options(command)
        command.set_defaults(run=_change)
    command = verbs.add_parser(
        "moved",
        help="note which hosts have moved",
        epilog="example: lentra renumber moved quay-west --hosts siren-01 --preview",
    )
    command.add_argument("ref", help="name or number of the renumbering")
    command.add_argument("--subnets", action=Several, help="of these subnets; of all that move, if left out")
    command.add_argument("--hosts", action=Several, help="names, old or new addresses; all, if left out")
    command.add_argument("--not", dest="moved", action="store_false", help="they have not moved after all")
    add_change_options(command)
    command.set_defaults(run=_change)
    command = verbs.add_parser(
        "check",
        help="tick off a step: rules changed, names changed, hosts moved, old silent",
        epilog='example: lentra renumber check quay-west "rules changed" --preview',
    )
    command.add_argument("ref", help="name or number of the renumbering")
    command.add_argument("check", choices=_CHECKS, help="the step")
    command.add_argument("--subnets", action=Several, help="of these subnets; of all that move, if left out")
    command.add_argument("--not", dest="done", action="store_false", help="take the tick away")
    add_change_options(command)
    command.set_defaults(run=_change)


def _add_vacate(commands: Any) -> None:
    command = commands.add_parser(
        "vacate",
        help="empty a range: nothing of it is handed out any more, and what is there moves elsewhere",
        epilog="example: lentra vacate 10.42.192.0/23 --by 2031-03-31 --preview",
    )
    command.add_argument("ranges", nargs="*", metavar="RANGE", help="what is to be emptied")
    command.add_argument("--pool", help="instead of ranges: the stretch of this pool that takes the fewest moves")
    command.add_argument("--length", type=read_bits, help="with --pool: how wide a stretch, such as /22")
    command.add_argument(
        "--to", dest="target", action=Several, metavar="POOL|RANGE", help="where to; the same pool, if left out"
    )
    _add_how(command)
    add_change_options(command)
    command.set_defaults(run=_vacate)


def _add_wanted(command: argparse.ArgumentParser) -> None:
    command.add_argument(
        "--from",
        dest="source",
        action=Several,
        required=True,
        metavar="POOL|RANGE|PLAN|SUBNETS",
        help="what moves: a pool, ranges, a plan, or subnets; several ranges or subnets with commas",
    )
    command.add_argument(
        "--to",
        dest="target",
        action=Several,
        metavar="POOL|RANGE",
        help="where to: a pool, or ranges of pools; several with commas",
    )
    command.add_argument("--vacate", action="store_true", help="hand out nothing of the old ranges any more")
    for family in (4, 6):
        command.add_argument(
            f"--length-v{family}", type=read_bits, help=f"length of every new IPv{family} block; as the old ones"
        )
    _add_how(command)


def _add_how(command: argparse.ArgumentParser) -> None:
    command.add_argument("--name", help="name of the renumbering; made of where from, if left out")
    command.add_argument("--realm", help="the realm of the ranges, where several have them")
    command.add_argument(
        "--waves",
        choices=["at-once", "zone", "tier"],
        default="at-once",
        help="at-once, or held until the wave of each zone or tier begins",
    )
    command.add_argument("--by", metavar="DAY", help="to be done by this day, such as 2031-03-31")
    command.add_argument("--reason", default="", help="why everything moves")


def _wanted(options: argparse.Namespace, client: Client) -> dict[str, Any]:
    """The request for a renumbering."""
    wanted = {**_source(client, options.source), **_target(options.target or [])}
    for name in ("length_v4", "length_v6"):
        if getattr(options, name) is not None:
            wanted[name] = getattr(options, name)
    return wanted | {"vacate": options.vacate} | _how(options, options.source)


def _how(options: argparse.Namespace, source: Sequence[str]) -> dict[str, Any]:
    name = options.name or re.sub(r"[^a-z0-9]+", "-", f"from-{'-'.join(source)}".lower())[:50].strip("-")
    how = {"name": name, "waves": options.waves, "by": options.by, "reason": options.reason}
    return how | ({"realm": options.realm} if options.realm else {})


def _source(client: Client, texts: Sequence[str]) -> dict[str, Any]:
    """What `--from` means: ranges, a pool, a plan, or subnets."""
    from lentra.client.errors import UnknownName

    if all(_is_range(text) for text in texts):
        return {"from_ranges": list(texts)}
    if len(texts) == 1:
        for field, collection in (("from_pool", client.pools), ("from_plan", client.plans)):
            try:
                return {field: collection.get(texts[0])["id"]}
            except UnknownName:
                continue
    return {"from_subnets": list(texts)}


def _target(texts: Sequence[str]) -> dict[str, Any]:
    if not texts:
        return {}
    if all(_is_range(text) for text in texts):
        return {"to_ranges": list(texts)}
    if len(texts) > 1:
        raise WrongUse("say where to by one pool, or by ranges")
    return {"to_pool": texts[0]}


def _is_range(text: str) -> bool:
    """Whether a text is a prefix or a range, not a name (nor realm:name)."""
    return bool(re.fullmatch(r"[0-9a-fA-F:.]+(/\d+|-[0-9a-fA-F:.]+)?", text)) and ("." in text or ":" in text)


def _preview(options: argparse.Namespace) -> int:
    client = client_for(options)
    seen = client.renumberings.add(**_wanted(options, client), preview=True)
    _show_started(seen, options.output)
    return DONE


def _start(options: argparse.Namespace) -> int:
    client = client_for(options)
    return _started(options, _wanted(options, client))


def _vacate(options: argparse.Namespace) -> int:
    if bool(options.ranges) == bool(options.pool):
        raise WrongUse("say what to empty: ranges, or --pool with --length")
    if options.pool and options.length is None:
        raise WrongUse("--pool needs --length: how wide a stretch of it is to be emptied")
    what = (
        {"from_pool": options.pool, "clear": options.length} if options.pool else {"from_ranges": options.ranges}
    )
    wanted = {**what, **_target(options.target or []), "vacate": True}
    return _started(options, wanted | _how(options, options.ranges or [options.pool, str(options.length)]))


def _started(options: argparse.Namespace, wanted: dict[str, Any]) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        answer = client.renumberings.add(**wanted, preview=preview, why=options.why)
        if preview and options.output == "table":
            _show_map(answer.result)
        return answer

    def told(made: dict[str, Any]) -> str:
        hosts = sum(move["hosts"] for move in made["moves"])
        held = ", the new side held until each wave begins" if made["waves"] != "at-once" else ""
        return (
            f"move {len(made['moves']):,} subnets and reservations with {hosts:,} address records from {made['source']} to "
            f"{made['target']} (renumbering {made['name']}){held}"
        )

    confirmed_change(options, call, told, by_record=False)
    return DONE


def _rows(moves: Sequence[Mapping[str, Any]]) -> Iterator[dict[str, Any]]:
    """Old beside new: each range of a move, and its address records after it."""
    for move in moves:
        common = {"wave": move["wave"], "kept": move["kept"]}
        for old, new in zip(move["old"]["ranges"], move["new"]["ranges"], strict=True):
            yield {"of": move["of"], "name": move["name"], "old": old, "new": new, **common}
        for one in move["carried"]:
            yield {"of": "", "name": f"  {one['what']}", "old": one["old"], "new": one["new"], **common}
        for host in move["addresses"]:
            yield {"of": "address", "name": f"  {host['name']}", "old": host["old"], "new": host["new"], **common}


def _show_started(seen: Answer, form: str) -> None:
    if form in WHOLE:
        show_record(vars(seen), form)
    elif form == "csv":
        show_rows(_rows(seen.result["moves"]), _MAP, form)
    else:
        _show_map(seen.result)
        show_notes(seen.notes)


def _show_map(made: Mapping[str, Any]) -> None:
    """Old beside new, as far as a terminal takes it, and what it comes to."""
    rows = list(_rows(made["moves"]))
    show_rows(rows[:_LINES], _MAP, "table")
    if len(rows) > _LINES:
        print(styled(f"{len(rows) - _LINES:,} lines more: --output csv", "dim"))
    kept = sum(move["kept"] for move in made["moves"])
    hosts = sum(move["hosts"] for move in made["moves"])
    print(
        f"{len(made['moves']):,} from {made['source']} to {made['target']}: {kept:,} at the same offset, "
        f"{len(made['moves']) - kept:,} packed; {hosts:,} address records"
    )


def _list(options: argparse.Namespace) -> int:
    of = {name: value for name in ("realm", "subnet", "state") if (value := getattr(options, name))}
    columns = ("name", "realm", "state", "source", "target", "waves", "by", "created_at")
    show_list(options, client_for(options).renumberings.list, of, columns)
    return DONE


def _show(options: argparse.Namespace) -> int:
    made = client_for(options).renumberings.get(options.ref)
    if options.output in WHOLE:
        show_record(made, options.output)
        return DONE
    progress = made["progress"]
    columns = ("wave", "zone", "tier", "moves", "planned", "moving", "finished", "hosts", "moved")
    if options.output == "csv":
        show_rows(progress["rows"], columns, "csv")
        return DONE
    print(styled(f"{made['realm']['name']} > {made['name']}", "bold") + f": {made['state']}")
    print(f"from {made['source']} to {made['target']}" + (f"; {made['reason']}" if made["reason"] else ""))
    rows = [{**row, "of all": _bar_of(row)} for row in progress["rows"]]
    show_rows(rows, (*columns, "of all"), "table")
    hosts, counts = progress["hosts"], progress["counts"]
    states = ", ".join(f"{count} {state.replace('_', ' ')}" for state, count in counts.items() if count)
    seen = f", {hosts['seen']:,} of them as sources see it" if hosts["seen"] else ""
    print(f"{states}; {grouped(hosts['moved'])} of {grouped(hosts['all'])} hosts have moved{seen}")
    done = ", ".join(f"{one['check']} {one['moves']}" for one in progress["checks"] if one["moves"])
    if done:
        print(f"ticked off: {done}")
    for held in progress["held_up"][:20]:
        print(f"  {styled('held up', 'warn')} {held['move']['name']}: {held['why']}")
    if (more := progress["held_up_count"] - 20) > 0:
        print(styled(f"  {more:,} more are held up: --output json", "dim"))
    if made["state"] == "moving":
        likely = progress["likely"] or "not in sight"
        by = f", to be done by {made['by']}" if made["by"] else ""
        print(styled(f"likely end {likely}{by}", "bad" if progress["late"] else "bold"))
    return DONE


def _bar_of(row: Mapping[str, Any]) -> str:
    done, of = (row["moved"], row["hosts"]) if row["hosts"] else (row["finished"], row["moves"])
    return bar(100 * done / of if of else 100, 101, 101)


def _moves(options: argparse.Namespace) -> int:
    client = client_for(options)
    of = {name: value for name in ("wave", "state") if (value := getattr(options, name))}

    def fetch(**how: Any) -> Iterator[dict[str, Any]]:
        return client.renumberings.moves(options.ref, **how)

    columns = ("name", "wave", "state", "old", "new", "hosts", "left", "ticked")

    def shown(move: Any) -> dict[str, Any]:
        ticked = ", ".join(f"{one['check']} ({one['by']}, {one['on']})" for one in move["checks"])
        sides = {side: ", ".join(move[side]["ranges"]) for side in ("old", "new")}
        return {**move, **sides, "ticked": ticked}

    show_list(options, fetch, of, columns, shown if options.output == "table" else lambda move: move)
    return DONE


def _told(options: argparse.Namespace) -> int:
    rows = client_for(options).renumberings.told(options.ref, options.verb)
    show_rows(list(rows), _FILES[options.verb][1], options.output)
    return DONE


def _change(options: argparse.Namespace) -> int:
    all_renumberings = client_for(options).renumberings
    part = {"subnets": options.subnets or []}
    done = {
        "begin": "begin",
        "finish": "finish",
        "turn-back": "turn back",
        "moved": "note hosts as moved" if getattr(options, "moved", True) else "note hosts as not moved",
        "check": f"tick off '{getattr(options, 'check', '')}'"
        if getattr(options, "done", True)
        else f"take the tick off '{getattr(options, 'check', '')}'",
    }[options.verb]

    def call(preview: bool) -> Answer:
        how: dict[str, Any] = {**part, "preview": preview, "why": options.why}
        if options.verb == "moved":
            return all_renumberings.moved(options.ref, hosts=options.hosts or [], moved=options.moved, **how)
        if options.verb == "check":
            return all_renumberings.check(options.ref, options.check, done=options.done, **how)
        if options.verb == "finish":
            return all_renumberings.finish(options.ref, wave=options.wave, despite_use=options.despite_use, **how)
        act = all_renumberings.begin if options.verb == "begin" else all_renumberings.turn_back
        return act(options.ref, wave=options.wave, **how)

    def told(made: dict[str, Any]) -> str:
        counts, hosts = made["progress"]["counts"], made["progress"]["hosts"]
        what = ", ".join(part["subnets"]) or getattr(options, "wave", None) or "everything"
        states = ", ".join(f"{count} {state.replace('_', ' ')}" for state, count in counts.items() if count)
        return f"{done}: {what} of renumbering {made['name']}; then {states}, {hosts['moved']} of {hosts['all']} hosts moved"

    confirmed_change(options, call, told)
    return DONE
