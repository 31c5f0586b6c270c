"""The short way to read and tell what is plain: as the serializer's own fields do it."""

from __future__ import annotations

import json

import pytest
import requests
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.registry.conftest import world  # noqa: F401

TEXTS = st.one_of(
    st.text(max_size=12), st.sampled_from(["app", " app ", "", "10.40.64.0/26", "snug", "x" * 201, "\x00"])
)
VALUES = st.one_of(
    *(
        st.none(),
        st.booleans(),
        st.integers(-3, 300),
        st.floats(allow_nan=False),
        TEXTS,
        st.lists(TEXTS, max_size=2),
    )
)
NAMES = st.sampled_from(
    (
        *(
            "pool",
            "project",
            "tier",
            "zone",
            "region",
            "length",
            "hosts",
            "count",
            "placement",
            "purpose",
            "notes",
        ),
        *(
            "name",
            "tag",
            "room",
            "hold_minutes",
            "growth",
            "labels",
            "families",
            "despite_unsure",
            "gateway",
            "berth",
        ),
    )
)


@settings(max_examples=400, deadline=None)
@given(st.dictionaries(NAMES, VALUES, max_size=6), st.booleans())
@example({"length": 30, "zone": 7}, True)
def test_a_body_is_read_as_its_serializer_reads_it(registry_database, more, whole):
    from rest_framework.exceptions import ValidationError

    from lentra.api.plain import PlainReader
    from lentra.api.serializers.subnets import RequestSerializer

    body = {"project": "ticketing", "tier": "app"} | more if whole else more

    def outcome(read):
        try:
            return dict(read(body))
        except ValidationError as refusal:
            return json.dumps(refusal.detail)

    assert outcome(PlainReader(RequestSerializer()).read) == outcome(RequestSerializer().run_validation)


def test_a_subnet_is_told_as_its_serializer_tells_it(world):  # noqa: F811
    from rest_framework.serializers import ModelSerializer

    from lentra.api.serializers.subnets import SubnetSerializer
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.attach_address import attach_address

    pool = world.pool("10.40.64.0/20", "fd46:40::/48")
    public = world.pool("203.0.114.0/24", name="public", sheet="single-address", exposure="public")
    world.ask(pool, length=26, families=[4, 6], hosts=30, labels={"a": "b"}, notes="é\nü", tag=12, room=1)
    world.ask(pool, length=26, hold_minutes=9)
    (single,) = world.ask(public, length=32)
    world.do(attach_address, single.pk, "balancer-1")
    for subnet in Subnet.objects.filter(realm=world.realm).prefetch_related("extents"):
        told = SubnetSerializer().to_representation(subnet)
        long_way = ModelSerializer.to_representation(SubnetSerializer(), subnet)
        apart = {"blocks", "room"}
        assert {n: v for n, v in told.items() if n not in apart} == {
            n: v for n, v in long_way.items() if n not in apart
        }
        assert list(told) == list(long_way)
        assert [block["prefix"] for block in told["blocks"]] == [str(block) for block in subnet.blocks()]


def test_what_is_looked_at_again_is_not_sent_again_and_what_is_long_is_packed(live):
    headers = {"Authorization": "Bearer " + live.token("viewer"), "Accept-Encoding": "identity"}
    url = f"{live.url}/api/v1/subnets?limit=50&order=name"
    seen = requests.get(url, headers=headers, timeout=30)
    tag = seen.headers["ETag"]
    again = requests.get(url, headers={**headers, "If-None-Match": tag}, timeout=30)
    assert (again.status_code, again.content) == (304, b"")
    assert requests.get(url, headers={**headers, "If-None-Match": '"other"'}, timeout=30).content == seen.content
    packed = requests.get(url, headers={**headers, "Accept-Encoding": "gzip"}, stream=True, timeout=30)
    assert packed.headers["Content-Encoding"] == "gzip"
    assert len(packed.raw.read()) < len(seen.content) / 4
    assert "Accept-Encoding" in packed.headers["Vary"]


@pytest.mark.parametrize("query", [{}, {"project": "ticketing"}, {"realm": "fleet", "aggregated": "true"}])
def test_ranges_come_whole_as_lines_too(live, planner, query):
    headers = {"Authorization": "Bearer " + live.token("viewer"), "Accept": "application/jsonl"}
    answer = requests.get(f"{live.url}/api/v1/ranges/lines", params=query, headers=headers, timeout=30)
    assert answer.headers["Content-Type"] == "application/jsonl"
    rows = [json.loads(line) for line in answer.text.splitlines()]
    assert rows == list(planner.pages("ranges", {"limit": 40, **query})) == list(planner.ranges(**query))
    wrong = requests.get(f"{live.url}/api/v1/ranges/lines?family=5", headers=headers, timeout=30)
    assert (wrong.status_code, wrong.json()["field"]) == (400, "family")


def test_idle_things_come_in_pages_and_by_kind(planner):
    whole = list(planner.idle(realm="fleet"))
    assert list(planner.pages("idle", {"limit": 3, "realm": "fleet"})) == whole
    kinds = list(dict.fromkeys(row["kind"] for row in whole))
    assert len(kinds) > 3
    for kind in kinds:
        rows = list(planner.pages("idle", {"limit": 2, "realm": "fleet", "kind": kind}))
        assert rows == [row for row in whole if row["kind"] == kind]
