"""Lentra: a shared registry of IPv4 and IPv6 address pools that hands out blocks which never clash.

`lentra.addressing` is the core (pure computation), `lentra.client` the client library, `lentra.cli` the
command line. `lentra.registry`, `lentra.api` and `lentra.service` need the extra `lentra[service]`.
"""

__version__ = "0.1.0"
