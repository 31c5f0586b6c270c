"""The client for asyncio: the same calls, retries and errors, awaited.

Example:
    >>> import asyncio
    >>> async def zones():
    ...     async with AsyncClient(url, token) as client:
    ...         rows = client.calls.every(client.calls.list_zones, region="inner-isles")
    ...         return [zone["name"] async for zone in rows]
    >>> asyncio.run(zones())
    ['ii-1', 'ii-2']
"""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from types import TracebackType
from typing import Any

import httpx

from lentra.client.calling import Call, Tries, settings_of
from lentra.client.calls import AsyncCalls


class AsyncClient:
    """A connection to a Lentra service, for asyncio; its operations are in `calls`.

    Args:
        url, token, timeout, retries, verify, transport: as for `lentra.client.Client`.
    """

    def __init__(
        self,
        url: str,
        token: str | None = None,
        timeout: float = 30,
        retries: int = 5,
        verify: bool | str = True,
        transport: httpx.AsyncBaseTransport | None = None,
    ) -> None:
        self.url = url.rstrip("/")
        self.retries = retries
        self.http = httpx.AsyncClient(**settings_of(token, timeout, verify), transport=transport)
        self.calls = AsyncCalls(self.call)

    async def __aenter__(self) -> AsyncClient:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, failure: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def close(self) -> None:
        """Close the connections that are open."""
        await self.http.aclose()

    async def call(
        self,
        method: str,
        path: str,
        *,
        query: Mapping[str, Any] | None = None,
        body: Mapping[str, Any] | None = None,
        headers: Mapping[str, str] | None = None,
        safe: bool = False,
    ) -> httpx.Response:
        """One call, tried again while the service is away or busy and it is safe to.

        Raises:
            NotReachable: no answer after all retries.
            Problem: the service refuses.
        """
        call = Call(method, path, query, body, headers, safe)
        tries = Tries(call, self.url, self.retries)
        while True:
            try:
                answer = await self.http.request(**call.for_httpx(self.url))
            except (httpx.RequestError, httpx.InvalidURL) as error:
                pause = tries.lost(error)
            else:
                waiting = tries.refused(answer)
                if waiting is None:
                    return answer
                pause = waiting
            await asyncio.sleep(pause)
