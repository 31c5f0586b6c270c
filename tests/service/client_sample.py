"""A program as users of the client library write it. Type checkers read all of it, and the tests run it."""

from __future__ import annotations

from lentra.client import Answer, Client, Problem
from lentra.client.aio import AsyncClient
from lentra.client.errors import Conflict, Denied
from lentra.client.fake import FakeService
from lentra.client.records import HandedOut, Pool, Subnet, SubnetRequest


def first_free(client: Client, pool: str) -> str:
    """Look, then take exactly what was shown."""
    wanted: SubnetRequest = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
    seen = client.calls.request_subnets(wanted, preview=True)
    done: Answer[HandedOut] = client.calls.request_subnets({**wanted, "proposal": seen.proposal})
    return done.result["subnets"][0]["blocks"][0]["prefix"]


def names_in(client: Client, zone: str) -> list[str]:
    """All pages of a list."""
    calls = client.calls
    return [
        subnet["name"] for subnet in calls.every(calls.list_subnets, zone=zone, state=["active", "held"], limit=2)
    ]


def rename(client: Client, ref: str, name: str) -> Subnet:
    """An edit of what was read, and of nothing newer."""
    read = client.calls.show_subnet(ref)
    return client.calls.edit_subnet(read["id"], {"name": name}, version=read["version"], why="renamed").result


def way_out(problem: Problem) -> list[str]:
    """What would work."""
    if isinstance(problem, Denied):
        return []
    return problem.suggestions or [str(conflict.get("owner")) for conflict in problem.conflicts]


async def pools_of(client: AsyncClient, region: str) -> list[Pool]:
    """The same for asyncio."""
    me = await client.calls.who_am_i()
    assert me["role"] in ("viewer", "requester", "planner", "admin")
    return [pool async for pool in client.calls.every(client.calls.list_pools, region=region, limit=1)]


def without_a_service() -> tuple[str, str]:
    """A program's own tests."""
    service = FakeService()
    service.has_pool("quay", "10.40.64.0/27")
    client = Client("http://lentra.example", transport=service)
    prefix = first_free(client, "quay")
    service.refuses("show_pool", "conflict", "two pools are called that", suggestions=["fleet:quay"])
    try:
        client.calls.show_pool("quay")
    except Conflict as problem:
        return prefix, way_out(problem)[0]
    return prefix, ""
