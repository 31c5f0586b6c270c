"""Speaking to name servers: signed by TSIG (RFC 8945) where that is asked for, to whom the operator lets it be spoken.

A credential is ``name:algorithm:secret``, the secret in base64, such as ``lentra:hmac-sha256:c2VjcmV0…``.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from contextlib import contextmanager
from typing import Any
from urllib.parse import urlsplit

import dns.exception
import dns.tsig
import dns.xfr

from lentra.reaching import Forbidden, address_of

PORT = 53
TIMEOUT, LIFETIME = 10.0, 300.0  # seconds, for one message and for a whole DNS zone


class Unanswered(Exception):
    """A name server that is unreachable, refuses, or answers what it should not; its text says so and tells no secret."""


@contextmanager
def told_in_words(what: str) -> Iterator[None]:
    """Whatever goes wrong in speaking to a name server, in few words.

    Args:
        what: is asked for, such as a DNS zone's name.

    Raises:
        Unanswered.
    """
    try:
        yield
    except Forbidden as why:
        raise Unanswered(str(why))
    except (dns.tsig.PeerError, dns.tsig.BadSignature, dns.tsig.BadKey, dns.tsig.BadTime) as why:
        raise Unanswered(f"it refuses the credential: {why}")
    except dns.xfr.TransferError as why:
        raise Unanswered(f"it does not hand over {what}: {str(why).rpartition(' ')[2] or 'no reason given'}")
    except dns.exception.Timeout:
        raise Unanswered("no answer in time")
    except ConnectionRefusedError:
        raise Unanswered("nobody listens there")
    except (dns.exception.DNSException, EOFError) as why:
        raise Unanswered(f"an answer that is none: {str(why)[:150] or type(why).__name__}")
    except OSError as why:
        raise Unanswered(f"it cannot be reached: {why.strerror or why}")


def signed(credential: str) -> dict[str, Any]:
    """A credential as arguments of a message that is to be signed; nothing if there is none."""
    if not credential:
        return {}
    name, algorithm, secret = credential.split(":", 2)
    key = dns.tsig.Key(name, secret, algorithm)
    return {"keyring": {key.name: key}, "keyname": key.name, "keyalgorithm": key.algorithm}


def place_of(address: str, listed: Collection[str]) -> tuple[str, int]:
    """Where a server is, as ``host:port``: its address, looked up and checked, and its port.

    Raises:
        Forbidden, OSError: as for `reaching.address_of`.
    """
    parts = urlsplit(f"//{address}")
    host, port = parts.hostname or "", parts.port or PORT
    return address_of(host, port, listed), port
