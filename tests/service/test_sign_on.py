"""Single sign-on by the stand-in identity provider, as it should be and not; terminals that a browser lets in."""

from __future__ import annotations

import base64
import os
import re
import subprocess
import sys
import time
from urllib.parse import parse_qs, urlsplit

import pytest
import requests

from lentra.client import Client, Problem, new_challenge, sign_in, sign_in_with_code, ways_to_sign_in
from tests.conftest import ROOT, start_live

PASSWORD = "eleven ferries by night"
WRONG = {
    "signature": "not signed by the single sign-on",
    "unsigned": "not signed by the single sign-on",
    "audience": "its aud is wrong",
    "issuer": "its iss is wrong",
    "nonce": "its nonce is wrong",
    "expired": "has expired",
    "old": "is an old one",
    "future": "its iat is wrong",
    "again": "its nonce is wrong",
    "nonsense": "does not answer",
}


class SignedOn:
    """A browser, as far as a sign-on needs one."""

    def __init__(self, live):
        self.live, self.http = live, requests.Session()

    def away(self, **query):
        """Begin: the address that one is sent to."""
        return self.http.get(f"{self.live.url}/sign-on", params=query, allow_redirects=False).headers["Location"]

    def answer(self, who, **query):
        """Choose somebody there: the address that one is sent back to."""
        return requests.get(f"{self.away(**query)}&who={who}", allow_redirects=False).headers["Location"]

    def come_back(self, address):
        """Come back with an answer; follows nothing."""
        return self.http.get(address, allow_redirects=False)

    def sign_on(self, who, **query):
        return self.come_back(self.answer(who, **query))

    def me(self):
        answer = self.http.get(f"{self.live.url}/api/v1/session")
        return answer.json() if answer.ok else None


@pytest.fixture(scope="module")
def fleet(tmp_path_factory, demo_data):
    """The demo with its identity provider; `tell` has that do something."""
    folder = tmp_path_factory.mktemp("fleet")
    running = start_live(folder, demo_data)
    running.service.stop()
    running.service.environment["LENTRA_PUBLIC_URL"] = running.url
    running.service.sign_on_by(ROOT / "demo" / "sign_on_provider.py", folder / "sign-on.json")
    running.provider = running.service.environment["LENTRA_SIGN_ON_ISSUER"]
    for _ in range(600):
        try:
            requests.get(f"{running.provider}/keys")
            break
        except requests.ConnectionError:
            time.sleep(0.1)
    running.service.start()
    running.service.helpers, kept = [], running.service.helpers
    running.tell = lambda what: requests.post(f"{running.provider}/{what}").raise_for_status()
    yield running
    running.service.helpers += kept
    running.service.stop()
    running.database.stop()


@pytest.fixture
def visitor(fleet):
    return SignedOn(fleet)


def test_somebody_is_made_at_first_and_has_what_the_groups_give(fleet, visitor):
    admin = fleet.client("admin")
    assert all(person["name"] != "runar" for person in admin.people.list(text="runar"))
    back = visitor.sign_on("runar", next="/pools?family=6")
    assert (back.status_code, back.headers["Location"]) == (302, "/pools?family=6")
    me = visitor.me()
    assert (me["name"], me["full_name"], me["role"], me["email"]) == (
        "runar",
        "Runar Hol",
        "requester",
        "runar@ferry.example",
    )
    assert sorted(project["name"] for project in me["projects"]) == ["freight-desk", "ticketing"]
    freight = next(m for m in admin.group_mappings.list() if m["group"] == "freight-team")
    admin.group_mappings.remove(freight["id"])
    raised = admin.group_mappings.add(group="ticketing-team", role="planner").result
    assert SignedOn(fleet).sign_on("runar").status_code == 302  # another browser, the same person
    now = admin.people.get("runar")
    assert (now["id"], now["role"], [p["name"] for p in now["projects"]]) == (me["id"], "planner", ["ticketing"])
    assert now["sign_on"].endswith(" staff-runar")
    told = [(e["verb"], e["why"]) for e in admin.ledger(record=me["id"])]
    assert ("edit", "what the single sign-on says") in told
    admin.group_mappings.remove(raised["id"])
    admin.group_mappings.add(group="freight-team", role="requester", project="freight-desk")


def test_whoever_has_no_group_that_counts_is_told_so_and_not_made(fleet, visitor):
    refused = visitor.sign_on("odd")
    assert refused.status_code == 403
    assert "canteen" in refused.text
    assert "lentra group-mapping add" in refused.text
    assert visitor.me() is None
    admin = fleet.client("admin")
    assert not list(admin.people.list(text="odd"))
    everybody = admin.group_mappings.add(group="*", role="viewer").result
    assert visitor.sign_on("odd").status_code == 302
    assert visitor.me()["role"] == "viewer"
    admin.group_mappings.remove(everybody["id"])
    with pytest.raises(Problem, match="mapped so already"):
        admin.group_mappings.add(group="harbour-office", role="viewer")


@pytest.mark.parametrize("mishap", WRONG)
def test_an_answer_that_proves_nothing_signs_nobody_in(fleet, visitor, mishap):
    SignedOn(fleet).sign_on("signe")  # there has been a first answer
    fleet.tell(f"mishap/{mishap}")
    try:
        refused = visitor.sign_on("liv")
    finally:
        fleet.tell("mishap/none")
    assert refused.status_code in (403, 503)
    assert WRONG[mishap] in refused.text
    assert visitor.me() is None
    assert visitor.sign_on("signe").status_code == 302  # the next is good again


@pytest.mark.parametrize("clock", ["slow", "fast"])
def test_clocks_may_be_a_little_apart(fleet, visitor, clock):
    fleet.tell(f"mishap/{clock}")
    try:
        assert visitor.sign_on("signe").status_code == 302
    finally:
        fleet.tell("mishap/none")


def test_a_key_that_is_new_is_asked_for(fleet, visitor):
    assert visitor.sign_on("signe").status_code == 302
    time.sleep(5.1)  # keys are asked for again after five seconds
    fleet.tell("rotate")
    assert SignedOn(fleet).sign_on("signe").status_code == 302


def test_an_answer_is_good_once_in_the_browser_that_began_it(fleet, visitor):
    address, jar = visitor.answer("signe"), visitor.http.cookies.copy()
    other = SignedOn(fleet)
    assert "no sign-on was begun in this browser" in other.come_back(address).text
    other.away()
    assert "belongs to another sign-on" in other.come_back(address).text
    assert visitor.come_back(address).status_code == 302
    visitor.http.cookies = jar  # as somebody would who has copied all of it
    again = visitor.come_back(address)
    assert again.status_code == 403
    assert "does not take its own answer back" in again.text
    refused = SignedOn(fleet).sign_on("nobody")
    assert refused.status_code == 403
    assert "nobody was chosen" in refused.text
    forged = SignedOn(fleet)
    forged.away()
    assert forged.come_back(f"{fleet.url}/sign-on/answer?code=<script>x</script>&state=y").status_code == 403


def test_one_comes_back_to_this_console_alone(fleet):
    for wrong in ("//elsewhere.example", "https://elsewhere.example/", "/\\elsewhere.example", "javascript:x"):
        assert SignedOn(fleet).sign_on("signe", next=wrong).headers["Location"] == "/"
    moved = requests.get(f"{fleet.url.replace('127.0.0.1', 'localhost')}/sign-on?next=/map", allow_redirects=False)
    assert moved.headers["Location"].startswith(f"{fleet.url}/sign-on?next=%2Fmap")  # where the answer comes


def test_signing_out_ends_the_session_over_there_as_well(fleet, visitor):
    visitor.sign_on("signe")
    headers = {
        "X-CSRFToken": visitor.http.get(f"{fleet.url}/api/v1/session").cookies["lentra_csrf"],
        "Referer": fleet.url,
    }
    out = visitor.http.delete(f"{fleet.url}/api/v1/session", headers=headers).json()
    assert visitor.me() is None
    asked = parse_qs(urlsplit(out["continue_at"]).query)
    assert asked["post_logout_redirect_uri"] == [f"{fleet.url}/"]
    assert asked["id_token_hint"][0].count(".") == 2
    assert requests.get(out["continue_at"], allow_redirects=False).headers["Location"] == f"{fleet.url}/"


def test_somebody_known_here_comes_by_sign_on_once_an_admin_says_so(fleet, visitor, tmp_path):
    admin = fleet.client("admin")
    liv = admin.people.add(name="liv", role="planner", password=PASSWORD).result
    refused = visitor.sign_on("liv")
    assert refused.status_code == 409
    assert "lentra person by-sign-on liv" in refused.text
    settings = {
        **os.environ,
        "LENTRA_URL": fleet.url,
        "LENTRA_TOKEN": fleet.token("admin"),
        "XDG_CONFIG_HOME": str(tmp_path),
    }
    command = [sys.executable, "-m", "lentra.cli.main", "person", "by-sign-on", "liv", "--yes"]
    done = subprocess.run(command, env=settings, capture_output=True, text=True, check=False)
    assert done.returncode == 0
    assert "from the next sign-on" in done.stdout + done.stderr
    assert admin.people.get("liv")["sign_on"] == "awaited, as liv"
    assert visitor.sign_on("liv").status_code == 302
    assert (visitor.me()["id"], visitor.me()["role"]) == (liv["id"], "viewer")  # as the groups say
    with pytest.raises(Problem, match="name, password or code is wrong"):
        sign_in(fleet.url, "liv", PASSWORD, "cli")
    with pytest.raises(Problem, match="last admin with a password"):
        admin.people.by_sign_on("asta")
    admin.people.edit("liv", active=False)
    assert "no longer active" in visitor.sign_on("liv").text


def test_a_browser_signs_on_by_keys_and_lets_a_terminal_in(fleet, browser, tmp_path):
    settings = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path), "BROWSER": "true"}
    settings.pop("LENTRA_URL", None)
    command = [sys.executable, "-m", "lentra.cli.main", "sign-in", fleet.url, "--browser"]
    terminal = subprocess.Popen(command, env=settings, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    terminal.stderr.readline()
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    page.set_default_timeout(30_000)
    page.goto(terminal.stderr.readline().strip())
    page.get_by_role("link", name="Sign in by Ferry staff sign-in").focus()
    page.keyboard.press("Enter")
    page.get_by_role("link", name="Signe Aas").focus()
    page.keyboard.press("Enter")
    page.get_by_text("asks to sign in as").wait_for()
    page.get_by_role("button", name="Let it in").focus()
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Signed in").wait_for()
    out, _ = terminal.communicate(timeout=30)
    assert terminal.returncode == 0
    assert "Signed in as signe (planner)" in out
    who = subprocess.run([*command[:3], "who"], env=settings, capture_output=True, text=True, check=False)
    assert "signe" in who.stdout, who.stderr

    command[-1] = "--code"  # the browser is elsewhere, and shows a code
    terminal = subprocess.Popen(
        command, env=settings, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    terminal.stderr.readline()
    page.goto(terminal.stderr.readline().strip())
    page.get_by_role("button", name="Let it in").focus()
    page.keyboard.press("Enter")
    code = page.get_by_text(re.compile("^gAAAA")).inner_text()
    out, told = terminal.communicate(f"{code}\n", timeout=30)
    assert "Signed in as signe (planner)" in out, told
    page.context.close()


def test_a_code_for_a_terminal_is_good_once_and_there_alone(fleet):
    name, (verifier, challenge) = "cli-quay-7", new_challenge()
    with pytest.raises(Problem, match="a token signs no terminal in"):
        fleet.client("planner").call("POST", "session/terminal", body={"name": name, "challenge": challenge})
    visitor = SignedOn(fleet)
    visitor.sign_on("signe")
    headers = {
        "X-CSRFToken": visitor.http.get(f"{fleet.url}/api/v1/session").cookies["lentra_csrf"],
        "Referer": fleet.url,
    }

    def ask(**body):
        return visitor.http.post(f"{fleet.url}/api/v1/session/terminal", json=body, headers=headers).json()

    assert ask(name=name, challenge="short")["field"] == "challenge"
    code = ask(name=name, challenge=challenge)["code"]
    with pytest.raises(Problem, match="another terminal's"):
        sign_in_with_code(fleet.url, code, new_challenge()[0])
    text, person = sign_in_with_code(fleet.url, code, verifier)
    assert person["name"] == "signe"
    assert Client(fleet.url, text).me()["name"] == "signe"
    with pytest.raises(Problem, match="used before"):
        sign_in_with_code(fleet.url, code, verifier)
    for made_up in ("x", base64.b64encode(b"[1]").decode()):
        with pytest.raises(Problem, match="none that was given out here"):
            sign_in_with_code(fleet.url, made_up, verifier)


@pytest.mark.parametrize("who", ["admins", "nobody"])
def test_passwords_can_be_for_admins_alone_or_for_nobody(fleet, who):
    asta, petra = fleet.people["admin"], fleet.people["planner"]
    assert ways_to_sign_in(fleet.url)["password"] == "everybody"
    fleet.service.stop()
    fleet.service.environment["LENTRA_LOCAL_SIGN_IN"] = who
    fleet.service.start()
    try:
        ways = ways_to_sign_in(fleet.url)
        assert ways == {"password": who, "sign_on": {"title": "Ferry staff sign-in", "address": "/sign-on"}}
        with pytest.raises(Problem, match="use the single sign-on"):
            sign_in(fleet.url, petra["name"], petra["password"], "cli")
        if who == "admins":
            assert sign_in(fleet.url, asta["name"], asta["password"], "cli")[1]["role"] == "admin"
        else:
            with pytest.raises(Problem, match="nobody signs in by name and password"):
                sign_in(fleet.url, asta["name"], asta["password"], "cli")
        assert SignedOn(fleet).sign_on("signe").status_code == 302
    finally:
        fleet.service.stop()
        del fleet.service.environment["LENTRA_LOCAL_SIGN_IN"]
        fleet.service.start()
