"""RDAP: answers as RFC 9083 has them, read by clients that nobody here wrote, and no more told than may be."""

from __future__ import annotations

import json
import uuid
from pathlib import Path

import jsonschema
import pytest
import rdap
import requests
import whoisit

from tests.service.test_command_line import lentra  # noqa: F401

SCHEMA = json.loads((Path(__file__).parent / "rdap.schema.json").read_text())
VALIDATOR = jsonschema.Draft202012Validator(SCHEMA)


@pytest.fixture
def asked(live):
    """A published realm with public and private space, and how to ask about it: by role, a path, more of `requests`."""
    admin, mark = live.client("admin"), uuid.uuid4().hex[:6]
    realm = f"rdap-{mark}"
    admin.realms.add(name=realm, published=True, operator="Nordlys Ferries", operator_contact="noc@ferry.example")
    for keep_out in admin.keep_outs.list(realm=realm):
        if keep_out["range"] in ("192.0.2.0/24", "2001:db8::/32"):
            admin.keep_outs.remove(keep_out["id"], why="stands in for public space")
    ranges = ["192.0.2.0/24", "2001:db8:e000::/40"]
    admin.pools.add(name="wide", realm=realm, ranges=ranges, sheet="ends-withheld", exposure="public")
    admin.pools.add(name="quays", realm=realm, ranges=["10.88.0.0/16"], sheet="ends-withheld")
    wanted = {"project": "ticketing", "tier": "edge", "zone": "ml-1"}
    admin.request(**wanted, pool=f"{realm}:wide", prefix="192.0.2.64/26", name=f"shop-{mark}", purpose="the shop")
    admin.request(**wanted, pool=f"{realm}:quays", prefix="10.88.4.0/24", name=f"quay-{mark}")
    served = {
        "primary": "ns1.ferry.example",
        "contact": "names@ferry.example",
        "servers": ["ns1.ferry.example 192.0.2.53"],
    }
    admin.dns_zones.add(name="2.0.192.in-addr.arpa", realm=realm, **served)
    ds = "31589 8 2 " + "CD" * 32
    theirs = {"delegated": True, "servers": ["ns.tickets.example"], "project": "ticketing", "ds": [ds]}
    admin.dns_zones.add(name="64/26.2.0.192.in-addr.arpa", realm=realm, **theirs)
    admin.dns_zones.add(name=f"inside-{mark}.example", realm=realm, **served)

    def ask(path, role=None, status=200, **more):
        headers = {"Authorization": f"Bearer {live.token(role)}"} if role else {}
        answer = requests.get(
            f"{live.url}/rdap/{realm}/{path}", headers={**headers, **more.pop("headers", {})}, timeout=30, **more
        )
        assert answer.status_code == status, answer.text
        if status != 304:
            assert answer.headers["Content-Type"].startswith("application/rdap+json")
            VALIDATOR.validate(answer.json())
        assert answer.headers["Access-Control-Allow-Origin"] == "*"
        ask.headers = answer.headers
        return answer.json() if status != 304 else None

    ask.realm, ask.mark, ask.base = realm, mark, f"{live.url}/rdap/{realm}"
    return ask


def roles(told):
    return {role for entity in told["entities"] for role in entity["roles"]}


def test_the_innermost_network_is_told_with_what_is_around_it(asked):
    told = asked("ip/192.0.2.70", "viewer")
    assert (told["startAddress"], told["endAddress"], told["name"]) == (
        "192.0.2.64",
        "192.0.2.127",
        f"shop-{asked.mark}",
    )
    assert told["status"] == ["active"]
    assert told["cidr0_cidrs"] == [{"v4prefix": "192.0.2.64", "length": 26}]
    assert roles(told) == {"registrant", "administrative", "abuse"}
    assert told["remarks"][0]["description"] == ["the shop"]
    links = {link["rel"]: link["href"] for link in told["links"]}
    assert links["up"] == f"{asked.base}/ip/192.0.2.0/24"
    assert links["geo"].endswith("/geofeed.csv")
    around = asked("ip/192.0.2.0/24", "viewer")
    assert (around["name"], around["handle"]) == ("wide", told["parentHandle"])
    assert asked("ip/192.0.2.64/25", "viewer", status=400)["title"]  # no prefix
    assert asked("ip/192.0.2.64/27", "viewer")["name"] == told["name"]
    assert asked("ip/192.0.2.0/25", "viewer")["name"] == "wide"
    assert asked("ip/2001:db8:e000::1", "viewer")["ipVersion"] == "v6"
    assert asked("ip/10.88.4.9", "viewer")["name"] == f"quay-{asked.mark}"
    events = {event["eventAction"] for event in told["events"]}
    assert events == {"registration", "last changed"}


def test_states_and_what_ends_are_told_as_they_become(asked, live):
    admin = live.client("admin")
    admin.release(f"{asked.realm}:shop-{asked.mark}")
    told = asked("ip/192.0.2.70", "viewer")
    assert told["status"] == ["inactive", "pending delete"]
    assert "expiration" in {event["eventAction"] for event in told["events"]}


def test_nobody_signed_in_is_told_of_public_space_and_no_more(asked, live):
    told = asked("ip/192.0.2.70")
    assert "name" not in told
    assert roles(told) == {"administrative", "abuse"}
    assert "ticketing" not in json.dumps(told)
    assert {one["name"]["type"] for one in told["redacted"]} == {"Network Name", "Registrant"}
    card = told["entities"][0]["vcardArray"][1]
    assert ["fn", {}, "text", "Nordlys Ferries"] in card
    assert ["email", {}, "text", "noc@ferry.example"] in card
    for private in (
        "ip/10.88.4.9",
        "entity/ticketing",
        f"domain/inside-{asked.mark}.example",
        "nameserver/ns1.ferry.example",
    ):
        assert asked(private, status=404)["errorCode"] == 404
    for search in ("entities?fn=*", "nameservers?name=*"):
        assert asked(search, status=401)["errorCode"] == 401
        assert "Basic" in asked.headers["WWW-Authenticate"]
    part = asked("domain/70.64/26.2.0.192.in-addr.arpa")
    assert part["ldhName"] == "64/26.2.0.192.in-addr.arpa"
    assert "ticketing" not in json.dumps(part)
    assert asked("entity/operator")["roles"] == ["administrative", "abuse"]
    found = asked("domains?name=*.in-addr.arpa")["domainSearchResults"]
    assert {one["ldhName"] for one in found} == {"2.0.192.in-addr.arpa", "64/26.2.0.192.in-addr.arpa"}
    live.client("admin").realms.edit(asked.realm, published=False)
    assert asked("ip/192.0.2.70", status=404)
    assert asked("ip/192.0.2.70", "viewer")["name"] == f"shop-{asked.mark}"
    assert asked("ip/192.0.2.70", headers={"Authorization": "Bearer nothing"}, status=401)["errorCode"] == 401


def test_domains_servers_projects_and_searches(asked):
    told = asked("domain/64/26.2.0.192.in-addr.arpa", "viewer")
    assert [server["ldhName"] for server in told["nameservers"]] == ["ns.tickets.example"]
    assert told["secureDNS"] == {"delegationSigned": True, "dsData": [
        {"keyTag": 31589, "algorithm": 8, "digestType": 2, "digest": "cd" * 32}]}  # fmt: skip
    assert told["network"]["startAddress"] == "192.0.2.64"
    assert asked("domain/5.2.0.192.in-addr.arpa", "viewer")["ldhName"] == "2.0.192.in-addr.arpa"
    server = asked("nameserver/ns1.ferry.example", "viewer")
    assert server["ipAddresses"] == {"v4": ["192.0.2.53"]}
    project = asked("entity/ticketing", "viewer")
    assert project["handle"] == "ticketing"
    assert ["email", {}, "text", "ticket-team@ferry.example"] in project["vcardArray"][1]
    for search, kind, count in (
        ("domains?name=*", "domainSearchResults", 3),
        (f"domains?name=inside-{asked.mark}.example", "domainSearchResults", 1),
        ("nameservers?name=ns*", "nameserverSearchResults", 2),
        ("nameservers?ip=192.0.2.53", "nameserverSearchResults", 1),
        ("entities?handle=tick*", "entitySearchResults", 1),
        ("entities?fn=Ticket*", "entitySearchResults", 1),
        ("entities?fn=nothing", "entitySearchResults", 0),
    ):
        assert len(asked(search, "viewer")[kind]) == count, search
    for wrong in (
        "entities",
        "entities?fn=a&handle=b",
        "domains?owner=x",
        "domains?name=*a*",
        "ip/999",
        "nothing/x",
        "domain/a..b",
    ):
        assert asked(wrong, "viewer", status=400)["errorCode"] == 400, wrong
    assert asked("help")["notices"][0]["title"] == "What can be asked here"


def test_the_command_line_asks_as_others_do(asked, lentra):  # noqa: F811
    told = lentra("rdap", "ip", "192.0.2.70", "--realm", asked.realm, role="viewer")
    assert told.returncode == 0, told.stderr
    for words in (f"shop-{asked.mark}", "192.0.2.127", "Nordlys Ferries <noc@ferry.example>", "registration"):
        assert words in told.stdout
    whole = lentra(
        "rdap", "domain", "64/26.2.0.192.in-addr.arpa", "--realm", asked.realm, "--output", "json", role="viewer"
    )
    VALIDATOR.validate(json.loads(whole.stdout))
    missing = lentra("rdap", "entity", "nobody", "--realm", asked.realm, role="viewer")
    assert (missing.returncode, "no entity has that handle" in missing.stderr) == (4, True)


def test_an_answer_that_one_has_is_not_sent_again_and_too_many_questions_are_refused(asked, live):
    asked("ip/192.0.2.70")
    assert "public" in asked.headers["Cache-Control"]
    tag = asked.headers["ETag"]
    asked("ip/192.0.2.70", status=304, headers={"If-None-Match": tag})
    asked("ip/192.0.2.70", "viewer")
    assert "private" in asked.headers["Cache-Control"]
    assert asked.headers["ETag"] != tag
    options = requests.options(f"{asked.base}/ip/192.0.2.70", timeout=30)
    assert options.status_code == 204
    assert "GET" in options.headers["Access-Control-Allow-Methods"]
    head = requests.head(f"{asked.base}/ip/192.0.2.70", timeout=30)
    assert (head.status_code, head.content) == (200, b"")


def test_each_caller_may_ask_so_much_and_is_told_when_again():
    from lentra.api.allowance import Allowance

    allowed = Allowance(60)
    assert [allowed.wait("a", 0.0) for _ in range(60)] == [0] * 60
    assert 0 < allowed.wait("a", 0.0) <= 1
    assert allowed.wait("b", 0.0) == 0
    assert allowed.wait("a", 1.1) == 0
    assert allowed.wait("a", 1.1) > 0
    for n in range(10_050):
        allowed.wait(f"c{n}", 2.0)
    assert len(allowed) <= 10_000


def test_two_clients_that_nobody_here_wrote_read_it(asked, live):
    client = rdap.RdapClient({"bootstrap_url": asked.base, "timeout": 30})
    network = client.get_ip("192.0.2.70")
    assert network.data["startAddress"] == "192.0.2.64"
    parsed = network.parsed()
    assert "noc@ferry.example" in str(parsed)
    assert client.get_domain("2.0.192.in-addr.arpa").data["ldhName"] == "2.0.192.in-addr.arpa"
    with pytest.raises(rdap.RdapNotFoundError):
        client.get_ip("10.88.4.9")
    place = f"{asked.base}/"
    services = {
        f"ipv{family}": requests.get(f"{live.url}/rdap/bootstrap/ipv{family}.json", timeout=30).json()
        for family in (4, 6)
    }
    assert any(place in bases and "192.0.2.0/24" in prefixes for prefixes, bases in services["ipv4"]["services"])
    others = {"asn": {"services": [[["64496-64511"], [place]]]}, "dns": {"services": [[["arpa"], [place]]]},
              "object": {"services": [[["a@ferry.example"], ["FERRY"], [place]]]}}  # fmt: skip
    whoisit.clear_bootstrapping()
    only = {f: {**s, "services": [one for one in s["services"] if place in one[1]]} for f, s in services.items()}
    assert whoisit.load_bootstrap_data({"timestamp": 1, **others, **only}, from_json=False, allow_insecure=True)
    told = whoisit.domain("2.0.192.in-addr.arpa", allow_insecure_ssl=True)
    assert told["nameservers"] == ["ns1.ferry.example"]
    # By address it asks nowhere about documentation prefixes: it reads the answer all the same.
    told = whoisit.parser.parse(whoisit._bootstrap, "ip", "192.0.2.70", asked("ip/192.0.2.70"))
    assert str(told["network"]) == "192.0.2.64/26"
    assert told["entities"]["abuse"][0]["email"] == "noc@ferry.example"
    assert told["registration_date"] is not None
