"""The command line as people use it: output, exit codes, confirmations, the examples in its help."""

import csv
import io
import json
import os
import shlex
import subprocess
import sys

import pytest
import yaml

from lentra.cli.main import build_parser


@pytest.fixture
def lentra(live, tmp_path):
    def run(*arguments, role="admin", given="", **environment):
        settings = {
            **os.environ,
            "LENTRA_URL": live.url,
            "LENTRA_TOKEN": live.token(role),
            "XDG_CONFIG_HOME": str(tmp_path),
            **environment,
        }
        command = [sys.executable, "-m", "lentra.cli.main", *arguments]
        return subprocess.run(command, env=settings, input=given, capture_output=True, text=True, check=False)

    return run


def all_commands(parser, path=()):
    """Every command's path and parser."""
    for action in parser._actions:
        if action.__class__.__name__ == "_SubParsersAction":
            for name, inner in action.choices.items():
                yield from all_commands(inner, (*path, name))
                yield (*path, name), inner


COMMANDS = sorted(all_commands(build_parser()), key=lambda item: item[0])


def examples():
    for _, parser in COMMANDS:
        assert parser.epilog, f"{parser.prog} has no example"
        assert "example: lentra " in parser.epilog, parser.prog
        yield parser.epilog.partition("example: ")[2].splitlines()[0]


def test_the_formats_hold_the_same_records(lentra):
    table = lentra("list", "--zone", "nc-1", "--tier", "app")
    rows = json.loads(lentra("list", "--zone", "nc-1", "--tier", "app", "-o", "json").stdout)
    assert yaml.safe_load(lentra("list", "--zone", "nc-1", "--tier", "app", "-o", "yaml").stdout) == rows
    lines = list(
        csv.DictReader(io.StringIO(lentra("list", "--zone", "nc-1", "--tier", "app", "-o", "csv").stdout))
    )
    assert [line["name"] for line in lines] == [row["name"] for row in rows]
    assert all(row["name"] in table.stdout for row in rows)
    assert "\x1b[" not in table.stdout


def test_request_show_edit_release_from_the_terminal(lentra, fresh_pool):
    pool = fresh_pool("10.40.64.0/20", cooling_days=0)
    ask = [
        "request",
        "--project",
        "ticketing",
        "--tier",
        "app",
        "--zone",
        "ml-1",
        "--hosts",
        "180",
        "--pool",
        pool,
    ]
    seen = lentra(*ask, "--preview")
    assert seen.returncode == 0
    assert "Would hand out 10.40.64.0/24 (254 usable)" in seen.stdout
    unasked = lentra(*ask)
    assert unasked.returncode == 2
    assert "--yes" in unasked.stderr
    realm = pool.partition(":")[0]
    done = lentra(*ask, "--yes", "-o", "json")
    assert done.returncode == 0
    name = f"{realm}:{realm}-ticketing-01"
    shown = lentra("show", name)
    assert "10.40.64.255" in shown.stdout
    assert lentra("edit", name, "--purpose", "gates", "--label", "quay=4", "--yes").returncode == 0
    assert json.loads(lentra("show", name, "-o", "json").stdout)["labels"] == {"quay": "4"}
    released = lentra("release", name, "--yes", "--why", "moved")
    assert "free at once" in released.stdout
    gone = lentra("show", name)
    assert gone.returncode == 4
    assert "neither a subnet nor a pool" in gone.stderr


def test_refusals_show_rule_evidence_and_what_would_work(lentra):
    done = lentra("explain", "10.40.70.0/21")
    assert done.returncode == 1
    assert "would work: 10.40.64.0/21, 10.40.72.0/21, 10.40.70.0/23" in done.stderr
    done = lentra("region", "remove", "north-coast", "--yes")
    assert done.returncode == 1
    assert "in the way: nc-1 (kind=zone)" in done.stderr


def test_exit_codes_tell_wrong_use_and_no_way_in(lentra):
    assert lentra("list", "--colour", "red").returncode == 2
    assert lentra("who", LENTRA_TOKEN="lentra_wrong").returncode == 3
    assert lentra("zone", "add", "nc-8", "--region", "north-coast", "--yes", role="viewer").returncode == 3
    nobody = lentra("who", LENTRA_URL="", LENTRA_TOKEN="")
    assert nobody.returncode == 2
    assert "lentra sign-in" in nobody.stderr
    away = lentra("who", LENTRA_URL="http://127.0.0.1:9")
    assert away.returncode == 5
    assert "does not answer" in away.stderr


def test_signing_in_keeps_a_token_that_only_the_owner_can_read(live, lentra, tmp_path):
    person = live.people["requester"]
    none = {"LENTRA_URL": "", "LENTRA_TOKEN": ""}
    done = lentra("sign-in", live.url, "--name", person["name"], given=person["password"] + "\n", **none)
    assert done.returncode == 0, done.stderr
    kept = tmp_path / "lentra" / "sign-in.json"
    assert kept.stat().st_mode & 0o777 == 0o600
    assert "rune" in lentra("who", **none).stdout
    tokens = json.loads(lentra("token", "list", "-o", "json", **none).stdout)
    mine = next(t for t in tokens if t["name"].startswith("cli-"))
    assert lentra("token", "revoke", str(mine["id"]), "--yes", **none).returncode == 0
    assert lentra("who", **none).returncode == 3


def test_every_kind_is_set_up_from_the_terminal(lentra):
    steps = [
        "realm add depot --about 'the depot' --yes",
        "region add south-sound --yes",
        "zone add ss-1 --region south-sound --yes",
        "tier add kiosk --exposure public --yes",
        "project add lost-and-found --yes",
        "rule-sheet add tight --v4 head=1,tail=1,shortest=20,longest=29,range_shortest=8,range_longest=28 --yes",
        "pool add depot-all --realm depot --sheet tight --range 10.50.0.0/16 --yes",
        "pool add-range depot-all 10.51.0.0/16 --yes",
        "pool add depot-ss --parent depot-all --length /20 --zone ss-1 --yes",
        "keep-out add --realm depot --range 10.50.255.0-10.50.255.9 --reason 'old switches' --yes",
        "person add kim --role requester --projects lost-and-found --yes",
        "zone edit ss-1 --physical hut-4 --yes",
        "pool remove depot-ss --yes",
        "pool remove depot-all --yes",
        "realm remove depot --yes",
        "rule-sheet remove tight --yes",
        "zone remove ss-1 --yes",
        "region remove south-sound --yes",
        "tier remove kiosk --yes",
        "person edit kim --no-active --yes",
    ]
    for step in steps:
        done = lentra(*shlex.split(step))
        assert done.returncode == 0, (step, done.stderr)
        assert done.stdout.startswith("Done: "), step
    assert lentra("verify").stdout.endswith("All that must hold, holds.\n")


def test_a_list_that_is_cut_says_so(lentra):
    """Parts beyond what is shown are counted all the same."""
    assert lentra("split", "10.40.64.0/20", "--length", "32").stdout.endswith(
        "4,096 × /32; the first 1,024 are shown\n"
    )
    assert lentra("split", "10.40.64.0/20", "--length", "24").stdout.endswith("16 × /24\n")
