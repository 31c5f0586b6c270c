"""Every command in every format, with every option explained; places and tokens; what ends how."""

from __future__ import annotations

import csv
import io
import json
import re
import shlex
from http.server import BaseHTTPRequestHandler, HTTPServer
from threading import Thread

import pytest

from lentra.cli.main import build_parser, main
from tests.conftest import ROOT
from tests.service.test_command_line import COMMANDS, examples

MENTIONED = {  # by name alone, where a sentence is about the command
    *("address add", "cluster set-up", "confirm", "find", "replace", "show", "space --pool", "subnet grow"),
    *("request --reservation gate-pairs", "second-factor set-up"),
}
NOT_TRIED = ("sign-in", "sign-out", "password", "token revoke", "token rotate", "report", "plan schema", "undo")


@pytest.fixture
def run(live, tmp_path, monkeypatch, capsys):
    """Runs a command in this process; returns its exit code, standard output and standard error."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.setenv("LENTRA_URL", live.url)

    def call(line, role="planner"):
        monkeypatch.setenv("LENTRA_TOKEN", live.token(role))
        try:
            code = main(shlex.split(line))
        except SystemExit as stopped:
            code = stopped.code
        told = capsys.readouterr()
        return code, told.out, told.err

    return call


def _looks():
    for example in sorted(set(examples())):
        line = example.removeprefix("lentra ")
        if line.startswith(NOT_TRIED) or "--help" in line:
            continue
        if (
            line.startswith(("edit ", "release ", "request ", "subnet "))
            and "--preview" not in line
            and "list" not in line
        ):
            line += " --preview"
        yield line


@pytest.mark.parametrize("line", list(_looks()))
def test_a_command_is_data_in_every_format(run, planner, line):
    before = next(planner.ledger(limit=1))["number"]
    code, table, _ = run(line, role="admin")
    assert (code, bool(table.strip())) == (0, True), line
    assert next(planner.ledger(limit=1))["number"] == before  # an example changes nothing
    code, out, err = run(f"{line} -o json", role="admin")
    assert code == 0, err
    whole = json.loads(out)
    lines = run(f"{line} -o jsonl", role="admin")[1].splitlines()
    rows = [json.loads(text) for text in lines]
    if not line.startswith(("api", "find")):  # whose JSON is the answer as it is
        assert len(rows) == (len(whole) if isinstance(whole, list) else 1)
    table = list(csv.reader(io.StringIO(run(f"{line} -o csv", role="admin")[1])))
    assert {len(row) for row in table} == {len(table[0])}, table[:3]
    for row in table:
        for cell in row:
            assert not {"░", "█"} & set(cell)
            assert not (cell.replace(",", "").isdigit() and "," in cell and ", " not in cell), cell


@pytest.mark.parametrize(("path", "parser"), COMMANDS, ids=[" ".join(path) for path, _ in COMMANDS])
def test_every_option_is_explained_and_every_set_of_values_is_known(path, parser):
    for action in parser._actions:
        if action.__class__.__name__ == "_SubParsersAction":
            continue
        assert action.help, (path, action.dest)
        if action.nargs != 0 and action.dest in (
            "placement",
            "role",
            "exposure",
            "origin",
            "environment",
            "order",
            "state",
        ):
            allowed = action.choices or getattr(action, "allowed", ())
            assert allowed or path[-2:] == ("token", "add"), (path, action.dest)


def _written():
    """Every command in the documents, as it is written there."""
    for page in ("README.md", "docs/guide.md", "docs/commands.md", "docs/operations.md"):
        text = (ROOT / page).read_text()
        lines = [line.strip().removeprefix("$ ") for line in text.splitlines() if line.startswith("    ")]
        for line in [*lines, *re.findall(r"`(lentra [^`]+)`", text)]:
            if line.startswith("lentra ") and not re.search(r"[…|$]|\b[A-Z]{4,}\b|> ", line):
                yield line.partition("  #")[0].partition(" #")[0].removeprefix("lentra ").strip()


@pytest.mark.parametrize("line", sorted(set(_written()) - MENTIONED))
def test_a_command_in_the_documents_does_what_it_says(run, line, tmp_path):
    options = build_parser().parse_args(shlex.split(line))  # would end the test
    if line.startswith(("sign-", "password", "who --at", "person add", "check --realm fleet --file", "report")):
        return  # asks for a secret, or is about a file of one's own
    if getattr(options, "follow", False):
        return  # goes on until it is stopped
    if (to := getattr(options, "to", "-")) != "-":
        line = line.replace(f"--to {to}", f"--to {tmp_path / to}")  # the tree is left as it is
    changes = hasattr(options, "preview") and not options.preview
    code, out, err = run(f"{line} --preview" if changes else line, role="admin")
    assert code in (0, 1, 4), err  # some are there to show a refusal
    assert out or err


def test_options_count_wherever_they_stand(run):
    assert run("-o json zone list")[1] == run("zone -o json list")[1] == run("zone list -o json")[1]
    assert run("plan --url http://127.0.0.1:1 list")[0] == 2  # no token is of that service
    assert run("zone list -q --sort=-name")[1].splitlines() == sorted(
        run("zone list -q")[1].splitlines(), reverse=True
    )
    assert "there is no column 'relam'" in run("zone list --columns name,relam")[2]
    assert run("zone list --sort relam")[0] == 2
    assert run("list --text no-such-text -q")[1] == ""
    assert run("zone list -o csv --columns name,region.name")[1].splitlines()[0] == "name,region.name"


def test_lists_are_whole_for_programs_and_say_what_they_leave_out(run, planner):
    everything = len(list(planner.subnets.list(limit=1000)))
    assert len(json.loads(run("list -o json")[1])) == everything
    code, out, err = run("list --limit 3")
    assert (code, len(out.splitlines()), err) == (0, 4, "3 of more: --limit\n")
    assert run("list --limit -1")[0] == 2
    both = json.loads(run("list --zone nc-1,ml-2 -o json")[1])
    assert {row["zone"]["name"] for row in both} == {"nc-1", "ml-2"}
    assert json.loads(run("list --length /26 -o json")[1]) == json.loads(run("list --length 26 -o json")[1])
    assert run("list --state lost")[0] == 2


def test_a_change_tells_all_of_its_answer_and_what_it_sets(run, fresh_pool, planner):
    pool = fresh_pool("10.40.64.0/24")
    ask = f"request --project ticketing --tier app --zone ml-1 --length /27 --pool {pool}"
    code, out, err = run(f"{ask} --preview -o json")
    seen = json.loads(out)
    assert (code, seen["preview"], bool(seen["proposal"])) == (0, True, True)
    assert "Would hand out" in err
    code, out, err = run(f"{ask} --yes -o json")
    done = json.loads(out)
    assert done["result"]["subnets"][0]["blocks"] == seen["result"]["subnets"][0]["blocks"]
    name = done["result"]["subnets"][0]["name"]
    code, out, _ = run(f"edit {name} --purpose 'gate readers' --preview")
    assert "purpose: - → gate readers" in out
    run(f"edit {name} --purpose 'gate readers' --label quay=7 --hosts 12 --yes")
    code, out, _ = run(f"edit {name} --no-purpose --no-labels --no-hosts --yes -o json")
    emptied = json.loads(out)["result"]
    assert (emptied["purpose"], emptied["labels"], emptied["hosts"]) == ("", {}, None)
    code, out, _ = run(f"reservation add spare --pool {pool} --length 28 --reason 'to come' --preview")
    assert "10.40.64.32/28" in out  # the range that one is about to reserve
    planner.pools.edit(pool, zone="ml-1")
    assert json.loads(run(f"pool edit {pool} --no-zone --yes -o json")[1])["result"]["zone"] is None


def test_several_changes_are_one_document_and_a_plan_tells_its_whole_answer(run, fresh_pool, planner):
    pool = fresh_pool("10.40.64.0/24")
    ask = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
    first, second = (str(planner.request(**ask).result["subnets"][0]["id"]) for _ in range(2))
    both = json.loads(run(f"release {first} {second} --preview -o json")[1])
    assert [str(answer["result"]["id"]) for answer in both] == [first, second]
    code, out, _ = run(f"release {first} no-such-subnet --yes -o json")
    assert code == 4
    assert json.loads(out)["result"]["state"] == "cooling"  # what was done before is told
    seen = json.loads(run("plan commit demo/plans/gate-readers.yaml --preview -o json")[1])
    assert (seen["preview"], bool(seen["proposal"]), seen["result"]["possible"]) == (True, True, True)


def test_how_a_command_ends_tells_why(run, tmp_path):
    assert run("show nosuch-thing")[0] == 4
    assert run("pool show nosuch")[0] == 4
    assert "did you mean" not in run("pool show zzzzzz")[2]
    assert run("zone add nc-9 --region north-coast --yes", role="viewer")[0] == 3
    assert run("release fleet:ticketing-nc-1-app-01 --yes", role="viewer")[0] == 3
    assert run("subnet grow fleet:ticketing-ml-1-app-01 --yes")[0] == 1
    assert run(f"check --realm fleet --file {tmp_path}/none")[0] == 2
    (tmp_path / "lentra").mkdir()
    (tmp_path / "lentra/sign-in.json").write_text("{")
    code, _, err = run("zone list")
    assert code == 2
    assert "sign in again" in err


def test_a_token_is_of_one_service_and_never_sent_to_another(run, live, monkeypatch, capsys):
    heard = []

    class Stranger(BaseHTTPRequestHandler):
        def do_GET(self):
            heard.append(dict(self.headers))
            self.send_error(404)

        do_POST = do_GET

        def log_message(self, *_):
            pass

    stranger = HTTPServer(("127.0.0.1", 0), Stranger)
    Thread(target=stranger.serve_forever, daemon=True).start()
    elsewhere = f"http://127.0.0.1:{stranger.server_port}"
    monkeypatch.setattr("sys.stdin", io.StringIO(live.token("viewer") + "\n"))
    assert run(f"sign-in {live.url} --token --place yard")[0] == 0
    for line in (f"who --url {elsewhere}", f"zone --url {elsewhere} list"):
        code, _, err = run(line)
        assert code == 2
        assert "never sent to another" in err
    assert heard == []
    monkeypatch.delenv("LENTRA_URL")
    monkeypatch.setattr(live, "token", lambda role: "")
    assert json.loads(run("who --at yard -o json")[1])["name"] == "vera"
    assert "'dock' is neither an address nor a place; known places: yard" in run("who --at dock")[2]
    assert json.loads(run("places -o json")[1]) == [
        {"place": "yard", "service": live.url, "usual": True, "signed_in": True}
    ]
    stranger.shutdown()


def test_signing_out_revokes_the_token(run, live, monkeypatch):
    made = live.client("viewer").tokens.add(name="for-a-moment").result["text"]
    monkeypatch.setattr("sys.stdin", io.StringIO(made + "\n"))
    assert run(f"sign-in {live.url} --token")[0] == 0
    monkeypatch.delenv("LENTRA_URL")
    monkeypatch.setattr(live, "token", lambda role: "")
    assert run("who")[0] == 0
    assert run("sign-out")[0] == 0
    assert run("who")[0] == 2
    import requests

    answer = requests.get(f"{live.url}/api/v1/session", headers={"Authorization": f"Bearer {made}"}, timeout=30)
    assert answer.status_code == 401
    monkeypatch.setattr("sys.stdin", io.StringIO(""))
    assert run(f"sign-in {live.url}")[0] == 2


def test_names_are_completed_from_the_service(run, live, monkeypatch):
    import argparse

    from lentra.cli.completing import names_of

    monkeypatch.setenv("LENTRA_TOKEN", live.token("viewer"))
    options = argparse.Namespace()
    assert "nc-1" in names_of("zones")("nc", options)
    assert "ticket-hall" in names_of("pools")("tick", options)
    monkeypatch.setattr("lentra.client.Client.call", None)
    assert "nc-1" in names_of("zones")("nc", options)  # remembered for a moment
    assert names_of("zones")("ml", options) == []
    monkeypatch.setenv("LENTRA_URL", "http://127.0.0.1:1")
    assert names_of("zones")("nc", options) == []  # of that service nothing is known


def test_help_needs_nothing_that_takes_long():
    import subprocess
    import sys

    code = "import sys; from lentra.cli.main import build_parser; build_parser(); print(*sys.modules)"
    loaded = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    ).stdout.split()
    assert not {"requests", "yaml", "argcomplete", "django"} & set(loaded)
    assert "Asking and giving back:" in build_parser().format_help()
