"""Whom the service may speak to of its own accord: not its own machine, nor in the clear, unless the operator says so."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Collection


class Forbidden(Exception):
    """An address of the machine itself, or of its link, or one without encryption, that the operator has not listed."""


def is_listed(host: str, port: int, listed: Collection[str]) -> bool:
    """Whether the operator has listed a host, with any port or with this one."""
    return bool({host.lower(), f"{host.lower()}:{port}"} & {one.lower() for one in listed})


def address_of(host: str, port: int, listed: Collection[str]) -> str:
    """The address that a host leads to, looked up and checked: to be spoken to as it is.

    Raises:
        Forbidden: it leads to this machine, or its link, and is not listed.
        OSError: nobody knows its name.
    """
    found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    address = str(found[0][4][0])
    if not is_listed(host, port, listed) and (what := _own(address)):
        raise Forbidden(f"{host} leads to {what}, and is not listed")
    return address


def _own(text: str) -> str:
    """What an address is that nobody outside this machine and its link should be asked at; empty if it is none."""
    address = ipaddress.ip_address(text.partition("%")[0])
    address = getattr(address, "ipv4_mapped", None) or address
    if address.is_loopback or address.is_unspecified:
        return "this machine"
    if address.is_link_local:
        return "an address of this machine's link"
    if address.is_multicast:
        return "many machines at once"
    family = socket.AF_INET if address.version == 4 else socket.AF_INET6
    with socket.socket(family, socket.SOCK_DGRAM) as probe:
        try:
            probe.bind((str(address), 0))  # only an address of this machine can be bound
        except OSError:
            return ""
    return "this machine"
