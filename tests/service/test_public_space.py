"""What others may know: a geofeed that a parser of its own reads, authorisations, prefix lists, and a calendar."""

from __future__ import annotations

import base64
import csv
import ipaddress
import json
import uuid

import pycountry
import pytest
import requests
from icalendar import Calendar

from lentra.client import Problem
from tests.service.test_command_line import lentra  # noqa: F401


def read_geofeed(text):
    """A geofeed as RFC 8805, section 2.1, has it, by means that share no code with what writes it."""
    found = {}
    for line in text.splitlines():
        if line.strip() and not line.startswith("#"):
            (prefix, country, subdivision, city, postal) = next(csv.reader([line]))
            network = ipaddress.ip_network(prefix, strict=True)
            assert network not in found
            assert not network.is_loopback
            assert pycountry.countries.get(alpha_2=country)
            assert not subdivision or pycountry.subdivisions.get(code=subdivision).country_code == country
            assert postal == ""
            found[network] = (country, subdivision, city)
    return found


def place_of(address, feed):
    around = [(net.prefixlen, place) for net, place in feed.items() if ipaddress.ip_address(address) in net]
    return max(around, default=(0, None))[1]


@pytest.fixture
def outside(live):
    """A published realm with public space in two places, and a plain subnet."""
    admin, mark = live.client("admin"), uuid.uuid4().hex[:6]
    realm = f"out-{mark}"
    admin.realms.add(name=realm)
    for keep_out in admin.keep_outs.list(realm=realm):
        if keep_out["range"] in ("198.51.100.0/24", "2001:db8::/32"):
            admin.keep_outs.remove(keep_out["id"], why="stands in for public space")
    admin.regions.add(name=f"fjord-{mark}", country="no", subdivision="no-46", city="Skarvik")
    admin.zones.add(name=f"fj-1-{mark}", region=f"fjord-{mark}")
    admin.zones.add(name=f"fj-2-{mark}", region=f"fjord-{mark}", country="SE", subdivision="SE-O", city="Tofta")
    public = {"exposure": "public", "sheet": "ends-withheld", "region": f"fjord-{mark}"}
    ranges = ["198.51.100.0/24", "2001:db8:f000::/40"]
    admin.pools.add(name="wide", realm=realm, ranges=ranges, origin_as=64500, announced_v6=44, **public)
    admin.pools.add(name="inner", realm=realm, ranges=["10.77.0.0/16"], sheet="ends-withheld", origin_as=64500)
    wanted = {"pool": f"{realm}:wide", "project": "ticketing", "tier": "edge"}
    admin.request(**wanted, zone=f"fj-2-{mark}", prefix="198.51.100.64/26", name=f"sound-{mark}")
    admin.request(**wanted, zone=f"fj-1-{mark}", prefix="198.51.100.128/26", name=f"quay-{mark}")
    return realm, mark


def test_anybody_reads_where_the_public_ranges_of_published_realms_are(live, outside):
    realm, _ = outside
    before = read_geofeed(requests.get(live.url + "/geofeed.csv", timeout=30).text)
    assert place_of("198.51.100.70", before) is None  # not published
    assert place_of("203.0.113.5", before)[0] == "NO"  # the demo's
    live.client("admin").realms.edit(realm, published=True)
    answer = requests.get(live.url + "/geofeed.csv", timeout=30)
    assert answer.headers["Content-Type"].startswith("text/csv")
    assert "public" in answer.headers["Cache-Control"]
    feed = read_geofeed(answer.text)
    assert place_of("198.51.100.70", feed) == ("SE", "SE-O", "Tofta")
    for address in ("198.51.100.130", "198.51.100.1", "2001:db8:f000::1"):
        assert place_of(address, feed) == ("NO", "NO-46", "Skarvik"), address
    mine = [net for net in feed if net.overlaps(ipaddress.ip_network("198.51.100.0/24")) if net.version == 4]
    assert [str(net) for net in sorted(mine)] == ["198.51.100.0/24", "198.51.100.64/26"]
    assert not [net for net in feed if net.is_private and str(net).startswith("10.")]
    again = requests.get(live.url + "/geofeed.csv", headers={"If-None-Match": answer.headers["ETag"]}, timeout=30)
    assert again.status_code == 304
    live.client("admin").realms.edit(realm, published=False)


def test_a_place_that_there_is_not_is_refused_with_those_that_there_are(live, outside):
    admin, (_, mark) = live.client("admin"), outside
    for values, field in (
        ({"country": "XQ"}, "country"),
        ({"subdivision": "SE-O"}, "subdivision"),
        ({"country": "", "subdivision": ""}, "country"),  # a city alone
        ({"subdivision": "NO-99"}, "subdivision"),
    ):
        with pytest.raises(Problem) as refused:
            admin.regions.edit(f"fjord-{mark}", **values)
        assert (refused.value.field, bool(refused.value.suggestions)) == (field, True), values
    assert "NO-46" in str(refused.value.suggestions) or "NO-" in str(refused.value.suggestions)
    for values, field in (
        ({"origin_as": 1 << 32}, "origin_as"),
        ({"origin_as": None, "announced_v4": 24}, "origin_as"),
    ):
        with pytest.raises(Problem) as refused:
            admin.pools.edit(f"{outside[0]}:inner", **values)
        assert refused.value.field == field


def test_what_is_announced_by_whom_and_what_points_to_the_geofeed(live, outside, lentra):  # noqa: F811
    realm, _ = outside
    told = lentra("authorisations", "--realm", realm, "--output", "csv", role="viewer").stdout
    rows = [(row["prefix"], row["longest"], row["origin_as"]) for row in csv.DictReader(told.splitlines())]
    assert rows == [
        ("198.51.100.0/24", "24", "64500"),
        ("2001:db8:f000::/40", "44", "64500"),
    ]  # none of private space
    made = json.loads(lentra("authorisations", "--realm", realm, "--assertions", role="viewer").stdout)
    assert made["slurmVersion"] == 1
    assert made["locallyAddedAssertions"]["prefixAssertions"][1] == {
        "asn": 64500, "prefix": "2001:db8:f000::/40", "maxPrefixLength": 44, "comment": "pool wide"}  # fmt: skip
    pointed = live.client("viewer").geofeed_pointers(realm=realm)
    assert [(row["kind"], row["object"]) for row in pointed] == [
        ("inetnum", "198.51.100.0 - 198.51.100.255"),
        ("inet6num", "2001:db8:f000::/40"),
    ]
    shown = lentra("geofeed", "--realm", realm, "--pointers", role="viewer").stdout
    assert "/geofeed.csv" in shown
    listed = lentra("prefix-list", "--realm", realm, role="viewer").stdout
    assert listed == "# IPv4\n198.51.100.64/26\n198.51.100.128/26\n# IPv6\n"
    assert lentra("prefix-list", "--realm", realm, "--family", "6", role="viewer").stdout == ""


def test_a_calendar_has_what_ends_and_knows_it_again(live, outside, lentra, tmp_path):  # noqa: F811
    realm, mark = outside
    admin = live.client("admin")
    admin.reservations.add(
        pool=f"{realm}:wide",
        length=28,
        reason="for the pier, and more",
        ends_at="2031-05-01T10:00:00Z",
        name=f"pier-{mark}",
    )
    admin.planned_needs.add(
        name=f"berths-{mark}", pool=f"{realm}:inner", length=24, count=3, day="2031-06-01", reason="new berths"
    )
    file = tmp_path / "ends.ics"
    assert lentra("calendar", str(file), "--realm", realm, role="viewer").returncode == 0
    made = Calendar.from_ical(file.read_bytes())
    events = {str(e["SUMMARY"]): e for e in made.walk("VEVENT")}
    assert set(events) == {f"Reservation pier-{mark} ends", f"Planned need berths-{mark}"}
    pier, berths = events[f"Reservation pier-{mark} ends"], events[f"Planned need berths-{mark}"]
    assert pier["DTSTART"].dt.isoformat() == "2031-05-01T10:00:00+00:00"
    assert (berths["DTSTART"].dt.isoformat(), berths["DTEND"].dt.isoformat()) == ("2031-06-01", "2031-06-02")
    assert "for the pier, and more" in str(pier["DESCRIPTION"])
    # A calendar signs in by a token as the password; and knows each event again.
    named = base64.b64encode(f"whoever:{live.token('viewer')}".encode()).decode()
    of = {"params": {"realm": realm}, "timeout": 30}
    again = requests.get(f"{live.url}/api/v1/calendar", headers={"Authorization": f"Basic {named}"}, **of)
    assert again.headers["Content-Type"].startswith("text/calendar")
    assert {str(e["UID"]) for e in Calendar.from_ical(again.content).walk("VEVENT")} == {
        str(e["UID"]) for e in events.values()
    }
    for header in ("Basic !!", "Basic " + base64.b64encode(b"whoever:nothing").decode(), "Bearer x"):
        refused = requests.get(f"{live.url}/api/v1/calendar", headers={"Authorization": header}, **of)
        assert refused.status_code == 401
        assert "Basic" in refused.headers["WWW-Authenticate"]
