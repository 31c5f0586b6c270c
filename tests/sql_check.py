"""Checks a registry by plain SQL alone, so that what the code believes cannot hide what is there."""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qs, unquote, urlparse

import MySQLdb

_STATES = ("free", "held", "handed_out", "room", "reserved", "cooling", "kept_out", "carved")
_SIZE = "CAST(POW(2, IF(family = 4, 32, 128) - length) AS DECIMAL(39,0))"  # exact for IPv4 and for powers of two
_IN_STATE = "ELT(1 + FIELD(s.state, 'held', 'active', 'retiring', 'cooling'), NULL, 1, 2, 2, 5)"

CHECKS = {
    "counters of IPv4 that differ from the extents": f"""
        SELECT s.pool_id FROM registry_space s LEFT JOIN (
            SELECT pool_id, {", ".join(f"SUM(IF(state = {n}, {_SIZE}, 0)) AS c{n}" for n in range(8))}
            FROM registry_extent WHERE family = 4 GROUP BY pool_id) e ON e.pool_id = s.pool_id
        WHERE s.family = 4 AND ({" OR ".join(f"s.{name} <> COALESCE(e.c{n}, 0)" for n, name in enumerate(_STATES))})""",
    "extents of one pool that begin before the one before them ends": """
        SELECT pool_id, HEX(first) FROM (
            SELECT pool_id, first, LAG(CONV(HEX(SUBSTR(first, 13)), 16, 10) + POW(2, 32 - length))
                OVER (PARTITION BY pool_id ORDER BY first) AS ends
            FROM registry_extent WHERE family = 4) e
        WHERE ends > CONV(HEX(SUBSTR(first, 13)), 16, 10)""",
    "innermost extents of a realm over the same addresses": """
        SELECT realm_id, HEX(first) FROM (
            SELECT realm_id, first, MAX(CONV(HEX(SUBSTR(first, 13)), 16, 10) + POW(2, 32 - length))
                OVER (PARTITION BY realm_id ORDER BY first ROWS BETWEEN UNBOUNDED PRECEDING AND 1 PRECEDING) AS ends
            FROM registry_extent WHERE family = 4 AND state <> 7) e
        WHERE ends > CONV(HEX(SUBSTR(first, 13)), 16, 10)""",
    "extents off their boundary": """
        SELECT pool_id, HEX(first) FROM registry_extent
        WHERE family = 4 AND CONV(HEX(SUBSTR(first, 13)), 16, 10) MOD POW(2, 32 - length) <> 0""",
    "extents without the owner that their state wants": """
        SELECT pool_id, HEX(first) FROM registry_extent WHERE
            (state IN (0, 6)) <> (subnet_id IS NULL AND child_id IS NULL AND reservation_id IS NULL)
            OR (state = 7) <> (child_id IS NOT NULL) OR (state = 4) <> (reservation_id IS NOT NULL)""",
    "blocks in another state than their subnet's": f"""
        SELECT e.pool_id, HEX(e.first) FROM registry_extent e JOIN registry_subnet s ON s.id = e.subnet_id
        WHERE e.state <> 3 AND e.state <> {_IN_STATE}""",
    "subnets without a block": """
        SELECT s.id FROM registry_subnet s LEFT JOIN registry_extent e ON e.subnet_id = s.id AND e.state <> 3
        WHERE e.pool_id IS NULL""",
    "sums of extents that differ from a count": """
        SELECT pool, project, region, zone, tier, family, state, length FROM (
            SELECT e.pool_id pool, project_id project, COALESCE(region_id, 0) region, COALESCE(zone_id, 0) zone,
                tier_id tier, family, e.state state, length, 1 n
            FROM registry_extent e JOIN registry_subnet s ON s.id = e.subnet_id
            UNION ALL
            SELECT pool, project, region, zone, tier, family, state, length, -extents
            FROM registry_subnetsum WHERE family > 0) both_sides
        GROUP BY pool, project, region, zone, tier, family, state, length HAVING SUM(n) <> 0""",
    "free space under a keep-out": """
        SELECT e.pool_id, HEX(e.first) FROM registry_extent e
        JOIN registry_keepout k ON k.realm_id = e.realm_id AND k.family = e.family
        WHERE e.family = 4 AND e.state = 0 AND k.first <= UNHEX(LPAD(HEX(
            CONV(HEX(SUBSTR(e.first, 13)), 16, 10) + POW(2, 32 - e.length) - 1), 32, '0')) AND k.last >= e.first""",
    "address records outside their subnet": """
        SELECT a.id FROM registry_address a WHERE a.family = 4 AND NOT EXISTS (
            SELECT 1 FROM registry_extent e WHERE e.subnet_id = a.subnet_id AND e.family = 4 AND e.state <> 3
            AND CONV(HEX(SUBSTR(a.address, 13)), 16, 10) - CONV(HEX(SUBSTR(e.first, 13)), 16, 10)
                BETWEEN 0 AND POW(2, 32 - e.length) - 1)""",
    "projects beyond their quota": """
        SELECT q.id FROM registry_quota q JOIN registry_subnet s ON s.project_id = q.project_id
        JOIN registry_extent e ON e.subnet_id = s.id JOIN registry_pool o ON o.id = e.pool_id
        WHERE e.state IN (1, 2) AND (s.ends_at IS NULL OR s.ends_at > UTC_TIMESTAMP())
            AND (q.realm_id IS NULL OR q.realm_id = s.realm_id)
            AND (q.region_id IS NULL OR q.region_id = s.region_id) AND (q.pool_id IS NULL OR q.pool_id = e.pool_id)
        GROUP BY q.id, q.subnets, q.v4_addresses, q.public_addresses
        HAVING COUNT(DISTINCT s.id) > q.subnets OR SUM(IF(e.family = 4, POW(2, 32 - e.length), 0)) > q.v4_addresses
            OR SUM(o.exposure = 'public' AND e.length = IF(e.family = 4, 32, 128)) > q.public_addresses""",
    "things that end, in pools that do not know it": """
        SELECT s.id FROM registry_subnet s JOIN registry_extent e ON e.subnet_id = s.id
        WHERE s.ends_at IS NOT NULL AND NOT EXISTS (
            SELECT 1 FROM registry_space x WHERE x.pool_id = e.pool_id AND x.next_due <= s.ends_at)""",
} | {
    f"{table} that carry another entry than their last": f"""
        SELECT r.id FROM registry_{table} r WHERE r.last_entry <> (
            SELECT MAX(l.number) FROM registry_ledgerentry l WHERE l.subject = r.id OR l.number = r.id)"""
    for table in ("subnet", "pool", "reservation", "address")
}


def connect(url: str) -> MySQLdb.Connection:
    """A connection to the database of a LENTRA_DATABASE_URL, beside the service's own."""
    parts = urlparse(url)
    return MySQLdb.connect(
        user=parts.username,
        password=unquote(parts.password or ""),
        database=parts.path.strip("/"),
        unix_socket=parse_qs(parts.query)["unix_socket"][0],
    )


def offences(url: str) -> dict[str, list[Any]]:
    """What does not hold in the database of a LENTRA_DATABASE_URL: what is wrong -> the first rows of it."""
    connection = connect(url)
    try:
        cursor = connection.cursor()
        cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        cursor.execute("START TRANSACTION WITH CONSISTENT SNAPSHOT")
        found = {}
        for what, query in CHECKS.items():
            cursor.execute(query)
            if rows := cursor.fetchmany(5):
                found[what] = list(rows)
        return found
    finally:
        connection.close()
