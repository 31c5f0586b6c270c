"""What a refusal says would work, works: for requests of any kind, and for what is set up and recorded."""

from __future__ import annotations

import re
import uuid
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lentra.addressing.refusal import Refusal


@pytest.fixture
def places(world):
    """Pools of many kinds, some of them full, small, or for others."""
    from lentra.registry.models import Zone
    from lentra.registry.operations.setup.add_record import add_record

    far = f"far-{uuid.uuid4().hex[:6]}"
    world.do(add_record, "zone", {"name": far, "region": world.region})
    pools = {
        "wide": world.pool("10.40.0.0/18", name="wide", cooling_days=0),
        "small": world.pool("10.41.0.0/26", name="small"),
        "bounded": world.pool("10.42.0.0/20", name="bounded", shortest_v4=24, longest_v4=27),
        "tagged": world.pool("10.43.0.0/20", name="tagged", sheet="two-and-two"),
        "far": world.pool("10.44.0.0/20", name="far", zone=Zone.objects.get(name=far)),
        "above": world.pool("10.45.0.0/16", name="above", gives="pools"),
        "six": world.pool("fd00:40::/48", name="six"),
    }
    world.ask(pools["wide"], length=26, name="taken", tag=17)
    world.ask(pools["small"], length=27)
    world.keep_out("10.40.32.0/20")
    return pools


def repaired(request, refusal, suggestion, places):
    """The request with what would work in the place of what was wrong; None where the words are not a value."""
    text = str(suggestion)
    match refusal.field:
        case "length" if number := re.fullmatch(r"/?(\d+)", text):
            return {name: value for name, value in request.items() if name not in ("hosts", "growth")} | {
                "length": int(number[1])
            }
        case "hosts" | "growth" | "count" | "room" if text.isdigit():
            return request | {refusal.field: int(text)}
        case "tag" if text.isdigit() or text in ("next", "none"):
            return request | {"tag": int(text) if text.isdigit() else text}
        case "name":
            return request | {"name": text}
        case "prefix" if re.fullmatch(r"[0-9a-f.:]+/\d+", text):
            return {
                name: value for name, value in request.items() if name not in ("hosts", "growth", "length")
            } | {"prefix": text}
        case "pool" if text.removeprefix("pool ") in places:
            return request | {"pool": places[text.removeprefix("pool ")]}
    return None


PREFIXES = [
    "10.40.0.0/26",
    "10.40.0.128/25",
    "10.40.33.0/26",
    "10.40.0.64/20",
    "172.16.0.0/24",
    "10.41.0.0/24",
    "nonsense",
    "10.40.8.0/33",
]
REQUESTS = st.fixed_dictionaries(
    {"pool": st.sampled_from(["wide", "small", "bounded", "tagged", "far", "above", "six"])},
    optional={
        "length": st.integers(4, 40),
        "hosts": st.integers(0, 40_000),
        "growth": st.integers(-5, 400),
        "prefix": st.sampled_from(PREFIXES),
        "name": st.sampled_from(["taken", "fresh", "No Good", "x" * 130]),
        "tag": st.sampled_from([17, 18, 0, 4095, "next", "none", "some"]),
        "count": st.integers(0, 300),
        "room": st.integers(-1, 9),
        "families": st.sampled_from([(4,), (6,), (4, 6)]),
    },
)


def test_what_would_work_for_a_request_works(world, places):
    seen = {"refused": 0, "repaired": 0}

    @settings(
        max_examples=150,
        deadline=None,
        derandomize=True,
        suppress_health_check=[HealthCheck.function_scoped_fixture],
    )
    @given(REQUESTS)
    def each(wanted):
        request = wanted | {"pool": places[wanted["pool"]]}
        try:
            world.ask(preview=True, **request)
        except Refusal as refusal:
            seen["refused"] += 1
            assert refusal.message
            for suggestion in refusal.suggestions[:3]:
                mended = repaired(request, refusal, suggestion, places)
                if mended is None:
                    continue
                seen["repaired"] += 1
                try:
                    world.ask(preview=True, **mended)
                except Refusal as again:
                    same = (again.code, again.field) == (refusal.code, refusal.field)
                    assert not same, (
                        f"{wanted}: {refusal.message}; {suggestion!r} would work, but: {again.message}"
                    )

    each()
    assert seen["refused"] > 60
    assert seen["repaired"] > 40


TEXTS = st.sampled_from(
    ["9" * 70, "Quay 7", "nc_1", "-", "", "ÆØÅ", "a.b", "10.0.0.0/8", "x" * 200, "North Coast", "ends-", "--", "7"]
)


@settings(
    max_examples=60, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(name=TEXTS)
def test_a_name_that_would_work_is_taken(world, name):
    from lentra.registry.rules.names import check_name

    try:
        check_name(name)
    except Refusal as refusal:
        assert refusal.suggestions, name
        for suggestion in refusal.suggestions:
            check_name(suggestion)


def test_what_would_work_for_a_reservation_works(world, places):
    from lentra.addressing.prefix import parse_range
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

    wide = places["wide"]
    world.do(reserve, ReservationRequest(wide.pk, "links", length=24, projects=[world.project]))
    worked = 0
    for given_range in ("10.40.0.0/24", "10.40.32.0/24", "10.41.0.0/24", "10.40.0.10-10.40.0.70", "10.40.63.0/24"):
        request = ReservationRequest(wide.pk, "more", range=parse_range(given_range), projects=[world.project])
        try:
            world.do(reserve, request, preview=True)
        except Refusal as refusal:
            for suggestion in refusal.suggestions:
                world.do(reserve, replace(request, range=parse_range(str(suggestion))), preview=True)
                worked += 1
    assert worked >= 3
