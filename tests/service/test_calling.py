"""The client's calls: when they are tried again, how long they wait, what they are told; for both clients."""

from __future__ import annotations

import asyncio

import httpx
import pytest

from lentra.client import Client, NotReachable, Problem
from lentra.client.aio import AsyncClient
from lentra.client.calling import Call, Tries, next_cursor, of_change
from lentra.client.errors import Busy, Conflict, Denied, NameTaken, TooManyTries
from tests.conftest import apart

URL = "http://lentra.example"
BUSY = {"status": 503, "code": "busy", "title": "Busy", "detail": "try again"}


class Service:
    """Answers in turn what it is given; the last for ever."""

    def __init__(self, *answers):
        self.answers, self.seen = list(answers), []

    def __call__(self, request):
        self.seen.append(request)
        answer = self.answers.pop(0) if len(self.answers) > 1 else self.answers[0]
        if isinstance(answer, Exception):
            raise answer
        status, body, *headers = answer
        return httpx.Response(status, json=body, headers=headers[0] if headers else {})


@pytest.fixture
def waits(monkeypatch):
    """The seconds that were waited, which are not waited here."""
    told = []

    async def asleep(seconds):
        told.append(seconds)

    monkeypatch.setattr("lentra.client.client.time.sleep", told.append)
    monkeypatch.setattr("lentra.client.aio.asyncio.sleep", asleep)
    return told


def ask(service, kind, call, **settings):
    """Make a call by the client, or by the one for asyncio."""
    transport = httpx.MockTransport(service)
    if kind == "plain":
        return call(Client(URL, "t", transport=transport, **settings))

    async def run():
        async with AsyncClient(URL, "t", transport=transport, **settings) as client:
            return await call(client)

    return apart(lambda: asyncio.run(run()))


BOTH = pytest.mark.parametrize("kind", ["plain", "asyncio"])


@BOTH
def test_a_service_that_is_busy_is_asked_again_when_it_says(waits, kind):
    service = Service((503, BUSY, {"Retry-After": "4"}), (503, BUSY), (200, {"name": "nc-1"}))
    assert ask(service, kind, lambda client: client.calls.show_zone("nc-1")) == {"name": "nc-1"}
    assert [request.url.path for request in service.seen] == ["/api/v1/zones/nc-1"] * 3
    assert 0.8 <= waits[0] <= 4
    assert service.seen[0].headers["Authorization"] == "Bearer t"


@BOTH
def test_what_is_refused_is_not_asked_again_and_says_all(waits, kind):
    document = {
        "status": 409,
        "code": "name-taken",
        "title": "Name taken",
        "detail": "taken",
        "suggestions": ["quay-2"],
    }
    service = Service((409, document, {"X-Request-ID": "r-7"}))
    with pytest.raises(NameTaken) as refused:
        ask(service, kind, lambda client: client.calls.edit_subnet(7, {"name": "quay-1"}, version=3))
    assert (refused.value.request_id, refused.value.suggestions) == ("r-7", ["quay-2"])
    assert service.seen[0].headers["If-Match"] == '"3"'
    assert len(service.seen) == 1
    assert not waits


@BOTH
def test_an_edit_whose_answer_is_lost_is_not_sent_twice_and_a_post_is_with_its_key(waits, kind):
    lost = httpx.ConnectError("[Errno 111] Connection refused")
    with pytest.raises(NotReachable, match="connection refused"):
        ask(service := Service(lost), kind, lambda client: client.calls.edit_zone("nc-1", {"about": "x"}))
    assert len(service.seen) == 1  # it may have been done
    service = Service(
        httpx.ReadTimeout(""), (201, {"preview": False, "result": 1, "notes": [], "changes": [], "proposal": None})
    )
    assert (
        ask(service, kind, lambda client: client.calls.add_zone({"name": "nc-9", "region": "north-coast"})).result
        == 1
    )
    assert len({request.headers["Idempotency-Key"] for request in service.seen}) == 1
    assert len(service.seen) == 2


@BOTH
def test_a_service_that_never_answers_is_not_reachable_after_so_many_tries(waits, kind):
    service = Service(httpx.ReadTimeout(""))
    with pytest.raises(NotReachable, match="no answer in time"):
        ask(service, kind, lambda client: client.calls.list_pools(), retries=3)
    assert len(service.seen) == 4
    assert len(waits) == 3


class Cut(httpx.SyncByteStream):
    """The beginning of an answer, whose connection is lost."""

    def __init__(self, *parts):
        self.parts = parts

    def __iter__(self):
        yield from self.parts
        raise httpx.RemoteProtocolError("peer closed connection without sending complete message body")


@pytest.mark.parametrize("failure", [httpx.ReadTimeout(""), httpx.RemoteProtocolError("cut"), (503, BUSY)])
def test_lines_are_asked_for_again_until_the_first_is_there(waits, failure):
    service = Service(failure, failure, (200, {"prefix": "10.40.0.0/24"}))
    with Client(URL, "t", transport=httpx.MockTransport(service)) as client:
        assert list(client.lines("ranges/lines", {"family": 4})) == [{"prefix": "10.40.0.0/24"}]
    assert [request.url.params["family"] for request in service.seen] == ["4"] * 3
    assert len(waits) == 2


def test_lines_that_never_come_or_not_to_the_end_are_no_lines(waits):
    with pytest.raises(NotReachable, match="does not answer: no answer in time"):
        list(Client(URL, transport=httpx.MockTransport(Service(httpx.ReadTimeout("")))).lines("ranges/lines", {}))
    assert len(waits) == 5
    told, asked = [], []

    def cut(request):
        asked.append(request)
        return httpx.Response(200, stream=Cut(b'{"prefix": "10.40.0.0/24"}\n', b'{"prefix": "10.4'))

    lines = Client(URL, transport=httpx.MockTransport(cut)).lines("ranges/lines", {})
    told.append(next(lines)["prefix"])
    with pytest.raises(NotReachable, match="did not answer to the end"):
        next(lines)
    assert told == ["10.40.0.0/24"]  # and not again from the beginning
    assert len(asked) == 1


@BOTH
def test_pages_are_read_to_the_end_and_cursors_are_followed_here(waits, kind):
    first = {
        "next": "https://elsewhere.example/api/v1/zones?cursor=c%2B2&limit=1",
        "previous": None,
        "results": [{"name": "nc-1"}],
    }
    last = {"next": None, "previous": "x", "results": [{"name": "nc-2"}]}
    service = Service((200, first), (200, last))

    def names(client):
        rows = client.calls.every(client.calls.list_zones, region=["north-coast", "mainland"], limit=1)
        if kind == "plain":
            return [zone["name"] for zone in rows]

        async def run():
            return [zone["name"] async for zone in rows]

        return run()

    assert ask(service, kind, names) == ["nc-1", "nc-2"]
    asked = [dict(request.url.params.multi_items()) for request in service.seen]
    assert [request.url.host for request in service.seen] == ["lentra.example"] * 2
    assert service.seen[0].url.params.get_list("region") == ["north-coast", "mainland"]
    assert (asked[0].get("cursor"), asked[1]["cursor"]) == (None, "c+2")


@pytest.mark.parametrize(
    ("status", "code", "kind"),
    [
        (401, "not-signed-in", Denied),
        (409, "conflict", Conflict),
        (429, "too-many-tries", TooManyTries),
        (503, "busy", Busy),
    ],
)
def test_each_code_is_a_kind_of_its_own(waits, status, code, kind):
    service = Service((status, {"status": status, "code": code, "title": "x", "detail": "y"}))
    with pytest.raises(kind) as refused:
        Client(URL, transport=httpx.MockTransport(service), retries=0).me()
    assert refused.value.problem_code == code


def test_an_answer_that_is_no_problem_document_is_told_by_its_status(waits):
    service = Service((502, "<html>"))
    with pytest.raises(Problem, match="answered 502 without saying why"):
        Client(URL, transport=httpx.MockTransport(service), retries=1).me()
    assert len(service.seen) == 2


def test_what_a_change_sends():
    plain = of_change("POST", {"name": "x"}, True, "", "token", None, None)
    assert plain == {"query": {"preview": "true", "why": None}, "body": {"name": "x"}, "headers": {}}
    done = of_change("POST", {"name": "x"}, False, "moved", "token", "k", 4)
    assert done["body"] == {"name": "x", "proposal": "token"}
    assert done["headers"] == {"Idempotency-Key": "k", "If-Match": '"4"'}
    assert "Idempotency-Key" not in of_change("PATCH", None, False, "", None, None, None)["headers"]


def test_what_may_be_sent_again():
    again = [
        Call("GET", "zones").may_be_repeated(),
        Call("POST", "size/several", safe=True).may_be_repeated(),
        Call("POST", "zones", headers={"Idempotency-Key": "k"}).may_be_repeated(),
        Call("PATCH", "zones/nc-1", query={"preview": "true"}).may_be_repeated(),
    ]
    assert again == [True] * 4
    assert not Call("PATCH", "zones/nc-1").may_be_repeated()
    assert not Call("DELETE", "zones/nc-1").may_be_repeated()
    tries = Tries(Call("GET", "zones"), URL, 9)
    longer = [tries.lost(OSError("x")) for _ in range(9)]
    assert max(longer) <= 5
    assert longer[0] < longer[-1]
    assert next_cursor({"next": None}) is None


def test_a_certificate_authority_is_read_from_its_file(tmp_path):
    with pytest.raises(OSError, match=r"No such file|cannot|SSL"):
        Client("https://lentra.example", verify=str(tmp_path / "none.pem"))
    with Client("https://lentra.example", verify=False) as client:
        assert not client.http.is_closed
    assert client.http.is_closed
