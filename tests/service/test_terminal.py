"""The command line at a terminal, and as installed without the service."""

import os
import pty
import re
import select
import subprocess
import sys
import time


def at_terminal(arguments, answers, environment):
    """Run a command on a terminal of its own and type answers at its prompts; returns (exit code, screen)."""
    pid, descriptor = pty.fork()
    if pid == 0:
        command = [sys.executable, "-m", "lentra.cli.main", *arguments]
        os.execve(sys.executable, command, {**os.environ, **environment, "TERM": "xterm", "COLUMNS": "200"})
    screen, waiting, end = "", list(answers), time.monotonic() + 60
    while time.monotonic() < end:
        ready, _, _ = select.select([descriptor], [], [], 0.5)
        if ready:
            try:
                screen += os.read(descriptor, 65536).decode()
            except OSError:
                break
        if waiting and re.search(waiting[0][0], screen):
            os.write(descriptor, (waiting.pop(0)[1] + "\n").encode())
    _, status = os.waitpid(pid, 0)
    os.close(descriptor)
    return os.waitstatus_to_exitcode(status), screen


def signed_in(live, role="planner"):
    return {"LENTRA_URL": live.url, "LENTRA_TOKEN": live.token(role)}


def test_candidates_are_shown_chosen_and_confirmed_at_a_terminal(live, planner):
    ask = ["request", "--project", "freight-desk", "--zone", "nc-2", "--tier", "app", "--hosts", "60"]
    code, screen = at_terminal(ask, [(r"Which one\? ", "1"), (r"\[y/N\] ", "n")], signed_in(live))
    assert code == 0
    assert "nc-2-general" in screen
    assert "smallest gap that fits" in screen
    assert "Nothing was changed." in screen
    before = len(list(planner.subnets.list(project="freight-desk", limit=1000)))
    code, screen = at_terminal(ask, [(r"Which one\? ", "1"), (r"\[y/N\] ", "y")], signed_in(live))
    assert code == 0
    assert "Done: " in screen
    after = list(planner.subnets.list(project="freight-desk", limit=1000))
    assert len(after) == before + 1
    code, screen = at_terminal(ask, [(r"Which one\? ", "99")], signed_in(live))
    assert code == 2
    assert "none of them" in screen


def test_colour_only_at_a_terminal_and_not_where_it_is_unwanted(live):
    usage = ["usage", "quay-cameras"]
    assert "\x1b[" in at_terminal(usage, [], signed_in(live))[1]
    assert "\x1b[" not in at_terminal(usage, [], {**signed_in(live), "NO_COLOR": "1"})[1]


def test_a_reader_that_leaves_early_is_no_error(live):
    command = f"{sys.executable} -m lentra.cli.main list --limit 1000 -o csv | head -2"
    done = subprocess.run(
        ["bash", "-o", "pipefail", "-c", command],
        env={**os.environ, **signed_in(live)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert len(done.stdout.splitlines()) == 2
    assert "Traceback" not in done.stderr


def test_core_client_and_command_line_need_no_service():
    blocked = ("django", "rest_framework", "MySQLdb", "gunicorn", "whitenoise")
    code = f"import sys\nfor name in {blocked}: sys.modules[name] = None\n"
    code += "import lentra.addressing.placement, lentra.client, lentra.cli.main\n"
    code += "lentra.cli.main.main(['--version'])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.startswith("lentra "), done.stderr
