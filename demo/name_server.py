"""`python demo/name_server.py NAMED FOLDER PORT KEY ZONE...`: BIND on loopback, for DNS zones; for the demo's, if none is
named.

It takes updates from, and hands its zones over to, whoever has the key. In the first one of the demo stand records that
somebody has put there by hand and that nobody told the registry of. What it was told before it knows again.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from pathlib import Path

import yaml

from lentra.addressing.prefix import parse_range, prefixes_of_range

_BEGINNING = """$TTL 3600
@ IN SOA ns1.ferry.example. names.ferry.example. 1 7200 900 1209600 300
@ IN NS ns1.ferry.example.
"""
_BY_HAND = """ns1 IN A 127.0.0.1
fax IN A 10.40.64.250
buoys IN CNAME pier-buoys.harbour.example.
"""


def main() -> None:
    """Write what BIND reads, and become it."""
    named, folder, port, key, *zones = sys.argv[1:]
    by_hand = "" if zones else _BY_HAND
    zones = zones or list(_of_demo())
    place = Path(folder)
    place.mkdir(parents=True, exist_ok=True, mode=0o700)
    name, algorithm, secret = key.split(":", 2)
    lines = [
        f'options {{ directory "{place}"; listen-on port {port} {{ 127.0.0.1; }}; listen-on-v6 {{ none; }};'
        f' recursion no; notify no; pid-file "{place}/pid"; session-keyfile "{place}/session"; }};',
        "controls { };",
        f'key "{name}" {{ algorithm {algorithm}; secret "{secret}"; }};',
    ]
    for n, zone in enumerate(zones):
        file = place / f"{zone.replace('/', '-')}.zone"
        if not file.exists():
            file.write_text(_BEGINNING + (by_hand if n == 0 else ""))
        allowed = f'allow-update {{ key "{name}"; }}; allow-transfer {{ key "{name}"; }};'
        lines.append(f'zone "{zone}" {{ type primary; file "{file}"; {allowed} }};')
    (place / "named.conf").write_text("\n".join(lines) + "\n")
    os.execv(named, [named, "-g", "-c", str(place / "named.conf")])


def _of_demo() -> Iterator[str]:
    """The DNS zones of the demo that are pushed."""
    scenario = yaml.safe_load((Path(__file__).parent / "scenario.yaml").read_text())
    first = scenario["dns_zones"][0]["name"]
    yield first
    for given in scenario["reverse_dns_zones"]:
        if given.get("like") == first:
            for text in given["ranges"]:
                for block in prefixes_of_range(*parse_range(text)):
                    yield from block.reverse_names()


if __name__ == "__main__":
    main()
