"""Sessions and second factors through HTTP, the command line and the console."""

from __future__ import annotations

import uuid

import pyotp
import pytest
import requests

from lentra.client import Client, sign_in
from lentra.client.errors import SecondFactorNeeded
from tests.service.test_command_line import lentra  # noqa: F401

PASSWORD = "eleven ferries by night"


@pytest.fixture
def kai(live):
    admin, name = live.client("admin"), f"kai-{uuid.uuid4().hex[:8]}"
    admin.people.add(name=name, role="planner", password=PASSWORD)
    return name


def test_whoever_needs_a_second_factor_sets_one_up_first_in_the_console(live, kai, browser):
    live.client("admin").people.edit(kai, needs_second_factor=True)
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    page.set_default_timeout(30_000)
    page.goto(live.url + "/sign-in?next=/tokens")
    page.get_by_label("Name").fill(kai)
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    page.get_by_text("A second factor is required of you").wait_for()
    blocked = page.evaluate("fetch('/api/v1/pools').then(answer => answer.json())")
    assert blocked["code"] == "second-factor-missing"
    page.get_by_role("button", name="Set one up").click()
    page.get_by_alt_text("The secret as a QR code").wait_for()
    totp = pyotp.TOTP(page.locator("code, span").filter(has_text=pyotp_like()).last.inner_text())
    page.get_by_label("A code that it shows").fill(totp.now())
    page.keyboard.press("Enter")
    page.get_by_text("Keep these recovery codes").wait_for()
    recovery = page.get_by_role("alert").get_by_role("listitem").first.inner_text().strip()
    assert page.evaluate("fetch('/api/v1/pools').then(answer => answer.status)") == 200

    other = browser.new_context().new_page()
    other.set_default_timeout(30_000)
    other.goto(live.url + "/sign-in")
    other.get_by_label("Name").fill(kai)
    other.get_by_label("Password").fill(PASSWORD)
    other.keyboard.press("Enter")
    other.get_by_label("Code of your authenticator").fill(recovery)
    other.keyboard.press("Enter")
    other.get_by_role("heading", name="Today").wait_for()
    for opened in (page, other):
        opened.context.close()


def pyotp_like():
    import re

    return re.compile(r"^[A-Z2-7]{32}$")


def test_sessions_are_listed_and_ended(live, kai, lentra):  # noqa: F811
    browser = requests.Session()
    browser.get(live.url + "/api/v1/session")
    answer = browser.post(
        live.url + "/api/v1/session",
        json={"name": kai, "password": PASSWORD},
        headers={
            "X-CSRFToken": browser.cookies.get("lentra_csrf", ""),
            "Referer": live.url,
            "User-Agent": "a pier",
        },
    )
    assert answer.status_code == 200
    admin = live.client("admin")
    (one,) = admin.sessions.list(person=kai)
    assert (one["agent"], one["peer"]) == ("a pier", "127.0.0.1")
    assert not [row for row in live.client("viewer").sessions.list() if row["person"]["name"] == kai]
    assert kai in lentra("session", "list", "--person", kai).stdout
    assert lentra("session", "end", str(one["id"]), "--yes").returncode == 0
    assert browser.get(live.url + "/api/v1/session").status_code == 401
    assert not list(admin.sessions.list(person=kai))


def test_the_command_line_signs_in_with_a_code_and_a_token_needs_none(live, kai, lentra, tmp_path):  # noqa: F811
    text, _ = sign_in(live.url, kai, PASSWORD, "first")
    client = Client(live.url, text)
    totp = pyotp.TOTP(client.set_up_second_factor()["secret"])
    recovery = client.confirm_second_factor(totp.now()).result["recovery"]
    with pytest.raises(SecondFactorNeeded):
        sign_in(live.url, kai, PASSWORD, "second")
    signed = lentra(
        "sign-in", live.url, "--name", kai, given=f"{PASSWORD}\n{recovery[0]}\n", LENTRA_TOKEN="", LENTRA_URL=""
    )
    assert f"Signed in as {kai}" in signed.stdout
    assert client.me()["second_factor"] is True
    assert lentra("person", "second-factor-off", kai, "--yes").returncode == 0
    assert sign_in(live.url, kai, PASSWORD, "third")[1]["second_factor"] is False
