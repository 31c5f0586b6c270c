"""The client library: everything that the API does, typed, without Django.

Example:
    >>> client = Client(url, token)
    >>> client.size(hosts=180, growth=40, sheet="four-and-one")["length"]
    23
    >>> wanted = {"pool": "ticket-hall", "project": "ticketing", "zone": "ml-1", "tier": "app", "hosts": 50}
    >>> seen = client.request(**wanted, preview=True)
    >>> seen.result["subnets"][0]["blocks"][0]["usable"]
    '59'

Beside `Client`: `calls` and `records` have every operation and record with its types, `aio` the client for asyncio, `fake` a
service in memory for tests.
"""

from lentra.client.answers import Answer
from lentra.client.client import Client, new_challenge, sign_in, sign_in_with_code, ways_to_sign_in
from lentra.client.collections import Collection
from lentra.client.errors import LentraError, NotReachable, Problem

__all__ = [
    "Answer",
    "Client",
    "Collection",
    "LentraError",
    "NotReachable",
    "Problem",
    "new_challenge",
    "sign_in",
    "sign_in_with_code",
    "ways_to_sign_in",
]
